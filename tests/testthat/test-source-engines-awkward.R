# What engines hold differently, or might read as something else.

test_that("names and values are never read as SQL", {
  evil <- "x'); DROP TABLE fares; --"
  table <- data.frame(days_from(6), c("a'b", "a\"b", evil, "\U0001F6A2 ferry", NA, "%_\\"),
                      c(1, 2, 3, 4, 5, NA), c("one", "two", "two", "?", "$1", "\u00e9"))
  names(table) <- c("select", "order \"by\"", evil, "\U0001F6A2")
  asked <- list(on = c(sailed = "select"))
  x <- do.call(ledger, c(list(table), asked))
  each_engine(function(at, engine) {
    at$put(table)
    y <- do.call(ledger, c(list(at$con, table = "fares"), asked))
    for (by in names(table)[c(2, 4)]) {
      for (text in c(table[[2]][c(1:4, 6)], "nobody' OR '1'='1")) {
        where <- sprintf("`order \"by\"` == %s", encodeString(text, quote = "\""))
        if (text == "a\"b") where <- "`order \"by\"` == 'a\"b'"
        alike(x, y, by = by, where = where, n = "entries()", info = paste(engine, by, text))
      }
      alike(x, y, by = by, per = "day", info = engine,
            a = "total(`x'); DROP TABLE fares; --`)",
            b = "distinct(`\U0001F6A2`, where = `order \"by\"` %in% c('a\"b', \"%_\\\\\"))")
    }
    expect_error(ledger(at$con, table = "fares\"; DROP TABLE fares; --", on = "select"),
                 class = "rollingledger_error")
    expect_error(statement(y, span = "2026'; DROP TABLE fares; --", n = entries()),
                 class = "rollingledger_error_span")
    expect_identical(own("source_facts")(y)$counts$used, 6L)
    # The table is there after all that.
    expect_identical(nrow(set_aside(ledger(at$con, table = "fares", on = "select"))), 0L)
  })
})

test_that("text is told apart by its bytes, whatever the collation", {
  table <- data.frame(day = days_from(8),
                      way = c("web", "Web", "WEB", "web ", "w\u00e9b", "we\u0301b", NA, "web"))
  x <- ledger(table, on = "day")
  each_engine(function(at, engine) {
    type <- switch(engine, SQLite = "TEXT COLLATE NOCASE", DuckDB = "VARCHAR COLLATE NOCASE",
                   PostgreSQL = "text COLLATE plain_ci")
    if (engine == "PostgreSQL") {
      at$run("DROP TABLE IF EXISTS ways")
      at$run(paste("CREATE COLLATION IF NOT EXISTS plain_ci (provider = icu,",
                   "locale = 'und-u-ks-level1', deterministic = false)"))
    }
    at$put(table)
    at$run(sprintf("CREATE TABLE ways (day %s, way %s)",
                   if (engine == "SQLite") "TEXT" else "DATE", type))
    at$run("INSERT INTO ways SELECT day, way FROM fares")
    y <- ledger(at$con, table = "ways", on = "day")
    alike(x, y, by = "way", n = "entries()", d = "distinct(way)", info = engine)
    for (where in c("way == \"web\"", "way != \"Web\"", "way %in% c(\"WEB\", \"web \")",
                    "way > \"Web\"", "way <= \"web\"", "has_text(way, \"EB\")",
                    "!(way == \"web\")", "has_text(way, \"W\u00c9\")")) {
      alike(x, y, where = where, n = "entries()", by = "way", info = paste(engine, where))
    }
    expect_identical(sort(as.character(own("source_members")(y, "way")$values), method = "radix",
                          na.last = TRUE),
                     sort(unique(table$way), method = "radix", na.last = TRUE))
  })
})

