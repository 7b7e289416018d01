# A calendar of its own: every day of some years with its label in every grain, written out day by
# day. Nothing here knows the package. Days are whole numbers from 1970-01-01.

as_days <- function(dates) as.integer(floor(as.numeric(dates)))
iso <- function(days) format(as.Date(days, origin = "1970-01-01"), "%Y-%m-%d")

parts_of <- function(days) {
  date <- as.POSIXlt(as.Date(days, origin = "1970-01-01"))
  list(year = date$year + 1900L, month = date$mon + 1L, day = date$mday,
       weekday = (date$wday + 6L) %% 7L + 1L)
}

day_of <- function(year, month, day) as_days(as.Date(sprintf("%04d-%02d-%02d", year, month, day)))
last_of_month <- function(year, month) {
  next_month <- month %% 12L + 1L
  day_of(year + (month == 12L), next_month, 1L) - 1L
}

# `rules` as given to the package: list(fiscal_start (number), fiscal_label, week_start (number),
# pattern, year_end, week_53).
make_calendar <- function(rules, from, to) {
  days <- seq.int(from, to)
  p <- parts_of(days)
  quarter <- (p$month - 1L) %/% 3L + 1L
  fourth <- days - (p$weekday - rules$week_start) %% 7L + 3L
  in_year <- parts_of(fourth)
  week <- (fourth - day_of(in_year$year, 1L, 1L)) %/% 7L + 1L
  fiscal <- if (!is.null(rules$table)) list(year = 1L, month = 1L) else if (is.null(rules$pattern))
    fiscal_by_months(rules, p) else fiscal_by_weeks(rules, days)
  label <- list(
    day = iso(days), week = sprintf("%04d-W%02d", in_year$year, week),
    month = sprintf("%04d-%02d", p$year, p$month),
    quarter = sprintf("%04d-Q%d", p$year, quarter), year = sprintf("%04d", p$year),
    "fiscal month" = sprintf("FY%04d-M%02d", fiscal$year, fiscal$month),
    "fiscal quarter" = sprintf("FY%04d-Q%d", fiscal$year, (fiscal$month - 1L) %/% 3L + 1L),
    "fiscal year" = sprintf("FY%04d", fiscal$year)
  )
  if (!is.null(rules$table)) {
    at <- findInterval(days, rules$table$from)
    stopifnot(all(at > 0), days <= max(rules$table$to))
    label[c("fiscal month", "fiscal quarter", "fiscal year")] <- lapply(
      rules$table[c("label", "quarter", "year")], function(text) text[at])
  }
  list(days = days, label = label, rules = rules)
}

# Whether fiscal periods are no calendar months.
own_periods <- function(cal) !is.null(cal$rules$pattern) || !is.null(cal$rules$table)

fiscal_by_months <- function(rules, p) {
  ends_in <- p$year + (rules$fiscal_start > 1L & p$month >= rules$fiscal_start)
  list(year = ends_in - (rules$fiscal_start > 1L && rules$fiscal_label == "start"),
       month = (p$month - rules$fiscal_start) %% 12L + 1L)
}

# Years of 52 or 53 weeks: the last days of each year are looked for one by one.
fiscal_by_weeks <- function(rules, days) {
  years <- seq.int(parts_of(days[1])$year - 1L, parts_of(days[length(days)])$year + 1L)
  month <- (rules$fiscal_start + 10L) %% 12L + 1L
  ends <- vapply(years, function(year) {
    last <- last_of_month(year, month)
    near <- seq.int(last - 6L, last + if (rules$year_end$rule == "nearest") 3L else 0L)
    near <- near[parts_of(near)$weekday == rules$year_end$weekday]
    near[which.min(abs(near - last))]
  }, 0L)
  at <- findInterval(days, ends + 1L)
  week <- (days - ends[at] - 1L) %/% 7L + 1L
  weeks <- (ends[at + 1L] - ends[at]) %/% 7L
  pattern <- rep(as.integer(strsplit(rules$pattern, "-", fixed = TRUE)[[1]]), 4)
  month_of <- function(week, weeks) {
    lengths <- pattern
    if (weeks == 53L) lengths[rules$week_53] <- lengths[rules$week_53] + 1L
    findInterval(week - 1L, cumsum(c(0L, lengths)), left.open = FALSE)
  }
  list(year = years[at + 1L] - (rules$fiscal_start > 1L && rules$fiscal_label == "start"),
       month = mapply(month_of, week, weeks))
}

