test_that("targets of months and routes go with their rows, quarters and totals add them up", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "2024", income = total(fare),
                 totals = "both") |> add_target(income, demo_targets)
  plain <- s[!s$route %in% "(all)" & s$period != "(all)", ]
  expect_identical(plain$income_target,
                   demo_targets$target[match(paste(plain$route, plain$period),
                                             paste(demo_targets$route, demo_targets$month))])
  expect_identical(plain$income_over_target, round(plain$income - plain$income_target, 2))
  expect_equal(plain$income_target_pct, 100 * plain$income / plain$income_target)
  year <- demo_targets[substr(demo_targets$month, 1, 4) == "2024", ]
  # One month of one route has none, so nothing that holds it is held against the others alone.
  all <- function(route, period) s$income_target[s$route %in% route & s$period == period]
  expect_identical(all("Gull Rock", "(all)"), sum(year$target[year$route == "Gull Rock"]))
  expect_identical(all("(all)", "2024-03"), sum(year$target[year$month == "2024-03"]))
  expect_identical(c(all("Tern Head", "(all)"), all("(all)", "2024-02"), all("(all)", "(all)")),
                   rep(NA_real_, 3))
  expect_match(format(s, width = 300), "(all) 2024-02 (Tern Head has none)", all = FALSE,
               fixed = TRUE)
  expect_match(format(s, width = 200), "income_target: no target for Tern Head 2024-02",
               all = FALSE)
  quarters <- statement(x, per = "quarter", span = "2024", income = total(fare)) |>
    add_target(income, demo_targets)
  expect_identical(quarters$income_target[2],
                   sum(year$target[year$month %in% c("2024-04", "2024-05", "2024-06")]))
})

test_that("a period that is not over is held against the whole target or its part, and it is said",
          {
  x <- demo_ledger()
  s <- statement(x, per = "month", span = "latest 2 months", income = total(fare)) |>
    add_target(income, 3000) |> add_target(income, 3000, days = "covered", name = "part")
  expect_identical(s$income_target, c(3000, 3000))
  expect_equal(s$part_target, c(3000, 3000 * 17 / 30))
  shown <- format(s, width = 200)
  expect_match(shown, "2026-09 is not over; the target is that of the whole period", all = FALSE)
  expect_match(shown, "the part of it for the days covered", all = FALSE)
  days <- data.frame(day = as.Date("2026-09-01") + 0:29, target = 10)
  expect_identical(
    (statement(x, per = "month", span = "this month", income = total(fare)) |>
     add_target(income, days))$income_target, 300)
})

test_that("tables of targets that cannot be used are refused", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare))
  refused <- function(targets, message) expect_error(
    add_target(s, income, targets), message, class = "rollingledger_error_target")
  refused(data.frame(route = "Oysterby", target = 1), "one column of periods")
  refused(data.frame(month = "2026-01", route = "Oysterby"), "one column of numbers")
  refused(data.frame(month = c("2026-01", "2026-01"), route = "Oysterby", target = 1:2),
          "two targets for 2026-01 and Oysterby")
  refused(data.frame(month = "Janury", route = "Oysterby", target = 1), "The period \"Janury\"")
  refused(list(1), "one number or a data frame")
  expect_refused(add_target(s, income, "no.csv"), "does not exist", "source")
  spans <- statement(demo_ledger(), spans = c("month to date"), income = total(fare))
  expect_refused(add_target(spans, income, 5), "belong to periods", "target")
})

test_that("averages per working day, per day, and per day with entries", {
  calendar <- ledger_calendar(holidays = c(Founding = "2026-09-02"))
  x <- ledger(demo_fares, on = c(sailed = "sailed_on"), calendar = calendar)
  s <- statement(x, per = "month", by = "route", span = "2026-08/..", income = total(fare),
                 riders = distinct(account), totals = "by")
  s <- s |> add_per_day(income) |> add_per_day(income, "calendar") |> add_per_day(income, "used")
  expect_equal(s$income_per_working_day, s$income / rep(c(21, 12), each = 7))
  expect_equal(s$income_per_calendar_day, s$income / rep(c(31, 17), each = 7))
  for (i in seq_len(nrow(s))) {
    held <- demo_fares$sailed_on >= s$from[i] & demo_fares$sailed_on <= s$to[i] &
      (s$route[i] == "(all)" | demo_fares$route == s$route[i])
    expect_equal(s$income_per_used_day[i], s$income[i] / length(unique(demo_fares$sailed_on[held])))
  }
  expect_match(format(s, width = 200), "working days are Monday to Friday, without 1 holiday",
               all = FALSE)
  expect_refused(add_per_day(s, riders), "does not add up", "measure")
})

