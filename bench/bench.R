# Side by side in one run: the first and the next statement against the same done by hand, and
# against the least that reading the columns can cost. Run through `make bench`; writes the tables
# of bench/README.md between its marks.

suppressMessages({
  library(rollingledger)
  library(data.table)
  library(collapse)
})
# Too little for cells and lists: every statement is worked out from entries.
options(rollingledger.threads = NULL, rollingledger.cache_bytes = 1e6)
threads <- rollingledger:::core_threads()
setDTthreads(threads)
set_collapse(nthreads = threads)
source("bench/common.R")
Rcpp::sourceCpp("bench/plain-pass.cpp", cacheDir = file.path(".build", "bench"))

made_up <- function(n) {
  set.seed(n)
  list(
    # 2021-01-01 onwards
    sailed_on = structure(18628L + sample.int(1826L, n, TRUE) - 1L, class = "Date"),
    route = sample(sprintf("Route %d", 1:8), n, TRUE),
    quay = sample(sprintf("Quay %02d", 1:12), n, TRUE),
    fare = round(stats::runif(n, -20, 500), 2)
  )
}

# The month of each day, by a table of the days there are: what someone who knows how would do.
first_day <- 18628L
months <- local({
  days <- as.Date(first_day + 0:1825, "1970-01-01")
  as.integer(format(days, "%Y")) * 12L + as.integer(format(days, "%m"))
})
month_of <- function(day) months[as.integer(day) - first_day + 1L]

first_statement <- function(columns, rounds) {
  frame <- data.frame(columns)
  table <- as.data.table(columns)
  side_by_side(list(
    "Rolling Ledger" = function() {
      x <- ledger(frame, on = "sailed_on")
      statement(x, per = "month", by = c("route", "quay"), income = total(fare), trips = entries())
    },
    data.table = function() table[, .(income = sum(fare), trips = .N),
                                  keyby = .(month = month_of(sailed_on), route, quay)],
    collapse = function() {
      g <- GRP(list(month = month_of(frame$sailed_on), route = frame$route, quay = frame$quay))
      data.frame(g$groups, income = fsum(frame$fare, g, use.g.names = FALSE), trips = g$group.sizes)
    },
    dplyr = function() {
      frame |>
        dplyr::group_by(month = month_of(sailed_on), route, quay) |>
        dplyr::summarise(income = sum(fare), trips = dplyr::n(), .groups = "drop")
    }
  ), rounds)
}

next_statement <- function(columns, rounds) {
  x <- ledger(data.frame(columns), on = "sailed_on")
  day <- as.integer(columns$sailed_on)
  route <- match(columns$route, sprintf("Route %d", 1:8))
  quay <- match(columns$quay, sprintf("Quay %02d", 1:12))
  fare <- columns$fare
  coded <- data.table(day, route, quay, fare)
  frame <- data.frame(day, route, quay, fare)
  first_month <- min(months)
  side_by_side(list(
    "plain pass" = function() plain_pass(day, route, quay, fare, threads),
    "Rolling Ledger" = function() {
      statement(x, per = "month", by = c("route", "quay"), income = total(fare), trips = entries())
    },
    data.table = function() coded[, .(income = sum(fare), trips = .N),
                                  keyby = .(month = month_of(day), route, quay)],
    collapse = function() {
      # One number per combination, so that nothing needs to be hashed or sorted.
      groups <- 60L * 96L
      id <- (month_of(day) - first_month) * 96L + (route - 1L) * 12L + quay
      g <- structure(id, N.groups = groups, class = c("qG", "na.included"))
      list(income = fsum(fare, g), trips = fnobs(fare, g))
    },
    dplyr = function() {
      frame |>
        dplyr::group_by(month = month_of(day), route, quay) |>
        dplyr::summarise(income = sum(fare), trips = dplyr::n(), .groups = "drop")
    }
  ), rounds)
}

building <- function(columns, rounds) {
  frame <- data.frame(columns)
  side_by_side(list(
    "Rolling Ledger" = function() ledger(frame, on = "sailed_on"),
    data.table = function() {
      table <- as.data.table(frame)
      table[, c("route", "quay") := list(factor(route), factor(quay))]
      setkey(table, sailed_on)
    }
  ), rounds)
}

same_figures <- function(columns) {
  s <- statement(ledger(data.frame(columns), on = "sailed_on"), per = "month",
                 by = c("route", "quay"), income = total(fare), trips = entries())
  by_hand <- as.data.table(columns)[, .(income = sum(fare), trips = .N),
                                    keyby = .(month = month_of(sailed_on), route, quay)]
  stopifnot(all.equal(s$income, by_hand$income, tolerance = 1e-9),
            identical(as.integer(s$trips), by_hand$trips))
}

