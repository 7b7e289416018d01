# Labels of periods, read: 2026, 2026-08, 2026-08-31, 2026-W35, 2026-Q3, FY2027, FY2027-Q2,
# FY2027-M06, FY2027-W05, September 2026, 6 Sep 2026, Q3 2026, week 35 2026, and the labels of a
# table of periods.

# The grain of a label by its form, in which 0 stands for any digit.
label_forms <- c(
  "0000" = "year", "0000-Q0" = "quarter", "0000-00" = "month", "0000-W00" = "week",
  "0000-00-00" = "day",
  "FY0000" = "fiscal year", "FY0000-Q0" = "fiscal quarter", "FY0000-M00" = "fiscal month",
  "FY0000-W00" = "fiscal week"
)

label_form <- function(bare) chartr("123456789", "000000000", bare)

# Spaces and case do not count in a label.
bare_label <- function(text) gsub("\\s+", "", upper_text(text))

# "SEPTEMBER2026" as "2026-09", "6SEP2026" as "2026-09-06", "Q32026" as "2026-Q3", "WEEK352026" as
# "2026-W35"; anything else as it is.
year_first <- function(bare) {
  day <- regmatches(bare, regexec("^([0-9]{1,2})([A-Z]{3,9})([0-9]{4})$", bare))[[1]]
  if (length(day) > 0 && !is.na(month_number(day[3])))
    return(sprintf("%s-%02d-%02d", day[4], month_number(day[3]), as.integer(day[2])))
  week <- regmatches(bare, regexec("^(?:WEEK|WK|W)([0-9]{1,2})-?([0-9]{4})$", bare))[[1]]
  if (length(week) > 0) return(sprintf("%s-W%02d", week[3], as.integer(week[2])))
  if (!grepl("^[A-Z]", bare)) return(bare)
  word <- sub("[0-9]{4}$", "", bare)
  if (identical(word, bare)) return(bare)
  month <- month_number(word)
  year <- substr(bare, nchar(word) + 1L, nchar(bare))
  if (!is.na(month)) sprintf("%s-%02d", year, month)
  else if (grepl("^Q[1-4]$", word)) paste0(year, "-", word) else bare
}

# The number of a month by its English name or an abbreviation of it.
month_number <- function(word) {
  at <- match(upper_text(word),
              c(upper_text(month_names), upper_text(substr(month_names, 1, 3)), "SEPT"))
  if (is.na(at)) NA_integer_ else if (at == 25L) 9L else (at - 1L) %% 12L + 1L
}

# Whether texts read as periods of the plain calendar.
is_calendar_label <- function(labels) {
  forms <- vapply(bare_label(labels), function(bare) label_form(year_first(bare)), "",
                  USE.NAMES = FALSE)
  forms %in% names(label_forms)[!is_fiscal(label_forms)]
}

# The period that a label names: list(grain, index); list(problem, hint) where it has the form of a
# label but there is no such period; NULL where it is no label.
period_named <- function(text, calendar) {
  bare <- bare_label(text)
  for (grain in names(calendar$table)) {
    at <- match(bare, bare_label(calendar$table[[grain]]$label))
    if (!is.na(at)) return(list(grain = grain, index = at))
  }
  bare <- year_first(bare)
  grain <- label_forms[label_form(bare)]
  if (is.na(grain)) return(NULL)
  parts <- as.integer(strsplit(gsub("[A-Z]", "", bare), "-", fixed = TRUE)[[1]])
  numbered_period(unname(grain), parts, bare, calendar)
}

# The period of a grain with this year and number.
numbered_period <- function(grain, parts, label, calendar) {
  missing <- list(problem = sprintf("There is no %s \"%s\" in the calendar.", grain, label),
                  hint = NULL)
  year <- parts[1]
  number <- if (length(parts) > 1) parts[2] else 1L
  if (year < 1L) return(missing)
  if (grain == "day") {
    day <- core_days_of(year, number, parts[3])
    return(if (is.na(day)) missing else list(grain = grain, index = day))
  }
  if (is_fiscal(grain)) {
    if (!is.null(calendar$table)) return(refer_to_table(calendar, missing))
    year <- year - (calendar$fiscal_label == "end" && calendar$fiscal_start > 1L)
  }
  numbered_in_year(year, number, grain, calendar, missing)
}

numbered_in_year <- function(year, number, grain, calendar, missing) {
  index <- nth_of_year(year, number, grain, calendar)
  if (!is.na(index)) return(list(grain = grain, index = index))
  if (grain %in% c("week", "fiscal week")) {
    ends <- weeks_of_year(year, grain, calendar)
    missing$hint <- sprintf("The last week of %s is W%02d.",
                            periods_at(year, year_of(grain), calendar)$label,
                            ends$last - ends$first + 1L)
  }
  missing
}

# In a calendar with a table fiscal periods go by the table's own labels.
refer_to_table <- function(calendar, missing) {
  months <- calendar$table[["fiscal month"]]$label
  missing$hint <- sprintf("The calendar's table has periods labelled %s to %s.", months[1],
                          months[length(months)])
  missing
}

# A label near to what was written: a digit or a hyphen that is missing, a fiscal year of two
# digits.
label_meant <- function(text, calendar) {
  bare <- bare_label(text)
  tries <- c(
    sub("^(FY)?([0-9]{4})-?([WM])([0-9])$", "\\1\\2-\\30\\4", bare),
    sub("^(FY)?([0-9]{4})([WMQ])([0-9]{1,2})$", "\\1\\2-\\3\\4", bare),
    sub("^([0-9]{4})-([0-9])$", "\\1-0\\2", bare), sub("^([0-9]{4})([0-9]{2})$", "\\1-\\2", bare),
    sub("^([0-9]{4})([0-9]{2})([0-9]{2})$", "\\1-\\2-\\3", bare),
    sub("^FY([0-9]{2})(-|$)", "FY20\\1\\2", bare),
    sub("^([0-9]{4})[-.]([0-9]{1,2})[-.]([0-9]{1,2})$", "\\1-0\\2-0\\3", bare)
  )
  tries <- gsub("-0([0-9]{2})", "-\\1", tries)
  for (try in setdiff(tries, bare)) {
    period <- period_named(try, calendar)
    if (!is.null(period$index)) return(try)
  }
  NULL
}
