# Grains and periods: the only place that knows which grains there are.

grains <- c("day", "week", "month", "quarter", "year", "fiscal month", "fiscal quarter", "fiscal year")

grain_number <- function(grain) match(grain, grains) - 1L

check_grain <- function(per, arg = "per", call = caller_env()) {
  one_of(per, grains, arg, call = call)
}

# The first day of the period that holds each day.
period_starts <- function(days, grain, calendar) {
  rules <- calendar_rules(calendar)
  index <- core_period_indexes(days, grain_number(grain), rules)
  core_periods(index, grain_number(grain), rules)$first
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
