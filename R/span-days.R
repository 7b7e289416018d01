# From the tree of a phrase to days. Spans travel as vectors: list(from, to, complete, note, label,
# open), one element per span, `note` and `label` NULL where there is nothing to say, `from` or `to`
# missing at an open end (`open`), both missing where a span leaves the years there are.

# Rows of several phrases, in order: list(label, own, from, to, complete, phrase, note, relative,
# as_of). `own` is a phrase for that span alone, also where it is one of those that recur; `from` is
# missing where a span has no beginning and `first` is not known; `relative` spans hang on the as-of
# day.
resolve_phrases <- function(phrases, calendar, as_of, first = NULL, call = caller_env()) {
  if (!is.character(phrases) || length(phrases) == 0 || anyNA(phrases)) {
    refuse("span",
           "A span is text, such as \"last 3 months\", \"2026-08\" or \"2026-01-01/2026-03-31\".",
           call = call)
  }
  called <- names(phrases) %||% rep("", length(phrases))
  parts <- lapply(seq_along(phrases),
                  function(i) resolve_phrase(phrases[[i]], called[[i]], calendar, as_of, first,
                                             call))
  if (length(parts) == 1) return(c(parts[[1]], list(as_of = as_of)))
  together <- function(name) unlist(lapply(parts, function(part) part[[name]]))
  list(label = together("label"), own = together("own"), from = together("from"),
       to = together("to"), complete = together("complete"),
       phrase = together("phrase"), note = together("note"), relative = together("relative"),
       as_of = as_of)
}

resolve_phrase <- function(phrase, called, calendar, as_of, first, call = caller_env()) {
  tree <- read_phrase(phrase, calendar)
  if (!is.null(tree$problem)) refuse_phrase(phrase, tree$problem, calendar, call)
  if (speaks_of_periods(tree)) refuse_periods(phrase, call)
  text <- phrase_text(tree, calendar)
  recurs <- startsWith(tree$base$kind, "recurring") || !is.null(tree$every)
  spans <- if (recurs) recurring_days(tree, text, calendar, as_of, first, call)
           else span_days(tree, tree$shifts, calendar, as_of, call)
  spans <- closed_spans(spans, text, as_of, first, call)
  n <- length(spans$to)
  own <- label <- if (recurs) spans$label %||% paste_days(spans) else text
  if (nzchar(called)) label <- if (recurs) paste(called, label) else called
  list(label = label, own = own, from = spans$from, to = spans$to, complete = spans$complete,
       phrase = rep(text, n), note = spans$note %||% rep(NA_character_, n),
       relative = rep(tree$base$kind %in% relative_kinds, n))
}

# "period" as a unit is the grain of the statement that asks.
speaks_of_periods <- function(tree) {
  identical(tree$base$unit, "period") || "period" %in% names(tree$shifts)
}

refuse_periods <- function(phrase, call) {
  refuse("span", c(sprintf("\"%s\" speaks of periods, and nothing here says which.", phrase),
                   i = "They are those of a statement's {per}; without it, name the unit.",
                   i = "Such as \"latest 12 months\"."), phrase = phrase, call = call)
}

# Phrases whose periods are those of a grain: "latest 12 periods" per week is "latest 12 weeks".
phrases_in_grain <- function(phrases, per, calendar, call = caller_env()) {
  phrases[] <- vapply(phrases, function(phrase) {
    tree <- read_phrase(phrase, calendar)
    if (!is.null(tree$problem) || !speaks_of_periods(tree)) return(phrase)
    if (is.null(per)) refuse_periods(phrase, call)
    if (identical(tree$base$unit, "period")) tree$base$unit <- per
    tree$shifts <- shifts_in_grain(tree$shifts, per)
    phrase_text(tree, calendar)
  }, "")
  phrases
}

shifts_in_grain <- function(shifts, per) {
  names(shifts)[names(shifts) == "period"] <- per
  vapply(split(shifts, factor(names(shifts), unique(names(shifts)))), sum, 0L)
}

# Days as a point or a range of points, which are phrases too.
paste_days <- function(spans) {
  from <- iso_day(spans$from)
  to <- iso_day(spans$to)
  ifelse(from == to, from, paste0(from, "/", to))
}

# Open ends take the first day and the as-of day; days must lie within the years there are.
closed_spans <- function(spans, phrase, as_of, first, call) {
  ends <- c(spans$from, spans$to)
  if (any(ends < first_day_there_is | ends > last_day_there_is, na.rm = TRUE) ||
      (anyNA(ends) && !spans$open)) {
    refuse("span", sprintf("The span \"%s\" leaves the years 1 to 9999.", phrase), phrase = phrase,
           call = call)
  }
  if (anyNA(spans$to)) spans$to <- as_of
  if (anyNA(spans$from) && !is.null(first)) spans$from <- first
  backwards <- which(spans$from > spans$to)
  if (length(backwards) > 0)
    refuse_backwards(spans$from[backwards[1]], spans$to[backwards[1]], spans$open, phrase, as_of,
                     first, call)
  spans
}

