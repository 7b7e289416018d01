# Measures, windows and comparisons side by side with the same done by hand, each as its own experts
# would. Run through `make bench`; writes the second part of bench/README.md. Peers are given ready
# integer codes.

suppressMessages({
  library(rollingledger)
  library(data.table)
  library(collapse)
  library(DBI)
})
options(rollingledger.threads = NULL, rollingledger.cache_bytes = 1e6)
threads <- rollingledger:::core_threads()
setDTthreads(threads)
set_collapse(nthreads = threads)
source("bench/common.R")
Rcpp::sourceCpp("bench/plain-pass.cpp", cacheDir = file.path(".build", "bench"))

n <- as.numeric(Sys.getenv("BENCH_ENTRIES", "1e7"))
rounds <- as.integer(Sys.getenv("BENCH_ROUNDS", "5"))
first_day <- 18628L  # 2021-01-01
days <- 1826L
months <- local({
  date <- as.POSIXlt(as.Date(first_day + seq_len(days) - 1L, "1970-01-01"))
  as.integer((date$year - 121L) * 12L + date$mon + 1L)  # 1 to 60
})

set.seed(11)
day <- sample.int(days, n, TRUE)
route <- sample.int(8L, n, TRUE)
quay <- sample.int(12L, n, TRUE)
account <- sample.int(200000L, n, TRUE)
vessel <- sample.int(1000L, n, TRUE)
holder <- sample.int(1000000L, n, TRUE)
fare <- round(stats::runif(n, -20, 500), 2)
made <- function(at = seq_len(n), ...) {
  data.frame(sailed_on = structure(first_day + day[at] - 1L, class = "Date"),
             route = sprintf("Route %d", 1:8)[route[at]],
             quay = sprintf("Quay %02d", 1:12)[quay[at]], fare = fare[at], ...)
}
accounts <- sprintf("A%06d", 1:200000)
x <- ledger(made(account = accounts[account], vessel = sprintf("V%04d", 1:1000)[vessel]),
            on = "sailed_on")
group <- (route - 1L) * 12L + quay
table <- data.table(day, month = months[day], group, route, quay, account, vessel, fare)
frame <- data.frame(day, fare)
by <- c("route", "quay")
ready <- function(id, groups) structure(id, N.groups = groups, class = c("qG", "na.included"))

has_duckdb <- requireNamespace("duckdb", quietly = TRUE)
if (has_duckdb) {
  duck <- dbConnect(duckdb::duckdb())
  dbExecute(duck, sprintf("SET threads TO %d", threads))
  duckdb::duckdb_register(duck, "fares", as.data.frame(table))
}
lite <- dbConnect(RSQLite::SQLite(), tempfile())
dbWriteTable(lite, "fares",
             as.data.frame(table)[c("day", "month", "group", "account", "vessel", "fare")])
in_duckdb <- function(sql) if (has_duckdb) list(DuckDB = function() dbGetQuery(duck, sql))
in_sqlite <- function(sql) list(SQLite = function() dbGetQuery(lite, sql))

say <- function(...) message(format(Sys.time(), "%H:%M:%S "), ...)
say("(a)")
plain <- function() statement(x, per = "month", by = by, income = total(fare), trips = entries(),
                              mean_fare = average(fare))
a <- side_by_side(c(list(
  "plain pass" = function() plain_pass(day, route, quay, fare, threads),
  "Rolling Ledger" = plain,
  data.table = function() table[, .(income = sum(fare), trips = .N, mean_fare = mean(fare)),
                                keyby = .(month, group)],
  collapse = function() {
    g <- ready((months[day] - 1L) * 96L + group, 5760L)
    income <- fsum(fare, g)
    trips <- fnobs(fare, g)
    data.frame(income, trips, mean_fare = income / trips)
  }),
  in_duckdb(
    "SELECT month, \"group\", SUM(fare), COUNT(*), AVG(fare) FROM fares GROUP BY ALL ORDER BY ALL"),
  in_sqlite("SELECT month, \"group\", SUM(fare), COUNT(*), AVG(fare) FROM fares GROUP BY 1, 2")
), rounds, once = "SQLite")

say("(b)")
b <- side_by_side(list(
  "statement alone" = plain,
  "with running, rolling, change, rank, share" = function() {
    plain() |> add_running(income, since = "year") |> add_rolling(income, "3 months") |>
      add_change(income, "1 year back") |>
      add_rank(income) |> add_share(income)
  }
), rounds + 2L)

