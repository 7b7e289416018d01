# From the tree of a phrase to days.

# Rows of several phrases, in order: list(label, from, to, complete, phrase, note, as_of). `from` is missing
# where a span has no beginning and `first` is not known.
resolve_phrases <- function(phrases, calendar, as_of, first = NULL, call = caller_env()) {
  if (!is.character(phrases) || length(phrases) == 0 || anyNA(phrases)) {
    refuse("span", "A span is text, such as \"last 3 months\", \"2026-08\" or \"2026-01-01/2026-03-31\".", call = call)
  }
  called <- names(phrases) %||% rep("", length(phrases))
  parts <- lapply(seq_along(phrases), function(i) resolve_phrase(phrases[[i]], called[[i]], calendar, as_of, first, call))
  together <- function(name) unlist(lapply(parts, function(part) part[[name]]))
  list(label = together("label"), from = together("from"), to = together("to"), complete = together("complete"),
       phrase = together("phrase"), note = together("note"), as_of = as_of)
}

resolve_phrase <- function(phrase, called, calendar, as_of, first, call = caller_env()) {
  tree <- read_phrase(phrase, calendar)
  if (!is.null(tree$problem)) refuse_phrase(phrase, tree$problem, calendar, call)
  text <- phrase_text(tree, calendar)
  recurs <- startsWith(tree$base$kind, "recurring") || !is.null(tree$every)
  spans <- if (recurs) recurring_days(tree, calendar, as_of, first, call) else list(span_days(tree, calendar, as_of, call))
  spans <- lapply(spans, end_span, phrase = text, as_of = as_of, first = first, call = call)
  part <- function(name, kind) vapply(spans, function(span) span[[name]], kind)
  label <- if (recurs) part("label", "") else text
  if (nzchar(called)) label <- if (recurs) paste(called, label) else called
  list(label = label, from = part("from", 0L), to = part("to", 0L), complete = part("complete", TRUE),
       phrase = rep(text, length(spans)), note = vapply(spans, function(span) span$note %||% NA_character_, ""))
}

# Open ends take the first day and the as-of day; days must lie within the years there are.
end_span <- function(span, phrase, as_of, first, call) {
  if (isTRUE(span$outside) || any(c(span$from, span$to) < first_day_there_is | c(span$from, span$to) > last_day_there_is, na.rm = TRUE)) {
    refuse("span", sprintf("The span \"%s\" leaves the years 1 to 9999.", phrase), phrase = phrase, call = call)
  }
  if (is.na(span$to)) span$to <- as_of
  if (is.na(span$from) && !is.null(first)) span$from <- first
  if (!is.na(span$from) && span$from > span$to) {
    refuse("span", if (span$open) {
      c(sprintf("The span \"%s\" holds no day.", phrase),
        i = sprintf("Its open end is the %s.", if (span$to == as_of) paste("as-of day,", day_text(as_of)) else paste("first day,", day_text(first))))
    } else {
      c(sprintf("The span \"%s\" ends before it starts: %s comes after %s.", phrase, day_text(span$from), day_text(span$to)),
        i = "Put the earlier point first.")
    }, phrase = phrase, call = call)
  }
  span
}

# list(from, to, complete, note, open) of a phrase that does not recur.
span_days <- function(tree, calendar, as_of, call = caller_env()) {
  base <- tree$base
  if (base$kind == "all") return(list(from = NA_integer_, to = NA_integer_, complete = TRUE, note = NULL, open = TRUE))
  if (base$kind %in% c("to date", "latest", "trailing")) return(days_up_to_as_of(base, tree$shifts, calendar, as_of, call))
  if (base$kind == "range") return(days_of_ends(base$from, base$to, tree$shifts, calendar, as_of, call))
  now <- period_indexes(as_of, base$unit, calendar, call)
  # The newest period that is over is the current one on its last day.
  over <- base$kind == "finished" && periods_at(now, base$unit, calendar, call)$last == as_of
  last <- if (base$kind == "this" || over) now else now - 1L
  days_of_ends(list(grain = base$unit, index = last - base$n + 1L), list(grain = base$unit, index = last), tree$shifts, calendar, as_of, call)
}

# Whole periods from one to another, moved back; NULL for an end that is open. One single period has a label.
days_of_ends <- function(from, to, shifts, calendar, as_of, call = caller_env()) {
  single <- identical(from, to)
  from_moved <- if (!is.null(from)) moved_period(from, shifts, calendar, call)
  to_moved <- if (single) from_moved else if (is.null(to)) moved_day(as_of, "day", shifts, calendar, call) else moved_period(to, shifts, calendar, call)
  if (anyNA(c(from_moved$index, to_moved$index))) return(list(outside = TRUE))
  first <- if (!is.null(from)) periods_at(from_moved$index, from$grain, calendar, call)
  last <- if (single) first else if (is.null(to)) list(last = to_moved$index) else periods_at(to_moved$index, to$grain, calendar, call)
  list(from = first$first %||% NA_integer_, to = last$last, complete = last$last <= as_of,
       note = joined_notes(from_moved$note, to_moved$note), open = is.null(from) || is.null(to), label = if (single) first$label)
}

joined_notes <- function(...) {
  notes <- unique(c(...))
  if (length(notes) > 0) paste(notes, collapse = "; ")
}

moved_period <- function(period, shifts, calendar, call) {
  notes <- NULL
  for (unit in names(shifts)) {
    moved <- move_period(period$index, period$grain, shifts[[unit]], unit, calendar, call)
    period$index <- moved$index
    notes <- c(notes, moved$note)
    if (is.na(moved$index)) break
  }
  list(index = period$index, note = notes)
}