refuse_backwards <- function(from, to, open, phrase, as_of, first, call) {
  refuse("span", if (open) {
    c(sprintf("The span \"%s\" holds no day.", phrase),
      i = sprintf("Its open end is the %s.", if (to == as_of) paste("as-of day,", day_text(as_of))
                                             else paste("first day,", day_text(first))))
  } else {
    c(sprintf("The span \"%s\" ends before it starts: %s comes after %s.", phrase, day_text(from),
              day_text(to)),
      i = "Put the earlier point first.")
  }, phrase = phrase, call = call)
}

# Spans of a phrase that does not recur; a shift by several counts gives as many spans.
span_days <- function(tree, shifts, calendar, as_of, call = caller_env()) {
  base <- tree$base
  if (base$kind == "all")
    return(list(from = NA_integer_, to = NA_integer_, complete = TRUE, note = NULL, open = TRUE))
  if (base$kind %in% c("to date", "latest", "trailing"))
    return(days_up_to_as_of(base, shifts, calendar, as_of, call))
  if (base$kind == "range") return(days_of_ends(base$from, base$to, shifts, calendar, as_of, call))
  if (base$kind == "newest") {
    newest <- newest_part(base, calendar, as_of, call)
    return(days_of_ends(newest, newest, shifts, calendar, as_of, call))
  }
  now <- period_indexes(as_of, base$unit, calendar, call)
  # The newest period that is over is the current one on its last day.
  over <- base$kind == "finished" && periods_at(now, base$unit, calendar, call)$last == as_of
  last <- if (base$kind == "this" || over) now else now - 1L
  days_of_ends(list(grain = base$unit, index = last - base$n + 1L),
               list(grain = base$unit, index = last), shifts, calendar, as_of, call)
}

# The newest quarter, week or month of a name or number that has begun by the as-of day.
newest_part <- function(base, calendar, as_of, call) {
  grain <- year_of(base$grain)
  now <- period_indexes(as_of, grain, calendar, call)
  # A week 53 may be six years back.
  years <- if (is_tabled(grain, calendar)) seq_len(now) else seq.int(now - 7L, now + 1L)
  index <- nth_of_year(years, base$number, base$grain, calendar, call)
  index <- index[!is.na(index)]
  begun <- index[periods_at(index, base$grain, calendar, call)$first <= as_of]
  if (length(begun) == 0)
    refuse("span", sprintf("No %s has begun by %s.", recurring_text(base), day_text(as_of)),
           call = call)
  list(grain = base$grain, index = max(begun))
}

# Whole periods from one to another, moved back; NULL for an end that is open.
days_of_ends <- function(from, to, shifts, calendar, as_of, call = caller_env()) {
  single <- identical(from, to)
  from_moved <- if (!is.null(from))
    moved_by(from$index, shifts, function(...) move_period(..., calendar = calendar, call = call),
             from$grain)
  to_moved <- if (single) from_moved
              else if (!is.null(to))
                moved_by(to$index, shifts,
                         function(...) move_period(..., calendar = calendar, call = call), to$grain)
              else moved_by(as_of, shifts,
                            function(...) move_as_of(..., calendar = calendar, call = call), "day")
  first <- if (!is.null(from)) periods_at(from_moved$index, from$grain, calendar, call)
  last <- if (single) first else if (is.null(to)) list(last = to_moved$index)
                                 else periods_at(to_moved$index, to$grain, calendar, call)
  label <- if (single) first$label
           else if (!is.null(from) && identical(from$grain, to$grain))
             ifelse(first$label == last$label, first$label, paste0(first$label, "/", last$label))
  list(from = first$first %||% rep(NA_integer_, length(last$last)), to = last$last,
       complete = last$last <= as_of,
       note = joined_notes(from_moved$note, to_moved$note), label = label,
       open = is.null(from) || is.null(to))
}

# Indexes moved by each shift in turn: list(index, note).
moved_by <- function(index, shifts, move, grain) {
  note <- NULL
  for (unit in names(shifts)) {
    moved <- move(index, grain, shifts[[unit]], unit)
    index <- moved$index
    note <- joined_notes(note, moved$note)
  }
  list(index = index, note = note)
}

joined_notes <- function(a, b) {
  if (is.null(a) || identical(a, b)) return(b)
  if (is.null(b)) return(a)
  ifelse(is.na(a), b, ifelse(is.na(b) | a == b, a, paste(a, b, sep = "; ")))
}

