# What was worked out once and is kept for the next question. A cache belongs to a ledger and lives
# as long as it does; it is never saved. Keys are lists of what was asked, hashed as they are:
# "first days" of a column is never mistaken for a column of that name. Bytes are counted: beyond
# the limit goes what alone is larger than it, then what has not been used for longest. What a
# statement and its verbs use stays until another is asked, whatever the limit.

new_cache <- function() {
  cache <- new.env(parent = emptyenv())
  # A list: names in an environment are never given back.
  cache$items <- list()
  cache$bytes <- 0
  cache$tick <- 0
  cache$open <- 0L
  cache$of <- NULL  # the statement that is being asked, by its id, and the tick at which it began
  cache$since <- 0
  cache
}

# The most that a ledger's cache holds of older questions.
cache_limit <- function() getOption("rollingledger.cache_bytes", 2^28)

cached <- function(cache, key) {
  item <- cache$items[[key]]
  if (is.null(item)) return(NULL)
  cache$tick <- item$tick <- cache$tick + 1
  cache$items[[key]] <- item
  item$value
}

put_in_cache <- function(cache, key, value, bytes) {
  before <- cache$items[[key]]$bytes
  cache$tick <- cache$tick + 1
  cache$items[[key]] <- list(value = value, bytes = bytes, tick = cache$tick)
  cache$bytes <- cache$bytes + bytes - (if (is.null(before)) 0 else before)
  if (cache$open == 0L) trim_cache(cache)
  value
}

# `make` gives the value; `bytes` counts it.
kept_in <- function(cache, key, make,
                    bytes = function(value) as.double(utils::object.size(value))) {
  name <- rlang::hash(key)
  value <- cached(cache, name)
  if (!is.null(value)) return(value)
  value <- make()
  put_in_cache(cache, name, value, bytes(value))
}

# The same for what covers a run of days: one that covers more serves as well. `make` gives
# list(from, to, value, bytes) for at least the days asked for.
kept_for_days <- function(cache, key, from, to, make) {
  value <- held_for_days(cache, key, from, to)
  if (is.null(value)) put_for_days(cache, key, make()) else value
}

# What is kept that covers a run of days, or NULL.
held_for_days <- function(cache, key, from, to) {
  for (item in cached(cache, rlang::hash(key))) {
    if (item$from <= from && item$to >= to) return(item$value)
  }
}

put_for_days <- function(cache, key, made) {
  name <- rlang::hash(key)
  held <- cached(cache, name)
  covered <- vapply(held, function(item) item$from >= made$from && item$to <= made$to, TRUE)
  held <- utils::head(c(list(made), held[!covered]), most_runs_of_days)
  put_in_cache(cache, name, held, sum(vapply(held, function(item) item$bytes, 0)))
  made$value
}

most_runs_of_days <- 4L

# While a question is answered nothing that it uses goes. One that does not follow on the statement
# `of` lets go of what was used before.
open_cache <- function(cache, of) {
  if (cache$open == 0L && (is.null(of) || !identical(of, cache$of))) {
    cache$of <- of
    cache$since <- cache$tick
    trim_cache(cache)
  }
  cache$open <- cache$open + 1L
}

close_cache <- function(cache) {
  cache$open <- cache$open - 1L
  if (cache$open == 0L) trim_cache(cache)
}

trim_cache <- function(cache) {
  limit <- cache_limit()
  if (cache$bytes <= limit || identical(cache$all_new, cache$since)) return(invisible())
  keys <- names(cache$items)
  ticks <- vapply(keys, function(key) cache$items[[key]]$tick, 0)
  fits <- vapply(keys, function(key) cache$items[[key]]$bytes <= limit, TRUE)
  for (key in keys[order(fits, ticks)]) {
    if (cache$items[[key]]$tick > cache$since) next
    cache$bytes <- cache$bytes - cache$items[[key]]$bytes
    cache$items[[key]] <- NULL
    if (cache$bytes <= limit) return(invisible())
  }
  # Nothing older is left to let go of.
  cache$all_new <- cache$since
}
