# The slow and obvious way to explain a change: plain sums over entries, written apart from the
# package, by the formulas of midpoints and of kinds of day.

why_days <- function(from, to) seq(as.Date(from), as.Date(to), by = 1)

sum_of <- function(table, column, keep) sum(table[[column]][keep], na.rm = TRUE)

# Kinds of day: list(days, kinds), from n and sums by weekday and holiday.
reference_calendar <- function(table, now, before, column = "fare", holidays = NULL) {
  kind <- function(day) {
    ifelse(as.character(day) %in% as.character(holidays), "holiday", format(day, "%u"))
  }
  days <- list(a = why_days(before[1], before[2]), b = why_days(now[1], now[2]))
  kinds <- unique(c(kind(days$a), kind(days$b)))
  n <- lapply(days, function(d) vapply(kinds, function(k) sum(kind(d) == k), 0))
  sums <- lapply(days, function(d) vapply(kinds, function(k) {
    sum_of(table, column, table$sailed_on %in% d & kind(table$sailed_on) %in% k)
  }, 0))
  mean_a <- ifelse(n$a > 0, sums$a / n$a, NA)
  mean_b <- ifelse(n$b > 0, sums$b / n$b, NA)
  mean_a <- ifelse(is.na(mean_a), mean_b, mean_a)
  mean_b <- ifelse(is.na(mean_b), mean_a, mean_b)
  all <- sum((n$b - n$a) * (mean_a + mean_b) / 2)
  number <- (length(days$b) - length(days$a)) *
    sum((n$a / length(days$a) + n$b / length(days$b)) / 2 * (mean_a + mean_b) / 2)
  list(days = number, kinds = all - number,
       alike = list(a = sum(mean_a * (n$a + n$b) / 2), b = sum(mean_b * (n$a + n$b) / 2)))
}

in_span <- function(table, span) {
  table$sailed_on >= as.Date(span[1]) & table$sailed_on <= as.Date(span[2])
}

# Volume, mix and price of sales, new, lost and the rest, by the members of some columns together.
reference_volume <- function(table, now, before, by, volume = "passengers") {
  key <- do.call(paste, c(lapply(by, function(name) as.character(table[[name]])), sep = "\r"))
  sale <- table$fare > 0 & table[[volume]] > 0
  sale[is.na(sale)] <- FALSE
  side <- function(span) {
    at <- which(in_span(table, span) & sale)
    list(a = tapply(table$fare[at], key[at], sum), q = tapply(table[[volume]][at], key[at], sum),
         all = sum_of(table, "fare", in_span(table, span)))
  }
  b <- side(before)
  n <- side(now)
  kept <- intersect(names(b$a), names(n$a))
  q0 <- b$q[kept]; q1 <- n$q[kept]; a0 <- b$a[kept]; a1 <- n$a[kept]
  p0 <- a0 / q0; p1 <- a1 / q1
  s0 <- q0 / sum(q0); s1 <- q1 / sum(q1)
  level <- sum((s0 + s1) / 2 * (p0 + p1) / 2)
  out <- c(
    volume = sum((sum(q1) - sum(q0)) * (s0 + s1) / 2 * (p0 + p1) / 2),
    mix = sum((s1 - s0) * (sum(q0) + sum(q1)) / 2 * ((p0 + p1) / 2 - level)),
    price = sum((p1 - p0) * (q0 + q1) / 2),
    new = sum(n$a[setdiff(names(n$a), kept)]), lost = -sum(b$a[setdiff(names(b$a), kept)]))
  if (length(kept) == 0) out[1:3] <- 0
  c(out, other = n$all - b$all - sum(n$a) + sum(b$a))
}

# A ratio of two sums by the members of some columns together.
reference_ratio <- function(table, now, before, by, top = "fare", bottom = "passengers") {
  key <- do.call(paste, c(lapply(by, function(name) as.character(table[[name]])), sep = "\r"))
  side <- function(span) {
    at <- factor(key[in_span(table, span)], unique(key))
    list(a = tapply(table[[top]][in_span(table, span)], at, sum, na.rm = TRUE, default = 0),
         b = tapply(table[[bottom]][in_span(table, span)], at, sum, na.rm = TRUE, default = 0))
  }
  e <- side(before)
  n <- side(now)
  out <- c(rate = 0, mix = 0, new = 0, lost = 0, no_base = 0)
  r0 <- sum(e$a) / sum(e$b); r1 <- sum(n$a) / sum(n$b)
  for (k in unique(key)) {
    w0 <- e$b[[k]] / sum(e$b); w1 <- n$b[[k]] / sum(n$b)
    one <- e$a[[k]] / e$b[[k]]; two <- n$a[[k]] / n$b[[k]]
    if (e$b[[k]] > 0 && n$b[[k]] > 0) {
      out["rate"] <- out["rate"] + (w0 + w1) / 2 * (two - one)
      out["mix"] <- out["mix"] + (w1 - w0) * ((one + two) / 2 - (r0 + r1) / 2)
    } else {
      if (n$b[[k]] > 0) out["new"] <- out["new"] + w1 * (two - (r0 + r1) / 2)
      if (e$b[[k]] > 0) out["lost"] <- out["lost"] - w0 * (one - (r0 + r1) / 2)
    }
    if (n$b[[k]] == 0) out["no_base"] <- out["no_base"] + n$a[[k]] / sum(n$b)
    if (e$b[[k]] == 0) out["no_base"] <- out["no_base"] - e$a[[k]] / sum(e$b)
  }
  out
}

# Random tickets of the ferry line with credit notes, zeros, new and lost members, and two spans.
random_change <- function(seed) {
  table <- random_fares(seed)
  while (nrow(table) < 30) {
    seed <- seed + 10000
    table <- random_fares(seed)
  }
  n <- nrow(table)
  table$passengers <- sample(c(0, 1, 1, 2, 3, -1, NA), n, TRUE)
  table$fare[sample(n, n %/% 10)] <- 0
  days <- range(table$sailed_on)
  within <- function() sort(sample(seq(days[1], days[2], by = 1), 2, TRUE))
  list(table = table, now = within(), before = within(), days = days)
}

span_phrase <- function(span) paste(format(span[1]), format(span[2]), sep = "/")
