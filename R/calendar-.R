describe_verb("ledger_calendar", asked_of = "source",
  fiscal_start = field("text", "month in which the fiscal year starts", default = "January",
                       value = "MONTH", more = paste(
    "Its English name (\"April\"), its first three letters (\"Apr\") or its number. \"January\"",
    "makes the fiscal year the calendar year.")),
  fiscal_label = field("choice", "name fiscal years by their end or their start", default = "end",
                       choices = c("end", "start"), value = "WORD", more = paste(
    "FY2027 is the fiscal year that ends, or starts, in 2027. Without effect when the fiscal year",
    "starts in January.")),
  week_start = field("text", "weekday on which weeks start", value = "WEEKDAY", more = paste(
    "Its English name or its first three letters. Without it Monday, and with {pattern} the day",
    "after the weekday on which fiscal years end.")),
  weeks = field("choice", "how weeks are numbered", default = "iso",
                choices = c("iso", "january", "whole"), value = "RULE", more = paste(
    "\"iso\": a week belongs to the year that holds its fourth day, which is ISO 8601's rule",
    "where weeks start on Monday. \"january\": week 1 is the week that holds 1 January.",
    "\"whole\": week 1 is the first whole week of the year.")),
  pattern = field("text", "fiscal years of 52 or 53 weeks: 4-4-5, 4-5-4 or 5-4-4",
                  value = "PATTERN", more = paste(
    "The weeks are dealt out so to the three months of each quarter. Needs {year_end}.")),
  year_end = field("text", "'last Saturday' or 'nearest Saturday' (any weekday)",
                   value = "RULE", with = "pattern", more = paste(
    "The fiscal year ends on the last such day of the month before {fiscal_start}, or on the one",
    "nearest to that month's last day, which may be up to three days into the next month. A year",
    "that starts on the Monday nearest to 1 July is `fiscal_start = \"July\", year_end = \"nearest",
    "Sunday\"`.")),
  week_53 = field("number", "fiscal month that gets the 53rd week, 12 without it",
                  value = "NUMBER", with = "pattern"),
  periods = field("table", "a table of fiscal periods, or its file", value = "FILE", more = paste(
    "A data frame with one row per fiscal month (or whatever the books close by), in order and",
    "without gaps: `from` and `to` (Dates, both included), `label` (text, such as \"P01 2026\"),",
    "and where there are such, `quarter` and `year` (text: the labels of the fiscal quarter and",
    "the fiscal year that the row is part of). Or the path of a file with it.")),
  holidays = field("pairs", "days on which no work is done, or NAME=DAY", option = "holiday",
                   value = "DAY", many = TRUE, more = paste(
    "Dates or text such as \"2026-12-25\". Names are shown in [calendar_table()].")),
  workdays = field("texts", "weekdays on which work is done, Monday to Friday without it",
                   default = c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday"),
                   option = "workday", value = "WEEKDAY", many = TRUE)
)

#' A calendar: how days are put into weeks, fiscal years and working days
#'
#' Options that travel together, checked once and printed in a few lines. Every [ledger()] has one;
#' [span()] and [calendar_table()] take one.
#'
#' @eval field_params("ledger_calendar")
#'
#' @return An object of class `ledger_calendar`: a list with `fiscal_start` (1 to 12),
#'   `fiscal_label` ("end" or "start"), `week_start` (1 = Monday to 7 = Sunday), `weeks`, `pattern`,
#'   `year_end`, `week_53`, `holidays` (Dates), `workdays` (1 to 7), and what is derived from them.
#'
#' @section Errors:
#' `rollingledger_error_choice` for a month, weekday, rule or label that is not known, and for
#' options that exclude each other. `rollingledger_error_calendar` for a table of periods with gaps,
#' overlaps or labels that stand twice, with the row named.
#'
#' @source ISO 8601 for weeks and week-years; the proleptic Gregorian calendar for years 1 to 9999.
#'   The two year-end rules are those of United States tax law for 52-53-week years (26 CFR
#'   1.441-2): the last such weekday in a month, or the one nearest to the end of a month.
#' @export
#' @examples
#' ledger_calendar(fiscal_start = "April", week_start = "Monday")
#'
#' # 52 or 53 weeks, ending on the last Saturday of January
#' weeks <- ledger_calendar(fiscal_start = "February", pattern = "4-5-4",
#'                          year_end = "last Saturday")
#' span("FY2026", weeks)
#'
#' # Any other fiscal calendar, as a table
#' thirteen <- data.frame(from = as.Date("2025-12-29") + 28 * 0:12,
#'                        to = as.Date("2025-12-29") + 28 * 1:13 - 1,
#'                        label = sprintf("P%02d 2026", 1:13), year = "FY2026")
#' ledger_calendar(periods = thirteen)
#' @include question-fields.R
ledger_calendar <- with_fields("ledger_calendar", function(
    fiscal_start, fiscal_label, week_start, weeks, pattern, year_end, week_53, periods, holidays,
    workdays) {
  given <- asked_fields("ledger_calendar")
  if (!is.null(periods)) given$periods <- given_table(periods, substitute(periods))
  periods <- table_given(given$periods)
  fiscal_start <- named_number(fiscal_start, month_names, "fiscal_start")
  fiscal_label <- one_of(fiscal_label, c("end", "start"), "fiscal_label")
  weeks <- one_of(weeks, c("iso", "january", "whole"), "weeks")
  in_weeks <- check_weeks_pattern(pattern, year_end, week_53)
  if (!is.null(periods) && (in_weeks || fiscal_start != 1 || fiscal_label != "end")) {
    refuse("choice", c("{periods} says all there is to say of the fiscal year.",
                       i = "Leave out {pattern}, {year_end}, {fiscal_start} and {fiscal_label}."),
           arg = "periods")
  }
  end <- if (in_weeks) read_year_end(year_end)
  week_start <- if (!is.null(week_start)) named_number(week_start, weekday_names, "week_start")
                else if (in_weeks) end$weekday %% 7L + 1L else 1L
  calendar <- new_ledger_calendar(
    fiscal_start, fiscal_label, week_start, weeks, pattern, year_end = end,
    week_53 = if (in_weeks) read_week_53(week_53 %||% 12),
    table = if (!is.null(periods)) read_period_table(periods),
    holidays = read_holidays(holidays), workdays = read_workdays(workdays)
  )
  calendar$given <- given_record(given)
  calendar
})

