test_that("subtotals added afterwards are those of a statement made with totals, in every column", {
  subtotals <- rollingledger:::with_subtotals
  for (seed in 1:6) {
    x <- ledger(random_fares(seed), on = "sailed_on", calendar = some_fiscal_calendar(seed))
    make <- function(by, ...) {
      statement(x, per = "month", by = by, income = total(fare), riders = distinct(account),
                mean_fare = average(fare), ...) |>
        add_running(income, since = "year") |>
          add_rolling(riders, over = "2 months", short = "keep") |> add_change(income) |>
            add_share(income)
    }
    for (by in list(c("route", "channel"), c("channel", "route"))) {
      plain <- make(c("route", "channel"))
      with <- make(by, totals = "by")
      expect_equal(as.data.frame(subtotals(plain, by))[names(with)], as.data.frame(with),
                   info = paste(seed, by[1]))
    }
  }
})

test_that("rows keep their order, and each total follows its rows", {
  s <- statement(few_ledger(), by = c("route", "channel"), income = total(fare))
  ordered <- s[order(-s$income), ]
  out <- rollingledger:::with_subtotals(ordered, c("route", "channel"))
  kept <- out[out$channel != "(all)", ]
  expect_identical(kept$income, ordered$income)
  totals <- out[out$channel == "(all)" & out$route %in% "Oysterby", ]
  expect_identical(totals$income, 5.2)
  expect_identical(out$route[nrow(out)], "(all)")
})

test_that("why a statement has no subtotals is said", {
  why <- rollingledger:::no_subtotals_because
  expect_null(why(statement(few_ledger(), by = "route", income = total(fare))))
  expect_match(why(statement(few_ledger(), income = total(fare))), "no attributes")
  expect_match(why(statement(few_ledger(), by = "route", income = total(fare), totals = "by")),
               "already")
  expect_match(
    why(statement(few_ledger(), by = "route", income = total(fare)) |>
        add_rank(income, keep = 1, rest = "Others")), "rest")
  expect_match(why(statement(few_ledger(), by = "route", stand = balance(fare))), "balance")
})
