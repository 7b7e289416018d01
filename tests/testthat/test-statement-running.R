test_that("running totals equal the slow reference from each start, for every grain", {
  units <- c("fiscal year", "year", "fiscal quarter", "quarter", "fiscal month", "month", "week")
  for (seed in 101:125) {
    table <- random_fares(seed)
    start <- sample(12, 1)
    first_weekday <- sample(7, 1)
    x <- ledger(table, on = "sailed_on",
                calendar = ledger_calendar(fiscal_start = start, week_start = first_weekday),
                as_of = max(table$sailed_on))
    since <- sample(units, 1)
    by <- list(NULL, "route")[[sample(2, 1)]]
    s <- statement(x, per = sample(c("day", "week", "month", "quarter"), 1), by = by,
                   total = total(fare), entries = entries(), average = average(fare))
    s <- add_running(add_running(add_running(s, total, since), entries, since), "average", since)
    from <- reference_starts(s$to, since, start, first_weekday)
    expected <- reference_rows(s, table, by = by %||% character(), from = from)
    for (figure in colnames(expected)) {
      expect_equal(s[[paste0(figure, "_running")]], unname(expected[, figure]),
                   info = paste(seed, since, figure), tolerance = 1e-9)
    }
  }
})

test_that(
  paste0("a running total at the end of a fiscal year is the year's total, and reaches back ",
         "before the span"), {
  x <- demo_ledger()
  whole <- statement(x, per = "fiscal year", income = total(fare))
  monthly <- add_running(statement(x, per = "month", income = total(fare)), income,
                         since = "fiscal year")
  at <- match(whole$to, monthly$to)
  expect_identical(monthly$income_running[at], whole$income)
  late <- add_running(statement(x, per = "month", span = "2026-06/2026-08", income = total(fare)),
                      income, since = "fiscal year")
  expect_identical(late$income_running, monthly$income_running[match(late$period, monthly$period)])
})

test_that("a window that ends on a day is the same in a daily and a monthly statement", {
  x <- demo_ledger()
  for (since in c("start", "fiscal year", "quarter", "month", "week")) {
    daily <- add_running(statement(x, per = "day", span = "2026", income = total(fare)), income,
                         since = since)
    monthly <- add_running(statement(x, per = "month", span = "2026", income = total(fare)), income,
                           since = since)
    expect_identical(monthly$income_running, daily$income_running[match(monthly$to, daily$to)],
                     info = since)
  }
})

test_that("running totals follow rows that were cut or put in another order", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare))
  full <- add_running(s, income, since = "year")
  cut <- add_running(s[s$route == "Tern Head", ][9:1, ], income, since = "year")
  expect_identical(cut$income_running, rev(full$income_running[full$route == "Tern Head"]))
})

test_that("a running ratio is the ratio of the running sums", {
  s <- statement(few_ledger(), per = "month", income = total(fare), trips = entries(),
                 yield = income / trips)
  s <- add_running(add_running(add_running(s, yield), income), trips)
  expect_equal(s$yield_running, s$income_running / s$trips_running)
  expect_equal(s$income_running, cumsum(s$income))
})

test_that("names, units and refusals", {
  s <- statement(few_ledger(units = c(fare = "EUR")), per = "month", income = total(fare))
  s <- add_running(s, income)
  expect_identical(attr(s, "columns")$income_running$unit, "EUR")
  expect_refused(add_running(s, income), "`income_running` is taken", "measure")
  expect_named(add_running(s, "income", name = "so_far"), c(names(s), "so_far"))
  expect_refused(add_running(s, incme), "Did you mean `income`", "measure")
  expect_refused(add_running(s, income_running), "has no measure", "measure")
  expect_refused(add_running(s, income + 1), "must be the name of one measure", "measure")
  expect_refused(add_running(s, income, since = "decade"), "`since` must be one of", "choice")
  expect_error(add_running(s, income, name = 5), class = "rollingledger_error_choice")
  expect_refused(add_running(as.data.frame(few_fares()), income), "must be a statement", "choice")
  lost <- s
  lost$to <- NULL
  expect_refused(add_running(lost, income, name = "a"), "lost its column `to`", "statement")
  by <- statement(few_ledger(), by = "route", n = entries())
  by$route[2] <- "Nowhere"
  expect_refused(add_running(by, n), "Row 2 is not a row of the statement", "statement")
})
