test_that("engines answer the narrow questions of a source", {
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    met <- 0
    for (seed in 1:8) {
      table <- random_fares(seed)
      at$put(table)
      x <- suppressMessages(
        ledger(at$con, table = "fares", on = c(sailed = "sailed_on", booked = "booked_on"),
               until = "until_on", as_of = max(table$sailed_on)))
      every <- own("source_entries")(x, "sailed", -700000L, 2000000L, NULL, character())
      met <- met + expect_source_contract(x, table, 4, keys = sort(every$row))
    }
    expect_true(all(met > 50), info = paste(engine, names(met), met, collapse = ", "))
    at$close()
  }
})
