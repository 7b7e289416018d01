# Date bases: from what the source holds to whole days, once. A value that is there but is no
# date is told from one that is missing.

# list(days, unreadable): days since 1970-01-01, NA where there is none; positions of values
# that cannot be read, with their text.
read_date_basis <- function(values, name, date_format = NULL, time_zone = NULL,
                            call = caller_env()) {
  if (inherits(values, "Date")) return(days_of_dates(values))
  if (inherits(values, "POSIXt"))
    return(list(days = days_of_times(as.POSIXct(values), name, time_zone, call)))
  if (is.factor(values)) values <- as.character(values)
  if (is.character(values)) return(days_of_text(values, name, date_format, time_zone, call))
  if (is.logical(values) && all(is.na(values)))
    return(list(days = rep(NA_integer_, length(values))))
  refuse_basis(name, c(
    sprintf("The date basis `%s` is not a date: it holds %s.", name, kind_text(values)),
    i = if (is.numeric(values)) paste(
      "If it counts days since 1970-01-01, turn it into dates with `as.Date()` first;",
      "if it is like 20260917, turn it into text and say {date_format = \"%Y%m%d\"}."
    ),
    i = "A date basis is a Date, a date-time with a time zone, or text such as 2026-09-17."
  ), call)
}

# A date that is there but outside years 1 to 9999 cannot be read.
days_of_dates <- function(dates) {
  days <- day_numbers(dates)
  at <- if (anyNA(days)) which(is.na(days) & !is.na(dates)) else integer()
  list(days = days, unreadable = at, text = digits_text(unclass(dates)[at]))
}

refuse_basis <- function(name, message, call) refuse("date", message, column = name, call = call)

# The day of an instant depends on where one stands, so the zone must be known.
days_of_times <- function(times, name, time_zone, call) {
  zone <- time_zone %||% attr(times, "tzone")[1]
  if (is.null(zone) || !nzchar(zone)) {
    refuse_basis(name, c(
      sprintf("The date-times in `%s` carry no time zone, so their days are not certain.", name),
      i = paste0("Say which with {time_zone =}, such as {time_zone = \"UTC\"} or {time_zone = ",
                 "\"Europe/Lisbon\"}.")
    ), call)
  }
  check_time_zone(zone, call)
  day_numbers(as.Date(times, tz = zone))
}

check_time_zone <- function(zone, call) {
  if (!zone %in% c("UTC", "GMT", OlsonNames())) {
    refuse("choice",
           c(sprintf("There is no time zone \"%s\".", zone), i = nearest_hint(zone, OlsonNames())),
           arg = "time_zone", given = zone, call = call)
  }
}

# Each distinct text is read once.
days_of_text <- function(values, name, date_format, time_zone, call) {
  encoded <- core_encode_text(values, core_threads())
  members <- trimws(encoded$members)
  members[!is.na(members) & members %in% c("", "NA")] <- NA
  days <- if (!is.null(date_format)) days_by_format(members, date_format, call)
          else days_by_standard(members, name, time_zone, call)
  bad <- !is.na(members) & is.na(days)
  if (all(is.na(days)) && any(bad)) refuse_text_dates(members[bad], name, date_format, call)
  at <- if (any(bad)) which(bad[encoded$codes + 1L]) else integer()
  list(days = days[encoded$codes + 1L], unreadable = at,
       text = encoded$members[encoded$codes[at] + 1L])
}

iso_time <-
  paste0("^([0-9]{4}-[0-9]{2}-[0-9]{2})[T ",
         "]([0-9]{2}:[0-9]{2}(:[0-9]{2})?)([.][0-9]+)?(Z|[+-][0-9]{2}:?[0-9]{2})?$")

# ISO 8601 dates, and date-times: their day as written where they state an offset, or their
# day in `time_zone`.
days_by_standard <- function(members, name, time_zone, call) {
  days <- core_iso_days(members)
  timed <- is.na(days) & grepl(iso_time, members)
  if (any(timed)) days[timed] <- days_of_time_text(members[timed], name, time_zone, call)
  rest <- members[is.na(days) & !is.na(members)]
  if (length(rest) > 0) refuse_ambiguous(rest, sum(!is.na(days)), name, call)
  days
}

