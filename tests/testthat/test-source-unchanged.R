# A table that is changed in many ways between two questions, between a statement and its verb, and
# behind its connection: what is answered is of the table as it is now, or there is an error.

changing_fares <- function() {
  data.frame(day = days_from(40), route = rep(c("Gull Rock", "Tern Head"), 20),
             fare = as.double(1:40), fee = as.double(41:80))
}

asked_of_changing <- function(x) {
  suppressMessages(tryCatch(
    as.data.frame(statement(x, per = "month", by = "route", a = total(fare), most = largest(fare),
                            n = entries(), b = total(fee))),
    rollingledger_error = function(e) "refused"))
}

shared_of_changing <- function(s) {
  suppressMessages(tryCatch(as.data.frame(add_share(s, a)), rollingledger_error = function(e)
    "refused"))
}

# Asks a ledger before and after a change, and a new one after it; gives what was found: "as now",
# "refused", or what differs.
after_change <- function(make, change) {
  x <- suppressMessages(make())
  asked_of_changing(x)
  s <- suppressMessages(statement(x, per = "month", by = "route", a = total(fare)))
  # Some of it is asked again, so that it would come from what is kept.
  asked_of_changing(x)
  change()
  again <- asked_of_changing(x)
  verb <- shared_of_changing(s)
  fresh <- suppressMessages(tryCatch(make(), rollingledger_error = function(e) NULL))
  if (is.null(fresh)) return(if (identical(again, "refused")) "refused" else "answered")
  now <- asked_of_changing(fresh)
  shared <- if (identical(now, "refused")) "refused" else shared_of_changing(
    suppressMessages(statement(fresh, per = "month", by = "route", a = total(fare))))
  plain <- function(made) if (is.data.frame(made)) lapply(made, as.vector) else made
  if (!identical(again, "refused") && !isTRUE(all.equal(plain(again), plain(now)))) return("stale")
  if (!identical(verb, "refused") && !isTRUE(all.equal(plain(verb), plain(shared)))) {
    return("stale verb")
  }
  if (identical(again, "refused")) "refused" else "as now"
}

# Runs changes by name, each on a new table, and says which were not seen.
expect_changes_seen <- function(at, engine, make, changes, most_refused = 8) {
  found <- vapply(names(changes), function(name) {
    at$put(changing_fares(), "changing")
    after_change(make, function() for (text in changes[[name]]) at$run(text))
  }, "")
  expect_false(any(grepl("stale|answered", found)),
               info = paste(engine, names(found), found, collapse = "; "))
  expect_lte(sum(found == "refused"), most_refused)
}

changes_of_tables <- list(
  nothing = character(),
  inserted = "INSERT INTO changing VALUES ('2026-02-01', 'Gull Rock', 1000, 1)",
  deleted = "DELETE FROM changing WHERE fare = 7",
  updated = "UPDATE changing SET fare = 500 WHERE fare = 7",
  "one for another" = c("DELETE FROM changing WHERE fare = 7",
                        "INSERT INTO changing VALUES ('2026-02-01', 'Gull Rock', 7.5, 1)"),
  "columns renamed" = c("ALTER TABLE changing RENAME COLUMN fare TO betwixt",
                        "ALTER TABLE changing RENAME COLUMN fee TO fare",
                        "ALTER TABLE changing RENAME COLUMN betwixt TO fee"),
  swapped = c("DROP TABLE IF EXISTS other",
              "CREATE TABLE other AS SELECT day, route, fare * 100 AS fare, fee FROM changing",
              "ALTER TABLE changing RENAME TO betwixt", "ALTER TABLE other RENAME TO changing",
              "DROP TABLE betwixt"),
  "made anew" = c("DROP TABLE IF EXISTS other",
                  "CREATE TABLE other AS SELECT day, route, fare * 2 AS fare, fee FROM changing",
                  "DROP TABLE changing", "CREATE TABLE changing AS SELECT * FROM other"),
  emptied = "DELETE FROM changing",
  "a column more" = "ALTER TABLE changing ADD COLUMN more INTEGER",
  "a column of text" = c("DROP TABLE changing",
                         paste("CREATE TABLE changing AS SELECT CAST('2026-01-31' AS text) AS day,",
                               "'x' AS route, 'many' AS fare, 2 AS fee")),
  "a view instead" = c("DROP TABLE IF EXISTS other",
                       "CREATE TABLE other AS SELECT * FROM changing", "DROP TABLE changing",
                       paste("CREATE VIEW changing AS SELECT day, route, fare + 1 AS fare, fee",
                             "FROM other")),
  "a table of this connection in front" = c(
    "CREATE TEMP TABLE changing AS SELECT day, route, fare * 3 AS fare, fee FROM changing")
)

