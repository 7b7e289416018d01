#' Say when: a phrase as days
#'
#' Works out what a short phrase means in days and shows it. [statement()] takes the same phrases,
#' and every title and heading takes its dates from the result, never from the phrase anew.
#'
#' @param phrase Character vector: one or more phrases in the words of the section The language;
#'   names become labels.
#' @param calendar A [ledger_calendar()], or a [ledger()], whose calendar, as-of day and first day
#'   are then used.
#' @param as_of The day up to which there is anything to count, on which all relative phrases hang:
#'   a Date or text such as "2026-09-17". By default today, or the ledger's own.
#' @param first The first day there is, for phrases that recur or have no beginning: by default the
#'   ledger's own, or the start of the fifth year up to the as-of day.
#'
#' @return An object of class `ledger_span`, a tibble with one row per span: `label` (text: the name
#'   given, or the phrase, or for recurring ones the days), `from` and `to` (Dates, both included;
#'   `from` is missing where the span has no beginning), `days` and `working_days` (whole numbers),
#'   `complete` (logical: all of its days are over, and no period is cut by the as-of day), `phrase`
#'   (text: the phrase in full words), `as_of` (Date), `note` (text: what to know of it, missing as
#'   a rule).
#'
#' @eval span_help_section()
#'
#' @section Points and units:
#' A *point* is a year, quarter, month, week or day as labels show them, calendar or fiscal: 2026,
#' 2026-Q3, 2026-09, 2026-W38, 2026-09-17, FY2027, FY2027-Q2, FY2027-M06, FY2027-W25; September 2026
#' and Q3 2026; or a label of the calendar's own table of periods. A *unit* is day, week, month,
#' quarter, year, fiscal week, fiscal month, fiscal quarter or fiscal year (d, w, m, q, y, FM, FQ,
#' FY); in a [statement()] with `per`, *period* is its grain, so that "latest 12 periods" and "1
#' period back" follow it. "today" is "this day", "yesterday" is "last day".
#'
#' @section Going back:
#' "N units back" moves a span; several may follow each other in any order, and the longest unit is
#' always moved first.
#' - Whole periods go back to whole periods: "last month, 1 year back" is the same month a year
#' earlier. A unit that would give no whole period (a quarter, 1 month back) is refused.
#' - "to date", "latest" and "trailing" spans go back by moving the as-of day: to the same day of
#' the month, or the month's last where it is shorter. With fiscal units of weeks or of a table it
#' is the same day counted from the start of the unit.
#' - Weeks go back a year to the same week number; week 53 to week 52, with a note. "week to date"
#' goes back to the same weekday of that week, so that as many days are compared.
#' - Spans of days go back a year day by day, 29 February to 28 February.
#'
#' "trailing 3 months" ends on the as-of day and starts on the day after the as-of day moved back by
#' 3 months; where the as-of day is the last of its month, on the first day of a month.
#'
#' "every year" (or "every fiscal year") repeats a span for each year that there is, the newest
#' last.
#'
#' @section Errors:
#' `rollingledger_error_span` for a phrase that is not understood, with the word and what could
#' stand there, or that means no days; `rollingledger_error_calendar` for days outside a table of
#' periods; `rollingledger_error_choice` for any other argument.
#' @source ISO 8601 for dates and weeks; [ledger_calendar()] for the rest.
#' @name span
#' @export
#' @examples
#' april <- ledger_calendar(fiscal_start = "April")
#' span("month to date, 1 year back", april, as_of = "2026-09-17")
#' span(c(now = "FQTD", before = "FQTD, 1 fiscal year back"), april, as_of = "2026-09-17")
#'
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), calendar = april)
#' span("every Q3", fares)
#' span("week to date, every year", fares)$from
span <- function(phrase, calendar = ledger_calendar(), as_of = NULL, first = NULL) UseMethod(
  "span", calendar)

#' @rdname span
#' @usage NULL
#' @export
span.ledger_calendar <- function(phrase, calendar = ledger_calendar(), as_of = NULL, first = NULL) {
  as_of <- if (is.null(as_of)) as.integer(Sys.Date()) else one_day(as_of, "as_of")
  first <- if (!is.null(first)) one_day(first, "first")
  new_ledger_span(resolve_phrases(phrase, calendar, as_of, first), calendar)
}

#' @export
span.default <- function(phrase, calendar = ledger_calendar(), as_of = NULL, first = NULL) {
  refuse("choice", "{calendar} must come from `ledger_calendar()`, or be a ledger.",
         arg = "calendar")
}

new_ledger_span <- function(days, calendar) {
  tibble::new_tibble(list(
    label = days$label, from = as_date(days$from), to = as_date(days$to),
    days = days$to - days$from + 1L,
    working_days = working_days(days$from, days$to, calendar), complete = days$complete,
    phrase = days$phrase,
    as_of = rep(as_date(days$as_of), length(days$label)), note = days$note
  ), nrow = length(days$label), class = "ledger_span")
}

#' @export
format.ledger_span <- function(x, ...) {
  shown <- c("label", "from", "to", "complete", "phrase", "as_of", "note")
  if (!all(shown %in% names(x)) || nrow(x) == 0) return(format(tibble::as_tibble(x)))
  from <- day_numbers(x$from)
  to <- day_numbers(x$to)
  as_of <- day_numbers(x$as_of)
  days <- span_text(from, to)
  counted <- paste0(number_text(to - from + 1L), ifelse(to == from, " day", " days"))
  to_come <- ifelse(
    to > as_of, sprintf(", %s to come", number_text(to - pmax(as_of, from - 1L, na.rm = TRUE))), "")
  line <- paste0(days, ifelse(is.na(from), "", sprintf(" (%s%s)", counted, to_come)))
  said <- paste0(ifelse(x$label == x$phrase, "", paste0(x$label, ": ")), x$phrase, " = ", line,
                 ", as of ", day_text(as_of))
  # The spans of a phrase that recurs stand below it.
  run <- cumsum(c(TRUE, x$phrase[-1] != x$phrase[-nrow(x)]))
  several <- tabulate(run)[run] > 1 & x$label != x$phrase
  noted <- ifelse(is.na(x$note), "", sprintf("\n  (%s)", x$note))
  out <- paste0(ifelse(several, sprintf("  %s = %s", format(x$label), line), said), noted)
  heading <- several & !duplicated(run)
  out[heading] <- sprintf("%s, as of %s: %s\n%s", x$phrase[heading], day_text(as_of[heading]),
                          vapply(tabulate(run)[run[heading]], count_text, "", one = "span"),
                          out[heading])
  unlist(strsplit(out, "\n"))
}

# Days in words, also of spans without a beginning.
span_text <- function(from, to) {
  vapply(seq_along(to), function(i) {
    if (is.na(from[i])) paste("every day up to", day_text(to[i])) else days_text(from[i], to[i])
  }, "")
}

#' @export
print.ledger_span <- function(x, ...) {
  show_lines(format(x))
  invisible(x)
}
