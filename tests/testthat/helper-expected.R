# The slow and obvious way to say where a period will end: every window added up day by day.

# What each of the thirteen ways says of the `h` days after `t`. `v` are sums of days from `first`
# on, `closed` days that bring nothing.
slow_ways <- function(v, first, t, h, ends, closed = integer()) {
  over <- function(after, to) {
    if (after < first - 1) return(NA_real_)
    if (to <= after) return(0)
    sum(v[seq(after + 1, to) - first + 1])
  }
  rate <- function(t, h, k) {
    if (t - 7 * k < first - 1) return(NA_real_)
    days <- setdiff(seq_len(h) + t, closed)
    sum(vapply(days, function(day) {
      # The same weekdays of the k weeks up to t.
      back <- setdiff(day - 7 * ceiling((day - t) / 7) - 7 * (0:(k - 1)), closed)
      if (length(back) == 0) NA_real_ else mean(v[back - first + 1])
    }, 0))
  }
  year <- function(t, h, k) {
    lifts <- unlist(lapply(c(364, 728, 1099), function(back) {
      if (h > back || t - back < first - 1) return(NULL)
      r <- rate(t - back, h, k)
      if (is.na(r) || r <= 0) NULL else min(10, max(0.1, over(t - back, t - back + h) / r))
    }))
    if (length(lifts) == 0) NA_real_ else if (length(lifts) < 3) mean(lifts)
    else stats::median(lifts)
  }
  place <- function(t, h, k) {
    lifts <- unlist(lapply(utils::tail(ends[ends <= t], 12), function(e) {
      r <- rate(e - h, h, k)
      if (is.na(r) || r <= 0) NULL else over(e - h, e) / r
    }))
    if (length(lifts) < 3) NA_real_ else stats::median(lifts)
  }
  r <- vapply(c(4, 8, 13, 26, 52), rate, 0, t = t, h = h)
  y <- vapply(c(4, 8, 13, 26, 52), year, 0, t = t, h = h)
  c(r[1:3], r * y, (r * sqrt(y))[1:3], r[1] * place(t, h, 4), r[3] * place(t, h, 13))
}

# The same with named days apart: each past one brings what its weekday did in the 4 weeks before,
# and a coming one that times what the last three of its name brought against it.
slow_ways_named <- function(v, first, t, h, ends, named, names, closed = integer()) {
  if (t - 28 < first - 1) return(rep(NA_real_, 13))
  plain <- v
  usual <- rep(NA_real_, length(named))
  mean_of <- function(t, day) {
    back <- setdiff(day - 7 * ceiling((day - t) / 7) - 7 * (0:3), closed)
    if (length(back) == 0) NA_real_ else mean(plain[back - first + 1])
  }
  for (i in order(named)) {
    d <- named[i]
    if (d < first || d >= first + length(v) || d - 29 < first - 1) next
    usual[i] <- mean_of(d - 1, d)
    if (!is.na(usual[i])) plain[d - first + 1] <- usual[i]
  }
  more <- 0
  for (i in which(named > t & named <= t + h & !named %in% closed)) {
    past <- which(named <= t & !is.na(usual) & usual > 0)
    own <- past[names[past] == names[i]]
    own <- utils::tail(own[order(named[own])], 3)
    at <- if (length(own) > 0) own else past
    now <- mean_of(t, named[i])
    if (length(at) == 0 || is.na(now)) next
    more <- more + now * (mean(v[named[at] - first + 1] / usual[at]) - 1)
  }
  slow_ways(plain, first, t, h, ends, closed) + more
}

