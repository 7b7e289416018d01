# Clusters, side by side in one run: the demo statement on ClickHouse with two shards, and on
# PostgreSQL over two servers, against the same SQL typed by hand; what comes back; how time grows
# with entries, groups and shards; entries that are added and asked again; and a table of sums by
# day. Run through `make bench-cluster`; writes its tables of bench/README.md.
suppressMessages(library(rollingledger))
source("bench/common.R")
source("tools/free-ports.R")
source("tools/clickhouse.R")
source("tools/postgres.R")
sizes <- as.numeric(strsplit(Sys.getenv("ROLLINGLEDGER_BENCH_ENTRIES", "1e7,5e7"), ",")[[1]])
april <- ledger_calendar(fiscal_start = "April")

demo_statement <- function(x, by = "route") {
  statement(x, per = "month", by = by, span = "last 12 months", income = total(fare),
            trips = entries(), riders = distinct(account), yield = income / trips) |>
    add_running(income, since = "fiscal year") |>
    add_rolling(income, over = "3 months") |>
    add_change(income, from = "1 year back")
}

# Entries that each shard makes for itself, from numbers that are mixed up.
fill_clickhouse <- function(at, entries, table = "fares", from = 0) {
  shards <- nrow(at$ports)
  for (i in seq_len(shards)) {
    for (name in c(table, paste0(table, "_here"))) at$run(paste("DROP TABLE IF EXISTS ferries.",
                                                                name, sep = ""), i)
    columns <- paste("(sailed_on Date, route String, channel String, pier String, account String,",
                     "fare Decimal(12,2))")
    at$run(sprintf(paste("CREATE TABLE ferries.%s_here %s ENGINE = MergeTree()",
                         "PARTITION BY toYYYYMM(sailed_on) ORDER BY sailed_on"), table, columns), i)
    at$run(sprintf("CREATE TABLE ferries.%s %s ENGINE = Distributed(ferries, ferries, %s_here)",
                   table, columns, table), i)
    add_clickhouse(at, entries / shards, table, i, from)
  }
}

add_clickhouse <- function(at, entries, table, i, from = 0) {
  at$run(sprintf(paste(
    "INSERT INTO ferries.%s_here SELECT toDate(18901 + h %% 1813),",
    "concat('Route ', toString(intHash64(h + 1) %% 6 + 1)),",
    "['web', 'app', 'quay', 'agent'][intHash64(h + 2) %% 4 + 1],",
    "concat('Pier ', toString(intHash64(h + 3) %% 500)),",
    "toString(100000 + intHash64(h + 4) %% 50000),",
    "toDecimal64(toInt64(intHash64(h + 5) %% 52000) - 2000, 2) / 100",
    "FROM (SELECT intHash64(number * %d + %.0f) AS h FROM numbers(%.0f))"),
    table, nrow(at$ports), i + from, entries), i)
}

hand_clickhouse <- function(at, table = "fares") {
  fetch <- function(sql) {
    data.table::fread(text = at$run(paste(sql, "FORMAT TabSeparatedWithNames")), sep = "\t")
  }
  fetch(sprintf(paste("SELECT sailed_on, route, sum(fare) AS income, count() AS trips FROM",
                      "ferries.%s WHERE sailed_on BETWEEN '2024-09-01' AND '2026-08-31'",
                      "GROUP BY sailed_on, route"), table))
  fetch(sprintf(paste("SELECT toStartOfMonth(sailed_on) AS month, route, count(DISTINCT account)",
                      "AS riders FROM ferries.%s WHERE sailed_on BETWEEN '2025-09-01' AND",
                      "'2026-08-31' GROUP BY month, route"), table))
}

hand_postgres <- function(con) {
  DBI::dbExecute(con, "SET enable_partitionwise_aggregate = on")
  DBI::dbGetQuery(con, paste(
    "SELECT sailed_on, route, SUM(fare) AS income, COUNT(*) AS trips FROM fares WHERE sailed_on",
    "BETWEEN '2024-09-01' AND '2026-08-31' GROUP BY sailed_on, route"))
  DBI::dbGetQuery(con, paste(
    "SELECT date_trunc('month', sailed_on) AS month, route, COUNT(DISTINCT account) AS riders",
    "FROM fares WHERE sailed_on BETWEEN '2025-09-01' AND '2026-08-31' GROUP BY 1, 2"))
}

# Medians of the first look, the statement and the SQL by hand; each with a ledger made anew.
measured <- function(label, make, hand = NULL, ask = demo_statement, rounds = 5) {
  times <- matrix(NA_real_, rounds, 3, dimnames = list(NULL, c("look", "asked", "hand")))
  for (round in seq_len(rounds)) {
    gc(FALSE)
    times[round, "look"] <- system.time(x <- suppressMessages(make()))[["elapsed"]]
    before <- x$engine$sent
    times[round, "asked"] <- system.time(s <- ask(x))[["elapsed"]]
    if (!is.null(hand)) times[round, "hand"] <- system.time(hand())[["elapsed"]]
  }
  list(label = label, times = apply(times, 2, stats::median), sent = x$engine$sent - before,
       income = sum(s$income))
}

line_of <- function(one) {
  hand <- one$times[["hand"]]
  sprintf("| %s | %s | %s | %s | %s | %.0f KB in %.0f |", one$label, ms(one$times[["look"]]),
          ms(one$times[["asked"]]), if (is.na(hand)) "" else ms(hand),
          if (is.na(hand)) "" else sprintf("%.2f", one$times[["asked"]] / hand),
          one$sent[["bytes"]] / 1024, one$sent[["statements"]])
}

