# Fiscal years that are not twelve months: 52 or 53 weeks by a pattern, or a table of periods.

patterns <- c("4-4-5", "4-5-4", "5-4-4")

# TRUE where the fiscal year consists of weeks.
check_weeks_pattern <- function(pattern, year_end, week_53, call = caller_env()) {
  if (is.null(pattern)) {
    given <- c(if (!is.null(year_end)) "year_end", if (!is.null(week_53)) "week_53")
    if (length(given) > 0) {
      refuse("choice", c(sprintf("{%s} belongs to a fiscal year of weeks.", given[1]),
                         i = "Give {pattern} too: \"4-4-5\", \"4-5-4\" or \"5-4-4\"."),
             arg = given[1], call = call)
    }
    return(FALSE)
  }
  one_of(pattern, patterns, "pattern", call = call)
  if (is.null(year_end)) {
    refuse("choice", c("{year_end} is missing: on which day does a fiscal year of weeks end?",
                       i = paste(
                         paste0("Say \"last Saturday\" for the last Saturday of the month before ",
                                "{fiscal_start},"),
                                 paste0("or \"nearest Saturday\" for the one nearest to that ",
                                        "month's end."))),
           arg = "year_end", call = call)
  }
  TRUE
}

# "last Saturday" as list(rule, weekday).
read_year_end <- function(year_end, call = caller_env()) {
  words <- if (rlang::is_string(year_end)) strsplit(trimws(lower_text(year_end)), "\\s+")[[1]]
           else character()
  if (length(words) != 2 || !words[1] %in% c("last", "nearest")) {
    refuse("choice",
           sprintf(
             paste0("{year_end} must be \"last\" or \"nearest\" and a weekday, such as \"last ",
                    "Saturday\"%s."),
                   if (rlang::is_string(year_end)) sprintf(", not \"%s\"", year_end) else ""),
           arg = "year_end", call = call)
  }
  list(rule = words[1], weekday = named_number(words[2], weekday_names, "year_end", call))
}

read_week_53 <- function(week_53, call = caller_env()) {
  number <- if (length(week_53) == 1) suppressWarnings(as.numeric(week_53)) else NA
  if (is.na(number) || !number %in% 1:12) {
    refuse("choice", "{week_53} must be the number of a fiscal month, 1 to 12.", arg = "week_53",
           call = call)
  }
  as.integer(number)
}

# A table of periods as one list(first, last, label) per fiscal grain that it holds. Fiscal months
# are its rows; `quarter` and `year` are put together from rows that follow each other.
read_period_table <- function(periods, call = caller_env()) {
  wrong <- function(...) refuse("calendar", c(...), call = call)
  if (!is.data.frame(periods) || !all(c("from", "to", "label") %in% names(periods)) ||
      nrow(periods) == 0) {
    wrong(
      paste0("{periods} must be a data frame with the columns `from`, `to` and `label`, one row ",
             "per period."),
          i = "Further columns `quarter` and `year` may name what each period is part of.")
  }
  first <- table_days(periods$from, "from", wrong)
  last <- table_days(periods$to, "to", wrong)
  label <- table_labels(periods$label, "label", wrong)
  say <- function(row) sprintf("row %d of {periods} (\"%s\", %s)", row, label[row],
                               days_text(first[row], last[row]))
  backwards <- which(first > last)
  if (length(backwards) > 0)
    wrong(sprintf("Row %d of {periods} (\"%s\") ends before it starts.", backwards[1],
                  label[backwards[1]]))
  gap <- first[-1] - last[-length(last)] - 1L
  bad <- which(gap != 0)
  if (length(bad) > 0) {
    row <- bad[1] + 1
    what <- if (gap[bad[1]] > 0)
      sprintf("%s between %s and the row before it", if (gap[bad[1]] == 1) "1 day is missing" else
                sprintf("%d days are missing", gap[bad[1]]), say(row))
            else sprintf("%s overlaps the row before it, which ends on %s", say(row),
                         day_text(last[bad[1]]))
    wrong(paste0(upper_text(substr(what, 1, 1)), substr(what, 2, nchar(what)), "."),
          i = paste0("Periods follow each other in order, each starting on the day after the one ",
                     "before it ends."))
  }
  twice <- which(duplicated(bare_label(label)))
  if (length(twice) > 0)
    wrong(sprintf("The label \"%s\" stands twice in {periods}, again in row %d.", label[twice[1]],
                  twice[1]))
  c(list("fiscal month" = list(first = first, last = last, label = label)),
    if ("quarter" %in% names(periods))
      list("fiscal quarter" = table_parents(periods, "quarter", first, last, wrong)),
    if ("year" %in% names(periods))
      list("fiscal year" = table_parents(periods, "year", first, last, wrong)))
}

table_days <- function(days, column, wrong) {
  out <- if (inherits(days, "Date")) day_numbers(days)
         else if (is.character(days)) core_iso_days(days) else rep(NA_integer_, length(days))
  if (anyNA(out)) {
    wrong(sprintf("Row %d of {periods} has no day in `%s`.", which(is.na(out))[1], column),
          i = "Days are Dates or text such as \"2026-03-31\".")
  }
  out
}

# A label must not mean other days already: "2026-03" is a calendar month whatever the table says.
table_labels <- function(labels, column, wrong) {
  labels <- trimws(as.character(labels))
  bad <- which(is.na(labels) | labels == "")
  if (length(bad) > 0) wrong(sprintf("Row %d of {periods} has no text in `%s`.", bad[1], column))
  taken <- which(is_calendar_label(labels) | !grepl("[0-9]", labels) | grepl("[,/]", labels))
  if (length(taken) > 0) {
    wrong(sprintf("Row %d of {periods}: \"%s\" cannot be the label of a fiscal period.", taken[1],
                  labels[taken[1]]),
          i = paste0("A label holds a number, no comma or slash, and does not read like a ",
                     "calendar period: P03 2026 or FY2026-M03, not 2026-03."))
  }
  labels
}

table_parents <- function(periods, column, first, last, wrong) {
  labels <- table_labels(periods[[column]], column, wrong)
  starts <- which(c(TRUE, labels[-1] != labels[-length(labels)]))
  again <- which(duplicated(labels[starts]))
  if (length(again) > 0) {
    row <- starts[again[1]]
    wrong(sprintf("Row %d of {periods}: the %s \"%s\" starts again after another one.", row, column,
                  labels[row]),
          i = sprintf("The periods of a %s follow each other.", column))
  }
  ends <- c(starts[-1] - 1L, length(labels))
  list(first = first[starts], last = last[ends], label = labels[starts])
}

period_table_text <- function(table) {
  months <- table[["fiscal month"]]
  parents <- c(if (!is.null(table[["fiscal quarter"]])) "quarters",
               if (!is.null(table[["fiscal year"]])) "years")
  sprintf("a table of %s, %s%s", count_text(length(months$label), "period"),
          days_text(months$first[1], months$last[length(months$last)]),
          if (length(parents) > 0) paste(", in", listed(parents)) else "")
}
