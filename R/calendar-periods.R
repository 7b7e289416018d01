# Grains and periods: the only place that knows which grains there are. A period of a grain has a
# whole number, its index; the indexes of a grain follow each other without gaps.

grains <- c("day", "week", "month", "quarter", "year", "fiscal week", "fiscal month",
            "fiscal quarter", "fiscal year")

grain_number <- function(grain) match(grain, grains) - 1L

check_grain <- function(per, arg = "per", call = caller_env()) {
  one_of(per, grains, arg, call = call)
}

is_fiscal <- function(grain) startsWith(grain, "fiscal ")

# What fiscal years consist of: "months", "weeks" or a "table" of periods.
fiscal_kind <- function(calendar) {
  if (!is.null(calendar$table)) "table" else if (!is.null(calendar$pattern)) "weeks" else "months"
}

is_tabled <- function(grain, calendar) {
  !is.null(calendar$table) && is_fiscal(grain) && grain != "fiscal week"
}

period_indexes <- function(days, grain, calendar, call = caller_env()) {
  if (!is_tabled(grain, calendar))
    return(core_period_indexes(days, grain_number(grain), calendar$rules))
  table <- tabled_periods(grain, calendar, call)
  outside <- which(days < table$first[1] | days > table$last[length(table$last)])
  if (length(outside) > 0) refuse_outside_table(calendar, day_text(days[outside[1]]), call)
  findInterval(days, table$first)
}

# list(first, last, label) of the periods with these indexes.
periods_at <- function(indexes, grain, calendar, call = caller_env()) {
  if (is_tabled(grain, calendar)) {
    table <- tabled_periods(grain, calendar, call)
    if (any(indexes < 1L | indexes > length(table$first)))
      refuse_outside_table(calendar, NULL, call)
    return(lapply(table, function(column) column[indexes]))
  }
  out <- core_periods(indexes, grain_number(grain), calendar$rules)
  if (grain == "fiscal week" && !is.null(calendar$table)) {
    name <- week_name(indexes, grain, calendar, call)
    out$label <- sprintf("%s-W%02d", periods_at(name$year, "fiscal year", calendar, call)$label,
                         name$number)
  }
  out
}

# The period that holds each day: list(first, last, label).
periods_holding <- function(days, grain, calendar, call = caller_env()) {
  periods_at(period_indexes(days, grain, calendar, call), grain, calendar, call)
}

# First day of the period before the one that holds each day; missing where a table of periods has
# none.
period_before_first <- function(days, grain, calendar, call = caller_env()) {
  index <- period_indexes(days, grain, calendar, call) - 1L
  if (is_tabled(grain, calendar))
    return(tabled_periods(grain, calendar, call)$first[ifelse(index < 1L, NA, index)])
  periods_at(index, grain, calendar, call)$first
}

# The periods of a grain that touch the days `from` to `to`, cut to them: label, from, to
# (days really covered), complete (covered from the first to the last day of the period).
periods_between <- function(from, to, grain, calendar, call = caller_env()) {
  ends <- period_indexes(c(from, to), grain, calendar, call)
  whole <- periods_at(seq.int(ends[1], ends[2]), grain, calendar, call)
  first <- pmax(whole$first, from)
  last <- pmin(whole$last, to)
  list(label = whole$label, from = first, to = last,
       complete = first == whole$first & last == whole$last)
}

tabled_periods <- function(grain, calendar, call = caller_env()) {
  calendar$table[[grain]] %||% refuse("calendar", c(
    sprintf("The calendar's table of periods does not say which %s a period is part of.",
            sub("fiscal ", "", grain)),
    i = sprintf("Add a column `%s` to {periods} in `ledger_calendar()`.", sub("fiscal ", "", grain))
  ), call = call)
}

refuse_outside_table <- function(calendar, what, call = caller_env()) {
  months <- calendar$table[["fiscal month"]]
  refuse("calendar", c(
    sprintf("The calendar's table of periods runs from %s to %s; %s.", day_text(months$first[1]),
            day_text(months$last[length(months$last)]),
            if (is.null(what)) "what is asked for lies outside it"
            else paste(what, "lies outside it")),
    i = "Add the periods that are missing to {periods} in `ledger_calendar()`."
  ), call = call)
}

# Year (an index of "year" or "fiscal year") and number of weeks.
week_name <- function(indexes, grain, calendar, call = caller_env()) {
  if (grain == "week" || is.null(calendar$table)) {
    names <- core_week_names(indexes, grain_number(grain), calendar$rules)
    return(list(year = names[, 1], number = names[, 2]))
  }
  anchor <- core_periods(indexes, grain_number(grain), calendar$rules)$first +
    calendar$rules[["week_anchor"]]
  year <- period_indexes(anchor, "fiscal year", calendar, call)
  list(year = year,
       number = (anchor - periods_at(year, "fiscal year", calendar, call)$first) %/% 7L + 1L)
}

# The kind of year that a grain is counted in.
year_of <- function(grain) if (is_fiscal(grain)) "fiscal year" else "year"

periods_in_year <- c(month = 12L, quarter = 4L, year = 1L, "fiscal month" = 12L,
                     "fiscal quarter" = 4L, "fiscal year" = 1L)

# Indexes of the periods with a number, from 1, in each year (indexes too); missing where there is
# none.
nth_of_year <- function(years, number, grain, calendar, call = caller_env()) {
  ends <- periods_of_year(years, grain, calendar, call)
  nth <- ends$first + number - 1L
  nth[number < 1L | nth > ends$last] <- NA_integer_
  nth
}

# Indexes of the first and the last period of each year.
periods_of_year <- function(years, grain, calendar, call = caller_env()) {
  if (grain %in% c("week", "fiscal week")) return(weeks_of_year(years, grain, calendar, call))
  if (is_tabled(grain, calendar)) {
    days <- periods_at(years, "fiscal year", calendar, call)
    return(list(first = period_indexes(days$first, grain, calendar, call),
                last = period_indexes(days$last, grain, calendar, call)))
  }
  per_year <- periods_in_year[[grain]]
  list(first = years * per_year, last = years * per_year + per_year - 1L)
}

# The weeks whose anchor day a year holds.
weeks_of_year <- function(years, grain, calendar, call = caller_env()) {
  days <- periods_at(years, year_of(grain), calendar, call)
  anchor <- calendar$rules[["week_anchor"]]
  week_holding <- function(days) {
    index <- core_period_indexes(days, grain_number(grain), calendar$rules)
    list(index = index,
         anchor = core_periods(index, grain_number(grain), calendar$rules)$first + anchor)
  }
  first <- week_holding(days$first)
  last <- week_holding(days$last)
  list(first = first$index + (first$anchor < days$first),
       last = last$index - (last$anchor > days$last))
}