# The slow way to an outlook: way, remainder, and the share by which it may be off. `end` may be two
# last days: what comes between them is the difference of two outlooks.
slow_outlook <- function(v, first, t, end, ends, alone, closed = integer(), named = integer(),
                         names = integer()) {
  last <- first + length(v) - 1
  over <- function(after, to) if (to <= after) 0 else sum(v[seq(after + 1, to) - first + 1])
  said <- function(t, h) {
    plain <- slow_ways(v, first, t, h, ends, closed)
    if (length(named) == 0) return(plain)
    c(plain, slow_ways_named(v, first, t, h, ends, named, names, closed))
  }
  n <- if (length(named) == 0) 13 else 26
  h <- end - t
  own <- utils::tail(ends[ends <= t], 12) - h
  own <- own[own >= first]
  other <- t - h - 28 * (0:12)
  other <- other[other >= first]
  rows <- function(origins) matrix(vapply(origins, said, numeric(n), h = h), nrow = n)
  now <- said(t, h)
  a <- rows(own)
  b <- rows(other)
  has_year <- function(m) colSums(!is.na(m[4:8, , drop = FALSE])) > 0
  able <- if (any(!is.na(now[4:8]))) sum(has_year(a)) else sum(!is.na(a[1, ]))
  both <- if (alone && able >= 10) a else cbind(a, b)
  came <- vapply(c(own, if (!(alone && able >= 10)) other), function(o) over(o, o + h), 0)
  best <- function(rows, came, could) {
    error <- vapply(seq_len(n), function(w) {
      known <- !is.na(rows[w, ])
      if (sum(known) < 6 || is.na(could[w])) return(NA_real_)
      sum(abs(rows[w, known] - came[known])) / sum(abs(came[known]))
    }, 0)
    if (all(is.na(error))) 0L else which.min(error)
  }
  if (any(!is.na(now[4:8])) && h > 60 && !any(has_year(both))) {
    w <- if (h <= 92) 11:9 else 8:4
    w <- w[!is.na(now[w])][1]
    return(list(way = w, rest = now[w], off = NA_real_, is_tested = FALSE))
  }
  origins <- c(own, if (!(alone && able >= 10)) other)
  way <- best(both, came, now)
  # What the way that the others choose would have said, of each test.
  without <- vapply(seq_along(came), function(i) {
    w <- best(both[, -i, drop = FALSE], came[-i], ifelse(is.na(now), NA, both[, i]))
    if (w == 0) NA_real_ else both[w, i]
  }, 0)
  more <- list(origins = origins, rows = both, came = came, without = without, now = now,
               said = said, best = best, is_tested = way > 0)
  if (way == 0)
    return(c(list(way = if (is.na(now[1])) 0L else 1L, rest = now[1], off = NA_real_), more))
  c(list(way = way, rest = now[way], off = slow_reach(abs(came / without - 1))), more)
}

slow_reach <- function(off) {
  off <- sort(off[is.finite(off)])
  if (length(off) < 4) NA_real_ else off[min(length(off), ceiling(0.8 * (length(off) + 1)))]
}

# What comes after `between` up to `end`: each test of the later outlook less what the way of the
# sooner one said on that day, its own nearest test left out.
slow_difference <- function(v, first, t, between, end, ends1, alone1, ends2, alone2) {
  sooner <- slow_outlook(v, first, t, between, ends1, alone1)
  later <- slow_outlook(v, first, t, end, ends2, alone2)
  over <- function(after, to) sum(v[seq(after + 1, to) - first + 1])
  off <- unlist(lapply(which(!is.na(later$without)), function(i) {
    if (length(sooner$origins) == 0) return(NULL)
    o <- later$origins[i]
    near <- which.min(abs(sooner$origins - o))
    then <- sooner$said(o, between - t)
    w <- sooner$best(sooner$rows[, -near, drop = FALSE], sooner$came[-near],
                     ifelse(is.na(sooner$now), NA, then))
    if (w == 0) NULL else abs(over(o + between - t, o + end - t) / (later$without[i] - then[w]) - 1)
  }))
  list(rest = later$rest - sooner$rest,
       off = if (later$is_tested && sooner$is_tested) slow_reach(off) else NA_real_)
}
