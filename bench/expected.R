# What is to be expected: the ends of a month of 1,000 members, each with its back-tests, beside the
# plain statement by day of the same members; and what stands out of 10,000 members' last week. Each
# of a fresh ledger. Run through `make bench`; writes the part "expected" of bench/README.md.
source("bench/common.R")
sizes <- as.numeric(strsplit(Sys.getenv("BENCH_SIZES", "2e6,1e7"), ",")[[1]])
rounds <- as.integer(Sys.getenv("BENCH_ROUNDS", "3"))
library(rollingledger)

made <- function(n, members) {
  set.seed(6)
  data.frame(sailed_on = structure(19358L + sample.int(1200L, n, TRUE), class = "Date"),
             account = factor(sprintf("A%05d", sample.int(members, n, TRUE))),
             fare = round(stats::runif(n, -5, 100), 2))
}
took <- function(entries, ask) {
  x <- ledger(entries, on = "sailed_on")
  start <- Sys.time()
  ask(x)
  as.numeric(difftime(Sys.time(), start, units = "secs"))
}
middle <- function(entries, ask) stats::median(replicate(rounds, took(entries, ask)))

report <- c(machine_line("rollingledger", rollingledger:::core_threads(),
                         sprintf("Entries over 1,200 days, medians of %d rounds.", rounds)), "",
            paste("| entries | ends of a month, 1,000 members | the same members by day | times",
                  "| what stands out of 10,000 members' week |"),
            "|---:|---:|---:|---:|---:|")
for (n in sizes) {
  entries <- made(n, 1000)
  ends <- middle(entries, function(x) {
    statement(x, per = "month", by = "account", span = "this month", income = total(fare)) |>
      add_expected(income)
  })
  plain <- middle(entries, function(x) {
    statement(x, per = "day", by = "account", income = total(fare))
  })
  entries <- made(n, 10000)
  out <- middle(entries, function(x) stands_out(x, by = "account", income = total(fare)))
  report <- c(report, sprintf("| %s | %s | %s | %.1f | %s |",
                              format(n, big.mark = ",", scientific = FALSE), ms(ends), ms(plain),
                              ends / plain, ms(out)))
}
put_between_marks(c(report, ""), "expected")
