# Grains and periods: the only place that knows which grains there are.

grains <- c("day", "week", "month", "quarter", "year", "fiscal month", "fiscal quarter", "fiscal year")

grain_number <- function(grain) match(grain, grains) - 1L

check_grain <- function(per, arg = "per", call = caller_env()) {
  one_of(per, grains, arg, call = call)
}

# The period that holds each day: list(first, last, label).
periods_holding <- function(days, grain, calendar) {
  rules <- calendar_rules(calendar)
  core_periods(core_period_indexes(days, grain_number(grain), rules), grain_number(grain), rules)
}

# Number of the last week of a week-year; 28 December is always in it.
last_week <- function(year, calendar) {
  label <- periods_holding(core_days_of(year, 12L, 28L), "week", calendar)$label
  as.integer(sub(".*W", "", label))
}

# The periods of a grain that touch the days `from` to `to`, cut to them: label, from, to
# (days really covered), complete (covered from the first to the last day of the period).
periods_between <- function(from, to, grain, calendar) {
  rules <- calendar_rules(calendar)
  ends <- core_period_indexes(c(from, to), grain_number(grain), rules)
  whole <- core_periods(seq.int(ends[1], ends[2]), grain_number(grain), rules)
  first <- pmax(whole$first, from)
  last <- pmin(whole$last, to)
  list(label = whole$label, from = first, to = last,
       complete = first == whole$first & last == whole$last)
}