days_of_time_text <- function(text, name, time_zone, call) {
  parts <- do.call(rbind, regmatches(text, regexec(iso_time, text)))
  stated <- nzchar(parts[, 6])
  days <- core_iso_days(parts[, 2])
  if (is.null(time_zone)) {
    if (!all(stated)) {
      refuse_basis(name, c(
        sprintf(
          paste0("The date-times in `%s`, such as \"%s\", state no time zone, so their days are ",
                 "not certain."),
                name, text[!stated][1]),
        i = "Say which they are in with {time_zone =}, such as {time_zone = \"UTC\"}."
      ), call)
    }
    return(days)
  }
  check_time_zone(time_zone, call)
  if (any(stated & !is.na(days))) {
    move <- stated & !is.na(days)
    clock <- paste(parts[move, 2], substr(paste0(parts[move, 3], ":00"), 1, 8))
    offset <- ifelse(parts[move, 6] == "Z", "+0000", sub(":", "", parts[move, 6]))
    instant <- as.POSIXct(strptime(paste(clock, offset), "%Y-%m-%d %H:%M:%S %z", tz = "UTC"))
    days[move] <- day_numbers(as.Date(instant, tz = time_zone))
  }
  days
}

# 03/04/2026 is the third of April to some and the fourth of March to others.
refuse_ambiguous <- function(rest, readable, name, call) {
  numeric_date <- grepl("^[0-9]{1,2}[/.-][0-9]{1,2}[/.-]([0-9]{2}|[0-9]{4})$", rest)
  if (!any(numeric_date) || sum(numeric_date) < readable) return(invisible())
  some <- rest[numeric_date]
  mark <- regmatches(some[1], regexpr("[/.-]", some[1]))
  year <- if (grepl("[0-9]{4}$", some[1])) "%Y" else "%y"
  day_first <- paste("%d", "%m", year, sep = mark)
  month_first <- paste("%m", "%d", year, sep = mark)
  fits <- c(day_first, month_first)[c(!anyNA(days_by_format(some, day_first, call)),
                                      !anyNA(days_by_format(some, month_first, call)))]
  hint <- if (length(fits) == 1) {
    sprintf("All of them can be read with {date_format = \"%s\"}; say so if that is what they are.",
            fits)
  } else {
    sprintf(
      paste0("Say {date_format = \"%s\"} if the day comes first, {date_format = \"%s\"} if the ",
             "month does."),
            day_first, month_first)
  }
  refuse_basis(name, c(
    sprintf("The dates in `%s`, such as \"%s\", could be day first or month first.", name, some[1]),
    i = hint
  ), call)
}

refuse_text_dates <- function(text, name, date_format, call) {
  as <- if (is.null(date_format)) "as dates"
        else sprintf("with {date_format = \"%s\"}", date_format)
  refuse_basis(name, c(
    sprintf(
      "The date basis `%s` is not a date: none of its values can be read %s. The first is \"%s\".",
      name, as, text[1]),
    i = paste0("Dates are read as 2026-09-17 unless {date_format =} says otherwise, such as ",
               "{date_format = \"%d/%m/%Y\"}.")
  ), call)
}

# The parts of a date format (POSIX strptime) that are checked for their shape, as strptime()
# itself overlooks whatever follows a date.
format_shapes <- c("%d" = "[0-9]{1,2}", "%m" = "[0-9]{1,2}", "%Y" = "[0-9]{4}", "%y" = "[0-9]{2}",
                   "%j" = "[0-9]{1,3}",
                   "%H" = "[0-9]{1,2}", "%M" = "[0-9]{1,2}", "%S" = "[0-9]{1,2}",
                   "%b" = "[[:alpha:].]+",
                   "%B" = "[[:alpha:].]+", "%e" = " ?[0-9]{1,2}")

days_by_format <- function(text, date_format, call) {
  if (!is.character(date_format) || length(date_format) != 1 ||
      !grepl("%", date_format, fixed = TRUE)) {
    refuse("choice", "{date_format} must be one text such as \"%d/%m/%Y\".", arg = "date_format",
           call = call)
  }
  shape <- gsub("([.+*?^$(){}|\\[\\]\\\\])", "\\\\\\1", date_format, perl = TRUE)
  for (part in names(format_shapes)) shape <- gsub(part, format_shapes[[part]], shape, fixed = TRUE)
  days <- day_numbers(as.Date(strptime(text, date_format, tz = "UTC")))
  if (!grepl("%", shape, fixed = TRUE)) days[!grepl(paste0("^", shape, "$"), text)] <- NA
  days
}
