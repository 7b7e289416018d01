# How many threads the core may use: an option, then the environment, then the cores. At most
# two where a check limits them. Nothing global is set.

core_threads <- function() {
  given <- getOption("rollingledger.threads") %||% Sys.getenv("ROLLINGLEDGER_THREADS", "")
  if (!is.numeric(given)) given <- if (grepl("^[0-9]+$", given)) as.integer(given) else NA_integer_
  threads <- if (length(given) == 1 && !is.na(given) && given > 0) given else core_processors()
  if (nzchar(Sys.getenv("_R_CHECK_LIMIT_CORES_", ""))) threads <- min(threads, 2L)
  as.integer(threads)
}
