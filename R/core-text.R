# Words, numbers and dates as people read them. Month names are English whatever the locale,
# so that a statement reads the same everywhere.

month_names <- c("January", "February", "March", "April", "May", "June", "July", "August",
                 "September", "October", "November", "December")
weekday_names <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")

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
  date <- core_dates_of(as.integer(day))
  ifelse(is.na(day), NA_character_, sprintf("%04d-%02d-%02d", date[, 1], date[, 2], date[, 3]))
}

# Numbers with thousands separators and a fixed count of decimals; missing as an empty mark.
number_text <- function(x, decimals = 0, missing = "-") {
  out <- formatC(round(x, decimals), format = "f", digits = decimals, big.mark = ",")
  # A small negative that rounds to zero is zero.
  zero <- !is.na(x) & round(x, decimals) == 0
  out[zero] <- formatC(0, format = "f", digits = decimals)
  out[is.na(x)] <- missing
  out
}

count_text <- function(n, one, many = paste0(one, "s")) {
  paste(number_text(n), if (n == 1) one else many)
}

# "a, b and c", cut short where there are many
listed <- function(x, most = 8, last = "and") {
  x <- as.character(x)
  if (length(x) > most) return(sprintf("%s and %s more", paste(x[seq_len(most)], collapse = ", "),
                                       number_text(length(x) - most)))
  if (length(x) < 2) return(paste(x, collapse = ""))
  paste(paste(x[-length(x)], collapse = ", "), last, x[length(x)])
}

# A member as shown: missing and empty ones get a name of their own.
member_text <- function(x) {
  out <- as.character(x)
  out[is.na(x)] <- "(missing)"
  out[!is.na(x) & out == ""] <- "(empty)"
  out
}

as_date <- function(day) structure(as.numeric(day), class = "Date")
