#' A calendar as a table, for joining elsewhere
#'
#' One row per day with the label of the period of every grain that holds it; or, with `per`, one
#' row per period with its number of days and of working days.
#'
#' @param calendar A [ledger_calendar()].
#' @param from,to The first and the last day, both included: Dates, or text such as "2026-03-31".
#' @param per NULL for days, or text of length one: a grain as in [statement()].
#' @return A tibble. By day: `day` (Date), `weekday` (text), `week`, `month`, `quarter`, `year`,
#'   `fiscal_week`, `fiscal_month`, `fiscal_quarter`, `fiscal_year` (text: labels; without those
#'   that a table of periods does not have), `working` (logical) and `holiday` (text: its name,
#'   missing on other days). With `per`: `period` (text: label), `from` and `to` (Dates, cut to the
#'   days asked for), `complete` (logical: the period is not cut), `days` and `working_days` (whole
#'   numbers).
#' @section Errors:
#' `rollingledger_error_choice` where a day or the grain is not understood or `to` comes before
#' `from`; `rollingledger_error_calendar` for days outside a table of periods.
#' @source ISO 8601 for weeks and dates; see [ledger_calendar()] for fiscal years.
#' @export
#' @examples
#' april <- ledger_calendar(fiscal_start = "April", holidays = c("Christmas Day" = "2026-12-25"))
#' calendar_table(april, "2026-12-24", "2027-01-04")
#' calendar_table(april, "2026-04-01", "2027-03-31", per = "fiscal quarter")
calendar_table <- function(calendar, from, to, per = NULL) {
  check_calendar(calendar)
  from <- one_day(from, "from")
  to <- one_day(to, "to")
  if (to < from) {
    refuse("choice", sprintf("{to} (%s) comes before {from} (%s).", day_text(to), day_text(from)),
           arg = "to")
  }
  if (is.null(per)) table_of_days(calendar, from, to)
  else table_of_periods(calendar, from, to, check_grain(per))
}

table_of_days <- function(calendar, from, to) {
  days <- seq.int(from, to)
  shown <- setdiff(grains, "day")
  if (!is.null(calendar$table)) {
    absent <- setdiff(names(periods_in_year)[is_fiscal(names(periods_in_year))],
                      names(calendar$table))
    shown <- setdiff(shown, c(absent, if (length(absent) > 0) "fiscal week"))
  }
  labels <- lapply(stats::setNames(shown, gsub(" ", "_", shown)), function(grain) {
    periods <- periods_between(from, to, grain, calendar)
    rep.int(periods$label, periods$to - periods$from + 1L)
  })
  tibble::new_tibble(c(
    list(day = as_date(days), weekday = weekday_names[weekday_of(days)]), labels,
    list(working = is_working_day(days, calendar),
         holiday = if (is.null(calendar$holidays)) rep(NA_character_, length(days))
                   else calendar$holidays$names[match(days, calendar$holidays$days)])
  ), nrow = length(days))
}

table_of_periods <- function(calendar, from, to, per) {
  periods <- periods_between(from, to, per, calendar)
  tibble::new_tibble(list(
    period = periods$label, from = as_date(periods$from), to = as_date(periods$to),
    complete = periods$complete,
    days = periods$to - periods$from + 1L,
    working_days = working_days(periods$from, periods$to, calendar)
  ), nrow = length(periods$label))
}
