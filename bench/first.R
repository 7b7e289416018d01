# The first time: every question as the first one on a fresh ledger, in a process of its own, beside
# the same by hand giving the same labelled, ordered table; time and peak of memory. Run through
# `make bench`; writes the part "the first time" of bench/README.md. With names of questions as
# arguments these alone are asked, and printed.
source("bench/common.R")
sizes <- as.numeric(strsplit(Sys.getenv("BENCH_SIZES", "1e6,1e7,3e7"), ",")[[1]])
rounds <- as.integer(Sys.getenv("BENCH_ROUNDS", "3"))
folder <- file.path(".build", "bench")
dir.create(folder, recursive = TRUE, showWarnings = FALSE)

# Entries over five years; members as text, numbers, dates and factors, of 10, 10,000 and many.
made_entries <- function(n) {
  path <- file.path(folder, sprintf("first-%g.rds", n))
  if (file.exists(path)) return(path)
  set.seed(3)
  many <- min(1e6, n / 10)
  account <- 100000L + as.integer(many * stats::runif(n)^2)
  entries <- data.frame(
    sailed_on = structure(18628L + sample.int(1826L, n, TRUE) - 1L, class = "Date"),
    route = sprintf("Route %02d", 1:10)[sample.int(10L, n, TRUE)],
    vessel = sprintf("Vessel %05d", 1:10000)[sample.int(10000L, n, TRUE)],
    account = account, customer = paste0("C", account),
    booked = structure(18500L + sample.int(1950L, n, TRUE), class = "Date"),
    passengers = sample.int(6L, n, TRUE), fare = round(stats::runif(n, -20, 500), 2))
  entries$quay <- factor(sample.int(12L, n, TRUE), labels = sprintf("Quay %02d", 1:12))
  saveRDS(entries, path, compress = FALSE)
  path
}

