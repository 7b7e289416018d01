# What text columns of a file hold, decided over the whole column: numbers where every value that is
# there reads as one, days likewise, text otherwise. A column that is mostly digits stays text.

# list(table, says, units)
decide_columns <- function(table, ask, call) {
  says <- character()
  units <- character()
  for (name in names(table)) {
    values <- table[[name]]
    if (inherits(values, "IDate")) {
      table[[name]] <- structure(unclass(values), class = "Date")
    } else if (is.character(values)) {
      decided <- decided_text(values, name, ask, call)
      table[[name]] <- decided$values
      says <- c(says, decided$says)
      if (nzchar(decided$unit %||% "")) units[[name]] <- decided$unit
    }
  }
  list(table = table, says = says, units = units)
}

# list(values, says, unit)
decided_text <- function(values, name, ask, call) {
  encoded <- attr(values, "encoded") %||% core_encode_text(values, core_threads())
  members <- enc2utf8(encoded$members)
  known <- members
  members[is_missing_mark(members, ask$missing)] <- NA
  again <- function(by_member) {
    if (inherits(by_member, "Date")) as_date(unclass(by_member)[encoded$codes + 1L])
    else by_member[encoded$codes + 1L]
  }
  text <- if (identical(members, known)) values else again(members)
  if (all(is.na(members))) return(list(values = rep(NA, length(values))))
  # What was told apart here need not be told apart again.
  if (identical(members, known)) attr(text, "encoded") <- encoded
  if (name %in% ask$as_text) return(list(values = text))
  decided <- if (is.null(ask$of_file)) decided_members(members, name, ask)
  if (!is.null(decided)) {
    decided$values <- again(decided$values)
    return(decided)
  }
  if (!is.null(ask$of_file)) decided_by_file(again(members), name, ask) %||% list(values = text)
  else list(values = text)
}

decided_members <- function(members, name, ask) {
  numbers <- numbers_decided(members, name, ask)
  if (!is.null(numbers)) return(list(values = numbers$numbers, says = numbers$says,
                                     unit = numbers$unit, percent = numbers$percent))
  days <- days_decided(members)
  if (!is.null(days)) list(values = as_date(days$days),
                           says = if (!is.null(days$says)) paste0(name, ": ", days$says))
}

# A column of several files, each decided by itself: what is proved in one file proves nothing of
# another. NULL where not all of them hold numbers, or days.
decided_by_file <- function(values, name, ask) {
  parts <- by_file(values, ask$of_file, function(own, file) {
    if (all(is.na(own))) return(list(values = NULL))
    members <- unique(own)
    decided <- decided_members(members, name, ask)
    if (!is.null(decided)) decided$values <- decided$values[match(own, members)]
    decided
  })
  decided <- Filter(function(part) !is.null(part$values), parts)
  dates <- vapply(decided, function(part) inherits(part$values, "Date"), TRUE)
  units <- unique(unlist(lapply(decided, function(part) part$unit)))
  percent <- vapply(decided, function(part) isTRUE(part$percent), TRUE)
  if (any(vapply(parts, is.null, TRUE)) || length(unique(dates)) != 1 || length(units) > 1 ||
      length(unique(percent)) > 1) return(NULL)
  values <- rep(NA_real_, length(values))
  for (part in decided) values[part$at] <- as.double(part$values)
  list(values = if (dates[1]) as_date(values) else values, unit = units,
       says = said_of_files(decided))
}

# Texts of which each is a number, by one writing: list(numbers, says, unit); NULL otherwise. Codes
# with a zero in front, digits that are too many, and several currencies stay text.
numbers_decided <- function(members, name, ask) {
  known <- core_survey_numbers(members, TRUE)
  if (known$others > 0 || known$numbers == 0 || known$zero_first) return(NULL)
  writing <- writing_of(known, stated_writing(ask, name), several = !is.null(ask$of_file))
  if (is.null(writing) || bitwAnd(known$allowed, bitwShiftL(1L, writing)) == 0 ||
      known$percent && known$plain || nzchar(known$other_unit)) return(NULL)
  # Codes, always: whether doubles give one back must not decide.
  if (known$digits > 15) return(NULL)
  numbers <- core_numbers_by(members, writing)
  list(numbers = numbers, says = writing_says(name, known, writing), unit = known$unit,
       percent = known$percent)
}

# The days of texts of which each is one, without times, in one unambiguous writing.
days_decided <- function(members) {
  at <- which(!is.na(members))[1]
  if (core_survey_dates(members[at])$others > 0) return(NULL)
  known <- core_survey_dates(members)
  if (known$others > 0 || known$times || known$digits) return(NULL)
  there <- sum(!is.na(members))
  form <- if (known$plain == there) "plain" else order_proved(known, members)
  if (is.null(form) || form != "plain" && known$numbered < there) return(NULL)
  said <- date_form_says(known, form)
  list(days = core_dates_by(members, form)$days,
       says = if (length(said) > 0) paste(said, collapse = "; "))
}
