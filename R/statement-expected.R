describe_verb("add_expected", asked_of = "statement", flag = "expected",
  words = function(m, args) sprintf("where %s should end", m),
  m = field("measure", "measure to add the expected end of, for periods that are not over",
            value = "MEASURE", needed = TRUE, more = paste(
    "The name of one of the statement's measures: a total, a count, a ratio of these, an average",
    "or a number of different members.")),
  name = field("text", "what the new columns begin with, by default the measure's name",
               value = "NAME")
)

#' Where a period will end
#'
#' What a period that is not over should come to: what there is so far, and what the days to go
#' should bring, by the way of reckoning that was least wrong at this point of earlier periods, with
#' a range that held 8 of 10 of them.
#'
#' @param s A [statement()] with {per}, up to its as-of day.
#' @eval field_params("add_expected")
#'
#' @section How it is reckoned:
#' Each day to go at the mean of its own weekday over the last 4, 8 or 13 weeks; that times the lift
#' of last year, which is what the same days brought a year back (52 weeks; the mean of two years,
#' the median of three) against what the same weekdays said then, over 4, 8, 13, 26 or 52 weeks;
#' half of that lift; or the lift of the place in the period, such as a month's last days. Each way
#' is tested at this many days before the end of the last 12 finished periods and, where these are
#' too few or years, every 28 days before as well, with nothing that came later; the one with the
#' smallest error is taken. The tests are those of the smallest grain that ends on this day and has
#' begun, so that a month and a quarter that end on one day say the same of the days between.
#'
#' The total is reckoned on its own, and members are fitted to it in whole units. A ratio is that of
#' its expected parts. A number of different members goes by the share of them that was seen at this
#' point of the last 12 periods. The range is of the errors that each test has without itself;
#' ranges are never added up.
#'
#' Under 28 days of entries nothing is expected, nor of medians, extremes and balances. Nothing that
#' is expected is in the column of what came, and it goes into no change, rank or share.
#'
#' @return The statement with three more columns of doubles: `<m>_expected`, `<m>_expected_low` and
#'   `<m>_expected_high`. They are missing for periods that are over, cut by the span, or what a
#'   ranking left over, and the range where there are fewer than 4 tests and for ratios. Notes say
#'   by which way, and how far off it was.
#' @section Errors:
#' `rollingledger_error_measure` for a measure of which nothing can be expected;
#' `rollingledger_error_choice` for a statement without periods, by day or of groups with days of
#' their own.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' s <- statement(fares, per = "month", span = "latest 3 months", income = total(fare)) |>
#'   add_expected(income)
#' s
#' back_test(s, income)
#' @include question-fields.R statement-kinds.R statement-steps.R
add_expected <- with_fields("add_expected", function(s, m, name) take_verb_step("add_expected"))

register_verb("add_expected", add = function(s, plan, args, call) {
  check_can_expect(plan, args$m, call)
  names <- paste0(args$name %||% args$m, c("_expected", "_expected_low", "_expected_high"))
  names <- new_column_names(s, names, call)
  rows <- current_rows(s, call)
  told <- expected_of_rows(plan, args$m, rows)
  for (i in 1:3) {
    part <- c("end", "low", "high")[i]
    column <- measure_column(args$m, plan, "expected", part = part)
    if (part == "end") column$notes <- expected_notes(names[1], args$m, plan, told)
    s <- add_column(s, names[i], told[[part]], column)
  }
  s
})

register_kind("expected",
  values = function(plan, column, rows) {
    expected_of_rows(plan, column$measure, rows)[[column$part]]
  },
  label = function(column, measure, own) {
    if (own == paste(measure, "expected")) paste("expected", measure)
    else if (startsWith(own, paste(measure, "expected")))
      paste0("expected ", measure, ", at ", c(low = "least", high = "most")[column$part])
  },
  behind = function(column, name, call) {
    refuse_measure(c(sprintf("`%s` is expected, and has no entries yet.", name),
                     i = sprintf("Ask for those so far: figure = %s.", column$measure)),
                   call = call)
  }
)

check_can_expect <- function(plan, m, call) {
  if (is.null(plan$per) || plan$per == "day" || !is.null(plan$anchors)) {
    refuse("choice", c(
      if (is.null(plan$per)) "Only periods can be expected to end, and this statement has none."
      else if (plan$per == "day") "A day is over, or has not begun: nothing of it is expected."
      else "Groups with days of their own have no period in common.",
      i = "Say {per = \"month\"}, for example."), call = call)
  }
  if (isTRUE(source_facts(plan_ledger(plan))$dates[[plan$on]]$months)) {
    refuse("choice", "Of entries by month it is not known on which days they were.", call = call)
  }
  tree <- plan$measures[[m]]
  if (!is.null(way_of_expecting(tree))) return(invisible())
  refuse_measure(c(sprintf("Nothing can be expected of `%s` (%s).", m, attr(tree, "text")),
                   i = "It must be a total, a count, a ratio of these, or a number of members."),
                 call = call)
}

