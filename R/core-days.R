# Days as whole numbers from 1970-01-01, and as people read them. Names are English whatever the
# locale, so that a statement reads the same everywhere.

month_names <- c("January", "February", "March", "April", "May", "June", "July", "August",
                 "September", "October", "November", "December")
weekday_names <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

first_day_there_is <- -719162L  # 0001-01-01
last_day_there_is <- 2932896L   # 9999-12-31

# 17 Sep 2026
day_text <- function(day) {
  out <- rep(NA_character_, length(day))
  known <- !is.na(day)
  date <- core_dates_of(as.integer(day[known]))
  out[known] <- sprintf("%d %s %d", date[, 3], substr(month_names[date[, 2]], 1, 3), date[, 1])
  out
}

# 1 to 17 Sep 2026; 5 Jan to 3 Feb 2026; 30 Dec 2025 to 2 Jan 2026; 17 Sep 2026
days_text <- function(from, to) {
  if (from == to) return(day_text(from))
  a <- core_dates_of(as.integer(from))
  b <- core_dates_of(as.integer(to))
  same_year <- a[1] == b[1]
  start <- if (same_year && a[2] == b[2]) sprintf("%d", a[3])
           else if (same_year) sprintf("%d %s", a[3], substr(month_names[a[2]], 1, 3))
           else day_text(from)
  paste(start, "to", day_text(to))
}

iso_day <- function(day) {
  if (length(day) == 0) return(character())
  date <- core_dates_of(as.integer(day))
  ifelse(is.na(day), NA_character_, sprintf("%04d-%02d-%02d", date[, 1], date[, 2], date[, 3]))
}

as_date <- function(day) structure(as.numeric(day), class = "Date")

# Days of a Date, a part of a day falling away.
day_numbers <- function(dates) core_day_numbers(unclass(dates))

# A day given as a Date or as ISO text.
one_day <- function(given, arg, call = caller_env()) {
  day <- if (length(given) != 1) NA else if (inherits(given, "Date")) day_numbers(given)
         else if (is.character(given)) core_iso_days(given) else NA
  if (is.na(day)) {
    shown <- if (is.character(given) && length(given) == 1) sprintf(", not \"%s\"", given) else ""
    refuse("choice", sprintf("{%s} must be a day such as \"2026-09-17\"%s.", arg, shown), arg = arg,
           call = call)
  }
  day
}

is_day_column <- function(values) inherits(values, "Date")