# What a calendar was asked for, without the table itself.
given_record <- function(given) {
  if (!is.null(given$periods)) given$periods <- table_record(given$periods)
  given
}

new_ledger_calendar <- function(fiscal_start, fiscal_label, week_start, weeks, pattern, year_end,
                                week_53, table,
                                holidays, workdays) {
  structure(list(
    fiscal_start = fiscal_start, fiscal_label = fiscal_label, week_start = week_start,
    weeks = weeks,
    pattern = pattern, year_end = year_end, week_53 = week_53, table = table, holidays = holidays,
    workdays = workdays,
    rules = calendar_rules(fiscal_start, fiscal_label, week_start, weeks, pattern, year_end,
                           week_53)
  ), class = "ledger_calendar")
}

# What the core needs to know of a calendar, in the order in which it reads it.
calendar_rules <- function(fiscal_start, fiscal_label, week_start, weeks, pattern, year_end,
                           week_53) {
  weeks_of_months <- if (is.null(pattern)) c(0L, 0L, 0L)
                     else as.integer(strsplit(pattern, "-", fixed = TRUE)[[1]])
  c(
    fiscal_start = fiscal_start, label_by_end = as.integer(fiscal_label == "end"),
    week_start = week_start,
    week_anchor = c(iso = 3L, january = 6L, whole = 0L)[[weeks]],
    year_end_weekday = year_end$weekday %||% 0L,
    year_end_nearest = as.integer(year_end$rule %||% "last" == "nearest"),
    weeks_1 = weeks_of_months[1], weeks_2 = weeks_of_months[2], weeks_3 = weeks_of_months[3],
    long_month = week_53 %||% 12L
  )
}

check_calendar <- function(x, call = caller_env()) {
  if (!inherits(x, "ledger_calendar")) {
    refuse("choice", "{calendar} must come from `ledger_calendar()`.", arg = "calendar",
           call = call)
  }
  x
}

# The number of a month or weekday given by name, three letters or number.
named_number <- function(given, names, arg, call = caller_env()) {
  if (length(given) == 1 && !is.na(given)) {
    number <- suppressWarnings(as.numeric(given))
    if (!is.na(number) && number %in% seq_along(names)) return(as.integer(number))
    known <- lower_text(names)
    at <- match(lower_text(given), c(known, substr(known, 1, 3)))
    if (!is.na(at)) return(as.integer((at - 1L) %% length(names) + 1L))
  }
  one_of(as.character(given), names, arg, call = call)
}

#' @export
format.ledger_calendar <- function(x, ...) {
  rule <- switch(x$weeks,
    iso = if (x$week_start == 1) "ISO 8601" else "numbered by the year of the fourth day",
    january = "week 1 holds 1 January", whole = "week 1 is the first whole week of the year")
  c("Calendar",
    paste0(c("  fiscal year   ", "                ")[seq_along(fiscal_text(x))], fiscal_text(x)),
    paste0("  weeks         start on ", weekday_names[x$week_start], ", ", rule),
    paste0("  working days  ", workdays_text(x)))
}

fiscal_text <- function(x) {
  if (!is.null(x$table)) return(period_table_text(x$table))
  named <- sprintf("named after the year in which it %ss", x$fiscal_label)
  before <- month_names[(x$fiscal_start + 10L) %% 12L + 1L]
  if (!is.null(x$pattern)) {
    day <- weekday_names[x$year_end$weekday]
    end <- if (x$year_end$rule == "last") sprintf("last %s of %s", day, before)
           else sprintf("%s nearest to the end of %s", day, before)
    return(c(sprintf("52 or 53 weeks (%s), ends on the %s", x$pattern, end),
             paste0(if (x$fiscal_start == 1) "" else paste0(named, "; "),
                    "a 53rd week goes to month ", x$week_53)))
  }
  if (x$fiscal_start == 1) "the calendar year"
  else sprintf("starts on 1 %s, %s", month_names[x$fiscal_start], named)
}

#' @export
print.ledger_calendar <- function(x, ...) {
  show_lines(format(x))
  invisible(x)
}
