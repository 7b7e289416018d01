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
    years <- periods_at(name$year, "fiscal year", calendar, call)$label
    out$label <- ifelse(is.na(name$number), sprintf("%s, week from %s", years, iso_day(out$first)),
                        sprintf("%s-W%02d", years, name$number))
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
  # The week in which the table begins or ends may be one of the year beside it.
  table <- tabled_periods("fiscal year", calendar, call)
  ends <- c(table$first[1], table$last[length(table$last)])
  beside <- anchor > ends[1] - 7L & anchor < ends[1] | anchor > ends[2] & anchor < ends[2] + 7L
  anchor[which(beside)] <- pmin(pmax(anchor[which(beside)], ends[1]), ends[2])
  year <- period_indexes(anchor, "fiscal year", calendar, call)
  number <- (anchor - periods_at(year, "fiscal year", calendar, call)$first) %/% 7L + 1L
  number[begins_unknown(year, "fiscal year", calendar) | beside] <- NA
  list(year = year, number = number)
}

# ---- the first year of a table ------------------------------------------------------------
#
# A table may begin within a year (or quarter). Places in that year are known only where it is as
# long as a year is, or where the periods' labels hold their own numbers: P08 2025 is the eighth.

shortest_whole <- c("fiscal quarter" = 80L, "fiscal year" = 343L)

# Of the table's first `unit`: how many periods of a grain it has before the table begins; missing
# where that is not known.
periods_before_table <- function(grain, unit, calendar, call = caller_env()) {
  parents <- tabled_periods(unit, calendar, call)
  if (parents$last[1] - parents$first[1] + 1L >= shortest_whole[[unit]]) return(0L)
  periods <- tabled_periods(grain, calendar, call)
  number <- numbers_of_labels(periods$label, findInterval(periods$first, parents$first))
  if (is.null(number)) NA_integer_ else number[1] - 1L
}

# The numbers by which labels count periods in their parents, or NULL: those that go up by one
# within each, and begin with one in all but the first.
numbers_of_labels <- function(labels, parent) {
  digits <- regmatches(labels, gregexpr("[0-9]{1,9}", labels))
  starts <- !duplicated(parent)
  found <- list()
  for (i in seq_len(min(lengths(digits)))) {
    number <- as.integer(vapply(digits, function(parts) parts[i], ""))
    steps <- c(0L, diff(number))
    counts <- all(steps[!starts] == 1L) && all(number[starts][-1] == 1L) && number[1] >= 1L
    if (counts) found <- c(found, list(number))
  }
  # One period alone counts nothing.
  if (length(found) == 1 && length(labels) > 1) found[[1]]
}

# Whether it is not known with which day a unit begins: the table's first, where it may be cut.
begins_unknown <- function(index, unit, calendar) {
  if (is.null(calendar$table)) return(logical(length(index)))
  whole <- tabled_periods(unit, calendar)
  cut <- whole$last[1] - whole$first[1] + 1L < shortest_whole[[unit]]
  if (cut && unit == "fiscal year" && !is.null(calendar$table[["fiscal month"]])) {
    cut <- !identical(periods_before_table("fiscal month", unit, calendar), 0L)
  }
  index %in% 1L & cut
}

# Index of the first period of each parent, as it would be where the table begins within one.
first_of_parent <- function(parents, grain, unit, calendar, call = caller_env()) {
  first <- period_indexes(periods_at(parents, unit, calendar, call)$first, grain, calendar, call)
  at <- which(parents == 1L)
  if (length(at) > 0) first[at] <- first[at] - periods_before_table(grain, unit, calendar, call)
  first
}

refuse_place_unknown <- function(unit, calendar, call = caller_env()) {
  first <- lapply(tabled_periods(unit, calendar), function(column) column[1])
  refuse("calendar", c(
    sprintf("The calendar's table of periods begins on %s, within %s, so places in it are unknown.",
            day_text(first$first), first$label),
    i = sprintf("Add the periods of %s before it to {periods}, or number the labels (P08 2025).",
                first$label)), call = call)
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
  # The table's first year may begin before the table.
  if (is_tabled(grain, calendar)) nth[!is.na(nth) & nth < 1L] <- NA_integer_
  nth
}

# Indexes of the first and the last period of each year.
periods_of_year <- function(years, grain, calendar, call = caller_env()) {
  if (grain %in% c("week", "fiscal week")) return(weeks_of_year(years, grain, calendar, call))
  if (is_tabled(grain, calendar)) {
    days <- periods_at(years, "fiscal year", calendar, call)
    return(list(first = first_of_parent(years, grain, "fiscal year", calendar, call),
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
  if (grain == "fiscal week") first$index[begins_unknown(years, "fiscal year", calendar)] <- NA
  list(first = first$index + (first$anchor < days$first),
       last = last$index - (last$anchor > days$last))
}
