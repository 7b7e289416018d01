# Windows: lists of (group, from, to), days included. Every figure of a statement is one list of
# windows evaluated against the day cube; verbs differ only in the list they make. All windows
# end on their row's last day.

new_windows <- function(group, from, to) {
  n <- length(group)
  list(group = as.integer(group), from = rep_len(as.integer(from), n), to = rep_len(as.integer(to), n))
}

# Where a running figure starts again.
running_starts <- c("start", "fiscal year", "year", "fiscal quarter", "quarter", "fiscal month", "month", "fiscal week", "week")

# From the first day of the unit that holds the row's last day; "start" is the first day of the row's
# span, given in `starts`.
running_windows <- function(rows, since, calendar, starts) {
  from <- if (since == "start") starts else {
    days <- unique(rows$to)
    periods_holding(days, since, calendar)$first[match(rows$to, days)]
  }
  new_windows(rows$group, from, rows$to)
}

# The N units that end on each row's last day.
rolling_windows <- function(rows, length, calendar) {
  days <- unique(rows$to)
  before <- move_day(days, length$n, length$unit, calendar, end_to_end = TRUE)
  # A window may reach back before the years there are: it is short whatever it says.
  before[is.na(before)] <- first_day_there_is - 1L
  new_windows(rows$group, (before + 1L)[match(rows$to, days)], rows$to)
}

# The first day on which such a window does not reach back before `first`.
full_from <- function(first, length, calendar) move_day(first - 1L, -length$n, length$unit, calendar, end_to_end = TRUE)

# Values of a measure over windows.
window_values <- function(tree, x, cube, windows) {
  n <- length(windows$group)
  known <- list()
  figures <- function(slot) {
    key <- slot_key(slot)
    if (is.null(known[[key]])) known[[key]] <<- cube_figures(cube, slot, windows)
    known[[key]]
  }
  rep_len(as.double(tree_values(tree, x, figures)), n)
}
