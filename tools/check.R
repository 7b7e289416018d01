# R CMD check of the package as it would be handed over, and what it noted. Fails on errors,
# warnings and notes, but for those whose reason is told here.
#
#   Rscript tools/check.R BUILD [flags of R CMD check]
args <- commandArgs(TRUE)
build <- normalizePath(args[1])
flags <- args[-1]
known <- c(
  # Byte code (3.6 MB) and the library (1.1 MB) alone are near the 5 MB that are noted; without byte
  # code each function would be compiled when it is called a second time.
  "checking installed package size",
  # A package that takes an hour to build, where its library serves as well.
  "Package suggested but not available for checking: .duckdb."
)
here <- getwd()
at <- file.path(build, "check")
unlink(at, recursive = TRUE)
dir.create(at)
setwd(at)
Sys.setenv("_R_CHECK_FORCE_SUGGESTS_" = "false", MAKEFLAGS = "-j2")
r <- file.path(R.home("bin"), "R")
if (system2(r, c("CMD", "build", "--no-manual", shQuote(here))) != 0) quit(status = 1)
file <- Sys.glob("rollingledger_*.tar.gz")
status <- system2(r, c("CMD", "check", "--no-manual", flags, file))
lines <- readLines("rollingledger.Rcheck/00check.log")
noted <- grep("[.][.][.] (\\[.*\\] )?(NOTE|WARNING|ERROR)$", lines)
ends <- c(grep("^[*] ", lines), length(lines) + 1)
other <- Filter(function(i) {
  text <- lines[i:(min(ends[ends > i]) - 1)]
  !any(vapply(known, function(one) any(grepl(one, text)), TRUE))
}, noted)
cat(sprintf("check: %d noted, of which %d with a reason that is told in tools/check.R\n",
            length(noted), length(noted) - length(other)))
quit(status = if (status != 0 || length(other) > 0) 1 else 0)
