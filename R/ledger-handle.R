# The handle of a ledger: what statements hold of it. It finds the ledger, and the cache of what was
# worked out from it, while they are there; both hang on it by weak references, which no file
# keeps. So a saved statement, figure or page holds no entries, and a saved ledger no cache.

new_handle <- function() new.env(parent = emptyenv())

# The object that a weak reference of the handle stands for, made where it is not there.
held_by_handle <- function(handle, what, make) {
  value <- if (!is.null(handle[[what]])) rlang::wref_value(handle[[what]])
  if (!is.null(value)) return(value)
  value <- make()
  assign(what, rlang::new_weakref(handle, value), envir = handle)
  value
}

# The handle of a ledger, through which it can be found again.
ledger_handle <- function(x) {
  held_by_handle(x$handle, "ledger", function() x)
  x$handle
}

ledger_cache <- function(x) held_by_handle(x$handle, "cache", new_cache)

# The ledger behind a handle, or NULL where the handle comes from a file.
ledger_behind <- function(handle) if (!is.null(handle$ledger)) rlang::wref_value(handle$ledger)

# Takes `x` for another ledger than the one it was made from.
renewed <- function(x) {
  x$handle <- new_handle()
  x
}

# Keeps what a question uses until the function that calls this is done.
answering <- function(x, frame = caller_env()) {
  cache <- ledger_cache(x)
  open_cache(cache)
  # Adds to the exits of that function.
  do.call(base::on.exit, list(as.call(list(close_cache, cache)), TRUE), envir = frame)
}
