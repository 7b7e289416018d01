# Fiscal years of weeks and of tables, against rules worked out day by day in base R.

# The last given weekday (1 = Monday) in a month, or the one nearest to its last day.
end_by_rule <- function(year, month, weekday, rule) {
  month_end <- seq(as.Date(sprintf("%04d-%02d-01", year, month)), by = "month", length.out = 2)[2] -
    1
  near <- month_end + if (rule == "last") -6:0 else -3:3
  near[as.integer(format(near, "%u")) == weekday]
}

fiscal_year_lengths <- function(calendar, years) {
  s <- span(paste0("FY", years), calendar, as_of = "2050-01-01")
  stats::setNames(s$days, years)
}

test_that(
  paste0("years of 53 weeks that end on the last Saturday of January, or the nearest to 31 ",
         "January, 2000 to 2040"), {
  years <- 2000:2040
  stated <- list(last = c(2004, 2009, 2015, 2021, 2026, 2032, 2037),
                 nearest = c(2001, 2007, 2013, 2018, 2024, 2029, 2035))
  for (rule in names(stated)) {
    by_hand <- vapply(years,
                      function(year) as.integer(
                        end_by_rule(year, 1, 6, rule) - end_by_rule(year - 1, 1, 6, rule)), 0L)
    expect_identical(years[by_hand == 371], as.integer(stated[[rule]]), info = rule)
    calendar <- ledger_calendar(fiscal_start = "February", pattern = "4-5-4",
                                year_end = paste(rule, "Saturday"))
    expect_identical(unname(fiscal_year_lengths(calendar, years)), by_hand, info = rule)
  }
  # Years named by their start, as trade calendars publish them: 2006, 2012, 2017 and 2023 had 53
  # weeks.
  trade <- ledger_calendar(fiscal_start = "February", fiscal_label = "start", pattern = "4-5-4",
                           year_end = "nearest Saturday")
  expect_identical(names(which(fiscal_year_lengths(trade, 2001:2028) == 371)),
                   c("2006", "2012", "2017", "2023", "2028"))
  published <- span(c("FY2023", "FY2024"), trade, as_of = "2030-01-01")
  expect_identical(paste(published$from, published$to),
                   c("2023-01-29 2024-02-03", "2024-02-04 2025-02-01"))
})

test_that("fiscal years that start on the Monday nearest 1 July, or on 1 October", {
  july <- ledger_calendar(fiscal_start = "July", pattern = "4-4-5", year_end = "nearest Sunday")
  spans <- span(paste0("FY", 1990:2060), july, as_of = "2070-01-01")
  first <- as.Date(sprintf("%d-07-01", 1989:2059))
  near <- lapply(first, function(day) (day + -3:3)[format(day + -3:3, "%u") == "1"])
  expect_identical(spans$from, do.call(c, near))
  expect_identical(spans$from[-1], spans$to[-71] + 1)
  october <- ledger_calendar(fiscal_start = "October")
  expect_identical(format(span("FY2024", october, as_of = "2025-01-01")),
                   "FY2024 = 1 Oct 2023 to 30 Sep 2024 (366 days), as of 1 Jan 2025")
})

test_that("months follow the pattern, and the 53rd week goes where it was said to", {
  for (pattern in c("4-4-5", "4-5-4", "5-4-4")) for (month in c(1, 6, 12)) {
    calendar <- ledger_calendar(fiscal_start = "February", pattern = pattern,
                                year_end = "last Saturday", week_53 = month)
    weeks <- function(year) {
      span(sprintf("FY%d-M%02d", year, 1:12), calendar, as_of = "2050-01-01")$days / 7
    }
    plain <- rep(as.numeric(strsplit(pattern, "-")[[1]]), 4)
    expect_identical(weeks(2025), plain)
    expect_identical(weeks(2026), plain + (1:12 == month))
    expect_identical(span("FY2026-W53", calendar, as_of = "2050-01-01")$to,
                     span("FY2026", calendar, as_of = "2050-01-01")$to)
    expect_refused(span("FY2025-W53", calendar), "last week of FY2025 is W52", "span")
  }
})

test_that(
  paste0("a statement by fiscal month follows the pattern; running totals start again with the ",
         "year of weeks"), {
  calendar <- ledger_calendar(fiscal_start = "April", pattern = "4-4-5", year_end = "last Sunday")
  x <- ledger(demo_fares, on = c(sailed = "sailed_on"), calendar = calendar)
  s <- statement(x, per = "fiscal month", income = total(fare)) |>
    add_running(income, since = "fiscal year")
  ends <- do.call(c, lapply(2022:2026, end_by_rule, month = 3, weekday = 7, rule = "last"))
  year <- findInterval(as.Date(demo_fares$sailed_on), ends + 1)
  # At a year's end the running figure is the sum of the year's entries.
  for (k in 2:4) {
    last <- which(s$to == ends[k + 1])
    if (length(last) == 1)
      expect_equal(s$income_running[last], sum(demo_fares$fare[year == k]), tolerance = 1e-12)
  }
  expect_true(all(as.integer(s$to - s$from + 1)[s$complete] %in% c(28, 35, 42)))
  expect_identical(sum(s$income), sum(statement(x, per = "day", income = total(fare))$income))
})