# "sum", "ratio" or "distinct", or NULL.
way_of_expecting <- function(tree) {
  if (is_additive(tree)) return("sum")
  if (!is.null(ratio_parts(tree))) return("ratio")
  if (tree$node == "measure" && tree$fun == "distinct") return("distinct")
}

# ---- rows ----------------------------------------------------------------------

# Of each row: list(end, low, high), missing where nothing is expected; with `outlooks`, what was
# found for each last day.
expected_of_rows <- function(plan, m, rows) {
  n <- rows_count(rows)
  out <- list(end = rep(NA_real_, n), low = rep(NA_real_, n), high = rep(NA_real_, n),
              outlooks = list())
  whole <- periods_holding(rows$from, plan$per, plan$calendar)
  first <- pmax(whole$first, plan$first)
  open <- which(!rows$overall & rows$set == 0L & rows$to == plan$as_of &
                  whole$last > plan$as_of & rows$from == first & whole$first >= plan$first)
  for (last in unique(whole$last[open])) {
    at <- open[whole$last[open] == last]
    found <- expected_until(plan, m, as.integer(last), rows_select(rows, at))
    for (part in c("end", "low", "high")) out[[part]][at] <- found[[part]]
    out$outlooks <- c(out$outlooks, list(found))
  }
  out
}

# The rows of one period that is not over.
expected_until <- function(plan, m, last, rows) {
  tree <- plan$measures[[m]]
  so_far <- measure_of_rows(plan, tree, rows)
  found <- switch(way_of_expecting(tree),
    sum = {
      rest <- remainders(plan, tree, last, rows)
      list(end = so_far + rest$rest, low = so_far + rest$exact - abs(rest$exact) * rest$off,
           high = so_far + rest$exact + abs(rest$exact) * rest$off, total = rest$total)
    },
    ratio = {
      parts <- ratio_parts(tree)
      ends <- lapply(parts[c("top", "bottom")], function(part) {
        part_of_rows(plan, part, rows) + remainders(plan, part, last, rows)$rest
      })
      list(end = parts$factor * ratio(ends$top, ends$bottom), low = rep(NA_real_, length(so_far)),
           high = rep(NA_real_, length(so_far)))
    },
    expected_members(plan, tree, rows, so_far))
  decimals <- tree_decimals(tree)
  found[c("end", "low", "high")] <- lapply(found[c("end", "low", "high")], in_decimals,
                                           decimals = decimals)
  if (all(vapply(measure_leaves(list(tree)), function(leaf) leaf$fun != "total", TRUE)) &&
      way_of_expecting(tree) != "ratio") found$low <- pmax(found$low, so_far)
  c(found, list(last = last, period = rows$period[1]))
}

measure_of_rows <- function(plan, tree, rows) row_values(plan, tree, rows, own_windows(plan, rows))

# The same of a part of a ratio, which may be the number of entries with an amount.
part_of_rows <- function(plan, part, rows) {
  if (part$node != "present") return(measure_of_rows(plan, part, rows))
  x <- plan_ledger(plan)
  out <- numeric(rows_count(rows))
  windows <- own_windows(plan, rows)
  for (at in row_parts(rows)) {
    ask <- plan_ask(plan, plan$by[seq_len(rows$level[at[1]])])
    out[at] <- values_in_windows(x, ask, tree_slot(part$of, "present"), some_windows(windows, at))
  }
  out
}

# ---- what the days to go should bring --------------------------------------------

# Of rows of groups at any level: list(rest, exact, off, total), the remainder in whole units and as
# it was reckoned, and the share by which it may be off; `total` is the outlook of all.
remainders <- function(plan, tree, last, rows) {
  found <- kept_in(ledger_cache(plan_ledger(plan)), list(
    "outlook", plan$on, plan$by, plan$where, plan$known, plan$as_of, last,
    rlang::hash(tree)), function() outlooks_of_groups(plan, tree, last))
  power <- 10^tree_decimals_of(tree)
  n <- rows_count(rows)
  rest <- exact <- off <- rep(NA_real_, n)
  levels <- rows$level
  for (level in unique(levels)) {
    at <- which(levels == level)
    if (level == 0) {
      rest[at] <- round(found$total$rest)
      exact[at] <- found$total$rest
      off[at] <- found$total$off
    } else if (level == length(plan$by)) {
      exact[at] <- rest[at] <- found$rest[rows$group[at] + 1L]
      off[at] <- found$off[rows$group[at] + 1L]
    } else {
      # A total over some attributes is that of its members; its range would be a sum of ranges.
      x <- plan_ledger(plan)
      by <- plan$by[seq_len(level)]
      codes <- groups_codes(groups_by(x, plan$by), seq_along(found$rest) - 1L)[by]
      above <- groups_of_codes(groups_by(x, by), codes)
      sums <- rowsum(found$rest, above)
      rest[at] <- sums[match(rows$group[at], as.integer(rownames(sums))), 1]
    }
  }
  list(rest = rest / power, exact = exact / power, off = off, total = found$total)
}

