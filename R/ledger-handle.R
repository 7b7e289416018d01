# The handle of a ledger: what statements hold of it. It finds the ledger, and the cache of what was
# worked out from it, while they are there; both hang on it by weak references, which no file
# keeps. So a saved statement, figure or page holds no entries, and a saved ledger no cache.

new_handle <- function() new.env(parent = emptyenv())

# The object that a weak reference of the handle stands for, made where it is not there. It lies in
# an environment, as a weak reference takes a copy of anything else.
handle_object <- function(handle, what, make) {
  value <- handle_value(handle, what)
  if (!is.null(value)) return(value)
  held <- new.env(parent = emptyenv())
  held$value <- make()
  assign(what, rlang::new_weakref(handle, held), envir = handle)
  held$value
}

# The same or NULL, as in a handle that comes from a file.
handle_value <- function(handle, what) {
  if (!is.null(handle[[what]])) rlang::wref_value(handle[[what]])$value
}

# The handle of a ledger, through which it can be found again.
ledger_handle <- function(x) {
  handle_object(x$handle, "ledger", function() x)
  x$handle
}

ledger_cache <- function(x) handle_object(x$handle, "cache", new_cache)

ledger_behind <- function(handle) handle_value(handle, "ledger")

# Takes `x` for another ledger than the one it was made from.
with_new_handle <- function(x) {
  x$handle <- new_handle()
  x
}

# Names the statement that is being asked, by its id.
answering_for <- function(x, id) assign("of", id, envir = ledger_cache(x))
