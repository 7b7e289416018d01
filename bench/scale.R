# Sizes behind docs/scale.md: how many cells entries make, what cells weigh, and how merging grows
# with partitions. Run through `make bench-cluster`; writes its tables of docs/scale.md.
suppressMessages(library(rollingledger))
source("bench/common.R")
inside <- asNamespace("rollingledger")

# Cells that so many entries make at most, spread evenly over days and groups.
cells_expected <- function(entries, days, groups) {
  places <- as.double(days) * groups
  places * -expm1(-entries / places)
}

resident_megabytes <- function() {
  line <- grep("^VmRSS", readLines("/proc/self/status"), value = TRUE)
  as.numeric(gsub("[^0-9]", "", line)) / 1024
}

# ---- how many cells -----------------------------------------------------------------------

counted <- function(entries, days, groups) {
  set.seed(1)
  day <- sample.int(days, entries, TRUE)
  group <- sample.int(groups, entries, TRUE)
  length(unique(day * 1e6 + group))
}
of_cells <- do.call(rbind, lapply(c(1e5, 1e6, 1e7), function(entries) {
  do.call(rbind, lapply(c(6, 96, 5000), function(groups) {
    data.frame(entries, groups, expected = cells_expected(entries, 1826, groups),
               counted = counted(entries, 1826, groups))
  }))
}))
stopifnot(all(abs(of_cells$counted / of_cells$expected - 1) < 0.01))

# ---- partitions of cells, merged ------------------------------------------------------------

# Each partition has cells of all days and groups, as shards have where entries fall on them evenly.
partition <- function(days, groups) {
  n <- days * groups
  list(day = rep(20000L + seq_len(days), each = groups), group = rep(seq_len(groups) - 1L, days),
       count = as.double(sample.int(50, n, TRUE)), sum = as.double(sample.int(100000, n, TRUE)))
}
merged <- function(parts, groups) {
  day <- unlist(lapply(parts, `[[`, "day"))
  group <- unlist(lapply(parts, `[[`, "group"))
  bits <- inside$core_bits_of_numbers
  slots <- lapply(c("count", "sum"), function(name) bits(unlist(lapply(parts, `[[`, name))))
  known <- inside$core_groups_listed(list(seq_len(groups) - 1L), groups)
  of_rows <- inside$core_groups_of_numbers(known, as.integer(group))
  gc(FALSE)
  before <- resident_megabytes()
  seconds <- system.time(cube <- inside$core_cube_of_cells(
    day, of_rows, slots, c(0L, 2L), min(day), max(day), inside$core_threads()))[["elapsed"]]
  list(seconds = seconds, cube = cube, megabytes = resident_megabytes() - before)
}
set.seed(2)
days <- 730L
groups <- 500L
of_parts <- do.call(rbind, lapply(c(1, 4, 16, 64), function(k) {
  parts <- lapply(seq_len(k), function(i) partition(days, groups))
  times <- vapply(1:3, function(i) merged(parts, groups)$seconds, 0)
  data.frame(parts = k, rows = k * days * groups, seconds = stats::median(times))
}))

table_of_rows <- function(heads, rows) {
  c(paste0("| ", paste(heads, collapse = " | "), " |"),
    paste0("|", strrep("---:|", length(heads))), rows)
}
number <- function(x) format(round(x), big.mark = ",", scientific = FALSE, trim = TRUE)
report <- c(
  table_of_rows(c("entries", "groups", "cells by the formula", "cells counted"), sprintf(
    "| %s | %s | %s | %s |", number(of_cells$entries), number(of_cells$groups),
    number(of_cells$expected), number(of_cells$counted))), "",
  sprintf(paste("%s days and %s groups, a sum and a count each, as %s partitions of cells that are",
                "put into one cube in memory:"), number(days), number(groups), "1 to 64"), "",
  table_of_rows(c("partitions", "cells in", "time", "for each million of cells"), sprintf(
    "| %d | %s | %s | %s |", of_parts$parts, number(of_parts$rows), ms(of_parts$seconds),
    ms(of_parts$seconds / of_parts$rows * 1e6))), "",
  machine_line("Rcpp", 2L, "Medians of 3."))
cat(report, sep = "\n")
put_between_marks(report, "sizes", "docs/scale.md")

# ---- by the formulas, up to a million millions ----------------------------------------------

# Measured by bench/cluster.R on two cores, 50 million entries of five years on two shards: the demo
# question of two years takes 3.4 s; a cell is 32 bytes on its way. Merging as above.
seconds_for_entry <- 3.4 / 5e7
cell_bytes <- 32
seconds_for_cell <- of_parts$seconds[4] / of_parts$rows[4]
sizes <- 10^(6:12)
shards <- pmax(1, sizes / 1e9)
cells <- cells_expected(sizes, 730, 96)
each <- cells_expected(sizes / shards, 730, 96)
rows <- sprintf(
  "| 10^%d | %s | %.1f MB | %s | %s | %s | %s |", log10(sizes), number(cells),
  cells * cell_bytes / 2^20, number(shards), ms(sizes / shards * seconds_for_entry),
  number(shards * each), ms(shards * each * seconds_for_cell))
report <- table_of_rows(c("entries", "cells of 2 years, 96 groups", "that come back", "shards",
                          "time, each on 2 cores", "cells of all shards", "their merging"), rows)
cat(report, sep = "\n")
put_between_marks(report, "reckoned", "docs/scale.md")
