#' A calendar: how days are put into weeks and fiscal years
#'
#' Options that travel together, checked once and printed in a few lines. Every [ledger()]
#' has one.
#'
#' @param fiscal_start Text of length one or a whole number from 1 to 12: the month in which
#'   the fiscal year starts, by its English name ("April"), its first three letters ("Apr")
#'   or its number. "January" makes the fiscal year the calendar year.
#' @param fiscal_label "end" or "start": whether FY2027 is the fiscal year that ends (the
#'   default) or starts in 2027. Without effect when the fiscal year starts in January.
#' @param week_start Text of length one: the weekday on which weeks start, by its English name
#'   or its first three letters. Weeks that start on a Monday are the weeks of ISO 8601.
#'   With any other first day a week belongs to the year that holds its fourth day, which
#'   is the same rule.
#'
#' @return An object of class `ledger_calendar`: a list with `fiscal_start` (1 to 12),
#'   `fiscal_label` ("end" or "start") and `week_start` (1 = Monday to 7 = Sunday).
#'
#' @section Errors:
#' `rollingledger_error_choice` for a month, weekday or label that is not known.
#'
#' @source ISO 8601 for weeks and week-years; the proleptic Gregorian calendar for years 1 to 9999.
#' @export
#' @examples
#' ledger_calendar(fiscal_start = "April", week_start = "Monday")
ledger_calendar <- function(fiscal_start = "January", fiscal_label = c("end", "start"),
                            week_start = "Monday") {
  new_ledger_calendar(
    fiscal_start = named_number(fiscal_start, month_names, "fiscal_start"),
    fiscal_label = one_of(fiscal_label, c("end", "start"), "fiscal_label"),
    week_start = named_number(week_start, weekday_names, "week_start")
  )
}

new_ledger_calendar <- function(fiscal_start, fiscal_label, week_start) {
  structure(list(fiscal_start = fiscal_start, fiscal_label = fiscal_label, week_start = week_start),
            class = "ledger_calendar")
}

check_calendar <- function(x, call = caller_env()) {
  if (!inherits(x, "ledger_calendar")) {
    refuse("choice", "`calendar` must come from `ledger_calendar()`.", arg = "calendar", call = call)
  }
  x
}

# The number of a month or weekday given by name, three letters or number.
named_number <- function(given, names, arg, call = caller_env()) {
  if (length(given) == 1 && !is.na(given)) {
    number <- suppressWarnings(as.numeric(given))
    if (!is.na(number) && number %in% seq_along(names)) return(as.integer(number))
    known <- tolower(names)
    at <- match(tolower(given), c(known, substr(known, 1, 3)))
    if (!is.na(at)) return(as.integer((at - 1L) %% length(names) + 1L))
  }
  one_of(as.character(given), names, arg, call = call)
}

# What the core needs to know of a calendar.
calendar_rules <- function(calendar) {
  c(fiscal_start = calendar$fiscal_start, label_by_end = as.integer(calendar$fiscal_label == "end"),
    week_start = calendar$week_start)
}

#' @export
format.ledger_calendar <- function(x, ...) {
  fiscal <- if (x$fiscal_start == 1) "the calendar year" else {
    sprintf("starts on 1 %s, named after the year in which it %ss", month_names[x$fiscal_start], x$fiscal_label)
  }
  rule <- if (x$week_start == 1) "ISO 8601" else "numbered by the year of the fourth day"
  c("Calendar",
    paste0("  fiscal year  ", fiscal),
    paste0("  weeks        start on ", weekday_names[x$week_start], ", ", rule))
}

#' @export
print.ledger_calendar <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}
