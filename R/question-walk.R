# One walk over a question, by the table of fields; who writes it out - as code (statement-code.R),
# as a command line (explore-command.R), as a brief (brief-save.R) - is a grammar:
#
#   value(name, one, value, verb)   an argument, its field being `one`
#   step(verb, said, step)          a step of a ledger or of a statement, its arguments said
#   made(record, said, calendar, steps)   how a ledger was made
#   asked(verb, said, steps, record)   a statement, or a comparison
#   files    what needs tables to be files, in words; NULL where a name will do
#
# What a grammar cannot say is refused here.

walk_fields <- function(verb, args, grammar) {
  fields <- fields_of(verb)
  names(fields)[names(fields) == "..."] <- dots_name(verb)
  refuse_by_hand(args, grammar)
  lapply(stats::setNames(nm = names(args)), function(name) {
    grammar$value(name, fields[[name]] %||% field("other", ""), args[[name]], verb)
  })
}

refuse_by_hand <- function(args, grammar) {
  for (value in if (!is.null(grammar$files)) args) {
    if (!is.list(value) || is.null(value$by_hand)) next
    refuse("choice", sprintf("The table `%s` was given by hand; %s needs a file.", value$by_hand,
                             grammar$files), call = NULL)
  }
}

walk_step <- function(step, grammar) {
  args <- step[names(step) != "verb"]
  refuse_by_hand(args, grammar)
  grammar$step(step$verb, function(leave = character()) {
    walk_fields(step$verb, args[setdiff(names(args), leave)], grammar)
  }, step)
}

walk_ledger <- function(record, grammar) {
  own <- record[setdiff(names(record), c("data", "file", "calendar", "steps"))]
  calendar <- if (length(record$calendar) > 0)
    walk_fields("ledger_calendar", record$calendar, grammar)
  grammar$made(record, walk_fields("ledger", own, grammar), calendar,
               lapply(record$steps, walk_step, grammar = grammar))
}

# What a question asks of a ledger: list(statement, steps), or list(show) of a comparison.
walk_asked <- function(asked, grammar) {
  show <- if (length(asked$show) > 0) asked$show[[1]]
  if (isTRUE(show$show %in% verbs_of("ledger"))) {
    return(grammar$asked(show$show, walk_fields(show$show, show[names(show) != "show"], grammar),
                         NULL, show))
  }
  record <- asked[["statement"]]
  grammar$asked("statement", walk_fields("statement", record, grammar),
                lapply(asked$steps, walk_step, grammar = grammar), record)
}
