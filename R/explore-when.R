# The strip of bars: entries per period over the ledger's life, and runs of its periods as phrases.

calendar_grain_names <- function(x) {
  fiscal <- length(source_facts(x)$calendar$given) > 0
  if (fiscal) grains else grains[!startsWith(grains, "fiscal")]
}

strip_level <- function(state) state$level %||% "month"

# The as-of day is one of the ledger's own days.
check_as_of_day <- function(text, state, x) {
  day <- one_day(text, "as_of", NULL)
  facts <- source_facts(x)
  first <- min(vapply(facts$dates, function(date) as.numeric(date$first), 0))
  if (day < first || day > facts$as_of) {
    refuse("choice", sprintf("The as-of day is a day from %s to %s, not %s.", day_text(first),
                             day_text(facts$as_of), day_text(day)), call = NULL)
  }
}

# list(label, from, to, entries): the periods of the strip, of the date basis and as-of day asked;
# none where the ledger has no day then.
strip_periods <- function(x, state, kept = new_answers()) {
  tree <- list(per = strip_level(state), measures = list(entries = "entries()"))
  tree$on <- state$on
  tree$as_of <- state$as_of
  question <- as_question(list(ledger = source_facts(x)$given,
                               statement = statement_record(tree, NULL)))
  s <- tryCatch(kept_answer(kept, list("strip", unclass(question)),
                            function() quietly(answer(question, x))),
                rollingledger_error = function(e) NULL)
  if (is.null(s)) {
    return(list(label = character(), from = integer(), to = integer(), entries = numeric()))
  }
  list(label = s$period, from = day_numbers(s$from), to = day_numbers(s$to), entries = s$entries)
}

# A run of periods, by number, as a phrase.
run_phrase <- function(periods, from, to) {
  label <- periods$label[c(from, to)]
  if (from == to) label[1] else paste0(label[1], "/", label[2])
}

# The days that count now, from the calendar: list(from, to, label, relative), several where the
# phrase means several. NULL where there are none.
days_now <- function(state, x, phrase = phrase_now(state)) {
  facts <- source_facts(x)
  as_of <- if (is.null(state$as_of)) facts$as_of else core_iso_days(state$as_of)
  basis <- facts$dates[[state$on %||% names(facts$dates)[1]]] %||% facts$dates[[1]]
  tryCatch(resolve_phrase(phrase_on_page(phrase, state, x), "", facts$calendar, as_of, basis$first),
           rollingledger_error = function(e) NULL)
}

# The run of periods that holds the days that count now, one period earlier or later. At an end of
# the ledger it stays.
moved_phrase <- function(state, x, by) {
  periods <- strip_periods(x, state)
  days <- days_now(state, x)
  held <- if (!is.null(days)) which(periods$to >= min(days$from) & periods$from <= max(days$to))
  if (length(periods$label) == 0) return(phrase_now(state))
  if (length(held) == 0) held <- length(periods$label)
  ends <- range(held) + by
  if (ends[1] < 1 || ends[2] > length(periods$label)) ends <- range(held)
  run_phrase(periods, ends[1], ends[2])
}

# What a phrase means while it is typed: list(ok, says).
phrase_says <- function(phrase, state, x) {
  tryCatch({
    days <- days_of_phrase(phrase, state, x)
    said <- mapply(days_text, days$from, days$to)
    list(ok = TRUE, says = listed(said, most = 4))
  }, error = function(e) list(ok = FALSE, says = paste(problem_texts(e)[1:2], collapse = " ")))
}

days_of_phrase <- function(phrase, state, x) {
  facts <- source_facts(x)
  as_of <- if (is.null(state$as_of)) facts$as_of else core_iso_days(state$as_of)
  basis <- basis_of_page(state, facts)
  resolve_phrase(phrase_on_page(phrase, state, x), "", facts$calendar, as_of, basis$first)
}

# Periods of a phrase are those of the panel that is pointed at.
phrase_on_page <- function(phrase, state, x) {
  phrases_in_grain(phrase, panel_now(state)$statement$per, source_facts(x)$calendar, NULL)
}

basis_of_page <- function(state, facts) {
  facts$dates[[state$on %||% names(facts$dates)[1]]] %||% facts$dates[[1]]
}

# The days to hold these against: a year back, or less where the ledger does not go back as far.
second_that_fits <- function(state, x) {
  seconds <- paste0(phrase_now(state), ", 1 ", c("year", "quarter", "month", "week", "day"),
                    " back")
  first <- basis_of_page(state, source_facts(x))$first
  for (phrase in seconds) {
    days <- tryCatch(days_of_phrase(phrase, state, x), error = function(e) NULL)
    if (!is.null(days) && all(days$from >= first)) return(phrase)
  }
  if (phrase_says(seconds[1], state, x)$ok) seconds[1]
}

# The state with days to hold the page's against. Days that cannot go back, such as all there are,
# give way to some that can.
second_for_look <- function(state, x) {
  if (!is.null(state$second)) return(state)
  second <- second_that_fits(state, x)
  if (is.null(second)) {
    short <- is.null(state$level) || state$level == "day"
    span <- if (short) "latest 30 days" else "latest 12 months"
    was <- phrase_now(state)
    state <- with_span(state, span)
    second <- second_that_fits(state, x)
    state <- with_said(state, sprintf("%s cannot go back, so the days are the %s.",
                                      heading_first(was), span))
  }
  state$second <- second
  state
}

# Phrases at hand: look-backs that fit the grain, to-date spans, and some of every year.
phrases_at_hand <- function(grain, x) {
  grain <- grain %||% "month"
  fiscal <- length(source_facts(x)$calendar$given) > 0
  c(look_backs(grain), "month to date", "year to date",
    if (fiscal) "fiscal year to date", "last month, 1 year back", "month to date, every year",
    "all")
}

# Look-backs of a grain, from short to long, each of them beside those of other grains.
look_backs <- function(grain) {
  counts <- switch(sub("^fiscal ", "", grain), day = c(7, 14, 30), week = c(4, 8, 15),
                   month = c(3, 6, 12), quarter = c(4, 6, 8), year = c(2, 3, 5))
  c(sprintf("latest %d %ss", counts, grain), sprintf("last %s", grain))
}

# The look-back that a change of grain makes of one at hand: the state, with a word on it.
with_look_back <- function(state, from, to) {
  if (is.null(from) || is.null(to)) return(state)
  at <- match(phrase_now(state), look_backs(from))
  if (is.na(at) || from == to) return(state)
  with_said(with_span(state, look_backs(to)[at]),
            sprintf("The days follow the grain: %s.", look_backs(to)[at]))
}

# What completes a phrase: those at hand, examples of the language, and the ledger's own periods.
phrase_completions <- function(state, x, periods) {
  unique(c(phrases_at_hand(panel_now(state)$statement$per, x), span_example_phrases(),
           utils::tail(periods$label, 60)))
}

# Spans that are put side by side most, with those that stand so already.
spans_to_show_beside <- function(state, x) {
  fiscal <- length(source_facts(x)$calendar$given) > 0
  to_date <- c("month to date", "quarter to date", "year to date",
               if (fiscal) "fiscal year to date")
  unique(c(unlist(panel_now(state)$statement$spans), to_date, paste0(to_date, ", 1 year back"),
           paste0(phrase_now(state), ", 1 year back")))
}