# All periods of a grain in order: list(label, from, to).
periods_of <- function(cal, grain) {
  label <- cal$label[[grain]]
  starts <- which(c(TRUE, label[-1] != label[-length(label)]))
  list(label = label[starts], from = cal$days[starts],
       to = cal$days[c(starts[-1] - 1L, length(label))])
}

period_with <- function(cal, grain, day) {
  periods <- periods_of(cal, grain)
  at <- findInterval(day, periods$from)
  list(at = at, label = periods$label[at], from = periods$from[at], to = periods$to[at])
}

period_called <- function(cal, grain, label) {
  periods <- periods_of(cal, grain)
  at <- match(label, periods$label)
  list(at = at, label = periods$label[at], from = periods$from[at], to = periods$to[at])
}

months_of <- c(month = 1L, quarter = 3L, year = 12L, "fiscal month" = 1L, "fiscal quarter" = 3L,
               "fiscal year" = 12L)

# One day so many units back: the same day of the month, or its last; with `ends` the last day of a
# month to a last one.
day_back <- function(cal, day, n, unit, ends = FALSE) {
  if (unit == "day") return(day - n)
  if (unit == "week") return(day - 7L * n)
  if (startsWith(unit, "fiscal") && own_periods(cal)) {
    here <- period_with(cal, unit, day)
    periods <- periods_of(cal, unit)
    back <- here$at - n
    to <- min(periods$from[back] + day - here$from, periods$to[back])
    if (ends && day == period_with(cal, "fiscal month", day)$to) {
      to <- if (day == here$to) periods$to[back] else period_with(cal, "fiscal month", to)$to
    }
    return(to)
  }
  p <- parts_of(day)
  months <- p$year * 12L + p$month - 1L - n * months_of[[unit]]
  year <- months %/% 12L
  month <- months %% 12L + 1L
  last <- last_of_month(year, month)
  is_last <- day == last_of_month(p$year, p$month)
  if (ends && is_last) return(last)
  min(day_of(year, month, 1L) + p$day - 1L, last)
}

# A period so many units back: list(label, from, to).
period_back <- function(cal, grain, label, n, unit) {
  periods <- periods_of(cal, grain)
  at <- match(label, periods$label)
  if (grain == "day") {
    day <- day_back(cal, periods$from[at], n, unit)
    return(list(label = iso(day), from = day, to = day))
  }
  if (grain == "week" && unit == "year") {
    year <- as.integer(substr(label, 1, 4)) - n
    same <- sprintf("%04d-W%s", year, substr(label, 7, 8))
    back <- match(same, periods$label)
    if (is.na(back)) back <- max(which(startsWith(periods$label, sprintf("%04d-", year))))
  } else if (grain == "week") {
    back <- at - n
  } else {
    if (startsWith(grain, "fiscal") && !startsWith(unit, "fiscal")) unit <- paste("fiscal", unit)
    if (!is.null(cal$rules$table) && startsWith(grain, "fiscal") && unit != grain)
      return(tabled_back(cal, grain, at, n, unit))
    back <- at - n * months_of[[unit]] %/% months_of[[grain]]
  }
  list(label = periods$label[back], from = periods$from[back], to = periods$to[back])
}

# In a table the period in the same place of an earlier quarter or year, or its last.
tabled_back <- function(cal, grain, at, n, unit) {
  periods <- periods_of(cal, grain)
  parents <- periods_of(cal, unit)
  parent <- findInterval(periods$from[at], parents$from)
  within <- function(parent) which(
    periods$from >= parents$from[parent] & periods$to <= parents$to[parent])
  place <- match(at, within(parent))
  there <- within(parent - n)
  back <- there[min(place, length(there))]
  list(label = periods$label[back], from = periods$from[back], to = periods$to[back])
}

# A day within a period of a grain, back: in weeks by years to the same weekday of that week;
# otherwise as a day.
day_within_back <- function(cal, grain, day, n, unit) {
  if (grain == "week" && unit == "year") {
    here <- period_with(cal, "week", day)
    return(period_back(cal, "week", here$label, n, unit)$from + day - here$from)
  }
  if (startsWith(grain, "fiscal") && unit %in% c("month", "quarter", "year"))
    unit <- paste("fiscal", unit)
  day_back(cal, day, n, unit)
}
