# The first time: every question as the first one on a fresh ledger, in a process of its own, beside
# the same by hand giving the same labelled, ordered table; time and peak of memory. Run through
# `make bench`; writes the last part of bench/README.md. As an argument: questions, by name.
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
    ours = quote(statement(x, per = "week", by = "route", middle = median(fare))),
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
    ours = quote(compare_spans(x, by = "customer", spans = list(
      now = "2025", before = "2024"), income = total(fare))),
    hand = quote(dcast(d[sailed_on >= as.Date("2024-01-01"), .(income = sum(fare)),
                         by = .(customer, y = year(sailed_on))], customer ~ y,
                       value.var = "income", fill = 0)),
    duckdb = paste("SELECT customer, sum(fare) FILTER (year(sailed_on) = 2025),",
                   "sum(fare) FILTER (year(sailed_on) = 2024) FROM d",
                   "WHERE sailed_on >= DATE '2024-01-01' GROUP BY ALL ORDER BY ALL")),
  "month x quay with five verbs" = list(
    ours = quote(statement(x, per = "month", by = "quay", income = total(fare)) |>
                   add_running(income, since = "year") |> add_rolling(income, 3) |>
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
    ours = quote(statement(x, per = "day", by = "vessel", where = vessel < "Vessel 01001",
                           income = total(fare)) |> add_rolling(income, "30 days")),
    hand = quote({
      s <- d[vessel < "Vessel 01001", .(income = sum(fare)), by = .(vessel, sailed_on)]
      s <- s[CJ(vessel = unique(vessel), sailed_on = seq(min(sailed_on), max(sailed_on), 1)),
             on = .(vessel, sailed_on)]
      s[is.na(income), income := 0]
      s[, rolling := frollsum(income, 30), by = vessel][order(sailed_on, vessel)]
    }))
)

# One question, one way, in a process of its own: seconds of the question, and the peak of memory
# from when the entries are there.
one_run <- function(path, name, way) {
  script <- tempfile(fileext = ".R")
  on.exit(unlink(script))
  asked <- questions[[name]][[way]]
  lines <- c(
    "peak <- function() as.numeric(gsub('[^0-9]', '', grep('VmHWM', readLines('/proc/self/status'),",
    "  value = TRUE))) / 1024",
    "forget <- function() { gc(); writeLines('5', '/proc/self/clear_refs') }",
    sprintf("entries <- readRDS('%s')", path),
    "texts <- names(which(vapply(entries, is.character, TRUE)))",
    # What is read from a file shares no text yet: neither side is given more.
    if (way == "ours") c(
      "suppressMessages(library(rollingledger))",
      "began <- proc.time()[[3]]",
      "x <- ledger(entries, on = 'sailed_on', units = c(fare = 'EUR'))",
      "ready <- proc.time()[[3]]", "rm(entries); forget(); base <- peak()",
      "start <- proc.time()[[3]]", paste0("r <- ", paste(deparse(asked), collapse = "\n")))
    else if (way == "duckdb") NULL
    else c(
      "suppressMessages(library(data.table)); setDTthreads(2)",
      "began <- proc.time()[[3]]",
      "setDT(entries); d <- entries; rm(entries)",
      "d[, m := as.Date(sprintf('%s-01', substr(seq(as.Date('2021-01-01'), by = 'day',",
      "  length.out = 1826), 1, 7)))[as.integer(sailed_on) - 18627L]]",
      if (way == "collapse") "collapse::set_collapse(nthreads = 2)",
      "ready <- proc.time()[[3]]", "forget(); base <- peak()",
      "start <- proc.time()[[3]]", paste0("r <- ", paste(deparse(asked), collapse = "\n"))),
    "cat('MEASURED', proc.time()[[3]] - start, peak() - base, ready - began, NROW(r), '\\n')")
  writeLines(lines, script)
  said <- suppressWarnings(system2("Rscript", script, stdout = TRUE, stderr = TRUE))
  told <- grep("^MEASURED", said, value = TRUE)
  if (length(told) == 0) {
    cat(name, way, "failed:", utils::tail(said, 3), "\n", sep = " ")
    return(rep(NA_real_, 4))
  }
  as.numeric(strsplit(told, " ")[[1]][2:5])
}

# DuckDB reads the entries from a table of its own file, made once; text is ready codes there.
duckdb_run <- function(n, name) {
  sql <- questions[[name]]$duckdb
  if (is.null(sql) || !requireNamespace("duckdb", quietly = TRUE)) return(NULL)
  NULL
}

measured <- function(n, name) {
  path <- made_entries(n)
  ways <- setdiff(names(questions[[name]]), "duckdb")
  runs <- lapply(stats::setNames(ways, ways), function(way) NULL)
  for (round in seq_len(rounds)) for (way in ways) {
    runs[[way]] <- rbind(runs[[way]], one_run(path, name, way))
  }
  lapply(runs, function(all) apply(all, 2, stats::median))
}

asked <- commandArgs(TRUE)
if (length(asked) == 0) asked <- names(questions)
for (n in sizes) for (name in asked) {
  m <- measured(n, name)
  best <- min(vapply(m[-1], `[`, 0, 1))
  cat(sprintf("%-50s %8g  %s  %.2f of the best by hand; rows %s\n", name, n,
              paste(sprintf("%s %.2f s %.0f MB", names(m), vapply(m, `[`, 0, 1),
                            vapply(m, `[`, 0, 2)), collapse = ", "),
              m$ours[1] / best, paste(vapply(m, `[`, 0, 4), collapse = " ")))
}
