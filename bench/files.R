# Side by side in one run: a CSV to its first statement against data.table reading and summing it,
# and whole calls of the command against a bare start of R. Run through `make bench`; writes the
# tables of bench/README.md between its marks.

suppressMessages({
  library(rollingledger)
  library(data.table)
})
options(rollingledger.threads = NULL)
threads <- rollingledger:::core_threads()
setDTthreads(threads)
source("bench/common.R")
n <- as.numeric(Sys.getenv("BENCH_ROWS", "5e6"))

written_csv <- function(n, semicolons = FALSE) {
  set.seed(n)
  table <- data.table(
    ticket = seq_len(n), sailed_on = as.Date("2021-01-01") + sample(1826, n, TRUE),
    route = sample(sprintf("Route %d", 1:8), n, TRUE),
    channel = sample(c("app", "quay", "web"), n, TRUE), passengers = sample(9, n, TRUE),
    fare = round(stats::runif(n, -20, 500), 2))
  file <- tempfile(fileext = ".csv")
  if (semicolons) fwrite(table, file, sep = ";", dec = ",") else fwrite(table, file)
  file
}

to_first_statement <- function(file, rounds) {
  side_by_side(list(
    "Rolling Ledger" = function() {
      x <- ledger(file, on = "sailed_on")
      statement(x, by = "route", income = total(fare))
    },
    data.table = function() fread(file)[, .(income = sum(fare)), keyby = route]
  ), rounds)
}

whole_calls <- function(rounds) {
  command <- file.path(getwd(), "exec/rolling-ledger")
  fares <- system.file("extdata", "fares.csv.gz", package = "rollingledger")
  # A call that fails is no fast one.
  run <- function(...) function() {
    if (system2(..., stdout = FALSE, stderr = FALSE) != 0) stop("a call failed: ", ...)
  }
  by_hand <- paste0("library(data.table); x <- fread(cmd = 'gzip -dc ", fares, "'); ",
                    "x[, sum(as.numeric(fare), na.rm = TRUE), by = route]")
  side_by_side(list(
    "a bare start of R" = run("Rscript", c("-e", shQuote("invisible()"))),
    "rolling-ledger --help" = run(command, "--help"),
    "rolling-ledger spans YTD" = run(command, c("spans", "YTD")),
    "Rscript, data.table reading and summing 150,005 rows" = run("Rscript",
                                                                 c("-e", shQuote(by_hand))),
    "rolling-ledger statement of the same" = run(
      command, c("statement", fares, "--on", "sailed_on", "--by", "route", "--measure",
                 shQuote("income=total(fare)")))
  ), rounds)
}

rows <- sprintf("%s million rows", format(n / 1e6))
plain <- written_csv(n)
a <- to_first_statement(plain, 3)
continental <- written_csv(n / 5, semicolons = TRUE)
b <- side_by_side(list(
  "Rolling Ledger" = function() ledger(continental, on = "sailed_on"),
  "data.table, told the decimal mark" = function() fread(continental, dec = ",")
), 3)
calls <- whole_calls(5)
size <- sprintf("%.0f MB", file.size(plain) / 1e6)
unlink(c(plain, continental))

judged <- c(
  "| wanted | measured |", "|---|---|",
  sprintf("| a CSV of %s to its first statement within 1.3 times data.table | %.2f times |", rows,
          a[["Rolling Ledger"]] / a[["data.table"]]),
  sprintf("| `--help` within 2 times a bare start of R | %.1f times |",
          calls[["rolling-ledger --help"]] / calls[["a bare start of R"]]),
  sprintf("| a statement as a whole call within 1.5 times Rscript with data.table | %.2f times |",
          calls[["rolling-ledger statement of the same"]] /
            calls[["Rscript, data.table reading and summing 150,005 rows"]]),
  "")
report <- c(machine_line("data.table", threads, "Medians of 3 rounds (whole calls: 5)."), "",
            judged,
            table_of(sprintf("a CSV of %s (%s) to the sum by route", rows, size), a,
                     "Rolling Ledger"),
            table_of("reading a fifth of it with semicolons and decimal commas", b,
                     "Rolling Ledger"),
            table_of("whole calls", calls, "a bare start of R"))
cat(report, sep = "\n")
put_between_marks(report, "files")
