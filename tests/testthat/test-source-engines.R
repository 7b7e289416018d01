test_that("engines answer the narrow questions of a source", {
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    met <- 0
    for (seed in 1:10) {
      table <- with_row_numbers(random_fares(seed))
      at$put(table)
      x <- suppressMessages(
        ledger_at(at, on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
                  as_of = max(table$sailed_on)))
      every <- own("source_entries")(x, "sailed", -700000L, 2000000L, NULL, character())
      met <- met + expect_source_contract(x, table, 4, keys = sort(every$row))
    }
    expect_true(all(met > 50), info = paste(engine, names(met), met, collapse = ", "))
    at$close()
  }
})

test_that("every statement and verb is that of memory, on every engine", {
  met <- c()
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    for (seed in seq_len(rounds(14, 120))) {
      if (seed %% 2 == 0) local_stretches()
      made <- table_for_engine(engine, seed)
      x <- ledgers_alike(at, made$table, seed)
      for (try in 1:3) {
        args <- random_statement(made$kind)
        verbs <- random_verbs(args)
        told <- paste(engine, seed, try, paste(deparse(args), collapse = " "),
                      paste(deparse(verbs), collapse = " "))
        a <- asked_at_random(x$memory, args, verbs)
        b <- asked_at_random(x$engine, args, verbs)
        expect_identical(is.null(a), is.null(b), info = told)
        if (is.null(a) || is.null(b)) next
        expect_identical(a$verbs, b$verbs, info = told)
        expect_equal(plain_statement(b$s), plain_statement(a$s), info = told, tolerance = 1e-12)
        met <- c(met, vapply(a$verbs, function(verb) verb$fun, ""))
        expect_equal(suppressMessages(tryCatch(control_totals(b$s), error = conditionMessage)),
                     suppressMessages(tryCatch(control_totals(a$s), error = conditionMessage)),
                     info = told)
        expect_entries_alike(a$s, b$s, told)
      }
    }
    at$close()
  }
  expect_true(all(table(met) > 3), info = paste(names(table(met)), table(met), collapse = " "))
})

test_that("a missing amount that is not exact stays missing, on every engine", {
  table <- with_row_numbers(data.frame(
    sailed_on = as.Date("2026-01-01") + 0:4, fare = c(1 / 3, NA, -2 / 7, 40, NA)))
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    at$put(table)
    x <- ledger_at(at, on = "sailed_on")
    count <- function(where) statement(x, n = entries(), where = !!where)$n
    expect_identical(count("fare > -10"), 3, info = engine)
    expect_identical(count("!(fare > 1000)"), 3, info = engine)
    expect_identical(count("is_missing(fare)"), 2, info = engine)
    s <- statement(x, by = "fare", n = entries())
    expect_identical(s$n[is.na(s$fare)], 2, info = engine)
    at$close()
  }
})

test_that("days that are missing are no infinite ones, on every engine", {
  table <- with_row_numbers(data.frame(
    sailed_on = as.Date("2026-01-01") + c(0, 1, NA), until_on = as.Date(NA_character_), fare = 1:3))
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    at$put(table)
    x <- suppressMessages(ledger_at(at, on = "sailed_on", until = "until_on"))
    expect_identical(statement(x, n = active())$n, 2, info = engine)
    expect_identical(set_aside(x)$reason, "no date", info = engine)
    at$close()
  }
})