tree_decimals_of <- function(tree) if (tree$node == "present") 0L else tree_decimals(tree)

# Outlooks of all groups and of the total, in units of the measure's decimals: list(rest, off,
# total), members fitted to the total.
outlooks_of_groups <- function(plan, tree, last) {
  x <- plan_ledger(plan)
  days <- seq.int(plan$first, plan$as_of)
  n <- length(days)
  slots <- c(list(entry_count), slots_of_tree(tree))
  slots <- slots[!duplicated(slot_keys(slots))]
  ask <- new_ask(plan$on, plan$by, plan$where, slots)
  groups <- groups_by(x, plan$by)
  held <- held_periods(x, ask, all_groups(groups), days, days)
  values <- in_units(rep_len(figures_of_tree(tree, function(slot) held$figures[[slot_key(slot)]]),
                             length(held$group)), tree)
  periods <- periods_that_test(plan, last)
  outlook <- function(sums) core_outlook(sums, plan$first, plan$as_of, last, periods$ends,
                                         periods$alone)
  running <- function(own) c(0, cumsum(core_sums_by_group(values[own], held$period[own], n)))
  all <- running(seq_along(values))
  total <- total_outlook(outlook(matrix(all, ncol = 1)), all, periods, plan, last)
  total$broken <- level_broken(all, plan, periods)
  # Some groups at a time, so that no table of all days and groups is made.
  of_group <- split(seq_along(values), factor(held$group, seq_len(groups$count) - 1L))
  parts <- lapply(split(seq_along(of_group), (seq_along(of_group) - 1L) %/% 500L), function(some) {
    outlook(vapply(of_group[some], running, numeric(n + 1)))[c("rest", "off")]
  })
  joined <- function(what) unlist(lapply(parts, function(part) part[[what]]), use.names = FALSE)
  ends <- vapply(of_group, function(own) {
    if (length(own) == 0) c(1L, 0L) else range(held$period[own])
  }, integer(2))
  rest <- joined("rest")
  # A member that has had nothing for four weeks has ended, and of one that is new nothing is known.
  ended <- ends[2, ] < n - 27L
  new <- !ended & n - ends[1, ] < 27L
  rest[ended] <- 0
  rest[new] <- NA
  if (n < 28L) total$rest <- NA_real_
  total$members <- list(ended = sum(ended & ends[2, ] > 0L), new = sum(new))
  total$fits <- fits_total(rest, total$rest)
  list(rest = if (total$fits) in_whole_units(rest * (total$rest / sum(rest)), round(total$rest))
       else round(rest), off = joined("off"), total = total)
}

# Whether members' remainders can be made to add up to the total's, in whole units.
fits_total <- function(rest, total) {
  !is.na(total) && !anyNA(rest) && all(rest >= 0) && sum(rest) > 0
}

# What the last 4 weeks brought, where that is outside of what would have been expected of them:
# list(came, low, high), or NULL.
level_broken <- function(running, plan, periods) {
  before <- plan$as_of - 28L
  if (before <= plan$first + 28L) return(NULL)
  then <- core_outlook(matrix(running, ncol = 1), plan$first, before, plan$as_of,
                       periods$ends[periods$ends <= before], periods$alone)
  if (is.na(then$off)) return(NULL)
  n <- length(running)
  came <- running[n] - running[n - 28L]
  reach <- abs(then$rest) * then$off
  if (abs(came - then$rest) <= reach) return(NULL)
  list(came = came, low = then$rest - reach, high = then$rest + reach)
}

