# Progress of long work, on a terminal and nowhere else.

on_terminal <- function() isatty(stderr())

# list(step, done): functions to be called after each of `n` steps and, however the work ends, at
# its end. cli shows its bar once work has taken a moment, and only where it can be drawn over.
progress_steps <- function(n, says) {
  quiet <- function(...) invisible()
  if (n < 2 || !on_terminal() || !rlang::is_installed("cli"))
    return(list(step = quiet, done = quiet))
  bar <- cli::cli_progress_bar(says, total = n, .envir = NULL, .auto_close = FALSE)
  list(step = function() cli::cli_progress_update(id = bar),
       done = function() cli::cli_progress_done(id = bar))
}
