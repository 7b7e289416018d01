# Date bases: from what the source holds to whole days, once. A value that is there but is no
# date is told from one that is missing.

# list(days, unreadable, text, seconds, months, says): days since 1970-01-01, NA where there is
# none; positions of values that cannot be read, with their text; the second of the day where there
# are times; whether days stand for whole months; and what is to be said of the reading.
read_date_basis <- function(values, name, date_format = NULL, time_zone = NULL,
                            marks = missing_marks, call = caller_env(), of_file = NULL) {
  if (inherits(values, "Date")) return(days_of_dates(values))
  if (inherits(values, "POSIXt")) return(days_of_times(as.POSIXct(values), time_zone, call))
  if (is.factor(values)) values <- as.character(values)
  if (is.numeric(values) && !is.object(values)) {
    digits <- days_of_digits(values, date_format)
    if (!is.null(digits)) values <- digits
  }
  if (is.character(values) && !is.null(of_file)) {
    return(days_of_files(values, name, date_format, time_zone, marks, of_file, call))
  }
  if (is.character(values)) {
    return(days_of_text(values, name, date_format, time_zone, marks, call))
  }
  if (is.logical(values) && all(is.na(values)))
    return(list(days = rep(NA_integer_, length(values))))
  refuse_basis(name, c(
    sprintf("The date basis `%s` is not a date: it holds %s.", name, kind_text(values)),
    as_hints(ways_of_numbers(values)),
    i = "A date basis is a Date, a date-time, or text such as 2026-09-17 or 17 Sep 2026."
  ), call)
}

# How numbers could be dates, as lines to say; none for others.
ways_of_numbers <- function(values) {
  if (!is.numeric(values) || is.object(values)) return(NULL)
  there <- values[!is.na(values)]
  if (length(there) == 0 || any(there != trunc(there))) return(NULL)
  ways <- numbers_as_dates(utils::head(unique(there), 1000))
  if (length(ways) == 0) return(NULL)
  sprintf("{date_format = \"%s\"} reads the first, %s, as %s.", names(ways),
          digits_text(there[1]), vapply(ways, day_text, ""))
}

# A date that is there but outside years 1 to 9999 cannot be read.
days_of_dates <- function(dates) {
  days <- day_numbers(dates)
  at <- if (anyNA(days)) which(is.na(days) & !is.na(dates)) else integer()
  list(days = days, unreadable = at, text = digits_text(unclass(dates)[at]))
}

refuse_basis <- function(name, message, call) refuse("date", message, column = name, call = call)

# The day of an instant depends on where one stands: in the zone that is stated, in its own, or,
# without any, in that in which R prints it.
days_of_times <- function(times, time_zone, call) {
  own <- attr(times, "tzone")[1]
  zone <- time_zone %||% own
  says <- NULL
  if (is.null(zone) || !nzchar(zone)) {
    zone <- ""
    says <- sprintf("days as R prints the date-times, which carry no time zone (in %s)",
                    zone_of_r())
  } else check_time_zone(zone, call)
  list(days = day_numbers(as.Date(times, tz = zone)), seconds = seconds_of_day(times, zone),
       says = says)
}

# The zone in which R prints: as the environment says now, which Sys.timezone() may not know yet.
zone_of_r <- function() {
  said <- sub("^:", "", Sys.getenv("TZ"))
  if (nzchar(said) && !startsWith(said, "/")) return(said)
  zone <- Sys.timezone()
  if (is.null(zone) || is.na(zone)) "UTC" else zone
}

seconds_of_day <- function(times, zone) {
  if (zone %in% c("UTC", "GMT")) return(as.integer(floor(as.double(times)) %% 86400))
  clock <- as.POSIXlt(times, tz = zone)
  as.integer(clock$hour * 3600 + clock$min * 60 + floor(clock$sec))
}

check_time_zone <- function(zone, call) {
  if (!rlang::is_string(zone) || !zone %in% c("UTC", "GMT", OlsonNames())) {
    refuse("choice",
           c(sprintf("There is no time zone \"%s\".", plain_text(zone)[1]),
             i = nearest_hint(plain_text(zone)[1], OlsonNames())),
           arg = "time_zone", given = zone, call = call)
  }
}

# Whole numbers of which each is a day in digits, 20260131, as text; or NULL.
days_of_digits <- function(values, date_format) {
  first <- utils::head(values, 1000)
  if (is.null(date_format) && any(first %% 1 != 0 | first < 10000101, na.rm = TRUE)) return(NULL)
  there <- values[!is.na(values)]
  if (rlang::is_string(date_format) && !is.null(since_a_day(date_format)))
    return(digits_text(values))
  if (length(there) == 0 || any(there != trunc(there))) return(NULL)
  if (!is.null(date_format)) return(digits_text(values))
  moments <- all(there >= 1e13 & there < 1e14)  # 20260131140522
  if (!moments && any(there < 10000101 | there > 99991231)) return(NULL)
  texts <- digits_text(unique(there))
  if (anyNA(core_dates_by(texts, "plain")$days)) return(NULL)
  digits_text(values)
}

