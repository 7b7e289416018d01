# Going back by whole units: a day to the same day of an earlier month, year or fiscal period, a
# period to an earlier one. A negative count goes forward. Every rule of "1 year back" is here.

months_in <- c(month = 1L, quarter = 3L, year = 12L, "fiscal month" = 1L, "fiscal quarter" = 3L, "fiscal year" = 12L)

# The day `n` units before: the same day of the month, or the month's last where it is shorter; in
# fiscal years of weeks or of a table the same day counted from the start of the unit. With `end_to_end`
# the last day of a month (or fiscal month) goes to the last day of one.
move_day <- function(day, n, unit, calendar, end_to_end = FALSE, call = caller_env()) {
  if (unit == "day") return(day - n)
  if (unit %in% c("week", "fiscal week")) return(day - 7L * n)
  if (!is_fiscal(unit) || fiscal_kind(calendar) == "months") {
    return(core_moved_by_months(day, -months_in[[unit]] * n, end_to_end))
  }
  now <- period_indexes(day, unit, calendar, call)
  here <- periods_at(now, unit, calendar, call)
  there <- periods_at(now - n, unit, calendar, call)
  at_end <- end_to_end && day == periods_holding(day, "fiscal month", calendar, call)$last
  if (at_end && day == here$last) return(there$last)
  moved <- min(there$first + (day - here$first), there$last)
  if (at_end) periods_holding(moved, "fiscal month", calendar, call)$last else moved
}

# The as-of day of a span of weeks to date goes back a year to the same weekday of the week with
# the same number, so that as many days are compared; any other moves as a day.
move_day_of <- function(grain, day, n, unit, calendar, call = caller_env()) {
  if (!grain %in% c("week", "fiscal week") || !unit %in% c("year", "fiscal year")) {
    return(list(index = move_day(day, n, unit, calendar, call = call), note = NULL))
  }
  now <- period_indexes(day, grain, calendar, call)
  there <- move_period(now, grain, n, unit, calendar, call)
  weekday <- day - periods_at(now, grain, calendar, call)$first
  list(index = periods_at(there$index, grain, calendar, call)$first + weekday, note = there$note)
}

# The period `n` units before: list(index, note).
move_period <- function(index, grain, n, unit, calendar, call = caller_env()) {
  if (grain == "day") return(list(index = move_day(index, n, unit, calendar, call = call), note = NULL))
  if (grain %in% c("week", "fiscal week")) return(move_week(index, grain, n, unit, calendar, call))
  if (is_fiscal(grain) && unit %in% names(months_in) && !is_fiscal(unit)) unit <- paste("fiscal", unit)
  fits <- unit %in% names(months_in) && (is_fiscal(grain) || !is_fiscal(unit) || fiscal_kind(calendar) == "months")
  if (!fits) refuse_move(grain, n, unit, call)
  if (is_tabled(grain, calendar)) return(move_tabled(index, grain, n, unit, calendar, call))
  months <- n * months_in[[unit]]
  if (months %% months_in[[grain]] != 0) refuse_move(grain, n, unit, call)
  list(index = index - months %/% months_in[[grain]], note = NULL)
}

# A week goes back a year to the week with the same number, and week 53 to the year's last.
move_week <- function(index, grain, n, unit, calendar, call = caller_env()) {
  if (unit %in% c("week", "fiscal week")) return(list(index = index - n, note = NULL))
  if (!unit %in% c("year", "fiscal year")) refuse_move(grain, n, unit, call)
  if (unit == "fiscal year" && grain == "week") {
    same_weeks <- calendar$week_start == first_fiscal_weekday(calendar)
    if (!same_weeks) refuse_move(grain, n, unit, call)
    index <- period_indexes(periods_at(index, "week", calendar)$first, "fiscal week", calendar, call)
    grain <- "fiscal week"
  }
  name <- week_name(index, grain, calendar, call)
  ends <- weeks_of_year(name$year - n, grain, calendar, call)
  moved <- min(ends[1] + name$number - 1L, ends[2])
  note <- if (moved < ends[1] + name$number - 1L) {
    sprintf("%s has no week %d, so its week %d is taken", periods_at(name$year - n, year_of(grain), calendar, call)$label,
            name$number, moved - ends[1] + 1L)
  }
  list(index = moved, note = note)
}

first_fiscal_weekday <- function(calendar) {
  if (is.null(calendar$year_end)) calendar$week_start else calendar$year_end$weekday %% 7L + 1L
}

# In a table a period goes back to the one in the same place of the earlier quarter or year, or to
# the last where that has fewer.
move_tabled <- function(index, grain, n, unit, calendar, call = caller_env()) {
  if (unit == grain) return(list(index = index - n, note = NULL))
  if (months_in[[unit]] < months_in[[grain]]) refuse_move(grain, n, unit, call)
  parent <- period_indexes(periods_at(index, grain, calendar, call)$first, unit, calendar, call)
  parents <- periods_at(c(parent, parent - n), unit, calendar, call)
  first <- period_indexes(parents$first, grain, calendar, call)
  last <- period_indexes(parents$last[2], grain, calendar, call)
  moved <- min(first[2] + index - first[1], last)
  note <- if (moved < first[2] + index - first[1]) {
    sprintf("%s has only %d %ss, so its last is taken", parents$label[2], last - first[2] + 1L, grain)
  }
  list(index = moved, note = note)
}

refuse_move <- function(grain, n, unit, call = caller_env()) {
  goes <- if (grain %in% c("week", "fiscal week")) c("weeks", "years") else {
    own <- names(months_in)[is_fiscal(names(months_in)) == is_fiscal(grain)]
    paste0(own[months_in[own] >= months_in[[grain]]], "s")
  }
  refuse("span", c(
    sprintf("A span of whole %ss cannot go back %s: that is no whole %s.", grain, count_text(abs(n), unit), grain),
    i = sprintf("It goes back by %s.", listed(goes, last = "or"))
  ), call = call)
}
