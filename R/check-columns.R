# What the columns of a table hold, for the first look.

# `known` are the facts of each column, by name.
columns_checked <- function(x, facts, known) {
  entries <- entries_used(x)
  rows <- lapply(known, function(one) {
    members <- source_members(x, one$name)
    absent <- if (members$absent > 0) members$counts[members$absent] else 0
    held <- length(members$values) - (members$absent > 0)
    list(holds = column_seems(facts$units, one, members, held, entries),
         missing = as.double(absent), distinct = as.double(held),
         examples = examples_of(one, members))
  })
  of <- function(what, type) vapply(rows, function(row) row[[what]], type, USE.NAMES = FALSE)
  tibble::tibble(column = names(known), holds = of("holds", ""), missing = of("missing", 0),
                 distinct = of("distinct", 0), examples = of("examples", ""))
}

names_that_hold <- function(known, kinds) {
  names(known)[vapply(known, function(one) one$holds %in% kinds, TRUE)]
}

column_seems <- function(units, known, members, held, entries) {
  if (known$is_blank || held == 0) return("nothing")
  unit <- if (known$name %in% names(units)) units[[known$name]]
  switch(known$holds,
    flags = "TRUE or FALSE", days = "dates", levels = "text, in levels",
    ordered = "text, in order",
    amounts = paste0(
      if (known$decimals == 0 && known$exact) "whole numbers"
      else if (known$exact) sprintf("numbers, %s", count_text(known$decimals, "decimal"))
      else "numbers, many decimals",
      if (!is.null(unit)) sprintf(", %s", unit),
      if (known$decimals == 0 && held == entries && held > 1) ", all different"),
    text_seems(members, held, entries)
  )
}

# A text column may be dates, or mostly numbers.
text_seems <- function(members, held, entries) {
  text <- members$text
  if (members$is_dated) return("dates with times, as text")
  text <- enc2utf8(text[!is.na(text)])
  known <- core_survey_numbers(utils::head(text, 10000), FALSE)
  dates <- core_survey_dates(utils::head(text, 2000))
  if (known$others == 0 && known$both) return("numbers, 1.234 in two readings")
  if (known$others == 0 && nzchar(known$other_unit)) return("amounts of several currencies")
  if (known$others == 0) return(if (held == entries) "codes, all different" else "codes in digits")
  if (known$numbers > 4 * known$others) return("mostly numbers, kept as text")
  if (dates$others == 0) return("dates, day or month first")
  if (dates$plain + dates$numbered > 4 * dates$others) return("mostly dates, kept as text")
  if (held == entries && held > 1) "text, all different" else "text"
}

# The most frequent members, or the ends of what is in order.
examples_of <- function(known, members) {
  there <- which(!is.na(members$values))
  if (length(there) == 0) return("")
  ends <- known$holds %in% c("amounts", "days", "ordered")
  at <- if (ends) there[order(members$rank[there])][unique(c(1, length(there)))]
        else utils::head(there[order(-members$counts[there])], 3)
  plain <- known$holds == "amounts" && !known$large
  shown <- if (plain) number_text(members$values[at], known$decimals)
           else shortened_text_each(members$shown[at], 24L)
  paste(shown, collapse = if (ends) " to " else ", ")
}

shortened_text_each <- function(texts, most) {
  vapply(texts, shortened_text, "", most = most, USE.NAMES = FALSE)
}

dates_checked <- function(x, facts, known, could_be) {
  dateless <- unlist(aside_reasons[c("no_date", "unreadable")])
  bases <- vapply(facts$dates, function(basis) basis$column, "")
  bases <- bases[bases != undated]
  of_bases <- lapply(names(bases), function(name) {
    basis <- facts$dates[[name]]
    aside <- source_set_aside(x)
    lacking <- aside$column %in% basis$column & aside$reason %in% dateless
    without <- if (name == names(facts$dates)[1]) sum(lacking) else basis$absent()$without
    list(column = basis$column, from = basis$first, to = basis$last, without = without,
         note = if (name == names(facts$dates)[1]) "taken as the date" else "another date basis")
  })
  held <- setdiff(names_that_hold(known, "days"), bases)
  of_columns <- lapply(held, function(name) {
    members <- source_members(x, name)
    values <- day_numbers(members$values)
    list(column = name, from = min(values, Inf, na.rm = TRUE), to = max(values, -Inf, na.rm = TRUE),
         without = if (members$absent > 0) members$counts[members$absent] else 0,
         note = "could be the date")
  })
  others <- Filter(function(one) !one$column %in% c(bases, held), could_be)
  of_text <- lapply(others, function(one) {
    days <- if (length(one$days) > 0) range(one$days) else c(NA, NA)
    list(column = one$column, from = days[1], to = days[2], without = NA,
         note = if (is.null(one$days)) one$says else "could be the date")
  })
  rows <- c(of_bases, of_columns, of_text)
  tibble::tibble(
    column = vapply(rows, function(row) row$column, ""),
    from = as_date(vapply(rows, function(row) as.double(row$from), 0)),
    to = as_date(vapply(rows, function(row) as.double(row$to), 0)),
    without = vapply(rows, function(row) as.double(row$without), 0),
    note = vapply(rows, function(row) row$note, ""))
}
