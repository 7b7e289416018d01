test_that("questions of all kinds are answered as in memory", {
  fares <- as.data.frame(demo_fares)
  fares <- fares[fares$sailed_on > as.Date("2026-03-20"), ]
  asked <- list(on = c(sailed = "sailed_on", booked = "booked_on"),
                calendar = ledger_calendar(fiscal_start = "April",
                                           holidays = c(Easter = "2026-04-05")),
                units = c(fare = "EUR"))
  x <- do.call(ledger, c(list(fares), asked))
  right <- lapply(questions_of_ledgers, plainly, x = x)
  expect_gt(sum(vapply(right, is.list, TRUE)), 16)
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    at$put(fares)
    y <- do.call(ledger, c(list(at$con, table = "fares"), asked))
    for (name in names(questions_of_ledgers)) {
      expect_equal(plainly(questions_of_ledgers[[name]], y), right[[name]],
                   info = paste(engine, name), tolerance = 1e-12)
    }
    # A table of the same database is joined there.
    at$put(as.data.frame(demo_accounts), "accounts")
    kinds <- function(x, table) {
      suppressMessages(add_attributes(x, table, key = "account")) |>
        statement(by = "kind", per = "month", a = total(fare), people = distinct(account))
    }
    expect_equal(as.data.frame(kinds(y, "accounts")), as.data.frame(kinds(x, demo_accounts)),
                 info = engine)
    at$close()
  }
})
