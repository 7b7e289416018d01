# The language by examples: what the help page and `rolling-ledger spans --list` show.

span_examples <- list(
  "The current period" = c(
    "this month" = "the whole month that holds the as-of day",
    "month to date" = "its days so far; also WTD MTD QTD YTD",
    "this fiscal quarter" = "the whole fiscal quarter",
    "fiscal year to date" = "its days so far; also FMTD FQTD FYTD"
  ),
  "Whole periods before it" = c(
    "last month" = "the month before the current one",
    "last 12 months" = "twelve months, all of them over",
    "last 2 fiscal quarters" = "two fiscal quarters",
    "latest finished week" = "the newest week that is over"
  ),
  "Up to the as-of day" = c(
    "latest 4 weeks" = "this week to date and the 3 before it",
    "latest 12 months" = "this month to date and the 11 before it",
    "trailing 30 days" = "30 days that end on the as-of day",
    "trailing 3 months" = "three months that end on it"
  ),
  "Fixed days" = c(
    "2026-08-31" = "a day; also 31 Aug 2026", "2026-W35" = "a week; also week 35 2026",
    "2026-08" = "a month; also August 2026",
    "2026-Q3" = "a quarter; also Q3 2026", "2026" = "a year", "FY2026-M06" = "a fiscal month",
    "FY2026-Q2" = "a fiscal quarter", "FY2026-W10" = "a week of the fiscal year",
    "FY2026" = "a fiscal year",
    "Q3" = "the newest that has begun; also week 35",
    "2024-W01/2024-02" = "from one to another; also with \"to\"",
    "2024-01/.." = "up to the as-of day",
    "all" = "every day there is"
  ),
  "The same, earlier" = c(
    "month to date, 1 year back" = "the same days a year earlier",
    "last month, 1 year back" = "the same month a year earlier",
    "same month last year" = "this month, 1 year back",
    "week to date, 1 year back" = "the same week number and weekdays",
    "last 4 weeks, 4 weeks back" = "the 4 weeks before those",
    "fiscal year to date, 1 fiscal year back" = "as far into the year before"
  ),
  "In every year" = c(
    "every Q3" = "one quarter of each year",
    "every February" = "one month of each year",
    "every W01" = "a week of each year; also fiscal M06 or Q2",
    "every 11-15/01-15" = "the same days of each year",
    "month to date, every year" = "the month so far in each year",
    "last fiscal quarter, every fiscal year" = "the same quarter of each fiscal year"
  )
)

span_example_phrases <- function() unlist(lapply(span_examples, names), use.names = FALSE)

# Days of each example in words; of those that recur, the newest and how many.
example_days <- function(phrases, calendar, as_of, first) {
  vapply(phrases, function(phrase) {
    spans <- resolve_phrase(phrase, "", calendar, as_of, first)
    n <- length(spans$to)
    paste0(span_text(spans$from[n], spans$to[n]), if (n > 1) sprintf(", and %d before it", n - 1L))
  }, "", USE.NAMES = FALSE)
}

# The section of the help page that teaches the language, as roxygen text.
span_help_section <- function() {
  as_of <- core_days_of(2026L, 9L, 17L)
  calendar <- ledger_calendar(fiscal_start = "April")
  rows <- unlist(lapply(names(span_examples), function(heading) {
    phrases <- names(span_examples[[heading]])
    c(sprintf("| **%s** | | |", heading),
      sprintf("| `%s` | %s | %s |", phrases, span_examples[[heading]],
              example_days(phrases, calendar, as_of, core_days_of(2023L, 1L, 1L))))
  }))
  c("@section The language:",
    paste0("Upper and lower case and spaces do not matter. Here are its phrases, read as of 17 ",
           "September 2026 for a ledger from"),
    "1 January 2023 on whose fiscal year starts on 1 April.", "",
    "| You say | It means | Days |", "|:---|:---|:---|", rows, "")
}