moved_day <- function(index, grain, shifts, calendar, call) {
  notes <- NULL
  for (unit in names(shifts)) {
    moved <- move_day_of(grain, index, shifts[[unit]], unit, calendar, call)
    index <- moved$index
    notes <- c(notes, moved$note)
    if (is.na(index)) break
  }
  list(index = index, note = notes)
}

# Spans that end on the as-of day, moved back with it.
days_up_to_as_of <- function(base, shifts, calendar, as_of, call = caller_env()) {
  moved <- moved_day(as_of, if (base$kind == "trailing") "day" else base$unit, shifts, calendar, call)
  to <- moved$index
  if (is.na(to)) return(list(outside = TRUE))
  if (base$kind == "trailing") {
    before <- move_day(to, base$n, base$unit, calendar, end_to_end = TRUE, call = call)
    if (is.na(before)) return(list(outside = TRUE))
    return(list(from = before + 1L, to = to, complete = TRUE, note = moved$note, open = FALSE))
  }
  now <- period_indexes(to, base$unit, calendar, call)
  ends <- periods_at(c(now - base$n + 1L, now), base$unit, calendar, call)
  list(from = ends$first[1], to = to, complete = ends$last[2] == to, note = moved$note, open = FALSE)
}

# One span per year from the first day's to the as-of day's, the newest last.
recurring_days <- function(tree, calendar, as_of, first, call = caller_env()) {
  grain <- tree$every %||% if (tree$base$kind == "recurring") year_of(tree$base$grain) else "year"
  known <- first %||% periods_at(period_indexes(as_of, "year", calendar) - 4L, "year", calendar)$first
  if (is_tabled(grain, calendar)) known <- max(known, calendar$table[[grain]]$first[1])
  spans <- if (!is.null(tree$every)) repeated_days(tree, grain, calendar, as_of, known, call)
           else lapply(years_within(known, as_of, grain, calendar, more = !isTRUE(grepl("month|quarter", tree$base$grain))), function(year) part_of_year(tree, year, calendar, as_of, call))
  held <- Filter(function(span) !is.null(span) && span$from <= as_of && span$to >= known, spans)
  if (length(held) == 0) {
    refuse("span", sprintf("The span \"%s\" means no day from %s to %s.", phrase_text(tree, calendar), day_text(known), day_text(as_of)), call = call)
  }
  lapply(held, function(span) {
    span$label <- span$label %||% paste(unique(iso_day(c(span$from, span$to))), collapse = "/")
    span
  })
}

# Indexes of the years that touch the days, and with `more` one on either side: weeks and ranges of
# days reach over the end of a year.
years_within <- function(from, to, grain, calendar, more = TRUE) {
  ends <- period_indexes(c(from, to), grain, calendar)
  if (is_tabled(grain, calendar) || !more) seq.int(ends[1], ends[2]) else seq.int(ends[1] - 1L, ends[2] + 1L)
}

# The span of each year is the phrase's own, so many years back or, for fixed points, forth.
repeated_days <- function(tree, grain, calendar, as_of, known, call) {
  own <- span_days(tree, calendar, as_of, call)
  years <- years_within(min(known, own$from), max(as_of, own$to), grain, calendar)
  now <- period_indexes(own$to, grain, calendar)
  ahead <- if (tree$base$kind == "range") years[length(years)] - now else 0L
  lapply(seq.int(now - years[1], -ahead), function(n) {
    shifts <- tree$shifts
    shifts[[grain]] <- (if (grain %in% names(shifts)) shifts[[grain]] else 0L) + n
    tree$shifts <- shifts[order(match(names(shifts), shift_order))]
    span <- span_days(tree, calendar, as_of, call)
    if (!is.null(span$outside)) return(NULL)
    span$label <- span$label %||% span_label(tree, span, calendar)
    span
  })
}

# The label of a repeated span: its period or periods where it consists of one kind of them.
span_label <- function(tree, span, calendar) {
  base <- tree$base
  unit <- if (base$kind %in% c("this", "last", "finished")) base$unit else if (base$kind == "range" && base$from$grain == base$to$grain) base$from$grain
  if (is.null(unit)) return(NULL)
  paste(unique(periods_holding(c(span$from, span$to), unit, calendar)$label), collapse = "/")
}

part_of_year <- function(tree, year, calendar, as_of, call) {
  base <- tree$base
  if (base$kind == "recurring") {
    index <- nth_of_year(year, base$number, base$grain, calendar, call)
    if (is.na(index)) return(NULL)
    period <- list(grain = base$grain, index = index)
    return(days_of_ends(period, period, tree$shifts, calendar, as_of, call))
  }
  crosses <- base$to[1] * 100L + base$to[2] < base$from[1] * 100L + base$from[2]
  ends <- core_moved_by_months(core_days_of(c(2024L, 2024L), c(base$from[1], base$to[1]), c(base$from[2], base$to[2])),
                               12L * (c(year, year + crosses) - 2024L), FALSE)
  if (anyNA(ends)) return(NULL)
  days_of_ends(list(grain = "day", index = ends[1]), list(grain = "day", index = ends[2]), tree$shifts, calendar, as_of, call)
}

# Whether phrases hang on the as-of day, rather than on fixed points.
is_relative <- function(phrases, calendar) {
  vapply(phrases, function(phrase) isTRUE(read_phrase(phrase, calendar)$base$kind %in% relative_kinds), TRUE, USE.NAMES = FALSE)
}

relative_kinds <- c("this", "to date", "last", "latest", "finished", "trailing")