test_that("decimals and large whole numbers come back whole", {
  each_engine(function(at, engine) {
    if (engine == "SQLite") return(skip_nothing())
    at$run("DROP TABLE IF EXISTS big")
    at$run("CREATE TABLE big (day DATE, amount NUMERIC(18,4), id BIGINT, many NUMERIC(18,6))")
    at$run(paste("INSERT INTO big VALUES",
                 "(DATE '2026-01-01', 99999999999999.9999, 9007199254740993, 0.000001),",
                 "(DATE '2026-01-01', 99999999999999.9999, 9007199254740995, 1.5),",
                 "(DATE '2026-01-02', 99999999999999.9999, NULL, -0.25),",
                 "(DATE '2026-01-03', -0.0001, 9007199254740993, NULL)"))
    y <- ledger(at$con, table = "big", on = "day")
    s <- suppressMessages(statement(y, a = total(amount), d = distinct(id), m = total(many),
                                    mid = middle(amount), low = smallest(amount)))
    expect_identical(s$a, 299999999999999.9996)
    expect_identical(s$d, 2)
    expect_equal(s$m, 1.250001, tolerance = 1e-15)
    expect_identical(s$low, -0.0001)
    whole <- own("core_bits_of_text")("2999999999999999996")
    expect_identical(own("core_whole_text")(whole), "2999999999999999996")
    expect_error(own("core_bits_of_text")("9223372036854775808"), "too large")
    expect_error(own("core_bits_of_numbers")(1.5), "must be whole")
    # Identifiers are told apart by all of their digits.
    by_id <- statement(y, by = "id", n = entries())
    expect_identical(as.character(by_id$id), c("9007199254740993", "9007199254740995", NA))
    expect_identical(statement(y, n = entries(where = id == "9007199254740993"))$n, 2)
    # Sums beyond what can be held are refused, not wrapped.
    at$run("INSERT INTO big SELECT DATE '2026-01-04', 99999999999999.9999, 1, 0 FROM big")
    at$run("INSERT INTO big SELECT DATE '2026-01-05', 99999999999999.9999, 1, 0 FROM big")
    z <- ledger(at$con, table = "big", on = "day")
    expect_error(statement(z, a = total(amount)), class = "rollingledger_error_overflow")
  })
})

test_that("moments count on their day in the zone that is stated", {
  instants <- as.POSIXct("2024-03-30 21:00:00", tz = "UTC") + 1800 * 0:14
  instants <- c(instants, as.POSIXct("2024-10-26 20:00:00", tz = "UTC") + 3600 * 0:9)
  table <- data.frame(moment = instants, fare = seq_along(instants))
  each_engine(function(at, engine) {
    if (engine == "SQLite") return(skip_nothing())
    at$run("DROP TABLE IF EXISTS moments")
    at$run("CREATE TABLE moments (moment TIMESTAMP WITH TIME ZONE, plain TIMESTAMP, fare INTEGER)")
    values <- sprintf("('%s+00', '%s', %d)", format(instants, tz = "UTC"),
                      format(instants, tz = "UTC"), table$fare)
    at$run(paste("INSERT INTO moments VALUES", paste(values, collapse = ", ")))
    for (zone in c("UTC", "Europe/Berlin", "America/New_York", "Pacific/Auckland")) {
      x <- ledger(table, on = c(at = "moment"), time_zone = zone)
      y <- ledger(at$con, table = "moments", on = c(at = "moment"), time_zone = zone)
      alike(x, y, per = "day", a = "total(fare)", n = "entries()", info = paste(engine, zone))
      alike(x, y, by = "hour", a = "total(fare)", info = paste(engine, zone))
      alike(x, y, span = "2024-10-27", a = "total(fare)", info = paste(engine, zone))
    }
    x <- ledger(table, on = c(at = "moment"), time_zone = "UTC")
    y <- ledger(at$con, table = "moments", on = c(at = "plain"))
    alike(x, y, per = "day", a = "total(fare)", info = engine)
    expect_match(paste(format(ledger(at$con, table = "moments", on = "moment")), collapse = " "),
                 "moment: days in UTC")
  })
})

