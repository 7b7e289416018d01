# Databases, and files that stay where they are, side by side in one run: the demo statement against
# the same SQL typed by hand, what comes back from the engine, and the memory of R. Run through
# `make bench`; writes its tables of bench/README.md.
#
# Each engine is asked in a process of its own (this file again, with arguments), so that memory is
# that of one way alone.
suppressMessages(library(rollingledger))
source("bench/common.R")
source("tools/free-ports.R")
source("tools/postgres.R")
arguments <- commandArgs(TRUE)
entries <- as.numeric(Sys.getenv("ROLLINGLEDGER_BENCH_ENTRIES", "1e7"))
options(rollingledger.duckdb_library = duckdb_library_here())

made_up_file <- function(file) {
  set.seed(7)
  days <- as.integer(as.Date("2021-10-01")) + sample.int(1813L, entries, TRUE) - 1L
  data.table::fwrite(data.table::data.table(
    sailed_on = structure(days, class = c("IDate", "Date")),
    route = sample(sprintf("Route %d", 1:6), entries, TRUE),
    channel = sample(c("web", "app", "quay", "agent"), entries, TRUE),
    account = sprintf("%06d", sample.int(50000L, entries, TRUE)),
    fare = round(stats::runif(entries, -20, 500), 2)), file)
}

demo_statement <- function(x) {
  statement(x, per = "month", by = "route", span = "last 12 months", income = total(fare),
            trips = entries(), riders = distinct(account), yield = income / trips) |>
    add_running(income, since = "fiscal year") |>
    add_rolling(income, over = "3 months") |>
    add_change(income, from = "1 year back")
}

april <- ledger_calendar(fiscal_start = "April")

# What someone who knows how would type: one statement for the figures of days, one for the people.
by_hand <- list(
  cells = paste("SELECT sailed_on, route, SUM(fare) AS income, COUNT(*) AS trips FROM fares",
                "WHERE sailed_on BETWEEN '2024-09-01' AND '2026-08-31'",
                "GROUP BY sailed_on, route"),
  people = c(
    sqlite = paste("SELECT SUBSTR(sailed_on, 1, 7) AS month, route, COUNT(DISTINCT account) AS",
                   "riders FROM fares WHERE sailed_on BETWEEN '2025-09-01' AND '2026-08-31'",
                   "GROUP BY 1, 2"),
    others = paste("SELECT date_trunc('month', sailed_on) AS month, route, COUNT(DISTINCT account)",
                   "AS riders FROM fares WHERE sailed_on BETWEEN '2025-09-01' AND '2026-08-31'",
                   "GROUP BY 1, 2")))

# list(connect, ledger, hand): how each engine is reached.
way_of <- function(engine, at) {
  ask <- function(x, ...) ledger(x, ..., on = c(sailed = "sailed_on"), calendar = april)
  if (engine == "SQLite") {
    con <- DBI::dbConnect(RSQLite::SQLite(), at)
    return(list(ledger = function() ask(con, table = "fares"), hand = function() {
      DBI::dbGetQuery(con, by_hand$cells)
      DBI::dbGetQuery(con, by_hand$people[["sqlite"]])
    }))
  }
  if (engine == "PostgreSQL") {
    con <- DBI::dbConnect(RPostgres::Postgres(), host = "127.0.0.1", port = as.integer(at),
                          user = "ferry", dbname = "postgres")
    return(list(ledger = function() ask(con, table = "fares"), hand = function() {
      DBI::dbGetQuery(con, by_hand$cells)
      DBI::dbGetQuery(con, by_hand$people[["others"]])
    }))
  }
  if (engine == "DuckDB") {
    con <- adbcdrivermanager::adbc_connection_init(adbcdrivermanager::adbc_database_init(
      adbcdrivermanager::adbc_driver(getOption("rollingledger.duckdb_library"),
                                     "duckdb_adbc_init"), path = at, access_mode = "READ_ONLY"))
    fetch <- function(sql) as.data.frame(adbcdrivermanager::read_adbc(con, sql))
    return(list(ledger = function() ask(sprintf("duckdb://%s?table=fares", at)), hand = function() {
      fetch(by_hand$cells)
      fetch(by_hand$people[["others"]])
    }))
  }
  list(ledger = function() ask(at, hold = engine == "held"), hand = NULL)
}

