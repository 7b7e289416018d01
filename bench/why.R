# Why did it change: six attributes of up to 10,000 members held against chance, with what stands
# out looked into, beside plain statements by day and one attribute, each of a fresh ledger. Run
# through `make bench`; writes the part "why" of bench/README.md.
source("bench/common.R")
n <- as.numeric(Sys.getenv("BENCH_SIZES", "1e7"))
rounds <- as.integer(Sys.getenv("BENCH_ROUNDS", "3"))
library(rollingledger)

set.seed(5)
members <- c(route = 6, quay = 12, vessel = 40, agent = 200, town = 1000, customer = 10000)
entries <- as.data.frame(lapply(members, function(many) {
  sprintf("M%05d", seq_len(many))[1 + as.integer(many * stats::runif(n)^1.5)]
}))
entries$sailed_on <- structure(19723L + sample.int(912L, n, TRUE), class = "Date")
entries$fare <- round(stats::runif(n, -5, 100), 2)
# A route that grows, so that there is something to look into.
grows <- entries$route == "M00003" & entries$sailed_on >= as.Date("2026-06-01")
entries$fare[grows] <- round(1.4 * entries$fare[grows], 2)

fresh <- function() ledger(entries, on = "sailed_on")
took <- function(ask) {
  x <- fresh()
  start <- Sys.time()
  ask(x)
  as.numeric(difftime(Sys.time(), start, units = "secs"))
}
spans <- list(month = c("2026-06", "2025-06"), quarter = c("2026-Q2", "2025-Q2"))
report <- c(machine_line("data.table", rollingledger:::core_threads(),
                         sprintf("%s entries over 912 days, medians of %d rounds.",
                                 format(n, big.mark = ",", scientific = FALSE), rounds)), "",
            paste("| spans | why, six attributes and drill",
                  "| a plain statement by day and attribute | times |"),
            "|---|---:|---:|---:|")
for (name in names(spans)) {
  span <- spans[[name]]
  why <- function(x) why_changed(x, span[1], span[2], income = total(fare))
  plain <- function(by) {
    function(x) for (one in span) statement(x, per = "day", by = by, span = one,
                                            income = total(fare))
  }
  runs <- replicate(rounds, c(took(why), mean(vapply(names(members), function(by) {
    took(plain(by))
  }, 0))))
  times <- apply(runs, 1, stats::median)
  found <- why(fresh())
  stopifnot(attr(found, "drivers")$attribute[1] == "route")
  report <- c(report, sprintf("| a %s against the same a year back | %s | %s | %.1f |", name,
                              ms(times[1]), ms(times[2]), times[1] / times[2]))
}
put_between_marks(c(report, ""), "why")
