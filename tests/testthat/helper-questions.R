# Random statements with verbs, cuts and reorderings, for properties that must hold of any.

# Members that are easily mistaken: texts like marks and numbers, missing ones, numbers, days,
# flags.
odd_members <- function(kind, n) {
  pick <- function(x) x[sample.int(length(x), n, TRUE)]
  switch(kind,
    text = pick(c("Gull Rock", "Oysterby", NA)),
         odd = pick(c("", "NA", NA, "(all)", "(missing)", "(empty)")),
    numbers = pick(c(1, 100000, NA, -2.5)), digits = pick(c("1", "100000", "1e+05", NA)),
    days = pick(as.Date(c("1999-12-31", "2024-02-29", NA))), flags = pick(c(TRUE, FALSE, NA)),
    levels = factor(pick(c("low", "high", NA)), levels = c("low", "middle", "high")),
    ordered = factor(pick(c("low", "high")), levels = c("low", "middle", "high"), ordered = TRUE))
}

member_kinds <- c("text", "odd", "numbers", "digits", "days", "flags", "levels", "ordered")

# A ledger of few entries: list(x, table, kind).
random_ledger <- function(seed) {
  table <- random_fares(seed)
  kind <- member_kinds[seed %% length(member_kinds) + 1]
  table$route <- odd_members(kind, nrow(table))
  x <- suppressMessages(
    ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
           calendar = some_fiscal_calendar(seed), units = c(fare = "EUR")))
  list(x = x, table = table, kind = kind)
}

one_of_these <- function(...) list(...)[[sample(...length(), 1)]]

# The arguments of a random statement; NULLs are not given.
random_statement <- function(kind) {
  per <- one_of_these(NULL, "week", "month", "month", "quarter", "fiscal quarter")
  by <- one_of_these(NULL, "route", "route", c("route", "channel"), "channel")
  args <- list(
    per = per, by = by, income = "total(fare)",
    trips = one_of_these(NULL, "entries()", "entries(where = channel == \"web\")"),
    riders = one_of_these(NULL, "distinct(account)", "average(fare)",
                          "largest(fare, where = !(fare > 1e3) & channel %in% c(\"web\", NA))"),
    yield = one_of_these(NULL, "income / entries()", "-(income - 2) * 3"),
    on = one_of_these(NULL, NULL, "booked"), list_all = one_of_these(NULL, TRUE),
    where = one_of_these(NULL, NULL, "channel == \"web\"", "is_missing(route) | fare > -10",
                         "until_on < \"2024-06-01\""),
    partial = one_of_these(NULL, NULL, "drop")
  )
  if (kind == "odd" && "route" %in% by) return(with_spans(args))
  args$totals <- one_of_these(NULL, NULL, if (!is.null(by)) "by", if (!is.null(per)) "period",
                              if (!is.null(by) && !is.null(per)) "both")
  with_spans(args)
}

with_spans <- function(args) {
  if (is.null(args$per) && sample(3, 1) == 1)
    args$spans <- one_of_these(c("this year", before = "this year, 1 year back"),
                               c("this month", "latest 2 weeks"), c(a = "this quarter"))
  else if (isTRUE(args$per %in% c("month", "quarter")) && sample(4, 1) == 1)
    args$span <- c(month = "latest 3 months", quarter = "latest 2 quarters")
  else args$span <- one_of_these(NULL, NULL, "this year", "latest 3 months", "latest 6 weeks",
                                 "../2024-06")
  Filter(Negate(is.null), args)
}

random_verbs <- function(args, n = sample(0:3, 1)) {
  lapply(seq_len(n), function(i) {
    m <- sample(intersect(c("income", "trips"), names(args)), 1)
    name <- paste0("v", i)
    verb <- sample(
      c("running", "rolling", "change", "share", "per_day", "rank",
        if (!is.null(args$per)) "target"), 1)
    if (verb == "rank" && is.null(args$by)) verb <- "share"
    more <- switch(verb,
      running = list(since = one_of_these(NULL, "year", "month", "fiscal year")),
      rolling = list(over = one_of_these(NULL, "2 months", "10 days"),
                     stat = one_of_these(NULL, "largest", "average"),
                     short = one_of_these(NULL, "keep")),
      change = list(from = one_of_these("1 year back", "1 year back", "this year"),
                    align = one_of_these(NULL, "whole")),
      share = list(of = one_of_these(NULL, "span", args$by[1])),
                   per_day = list(days = one_of_these(NULL, "calendar", "used")),
      rank = list(within = one_of_these(NULL, "span"), keep = one_of_these(NULL, 1),
                  ties = one_of_these(NULL, "order", "dense"),
                  first = one_of_these(NULL, "smallest")),
      target = list(targets = one_of_these(10, 2.5), days = one_of_these(NULL, "covered")))
    if (verb == "rank" && !is.null(more$keep) && length(setdiff(args$by, more$within)) == 1)
      more$rest <- one_of_these(NULL, "All the rest")
    list(fun = paste0("add_", verb),
         args = c(list(m), Filter(Negate(is.null), more), if (sample(2, 1) == 1) list(name = name)))
  })
}

taken <- function(s, verb) rlang::exec(getExportedValue("rollingledger", verb$fun), s, !!!verb$args)

# The statement and those of its verbs that fit: list(s, verbs), or NULL where it is refused.
asked_at_random <- function(x, args, verbs) {
  s <- tryCatch(suppressMessages(rlang::exec(statement, x, !!!args)),
                rollingledger_error = function(e) NULL)
  if (is.null(s)) return(NULL)
  fit <- list()
  for (verb in verbs) {
    after <- tryCatch(suppressMessages(taken(s, verb)), rollingledger_error = function(e) NULL)
    if (is.null(after)) next
    s <- after
    fit <- c(fit, list(verb))
  }
  list(s = s, verbs = fit)
}
