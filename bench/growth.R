# One size in a process of its own: times and peaks of memory of building and two statements, as one
# line of CSV.
suppressMessages(library(rollingledger))
options(rollingledger.cache_bytes = 1e6)
n <- as.numeric(commandArgs(TRUE)[1])
set.seed(3)
pick <- function(names) names[sample.int(length(names), n, TRUE)]
frame <- data.frame(sailed_on = structure(18627L + sample.int(1826L, n, TRUE), class = "Date"),
                    route = pick(sprintf("Route %d", 1:8)),
                    quay = pick(sprintf("Quay %02d", 1:12)),
                    account = pick(sprintf("A%06d", 1:200000)),
                    fare = round(stats::runif(n, -20, 500), 2))
# What a first statement loads is no part of the figures.
invisible(statement(ledger(utils::head(frame, 1000), on = "sailed_on"), per = "month", by = "route",
                    riders = distinct(account), income = total(fare)))
invisible(gc())
status <- function(key) as.numeric(
  gsub("[^0-9]", "", grep(key, readLines("/proc/self/status"), value = TRUE))) / 1024
measured <- function(f) {
  invisible(gc())
  writeLines("5", "/proc/self/clear_refs")  # the peak starts again from here
  held <- status("^VmRSS")
  time <- system.time(result <- f())[["elapsed"]]
  list(result = result, time = time, mb = max(0, status("^VmHWM") - held))
}
build <- measured(function() ledger(frame, on = "sailed_on"))
x <- build$result
a <- measured(
  function() statement(x, per = "month", by = c("route", "quay"), income = total(fare),
                       trips = entries(), mean_fare = average(fare)))
d <- measured(
  function() statement(x, per = "month", by = c("route", "quay"), riders = distinct(account)))
size <- as.numeric(utils::object.size(unclass(x)[c("columns", "bases", "source_days")])) / 2^20
utils::write.csv(
  data.frame(entries = n, ledger_mb = size, build = build$time, build_mb = build$mb, a = a$time,
             a_mb = a$mb, d = d$time, d_mb = d$mb), row.names = FALSE)
