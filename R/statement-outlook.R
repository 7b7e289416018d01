# What days to come should bring, of all groups and of each: one remainder for each last day, tested
# on the past. What `expecting` is: list(closed, named), days said to be closed and days with names.

new_expecting <- function(plan, closed = NULL, call = caller_env()) {
  days <- integer()
  closed <- named_values(closed)
  if (length(closed) > 0) {
    spans <- resolve_phrases(phrases_in_grain(closed, plan$per, plan$calendar, call),
                             plan$calendar, plan$as_of, plan$first, call)
    days <- unique(unlist(Map(function(from, to) {
      if (is.na(from)) refuse("span", "{closed} must be days with a beginning.", arg = "closed",
                              call = call)
      seq.int(from, to)
    }, spans$from, spans$to)))
  }
  holidays <- plan$calendar$holidays
  list(closed = sort(days), named = holidays$days %||% integer(),
       names = match(holidays$names, unique(holidays$names)))
}

# What the days after `after` up to `last` should bring to rows of groups at any level: list(rest,
# exact, off, past, falls, total): the remainder in whole units and as it was reckoned, the share by
# which it may be off, what the last finished periods brought, whether a day was ever below zero,
# and the outlook of all.
remainders <- function(plan, tree, expecting, after, last, rows) {
  found <- outlook_between(plan, tree, expecting, after, last)
  power <- 10^tree_decimals_of(tree)
  n <- rows_count(rows)
  rest <- exact <- off <- past <- rep(NA_real_, n)
  falls <- rep(TRUE, n)
  levels <- rows$level
  for (level in unique(levels)) {
    at <- which(levels == level)
    if (level == 0) {
      rest[at] <- round(found$total$rest)
      exact[at] <- found$total$rest
      off[at] <- found$total$off
      past[at] <- found$total$brought
      falls[at] <- found$total$falls
    } else if (level == length(plan$by)) {
      exact[at] <- rest[at] <- found$rest[rows$group[at] + 1L]
      off[at] <- found$off[rows$group[at] + 1L]
      past[at] <- found$brought[rows$group[at] + 1L]
      falls[at] <- found$falls[rows$group[at] + 1L]
    } else {
      # A total over some attributes is that of its members; its range would be a sum of ranges.
      x <- plan_ledger(plan)
      by <- plan$by[seq_len(level)]
      codes <- groups_codes(groups_by(x, plan$by), seq_along(found$rest) - 1L)[by]
      above <- groups_of_codes(groups_by(x, by), codes)
      summed <- function(values) {
        sums <- rowsum(values, above)
        sums[match(rows$group[at], as.integer(rownames(sums))), 1]
      }
      rest[at] <- summed(found$rest)
      past[at] <- summed(found$brought)
    }
  }
  list(rest = rest / power, exact = exact / power, off = off, past = past, falls = falls,
       total = found$total)
}

tree_decimals_of <- function(tree) if (tree$node == "present") 0L else tree_decimals(tree)

# Of days that follow coming ones the difference of two outlooks, so that months make the quarter.
outlook_between <- function(plan, tree, expecting, after, last) {
  later <- outlook_of_days(plan, tree, expecting, last)
  if (after == plan$as_of) return(later)
  sooner <- outlook_of_days(plan, tree, expecting, after)
  tests <- outlook_of_days(plan, tree, expecting, c(after, last))
  # What never was below zero is not expected to be.
  rest <- later$rest - sooner$rest
  below <- which(rest < 0 & !later$falls)
  rest[below] <- 0
  total <- utils::modifyList(tests$total, list(
    rest = round(later$total$rest) - round(sooner$total$rest), members = later$total$members,
    fits = later$total$fits && sooner$total$fits && length(below) == 0, zero = length(below)))
  total["broken"] <- list(NULL)
  if (isTRUE(total$rest < 0) && !later$total$falls) total[c("rest", "is_zero")] <- list(0, TRUE)
  list(rest = rest, off = tests$off, brought = later$brought, falls = later$falls, total = total)
}