# Spans that end on the as-of day, moved back with it.
days_up_to_as_of <- function(base, shifts, calendar, as_of, call = caller_env()) {
  grain <- if (base$kind == "trailing") "day" else base$unit
  moved <- moved_by(as_of, shifts, function(...) move_as_of(..., calendar = calendar, call = call),
                    grain)
  to <- moved$index
  if (base$kind == "trailing") {
    before <- move_day(to, base$n, base$unit, calendar, end_to_end = TRUE, call = call)
    return(list(from = before + 1L, to = to, complete = rep(TRUE, length(to)), note = moved$note,
                open = FALSE))
  }
  now <- period_indexes(to, base$unit, calendar, call)
  list(from = periods_at(now - base$n + 1L, base$unit, calendar, call)$first, to = to,
       complete = periods_at(now, base$unit, calendar, call)$last == to, note = moved$note,
       open = FALSE)
}

# One span per year from the first day's to the as-of day's, the newest last.
recurring_days <- function(tree, text, calendar, as_of, first, call = caller_env()) {
  grain <- tree$every %||% if (tree$base$kind == "recurring") year_of(tree$base$grain) else "year"
  known <- first %||%
    periods_at(period_indexes(as_of, "year", calendar) - 4L, "year", calendar)$first
  if (is_tabled(grain, calendar))
    known <- max(known, tabled_periods(grain, calendar, call)$first[1])
  spans <- if (!is.null(tree$every)) repeated_days(tree, grain, calendar, as_of, known, call)
           else parts_of_years(tree, years_within(known, as_of, grain, calendar), calendar, as_of,
                               call)
  held <- which(spans$from <= as_of & spans$to >= known)
  if (length(held) == 0) {
    refuse("span",
           sprintf("The span \"%s\" means no day from %s to %s.", text, day_text(known),
                   day_text(as_of)), call = call)
  }
  several <- c("from", "to", "complete", "note", "label")
  spans[several] <- lapply(spans[several], function(column) column[held])
  spans
}

# Indexes of the years that touch the days, and one on either side: weeks and ranges of days reach
# over the end of a year.
years_within <- function(from, to, grain, calendar) {
  ends <- period_indexes(c(from, to), grain, calendar)
  if (is_tabled(grain, calendar)) seq.int(ends[1], ends[2]) else seq.int(ends[1] - 1L, ends[2] + 1L)
}

# The span of each year is the phrase's own, so many years back or, for fixed points, forth.
repeated_days <- function(tree, grain, calendar, as_of, known, call) {
  own <- span_days(tree, tree$shifts, calendar, as_of, call)
  years <- years_within(min(known, own$from), max(as_of, own$to), grain, calendar)
  now <- period_indexes(own$to, grain, calendar)
  ahead <- if (tree$base$kind == "range") years[length(years)] - now else 0L
  shifts <- as.list(tree$shifts)
  shifts[[grain]] <- (if (grain %in% names(shifts)) shifts[[grain]] else 0L) +
    seq.int(now - years[1], -ahead)
  span_days(tree, shifts[order(match(names(shifts), shift_order))], calendar, as_of, call)
}

# The quarter, month, week or days of each year that the phrase names.
parts_of_years <- function(tree, years, calendar, as_of, call) {
  base <- tree$base
  if (base$kind == "recurring") {
    index <- nth_of_year(years, base$number, base$grain, calendar, call)
    period <- list(grain = base$grain, index = index[!is.na(index)])
    return(days_of_ends(period, period, tree$shifts, calendar, as_of, call))
  }
  # Taken from a leap year, so that 29 February becomes 28 February in others.
  crosses <- base$to[1] * 100L + base$to[2] < base$from[1] * 100L + base$from[2]
  days <- core_days_of(c(2024L, 2024L), c(base$from[1], base$to[1]), c(base$from[2], base$to[2]))
  in_year <- function(day, years) core_moved_by_months(
    rep(day, length(years)), 12L * (years - 2024L), FALSE)
  from <- in_year(days[1], years)
  to <- in_year(days[2], years + crosses)
  there <- !is.na(from) & !is.na(to)
  spans <- days_of_ends(list(grain = "day", index = from[there]),
                        list(grain = "day", index = to[there]), tree$shifts, calendar, as_of, call)
  spans$label <- NULL
  spans
}

# Whether phrases hang on the as-of day, rather than on fixed points.
is_relative <- function(phrases, calendar) {
  vapply(phrases,
         function(phrase) isTRUE(read_phrase(phrase, calendar)$base$kind %in% relative_kinds), TRUE,
         USE.NAMES = FALSE)
}

relative_kinds <- c("this", "to date", "last", "latest", "finished", "trailing", "newest")