test_that("SQLite by the user's own connection: every change is seen", {
  skip_if_not_installed("RSQLite")
  file <- withr::local_tempfile(fileext = ".db")
  con <- DBI::dbConnect(RSQLite::SQLite(), file)
  at <- list(run = function(text) DBI::dbExecute(con, text), put = function(table, name) {
    for (of in c("temp", "main")) for (what in c("VIEW", "TABLE")) try(DBI::dbExecute(
      con, sprintf("DROP %s IF EXISTS %s.%s", what, of, name)), silent = TRUE)
    DBI::dbWriteTable(con, name, dates_as_text(table), overwrite = TRUE)
  })
  make <- function() ledger(con, table = "changing", on = "day")
  expect_changes_seen(at, "SQLite", make, changes_of_tables)
  # The same by a transaction, and by another connection.
  other <- DBI::dbConnect(RSQLite::SQLite(), file)
  by_other <- list(put = at$put, run = function(text) DBI::dbExecute(other, text))
  expect_changes_seen(by_other, "SQLite, another connection", make,
                      changes_of_tables[names(changes_of_tables) !=
                                          "a table of this connection in front"])
  # A view that is defined anew, and one whose rows follow from the moment.
  at$put(changing_fares(), "changing")
  view <- function(sql) paste("CREATE VIEW seen AS SELECT day, route, fare", sql,
                              "AS fare, fee FROM changing")
  at$run(view("+ 0"))
  of_view <- function() ledger(con, table = "seen", on = "day")
  expect_identical(after_change(of_view, function() {
    at$run("DROP VIEW seen")
    at$run(view("* 9"))
  }), "as now")
  at$run("DROP VIEW seen")
  at$run(view("+ (random() & 1)"))
  x <- of_view()
  totals <- vapply(1:12, function(i) statement(x, a = total(fare))$a, 0)
  expect_gt(length(unique(totals)), 1)
  DBI::dbDisconnect(other)
  DBI::dbDisconnect(con)
})

test_that("text of SQL that follows from more than what is stored is known", {
  still <- own("is_still_text")
  for (text in c("SELECT * FROM fares", "SELECT day, SUM(fare) FROM fares GROUP BY day",
                 "(CASE WHEN (a > 1) AND (b IN ('now()', 'x')) THEN CAST(a AS numeric(9,2)) END)",
                 "Seq Scan on public.fares t Output: day, COALESCE(fare, '0'::numeric)")) {
    expect_true(still(text), info = text)
  }
  for (text in c("WHERE day < now()", "day <= CURRENT_DATE", "random () < 0.5", "my_function(fare)",
                 "date('now')", "Foreign Scan on public.fares", "x = current_setting('app.x')",
                 "\"Odd\"(fare)", "`odd` (fare)", "[odd](fare)", "\u00fcabs(fare)",
                 "strftime('%Y', 'now')", "nextval('s')", "FROM fares TABLESAMPLE system(5)")) {
    expect_false(still(text), info = text)
  }
})