outlook_of_days <- function(plan, tree, expecting, until) {
  kept_in(ledger_cache(plan_ledger(plan)), list(
    "outlook", plan$on, plan$by, plan$where, plan$known, plan$as_of, until, expecting,
    rlang::hash(tree)), function() outlooks_of_groups(plan, tree, expecting, until))
}

# The earliest day that ways reach back to from one day: three years, and 52 weeks before.
days_reached <- function(from, plan) max(plan$first, from - 1099L - 364L - 1L)

# The first day that an outlook asks for: its tests, and those of the last 4 weeks, are up to 13
# periods back, or 14 times 28 days and as many as it looks ahead; where years are tested all days
# count.
first_day_needed <- function(plan, until, periods) {
  reach <- vapply(periods, function(one) {
    if (!one$alone) return(as.double(plan$first))
    days <- max(until) - plan$as_of
    latest <- utils::tail(one$ends, 13)
    first <- min(latest[1] - max(days, 28L), plan$as_of - days - 28L * 15L, na.rm = TRUE)
    days_reached(first, plan)
  }, 0)
  as.integer(min(reach))
}

# Sums of a measure by day and group from `first` on, in units of its decimals: list(values, day,
# group, groups, first, days), with a row for each cell that has entries, days and groups numbered
# from 1; `ends` are each group's first and last day.
daily_sums <- function(plan, tree, first) {
  x <- plan_ledger(plan)
  days <- seq.int(first, plan$as_of)
  slots <- c(list(entry_count), slots_of_tree(tree))
  slots <- slots[!duplicated(slot_keys(slots))]
  ask <- new_ask(plan$on, plan$by, plan$where, slots)
  groups <- groups_by(x, plan$by)
  held <- held_periods(x, ask, all_groups(groups), days, days)
  values <- in_units(rep_len(figures_of_tree(tree, function(slot) held$figures[[slot_key(slot)]]),
                             length(held$group)), tree)
  group <- held$group + 1L
  list(values = values, day = held$period, group = group, groups = groups$count, first = first,
       days = length(days), ends = core_ends_of_groups(group, held$period, groups$count))
}

# The sums of all groups together; those of the groups of the first attributes.
sums_together <- function(sums) sums_joined(sums, rep(1L, sums$groups), 1L)

sums_of_level <- function(plan, sums, level) {
  if (level == length(plan$by)) return(sums)
  if (level == 0) return(sums_together(sums))
  x <- plan_ledger(plan)
  by <- plan$by[seq_len(level)]
  codes <- groups_codes(groups_by(x, plan$by), seq_len(sums$groups) - 1L)[by]
  above <- groups_by(x, by)
  sums_joined(sums, groups_of_codes(above, codes, sums$groups) + 1L, above$count)
}

sums_joined <- function(sums, to, count) {
  sums$group <- to[sums$group]
  sums$groups <- count
  sums$ends <- core_ends_of_groups(sums$group, sums$day, count)
  sums
}

outlook_of_sums <- function(sums, plan, t, until, periods, expecting) {
  closed <- logical()
  if (length(expecting$closed) > 0)
    closed <- seq.int(sums$first, max(until)) %in% expecting$closed
  core_outlook(sums$values, sums$day, sums$group, sums$groups, sums$days, sums$first, t, until,
               periods, closed, expecting$named, expecting$names, core_threads())
}

# Outlooks of all groups and of the total, up to one last day, or between two; in units of the
# measure's decimals: list(rest, off, falls, brought, total), members fitted to the total.
outlooks_of_groups <- function(plan, tree, expecting, until) {
  periods <- lapply(until, periods_that_test, plan = plan)
  sums <- daily_sums(plan, tree, first_day_needed(plan, until, periods))
  together <- sums_together(sums)
  own <- periods[[length(periods)]]
  outlook <- function(sums) outlook_of_sums(sums, plan, plan$as_of, until, periods, expecting)
  running <- c(0, cumsum(core_sums_by_group(sums$values, sums$day, sums$days)))
  total <- total_outlook(outlook(together), running, own, plan, until, sums$first)
  latest <- utils::tail(seq_along(own$ends), 12)
  counts <- length(latest) > 0 & sums$day > min(own$from[latest], Inf) - sums$first &
    sums$day <= max(own$ends[latest], -Inf) - sums$first + 1L
  brought <- core_sums_by_group(sums$values[counts], sums$group[counts], sums$groups)
  falls <- logical(sums$groups)
  falls[sums$group[sums$values < 0]] <- TRUE
  total$brought <- sum(brought)
  total$falls <- any(diff(running) < 0)
  if (length(until) == 1) total$broken <- level_broken(together, running, plan, own, expecting)
  if (plan$as_of - plan$first < 27L) total$rest <- NA_real_
  told <- if (sums$groups == 1) total else outlook(sums)
  out <- list(rest = told$rest, off = told$off, falls = falls, brought = brought, total = total)
  if (length(until) == 1) fitted_members(out, sums) else out
}