# What is asked, ours and by hand. By hand `d` is a data.table with a month, `m`, beside each entry.
questions <- list(
  "month x route (10, text)" = list(
    ours = quote(statement(x, per = "month", by = "route", income = total(fare))),
    hand = quote(d[, .(income = sum(fare)), keyby = .(m, route)]),
    collapse = quote({
      g <- collapse::GRP(list(d$m, d$route))
      data.frame(g$groups, income = collapse::fsum(d$fare, g))
    }),
    duckdb = "SELECT m, route, sum(fare) FROM d GROUP BY ALL ORDER BY ALL"),
  "month x quay (12, factor)" = list(
    ours = quote(statement(x, per = "month", by = "quay", income = total(fare))),
    hand = quote(d[, .(income = sum(fare)), keyby = .(m, quay)]),
    collapse = quote({
      g <- collapse::GRP(list(d$m, d$quay))
      data.frame(g$groups, income = collapse::fsum(d$fare, g))
    }),
    duckdb = "SELECT m, quay, sum(fare) FROM d GROUP BY ALL ORDER BY ALL"),
  "year x vessel (10,000, text)" = list(
    ours = quote(statement(x, per = "year", by = "vessel", income = total(fare))),
    hand = quote(d[, .(income = sum(fare)), keyby = .(year(sailed_on), vessel)]),
    duckdb = "SELECT year(sailed_on), vessel, sum(fare) FROM d GROUP BY ALL ORDER BY ALL"),
  "total by account (many, numbers)" = list(
    ours = quote(statement(x, by = "account", income = total(fare))),
    hand = quote(d[, .(income = sum(fare)), keyby = account]),
    collapse = quote({
      g <- collapse::GRP(d$account)
      data.frame(g$groups, income = collapse::fsum(d$fare, g))
    }),
    duckdb = "SELECT account, sum(fare) FROM d GROUP BY ALL ORDER BY ALL"),
  "total by customer (many, text)" = list(
    ours = quote(statement(x, by = "customer", income = total(fare))),
    hand = quote(d[, .(income = sum(fare)), keyby = customer]),
    collapse = quote({
      g <- collapse::GRP(d$customer)
      data.frame(g$groups, income = collapse::fsum(d$fare, g))
    }),
    duckdb = "SELECT customer, sum(fare) FROM d GROUP BY ALL ORDER BY ALL"),
  "month x customer (many, text)" = list(
    ours = quote(statement(x, per = "month", by = "customer", income = total(fare))),
    hand = quote(d[, .(income = sum(fare)), keyby = .(m, customer)]),
    duckdb = "SELECT m, customer, sum(fare) FROM d GROUP BY ALL ORDER BY ALL"),
  "total by day booked (a date)" = list(
    ours = quote(statement(x, by = "booked", income = total(fare))),
    hand = quote(d[, .(income = sum(fare)), keyby = booked]),
    duckdb = "SELECT booked, sum(fare) FROM d GROUP BY ALL ORDER BY ALL"),
  "distinct accounts (numbers) by month" = list(
    ours = quote(statement(x, per = "month", accounts = distinct(account))),
    hand = quote(d[, .(accounts = uniqueN(account)), keyby = m]),
    collapse = quote({
      g <- collapse::GRP(d$m)
      data.frame(g$groups, accounts = collapse::fndistinct(d$account, g))
    }),
    duckdb = "SELECT m, count(DISTINCT account) FROM d GROUP BY ALL ORDER BY ALL"),
  "distinct customers (text) by month" = list(
    ours = quote(statement(x, per = "month", customers = distinct(customer))),
    hand = quote(d[, .(customers = uniqueN(customer)), keyby = m]),
    collapse = quote({
      g <- collapse::GRP(d$m)
      data.frame(g$groups, customers = collapse::fndistinct(d$customer, g))
    }),
    duckdb = "SELECT m, count(DISTINCT customer) FROM d GROUP BY ALL ORDER BY ALL"),
  "new customers by month" = list(
    ours = quote(statement(x, per = "month", new = newcomers(customer))),
    hand = quote(d[, .(m = min(m)), by = customer][, .N, keyby = m]),
    duckdb = paste("SELECT m, count(*) FROM (SELECT min(m) AS m FROM d GROUP BY customer)",
                   "GROUP BY ALL ORDER BY ALL")),
  "median by week and route" = list(
    ours = quote(statement(x, per = "week", by = "route", middle = middle(fare))),
    hand = quote(d[, .(middle = median(fare)),
                   keyby = .(sailed_on - (as.integer(sailed_on) + 3L) %% 7L, route)]),
    collapse = quote({
      g <- collapse::GRP(list((as.integer(d$sailed_on) + 3L) %/% 7L, d$route))
      data.frame(g$groups, middle = collapse::fmedian(d$fare, g))
    }),
    duckdb = paste("SELECT date_trunc('week', sailed_on), route, median(fare) FROM d GROUP BY ALL",
                   "ORDER BY ALL")),
  "fare per passenger by month and route" = list(
    ours = quote(statement(x, per = "month", by = "route", each = total(fare) / total(passengers))),
    hand = quote(d[, .(each = sum(fare) / sum(passengers)), keyby = .(m, route)]),
    duckdb = "SELECT m, route, sum(fare) / sum(passengers) FROM d GROUP BY ALL ORDER BY ALL"),
  "first 10 customers of each month, with the rest" = list(
    ours = quote(add_rank(statement(x, per = "month", by = "customer", income = total(fare)),
                          income, keep = 10, rest = "All others")),
    hand = quote({
      all <- d[, .(income = sum(fare)), by = .(m, customer)][order(m, -income)]
      all[, rank := seq_len(.N), by = m]
      rbind(all[rank <= 10], all[rank > 10, .(customer = "All others", income = sum(income),
                                              rank = 11L), by = m])[order(m, rank)]
    }),
    duckdb = paste(
      "WITH a AS (SELECT m, customer, sum(fare) AS s FROM d GROUP BY ALL), r AS (SELECT *,",
      "row_number() OVER (PARTITION BY m ORDER BY s DESC) AS k FROM a) SELECT m,",
      "CASE WHEN k <= 10 THEN customer ELSE 'All others' END, sum(s), min(k) FROM r",
      "GROUP BY ALL ORDER BY 1, 4")),
  "two years by customer, compared" = list(
    ours = quote(compare_spans(x, "2025", "2024", by = "customer", income = total(fare))),
    hand = quote(dcast(d[sailed_on >= as.Date("2024-01-01"), .(income = sum(fare)),
                         by = .(customer, y = year(sailed_on))], customer ~ y,
                       value.var = "income", fill = 0)),
    duckdb = paste("SELECT customer, sum(fare) FILTER (year(sailed_on) = 2025),",
                   "sum(fare) FILTER (year(sailed_on) = 2024) FROM d",
                   "WHERE sailed_on >= DATE '2024-01-01' GROUP BY ALL ORDER BY ALL")),
  "month x quay with five verbs" = list(
    ours = quote(statement(x, per = "month", by = "quay", income = total(fare)) |>
                   add_running(income, since = "year") |> add_rolling(income, "3 months") |>
                   add_change(income, "1 year back") |> add_rank(income) |> add_share(income)),
    hand = quote({
      s <- d[, .(income = sum(fare)), keyby = .(m, quay)]
      s[, running := cumsum(income), by = .(quay, year(m))]
      s[, rolling := frollsum(income, 3), by = quay]
      s[, change := income - shift(income, 12), by = quay]
      s[, rank := frank(-income, ties.method = "min"), by = m]
      s[, share := 100 * income / sum(income), by = m]
    })),
  "30 days rolling, by day and 1,000 vessels" = list(
    ours = quote({
      options(rollingledger.zero_rows = 4e6)
      statement(x, per = "day", by = "vessel", where = starts_with(vessel, "Vessel 00"),
                income = total(fare)) |> add_rolling(income, "30 days")
    }),
    hand = quote({
      s <- d[startsWith(vessel, "Vessel 00"), .(income = sum(fare)), by = .(vessel, sailed_on)]
      s <- s[CJ(vessel = unique(vessel), sailed_on = seq(min(sailed_on), max(sailed_on), 1)),
             on = .(vessel, sailed_on)]
      s[is.na(income), income := 0]
      s[, rolling := frollsum(income, 30), by = vessel][order(sailed_on, vessel)]
    }))
)