test_that("PostgreSQL: a function of the user's own is none of the plain ones", {
  at <- open_engine_here("PostgreSQL")
  at$run("SET client_min_messages = error")
  at$put(changing_fares(), "changing")
  for (name in c("total", "\"Total\"")) {
    at$run(sprintf("CREATE OR REPLACE FUNCTION public.%s(double precision) RETURNS double precision
                    LANGUAGE plpgsql VOLATILE AS
                    'BEGIN RETURN $1 + extract(epoch FROM now()); END'", name))
    at$run("DROP VIEW IF EXISTS seen CASCADE")
    at$run(sprintf("CREATE VIEW seen AS SELECT day, route, %s(fare) AS fare FROM changing", name))
    x <- ledger(at$con, table = "seen", on = "day")
    # Its figures move with the clock, and no transaction tells that they do.
    before <- statement(x, a = total(fare))$a
    Sys.sleep(0.1)
    expect_gt(statement(x, a = total(fare))$a, before)
    at$run("DROP VIEW seen")
    at$run(sprintf("DROP FUNCTION public.%s(double precision)", name))
  }
  at$close()
})

test_that("PostgreSQL: every change is seen, whoever makes it and in whatever order", {
  at <- open_engine_here("PostgreSQL")
  at$run("SET client_min_messages = error")
  put <- function(table, name) {
    for (what in c("pg_temp.changing", "public.changing")) for (kind in c("VIEW", "TABLE")) try(
      at$run(sprintf("DROP %s IF EXISTS %s CASCADE", kind, what)), silent = TRUE)
    DBI::dbWriteTable(at$con, DBI::Id(schema = "public", table = name), table, overwrite = TRUE)
  }
  make <- function() ledger(at$con, table = "changing", on = "day")
  changes <- c(changes_of_tables, list(
    truncated = c("TRUNCATE changing", "INSERT INTO changing VALUES ('2026-02-01', 'Gull', 1, 1)"),
    "another schema first" = c(
      "CREATE SCHEMA IF NOT EXISTS aside", "DROP TABLE IF EXISTS aside.changing",
      "CREATE TABLE aside.changing AS SELECT day, route, fare * 5 AS fare, fee FROM changing",
      "SET search_path = aside, public"),
    "another type" = "ALTER TABLE changing ALTER fare TYPE numeric USING fare / 2",
    "a row of another transaction" = c("UPDATE changing SET fee = 1 WHERE fare = 3"),
    "rows for single users" = c(
      "ALTER TABLE changing ENABLE ROW LEVEL SECURITY",
      "ALTER TABLE changing FORCE ROW LEVEL SECURITY",
      "DROP ROLE IF EXISTS clerk", "CREATE ROLE clerk",
      "GRANT USAGE ON SCHEMA public TO clerk", "GRANT SELECT ON changing TO clerk",
      "CREATE POLICY few ON changing FOR SELECT USING (fare > 20)", "SET ROLE clerk")))
  for (name in names(changes)) {
    at$run("SET search_path = public")
    found <- {
      put(changing_fares(), "changing")
      after_change(make, function() for (text in changes[[name]]) at$run(text))
    }
    at$run("RESET ROLE")
    expect_true(found %in% c("as now", "refused"), info = paste(name, found))
  }
  at$run("SET search_path = public")
  at$run("DROP OWNED BY clerk")
  at$run("DROP ROLE clerk")
  # A writer that began earlier and commits later, of a lower number.
  other <- postgres_connection()
  put(changing_fares(), "changing")
  DBI::dbExecute(other, "BEGIN")
  DBI::dbExecute(other, "UPDATE changing SET fare = 100000 WHERE fare = 7")
  # A newer one that commits first.
  at$run("UPDATE changing SET fare = 8.5 WHERE fare = 8")
  expect_identical(after_change(make, function() DBI::dbExecute(other, "COMMIT")), "as now")
  # A low number for a high one: an older transaction updates what a newer one left as many of.
  put(changing_fares(), "changing")
  DBI::dbExecute(other, "BEGIN")
  DBI::dbGetQuery(other, "SELECT pg_current_xact_id()")
  at$run("UPDATE changing SET fee = fee")
  x <- make()
  asked_of_changing(x)
  at$run("CREATE TABLE IF NOT EXISTS beside (a int)")
  asked_of_changing(x)
  DBI::dbExecute(other, "UPDATE changing SET fare = 100000 WHERE fare = 7")
  DBI::dbExecute(other, "COMMIT")
  expect_equal(as.list(asked_of_changing(x)), as.list(asked_of_changing(make())))
  expect_equal(max(asked_of_changing(x)$most), 100000)
  # Labels that are written anew, and policies that follow settings.
  at$run("DROP TYPE IF EXISTS place CASCADE")
  at$run("CREATE TYPE place AS ENUM ('Gull Rock', 'Tern Head')")
  put(changing_fares(), "changing")
  at$run("ALTER TABLE changing ALTER route TYPE place USING route::place")
  x <- make()
  asked_of_changing(x)
  at$run("INSERT INTO beside VALUES (1)")
  asked_of_changing(x)
  at$run("ALTER TYPE place RENAME VALUE 'Tern Head' TO 'Avocet'")
  expect_setequal(unique(asked_of_changing(x)$route), c("Gull Rock", "Avocet"))
  at$run("DROP TABLE changing")
  at$run("DROP TYPE place")
  put(changing_fares(), "changing")
  at$run("CREATE VIEW seen AS SELECT * FROM changing WHERE route = current_setting('app.route')")
  at$run("SET app.route = 'Gull Rock'")
  x <- ledger(at$con, table = "seen", on = "day")
  expect_identical(statement(x, a = total(fare))$a, 400)
  at$run("SET app.route = 'Tern Head'")
  expect_identical(statement(x, a = total(fare))$a, 420)
  DBI::dbDisconnect(other)
  at$close()
})

test_that("DuckDB by the user's own connection: every change is seen", {
  at <- open_engine_here("DuckDB")
  put <- function(table, name) {
    for (kind in c("VIEW", "TABLE")) for (of in c("temp.", "memory.main.")) try(
      at$run(sprintf("DROP %s IF EXISTS %s%s", kind, of, name)), silent = TRUE)
    at$put(table, name)
  }
  changes <- changes_of_tables[names(changes_of_tables) != "a column of text"]
  expect_changes_seen(list(run = at$run, put = put), "DuckDB",
                      function() ledger(at$con, table = "changing", on = "day"), changes)
})

test_that("a file that takes the place of another is read, or the connection is refused", {
  skip_if_not_installed("RSQLite")
  folder <- withr::local_tempdir()
  write_db <- function(name, times) {
    con <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, name))
    table <- dates_as_text(changing_fares())
    table$fare <- table$fare * times
    DBI::dbWriteTable(con, "changing", table, overwrite = TRUE)
    DBI::dbDisconnect(con)
  }
  at <- file.path(folder, "now.db")
  replace <- function() file.rename(file.path(folder, "next.db"), at)
  write_db("now.db", 1)
  write_db("next.db", 10)
  by_address <- function() ledger(paste0("sqlite://", at, "?table=changing"), on = "day")
  expect_identical(after_change(by_address, replace), "as now")
  write_db("next.db", 100)
  con <- DBI::dbConnect(RSQLite::SQLite(), at)
  x <- ledger(con, table = "changing", on = "day")
  asked_of_changing(x)
  replace()
  expect_error(statement(x, a = total(fare)), "was replaced after the connection",
               class = "rollingledger_error_connection")
  DBI::dbDisconnect(con)
  # Within a statement and its verb.
  x <- by_address()
  s <- statement(x, per = "month", a = total(fare))
  write_db("next.db", 1)
  replace()
  expect_identical(suppressMessages(add_share(s, a, of = "span"))$a, c(3, 462, 355))
  # By DuckDB.
  withr::local_options(rollingledger.duckdb_library = duckdb_here())
  write_duck <- function(name, times) {
    con <- duckdb_connection_here(file.path(folder, name))
    table <- changing_fares()
    table$fare <- table$fare * times
    adbcdrivermanager::write_adbc(table, con, "changing")
    adbcdrivermanager::execute_adbc(con, "CHECKPOINT")
    adbcdrivermanager::adbc_connection_release(con)
    adbcdrivermanager::adbc_database_release(attr(con, "database"))
  }
  write_duck("now.duckdb", 1)
  write_duck("next.duckdb", 10)
  by_duck <- function() {
    ledger(paste0("duckdb://", file.path(folder, "now.duckdb"), "?table=changing"), on = "day")
  }
  expect_identical(after_change(by_duck, function() {
    file.rename(file.path(folder, "next.duckdb"), file.path(folder, "now.duckdb"))
  }), "as now")
})