# The dates of several files, each read by itself. Where a format is stated, a file that proves
# another one keeps it.
days_of_files <- function(values, name, date_format, time_zone, marks, of_file, call) {
  parts <- by_file(values, of_file, function(own, file) {
    read <- function(date_format) tryCatch(
      days_of_text(own, name, date_format, time_zone, marks, call),
      rollingledger_error_date = function(e) e)
    out <- read(date_format)
    if (!is.null(date_format) && (inherits(out, "error") || length(out$unreadable) > 0)) {
      proved <- read(NULL)
      if (!inherits(proved, "error") && length(proved$unreadable) == 0) out <- proved
    }
    if (inherits(out, "error")) {
      out$message <- sprintf("%s: %s", file, out$message)
      stop(out)
    }
    out
  })
  whole <- function(part, missing) {
    out <- rep(missing, length(values))
    for (one in parts) out[one$at] <- one[[part]] %||% missing
    out
  }
  months <- vapply(parts, function(part) isTRUE(part$months), TRUE)
  at <- unlist(lapply(parts, function(part) part$at[part$unreadable]))
  list(days = whole("days", NA_integer_), unreadable = sort(at),
       text = unlist(lapply(parts, function(part) part$text))[order(at)],
       seconds = if (!all(vapply(parts, function(part) is.null(part$seconds), TRUE)))
         whole("seconds", NA_integer_),
       months = any(months), says = said_of_files(parts))
}

# Each distinct text is read once.
days_of_text <- function(values, name, date_format, time_zone, marks, call) {
  encoded <- core_encode_text(enc2utf8(values), core_threads())
  members <- encoded$members
  members[is_missing_mark(members, marks)] <- NA
  read <- if (!is.null(date_format)) dates_stated(trimws(members), date_format, call)
          else dates_written(members, name, call)
  if (!is.null(time_zone)) {
    check_time_zone(time_zone, call)
    read <- in_other_zone(read, time_zone)
  }
  days <- read$days
  bad <- !is.na(members) & is.na(days)
  if (all(is.na(days)) && any(bad)) refuse_text_dates(members[bad], name, date_format, call)
  again <- function(by_member) by_member[encoded$codes + 1L]
  at <- if (any(bad)) which(again(bad)) else integer()
  timed <- !is.null(read$seconds) && any(!is.na(read$seconds))
  list(days = again(days), unreadable = at, text = encoded$members[encoded$codes[at] + 1L],
       seconds = if (timed) again(read$seconds), months = isTRUE(read$months),
       says = c(read$says, if (timed && is.null(time_zone)) "date-times on the day as written"))
}

dates_stated <- function(members, date_format, call) {
  read <- dates_by_format(members, date_format, call)
  c(read, list(months = is_month_format(date_format), says = paste("read as", date_format)))
}

dates_written <- function(members, name, call) {
  known <- core_survey_dates(members)
  form <- date_form(members, name, known)
  if (!is.null(form$problem)) refuse_basis(name, form$problem, call)
  if (is.null(form$form)) return(list(days = rep(NA_integer_, length(members))))
  read <- core_dates_by(members, form$form)
  read$months <- form$form == "months"
  read$says <- date_form_says(known, form$form)
  read
}

# Moments that state their offset, on their day in another zone; others count as written.
in_other_zone <- function(read, time_zone) {
  move <- which(!is.na(read$offsets) & !is.na(read$seconds))
  if (length(move) == 0) return(read)
  instant <- as.POSIXct(read$days[move] * 86400 + read$seconds[move] - read$offsets[move],
                        origin = "1970-01-01", tz = "UTC")
  there <- days_of_times(instant, time_zone, NULL)
  read$days[move] <- there$days
  read$seconds[move] <- there$seconds
  read
}

refuse_text_dates <- function(text, name, date_format, call) {
  as <- if (is.null(date_format)) "as dates"
        else sprintf("with {date_format = \"%s\"}", date_format)
  refuse_basis(name, c(
    sprintf(
      "The date basis `%s` is not a date: none of its values can be read %s. The first is \"%s\".",
      name, as, text[1]),
    i = paste0("Dates are read as 2026-09-17, 17.09.2026, 17 Sep 2026 and the like unless ",
               "{date_format =} says otherwise, such as {date_format = \"%d/%m/%Y\"}.")
  ), call)
}

# ---- the bases of a ledger ----------------------------------------------------------

read_bases <- function(table, on, given, call) {
  if (!is.null(names(given$date_format))) {
    known <- c(names(on), on, given$until)
    for (name in names(given$date_format)) if (!name %in% known)
      refuse_column(name, known, "date basis", "{on}", call)
  }
  bases <- lapply(names(on), function(name) {
    naming_columns(table, on[[name]], {
      read_date_basis(table[[on[[name]]]], on[[name]],
                      stated_format(given$date_format, c(name, on[[name]])), given$time_zone,
                      given$missing, call, given$of_file)
    })
  })
  stats::setNames(bases, names(on))
}

stated_format <- function(date_format, names) {
  if (is.null(names(date_format))) return(date_format)
  said <- intersect(names, names(date_format))
  if (length(said) > 0) date_format[[said[1]]]
}

check_until <- function(until, on, known, call) {
  if (!rlang::is_string(until))
    refuse("choice", "{until} must be the name of one column.", arg = "until", call = call)
  if (!until %in% known) refuse_column(until, known, where = "the source", call = call)
  if (until %in% on)
    refuse("date", sprintf("{until} cannot be the date basis `%s`.", until), call = call)
}

# The column that says when entries end, as dates: list(table, unreadable).
read_until <- function(table, on, given, call) {
  until <- given$until
  if (is.null(until)) return(list(table = table, unreadable = aside_rows()))
  check_until(until, on, names(table), call)
  ends <- read_date_basis(table[[until]], until, stated_format(given$date_format, until),
                          given$time_zone, given$missing, call, given$of_file)
  table[[until]] <- as_date(ends$days)
  list(table = table, unreadable = aside_rows(ends$unreadable, "unreadable date", until, ends$text))
}

# Times are kept as a column of the ledger that goes by no name of its own.
hidden_times <- function(basis) own_name(paste("time of", basis))

# The second of the day of each entry, missing where it has no time.
times_of_basis <- function(seconds, order) {
  if (is.null(seconds)) return(NULL)
  members <- sort(unique(seconds))
  code_column(match(seconds, members) - 1L, members, order)
}
