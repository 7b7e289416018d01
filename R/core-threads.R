# How many threads the core may use: an option, then the environment, then the cores. At most
# two where a check limits them. Nothing global is set.

core_threads <- function() {
  given <- getOption("rollingledger.threads") %||% Sys.getenv("ROLLINGLEDGER_THREADS", "")
  given <- suppressWarnings(as.integer(given))
  threads <- if (length(given) == 1 && !is.na(given) && given > 0) given else parallel_cores()
  if (nzchar(Sys.getenv("_R_CHECK_LIMIT_CORES_", ""))) threads <- min(threads, 2L)
  as.integer(threads)
}

parallel_cores <- function() {
  cores <- suppressWarnings(parallel::detectCores())
  if (is.na(cores)) 1L else cores
}
