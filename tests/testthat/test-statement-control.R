test_that("control totals tie for any statement, on every basis", {
  x <- demo_ledger()
  for (on in c("sailed", "booked")) for (partial in c("flag", "drop")) {
    s <- statement(x, per = "month", by = c("route", "channel"), on = on, partial = partial,
                   where = fare > 0 | channel == "web",
                   income = total(fare), trips = entries(),
                   people = total(passengers, where = fare_class != "van"), yield = income / trips)
    control <- control_totals(s)
    expect_identical(control$measure, c("income", "trips", "people"))
    expect_identical(control$difference, c(0, 0, 0))
  }
})

test_that("they tie for amounts of any decimals, up to the last bit of a double", {
  for (seed in 201:220) {
    table <- random_fares(seed)
    s <- statement(ledger(table, on = "sailed_on"), per = "week", by = "route",
                   income = total(fare), as_of = NULL)
    expect_equal(control_totals(s)$difference, 0, tolerance = 1e-9)
    expect_equal(control_totals(s)$entries, sum(table$fare, na.rm = TRUE), tolerance = 1e-12)
  }
})

test_that("a row taken away shows as a difference", {
  s <- statement(few_ledger(), per = "month", income = total(fare))
  expect_equal(control_totals(s[-2, ])$difference, 4.9)
  expect_identical(nrow(control_totals(s[0, ])), 0L)
  expect_identical(nrow(control_totals(statement(few_ledger(), mean_fare = average(fare)))), 0L)
  expect_refused(control_totals(few_fares()), "must be a statement", "choice")
})