# Members' remainders in whole units, fitted to that of the total where they can be.
fitted_members <- function(found, sums) {
  n <- sums$days
  first <- sums$ends$first
  last <- sums$ends$last
  # A member that has had nothing for four weeks has ended, and of one that is new nothing is known.
  ended <- is.na(last) | last < n - 27L
  new <- !ended & n - first < 27L
  rest <- found$rest
  rest[ended] <- 0
  rest[new] <- NA
  total <- found$total
  total$members <- list(ended = sum(ended & !is.na(last)), new = sum(new))
  total$fits <- fits_total(rest, total$rest)
  found$rest <- if (total$fits) in_whole_units(rest * (total$rest / sum(rest)), round(total$rest))
                else round(rest)
  found$total <- total
  found
}

# Whether members' remainders can be made to add up to the total's, in whole units.
fits_total <- function(rest, total) {
  !is.na(total) && !anyNA(rest) && all(rest >= 0) && sum(rest) > 0
}

# What the last 4 weeks brought, where that is outside of what would have been expected of them:
# list(came, low, high), or NULL.
level_broken <- function(together, running, plan, periods, expecting) {
  before <- plan$as_of - 28L
  if (before <= together$first + 28L) return(NULL)
  periods$ends <- periods$ends[periods$ends <= before]
  then <- outlook_of_sums(together, plan, before, as.integer(plan$as_of), list(periods), expecting)
  if (is.na(then$off)) return(NULL)
  n <- length(running)
  came <- running[n] - running[n - 28L]
  reach <- abs(then$rest) * then$off
  if (abs(came - then$rest) <= reach) return(NULL)
  list(came = came, low = then$rest - reach, high = then$rest + reach)
}

# The finished periods on which a last day is tested: those of the smallest grain that ends on it
# and has begun, else of the smallest that ends on it. list(grain, from, ends, alone).
periods_that_test <- function(last, plan) {
  tried <- c("month", "fiscal month", "quarter", "fiscal quarter", "year", "fiscal year", "week",
             "fiscal week")
  holding <- lapply(tried, function(grain) {
    tryCatch(periods_holding(last, grain, plan$calendar), rollingledger_error = function(e) NULL)
  })
  ends <- vapply(holding, function(one) isTRUE(one$last == last), TRUE)
  begun <- vapply(holding, function(one) isTRUE(one$first <= plan$as_of), TRUE)
  at <- c(which(ends & begun), which(ends))[1]
  grain <- tried[at]
  past <- periods_between(plan$first, plan$as_of, grain, plan$calendar)
  list(grain = grain, from = past$from[past$complete], ends = past$to[past$complete],
       alone = !grain %in% c("year", "fiscal year"))
}

# The outlook of all with, for each test, the period's last day and what came in it as a whole.
total_outlook <- function(found, running, periods, plan, until, first) {
  past <- found$past
  past$to <- past$origin + (max(until) - plan$as_of)
  from <- periods$from[match(past$to, periods$ends)]
  past$whole <- running[past$to - first + 2L] - running[from - first + 1L]
  past$from <- from
  list(rest = found$rest, off = found$off, way = found$way, lift = found$lift,
       is_tested = found$is_tested == 1L, past = past, periods = periods)
}

# The tests on periods: a data frame of origin, to, said and came of the days to go, and the whole
# period, in units.
past_periods <- function(total) {
  past <- as.data.frame(total$past)
  past[past$of_period, ]
}