test_that("what cannot be used is set aside by the engine, with the reasons of memory", {
  withr::local_options(rlib_message_verbosity = "verbose")
  table <- data.frame(
    day = c("2026-01-01", NA, "2026-02-30", "", "n/a", "soon", "2026-01-05", "2027-01-01",
            "2026-01-06"),
    other = c("2026-01-01", "2026-01-01", "2026-01-01", "2026-01-01", "2026-01-01", "2026-01-01",
              "never", NA, "2027-05-01"),
    ends = c("2026-02-01", NA, NA, NA, NA, NA, "whenever", NA, ""),
    fare = c(1:8, Inf))
  asked <- list(on = c(day = "day", other = "other"), until = "ends", as_of = "2026-03-01")
  x <- suppressMessages(do.call(ledger, c(list(table), asked)))
  right <- set_aside(x)
  each_engine(function(at, engine) {
    at$put(table)
    said <- NULL
    y <- withCallingHandlers(do.call(ledger, c(list(at$con, table = "fares"), asked)),
                             rollingledger_message_aside = function(m) {
                               said <<- conditionMessage(m)
                               invokeRestart("muffleMessage")
                             })
    expect_match(said, "8 of 9 entries set aside", info = engine)
    expect_identical(own("source_facts")(y)$counts, own("source_facts")(x)$counts, info = engine)
    got <- set_aside(y)
    got$row <- rank(got$row)
    expect_identical(got$reason, right$reason, info = engine)
    expect_identical(got$column, right$column, info = engine)
    expect_identical(got$kept_out_of, right$kept_out_of, info = engine)
    alike(x, y, a = "total(fare)", n = "entries()", open = "active()", info = engine)
  })
})

test_that("views, queries, schemas and empty tables", {
  table <- data.frame(day = days_from(4), fare = c(1.25, 2, -3, NA))
  each_engine(function(at, engine) {
    if (engine == "PostgreSQL") at$run("DROP VIEW IF EXISTS seen")
    at$put(table)
    at$run("CREATE VIEW seen AS SELECT day, fare FROM fares WHERE fare > -10 OR fare IS NULL")
    x <- ledger(table, on = "day")
    for (y in list(ledger(at$con, table = "seen", on = "day"),
                   ledger(at$con, query = "SELECT day, fare * 1 AS fare FROM fares;", on = "day"),
                   ledger(at$con, on = "day",
                          table = switch(engine, PostgreSQL = "public.fares", "main.fares")))) {
      alike(x, y, per = "day", a = "total(fare)", mean = "average(fare)", info = engine)
    }
    # Without a row number there is no last one, and no list.
    s <- statement(ledger(at$con, query = "SELECT * FROM fares", on = "day"), a = total(fare))
    expect_error(entries_behind(s), "needs an order of rows", class = "rollingledger_error_order")
    expect_error(ledger(at$con, table = "fares", on = "fare"), "not a date",
                 class = "rollingledger_error_date")
    at$run("DELETE FROM fares")
    expect_error(ledger(at$con, table = "fares", on = "day"), "no rows in fares",
                 class = "rollingledger_error_source")
    expect_error(ledger(at$con, table = "nothing_there", on = "day"),
                 class = "rollingledger_error_source")
    expect_error(ledger(at$con, on = "day"), "`table` or `query`",
                 class = "rollingledger_error_source")
    expect_error(ledger(at$con, table = "fares", on = "dya"), "Did you mean `day`",
                 class = "rollingledger_error_column")
  })
})

test_that("entries that change between two questions are never mixed", {
  withr::local_options(rlib_message_verbosity = "verbose")
  table <- data.frame(day = days_from(40), route = c("Oysterby", "Wickholm"), fare = 1)
  each_engine(function(at, engine) {
    at$put(table)
    y <- ledger(at$con, table = "fares", on = "day")
    s <- statement(y, per = "month", by = "route", income = total(fare))
    day <- "'2026-03-05'"
    at$run(sprintf("INSERT INTO fares VALUES (%s%s, 'Tern Head', 100.5)",
                   if (engine == "SQLite") "" else "DATE ", day))
    expect_message(after <- add_share(s, income, of = "span"), "have changed since")
    right <- ledger(rbind(table, data.frame(day = as.Date("2026-03-05"), route = "Tern Head",
                                            fare = 100.5)), on = "day") |>
      statement(per = "month", by = "route", income = total(fare)) |>
      add_share(income, of = "span")
    expect_equal(as.data.frame(after), as.data.frame(right), info = engine)
    expect_equal(sum(after$income_share), 100)
    # Rows cut by hand cannot be worked out again.
    cut <- after[1:2, ]
    at$run("UPDATE fares SET fare = 2 WHERE route = 'Wickholm'")
    expect_error(suppressMessages(add_share(cut, income)), "cut or put in another order",
                 class = "rollingledger_error_statement")
    # An update changes no count.
    expect_equal(statement(y, income = total(fare))$income, 20 + 40 + 100.5, info = engine)
    expect_error(figure_trend(after, income), class = "rollingledger_error_statement")
  })
})