say("(c)")
daily_id <- (vessel - 1L) * days + day
c_times <- side_by_side(c(list(
  "Rolling Ledger" = function() statement(x, per = "day", by = "vessel", income = total(fare),
                                          list_all = TRUE) |>
  add_rolling(income, "30 days", short = "keep"),
  data.table = function() {
    sums <- table[, .(income = sum(fare)),
                  keyby = .(vessel, day)][CJ(vessel = 1:1000, day = seq_len(days))]
    setnafill(sums, fill = 0, cols = "income")
    sums[, rolled := frollsum(income, 30), by = vessel]
  },
  collapse = function() {
    sums <- unname(fsum(fare, ready(daily_id, 1000L * days), fill = TRUE))
    sums[is.na(sums)] <- 0
    rolled <- unlist(frollsum(as.list(as.data.frame(matrix(sums, days))), 30))
    list(vessel = rep(1:1000, each = days), day = rep(seq_len(days), 1000), income = sums,
         rolled = rolled)
  }),
  in_duckdb(
    paste0("SELECT vessel, day, SUM(s) OVER (PARTITION BY vessel ORDER BY day RANGE BETWEEN 29 ",
           paste0("PRECEDING AND CURRENT ROW) FROM (SELECT vessel, day, SUM(fare) AS s FROM ",
                  "fares GROUP BY ALL)"))),
  in_sqlite(
    paste0("SELECT vessel, day, SUM(s) OVER (PARTITION BY vessel ORDER BY day RANGE BETWEEN 29 ",
           paste0("PRECEDING AND CURRENT ROW) FROM (SELECT vessel, day, SUM(fare) AS s FROM ",
                  "fares GROUP BY 1, 2)")))
), rounds, once = "SQLite")

say("(d), (e)")
d <- side_by_side(c(list(
  "Rolling Ledger" = function() statement(x, per = "month", by = by, riders = distinct(account)),
  data.table = function() unique(table[, .(month, group, account)])[, .N, keyby = .(month, group)],
  collapse = function() fndistinct(account, ready((months[day] - 1L) * 96L + group, 5760L))),
  in_duckdb(
    "SELECT month, \"group\", COUNT(DISTINCT account) FROM fares GROUP BY ALL ORDER BY ALL"),
  in_sqlite("SELECT month, \"group\", COUNT(DISTINCT account) FROM fares GROUP BY 1, 2")
), max(3L, rounds - 2L), once = "SQLite")
rolling_distinct <- function(by = NULL) statement(
  x, per = "day", by = by, riders = distinct(account)) |>
    add_rolling(riders, "30 days", short = "keep")
e <- side_by_side(list(
  "(d) distinct per month and group" = function() statement(
    x, per = "month", by = by, riders = distinct(account)),
  "rolling 30 days per day, all groups together" = rolling_distinct,
  "rolling 30 days per day and group" = function() rolling_distinct(by),
  "data.table, all groups together: a look at each window" = function() {
    sorted <- table[order(day), .(day, account)]
    ends <- findInterval(seq_len(days), sorted$day)
    starts <- c(rep(0L, 30), ends)[seq_len(days)]
    vapply(seq_len(days), function(k) uniqueN(sorted$account[(starts[k] + 1L):ends[k]]), 0L)
  }
), max(3L, rounds - 2L), once = "data.table, all groups together: a look at each window")

say("(f)")
y <- ledger(data.frame(sailed_on = structure(first_day + day - 1L, class = "Date"),
                       holder = sprintf("H%07d", 1:1000000)[holder], fare), on = "sailed_on")
f <- side_by_side(list(
  "Rolling Ledger" = function() suppressMessages(
    statement(y, per = "month", by = "holder", income = total(fare))),
  data.table = function() data.table(month = months[day], holder,
                                     fare)[, .(income = sum(fare)), keyby = .(month, holder)],
  collapse = function() {
    g <- GRP(list(month = months[day], holder = holder))
    data.frame(g$groups, income = fsum(fare, g, use.g.names = FALSE))
  }
), 3L)
rm(y)

say("(g)")
old <- made(account = accounts[account])
new <- data.frame(sailed_on = structure(rep(first_day + days, 10000), class = "Date"),
                  route = "Route 3", quay = "Quay 07", fare = round(stats::runif(10000, 1, 90), 2),
                  account = sample(accounts, 10000))
