# Writes docs/promises.md: what is promised, how it is tested, by which command, and what the tests
# and runs gave today. The figures come from the runs that this makes, or from the files that
# longer ones left in BUILD.
#
#   Rscript tools/promises.R BUILD ROUNDS
#
# ROUNDS: of random tests, "few", "some" or "yes" for all.
build <- commandArgs(TRUE)[1]
rounds <- commandArgs(TRUE)[2]
Sys.setenv(ROLLINGLEDGER_ALL_ROUNDS = rounds)
suppressPackageStartupMessages({
  library(testthat)
  library(rollingledger)
})

# One promise: its words, how it is tested, the files of tests, the command, and a figure measured
# beside them (a function that gives a text).
promise <- function(says, tested, files, command = "make test", also = NULL) {
  list(says = says, tested = tested, files = files, command = command, also = also)
}

number <- function(n) format(n, big.mark = ",")

# Random questions of the package and of the slow engine, as told by its last line.
oracle_says <- function() {
  out <- system2(file.path(R.home("bin"), "Rscript"), c("tests/oracle/run.R", "300q", "1"),
                 stdout = TRUE)
  if (!is.null(attr(out, "status"))) stop(paste(utils::tail(out, 20), collapse = "\n"))
  sprintf("random questions of the slow engine: %s", sub("^oracle: ", "", out[length(out)]))
}

# How often what came was in the range: months of the demo and of each of its routes, each foreseen
# from the days before it.
ranges_say <- function() {
  x <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
  inside <- unlist(lapply(c(NA, unique(as.character(demo_fares$route))), function(one) {
    own <- if (is.na(one)) x else keep_entries(x, route == !!one)
    s <- statement(own, per = "month", span = "latest 24 months", fare = total(fare))
    suppressMessages(back_test(add_expected(s, fare), fare))$inside
  }))
  inside <- inside[!is.na(inside)]
  sprintf("months of the demo, back-tested: %d of %d in the range that is to hold 8 of 10",
          sum(inside), length(inside))
}

# The long run, as it was kept: rows, and what changed from its third quarter to the last.
kept <- "docs/soak.csv"
long_run <- function() {
  own <- file.path(build, "soak.csv")
  if (file.exists(own)) invisible(file.copy(own, kept, overwrite = TRUE))
  if (file.exists(kept)) utils::read.csv(kept)
}

soak_says <- function() {
  rows <- long_run()
  if (is.null(rows)) return("not run here")
  last <- rows[nrow(rows), ]
  part <- cut(seq_len(nrow(rows)), 4, labels = FALSE)
  names <- c("peak", "in_use", "drawn", "handles", "files", "connections")
  grows <- vapply(names, function(name) {
    stats::median(rows[[name]][part == 4]) - stats::median(rows[[name]][part == 3])
  }, 1)
  sprintf(paste("%s acts in %.0f minutes; from the third quarter to the last (medians) the most it",
                "took %+.0f MB, in use %+.0f MB, where as many figures of ggplot2 alone leave",
                "%+.0f MB, %+.0f handles, %+.0f files, %+.0f connections"),
          number(last$acts), last$minutes, grows["peak"], grows["in_use"],
          grows["drawn"] * rows$alone[1], grows["handles"], grows["files"], grows["connections"])
}

promises <- list(
  promise("Sums are exact to the cent, in any order of the entries",
          "against sums of whole numbers, and a slow second engine that shares no code",
          c("source-exact", "measure-figures", "measure-currencies"), "make test, make fuzz",
          oracle_says),
  promise("Windows are days of the calendar, never rows",
          "against windows worked out day by day, over gaps, leap years and fiscal calendars",
          c("statement-rolling", "statement-running", "statement-change", "span-properties")),
  promise("Nothing is lost: entries read are those used, kept out by a condition, and set aside",
          "files harmed at random, each row accounted for with its line and reason",
          c("ledger", "file-evidence", "file-totals", "source-append")),
  promise("Every figure has its entries, and they sum to it",
          "for random statements with all verbs, in memory and in engines",
          c("statement-entries", "statement-control")),
  promise("No total adds up what does not add up",
          "distinct members, averages and ratios at every level against the entries themselves",
          c("statement-totals", "statement-subtotals", "statement-rest")),
  promise("A period that is not over is marked, and held against as many days",
          "statements, figures and pages of every grain on every day of a period",
          c("statement-spans", "figure-unfinished", "figure-told")),
  promise("No code is run from questions, briefs, files or sentences",
          "texts at random and texts that would leave a trace", c("random-text", "brief-guards",
                                                                  "sentence")),
  promise("Nothing is written elsewhere, nothing that is read is overwritten, files are whole",
          "links, folders, full disks, runs that are killed", c("report-files", "brief-guards",
                                                                "core-paths"),
          "make test, make test-command"),
  promise("All of one answer is of one state of the entries",
          "tables that change while they are asked", c("source-unchanged", "ledger-handle"),
          "make test, make test-engines"),
  promise("The same question gives the same figures wherever the entries lie",
          "random questions in memory, SQLite, PostgreSQL and DuckDB",
          "source-engines-questions", "make test-engines, make test-cluster"),
  promise("An answer from several servers is whole, or an error",
          "servers that stop, lag, lie or leave in the middle", "source-engines-broken",
          "make test-engines, make test-cluster, make drill"),
  promise("Ranges of what is expected hold as often as they say",
          "months of real and made-up series foreseen from the days before them",
          c("statement-expected-real", "statement-expected"), also = ranges_say),
  promise("What is said to stand out does so beyond chance",
          "series in which nothing happens, and those with a planted break",
          "statement-unusual"),
  promise("The lines of a change add up to it", "random changes, to the cent", "statement-why"),
  promise("R, the command and a sentence give the same", "the book of answers, line by line",
          "answers", "make test-vignettes"),
  promise(paste("Long use takes no more memory, but for what drawing leaves, and no more handles,",
                "files or connections"),
          "mixed work in one process for hours", NULL, "make soak", soak_says)
)

