# Progress of long work, on a terminal, or in a file that someone who waits looks into.

on_terminal <- function() isatty(stderr())

# list(step, done): functions to be called after each of `n` steps and, however the work ends, at
# its end. cli shows its bar once work has taken a moment, and only where it can be drawn over.
progress_steps <- function(n, says) {
  quiet <- function(...) invisible()
  file <- getOption("rollingledger.progress_file")
  if (n >= 2 && !is.null(file)) return(progress_in_file(n, says, file))
  if (n < 2 || !on_terminal() || !rlang::is_installed("cli"))
    return(list(step = quiet, done = quiet))
  bar <- cli::cli_progress_bar(says, total = n, .envir = NULL, .auto_close = FALSE)
  list(step = function() cli::cli_progress_update(id = bar),
       done = function() cli::cli_progress_done(id = bar))
}

# "Making the page: 2 of 4"
progress_in_file <- function(n, says, file) {
  at <- 0L
  tell_file <- function(...) writeLines(sprintf("%s: %d of %d", says, at, n), file)
  tell_file()
  list(step = function() {
    at <<- at + 1L
    tell_file()
  }, done = function() unlink(file))
}
