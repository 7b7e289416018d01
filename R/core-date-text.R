# Days as people write them, from text, in one writing over a whole column (src/core/date-text.h).

# How the days of texts are written: list(form) to be read by, list(problem) where it cannot be
# told, lines of a message; `form` is "plain", "day", "month" or "year" (first), or "months".
# What most of the texts are counts: the others cannot be read, and are told.
date_form <- function(text, name, known = core_survey_dates(text)) {
  most <- max(known$plain, known$months, known$numbered)
  if (most == 0) return(list())
  if (known$plain == most) return(list(form = "plain"))
  if (known$months == most) return(list(form = "months"))
  form <- order_proved(known, text)
  if (!is.null(form)) return(list(form = form))
  list(problem = order_problem(text, name, known))
}

# Texts that are all days, or days with times, in one writing, year first (ISO 8601), so that their
# order is that of the days; NULL for others. Missing ones stay missing.
dated_text <- function(text) {
  there <- text[!is.na(text)]
  if (length(there) == 0) return(NULL)
  iso <- grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}([T ][0-9]{2}:[0-9]{2}.*)?$", there)
  if (all(iso)) return(if (!anyNA(core_iso_days(substr(there, 1, 10)))) text)
  there <- enc2utf8(there)
  if (core_survey_dates(there[1])$others > 0) return(NULL)
  known <- core_survey_dates(there)
  form <- date_form(there, "", known)$form
  if (known$others > 0 || known$digits || is.null(form) || form == "months") return(NULL)
  read <- core_dates_by(enc2utf8(text), form)
  if (anyNA(read$days[!is.na(text)])) return(NULL)
  clock <- sprintf(" %02d:%02d:%02d", read$seconds %/% 3600L, read$seconds %/% 60L %% 60L,
                   read$seconds %% 60L)
  out <- paste0(iso_day(read$days), ifelse(is.na(read$seconds), "", clock))
  out[is.na(text)] <- NA
  out
}

# What is to be said of how days are written.
date_form_says <- function(known, form) {
  c(if (form %in% date_orders) sprintf("the %s first", form),
    if (known$two_digits) "years 69 to 99 of the 1900s, 00 to 68 of the 2000s",
    if (form == "months") "months, each on its first day")
}

# What may stand first where days are numbers alone; a year of two digits among them.
date_orders <- c("day", "month", "year")

# The orders by which each of the texts such as 31/01/2026 is a day.
orders_that_fit <- function(known) {
  if (known$numbered == 0) return(character())
  date_orders[c(known$not_day, known$not_month, known$not_year) == 0]
}

# The order that alone fits all of them, or the first of several by which they are the same days, as
# 02/02/2026 is; else NULL.
order_proved <- function(known, text) {
  fits <- orders_that_fit(known)
  days <- unique(lapply(fits, function(form) core_dates_by(text, form)$days))
  if (length(days) == 1) fits[1]
}

# 03/04/2026 is the third of April to some and the fourth of March to others; 24-01-05 may begin
# with its year.
order_problem <- function(text, name, known) {
  fits <- orders_that_fit(known)
  said <- function(orders, ...) {
    ways <- sprintf("{date_format = \"%s\"} if the %s comes first",
                    vapply(orders, function(form) posix_format(text, known, form), ""), orders)
    sprintf("Say %s%s.", listed(ways, last = "or"), ...)
  }
  if (length(fits) == 0) {
    reads <- vapply(date_orders, function(form) !is.na(core_dates_by(text, form)$days),
                    logical(length(text)))
    some <- date_orders[colSums(reads) > 0]
    # An example each that fewest of the others read.
    examples <- vapply(some, function(form) {
      text[which(reads[, form])[which.min(rowSums(reads)[reads[, form]])]]
    }, "")
    return(c(sprintf("The dates in `%s` are written in %s ways: %s.", name,
                     if (length(some) == 2) "two" else "several",
                     listed(sprintf("\"%s\" has the %s first", examples, some))),
             i = said(some, "; what is not written so is set aside")))
  }
  shown <- text[known$first_numbered]
  days <- vapply(fits, function(form) core_dates_by(shown, form)$days, 0L)
  c(sprintf("The dates in `%s` could be %s: \"%s\" is %s.", name,
            listed(paste(fits, "first"), last = "or"), shown, listed(day_text(days), last = "or")),
    i = said(fits, ""))
}

# The format, in the notation of POSIX, of the texts with numbers apart: "%d/%m/%Y".
posix_format <- function(text, known, form) {
  shown <- trimws(text[known$first_numbered])
  mark <- regmatches(shown, regexpr("[/.-]", shown))
  year <- if (known$two_digits) "%y" else "%Y"
  parts <- switch(form, day = c("%d", "%m", year), month = c("%m", "%d", year),
                  year = c(year, "%m", "%d"))
  clock <- sub("^[^ T,]*", "", shown)
  paste0(paste(parts, collapse = mark), posix_clock(clock))
}

