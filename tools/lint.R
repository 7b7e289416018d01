# Lines of at most 100 columns, and nothing that is worked out and not used. Prints what it finds
# and how much; the status tells too.
files <- Sys.glob(c("R/*.R", "tests/testthat/*.R", "tests/oracle/*.R", "tools/*.R", "bench/*.R",
                    "src/core/*.h", "src/glue*.cpp", "src/glue.h", "tests/core/*.cpp"))
files <- setdiff(files, "R/RcppExports.R")
long <- unlist(lapply(files, function(file) {
  at <- which(nchar(readLines(file, warn = FALSE)) > 100)
  if (length(at) > 0) sprintf("%s:%d: more than 100 columns", file, at)
}))
# Of the code as it is installed.
unused <- character()
codetools::checkUsageEnv(asNamespace("rollingledger"),
                         report = function(text) unused <<- c(unused, text))
unused <- sub("\n$", "", grep("no visible (global function|binding)", unused, value = TRUE,
                              invert = TRUE))
found <- c(long, unused)
if (length(found) > 0) cat(found, sep = "\n")
cat(sprintf("lint: %d passed, %d failed\n", length(files), length(found)))
quit(save = "no", status = if (length(found) == 0) 0 else 1)
