# Briefs in folders of their own, with the tables that they speak of.

shipped_brief <- function(name) {
  system.file("briefs", paste0(name, ".yml"), package = "rollingledger")
}

demo_tables <- function() {
  if (is.null(server$tables)) {
    folder <- tempfile("tables")
    dir.create(folder)
    file.copy(list.files(system.file("extdata", package = "rollingledger"), full.names = TRUE),
              folder)
    thin_fares(folder)
    server$tables <- folder
  }
  server$tables
}

# Every eighth fare of the demo's file: as good for whether two ways agree, and read sooner.
thin_fares <- function(folder) {
  file <- file.path(folder, "fares.csv.gz")
  lines <- readLines(file)
  con <- gzfile(file, "w")
  writeLines(lines[c(1, seq(2, length(lines), by = 8))], con)
  close(con)
}

# A folder with a few fares as a file.
brief_folder <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  data.table::fwrite(few_fares(), file.path(folder, "fares.csv"))
  folder
}

write_brief <- function(folder, lines, name = "a.yml") {
  path <- file.path(folder, name)
  writeLines(lines, path, useBytes = TRUE)
  path
}

# A brief that can be run, for tests that break it.
good_brief <- c(
  "brief: 1", "name: Fares", "category: Board", "ledger:", "  file: fares.csv",
  "  on: {sailed: sailed_on}", "ask:", "  route:", "    kind: member", "    of: route",
  "    default: Oysterby", "  days: {kind: phrase, default: all}", "statements:", "  monthly:",
  "    per: month", "    by: route", "    span: <days>", "    where: route == <route>",
  "    measures: {income: total(fare), trips: entries()}", "    steps:",
  "    - add_running: {m: income, since: year}", "show:",
  "- table: {of: monthly, file: monthly.csv}"
)

# The brief with one line put in another's place.
with_line <- function(line, as) replace(good_brief, match(line, good_brief), as)
