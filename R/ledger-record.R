# How a ledger was made, for the records of questions; and made again.

# list(data or file, the arguments given, calendar, steps).
ledger_record <- function(x) {
  given <- x$given[setdiff(names(x$given), c("where", "calendar"))]
  c(given, list(calendar = x$calendar$given, steps = x$told))
}

# Notes a step that a ledger was taken through.
note_step <- function(x, verb, ...) {
  x$told <- c(x$told, list(list(verb = verb, ...)))
  with_new_handle(x)
}
