# The slow and obvious way to what stands out: every figure on its own.

# What would have been said of each period before it began: `say(t, h)` gives what each way says.
slow_said_before <- function(v, first, from, to, latest) {
  rows <- matrix(NA_real_, 26, length(from))
  came <- vapply(seq_along(from), function(p) sum(v[seq(from[p], to[p]) - first + 1]), 0)
  said <- rep(NA_real_, length(from))
  for (p in seq_along(from)) {
    if (from[p] - 1 - 28 < first - 1) next
    days <- to[p] - from[p] + 1
    ends <- if (days > 1) to[seq_len(p - 1)] else integer()
    rows[1:13, p] <- slow_ways(v, first, from[p] - 1, days, ends)
    before <- seq_len(p - 1)
    before <- before[before >= p - latest]
    error <- vapply(1:13, function(w) {
      known <- before[!is.na(rows[w, before])]
      if (length(known) < 6 || is.na(rows[w, p]) || sum(abs(came[known])) == 0) return(NA_real_)
      sum(abs(rows[w, known] - came[known])) / sum(abs(came[known]))
    }, 0)
    said[p] <- rows[if (all(is.na(error))) 1 else which.min(error), p]
  }
  list(said = said, came = came)
}

# A made-up ledger of members whose weeks go up and down by chance alone.
chance_ledger <- function(members, days, level = 20, change = NULL) {
  day <- seq_len(days)
  parts <- lapply(seq_len(members), function(k) {
    mu <- level * exp(stats::rnorm(1, 0, 0.5)) * exp(stats::rnorm(7, 0, 0.2))[day %% 7 + 1] *
      exp(stats::runif(1, 0, 0.4) * sin(2 * pi * day / 365.25 + stats::runif(1, 0, 6)))
    n <- stats::rpois(days, mu * stats::rgamma(days, 30, 30))
    data.frame(day = as.Date("2022-01-03") + rep(day - 1, n), member = sprintf("m%02d", k))
  })
  do.call(rbind, parts)
}
