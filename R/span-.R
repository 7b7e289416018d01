# Spans: the days that a phrase means. The phrase is kept beside the days, and every title
# and heading takes its dates from the same object as the numbers.
#
# Read here: "all", one point, "point/point", "point/.." and "../point".

new_ledger_span <- function(phrase, from, to, as_of) {
  structure(list(phrase = phrase, from = from, to = to, as_of = as_of), class = "ledger_span")
}

# The span as days of a ledger that runs from `first` to `last`: never before its first day
# nor after its as-of day.
resolve_span <- function(phrase, calendar, first, last, as_of, call = caller_env()) {
  asked <- read_span(phrase, calendar, call)
  from <- max(asked$from, first, na.rm = TRUE)
  to <- min(asked$to, as_of, na.rm = TRUE)
  if (from > to || from > last) refuse_empty_span(phrase, asked, first, last, as_of, call)
  new_ledger_span(phrase, from, to, as_of)
}

refuse_empty_span <- function(phrase, asked, first, last, as_of, call = caller_env()) {
  bounds <- c(asked$from, asked$to)
  between <- if (!anyNA(bounds)) paste(if (bounds[1] == bounds[2]) "on" else "in", days_text(bounds[1], bounds[2]))
             else if (is.na(asked$to)) paste("from", day_text(asked$from), "on")
             else paste("up to", day_text(asked$to))
  refuse("span", c(
    sprintf("There are no entries %s (span \"%s\").", between, phrase),
    i = sprintf("The ledger runs from %s to %s, as of %s.", day_text(first), day_text(last), day_text(as_of))
  ), phrase = phrase, call = call)
}

# From and to of a phrase as asked for; NA for an end that is left open.
read_span <- function(phrase, calendar, call = caller_env()) {
  if (!is.character(phrase) || length(phrase) != 1 || is.na(phrase)) {
    refuse("span", "`span` must be one text, such as \"all\", \"2026-08\" or \"2026-01-01/2026-03-31\".", call = call)
  }
  text <- trimws(phrase)
  if (tolower(text) == "all") return(list(from = NA_integer_, to = NA_integer_))
  ends <- trimws(strsplit(text, "/", fixed = TRUE)[[1]])
  if (length(ends) == 0 || length(ends) > 2 || any(ends == "") || all(ends == "..")) {
    refuse_phrase(phrase, text, call)
  }
  if (length(ends) == 1) return(read_point(ends, phrase, calendar, call))
  from <- if (ends[1] == "..") NA_integer_ else read_point(ends[1], phrase, calendar, call)$from
  to <- if (ends[2] == "..") NA_integer_ else read_point(ends[2], phrase, calendar, call)$to
  if (!is.na(from) && !is.na(to) && from > to) {
    refuse("span", c(
      sprintf("The span \"%s\" ends before it starts: %s comes after %s.", phrase, day_text(from), day_text(to)),
      i = "Put the earlier point first."
    ), phrase = phrase, call = call)
  }
  list(from = from, to = to)
}

point_forms <- list(
  day = "^([0-9]{4})-([0-9]{2})-([0-9]{2})$", month = "^([0-9]{4})-([0-9]{2})$", year = "^([0-9]{4})$",
  week = "^([0-9]{4})-W([0-9]{2})$", quarter = "^([0-9]{4})-Q([1-4])$",
  "fiscal month" = "^FY([0-9]{4})-M([0-9]{2})$", "fiscal quarter" = "^FY([0-9]{4})-Q([1-4])$",
  "fiscal year" = "^FY([0-9]{4})$"
)

# One point: the first and last day of the period with that label.
read_point <- function(text, phrase, calendar, call = caller_env()) {
  text <- toupper(text)
  grain <- names(point_forms)[vapply(point_forms, grepl, TRUE, x = text)]
  if (length(grain) == 0) refuse_phrase(phrase, text, call)
  parts <- as.integer(regmatches(text, regexec(point_forms[[grain]], text))[[1]][-1])
  near <- day_near_point(grain, parts, calendar)
  period <- if (!is.na(near)) periods_holding(near, grain, calendar)
  # The label decides whether such a period exists: week 53 only in long years, no 30 February.
  if (is.null(period) || period$label != text) {
    refuse("span", c(
      sprintf("There is no %s \"%s\" in the calendar (span \"%s\").", grain, text, phrase),
      i = if (identical(grain, "week")) sprintf("The last week of %d is W%02d.", parts[1], last_week(parts[1], calendar))
    ), phrase = phrase, call = call)
  }
  list(from = period$first, to = period$last)
}

# A day inside the period that a label names, if there is one.
day_near_point <- function(grain, parts, calendar) {
  year <- parts[1]
  number <- parts[2]
  if (year < 1) return(NA_integer_)
  start <- calendar$fiscal_start
  if (grepl("fiscal", grain) && calendar$fiscal_label == "end" && start > 1) year <- year - 1L
  month <- switch(grain, day = , month = number, quarter = 3L * number - 2L, "fiscal month" = start + number - 1L,
                  "fiscal quarter" = start + 3L * (number - 1L), "fiscal year" = start, 1L)
  if (grepl("fiscal", grain) && month > 12L) {
    month <- month - 12L
    year <- year + 1L
  }
  day <- switch(grain, day = parts[3], week = 4L, 1L)  # week 1 holds 4 January
  near <- core_days_of(year, month, day)
  if (grain == "week" && !is.na(near)) near + 7L * (number - 1L) else near
}

refuse_phrase <- function(phrase, at, call = caller_env()) {
  refuse("span", c(
    sprintf("The span \"%s\" is not understood at \"%s\".", phrase, at),
    i = paste("A span is \"all\", one point (2026, 2026-08, 2026-08-31, 2026-W35, 2026-Q3, FY2027, FY2027-Q2,",
              "FY2027-M06) or two points as \"from/to\", either of which may be \"..\".")
  ), phrase = phrase, at = at, call = call)
}
