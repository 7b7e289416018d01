# Windows: lists of (group, from, to), days included. Every figure of a statement is one list of
# windows evaluated against the day cube; verbs differ only in the list they make. All windows
# end on their row's last day.

# `before` gives the first day of the period before each window when asked, for what needs it.
new_windows <- function(group, from, to, before = function() refuse_no_period_before()) {
  n <- length(group)
  list(group = as.integer(group), from = rep_len(as.integer(from), n),
       to = rep_len(as.integer(to), n), before = before)
}

some_windows <- function(windows, at) {
  list(group = windows$group[at], from = windows$from[at], to = windows$to[at],
       before = function() windows$before()[at])
}

refuse_no_period_before <- function() {
  refuse_measure(c("lapsed() compares with the period before, and these days have none.",
                   i = "Ask for it with {per}; `compare_members()` compares any two spans."),
                 call = NULL)
}

# Where a running figure starts again.
running_starts <- c("start", "fiscal year", "year", "fiscal quarter", "quarter", "fiscal month",
                    "month", "fiscal week", "week")

# From the first day of the unit that holds the row's last day; "start" is the first day of the
# row's span, given in `starts`.
running_windows <- function(rows, since, calendar, starts) {
  if (since == "start") return(new_windows(rows$group, starts, rows$to))
  told <- core_distinct_days(rows$to)
  days <- told$days
  at <- told$at
  units <- periods_holding(days, since, calendar)
  new_windows(rows$group, units$first[at], rows$to,
              before = function() period_before_first(days, since, calendar)[at])
}

# The N units that end on each row's last day.
rolling_windows <- function(rows, length, calendar) {
  told <- core_distinct_days(rows$to)
  days <- told$days
  at <- told$at
  since <- function(n) {
    before <- move_day(days, n, length$unit, calendar, end_to_end = TRUE)
    # A window may reach back before the years there are: it is short whatever it says.
    before[is.na(before)] <- first_day_there_is - 1L
    (before + 1L)[at]
  }
  new_windows(rows$group, since(length$n), rows$to, before = function() since(2L * length$n))
}

# A row's own days; the period before starts where that of `per` does. Totals over all periods have
# none.
row_windows <- function(rows, per, calendar) {
  if (is.null(per)) return(new_windows(rows$group, rows$from, rows$to))
  windows <- new_windows(rows$group, rows$from, rows$to, before = function() {
    told <- core_distinct_days(rows$from)
    first <- period_before_first(told$days, per, calendar)[told$at]
    first[rows$overall] <- NA
    first
  })
  windows$known <- rows$known
  windows
}

# Values of a measure over windows, each slot asked for once.
window_values <- function(tree, x, ask, windows) {
  n <- length(windows$group)
  known <- windows$known
  figures <- function(slot) {
    key <- slot_key(slot)
    if (is.null(known[[key]])) known[[key]] <<- values_in_windows(x, ask, slot, windows)
    known[[key]]
  }
  rep_len(as.double(tree_values(tree, figures)), n)
}