test_that("files left in place are those that are there now", {
  withr::local_options(rollingledger.duckdb_library = duckdb_here())
  folder <- withr::local_tempdir()
  write <- function(name, times, columns = names(changing_fares())) {
    table <- changing_fares()[columns]
    table$fare <- table$fare * times
    path <- file.path(folder, name)
    if (grepl("parquet$", name)) nanoparquet::write_parquet(table, path)
    else data.table::fwrite(table, path)
  }
  for (kind in c("csv", "parquet")) {
    if (kind == "parquet") skip_if_not_installed("nanoparquet")
    name <- function(i) sprintf("%d.%s", i, kind)
    pattern <- file.path(folder, paste0("*.", kind))
    make <- function() ledger(pattern, hold = FALSE, on = "day")
    write(name(1), 1)
    write(name(2), 1)
    changes <- list(
      "one more" = function() write(name(3), 2),
      "one less" = function() file.remove(file.path(folder, name(2))),
      "another under its name" = function() {
        write(paste0("x", name(1)), 3)
        file.rename(file.path(folder, paste0("x", name(1))), file.path(folder, name(1)))
      },
      "as large, and as old" = function() {
        path <- file.path(folder, name(1))
        before <- file.mtime(path)
        write(name(1), 4)
        Sys.setFileTime(path, before)
      },
      "columns in another order" = function() write(name(1), 1, c("fee", "fare", "route", "day")),
      "a column less" = function() write(name(1), 1, c("day", "route", "fare")))
    for (change in names(changes)) {
      found <- after_change(make, changes[[change]])
      expect_identical(found, if (change == "a column less") "refused" else "as now",
                       info = paste(kind, change))
    }
    unlink(file.path(folder, "*"))
  }
})

