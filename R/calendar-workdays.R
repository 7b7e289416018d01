# Working days: which weekdays and which days count, and how many there are between two days.

read_workdays <- function(workdays, call = caller_env()) {
  if (!is.character(workdays) || length(workdays) == 0) {
    refuse("choice", "{workdays} must name at least one weekday.", arg = "workdays", call = call)
  }
  sort(
    unique(vapply(workdays, named_number, 0L, names = weekday_names, arg = "workdays", call = call,
                  USE.NAMES = FALSE)))
}

# list(days, names), in order.
read_holidays <- function(holidays, call = caller_env()) {
  if (is.null(holidays)) return(NULL)
  days <- if (inherits(holidays, "Date")) day_numbers(holidays)
          else if (is.character(holidays)) core_iso_days(holidays) else NA
  if (length(days) == 0 || anyNA(days)) {
    bad <- which(is.na(days))[1]
    refuse("choice", sprintf("{holidays} must be days such as \"2026-12-25\"%s.",
                             if (is.character(holidays)) sprintf(", not \"%s\"", holidays[bad])
                             else ""), arg = "holidays", call = call)
  }
  called <- names(holidays) %||% rep("", length(days))
  at <- order(days)
  at <- at[!duplicated(days[at])]
  list(days = days[at], names = ifelse(called[at] == "", "holiday", called[at]))
}

# Number of working days from `from` to `to`, both included; missing where either is.
working_days <- function(from, to, calendar) {
  on_weekdays <- working_weekdays_up_to(to, calendar) - working_weekdays_up_to(from - 1L, calendar)
  holidays <- calendar$holidays$days
  if (is.null(holidays)) return(on_weekdays)
  holidays <- holidays[weekday_of(holidays) %in% calendar$workdays]
  on_weekdays - (findInterval(to, holidays) - findInterval(from - 1L, holidays))
}

# Counted from Monday, 29 December 1969.
working_weekdays_up_to <- function(days, calendar) {
  since <- days + 3L
  in_week <- cumsum(1:7 %in% calendar$workdays)
  as.integer((since %/% 7L) * in_week[7] + in_week[since %% 7L + 1L])
}

weekday_of <- function(days) (as.integer(days) + 3L) %% 7L + 1L

is_working_day <- function(days, calendar) {
  weekday_of(days) %in% calendar$workdays & !days %in% calendar$holidays$days
}

workdays_text <- function(calendar) {
  days <- calendar$workdays
  run <- length(days) > 2 && all(diff(days) == 1L)
  paste0(if (run) paste(weekday_names[days[1]], "to", weekday_names[days[length(days)]])
         else listed(weekday_names[days]),
         if (!is.null(calendar$holidays))
           paste(", without", count_text(length(calendar$holidays$days), "holiday")))
}

# Of the days of each span what kind they are: 1 to 7, Monday to Sunday, 8 a holiday.
kinds_of_days <- function(days, calendar) {
  lapply(days, function(day) ifelse(day %in% calendar$holidays$days, 8L, weekday_of(day)))
}

kind_names <- function() c(weekday_names, "holiday")
