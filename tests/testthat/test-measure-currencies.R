test_that("amounts of several currencies are never put together", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:2, amount = c(10.5, 20, 1),
                      quantity = 1:3, currency = c("EUR", "USD", NA))
  x <- ledger(table, on = "day")
  for (measure in c("total(amount)", "average(amount)", "largest(amount)",
                    "total(amount) / entries()"))
    expect_refused(statement(x, m = !!measure), "amounts in EUR and USD together", "measure")
  expect_identical(statement(x, by = "currency", s = total(amount))$s, c(10.5, 20, 1))
  expect_refused(statement(x, by = "currency", totals = "by", s = total(amount)),
                 "without totals", "measure")
  # What the refusal says works.
  expect_identical(statement(x, s = total(amount), where = currency == "EUR")$s, 10.5)
  expect_identical(statement(x, s = total(amount, where = currency == "USD"))$s, 20)
  stated <- ledger(table, on = "day", units = c(amount = "EUR"))
  expect_identical(statement(stated, s = total(amount))$s, 31.5)
  # What is no money, or has one currency, or stands beside no currencies, is added up.
  expect_identical(statement(x, s = total(quantity))$s, 6)
  expect_identical(statement(keep_entries(x, currency == "EUR"), s = total(amount))$s, 10.5)
  names(table)[4] <- "place"
  expect_identical(statement(ledger(table, on = "day"), s = total(amount))$s, 31.5)
  table$currency <- c("web", "quay", "web")
  expect_identical(statement(ledger(table, on = "day"), s = total(amount))$s, 31.5)
  table$currency <- c("\u20ac", "$", "$")
  expect_refused(statement(ledger(table, on = "day"), s = total(amount)), "\u20ac and \\$",
                 "measure")
  said <- paste(format(check_ledger(ledger(table, on = "day"))), collapse = " ")
  expect_match(said, "currency: amounts in EUR and \\$, which do not add up")
})

test_that("wholes, rests and subtotals keep currencies apart", {
  set.seed(813)
  table <- data.frame(day = as.Date("2026-01-01") + 0:59, amount = sample(1:90, 60),
                      route = sample(LETTERS[1:5], 60, TRUE),
                      currency = rep(c("EUR", "USD"), 30))
  x <- ledger(table, on = "day")
  s <- statement(x, by = c("currency", "route"), income = total(amount), sold = entries())
  expect_refused(add_share(s, income), "of = \"currency\"", "measure")
  kept <- add_share(s, income, of = "currency")
  expect_equal(as.vector(tapply(kept$income_share, kept$currency, sum)), c(100, 100))
  expect_equal(sum(add_share(s, sold)$sold_share), 100)
  expect_refused(add_share(s, income, of = "route"), "EUR and USD together", "measure")
  expect_refused(
    add_rank(statement(x, by = "currency", income = total(amount)), income, keep = 1,
             rest = "Others"), "EUR and USD together", "measure")
  ranked <- add_rank(s, income, within = "currency", keep = 2, rest = "Others")
  expect_equal(as.vector(tapply(ranked$income, ranked$currency, sum)),
               as.vector(tapply(table$amount, table$currency, sum)))
  expect_refused(add_rank(s, income, within = "route", keep = 1, rest = "Others"),
                 "EUR and USD together", "measure")
  expect_match(own("no_subtotals_because")(s), "several currencies")
})
