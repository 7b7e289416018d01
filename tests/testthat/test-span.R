days_of <- function(span, calendar = april, ...) {
  x <- ledger(data.frame(day = seq(as.Date("2024-01-01"), as.Date("2026-09-17"), by = 1)),
              on = "day", calendar = calendar, ...)
  s <- statement(x, span = span)
  paste(s$from, s$to)
}

test_that("points and ranges mean these days", {
  expect_identical(days_of("all"), "2024-01-01 2026-09-17")
  expect_identical(days_of("2025"), "2025-01-01 2025-12-31")
  expect_identical(days_of("2024-02"), "2024-02-01 2024-02-29")
  expect_identical(days_of(" 2025-08-31 "), "2025-08-31 2025-08-31")
  expect_identical(days_of("2026-w35"), "2026-08-24 2026-08-30")
  expect_identical(days_of("2025-Q4"), "2025-10-01 2025-12-31")
  expect_identical(days_of("FY2026"), "2025-04-01 2026-03-31")
  expect_identical(days_of("fy2026-q4"), "2026-01-01 2026-03-31")
  expect_identical(days_of("FY2026-M10"), "2026-01-01 2026-01-31")
  expect_identical(days_of("FY2025", ledger_calendar("October", "start")), "2025-10-01 2026-09-17")
  expect_identical(days_of("2025-W01/2025-02"), "2024-12-30 2025-02-28")
  expect_identical(days_of("2026-06/.."), "2026-06-01 2026-09-17")
  expect_identical(days_of("../2024-01"), "2024-01-01 2024-01-31")
})

test_that("every label of every grain, asked for as a span, is that period", {
  for (calendar in list(april, ledger_calendar("October", "start", "Sunday"), ledger_calendar())) {
    x <- ledger(data.frame(day = seq(as.Date("2024-01-01"), as.Date("2026-09-17"), by = 1)),
                on = "day", calendar = calendar)
    for (grain in c("day", "week", "month", "quarter", "year", "fiscal month", "fiscal quarter",
                    "fiscal year")) {
      periods <- statement(x, per = grain)
      for (i in unique(c(1, sample(nrow(periods), min(8, nrow(periods))), nrow(periods)))) {
        again <- statement(x, span = periods$period[i])
        expect_identical(c(again$from, again$to), c(periods$from[i], periods$to[i]),
                         info = periods$period[i])
      }
    }
  }
})

test_that("the as-of day ends every span, and complete says so", {
  x <- few_ledger()
  expect_identical(statement(x, span = "2026-04")$to, as.Date("2026-04-10"))
  expect_false(statement(x, span = "2026-04")$complete)
  expect_true(statement(x, span = "2026-03")$complete)
  expect_identical(statement(x, as_of = "2026-02-10")$to, as.Date("2026-02-10"))
})

test_that("what is not understood is refused at the word, what is empty with the ledger's days", {
  x <- few_ledger()
  for (bad in c("lately", "2026-13", "2026-Q5", "2026-02-30", "2025-W53", "FY2027-M13", "2026//",
                "2026/2027/2028", "../..", "0000", "")) {
    expect_error(statement(x, span = bad), class = "rollingledger_error_span", info = bad)
  }
  expect_error(statement(x, span = "lately"), "not understood at \"lately\"")
  expect_error(statement(x, span = "2025-W53"), "last week of 2025 is W52")
  expect_error(statement(x, span = "2026-03/2026-01"), "ends before it starts")
  expect_refused(statement(x, span = "2019"), "runs from 30 Jan 2026 to 10 Apr 2026", "span")
  # Within the ledger's days it is zero, and said.
  empty <- statement(x, span = "2026-02-10/2026-02-20", income = total(fare))
  expect_identical(empty$income, 0)
  expect_match(format(empty), "There are no entries in 10 to 20 Feb 2026", all = FALSE)
  all <- statement(x, by = "route", span = "2026-02-10/2026-02-20", list_all = TRUE,
                   income = total(fare))
  expect_identical(all$income, numeric(nrow(all)))
  expect_gt(nrow(all), 1)
  expect_error(statement(x, span = c("2026", "2025")), "must be one text")
  expect_error(statement(x, span = NA_character_), class = "rollingledger_error_span")
})

test_that("spans print their days, those that recur below their phrase", {
  expect_snapshot(
    span(c("MTD", now = "MTD, 1 year back", "YTD", again = "MTD", "all", "../2025", "this month"),
         april, as_of = "2026-09-17"))
  expect_snapshot(
    span(c("last month", "every Q3", winter = "every 12-01/02-29"), april, as_of = "2026-09-17",
         first = "2024-01-01"))
  expect_snapshot(span("2020-W53, 1 year back", as_of = "2026-09-17"))
  expect_identical(span("this month", april, as_of = "2026-09-17")$working_days, 22L)
})

test_that("what is wrong with a phrase is said at the word", {
  refusal <- function(phrase) tryCatch(span(phrase, april, as_of = "2026-09-17"),
                                       rollingledger_error_span = conditionMessage)
  expect_snapshot(
    for (phrase in c("lsat 3 months", "last 3 mnths", "2026-8", "FY27", "31/08/2026",
                     "previous month", "every month", "last 0 days",
                     "month to date,", "MTD, MTD", "every Q5", "every Q3, every year",
                     "all, 1 year back", "last quarter, 1 month back",
                     "last week, 1 month back", "2027/..", "last 9999 years",
                     "last month, 1 yr bakc", "../..", "")) writeLines(c("", refusal(phrase))))
})