posix_clock <- function(clock) {
  for (format in c("%H:%M:%S", "%H:%M")) {
    shape <- gsub("%[HMS]", "[0-9]{1,2}", format)
    if (grepl(paste0("^[ T,]+", shape, "$"), clock)) return(sub(shape, format, clock))
  }
  ""
}

# The parts of a date format (POSIX strptime) that are checked for their shape, as strptime()
# itself overlooks whatever follows a date.
format_shapes <- c("%d" = "[0-9]{1,2}", "%m" = "[0-9]{1,2}", "%Y" = "[0-9]{4}", "%y" = "[0-9]{2}",
                   "%j" = "[0-9]{1,3}",
                   "%H" = "[0-9]{1,2}", "%I" = "[0-9]{1,2}", "%M" = "[0-9]{1,2}",
                   "%S" = "[0-9]{1,2}", "%p" = "[AaPp][.]?[Mm][.]?",
                   "%b" = "[[:alpha:].]+", "%B" = "[[:alpha:].]+", "%e" = " ?[0-9]{1,2}")

# Texts by a format: list(days, seconds), missing where it does not fit the whole text. A month
# without a day counts on its first.
dates_by_format <- function(text, date_format, call) {
  since <- if (rlang::is_string(date_format)) since_a_day(date_format)
  if (!is.null(since)) return(dates_since(text, since))
  if (!rlang::is_string(date_format) || !grepl("%", date_format, fixed = TRUE)) {
    refuse("choice", "{date_format} must be one text such as \"%d/%m/%Y\".", arg = "date_format",
           call = call)
  }
  shape <- gsub("([.+*?^$(){}|\\[\\]\\\\])", "\\\\\\1", date_format, perl = TRUE)
  for (part in names(format_shapes)) shape <- gsub(part, format_shapes[[part]], shape, fixed = TRUE)
  months <- is_month_format(date_format)
  read <- strptime(if (months) paste(text, "1") else text,
                   if (months) paste(date_format, "%d") else date_format, tz = "UTC")
  days <- day_numbers(as.Date(read))
  if (!grepl("%", shape, fixed = TRUE)) days[!grepl(paste0("^", shape, "$"), text)] <- NA
  seconds <- if (grepl("%[HI]", date_format)) {
    as.integer(read$hour * 3600L + read$min * 60L + floor(read$sec))
  }
  list(days = days, seconds = seconds)
}

is_month_format <- function(date_format) {
  grepl("%[mbB]", date_format) && grepl("%[Yy]", date_format) && !grepl("%[dej]", date_format)
}

# Numbers that count from a day on, as programs keep dates: what may be said of them as a format.
counts_since <- c("days since 1899-12-30", "days since 1904-01-01", "days since 1970-01-01",
                  "seconds since 1970-01-01", "milliseconds since 1970-01-01")

# list(unit, day): "days since 1899-12-30" as what it counts and from which day; NULL for others.
since_a_day <- function(date_format) {
  parts <- regmatches(date_format, regexec(
    "^ *(days|seconds|milliseconds) since ([0-9]{4}-[0-9]{2}-[0-9]{2}) *$",
    lower_text(date_format)))[[1]]
  day <- if (length(parts) > 0) core_iso_days(parts[3])
  if (length(day) == 0 || is.na(day)) return(NULL)
  list(per_day = c(days = 1, seconds = 86400, milliseconds = 86400000)[[parts[2]]], day = day)
}

# Texts of such numbers: list(days, seconds), missing for what is not a number or leaves years 1 to
# 9999.
dates_since <- function(text, since) {
  numbers <- suppressWarnings(as.double(text))
  numbers[!is_plain_number(trimws(text))] <- NA
  days <- numbers / since$per_day
  whole <- floor(days)
  out <- whole + since$day
  outside <- !is.na(out) & (out < first_day_there_is | out > last_day_there_is)
  out[outside] <- NA
  seconds <- floor((numbers - whole * since$per_day) * (86400 / since$per_day) + 1e-6)
  times <- since$per_day > 1 || any(days != whole, na.rm = TRUE)
  list(days = as.integer(out), seconds = if (times) as.integer(pmin(seconds, 86399)))
}

# The ways in which whole numbers could be dates, each with the first of them: named by what to say.
numbers_as_dates <- function(values) {
  text <- digits_text(values)
  ways <- lapply(stats::setNames(nm = counts_since), function(format) {
    dates_since(text, since_a_day(format))$days
  })
  if (all(nchar(text) == 6)) for (format in c("%y%m%d", "%d%m%y")) {
    ways[[format]] <- day_numbers(as.Date(strptime(text, format, tz = "UTC")))
  }
  # Of business: not before 1980, nor after 2060.
  likely <- vapply(ways, function(days) !anyNA(days) && all(days >= 3652 & days <= 32872), TRUE)
  vapply(ways[likely], function(days) days[1], 0)
}