# One question, one way, in a process of its own: seconds of the question, megabytes that its peak
# lies above what was there before, and rows.
one_run <- function(path, name, way) {
  script <- tempfile(fileext = ".R")
  on.exit(unlink(script))
  asked <- paste(deparse(questions[[name]][[way]]), collapse = "\n")
  lines <- c(
    "peak <- function() {",
    "  line <- grep('VmHWM', readLines('/proc/self/status'), value = TRUE)",
    "  as.numeric(gsub('[^0-9]', '', line)) / 1024",
    "}",
    "ask <- function(code) {",
    "  gc()",
    "  writeLines('5', '/proc/self/clear_refs')",
    "  base <- peak()",
    "  seconds <- system.time(r <- eval(substitute(code), globalenv()))[['elapsed']]",
    "  cat('MEASURED', seconds, peak() - base, NROW(r), '\\n')",
    "}",
    "suppressMessages(library(rollingledger))",
    switch(way,
      ours = c(
        sprintf("x <- suppressMessages(ledger(readRDS('%s'), on = 'sailed_on'))", path),
        sprintf("ask(suppressMessages(%s))", asked)),
      duckdb = c(
        "source('tools/free-ports.R'); source('tools/postgres.R')",
        "driver <- adbcdrivermanager::adbc_driver(duckdb_library_here(), 'duckdb_adbc_init')",
        "base <- adbcdrivermanager::adbc_database_init(driver, path = ':memory:')",
        "con <- adbcdrivermanager::adbc_connection_init(base)",
        "adbcdrivermanager::execute_adbc(con, 'SET threads = 2')",
        sprintf(paste("adbcdrivermanager::execute_adbc(con, \"CREATE TABLE d AS SELECT *,",
                      "date_trunc('month', sailed_on) AS m FROM read_parquet('%s')\")"),
                sub("rds$", "parquet", path)),
        sprintf("ask(as.data.frame(adbcdrivermanager::read_adbc(con, \"%s\")))",
                questions[[name]]$duckdb)),
      c(
        "suppressMessages(library(data.table)); setDTthreads(2)",
        if (way == "collapse") "suppressMessages(library(collapse)); set_collapse(nthreads = 2)",
        sprintf("d <- readRDS('%s'); setDT(d)", path),
        "days <- as.Date('2021-01-01') + 0:1825",
        "d[, m := as.Date(format(days, '%Y-%m-01'))[as.integer(sailed_on) - 18627L]]",
        sprintf("ask(%s)", asked))))
  writeLines(lines, script)
  said <- suppressWarnings(system2("Rscript", script, stdout = TRUE, stderr = TRUE))
  told <- grep("^MEASURED", said, value = TRUE)
  if (length(told) == 0) stop(name, ", ", way, ": ", paste(utils::tail(said, 3), collapse = " "))
  as.numeric(strsplit(told, " ")[[1]][2:4])
}