test_that("files of one layout are read by their names, each in its own way", {
  withr::local_options(rollingledger.duckdb_library = duckdb_here())
  folder <- withr::local_tempdir()
  write <- function(name, lines) writeLines(lines, file.path(folder, name))
  asked <- function(...) {
    y <- ledger(file.path(folder, "*.csv"), hold = FALSE, on = "day")
    x <- ledger(file.path(folder, "*.csv"), on = "day")
    alike(x, y, by = "code", a = "total(fare)", fees = "total(fee)", last = "balance(fare)")
    statement(y, a = total(fare), fees = total(fee), last = balance(fare))
  }
  write("a.csv", c("day,code,fare,fee", "2026-01-30,007,1,10", "2026-01-31,,2,20"))
  write("b.csv", c("fee;day;fare;code", "70;2026-02-02;7;010", "30;2026-02-02;3;007"))
  write("c.csv", c("day,code,fare,fee", "2026-02-02,1,4.25,40", "2026-01-02,007,8,80"))
  got <- asked()
  expect_identical(c(got$a, got$fees, got$last), c(25.25, 250, 4.25))
  write("d.csv", c("day,code,fare", "2026-02-02,1,4"))
  expect_error(ledger(file.path(folder, "*.csv"), hold = FALSE, on = "day"),
               "d.csv lacks the column `fee`", class = "rollingledger_error_source")
  skip_if_not_installed("nanoparquet")
  # Finer amounts in a later file are not rounded.
  con <- duckdb_connection_here()
  put <- function(name, sql) adbcdrivermanager::execute_adbc(con, sprintf(
    "COPY (SELECT %s) TO '%s' (FORMAT parquet)", sql, file.path(folder, name)))
  put("a.parquet", "DATE '2026-01-01' AS day, CAST(1.25 AS DECIMAL(9, 2)) AS fare, 2 AS fee")
  put("b.parquet", paste("CAST(3 AS BIGINT) AS fee, CAST(0.1234 AS DECIMAL(9, 4)) AS fare,",
                         "DATE '2026-01-02' AS day"))
  x <- ledger(file.path(folder, "*.parquet"), hold = FALSE, on = "day")
  got <- statement(x, a = total(fare), fees = total(fee))
  expect_identical(c(got$a, got$fees), c(1.3734, 5))
  put("c.parquet", "DATE '2026-01-03' AS day, CAST(0.015625 AS DOUBLE) AS fare, 4 AS fee")
  x <- ledger(file.path(folder, "*.parquet"), hold = FALSE, on = "day")
  expect_equal(statement(x, a = total(fare))$a, 1.389025, tolerance = 1e-15)
  put("d.parquet", "DATE '2026-01-03' AS day, 'many' AS fare, 4 AS fee")
  expect_error(ledger(file.path(folder, "*.parquet"), hold = FALSE, on = "day"),
               "is DECIMAL.9,2. in a.parquet and VARCHAR in d.parquet",
               class = "rollingledger_error_source")
})

