# The slow and obvious way, which looks at every entry for every row: the engine of tests/oracle.
oracle <- new.env()
for (file in c("calendar", "engine"))
  sys.source(test_path("..", "oracle", paste0(file, ".R")), oracle)

# First day of the period that holds each day.
reference_starts <- function(days, grain, fiscal_start = 1, week_start = 1) {
  rules <- list(fiscal_start = fiscal_start, fiscal_label = "end", week_start = week_start)
  calendar <- oracle$make_calendar(rules, as.integer(min(days)) - 370L, as.integer(max(days)))
  grain <- sub("fiscal week", "week", grain, fixed = TRUE)
  as.Date(oracle$period_with(calendar, grain, as.integer(days))$from, origin = "1970-01-01")
}

few_measures <- rlang::exprs(total = total(fare), entries = entries(), average = average(fare))

every_measure <- rlang::exprs(
  income = total(fare), trips = entries(), mean_fare = average(fare), riders = distinct(account),
  low = smallest(fare),
  high = largest(fare), mid = middle(fare), reading = balance(fare),
  readings = balance(fare, each = account), open = active(),
  open_short = active(last_day = FALSE), new = newcomers(account), old = returning(account),
  lost = lapsed(account),
  web = distinct(account, where = channel == "web"), per_rider = income / riders
)

# A measure as the engine reads it; names among `measures` are those measures.
engine_measure <- function(expr, measures) {
  if (is.symbol(expr)) return(engine_measure(measures[[as.character(expr)]], measures))
  args <- as.list(expr)[-1]
  if (identical(expr[[1]], quote(`/`)))
    return(list(fun = "ratio", a = engine_measure(args[[1]], measures),
                b = engine_measure(args[[2]], measures)))
  list(fun = as.character(expr[[1]]), column = if (is.symbol(args[1][[1]])) as.character(args[[1]]),
       each = if (!is.null(args$each)) as.character(args$each),
       last_day = args$last_day %||% TRUE,
       where = if (!is.null(args$where)) function(e) eval(args$where, e) %in% TRUE)
}

# The measures of each row of a statement, from the rows' own days and members: a matrix. "(all)"
# stands for every member; `before` is the first day of the period before.
reference_rows <- function(s, table, basis = "sailed_on", by = character(), from = s$from,
                           to = s$to, before = rep(NA, nrow(s)), measures = few_measures) {
  made <- oracle$make_entries(table, c(day = basis), if ("until_on" %in% names(table)) "until_on",
                              Inf)
  entries <- made$entries
  book <- list(entries = entries, on = "day", ledger_as_of = Inf, first = min(entries$.day_day),
               where = function(e) rep(TRUE, nrow(e)))
  asked <- lapply(measures, engine_measure, measures = measures)
  t(vapply(seq_len(nrow(s)), function(i) {
    held <- rep(TRUE, nrow(entries))
    for (name in by) if (!s[[name]][i] %in% "(all)") held <- held &
      as.character(entries[[name]]) %in% as.character(s[[name]][i])
    vapply(asked, oracle$measure_of, 0, book = book, held = held, from = as.integer(from[i]),
           to = as.integer(to[i]), before = as.integer(before[i]))
  }, numeric(length(measures))))
}
