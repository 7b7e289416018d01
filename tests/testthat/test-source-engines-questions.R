test_that("questions of all kinds are answered as in memory", {
  fares <- with_row_numbers(as.data.frame(demo_fares))
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
    y <- do.call(ledger_at, c(list(at), asked))
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

test_that("cells come back, of the days that are needed, and never the entries", {
  fares <- as.data.frame(demo_fares)
  fares <- fares[fares$sailed_on > as.Date("2025-01-01"), ]
  each_engine(function(at, engine) {
    at$put(fares)
    if (engine == "ClickHouse") until_table_tells()
    y <- ledger(at$con, table = "fares", on = c(sailed = "sailed_on"))
    texts <- character()
    y$engine$told <- function(written) texts <<- c(texts, written$text)
    before <- y$engine$sent
    s <- statement(y, per = "month", by = "route", span = "last 3 months", income = total(fare),
                   trips = entries(), riders = distinct(account)) |>
      add_rolling(income, over = "30 days")
    sent <- y$engine$sent - before
    of_entries <- function(texts) {
      grep("system[.](parts|tables|columns)", texts, invert = TRUE, value = TRUE)
    }
    asked <- of_entries(grep("fares", texts, value = TRUE))
    # One statement for what adds up, one for the people; days and groups, three months and as many
    # before them.
    # Of a connection of the user's own nothing tells that DuckDB's entries are the same: each
    # question looks at them first.
    if (engine != "DuckDB") {
      expect_length(asked, 2)
      expect_true(all(grepl("GROUP BY", asked)))
      expect_lt(sent[["rows"]], 6 * 190 + 6 * 3 + 10)
      # A window that reaches further back asks for more days, once.
      texts <- character()
      s <- add_change(s, income, from = "1 year back")
      expect_length(of_entries(grep("fares", texts, value = TRUE)), 1)
      s <- add_running(s, income, since = "year")
      expect_length(of_entries(grep("fares", texts, value = TRUE)), 1)
    }
    expect_gt(nrow(fares), 10 * sent[["rows"]])
    # Two ledgers on one connection, asked in turn.
    at$put(data.frame(day = days_from(5), fare = 2), "others")
    z <- ledger(at$con, table = "others", on = "day")
    a <- statement(z, income = total(fare))
    b <- suppressMessages(add_share(s, income))
    expect_identical(add_share(a, income)$income_share, 100)
    expect_equal(sum(b$income_share), 300)
  })
})
