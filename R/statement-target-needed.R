# What a target takes on each open day that is left.

# What the target takes from here: list(values, notes), notes being a function of the name.
needed_per_day <- function(s, m, target, told, expecting) {
  plan <- attr(s, "plan")
  values <- rep(NA_real_, nrow(s))
  said <- character()
  for (at in split(told$open, day_numbers(s$from)[told$open])) {
    last <- periods_holding(day_numbers(s$from[at[1]]), plan$per, plan$calendar)$last
    days <- open_days(plan, expecting, as.integer(last))
    values[at] <- in_decimals(pmax(0, target[at] - s[[m]][at]) / days, 2L)
    values[at][is.infinite(values[at])] <- NA
    said <- c(said, sprintf("over %s, %s", count_text(days, "open day"),
                            days_text(plan$as_of + 1L, last)))
  }
  list(values = values,
       notes = function(name) sprintf("%s: for the target, %s", name, listed(unique(said))))
}

# How many days after the as-of day are open: not said to be closed, of a weekday that had an entry
# in the last 13 weeks, and no holiday, unless half of those before had entries.
open_days <- function(plan, expecting, last) {
  x <- plan_ledger(plan)
  before <- expecting$named[expecting$named >= plan$first & expecting$named <= plan$as_of]
  days <- seq.int(max(plan$first, min(plan$as_of - 90L, before)), plan$as_of)
  ask <- new_ask(plan$on, NULL, NULL, list(entry_count))
  held <- days[held_periods(x, ask, all_groups(groups_by(x, NULL)), days, days)$period]
  coming <- seq.int(plan$as_of + 1L, last)
  weekdays <- unique(weekday_of(held[held > plan$as_of - 91L]))
  works <- length(before) > 0 && mean(before %in% held) >= 0.5
  sum(weekday_of(coming) %in% weekdays & !coming %in% expecting$closed &
        (works | !coming %in% expecting$named))
}