# A table of thirteen periods of four weeks, and one that is a week longer.
thirteen <- function() {
  days <- c(rep(28, 12), 35, rep(28, 13))
  to <- as.Date("2024-12-29") + cumsum(days)
  data.frame(from = to - days + 1, to = to,
             label = sprintf("P%02d %d", rep(1:13, 2), rep(2025:2026, each = 13)),
             year = rep(c("FY2025", "FY2026"), each = 13), stringsAsFactors = FALSE)
}

test_that("a table of periods is a calendar of its own", {
  calendar <- ledger_calendar(periods = thirteen())
  days <- function(phrase) {
    s <- span(phrase, calendar, as_of = "2026-09-17")
    paste(s$from, s$to)
  }
  expect_identical(days("P02 2026"), "2026-02-02 2026-03-01")
  expect_identical(days("p02 2026/P03 2026"), "2026-02-02 2026-03-29")
  expect_identical(days("this fiscal month"), "2026-09-14 2026-10-11")
  expect_identical(days("last 2 fiscal months, 1 fiscal year back"), "2025-07-14 2025-09-07")
  expect_identical(days("fiscal month to date, 1 fiscal year back"), days("2025-09-08/2025-09-11"))
  expect_identical(days("FYTD"), "2026-01-05 2026-09-17")
  expect_identical(days("every fiscal M13"), "2025-12-01 2026-01-04")
  expect_identical(days("FY2026-W02"), "2026-01-12 2026-01-18")
  x <- ledger(demo_fares[demo_fares$sailed_on >= "2025-01-01", ], on = c(sailed = "sailed_on"),
              calendar = calendar)
  s <- statement(x, per = "fiscal month", span = "FY2025/..", income = total(fare))
  expect_identical(s$period, thirteen()$label[1:23])
  expect_identical(sum(s$complete), 21L)
  expect_refused(statement(x, per = "fiscal quarter"), "does not say which quarter", "calendar")
  expect_refused(span("this fiscal month", calendar, as_of = "2031-01-01"),
                 "runs from 30 Dec 2024 to 3 Jan 2027", "calendar")
  expect_refused(span("FY2025-M01", calendar, as_of = "2026-01-01"),
                 "labelled P01 2025 to P13 2026", "span")
})

test_that("tables with gaps, overlaps or unclear labels are refused at the row", {
  refused <- function(message, change) {
    expect_error(ledger_calendar(periods = change(thirteen())), message,
                 class = "rollingledger_error_calendar")
  }
  refused("1 day is missing between row 5 of `periods` \\(\"P05 2025\", 22 Apr to 18 May 2025\\)",
          function(t) { t$from[5] <- t$from[5] + 1; t })
  refused("Row 4 of `periods` .* overlaps the row before it, which ends on 24 Mar 2025",
          function(t) { t$to[3] <- t$to[3] + 1; t })
  refused("Row 3 .* ends before it starts", function(t) { t$to[3] <- t$from[3] - 1; t })
  refused("\"p01 2025\" stands twice in `periods`, again in row 14",
          function(t) { t$label[14] <- "p01 2025"; t })
  refused("Row 2 of `periods` has no day in `from`", function(t) { t$from[2] <- NA; t })
  refused("Row 2 of `periods` has no text in `label`", function(t) { t$label[2] <- NA; t })
  for (label in c("2026-03", "March 2026", "2026", "2026-W04", "first", "P1, 2026")) {
    refused("cannot be the label of a fiscal period", function(t) { t$label[2] <- label; t })
  }
  refused("Row 14 .* starts again after another one",
          function(t) { t$year[13] <- "FY2024"; t$year[14] <- "FY2025"; t })
  refused("must be a data frame with the columns", function(t) t[c("from", "to")])
})

test_that("options that exclude each other or are missing are refused", {
  expect_refused(ledger_calendar(pattern = "4-4-5"), "`year_end` is missing", "choice")
  expect_refused(ledger_calendar(year_end = "last Friday"), "Give `pattern` too", "choice")
  expect_refused(ledger_calendar(pattern = "5-5-5", year_end = "last Friday"),
                 "must be one of", "choice")
  expect_refused(ledger_calendar(pattern = "4-4-5", year_end = "Friday"),
                 "\"last\" or \"nearest\" and a weekday", "choice")
  expect_refused(ledger_calendar(pattern = "4-4-5", year_end = "last Firday"),
                 "Did you mean `Friday`", "choice")
  expect_refused(ledger_calendar(pattern = "4-4-5", year_end = "last Friday", week_53 = 13),
                 "1 to 12", "choice")
  expect_refused(ledger_calendar("April", periods = thirteen()), "`periods` says all", "choice")
})