ways_of <- function(name) {
  has_duckdb <- requireNamespace("adbcdrivermanager", quietly = TRUE) &&
    requireNamespace("nanoparquet", quietly = TRUE)
  ways <- names(questions[[name]])
  ways <- setdiff(ways, if (!has_duckdb) "duckdb")
  setdiff(ways, if (!requireNamespace("collapse", quietly = TRUE)) "collapse")
}

# Large sizes take minutes to read: a third of the rounds.
rounds_of <- function(n) if (n >= 1e7) max(1L, rounds %/% 3L) else rounds

# Medians of each way, in turn: a matrix of seconds, megabytes and rows.
measured <- function(n, name) {
  path <- made_entries(n)
  ways <- ways_of(name)
  parquet <- sub("rds$", "parquet", path)
  if ("duckdb" %in% ways && !file.exists(parquet)) {
    nanoparquet::write_parquet(readRDS(path), parquet)
  }
  runs <- replicate(rounds_of(n), vapply(ways, function(way) one_run(path, name, way), numeric(3)))
  apply(runs, 1:2, stats::median)
}

report <- c(machine_line("data.table", rollingledger:::core_threads(),
                         "Each way in processes of its own, one after the other."), "")
asked <- commandArgs(TRUE)
if (length(asked) == 0) asked <- names(questions)
for (n in sizes) {
  report <- c(report, sprintf("### %s entries, the first question, %s", format(
    n, big.mark = ",", scientific = FALSE),
    if (rounds_of(n) == 1) "one run" else sprintf("medians of %d runs", rounds_of(n))), "",
    "| question | ours | data.table | collapse | DuckDB | times the best of these | rows |",
    "|---|---:|---:|---:|---:|---:|---:|")
  for (name in asked) {
    message(format(Sys.time(), "%H:%M:%S "), n, " ", name)
    m <- measured(n, name)
    cell <- function(way) {
      if (way %in% colnames(m)) sprintf("%s, %.0f MB", ms(m[1, way]), m[2, way]) else ""
    }
    report <- c(report, sprintf("| %s | %s | %s | %s | %s | %.2f | %s |", name, cell("ours"),
                                cell("hand"), cell("collapse"), cell("duckdb"),
                                m[1, "ours"] / min(m[1, colnames(m) != "ours"]),
                                format(m[3, "ours"], big.mark = ",")))
  }
  report <- c(report, "")
}
if (length(commandArgs(TRUE)) == 0) put_between_marks(report, "first") else writeLines(report)
