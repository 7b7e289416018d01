# Lines of at most 100 columns, and nothing that is worked out and not used. Prints what it finds
# and how much; the status tells too.
files <- Sys.glob(c("R/*.R", "tests/testthat/*.R", "tests/oracle/*.R", "tools/*.R", "bench/*.R"))
files <- setdiff(files, "R/RcppExports.R")
linters <- list(lintr::line_length_linter(100L))
own <- list(lintr::line_length_linter(100L), lintr::object_usage_linter())
# Unused objects are looked for where the whole code of a function is known.
found <- unlist(lapply(files, function(file) {
  list(lintr::lint(file, linters = if (startsWith(file, "R/")) own else linters))
}), recursive = FALSE)
found <- do.call(c, found)
unused <- function(one) !grepl("no visible (global function|binding)", one$message)
found <- Filter(function(one) one$linter == "line_length_linter" || unused(one), found)
for (one in found) cat(sprintf("%s:%d: %s\n", one$filename, one$line_number, one$message))
in_cpp <- Sys.glob(c("src/core/*.h", "src/glue*.cpp", "src/glue.h", "tests/core/*.cpp"))
long <- unlist(lapply(in_cpp, function(file) {
  at <- which(nchar(readLines(file)) > 100)
  if (length(at) > 0) sprintf("%s:%d: more than 100 columns", file, at)
}))
if (length(long) > 0) cat(long, sep = "\n")
problems <- length(found) + length(long)
cat(sprintf("lint: %d passed, %d failed\n", length(files), problems))
quit(save = "no", status = if (problems == 0) 0 else 1)
