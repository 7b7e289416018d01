# The slow and obvious way to say where a period will end: every window added up day by day.

# `v` are sums of days from `first` on; what is asked of days is between two of them.
slow_outlook <- function(v, first, t, end, ends, alone) {
  last <- first + length(v) - 1
  over <- function(after, to) {
    if (after < first - 1) return(NA_real_)
    if (to <= after) return(0)
    sum(v[seq(after + 1, to) - first + 1])
  }
  rate <- function(t, h, k) {
    if (t - 7 * k < first - 1) return(NA_real_)
    days <- seq_len(h) + t
    sum(vapply(days, function(day) {
      # The same weekdays of the k weeks up to t.
      back <- day - 7 * ceiling((day - t) / 7) - 7 * (0:(k - 1))
      mean(v[back - first + 1])
    }, 0))
  }
  year <- function(t, h, k) {
    lifts <- unlist(lapply(c(364, 728, 1099), function(back) {
      if (h > back) return(NULL)
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
  said <- function(t, h) {
    r <- vapply(c(4, 8, 13, 26, 52), rate, 0, t = t, h = h)
    y <- vapply(c(4, 8, 13, 26, 52), year, 0, t = t, h = h)
    c(r[1:3], r * y, (r * sqrt(y))[1:3], r[1] * place(t, h, 4), r[3] * place(t, h, 13))
  }
  h <- end - t
  own <- utils::tail(ends[ends <= t], 12) - h
  own <- own[own >= first]
  other <- t - h - 28 * (0:12)
  other <- other[other >= first]
  rows <- function(origins) matrix(vapply(origins, said, numeric(13), h = h), nrow = 13)
  now <- said(t, h)
  a <- rows(own)
  b <- rows(other)
  has_year <- function(m) colSums(!is.na(m[4:8, , drop = FALSE])) > 0
  able <- if (any(!is.na(now[4:8]))) sum(has_year(a)) else sum(!is.na(a[1, ]))
  both <- if (alone && able >= 10) a else cbind(a, b)
  came <- vapply(c(own, if (!(alone && able >= 10)) other), function(o) over(o, o + h), 0)
  best <- function(rows, came, could) {
    error <- vapply(1:13, function(w) {
      known <- !is.na(rows[w, ])
      if (sum(known) < 6 || is.na(could[w])) return(NA_real_)
      sum(abs(rows[w, known] - came[known])) / sum(abs(came[known]))
    }, 0)
    if (all(is.na(error))) 0L else which.min(error)
  }
  if (any(!is.na(now[4:8])) && h > 60 && !any(has_year(both))) {
    w <- if (h <= 92) 11:9 else 8:4
    w <- w[!is.na(now[w])][1]
    return(list(way = w, rest = now[w], off = NA_real_))
  }
  way <- best(both, came, now)
  if (way == 0) return(list(way = if (is.na(now[1])) 0L else 1L, rest = now[1], off = NA_real_))
  off <- unlist(lapply(seq_along(came), function(i) {
    w <- best(both[, -i, drop = FALSE], came[-i], ifelse(is.na(now), NA, both[, i]))
    if (w == 0) NULL else abs(came[i] / both[w, i] - 1)
  }))
  off <- sort(off[is.finite(off)])
  list(way = way, rest = now[way], off = if (length(off) < 4) NA_real_
       else off[min(length(off), ceiling(0.8 * (length(off) + 1)))])
}
