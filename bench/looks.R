# What looks cost where entries lie in many pieces: partitions, files, views. A million entries over
# five years. Run through `make bench`; writes its table of docs/scale.md.
suppressMessages(library(rollingledger))
source("bench/common.R")
source("tools/free-ports.R")
source("tools/postgres.R")
options(rollingledger.duckdb_library = duckdb_library_here())
n <- as.numeric(Sys.getenv("ROLLINGLEDGER_BENCH_ENTRIES", "1e6"))
rounds <- 3

folder <- tempfile("bench-looks-", tmpdir = "/tmp")
dir.create(folder, mode = "0755")
set.seed(9)
day <- as.Date("2021-01-01") + sample.int(1826L, n, TRUE) - 1L
fares <- data.frame(sailed_on = day[order(day)],
                    route = sample(sprintf("Route %d", 1:6), n, TRUE),
                    account = sprintf("A%05d", sample.int(20000L, n, TRUE)),
                    fare = round(stats::runif(n, -20, 500), 2))

server <- start_postgres(c("shared_buffers=512MB", "max_locks_per_transaction=1024"))
con <- DBI::dbConnect(RPostgres::Postgres(), host = "127.0.0.1", port = server$port,
                      user = server$user, dbname = server$database)
run <- function(...) invisible(suppressMessages(DBI::dbExecute(con, sprintf(...))))
columns <- "(sailed_on date, route text, account text, fare numeric(12,2))"
run("CREATE TABLE plain %s", columns)
csv <- file.path(folder, "fares.csv")
data.table::fwrite(fares, csv)
Sys.chmod(csv, "0644")
run("COPY plain FROM '%s' (FORMAT csv, HEADER)", csv)
run("CREATE TABLE parts %s PARTITION BY RANGE (sailed_on)", columns)
edges <- as.Date("2021-01-01") + round(seq(0, 1826, length.out = 1001))
for (i in 1:1000) {
  run("CREATE TABLE part_%d PARTITION OF parts FOR VALUES FROM ('%s') TO ('%s')", i, edges[i],
      edges[i + 1])
}
run("INSERT INTO parts SELECT * FROM plain")
run("CREATE VIEW seen AS SELECT sailed_on, lower(route) AS route, account, fare FROM plain")
run("CREATE TABLE elsewhere (a int)")
run("VACUUM ANALYZE")

one <- file.path(folder, "one.parquet")
nanoparquet::write_parquet(fares, one)
many <- file.path(folder, "many")
dir.create(many)
piece <- (seq_len(n) - 1L) %/% ceiling(n / 5000)
for (own in split(seq_len(n), piece)) {
  nanoparquet::write_parquet(fares[own, ], file.path(many, sprintf("%07d.parquet", own[1])))
}

ask <- function(x) {
  statement(x, per = "month", by = "route", span = "last 12 months", income = total(fare))
}
seconds <- function(code) system.time(code)[["elapsed"]]
measured <- function(make, moves = NULL) {
  times <- replicate(rounds, suppressMessages({
    x <- NULL
    look <- seconds(x <- make())
    first <- seconds(s <- ask(x))
    verbs <- seconds(add_rank(add_share(add_running(s, income), income), income))
    if (!is.null(moves)) moves()
    c(look, first, verbs, seconds(ask(x)))
  }))
  apply(times, 1, stats::median)
}
in_postgres <- function(table, ...) function() {
  ledger(con, table = table, on = "sailed_on", ...)
}
elsewhere <- function() run("INSERT INTO elsewhere VALUES (1)")
places <- list(
  "PostgreSQL, a table" = measured(in_postgres("plain"), elsewhere),
  "the same, `looks = \"once\"`" = measured(in_postgres("plain", looks = "once"), elsewhere),
  "PostgreSQL, 1,000 partitions" = measured(in_postgres("parts"), elsewhere),
  "PostgreSQL, a view" = measured(in_postgres("seen"), elsewhere),
  "Parquet, one file" = measured(function() ledger(one, on = "sailed_on", hold = FALSE)),
  "Parquet, a folder of 5,000 files" = measured(function() ledger(many, on = "sailed_on",
                                                                  hold = FALSE)))
DBI::dbDisconnect(con)
server$stop()
unlink(folder, recursive = TRUE)
report <- c(
  paste("| entries in | first look | a question | three verbs on it |",
        "asked again after a write elsewhere |"),
  "|---|---:|---:|---:|---:|",
  sprintf("| %s | %s |", names(places),
          vapply(places, function(times) paste(ms(times), collapse = " | "), "")), "",
  machine_line(c("RPostgres", "adbcdrivermanager", "nanoparquet"), 2L,
               sprintf("%.0f million entries; medians of %d.", n / 1e6, rounds)))
cat(report, sep = "\n")
put_between_marks(report, "looks", "docs/scale.md")
