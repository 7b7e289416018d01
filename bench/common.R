# What the benchmarks share: ways side by side, and tables of what they took.

# Each way in turn, round after round, so that a slow moment of the machine meets all of them.
# `once` names ways that take so long that one round must do.
side_by_side <- function(ways, rounds, once = character()) {
  times <- matrix(NA_real_, rounds + 1, length(ways), dimnames = list(NULL, names(ways)))
  for (round in seq_len(rounds + 1)) for (name in names(ways)) {
    if (name %in% once && round != 2) next
    gc(FALSE)
    start <- Sys.time()
    ways[[name]]()
    times[round, name] <- as.numeric(difftime(Sys.time(), start, units = "secs"))
  }
  apply(times[-1, , drop = FALSE], 2, stats::median, na.rm = TRUE)  # the first round warms up
}

ms <- function(seconds) {
  ifelse(seconds < 0.1, sprintf("%.1f ms", 1000 * seconds),
         ifelse(seconds < 10, sprintf("%.0f ms", 1000 * seconds), sprintf("%.1f s", seconds)))
}
table_of <- function(title, times, unit) {
  c(paste0("**", title, "**"), "", sprintf("| way | median | times %s |", unit), "|---|---:|---:|",
    sprintf("| %s | %s | %.1f |", names(times), ms(times), times / times[[unit]]), "")
}

# Puts a report between two marks of bench/README.md, or another file.
put_between_marks <- function(report, mark, file = "bench/README.md") {
  readme <- readLines(file)
  marks <- grep(sprintf("^<!-- %s: (from|to) here -->$", mark), readme)
  writeLines(c(readme[seq_len(marks[1])], "", report, readme[marks[2]:length(readme)]), file)
}

machine_line <- function(packages, threads, more) {
  versions <- paste(packages,
                    vapply(packages, function(p) as.character(utils::packageVersion(p)), ""),
                    collapse = ", ")
  sprintf("%s, %d threads of %d cores; %s; %s. %s", format(Sys.Date(), "%Y-%m-%d"), threads,
          rollingledger:::core_processors(), R.version.string, versions, more)
}