counted <- function(files) {
  if (is.null(files)) return(NULL)
  filter <- sprintf("^(%s)$", paste(files, collapse = "|"))
  results <- as.data.frame(testthat::test_dir(
    "tests/testthat", filter = filter, package = "rollingledger", load_package = "installed",
    reporter = "silent", stop_on_failure = FALSE))
  failed <- sum(results$failed) + sum(results$error)
  passed <- sum(results$nb) - failed - sum(results$skipped)
  list(passed = passed, failed = failed, skipped = sum(results$skipped))
}

rows <- character()
broken <- FALSE
for (one in promises) {
  counts <- counted(one$files)
  also <- if (!is.null(one$also)) one$also()
  broken <- broken || isTRUE(counts$failed > 0)
  figures <- c(if (!is.null(counts))
    sprintf("%s %s passed, %s failed%s", number(counts$passed),
            if (counts$passed == 1) "check" else "checks", number(counts$failed),
            if (counts$skipped > 0) sprintf(", %s skipped", number(counts$skipped)) else ""),
    also)
  where <- if (!is.null(one$files)) paste(sprintf("`test-%s.R`", one$files), collapse = ", ")
  rows <- c(rows, sprintf("| %s | %s%s | %s | %s |", one$says, one$tested,
                          if (is.null(where)) "" else paste0(" (", where, ")"),
                          paste(sprintf("`%s`", strsplit(one$command, ", ")[[1]]), collapse = ", "),
                          paste(figures, collapse = "; ")))
  message(one$says, ": ", paste(figures, collapse = "; "))
}

# The table of long use: rows at even steps.
held <- long_run()
table <- if (is.null(held)) "Not run yet." else {
  at <- held[unique(round(seq(1, nrow(held), length.out = min(12, nrow(held))))), ]
  c(paste("| acts | minutes | figures drawn | in use, MB | resident, MB | at most, MB |",
          "of R's, MB | handles | temporary files | connections |"),
    "|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|",
    sprintf("| %s | %.0f | %s | %.0f | %.0f | %.0f | %.0f | %d | %d | %d |", number(at$acts),
            at$minutes, number(at$drawn), at$in_use, at$resident, at$peak, at$of_r, at$handles,
            at$files, at$connections), "",
    "In use and resident are what is left after all that is free was given back; at most is the",
    "highest that the process stood at since the row before. R keeps the names of the parts of",
    sprintf("each page that is drawn for good: a figure of ggplot2 alone left %.2f MB in use.",
            held$alone[1]),
    "What a ledger keeps of older questions was held to 8 MB (`rollingledger.cache_bytes`), so",
    "that the run begins with it full.")
}

writeLines(c(
  "# What is promised, and how it is tested", "",
  sprintf(paste("Written by `make promises ROUNDS=%s` on %s, R %s, %d cores, from the runs",
                "themselves."), rounds, format(Sys.Date()), getRversion(), parallel::detectCores()),
  "",
  "| promise | how it is tested | by | today's figures |", "|---|---|---|---|", rows, "",
  "## Long use", "",
  "`make soak` does mixed work in one process: statements, appends, acts on the page, sentences,",
  "briefs, figures, pages and workbooks, files, SQLite, PostgreSQL, DuckDB, and what changed,",
  "stands out and is to be expected. What it held after each hundred acts, at even steps:", "",
  table), "docs/promises.md")
if (broken) stop("A promise is broken.")
