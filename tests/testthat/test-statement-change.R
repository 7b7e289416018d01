# The slow way: the entries of given days, group by group.
slow_totals <- function(s, table, from, to, by = "route") {
  shifted <- s
  shifted$to <- to
  unname(reference_rows(shifted, table, by = by, from = rep_len(from, nrow(s)))[, "total"])
}

a_year_before <- function(days) {
  out <- as.POSIXlt(days)
  leap_day <- format(days, "%m-%d") == "02-29"
  out$year <- out$year - 1L
  as.Date(out) - leap_day
}

test_that("whole periods against whole ones, a part against the same part", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "latest 20 months", income = total(fare)) |>
    add_change(income, "1 year back")
  whole <- s$complete
  # To a month's end stands against the month's end, also of a February that has a day more.
  to <- a_year_before(s$to)
  to[whole] <- as.Date(
    vapply(s$from[whole],
           function(day) as.integer(seq(a_year_before(day), by = "month", length.out = 2)[2] - 1),
           0L), "1970-01-01")
  expect_equal(s$income_before, slow_totals(s, demo_fares, a_year_before(s$from), to),
               tolerance = 1e-12)
  expect_identical(s$income_change, round(s$income - s$income_before, 2))
  expect_equal(s$income_change_pct, 100 * (s$income - s$income_before) / abs(s$income_before))
  before <- statement(x, per = "month", by = "route", span = "latest 20 months",
                      income = total(fare)) |> add_change(income)
  n <- nrow(before)
  shown <- before$complete & seq_len(n) > 6
  expect_identical(before$income_before[shown], before$income[which(shown) - 6])
  last <- before[!before$complete, ]
  expect_equal(last$income_before,
               slow_totals(last, demo_fares, as.Date("2026-08-01"), as.Date("2026-08-17")),
               tolerance = 1e-12)
  cut_whole <- add_change(last, income, align = "whole", name = "against_whole")
  expect_identical(cut_whole$against_whole_before, before$income[which(!before$complete) - 6])
})

test_that("changes by hand, over a leap day and the ends of months", {
  table <- data.frame(
    day = as.Date(
      c("2023-02-28", "2024-02-28", "2024-02-29", "2025-02-10", "2025-03-31", "2025-04-30")),
    fare = c(1, 2, 4, 8, 16, 32))
  x <- ledger(table, on = "day")
  s <- statement(x, per = "month", income = total(fare)) |> add_change(income, "1 year back")
  # the ledger starts inside 2023-02
  expect_identical(s$income_before[s$period %in% c("2024-02", "2025-02", "2025-03")], c(NA, 6, 0))
  expect_identical(s$income_change_pct[s$period == "2025-03"], NA_real_)
  days <- statement(x, per = "day", span = "2024-02-28/2024-02-29", income = total(fare)) |>
    add_change(income, "1 year back")
  expect_identical(days$income_before, c(1, 1))
  expect_match(format(s, width = 300), "income_change: missing for 2023-02, 2023-03, 2023-04",
               all = FALSE)
})

test_that("weeks go back a year to the same number, or by weekdays", {
  x <- demo_ledger()
  s <- statement(x, per = "week", span = "latest 60 weeks", trips = entries()) |>
    add_change(trips, "1 year back")
  every <- statement(x, per = "week", trips = entries())
  earlier <- sprintf("%d%s", as.integer(substr(s$period, 1, 4)) - 1L, substr(s$period, 5, 8))
  expect_identical(s$trips_before[s$complete],
                   every$trips[match(earlier[s$complete], every$period)])
  expect_identical(s$trips_before[!s$complete],
                   sum(demo_fares$sailed_on >= "2025-09-15" &
                       demo_fares$sailed_on <= "2025-09-18") + 0)
  d <- statement(x, per = "day", span = "latest 30 days", trips = entries()) |>
    add_change(trips, "1 year back", align = "weekday")
  daily <- table(factor(as.character(demo_fares$sailed_on), as.character(d$from - 364)))
  expect_identical(d$trips_before, as.double(daily))
  expect_refused(add_change(d, trips, "1 month back", align = "weekday", name = "w"),
                 "goes with years back", "choice")
})

test_that("spans go back by their own phrase, groups by their own days", {
  x <- demo_ledger()
  phrases <- c("month to date", "last 3 weeks", "this quarter", winter = "every 12-01/01-31",
               "trailing 30 days", "2026-W10/2026-03")
  s <- statement(x, by = "channel", spans = phrases, income = total(fare)) |>
    add_change(income, "1 year back")
  for (label in setdiff(unique(s$period),
                        c("this quarter", grep("winter", s$period, value = TRUE)))) {
    own <- span(paste0(label, ", 1 year back"), x)
    rows <- s$period == label
    expect_equal(s$income_before[rows],
                 slow_totals(s[rows, ], demo_fares, own$from, own$to, by = "channel"),
                 tolerance = 1e-12, info = label)
  }
  part <- s[s$period == "this quarter", ]
  expect_equal(part$income_before,
               slow_totals(part, demo_fares, as.Date("2025-07-01"), as.Date("2025-09-17"),
                           by = "channel"), tolerance = 1e-12)
  winters <- s[grepl("^winter", s$period), ]
  expect_identical(is.na(winters$income_before), rep(c(TRUE, TRUE, FALSE, FALSE), c(4, 4, 4, 4)))
  table <- data.frame(day = as.Date("2026-01-01") + c(0:99, 0:39),
                      route = rep(c("a", "b"), c(100, 40)), fare = 1)
  own <- statement(ledger(table, on = "day"), by = "route", span = "trailing 10 days",
                   anchor = "group", income = total(fare)) |> add_change(income, "10 days back")
  expect_identical(own$income_before, c(10, 10))
  expect_identical(own$income_change, c(0, 0))
})