peak_megabytes <- function() {
  line <- grep("^VmHWM", readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}

# One engine in this process: medians of the first look, the statement and the SQL by hand, what
# came back, and memory. The statement is asked of a ledger that was looked at and asked nothing.
measured <- function(engine, at, rounds = 5) {
  way <- way_of(engine, at)
  times <- matrix(NA_real_, rounds, 3, dimnames = list(NULL, c("look", "asked", "hand")))
  held <- NULL
  for (round in seq_len(rounds)) {
    gc(FALSE)
    times[round, "look"] <- system.time(x <- suppressMessages(way$ledger()))[["elapsed"]]
    before <- x$engine$sent
    times[round, "asked"] <- system.time(s <- demo_statement(x))[["elapsed"]]
    if (!is.null(x$engine)) held <- x$engine$sent - before
    if (!is.null(way$hand)) times[round, "hand"] <- system.time(way$hand())[["elapsed"]]
  }
  list(engine = engine, times = apply(times, 2, stats::median), sent = held,
       memory = peak_megabytes(), income = sum(s$income), riders = sum(s$riders))
}

if (length(arguments) == 3) {
  saveRDS(measured(arguments[1], arguments[2]), arguments[3])
  quit(save = "no")
}

folder <- tempfile("bench-engines-", tmpdir = "/tmp")
dir.create(folder, mode = "0755")
csv <- file.path(folder, "fares.csv")
made_up_file(csv)
places <- c("CSV" = csv, "Parquet" = file.path(folder, "fares.parquet"),
            DuckDB = file.path(folder, "fares.duckdb"), SQLite = file.path(folder, "fares.db"))
con <- adbcdrivermanager::adbc_connection_init(adbcdrivermanager::adbc_database_init(
  adbcdrivermanager::adbc_driver(getOption("rollingledger.duckdb_library"), "duckdb_adbc_init"),
  path = places[["DuckDB"]]))
run <- function(...) adbcdrivermanager::execute_adbc(con, sprintf(...))
run("CREATE TABLE fares (sailed_on DATE, route VARCHAR, channel VARCHAR, account VARCHAR,
     fare DECIMAL(12,2))")
run("INSERT INTO fares SELECT * FROM read_csv('%s', all_varchar = true)", csv)
run("COPY fares TO '%s' (FORMAT parquet)", places[["Parquet"]])
adbcdrivermanager::adbc_connection_release(con)
rm(con)
invisible(gc())
local({
  con <- DBI::dbConnect(RSQLite::SQLite(), places[["SQLite"]])
  DBI::dbWriteTable(con, "fares", as.data.frame(data.table::fread(
    csv, colClasses = c(sailed_on = "character", account = "character"))))
  DBI::dbDisconnect(con)
})
server <- start_postgres(c("shared_buffers=1GB"))
Sys.chmod(csv, "0644")
local({
  con <- DBI::dbConnect(RPostgres::Postgres(), host = "127.0.0.1", port = server$port,
                        user = server$user, dbname = server$database)
  DBI::dbExecute(con, "CREATE TABLE fares (sailed_on date, route text, channel text, account text,
                       fare numeric(12,2))")
  DBI::dbExecute(con, sprintf("COPY fares FROM '%s' (FORMAT csv, HEADER)", csv))
  DBI::dbExecute(con, "VACUUM ANALYZE fares")
  DBI::dbDisconnect(con)
})
places[["PostgreSQL"]] <- as.character(server$port)
places[["held"]] <- csv

results <- lapply(c("SQLite", "PostgreSQL", "DuckDB", "Parquet", "CSV", "held"), function(engine) {
  out <- file.path(folder, "result.rds")
  unlink(out)
  system2("Rscript", c("bench/engines.R", engine, places[[engine]], out))
  readRDS(out)
})
server$stop()
unlink(folder, recursive = TRUE)
incomes <- vapply(results, function(one) one$income, 0)
people <- vapply(results, function(one) one$riders, 0)
stopifnot(all(incomes == incomes[1]), all(people == people[1]))

column <- function(one) {
  hand <- one$times[["hand"]]
  sprintf("| %s | %s | %s | %s | %s | %s | %.0f MB |",
          if (one$engine == "held") "CSV, held in memory" else one$engine, ms(one$times[["look"]]),
          ms(one$times[["asked"]]), if (is.na(hand)) "" else ms(hand),
          if (is.na(hand)) "" else sprintf("%.2f", one$times[["asked"]] / hand),
          if (is.null(one$sent)) "" else sprintf("%.0f KB in %.0f", one$sent[["bytes"]] / 1024,
                                                one$sent[["statements"]]), one$memory)
}
report <- c(
  sprintf("**The demo statement on %.0f million entries in engines**", entries / 1e6), "",
  paste("| entries in | first look | statement | SQL by hand | times by hand | came back, in",
        "statements | memory of R |"), "|---|---:|---:|---:|---:|---:|---:|",
  vapply(results, column, ""), "",
  machine_line(c("RSQLite", "RPostgres", "adbcdrivermanager"), 2L, paste(
    "PostgreSQL 15 on loopback, fsync off; DuckDB with 2 threads and 400 MB. Medians of 5 runs,",
    "each with a ledger made anew; a statement is the five columns and the distinct count.")))
cat(report, sep = "\n")
put_between_marks(report, "engines")