test_that("a target counts where targets cover the row's days, and else is missing and named", {
  # to 6 June 2026
  x <- ledger(data.frame(day = as.Date("2025-01-03") + 0:519, fare = 1), on = "day")
  of <- function(s) s$income_target
  ask <- function(targets, ..., days = "whole") add_target(
    statement(x, income = total(fare), ...), income, targets, days = days)
  months <- function(labels, target) data.frame(month = labels, target = target)
  expect_identical(
    of(ask(months(c("2026-01", "2026-02"), c(31, 28)), per = "quarter", span = "2026-Q1")),
    NA_real_)
  nine <- months(sprintf("2025-%02d", 1:9), 10)
  expect_identical(of(ask(nine, per = "year", span = "2025")), NA_real_)
  expect_identical(of(ask(nine, per = "year", span = "2025", days = "covered")), NA_real_)
  # By days, what is covered needs no more than what holds its days.
  half <- months(sprintf("2026-%02d", 1:6), c(31, 28, 31, 30, 31, 30))
  expect_equal(of(ask(half, per = "year", span = "2026", days = "covered")),
               31 + 28 + 31 + 30 + 31 + 6)
  weeks <- data.frame(week = sprintf("2026-W%02d", 1:20), target = 70)
  expect_identical(of(ask(weeks, per = "month", span = "2026-02")), NA_real_)
  expect_equal(of(ask(weeks, per = "month", span = "2026-02", days = "covered")), 280)
  # The total over periods is held against the targets of its rows.
  s <- ask(half, per = "month", span = "2026", totals = "period")
  expect_identical(of(s), c(half$target, sum(half$target)))
  expect_true(all(s$income_target_pct <= 100))
  expect_equal(
    of(ask(half, per = "month", span = "2026", totals = "period", days = "covered"))[6:7],
    c(6, 157))
  expect_match(format(s), "2026-06 is not over; the target is that of the whole period",
               all = FALSE)
  first <- ask(months("2025-01", 31), per = "month", span = "2025-01")
  expect_match(format(first, width = 200),
               "2025-01 covers only 3 to 31 Jan 2025; the target is that of the whole period",
               all = FALSE)
  expect_no_match(format(first), "not over")
})

test_that(
  "targets that overlap are never added together, and lines of totals stand for their members", {
  x <- ledger(data.frame(day = as.Date("2026-01-01") + rep(0:89, 2),
                         route = rep(c("A", "B"), each = 90), fare = 1), on = "day",
              as_of = "2026-03-31")
  ask <- function(targets, ...) add_target(statement(x, income = total(fare), ...), income,
                                           targets)$income_target
  both <- data.frame(period = c("2026-01", "2026-02", "2026-03", "2026-Q1"),
                     target = c(10, 20, 30, 66))
  expect_identical(ask(both, per = "quarter"), 66)
  expect_identical(ask(both, per = "month"), c(10, 20, 30))
  expect_identical(ask(both[1:3, ], per = "quarter"), 60)
  lines <- data.frame(period = "2026-Q1", route = c("A", "B", "(all)"), target = c(1, 2, 50))
  expect_identical(ask(lines, per = "quarter", by = "route", totals = "by"), c(1, 2, 50))
  expect_identical(ask(lines, per = "quarter"), 50)
  expect_identical(ask(lines[1:2, ], per = "quarter"), 3)
  expect_identical(ask(lines[1, ], per = "quarter"), NA_real_)  # B has entries and no target
  expect_identical(
    ask(rbind(lines[1:2, ], data.frame(period = "2026-Q1", route = "C", target = 4)),
        per = "quarter"), 7)
  # One number is the target of each row, which a total has no part in.
  expect_identical(ask(100, per = "month", by = "route", totals = "both"),
                   ifelse(grepl("all",
                                paste(statement(x, per = "month", by = "route",
                                                totals = "both")$period,
                                      statement(x, per = "month", by = "route",
                                                totals = "both")$route)), NA, 100))
})

test_that("conditions hold for targets too, and dates that are missing are left out of them alone",
          {
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:9, route = rep_len(c("A", "B"), 10),
                         channel = rep_len(c("web", "web", "quay"), 10), fare = 1), on = "day",
              as_of = "2026-01-31")
  targets <- data.frame(month = as.Date(c("2026-01-01", "2026-01-01", NA)),
                        route = c("A", "B", "A"), target = c(10, 100, 1000))
  ask <- function(x, ...) add_target(statement(x, per = "month", span = "2026-01", ...), income,
                                     targets)
  expect_identical(ask(x, income = total(fare), where = route == "A")$income_target, 10)
  expect_identical(ask(x, income = total(fare, where = route == "A"))$income_target, 10)
  expect_identical(ask(keep_entries(x, route != "A"), income = total(fare))$income_target, 100)
  other <- ask(x, income = total(fare), where = route == "A" & channel == "web")
  expect_identical(other$income_target, 10)
  expect_match(format(other, width = 200), "targets are not told apart by channel", all = FALSE)
  expect_match(format(other, width = 200), "1 target without a period left out", all = FALSE)
})
