# Going back by whole units: days to the same day of an earlier month, year or fiscal period,
# periods to earlier ones. A negative count goes forward. Every rule of "1 year back" is here. Days,
# periods and counts may be vectors; what leaves the years 1 to 9999 is missing.

months_in <- c(month = 1L, quarter = 3L, year = 12L, "fiscal month" = 1L, "fiscal quarter" = 3L,
               "fiscal year" = 12L)

# The days `n` units before: the same day of the month, or the month's last where it is shorter; in
# fiscal years of weeks or of a table the same day counted from the start of the unit. With
# `end_to_end` the last day of a month (or fiscal month) goes to the last day of one.
move_day <- function(days, n, unit, calendar, end_to_end = FALSE, call = caller_env()) {
  if (unit == "day") return(days - n)
  if (unit %in% c("week", "fiscal week")) return(days - 7L * n)
  if (!is_fiscal(unit) || fiscal_kind(calendar) == "months") {
    size <- max(length(days), length(n))
    return(core_moved_by_months(rep_len(days, size), rep_len(-months_in[[unit]] * n, size),
                                end_to_end))
  }
  now <- period_indexes(days, unit, calendar, call)
  if (unit != "fiscal month" && any(begins_unknown(c(now, now - n), unit, calendar))) {
    return(move_day_by_month(days, n, unit, calendar, call))
  }
  here <- periods_at(now, unit, calendar, call)
  there <- periods_at(now - n, unit, calendar, call)
  moved <- pmin(there$first + (days - here$first), there$last)
  if (!end_to_end) return(moved)
  ends_month <- days == periods_holding(days, "fiscal month", calendar, call)$last
  month_end <- ifelse(days == here$last, there$last,
                      periods_holding(moved, "fiscal month", calendar, call)$last)
  ifelse(ends_month, month_end, moved)
}

# The same day of the fiscal month in the same place.
move_day_by_month <- function(days, n, unit, calendar, call = caller_env()) {
  now <- period_indexes(days, "fiscal month", calendar, call)
  here <- periods_at(now, "fiscal month", calendar, call)
  there <- periods_at(move_tabled(now, "fiscal month", n, unit, calendar, call)$index,
                      "fiscal month", calendar, call)
  ifelse(days == here$last, there$last, pmin(there$first + (days - here$first), there$last))
}

# As-of days of a span of weeks to date go back a year to the same weekday of the week with the same
# number, so that as many days are compared; any others move as days.
move_as_of <- function(days, grain, n, unit, calendar, call = caller_env()) {
  if (!grain %in% c("week", "fiscal week") || !unit %in% c("year", "fiscal year")) {
    return(list(index = move_day(days, n, unit, calendar, call = call), note = NULL))
  }
  now <- period_indexes(days, grain, calendar, call)
  there <- move_period(now, grain, n, unit, calendar, call)
  weekday <- days - periods_at(now, grain, calendar, call)$first
  list(index = periods_at(there$index, grain, calendar, call)$first + weekday, note = there$note)
}

# The periods `n` units before: list(index, note), notes missing where there is nothing to say.
move_period <- function(index, grain, n, unit, calendar, call = caller_env()) {
  if (grain == "day")
    return(list(index = move_day(index, n, unit, calendar, call = call), note = NULL))
  if (grain %in% c("week", "fiscal week")) return(move_week(index, grain, n, unit, calendar, call))
  unit <- unit_for(grain, unit)
  fits <- unit %in% names(months_in) &&
    (is_fiscal(grain) || !is_fiscal(unit) || fiscal_kind(calendar) == "months")
  if (!fits) refuse_move(grain, n, unit, call)
  if (is_tabled(grain, calendar)) return(move_tabled(index, grain, n, unit, calendar, call))
  months <- n * months_in[[unit]]
  if (any(months %% months_in[[grain]] != 0)) refuse_move(grain, n, unit, call)
  list(index = index - months %/% months_in[[grain]], note = NULL)
}

