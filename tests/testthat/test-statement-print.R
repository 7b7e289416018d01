test_that("a statement prints its days and what is partial, in line", {
  s <- statement(few_ledger(units = c(fare = "EUR")), per = "month", by = "route",
                 income = total(fare), trips = entries(), mean_fare = average(fare),
                 where = channel == "web" | fare < 10)
  expect_snapshot(add_running(s, income, since = "fiscal year"))
  expect_snapshot(statement(few_ledger()))
})

test_that("never more rows than asked for, the newest kept", {
  s <- statement(demo_ledger(), per = "day", income = total(fare))
  lines <- format(s, rows = 8)
  expect_match(lines[5], "^\\.\\.\\. 1,348 rows more")
  expect_match(lines[length(lines)], "^2026-09-17")
  expect_length(format(s), 1 + 1 + 20 + 1)
  withr::local_envvar(LINES = "16")
  expect_length(format(s), 13)
  withr::local_options(rollingledger.rows = 5)
  expect_length(format(s), 8)
  expect_length(format(s, rows = Inf), 2 + nrow(s))
  expect_refused(print(s, n = "all"), "must be a count", "choice")
})

test_that("columns that do not fit are named, never cut", {
  s <- statement(demo_ledger(), per = "year", income = total(fare),
                 a_long_name_for_trips = entries(), mean_fare = average(fare))
  lines <- format(s, width = 50)
  expect_true(all(nchar(lines[2:6]) <= 50))
  expect_match(lines, "Too wide to show: mean_fare", all = FALSE)
  expect_no_match(format(s, width = 100), "Too wide")
})

test_that("missing and empty members have a name, zero has no sign", {
  s <- statement(few_ledger(), by = "route", income = total(fare), n = 0 * -1 * entries())
  expect_match(format(s), "\\(missing\\)", all = FALSE)
  expect_match(format(s), "\\(empty\\)", all = FALSE)
  expect_no_match(format(s), "-0")
})

test_that("a statement whose columns were taken away still prints", {
  s <- statement(few_ledger(), per = "month", income = total(fare))
  expect_output(print(s["income"]), "income")
})
