test_that("the day-by-day table agrees with base R and with statements", {
  calendar <- ledger_calendar(fiscal_start = "April",
                              holidays = c("Christmas Day" = "2024-12-25", "2024-12-28"))
  t <- calendar_table(calendar, "2024-12-20", "2025-01-10")
  expect_identical(t$day, seq(as.Date("2024-12-20"), as.Date("2025-01-10"), by = 1))
  expect_identical(t$week, format(t$day, "%G-W%V"))
  expect_identical(t$month, format(t$day, "%Y-%m"))
  expect_identical(unique(t$fiscal_quarter), c("FY2025-Q3", "FY2025-Q4"))
  expect_identical(t$holiday[t$day == "2024-12-25"], "Christmas Day")
  expect_identical(t$day[!t$working],
                   as.Date(c("2024-12-21", "2024-12-22", "2024-12-25", "2024-12-28", "2024-12-29",
                             "2025-01-04", "2025-01-05")))
})

test_that("a period knows its number of days and working days, counted one by one", {
  set.seed(9)
  for (round in 1:20) {
    days <- sample(c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"),
                   sample(7, 1))
    first <- as.Date("1965-01-01") + sample(20000, 1)
    last <- first + sample(0:400, 1)
    calendar <- ledger_calendar(
      holidays = as.Date(sample(as.integer(first):as.integer(last), min(9, last - first + 1)),
                         "1970-01-01"), workdays = days)
    by_day <- calendar_table(calendar, first, last)
    for (grain in c("week", "month", "fiscal year")) {
      periods <- calendar_table(calendar, first, last, per = grain)
      label <- by_day[[gsub(" ", "_", grain)]]
      expect_identical(periods$working_days,
                       as.integer(tapply(by_day$working, factor(label, unique(label)), sum)))
      expect_identical(periods$days, as.integer(table(factor(label, unique(label)))))
      expect_identical(periods$period, unique(label))
    }
  }
  feb <- calendar_table(ledger_calendar(), "2024-02-01", "2024-02-29", per = "month")
  expect_identical(c(feb$days, feb$working_days, feb$complete), c(29L, 21L, 1L))
})

test_that("a table without parents leaves their columns out, and what is wrong is refused", {
  periods <- data.frame(from = c("2026-01-01", "2026-02-10"), to = c("2026-02-09", "2026-03-31"),
                        label = c("P1", "P2"))
  t <- calendar_table(ledger_calendar(periods = periods), "2026-02-08", "2026-02-11")
  expect_identical(t$fiscal_month, c("P1", "P1", "P2", "P2"))
  expect_false(any(c("fiscal_quarter", "fiscal_year", "fiscal_week") %in% names(t)))
  expect_refused(calendar_table(ledger_calendar(periods = periods), "2026-03-08", "2026-04-11"),
                 "11 Apr 2026 lies outside", "calendar")
  expect_refused(calendar_table(ledger_calendar(), "2026-03-08", "2026-03-07"),
                 "comes before", "choice")
  expect_refused(calendar_table(ledger_calendar(), "2026-03-08", "later"),
                 "`to` must be a day", "choice")
  expect_refused(ledger_calendar(holidays = "25 December"), "not \"25 December\"", "choice")
  expect_refused(ledger_calendar(workdays = "Mnday"), "Did you mean `Monday`", "choice")
})

test_that("other week rules: week 1 holds 1 January, or is the first whole week", {
  days <- seq(as.Date("1990-01-01"), as.Date("2030-12-31"), by = 1)
  for (weekday in 1:7) {
    first_of <- function(year) as.Date(sprintf("%d-01-01", year))
    week_start <- days - (as.integer(format(days, "%u")) - weekday) %% 7
    january <- calendar_table(ledger_calendar(week_start = weekday, weeks = "january"), days[1],
                              days[length(days)])$week
    # The year that holds the week's last day; weeks are counted from the one that holds 1 January.
    year <- as.integer(format(week_start + 6, "%Y"))
    one <- first_of(year) - (as.integer(format(first_of(year), "%u")) - weekday) %% 7
    expect_identical(january, sprintf("%d-W%02d", year, as.integer(week_start - one) %/% 7L + 1L))
    whole <- calendar_table(ledger_calendar(week_start = weekday, weeks = "whole"), days[1],
                            days[length(days)])$week
    year <- as.integer(format(week_start, "%Y"))
    one <- first_of(year) + (weekday - as.integer(format(first_of(year), "%u"))) %% 7
    expect_identical(whole, sprintf("%d-W%02d", year, as.integer(week_start - one) %/% 7L + 1L))
  }
})