# A fiscal period goes back by fiscal units: "1 year back" is the fiscal year before.
unit_for <- function(grain, unit) {
  if (is_fiscal(grain) && unit %in% c("month", "quarter", "year")) paste("fiscal", unit) else unit
}

# Days so many years back that weekdays stay: 52 weeks for each.
move_by_weekday <- function(days, years) days - 364L * years

# A week goes back a year to the week with the same number, and week 53 to the year's last.
move_week <- function(index, grain, n, unit, calendar, call = caller_env()) {
  if (unit %in% c("week", "fiscal week")) return(list(index = index - n, note = NULL))
  if (!unit %in% c("year", "fiscal year")) refuse_move(grain, n, unit, call)
  if (unit == "fiscal year" && grain == "week") {
    if (calendar$week_start != first_fiscal_weekday(calendar)) refuse_move(grain, n, unit, call)
    grain <- "fiscal week"  # the same weeks, counted in fiscal years
  }
  name <- week_name(index, grain, calendar, call)
  years <- name$year - n
  ends <- weeks_of_year(years, grain, calendar, call)
  wanted <- ends$first + name$number - 1L
  if (anyNA(wanted) && !anyNA(index)) refuse_place_unknown("fiscal year", calendar, call)
  list(index = pmin(wanted, ends$last), note = note_where(wanted > ends$last, function(at) {
    sprintf("%s has no week %d, so its week %d is taken",
            periods_at(years[at], year_of(grain), calendar, call)$label,
            rep_len(name$number, length(years))[at], (ends$last - ends$first)[at] + 1L)
  }))
}

note_where <- function(said, text) {
  if (!isTRUE(any(said))) return(NULL)
  note <- rep(NA_character_, length(said))
  note[which(said)] <- text(which(said))
  note
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
  there <- periods_at(parent - n, unit, calendar, call)
  last <- period_indexes(there$last, grain, calendar, call)
  first <- first_of_parent(parent - n, grain, unit, calendar, call)
  wanted <- first + index - first_of_parent(parent, grain, unit, calendar, call)
  if (anyNA(wanted)) refuse_place_unknown(unit, calendar, call)
  if (any(wanted < 1L)) refuse_outside_table(calendar, NULL, call)
  list(index = pmin(wanted, last), note = note_where(wanted > last, function(at) {
    sprintf("%s has only %d %ss, so its last is taken", there$label[at], (last - first)[at] + 1L,
            grain)
  }))
}

refuse_move <- function(grain, n, unit, call = caller_env()) {
  goes <- if (grain %in% c("week", "fiscal week")) c("weeks", "years") else {
    own <- names(months_in)[is_fiscal(names(months_in)) == is_fiscal(grain)]
    paste0(own[months_in[own] >= months_in[[grain]]], "s")
  }
  refuse("span", c(
    sprintf("A span of whole %ss cannot go back %s: that is not a whole %s.", grain,
            count_text(max(abs(n)), unit), grain),
    i = sprintf("It goes back by %s.", listed(goes, last = "or"))
  ), call = call)
}

# The last day of a whole span up to which it is as long as one that the as-of day cuts; NULL where
# nothing is cut, or the two are not of a kind. Spans that begin on the same day of the month go by
# months, others by days.
same_part <- function(cut, whole, as_of) {
  if (anyNA(c(cut$from, whole$from)) || cut$to <= as_of || cut$from > as_of || whole$to > as_of)
    return(NULL)
  longer <- (cut$to - cut$from + 1) / (whole$to - whole$from + 1)
  if (longer < 0.75 || longer > 1.34) return(NULL)
  starts <- core_dates_of(c(cut$from, whole$from))
  months <- (starts[2, 1] - starts[1, 1]) * 12L + starts[2, 2] - starts[1, 2]
  to <- if (starts[1, 3] == starts[2, 3]) core_moved_by_months(as_of, as.integer(months), FALSE)
        else whole$from + (as_of - cut$from)
  if (to < whole$to) as.integer(to)
}
