all_grains <- c("day", "week", "month", "quarter", "year", "fiscal week", "fiscal month",
                "fiscal quarter", "fiscal year")

test_that("weeks of every day of 1970 to 2100 are those of ISO 8601 in base R", {
  days <- seq(as.Date("1970-01-01"), as.Date("2100-12-31"), by = 1)
  x <- ledger(data.frame(day = days), on = "day", as_of = "2100-12-31")
  s <- statement(x, per = "week")
  per_day <- rep(s$period, as.integer(s$to - s$from) + 1L)
  expect_identical(per_day, format(days, "%G-W%V"))
  expect_true(all(s$complete[-c(1, nrow(s))]))
})

test_that("labels of all grains", {
  x <- ledger(data.frame(day = as.Date("2026-09-17")), on = "day", calendar = april)
  labels <- vapply(all_grains, function(grain) statement(x, per = grain)$period, "")
  expect_identical(unname(labels),
                   c("2026-09-17", "2026-W38", "2026-09", "2026-Q3", "2026", "FY2027-W25",
                     "FY2027-M06", "FY2027-Q2", "FY2027"))
  start <- ledger(data.frame(day = as.Date("2026-09-17")), on = "day",
                  calendar = ledger_calendar(fiscal_start = 10, fiscal_label = "start",
                                             week_start = "Sun"))
  expect_identical(statement(start, per = "fiscal year")$period, "FY2025")
  expect_identical(statement(start, per = "fiscal month")$period, "FY2025-M12")
})

test_that("period starts equal the last start up to each day, for any calendar", {
  days <- seq(as.Date("2023-12-20"), as.Date("2025-01-12"), by = 1)
  for (fiscal_start in c(1, 4, 10)) for (week_start in c(1, 7)) for (grain in all_grains) {
    calendar <- ledger_calendar(fiscal_start = fiscal_start, week_start = week_start)
    x <- ledger(data.frame(day = days), on = "day", calendar = calendar)
    s <- statement(x, per = grain)
    expected <- reference_starts(days, grain, fiscal_start, week_start)
    expect_identical(s$from[-1], sort(unique(expected))[-1], info = grain)
  }
})

test_that("known years of 53 weeks", {
  # By ISO 8601 these years start on a Thursday, or are leap years that start on a Wednesday.
  for (year in c(1970, 1976, 1981, 1987, 1992, 1998, 2004, 2009, 2015, 2020, 2026, 2032, 2037)) {
    expect_identical(span(sprintf("%d-W53", year))$days, 7L)
    expect_refused(span(sprintf("%d-W53", year + 1)), "W52", "span")
  }
})

test_that("years 1 and 9999 are in reach", {
  x <- ledger(data.frame(day = as.Date(c("0001-01-01", "9999-12-31")), fare = 1), on = "day",
              as_of = "9999-12-31")
  s <- statement(x, per = "year", income = total(fare))
  expect_identical(s$period[c(1, nrow(s))], c("0001", "9999"))
  expect_identical(sum(s$income), 2)
})

test_that("calendars print and refuse what they do not know", {
  expect_snapshot(ledger_calendar(fiscal_start = "apr", week_start = "Sunday"))
  expect_snapshot(
    ledger_calendar("Feb", pattern = "4-5-4", year_end = "last Saturday", holidays = "2026-12-25",
                    weeks = "january"))
  expect_snapshot(
    ledger_calendar("Jan", pattern = "4-4-5", year_end = "nearest Fri", week_53 = 3,
                    workdays = c("Sun", "Mon", "Wed")))
  expect_snapshot(
    ledger_calendar(
      periods = data.frame(from = "2026-01-01", to = "2026-02-09", label = "P1", year = "FY2026")))
  expect_refused(ledger_calendar(fiscal_start = "Aprli"), "Did you mean `April`", "choice")
  expect_error(ledger_calendar(fiscal_start = 13), class = "rollingledger_error_choice")
  expect_refused(ledger_calendar(fiscal_label = "middle"),
                 "`fiscal_label` must be one of", "choice")
  expect_error(ledger_calendar(week_start = NA), class = "rollingledger_error_choice")
})
