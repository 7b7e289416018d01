test_that("targets of months and routes go with their rows, quarters and totals add them up", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "2024", income = total(fare), totals = "both") |> add_target(income, demo_targets)
  plain <- s[!s$route %in% "(all)" & s$period != "(all)", ]
  expect_identical(plain$income_target, demo_targets$target[match(paste(plain$route, plain$period), paste(demo_targets$route, demo_targets$month))])
  expect_identical(plain$income_over_target, plain$income - plain$income_target)
  expect_equal(plain$income_target_pct, 100 * plain$income / plain$income_target)
  year <- demo_targets[substr(demo_targets$month, 1, 4) == "2024", ]
  # One month of one route has none, so nothing that holds it is held against the others alone.
  all <- function(route, period) s$income_target[s$route %in% route & s$period == period]
  expect_identical(all("Gull Rock", "(all)"), sum(year$target[year$route == "Gull Rock"]))
  expect_identical(all("(all)", "2024-03"), sum(year$target[year$month == "2024-03"]))
  expect_identical(c(all("Tern Head", "(all)"), all("(all)", "2024-02"), all("(all)", "(all)")), rep(NA_real_, 3))
  expect_match(format(s, width = 300), "(all) 2024-02 (Tern Head has none)", all = FALSE, fixed = TRUE)
  expect_match(format(s, width = 200), "income_target: no target for Tern Head 2024-02", all = FALSE)
  quarters <- statement(x, per = "quarter", span = "2024", income = total(fare)) |> add_target(income, demo_targets)
  expect_identical(quarters$income_target[2], sum(year$target[year$month %in% c("2024-04", "2024-05", "2024-06")]))
})

test_that("a period that is not over is held against the whole target or its part, and it is said", {
  x <- demo_ledger()
  s <- statement(x, per = "month", span = "latest 2 months", income = total(fare)) |> add_target(income, 3000) |> add_target(income, 3000, days = "covered", name = "part")
  expect_identical(s$income_target, c(3000, 3000))
  expect_equal(s$part_target, c(3000, 3000 * 17 / 30))
  shown <- format(s, width = 200)
  expect_match(shown, "2026-09 is not over; the target is that of the whole period", all = FALSE)
  expect_match(shown, "the part of it for the days covered", all = FALSE)
  days <- data.frame(day = as.Date("2026-09-01") + 0:29, target = 10)
  expect_identical((statement(x, per = "month", span = "this month", income = total(fare)) |> add_target(income, days))$income_target, 300)
})

test_that("tables of targets that cannot be used are refused", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare))
  refused <- function(targets, message) expect_error(add_target(s, income, targets), message, class = "rollingledger_error_target")
  refused(data.frame(route = "Oysterby", target = 1), "one column of periods")
  refused(data.frame(month = "2026-01", route = "Oysterby"), "one column of numbers")
  refused(data.frame(month = c("2026-01", "2026-01"), route = "Oysterby", target = 1:2), "two targets for 2026-01 and Oysterby")
  refused(data.frame(month = "Janury", route = "Oysterby", target = 1), "The period \"Janury\"")
  refused("no.csv", "one number or a data frame")
  spans <- statement(demo_ledger(), spans = c("month to date"), income = total(fare))
  expect_error(add_target(spans, income, 5), "belong to periods", class = "rollingledger_error_target")
})

test_that("averages per working day, per day, and per day with entries", {
  calendar <- ledger_calendar(holidays = c(Founding = "2026-09-02"))
  x <- ledger(demo_fares, on = c(sailed = "sailed_on"), calendar = calendar)
  s <- statement(x, per = "month", by = "route", span = "2026-08/..", income = total(fare), riders = distinct(account), totals = "by")
  s <- s |> add_per_day(income) |> add_per_day(income, "calendar") |> add_per_day(income, "used")
  expect_equal(s$income_per_working_day, s$income / rep(c(21, 12), each = 7))
  expect_equal(s$income_per_calendar_day, s$income / rep(c(31, 17), each = 7))
  for (i in seq_len(nrow(s))) {
    held <- demo_fares$sailed_on >= s$from[i] & demo_fares$sailed_on <= s$to[i] & (s$route[i] == "(all)" | demo_fares$route == s$route[i])
    expect_equal(s$income_per_used_day[i], s$income[i] / length(unique(demo_fares$sailed_on[held])))
  }
  expect_match(format(s, width = 200), "working days are Monday to Friday, without 1 holiday", all = FALSE)
  expect_error(add_per_day(s, riders), "does not add up", class = "rollingledger_error_measure")
})
