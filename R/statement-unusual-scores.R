# How far off finished periods are, in usual errors, and what of it chance does as well.

# The figures of a measure among groups of the first `level` attributes: list(said, came, size,
# group, new, ended): matrices with a row for each period and a column for each group that is looked
# at, and how many groups are not.
held_against_past <- function(look, m, level) {
  tree <- look$plan$measures[[m]]
  found <- switch(way_of_looking(tree),
    sum = said_of_sum(look, tree, level), ratio = said_of_ratio(look, tree, level),
    said_of_members(look, tree, level))
  n <- nrow(found$said)
  past <- seq_len(n - look$tested)
  past <- past[past > look$choosing]
  # Of a group's first four weeks nothing is expected.
  early <- outer(look$periods$from, found$first + 28L, `<`)
  found$said[early] <- NA
  known <- !is.na(found$said) & !is.na(found$came)
  # What had entries in none of the periods has ended, or not begun.
  since <- look$periods$from[c(past, 1L)[1]]
  idle <- is.na(found$last) | found$last < since
  few <- colSums(known[past, , drop = FALSE]) < least_past_periods
  at <- which(!idle & !few)
  rows <- c(past, n - rev(seq_len(look$tested)) + 1L)
  kept <- function(values) values[rows, at, drop = FALSE]
  list(said = kept(found$said), came = kept(found$came), size = kept(found$size),
       group = at - 1L, level = level, measure = m, new = sum(few & !idle), ended = sum(idle),
       never_none = way_of_looking(tree) != "ratio")
}

least_past_periods <- 12L

# Of sums by day: what would have been said, from the days before each period alone. The days asked
# for are those that the ways reach back to.
said_of_sum <- function(look, tree, level) {
  plan <- look$plan
  back <- days_reached(look$periods$from[1] - 1L, plan)
  all <- kept_in(ledger_cache(plan_ledger(plan)),
                 list("daily sums", plan$on, plan$by, plan$where, plan$known, plan$as_of, back,
                      rlang::hash(tree)), function() daily_sums(plan, tree, back))
  sums <- sums_of_level(plan, all, level)
  power <- 10^tree_decimals_of(tree)
  closed <- logical()
  if (length(look$expecting$closed) > 0)
    closed <- seq.int(back, max(look$periods$to)) %in% look$expecting$closed
  said <- core_said_before(sums$values, sums$day, sums$group, sums$groups, sums$days, back,
                           look$periods$from, look$periods$to, look_back(look$per)[2],
                           c(364L, 728L, 1099L), closed, look$expecting$named,
                           look$expecting$names, core_threads())
  list(said = said$said / power, came = said$came / power,
       size = usual_size(said$said, said$came, look$tested) / power,
       first = back - 1L + sums$ends$first, last = back - 1L + sums$ends$last)
}

# How large a figure is, by what was said of it and what came before those that are looked at, so
# that none of these changes how another one is judged.
usual_size <- function(said, came, tested) {
  before <- colMeans(abs(past_of_part(came, tested)))
  (abs(said) + rep(before, each = nrow(said))) / 2
}

# A ratio by its parts; it is surer the larger its base is.
said_of_ratio <- function(look, tree, level) {
  parts <- ratio_parts(tree)
  top <- said_of_sum(look, parts$top, level)
  bottom <- said_of_sum(look, parts$bottom, level)
  share <- function(what) parts$factor * ratio(top[[what]], bottom[[what]])
  size <- 1 / pmax(bottom$said, 1 / 2)
  list(said = share("said"), came = share("came"), size = size, first = bottom$first,
       last = bottom$last)
}