test_that("what another connection changes in a file that is attached is seen", {
  skip_if_not_installed("RSQLite")
  main <- withr::local_tempfile(fileext = ".db")
  beside <- withr::local_tempfile(fileext = ".db")
  other <- DBI::dbConnect(RSQLite::SQLite(), beside)
  DBI::dbWriteTable(other, "fares", data.frame(day = as.character(days_from(3)), fare = 1))
  con <- DBI::dbConnect(RSQLite::SQLite(), main)
  DBI::dbExecute(con, sprintf("ATTACH '%s' AS beside", beside))
  y <- ledger(con, table = "beside.fares", on = "day")
  expect_identical(statement(y, a = total(fare))$a, 3)
  DBI::dbExecute(other, "UPDATE fares SET fare = 5")
  expect_identical(statement(y, a = total(fare))$a, 15)
  # A column that takes on values of another kind is told.
  DBI::dbExecute(other, "UPDATE fares SET fare = 'dear' WHERE rowid = 1")
  expect_error(statement(y, a = total(fare)), "changed their type",
               class = "rollingledger_error_source")
  DBI::dbDisconnect(con)
  DBI::dbDisconnect(other)
})

test_that("members that come later are looked up and worked out as those that were there", {
  table <- data.frame(day = days_from(3), route = c("Oysterby", "Oysterby", "Wickholm"), fare = 1)
  names <- data.frame(route = c("Oysterby", "Wickholm", "Tern Head"),
                      coast = c("east", "west", "north"))
  each_engine(function(at, engine) {
    at$put(table)
    y <- suppressMessages(add_attributes(ledger(at$con, table = "fares", on = "day"), names,
                                         key = "route")) |>
      work_out(short = first_letters(route, 3))
    at$run(sprintf("INSERT INTO fares VALUES (%s'2026-02-01', 'Tern Head', 5)",
                   if (engine == "SQLite") "" else "DATE "))
    for (by in c("coast", "short")) {
      s <- statement(y, by = by, a = total(fare))
      expect_identical(s$a[s[[by]] %in% c("north", "Ter")], 5, info = paste(engine, by))
      expect_false(anyNA(s[[by]]))
    }
  })
})

test_that("nothing is written, and a transaction of the user's own goes on", {
  table <- data.frame(day = days_from(3), fare = 1)
  at <- open_engine_here("SQLite")
  at$put(table)
  y <- ledger(at$con, table = "fares", on = "day")
  DBI::dbBegin(at$con)
  DBI::dbExecute(at$con, "INSERT INTO fares VALUES ('2026-02-03', 5)")
  expect_identical(suppressMessages(statement(y, a = total(fare)))$a, 8)
  DBI::dbRollback(at$con)
  expect_identical(statement(y, a = total(fare))$a, 3)
  at <- open_engine_here("PostgreSQL")
  at$put(table)
  y <- ledger(at$con, table = "fares", on = "day")
  DBI::dbBegin(at$con)
  expect_error(statement(y, a = total(fare)), "REPEATABLE READ",
               class = "rollingledger_error_source")
  DBI::dbRollback(at$con)
  DBI::dbExecute(at$con, "BEGIN ISOLATION LEVEL REPEATABLE READ")
  DBI::dbExecute(at$con, "INSERT INTO fares VALUES ('2026-02-03', 5)")
  expect_identical(suppressMessages(statement(y, a = total(fare)))$a, 8)
  DBI::dbExecute(at$con, "ROLLBACK")
  expect_identical(suppressMessages(statement(y, a = total(fare)))$a, 3)
  at$close()
})
