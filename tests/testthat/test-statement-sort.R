test_that("rows of each period go by a figure, totals and rests below", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "last 3 months", income = total(fare)) |>
    add_rank(income)
  sorted <- sort_rows(s, income)
  expect_identical(sorted$period, s$period)
  expect_identical(sorted$income_rank, rep(as.numeric(1:6), 3))
  up <- sort_rows(s, "income", order = "up")
  expect_identical(up$income_rank, rep(as.numeric(6:1), 3))
  expect_identical(sort_rows(up, income), sort_rows(sorted, income),
                   ignore_attr = TRUE)
  # Whatever the order, the same rows: later verbs and totals go on.
  again <- add_share(sorted, income)
  expect_equal(sum(again$income_share), 300, tolerance = 1e-9)
  totals <- statement(x, per = "month", by = c("route", "channel"), span = "last 2 months",
                      income = total(fare), totals = "both") |> sort_rows(income)
  first <- totals[totals$period == "2026-08" & totals$route == "Oysterby", ]
  expect_identical(first$channel[5], "(all)")
  expect_true(all(diff(first$income[1:4]) <= 0))
  expect_identical(totals$route[nrow(totals)], "(all)")
  rest <- statement(x, by = "route", span = "last month", income = total(fare)) |>
    add_rank(income, keep = 2, rest = "Others") |> sort_rows(income, order = "up")
  expect_identical(rest$route[3], "Others")
  expect_identical(rest$income_rank[1:2], c(2, 1))
  expect_identical(answer(question(rest), x), rest)
  expect_refused(sort_rows(s, incme), "no column of figures `incme`", "measure")
  expect_refused(sort_rows(s, income, order = "sideways"), "must be one of", "choice")
})

test_that("lowest N are as easily had as the highest, ranks within two attributes too", {
  x <- demo_ledger()
  low <- statement(x, by = "route", span = "2026-08", income = total(fare)) |>
    add_rank(income, keep = 2, first = "smallest") |> sort_rows(income, order = "up")
  all <- statement(x, by = "route", span = "2026-08", income = total(fare))
  expect_identical(low$income, sort(all$income)[1:2])
  s <- statement(x, by = c("route", "channel", "fare_class"), span = "2026-08",
                 income = total(fare)) |> add_rank(income, within = c("route", "channel"))
  by_hand <- stats::ave(-s$income, s$route, s$channel, FUN = function(v) rank(v, ties = "min"))
  expect_equal(s$income_rank, by_hand)
  kept <- add_rank(s, income, within = c("route", "channel"), keep = 1, rest = "Others",
                   name = "r")
  expect_equal(sum(kept$income), sum(s$income))
  expect_refused(add_rank(s, income, within = c("route", "span"), name = "r"),
                 "names of attributes", "choice")
})

test_that("per cents of sums are those of the sums", {
  x <- demo_ledger()
  s <- statement(x, per = "month", span = "last 3 months", web = total(fare, where = channel ==
    "web"), income = total(fare), web_share = per_cent(web / income), totals = "period")
  expect_equal(s$web_share, 100 * s$web / s$income)
  expect_match(format(s), "web_share \\(%\\)", all = FALSE)
  expect_refused(statement(x, a = per_cent(total(fare))), "is counted in EUR", "measure")
  expect_refused(statement(x, a = per_cent()), "is not a call of per_cent", "measure")
  nothing <- statement(x, span = "2026-08", a = per_cent(entries(where = fare > 1e9) /
    entries(where = fare > 1e9)))
  expect_identical(nothing$a, NA_real_)
})