# What does not add up over days is held against its own past periods: each is taken for one week of
# seven days alike, so that the weekday averages are those of periods.
said_of_members <- function(look, tree, level) {
  plan <- look$plan
  plan$by <- plan$by[seq_len(level)]
  x <- plan_ledger(plan)
  all <- periods_between(plan$first, plan$as_of, plan$per, plan$calendar)
  all <- lapply(all, function(column) column[all$complete])
  back <- look_back(look$per)
  reach <- 3L * back[3] + 52L
  begin <- max(1L, match(look$periods$from[1], all$from) - reach)
  at <- seq.int(begin, match(max(look$periods$to), all$to))
  groups <- groups_by(x, plan$by)
  g <- groups$count
  windows <- row_windows(list(group = rep(seq_len(g) - 1L, each = length(at)),
                              from = rep(all$from[at], g), to = rep(all$to[at], g),
                              overall = logical(g * length(at))), plan$per, plan$calendar)
  values <- matrix(window_values(tree, x, plan_ask(plan), windows), ncol = g)
  values[is.na(values)] <- 0
  days <- 7L * length(at)
  tested <- match(look$periods$from, all$from[at])
  found <- core_said_before(as.vector(values)[rep(seq_along(values), each = 7)] / 7,
                            rep(seq_len(days), g), rep(seq_len(g), each = days), g, days, 1L,
                            7L * tested - 6L, 7L * tested, back[2], 7L * back[3] * 1:3, logical(),
                            integer(), integer(), core_threads())
  seen <- apply(values, 2, function(own) {
    held <- which(own != 0)
    if (length(held) == 0) c(NA, NA) else c(all$from[at][held[1]], all$to[at][held[length(held)]])
  })
  came <- values[tested, , drop = FALSE]
  list(said = found$said, came = came, size = usual_size(found$said, came, look$tested),
       first = as.integer(seen[1, ]), last = as.integer(seen[2, ]))
}

# ---- in usual errors -------------------------------------------------------------------

# Errors grow with the size to a power between a half, that of counts, and one; it is that of all
# members of a measure, from their past, and 0.75 where that says little.
power_of_size <- function(parts, tested) {
  sums <- vapply(parts, function(part) {
    rows <- seq_len(nrow(part$said) - tested)
    error <- abs(part$came - part$said)[rows, , drop = FALSE]
    size <- part$size[rows, , drop = FALSE]
    known <- which(error > 0 & size > 0)
    column <- col(error)[known]
    about_mean <- function(values) {
      values - (rowsum(values, column) / tabulate(column)[unique(sort(column))])[
        match(column, sort(unique(column))), 1]
    }
    if (length(known) == 0) return(c(0, 0))
    x <- about_mean(log(size[known]))
    c(sum(x * about_mean(log(error[known]))), sum(x^2))
  }, numeric(2))
  # As if a spread of 0.15 about 0.75 had been known before.
  before <- 55
  min(1, max(0.5, (sum(sums[1, ]) + before * 0.75) / (sum(sums[2, ]) + before)))
}

# Each period's error in usual errors of the others, the tested ones left out: list(times, usual).
# A zero where there never was one is farther off than any other.
in_usual_errors <- function(said, came, size, power, tested, never_none) {
  scale <- pmax(size, 0)^power
  error <- came - said
  unit <- error / scale
  unit[scale == 0] <- NA
  n <- nrow(said)
  past <- seq_len(n - tested)
  squares <- unit^2
  squares[is.na(squares)] <- 0
  known <- !is.na(unit)
  of_past <- function(values) rep(colSums(values[past, , drop = FALSE]), each = n)
  own <- row(unit) <= length(past)
  usual <- sqrt((of_past(squares) - squares * own) / (of_past(known) - (known & own)))
  times <- unit / usual
  flat <- which(usual * scale <= 1e-9 * pmax(1, abs(came)))
  times[flat] <- ifelse(abs(error[flat]) < 1e-9 * pmax(1, abs(came[flat])), 0,
                        sign(error[flat]) * Inf)
  if (never_none) {
    zero <- came == 0
    others <- of_past(zero & known) - (zero & known & own)
    times[zero & known & others == 0 & said > 0] <- -Inf
  }
  list(times = times, usual = usual * scale)
}

# How often chance is as far off: among all past periods of all members of a measure.
shares_of_chance <- function(times, pool) {
  pool <- sort(pool[!is.na(pool)])
  farther <- length(pool) - findInterval(times, pool, left.open = TRUE)
  ifelse(is.na(times), NA, (1 + farther) / (1 + length(pool)))
}

# Which of them are listed, so that a share of at most `share` is due to chance.
listed_of <- function(p, share) {
  at <- order(p)
  at <- at[!is.na(p[at])]
  m <- length(at)
  below <- which(p[at] <= share * seq_len(m) / m)
  out <- logical(length(p))
  if (length(below) > 0) out[at[seq_len(max(below))]] <- TRUE
  out
}
