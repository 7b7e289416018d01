# Ports of loopback for servers of our own.

# `n` ports that nothing listens on now, below those that systems hand out themselves.
# They are drawn apart from the seed: processes that test side by side may have the same one, and
# would take the same ports again and again.
free_ports <- function(n) {
  kept <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(kept)) rm(".Random.seed", envir = globalenv())
          else assign(".Random.seed", kept, globalenv()))
  set.seed(NULL)
  out <- integer()
  for (port in sample(20000:32000)) {
    if (listens_nobody(port)) out <- c(out, port)
    if (length(out) == n) return(out)
  }
  stop("There are no ", n, " free ports from 20000 to 32000.", call. = FALSE)
}

listens_nobody <- function(port) {
  tryCatch({
    close(suppressWarnings(serverSocket(port)))
    TRUE
  }, error = function(e) FALSE)
}