# The finished periods on which a last day is tested: those of the smallest grain that ends on it
# and has begun, else of the smallest that ends on it. list(grain, ends, alone).
periods_that_test <- function(plan, last) {
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

# ---- numbers of members --------------------------------------------------------------

# By the share of a period's members that was seen with as many days left, in the last 12 periods.
expected_members <- function(plan, tree, rows, so_far) {
  x <- plan_ledger(plan)
  n <- rows_count(rows)
  whole <- periods_holding(rows$from[1], plan$per, plan$calendar)
  left <- whole$last - plan$as_of
  past <- periods_between(plan$first, plan$as_of, plan$per, plan$calendar)
  at <- which(past$complete & past$to - left >= past$from)
  at <- utils::tail(at, 12)
  end <- low <- high <- rep(NA_real_, n)
  if (length(at) < 3) return(list(end = end, low = low, high = high))
  for (i in seq_len(n)) {
    by <- plan$by[seq_len(rows$level[i])]
    value <- function(to) {
      windows <- new_windows(rep(rows$group[i], length(at)), past$from[at], to)
      window_values(tree, x, plan_ask(plan, by), windows)
    }
    seen <- value(past$to[at] - left)
    all <- value(past$to[at])
    share <- (seen / all)[all > 0 & seen > 0]
    if (length(share) < 3) next
    end[i] <- round(so_far[i] / stats::median(share))
    if (length(share) < 4) next
    off <- vapply(seq_along(share), function(k) abs(stats::median(share[-k]) / share[k] - 1), 0)
    off <- sort(off)[min(length(off), ceiling(0.8 * (length(off) + 1)))]
    low[i] <- max(so_far[i], round(end[i] * (1 - off)))
    high[i] <- round(end[i] * (1 + off))
  }
  list(end = pmax(end, so_far), low = low, high = high)
}

# ---- in words ------------------------------------------------------------------------

ways_in_words <- c(
  "the weekday averages of the last 4 weeks", "the weekday averages of the last 8 weeks",
  "the weekday averages of the last 13 weeks",
  sprintf("the weekday averages of the last %d weeks, times last year's lift", c(4, 8, 13, 26, 52)),
  sprintf("the weekday averages of the last %d weeks, times half of last year's lift", c(4, 8, 13)),
  sprintf("the weekday averages of the last %d weeks, times what the last days of periods bring",
          c(4, 13)))

# How the total was reckoned, and how far off that was.
expected_notes <- function(name, m, plan, told) {
  if (all(is.na(told$end))) {
    return(sprintf("%s: missing, as no period shown whole is unfinished, or for want of 28 days.",
                   name))
  }
  unlist(lapply(told$outlooks, function(one) {
    total <- one$total
    if (is.null(total) || total$way == 0) {
      return(if (way_of_expecting(plan$measures[[m]]) == "distinct") sprintf(
        "%s: %s by the share of members seen at this point of earlier periods", name, one$period)
        else sprintf("%s: %s by its parts, each expected on its own", name, one$period))
    }
    c(sprintf("%s: %s by %s%s", name, one$period, ways_in_words[total$way],
              if (total$is_tested) missed_words(total)
              else "; last year could not be tested"),
      member_notes(name, plan, total), broken_note(name, total, plan$measures[[m]]))
  }))
}

member_notes <- function(name, plan, total) {
  if (length(plan$by) == 0) return(NULL)
  of <- function(count, says) if (count > 0) sprintf("%s: %s %s", name,
                                                     count_text(count, "member"), says)
  c(if (total$fits) sprintf("%s: members are fitted to what is expected of all", name)
    else sprintf("%s: members are each expected on their own, and need not add up to all", name),
    of(total$members$new, "with fewer than 28 days: nothing is expected of them"),
    of(total$members$ended, "without entries in the last 28 days: nothing more is expected"))
}

broken_note <- function(name, total, tree) {
  one <- total$broken
  if (is.null(one)) return(NULL)
  decimals <- tree_decimals(tree)
  text <- number_text(unlist(one) / 10^decimals, decimals)
  sprintf("%s: the last 4 weeks brought %s, outside of what was to be expected, %s to %s", name,
          text[1], text[2], text[3])
}

# "; 12 finished months at this point would have been missed by 2.1 % in the middle, 6 % at most".
missed_words <- function(total) {
  past <- past_periods(total)
  past <- past[!is.na(past$said), ]
  if (nrow(past) == 0) return("")
  off <- 100 * abs(past$said - past$came) / abs(past$whole)
  off <- off[is.finite(off)]
  if (length(off) == 0) return("")
  sprintf("; %s at this point would have been missed by %s %% in the middle, %s %% at most",
          count_text(length(off), paste("finished", total$periods$grain)),
          number_text(stats::median(off), 1), number_text(max(off), 1))
}

# The tests on periods: a data frame of origin, to, said and came of the days to go, and the whole
# period, in units.
past_periods <- function(total) {
  past <- as.data.frame(total$past)
  past[past$of_period, ]
}

# The outlook of all with, for each test, the period's last day and what came in it as a whole.
total_outlook <- function(found, running, periods, plan, last) {
  past <- found$past[[1]]
  past$to <- past$origin + (last - plan$as_of)
  from <- periods$from[match(past$to, periods$ends)]
  past$whole <- running[past$to - plan$first + 2L] - running[from - plan$first + 1L]
  past$from <- from
  list(rest = found$rest, off = found$off, way = found$way, is_tested = found$is_tested,
       past = past, periods = periods)
}