test_that("a cluster: every change on any shard is seen", {
  skip_if_not(with_clusters())
  at <- clickhouse_here()
  table <- changing_fares()
  table$row_no <- seq_len(nrow(table))
  make <- function() ledger(clickhouse_address("?table=changing&order=row_no"), on = "day")
  on_shards <- function(sql, shards = 1:2) for (i in shards) at$run(sql, i)
  put <- function(times = 1) {
    table$fare <- table$fare * times
    server$tools$put_into_shards(at, table, "changing")
  }
  changes <- list(
    nothing = function() NULL,
    "made anew at once" = function() put(2),
    inserted = function() at$run(paste(
      "INSERT INTO ferries.changing_here (day, route, fare, fee, row_no) VALUES",
      "('2026-02-01', 'Gull Rock', 1000, 1, 99)"), 2),
    "a column less on one shard" = function() {
      at$run("ALTER TABLE ferries.changing_here DROP COLUMN fee", 2)
    },
    "made anew on one shard" = function() {
      at$run("DROP TABLE ferries.changing_here", 2)
      at$run(paste("CREATE TABLE ferries.changing_here (day Date, route Nullable(String),",
                   "fare Nullable(Float64), fee Nullable(Float64), row_no Nullable(Int32))",
                   "ENGINE = MergeTree() ORDER BY tuple()"), 2)
      at$run(paste("INSERT INTO ferries.changing_here SELECT toDate('2026-01-30') + number,",
                   "'Gull Rock', 3, 4, 2 * number FROM system.numbers LIMIT 20"), 2)
    },
    swapped = function() {
      for (i in 1:2) {
        at$run("DROP TABLE IF EXISTS ferries.other", i)
        at$run(paste("CREATE TABLE ferries.other ENGINE = MergeTree() ORDER BY tuple() AS SELECT",
                     "day, route, fare * 7 AS fare, fee, row_no FROM ferries.changing_here"), i)
        at$run(paste("RENAME TABLE ferries.changing_here TO ferries.between,",
                     "ferries.other TO ferries.changing_here"), i)
        at$run("DROP TABLE ferries.between", i)
      }
    })
  for (name in names(changes)) {
    put()
    found <- after_change(make, changes[[name]])
    expect_true(found %in% c("as now", "refused"), info = paste(name, found))
  }
})

test_that("a table that is said to stand still is looked at once, and again when asked", {
  withr::local_options(rlib_message_verbosity = "default")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  fares <- data.frame(sailed_on = c("2026-01-05", "2026-01-20", "2026-02-03"),
                      route = c("Tern Head", "Wickholm", "Wickholm"), fare = c(10.5, 20, 5))
  DBI::dbWriteTable(con, "fares", fares)
  x <- suppressMessages(ledger(con, table = "fares", on = "sailed_on", looks = "once"))
  each <- suppressMessages(ledger(con, table = "fares", on = "sailed_on"))
  ask <- function(x) suppressMessages(statement(x, per = "month", income = total(fare)))
  s <- ask(x)
  expect_match(format(x), "looked at once, on [0-9]+ [A-Z][a-z]{2} [0-9]{4} at [0-9:]{5}$",
               all = FALSE)
  expect_no_match(paste(format(each), collapse = "\n"), "looked at")
  DBI::dbExecute(con, "INSERT INTO fares VALUES ('2026-02-10', 'Tern Head', 4)")
  stamp <- x$engine$stamp
  expect_identical(ask(x)$income, c(30.5, 5))
  expect_identical(add_running(s, income)$income_running, c(30.5, 35.5))
  expect_identical(x$engine$stamp, stamp)
  expect_identical(ask(each)$income, c(30.5, 9))
  expect_message(look_again(x), "Other entries: 3 entries, .* 4 entries")
  expect_identical(ask(x)$income, c(30.5, 9))
  expect_message(add_share(s, income, of = "span"), "worked out again")
  expect_message(look_again(x), "may be others \\(4 entries")
  # Of what is read once there is nothing to look at.
  expect_refused(look_again(ledger(fares, on = "sailed_on")), "holds its entries", "choice")
  file <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(fares, file, row.names = FALSE)
  expect_refused(ledger(file, on = "sailed_on", looks = "once"), "is read once", "choice")
})