# Phrases of the language, one by one, and a calendar of 100 years.
saying_when <- function(rounds) {
  calendar <- ledger_calendar(fiscal_start = "April")
  phrases <- rollingledger:::span_example_phrases()
  as_of <- as.Date("2026-09-17")
  repeats <- 40L
  times <- vapply(phrases, function(phrase) {
    one <- function() for (i in seq_len(repeats)) span(phrase, calendar, as_of = as_of)
    one()
    stats::median(
      vapply(seq_len(rounds), function(round) system.time(one(), gcFirst = FALSE)[["elapsed"]],
             0)) / repeats
  }, 0)
  days <- seq(as.Date("2000-01-01"), as.Date("2099-12-31"), by = 1)
  tables <- side_by_side(list(
    "Rolling Ledger" = function() calendar_table(calendar, days[1], days[length(days)]),
    "base R" = function() {
      date <- as.POSIXlt(days)
      year <- date$year + 1900L
      fiscal <- year + (date$mon >= 3L)
      data.frame(day = days, weekday = weekdays(days), week = format(days, "%G-W%V"),
                 month = format(days, "%Y-%m"),
                 quarter = sprintf("%d-Q%d", year, date$mon %/% 3L + 1L), year = year,
                 fiscal_month = sprintf("FY%d-M%02d", fiscal, (date$mon - 3L) %% 12L + 1L),
                 fiscal_quarter = sprintf("FY%d-Q%d", fiscal, (date$mon - 3L) %% 12L %/% 3L + 1L),
                 fiscal_year = sprintf("FY%d", fiscal), working = !date$wday %in% c(0L, 6L))
    }
  ), rounds)
  list(phrases = times, tables = tables)
}

when <- saying_when(as.integer(Sys.getenv("BENCH_ROUNDS", "7")))
slowest <- names(which.max(when$phrases))

sizes <- as.numeric(strsplit(Sys.getenv("BENCH_SIZES", "1e6,1e7"), ",")[[1]])
rounds <- as.integer(Sys.getenv("BENCH_ROUNDS", "7"))
out <- character()
kept <- list()
for (n in sizes) {
  columns <- made_up(n)
  if (n == sizes[1]) same_figures(columns)
  label <- sprintf("%s million entries", format(n / 1e6))
  message(label)
  a <- first_statement(columns, max(3, rounds - 2))
  b <- next_statement(columns, rounds)
  c <- building(columns, max(3, rounds - 2))
  out <- c(out, paste("###", label), "",
           table_of("(a) first statement from a data frame, encoding included", a,
                    "Rolling Ledger"),
           table_of("(b) next statement on the ready ledger; peers on ready integer codes", b,
                    "plain pass"),
           table_of("building the ledger; data.table turns the text into factors and sorts by day",
                    c, "Rolling Ledger"))
  kept[[label]] <- list(a = a, b = b, c = c)
}
small <- kept[[1]]
large <- kept[[length(kept)]]
best_peer <- min(large$b[c("data.table", "collapse", "dplyr")])
growth <- function(part) large[[part]][["Rolling Ledger"]] / small[[part]][["Rolling Ledger"]]
judged <- c(
  "| wanted | measured |", "|---|---|",
  sprintf("| next statement within 2 times the plain pass | %.1f times |",
          large$b[["Rolling Ledger"]] / large$b[["plain pass"]]),
  sprintf("| at least 5 times faster than the best peer given ready integer codes | %.1f times |",
          best_peer / large$b[["Rolling Ledger"]]),
  sprintf("| building no slower than data.table's factors and sort | %.2f of its time |",
          large$c[["Rolling Ledger"]] / large$c[["data.table"]]),
  sprintf(
    paste0("| growth from %s to %s at most linear (%.0f times the entries) | first statement ",
           "%.1f times, next statement %.1f times |"),
          names(kept)[1], names(kept)[length(kept)], sizes[length(sizes)] / sizes[1], growth("a"),
    growth("b")),
  sprintf(
    "| a phrase resolved in under 1 ms | median of %d examples %.2f ms; slowest %.2f ms (%s) |",
    length(when$phrases),
          1000 * stats::median(when$phrases), 1000 * max(when$phrases), slowest),
  sprintf("| the calendar of 100 years of days under 0.2 s | %s |",
          ms(when$tables[["Rolling Ledger"]])),
  ""
)
out <- c(out, "### Saying when", "",
         table_of("a table of all days of 2000 to 2099 with their periods", when$tables,
                  "Rolling Ledger"))
machine <- machine_line(c("data.table", "collapse", "dplyr"), threads,
                        sprintf(
                          paste0("Medians of %d rounds (first statement and building: %d), each ",
                                 "way in turn."), rounds, max(3, rounds - 2)))
report <- c(machine, "", judged, out)
cat(report, sep = "\n")
put_between_marks(report, "measured")