test_that("any single span can be the base, and nothing else passes", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "latest 2 months", income = total(fare))
  base <- statement(x, by = "route", span = "2025-12", income = total(fare))
  expect_identical(add_change(s, income, "2025-12")$income_before, rep(base$income, 2))
  same <- statement(x, by = "route", span = "2025-12", income = total(fare)) |>
    add_change(income, "2025-12")
  expect_true(all(same$income_change == 0 & same$income_change_pct == 0))
  expect_refused(add_change(s, income, "every Q3"), "means 4 spans", "span")
  expect_refused(add_change(base, income), "needs periods", "span")
  expect_refused(add_change(s, income, "1 yer back"), "not understood", "span")
  expect_refused(add_change(s, income, 3), "must be one text", "span")
  expect_refused(add_change(add_change(s, income), income, "1 year back"),
                 "`income_before` is taken", "measure")
  quarters <- statement(x, per = "quarter", income = total(fare))
  expect_refused(add_change(quarters, income, "1 month back"), "cannot go back 1 month", "span")
})

test_that("fiscal periods of weeks go back to the same period of the year before", {
  x <- ledger(demo_fares, on = c(sailed = "sailed_on"),
              calendar = ledger_calendar("April", pattern = "4-4-5", year_end = "last Sunday"))
  s <- statement(x, per = "fiscal month", income = total(fare)) |>
    add_change(income, "1 fiscal year back")
  at <- match(sprintf("FY%d%s", as.integer(substr(s$period, 3, 6)) - 1L, substr(s$period, 7, 10)),
              s$period)
  compared <- s$complete & !is.na(s$income_before)
  expect_gt(sum(compared), 24)
  expect_identical(s$income_before[compared], s$income[at[compared]])
  last <- nrow(s)
  days <- span(
    c("this fiscal month, 1 fiscal year back", "fiscal month to date, 1 fiscal year back"), x)
  expect_equal(s$income_before[last],
               sum(demo_fares$fare[demo_fares$sailed_on >= days$from[1] &
                                   demo_fares$sailed_on <= days$to[2]]), tolerance = 1e-12)
})

test_that("what is compared has as many days, and a total those of its rows", {
  # every day 1, to 17 September 2026, a Thursday
  x <- ledger(data.frame(day = as.Date("2024-01-01") + 0:990, fare = 1), on = "day")
  changed <- function(..., align = "to date") suppressMessages(
    statement(x, ..., income = total(fare)) |>
    add_change(income, from = "1 year back", align = align))
  expect_identical(changed(span = "this week")$income_before, 4)
  expect_identical(changed(span = "2026-W36/2026-W40")$income_change, 0)
  for (align in c("to date", "whole", "weekday")) {
    for (per in c("week", "month", "day", "fiscal quarter")) {
      s <- changed(per = per, span = "2026-07-06/..", totals = "period", align = align)
      own <- s$period != "(all)"
      # Days that two rows are compared with count once.
      if (align == "weekday" || per != "day")
        expect_equal(sum(s$income_before[own]), s$income_before[!own], info = paste(align, per))
    }
  }
})

test_that("nothing reaches past the as-of day", {
  x <- ledger(data.frame(day = as.Date("2026-07-01") + 0:91, fare = 1), on = "day")
  s <- statement(x, per = "month", span = "2026", as_of = "2026-08-15", income = total(fare)) |>
    add_change(income, from = "2026-08")
  expect_identical(s$income_before, c(15, 15))
  expect_match(format(s, width = 200), "2026-08 counts up to the as-of day, 1 to 15 Aug 2026",
               all = FALSE)
  expect_refused(statement(x, per = "month", as_of = "2026-08-15", income = total(fare)) |>
                 add_change(income, from = "2026-09"), "after the as-of day", "span")
})

test_that("an open span is compared with what was open further back", {
  table <- data.frame(day = as.Date(c("2024-03-01", "2024-08-01", "2025-03-01", "2025-08-01")),
                      fare = c(1, 2, 4, 8))
  x <- ledger(table, on = "day")
  s <- statement(x, span = "../2025-06", a = total(fare)) |> add_change(a, from = "1 year back")
  expect_identical(c(s$a, s$a_before, s$a_change), c(7, 1, 6))
  s <- statement(x, span = "../2024-06", a = total(fare)) |> add_change(a, from = "1 year back")
  expect_identical(c(s$a, s$a_before), c(1, NA))
})