every <- rbind(old, new)
question <- function(x) statement(x, per = "month", by = by, income = total(fare),
                                  trips = entries())
base <- ledger(old, on = "sailed_on")
options(rollingledger.cache_bytes = NULL)
invisible(question(base))
g <- side_by_side(list(
  "append and refresh" = function() question(append_entries(base, new)),
  "building anew and asking" = function() question(ledger(every, on = "sailed_on"))
), rounds)
stopifnot(identical(question(append_entries(base, new))$income,
                    question(ledger(every, on = "sailed_on"))$income))
options(rollingledger.cache_bytes = 1e6)
rm(old, new, every, base, x)
dbDisconnect(lite)

say("memory and growth")
sizes <- as.numeric(strsplit(Sys.getenv("BENCH_GROWTH", "1e6,1e7,3e7"), ",")[[1]])
grown <- do.call(rbind, lapply(sizes, function(size) {
  lines <- system2("Rscript", c("bench/growth.R", format(size, scientific = FALSE)), stdout = TRUE)
  utils::read.csv(text = lines)
}))

peers <- function(times) min(
  times[intersect(names(times), c("data.table", "collapse", "DuckDB", "SQLite"))])
ours <- function(times) times[["Rolling Ledger"]]
judged <- c(
  "| wanted | measured |", "|---|---|",
  sprintf(
    "| (a) month x 96 groups, total, count, average: within 2 times the plain pass | %.1f times |",
    ours(a) / a[["plain pass"]]),
  sprintf(
    paste0("| (b) with running, 3-month rolling, year-back change, rank and share: within 1.3 ",
           "times (a) | %.2f times |"), b[[2]] / b[[1]]),
  sprintf(
    paste0("| (c) daily 30-day rolling totals of 1,000 groups: at least 5 times faster than the ",
           "best peer | %.1f times |"), peers(c_times) / ours(c_times)),
  sprintf(
    paste0("| (d) distinct accounts per month and group: at least 3 times faster than the best ",
           "peer | %.1f times |"), peers(d) / ours(d)),
  sprintf(
    paste0("| (e) rolling 30-day distinct accounts per day: within 3 times (d) | %.1f times; per ",
           "group %.1f times |"), e[[2]] / e[[1]], e[[3]] / e[[1]]),
  sprintf("| (f) 1,000,000 groups by month | %.1f times as fast as the best peer |",
          peers(f) / ours(f)),
  sprintf("| (g) append 10,000 entries and refresh: under 1/50 of building anew | 1/%.0f |",
          g[[2]] / g[[1]]), "")
growth <- c(
  paste0("**memory and growth, each size in a process of its own** (one run each; peaks are ",
         "beyond what the process held before, and memory freed by then is used again)"), "",
            "| entries | ledger | building | its peak | (a) | its peak | (d) | its peak |",
  "|---:|---:|---:|---:|---:|---:|---:|---:|",
            sprintf("| %s million | %.0f MB | %s | %.0f MB | %s | %.0f MB | %s | %.0f MB |",
                    format(grown$entries / 1e6), grown$ledger_mb, ms(grown$build), grown$build_mb,
                    ms(grown$a), grown$a_mb, ms(grown$d), grown$d_mb), "")
out <- c(
  table_of("(a) total, count and average by month and 96 groups", a, "plain pass"),
  table_of("(b) five verbs more", b, "statement alone"),
  table_of("(c) 30-day rolling totals per day of 1,000 groups", c_times, "Rolling Ledger"),
  table_of("(d) distinct accounts (of 200,000) per month and 96 groups", d, "Rolling Ledger"),
  table_of("(e) rolling 30-day distinct accounts per day, exact", e, names(e)[1]),
  table_of("(f) a million groups by month", f, "Rolling Ledger"),
  table_of("(g) 10,000 entries appended, and the statement asked again", g, "append and refresh"),
  growth)
machine <- machine_line(c("data.table", "collapse", "RSQLite"), threads,
                        sprintf(
                          paste0("%s million entries; medians of %d rounds, each way in turn ",
                                 "(SQLite and the window-by-window peer once); DuckDB %s."),
                          format(n / 1e6), rounds,
                                if (has_duckdb) as.character(utils::packageVersion("duckdb"))
                                else "not installed"))
report <- c(machine, "", judged, out)
cat(report, sep = "\n")
put_between_marks(report, "figures")