ask_clickhouse <- function(at, table = "fares") {
  function() ledger(at$address(table), on = c(sailed = "sailed_on"), calendar = april)
}

million <- function(n) sprintf("%.0f million", n / 1e6)
rows <- list()
at <- start_clickhouse(2)
for (i in 1:2) at$run("CREATE DATABASE ferries", i)
for (n in c(1e6, sizes)) {
  fill_clickhouse(at, n)
  rows <- c(rows, list(measured(sprintf("%s, 2 shards", million(n)), ask_clickhouse(at),
                                function() hand_clickhouse(at))))
}
# Groups, at the first of the sizes.
fill_clickhouse(at, sizes[1])
for (by in list("route", c("route", "channel"), "pier")) {
  groups <- c(route = 6, "route channel" = 24, pier = 500)[[paste(by, collapse = " ")]]
  rows <- c(rows, list(measured(sprintf("%s, by %d groups", million(sizes[1]), groups),
                                ask_clickhouse(at), ask = function(x) demo_statement(x, by))))
}
# Entries that are added on a shard, and the same ledger asked again.
x <- ask_clickhouse(at)()
s <- demo_statement(x)
again <- vapply(1:5, function(round) {
  add_clickhouse(at, 10000, "fares", 1, from = round * 1e9)
  system.time(s <<- demo_statement(x))[["elapsed"]]
}, 0)
unchanged <- vapply(1:5, function(round) system.time(demo_statement(x))[["elapsed"]], 0)
# A table of sums by day, which the cluster keeps.
for (i in 1:2) {
  at$run(paste("CREATE TABLE ferries.days_here ENGINE = SummingMergeTree() PARTITION BY",
               "toYear(sailed_on) ORDER BY (sailed_on, route, channel) AS SELECT sailed_on, route,",
               "channel, sum(fare) AS fare, toUInt64(count()) AS tickets FROM ferries.fares_here",
               "GROUP BY sailed_on, route, channel"), i)
  at$run(paste("CREATE TABLE ferries.days AS ferries.days_here ENGINE =",
               "Distributed(ferries, ferries, days_here)"), i)
}
sums <- function(x) {
  statement(x, per = "month", by = "route", span = "last 12 months", income = total(fare),
            trips = entries(), yield = income / trips) |>
    add_running(income, since = "fiscal year") |> add_rolling(income, over = "3 months") |>
    add_change(income, from = "1 year back")
}
of_days <- measured("sums by day, no distinct members", function() {
  ledger_cells(at$address("days"), on = c(sailed = "sailed_on"), calendar = april,
               entries = "tickets")
}, ask = sums)
of_entries <- measured("the same of the entries", ask_clickhouse(at), ask = sums)
stopifnot(all.equal(of_days$income, of_entries$income))
rows <- c(rows, list(of_entries, of_days))
at$stop()
for (shards in c(1, 4)) {
  at <- start_clickhouse(shards)
  for (i in seq_len(shards)) at$run("CREATE DATABASE ferries", i)
  fill_clickhouse(at, sizes[1])
  rows <- c(rows, list(measured(sprintf("%s, %d shard%s", million(sizes[1]), shards,
                                        if (shards == 1) "" else "s"),
                                ask_clickhouse(at), function() hand_clickhouse(at))))
  at$stop()
}
# PostgreSQL over two servers.
servers <- start_postgres_over_servers(2)
empty <- data.frame(sailed_on = as.Date("2026-01-01"), route = "", channel = "", account = "",
                    fare = 0)[0, ]
put_over_servers(servers, empty, "fares", "sailed_on", cuts = "2024-03-26",
                 types = c(fare = "numeric(12,2)"))
first <- c("2021-10-01", "2024-03-26")
for (i in 1:2) {
  there <- connect_postgres(servers$parts[[i]])
  DBI::dbExecute(there, sprintf(paste(
    "INSERT INTO fares SELECT DATE '%s' + CAST(floor(random() * 906) AS int),",
    "'Route ' || CAST(1 + floor(random() * 6) AS int),",
    "(ARRAY['web', 'app', 'quay', 'agent'])[1 + CAST(floor(random() * 4) AS int)],",
    "CAST(100000 + CAST(floor(random() * 50000) AS int) AS text),",
    "CAST(random() * 520 - 20 AS numeric(12,2)) FROM generate_series(1, %.0f)"), first[i],
    sizes[1] / 2))
  DBI::dbExecute(there, "VACUUM ANALYZE fares")
  DBI::dbDisconnect(there)
}
con <- connect_postgres(servers$at)
DBI::dbExecute(con, "ANALYZE fares")
rows <- c(rows, list(measured(
  sprintf("%s, PostgreSQL over 2 servers", million(sizes[1])),
  function() ledger(con, table = "fares", on = c(sailed = "sailed_on"), calendar = april),
  function() hand_postgres(con), rounds = 3)))
DBI::dbDisconnect(con)
servers$stop()

report <- c(
  "**The demo statement on clusters**", "",
  "| entries | first look | statement | SQL by hand | times by hand | came back, in statements |",
  "|---|---:|---:|---:|---:|---:|", vapply(rows, line_of, ""), "",
  sprintf(paste("10,000 entries added on a shard of %s, and the statement asked again of the same",
                "ledger: %s; asked again without: %s."), million(sizes[1]),
          ms(stats::median(again)), ms(stats::median(unchanged))), "",
  machine_line("curl", 2L, paste(
    "All servers on this one machine, so more shards are more work for the same cores. ClickHouse",
    "18.16.1, PostgreSQL 15. Medians of 5 runs (PostgreSQL 3), each with a ledger made anew.")))
cat(report, sep = "\n")
put_between_marks(report, "cluster")
