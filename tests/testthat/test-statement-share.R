test_that("shares are of the entries: of the period, of the span, of an attribute's member", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = c("route", "channel"), span = "latest 5 months",
                 where = fare > 0, income = total(fare), trips = entries()) |>
    add_share(income) |> add_share(trips, of = "span") |>
      add_share(income, of = "route", name = "of_route")
  expect_equal(unname(c(tapply(s$income_share, s$period, sum))), rep(100, 5))
  expect_equal(sum(s$trips_share), 100)
  expect_equal(unname(c(tapply(s$of_route, paste(s$period, s$route), sum))), rep(100, 30))
  kept <- demo_fares[demo_fares$fare > 0 & demo_fares$sailed_on >= "2026-09-01", ]
  row <- s$period == "2026-09" & s$route == "Oysterby" & s$channel == "web"
  expect_equal(s$income_share[row],
               100 * sum(kept$fare[kept$route == "Oysterby" & kept$channel == "web"]) / sum(
                 kept$fare))
  expect_equal(s$of_route[row],
               100 * sum(kept$fare[kept$route == "Oysterby" & kept$channel == "web"]) / sum(
                 kept$fare[kept$route == "Oysterby"]))
  # Rows that are taken away do not change what the others are shares of.
  expect_identical(add_share(s[row, ], income, name = "again")$again, s$income_share[row])
})

test_that("shares of spans that recur and of groups with days of their own", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "channel", span = "every Q3", trips = entries()) |>
    add_share(trips, of = "span")
  expect_equal(unname(c(tapply(s$trips_share, substr(s$period, 1, 4), sum))), rep(100, 4))
  whole <- statement(x, spans = c("MTD", "YTD"), income = total(fare)) |> add_share(income)
  expect_identical(whole$income_share, c(100, 100))
  table <- data.frame(day = as.Date("2026-01-01") + c(0, 1, 1), route = c("a", "b", "b"),
                      fare = c(1, 2, -2))
  own <- statement(ledger(table, on = "day"), by = "route", span = "this day", anchor = "group",
                   income = total(fare)) |> add_share(income)
  expect_identical(own$income_share, c(100, NA))
})

test_that("what has no share is refused", {
  s <- statement(few_ledger(), per = "month", by = "route", income = total(fare),
                 yield = income / entries())
  expect_refused(add_share(s, yield), "so it has no share", "measure")
  expect_refused(add_share(s, income, of = "channel"),
                 "`of` must be one of \"period\", \"span\" and \"route\"", "choice")
  expect_refused(add_share(add_share(s, income), income), "is taken", "measure")
})

test_that("a period and the total over the one period have shares of their own", {
  table <- data.frame(day = as.Date(c("2025-09-01", "2025-12-05", "2026-01-05", "2026-01-06")),
                      route = c("B", "A", "B", "C"), account = c("y", "x", "y", "z"), fare = 1)
  s <- statement(ledger(table, on = "day", as_of = "2026-02-10"), per = "quarter", by = "route",
                 span = "2026-01", list_all = TRUE, totals = "both", lost = lapsed(account))
  for (rows in list(seq_len(nrow(s)), rev(seq_len(nrow(s))))) {
    share <- add_share(s[rows, ], lost)
    expect_identical(share$lost_share[share$period == "2026-Q1" & share$route == "A"], 100)
    expect_identical(unique(share$lost_share[share$period == "(all)"]), NA_real_)
  }
})
