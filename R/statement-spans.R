# The spans of a statement: what was asked for, as days of the ledger. Titles, notes and figures all
# take their days from here.

# list(phrases, made): the phrases, or a span made by span().
asked_spans <- function(given, by, calendar, call = caller_env()) {
  span <- phrase_of_grain(made_span(given$span), given$per, call)
  spans <- made_span(given$spans)
  if (!inherits(spans, "ledger_span")) spans <- named_values(spans)
  per <- given$per
  asked <- if (is.null(spans)) span else spans
  if (!is.null(spans)) {
    if (!identical(span, "all"))
      refuse("choice", "Give {span} or {spans}, not both.", arg = "spans", call = call)
    if (!is.null(per)) {
      refuse("choice", c("Several spans are rows of their own, so {per} has no place beside them.",
                         i = "Take {per} with one {span}, or leave {per} out."), arg = "per",
             call = call)
    }
  }
  made <- inherits(asked, "ledger_span")
  if (!made && is.null(spans) && (!is.character(span) || length(span) != 1 || is.na(span))) {
    refuse("span",
           c(paste0("{span} must be one text, such as \"last 3 months\", \"2026-08\" or ",
                    "\"2026-01-01/2026-03-31\"."),
             i = "Several go into {spans}."), call = call)
  }
  if (is.character(asked) && !anyNA(asked)) asked <- phrases_in_grain(asked, per, calendar, call)
  if (given$anchor == "group") check_anchor(asked, made, by, calendar, call)
  list(phrases = asked, made = made, several = !is.null(spans))
}

# Of phrases by grain, `c(week = "latest 15 weeks", month = "latest 12 months")`, the one of the
# statement's own; anything else stays as it is.
phrase_of_grain <- function(span, per, call) {
  if (!is_by_grain(span)) return(span)
  span <- named_values(span)
  if (is.null(per)) {
    refuse("span", c("The phrases in {span} are by grain, and the statement has none.",
                     i = sprintf("Give {per}, one of %s.", listed(names(span), last = "or"))),
           call = call)
  }
  if (!per %in% names(span)) {
    refuse("span", c(sprintf("{span} has no phrase for {per = \"%s\"}.", per),
                     i = sprintf("It has phrases for %s.", listed(names(span)))), call = call)
  }
  unname(span[per])
}

is_by_grain <- function(span) {
  length(span) > 1 && !inherits(span, "ledger_span") && !is.null(names(span)) &&
    all(names(span) %in% grains) && !anyDuplicated(names(span))
}

check_anchor <- function(asked, made, by, calendar, call) {
  if (is.null(by)) {
    refuse("choice", "{anchor = \"group\"} needs groups: name attributes in {by}.", arg = "anchor",
           call = call)
  }
  if (made || !any(is_relative(asked, calendar))) {
    refuse("choice",
           c(sprintf("{anchor = \"group\"} moves relative spans, and %s.",
                     if (made) "a span already made has its days"
                     else sprintf("\"%s\" is not one", asked[[1]])),
             i = paste0("Relative ones are, for example, \"last month\", \"week to date\" or ",
                        "\"trailing 30 days\".")), arg = "anchor", call = call)
  }
}

# The spans as of a day, cut to the days there are: list(label, own, from, to, complete, phrase,
# note, relative, cut). Spans that do not hang on a day are always as of the statement's own.
spans_as_of <- function(plan, day, call = caller_env()) {
  asked <- plan$asked$phrases
  days <- if (plan$asked$made) made_days(asked) else if (day == plan$as_of) {
    resolve_phrases(asked, plan$calendar, plan$as_of, plan$first, call)
  } else {
    relative <- is_relative(asked, plan$calendar)
    parts <- lapply(seq_along(asked), function(i) {
      resolve_phrases(asked[i], plan$calendar, if (relative[i]) day else plan$as_of, plan$first,
                      call)
    })
    do.call(Map, c(c, parts))
  }
  days$as_of <- NULL
  from <- pmax(days$from, plan$first, na.rm = TRUE)
  to <- pmin(days$to, plan$as_of)
  # How things stand is known on days without entries too.
  outside <- which(from > to | (from > plan$last & !has_levels(plan)))
  if (length(outside) > 0 && day == plan$as_of) {
    refuse_empty_span(days$label[outside[1]], days$from[outside[1]], days$to[outside[1]], plan,
                      call)
  }
  if (anyDuplicated(days$label)) {
    refuse("span",
           c(sprintf("Two spans have the label \"%s\".", days$label[anyDuplicated(days$label)]),
             i = "Give each a name, such as this = \"2026-08\"."), call = call)
  }
  cut <- from > days$from | to < days$to
  spans <- c(list(from = from, to = to, complete = days$complete & !cut, cut = cut),
             days[c("label", "own", "phrase", "note", "relative")])
  if (length(outside) > 0) spans <- lapply(spans, function(column) column[-outside])
  check_periods_once(plan, spans, call)
  spans
}

# The days that rows can have: without the periods, or spans, that `partial = "drop"` leaves out, so
# that headings, totals, shares and control totals speak of the rows shown. Where none is left, the
# days are those that were asked for.
shown_spans <- function(plan, spans) {
  if (plan$partial == "flag") return(spans)
  labels <- spans$label
  if (is.null(plan$per)) {
    stays <- !spans$cut
  } else {
    kept <- lapply(seq_along(spans$from), function(i) {
      periods <- periods_between(spans$from[i], spans$to[i], plan$per, plan$calendar)
      lapply(periods[c("from", "to")], function(days) days[periods$complete])
    })
    stays <- vapply(kept, function(days) length(days$from) > 0, TRUE)
    spans$from[stays] <- as.integer(vapply(kept[stays], function(days) min(days$from), 0))
    spans$to[stays] <- as.integer(vapply(kept[stays], function(days) max(days$to), 0))
    spans$complete[stays] <- TRUE
    spans$cut[stays] <- FALSE
  }
  if (!any(stays)) return(spans)
  left <- which(!stays)
  spans <- lapply(spans, function(column) column[stays])
  # What was asked up to a day is whole on that day; what the as-of day cuts is not.
  if (length(left) > 0) attr(spans, "left_out") <- sprintf(
    "Left out, as the as-of day cuts %s: %s.", if (length(left) == 1) "it" else "them",
    listed(labels[left]))
  spans
}

# A span made by span() from its record (span_list()); a phrase stays as it is.
made_span <- function(span) {
  if (!is.list(span) || inherits(span, "ledger_span") || !is.list(span[[1]]) ||
      is.null(span[[1]]$to)) return(span)
  of <- function(name, type) {
    vapply(span, function(row) if (is.null(row[[name]])) type[NA_integer_] else row[[name]], type)
  }
  day <- function(name) as_date(core_iso_days(of(name, "")))
  tibble::new_tibble(list(label = of("label", ""), from = day("from"), to = day("to"),
                          complete = of("complete", TRUE), phrase = of("phrase", ""),
                          note = of("note", "")), nrow = length(span), class = "ledger_span")
}

# Phrases as a record holds them: list(value, name) each.
phrase_records <- function(phrases) {
  named <- names(phrases) %||% rep("", length(phrases))
  Map(function(phrase, name) c(list(value = phrase), if (nzchar(name)) list(name = name)),
      unname(phrases), named, USE.NAMES = FALSE)
}

made_days <- function(span) {
  fixed <- paste(ifelse(is.na(span$from), "..", iso_day(day_numbers(span$from))),
                 iso_day(day_numbers(span$to)), sep = "/")
  list(label = span$label, own = fixed, from = day_numbers(span$from), to = day_numbers(span$to),
       complete = span$complete, phrase = span$phrase, note = span$note,
       relative = rep(FALSE, nrow(span)))
}

refuse_empty_span <- function(label, from, to, plan, call = caller_env()) {
  between <- if (is.na(from)) paste("up to", day_text(to))
             else paste(if (from == to) "on" else "in", days_text(from, to))
  refuse("span", c(
    sprintf("There are no entries %s (span \"%s\").", between, label),
    i = sprintf("The ledger runs from %s to %s, as of %s.", day_text(plan$first),
                day_text(plan$last), day_text(plan$as_of))
  ), phrase = label, call = call)
}

# A period of `per` must not stand in two spans.
check_periods_once <- function(plan, spans, call) {
  n <- length(spans$from)
  if (is.null(plan$per) || n < 2) return(invisible())
  at <- order(spans$from)
  if (any(spans$from[at][-1] <= spans$to[at][-n])) {
    refuse("span",
           c(sprintf("The spans of \"%s\" overlap, so a %s would stand in two of them.",
                     spans$phrase[1], plan$per),
             i = "Leave out {per} for a row per span."), call = call)
  }
}

# Notes of spans without an entry.
check_spans_hold_entries <- function(plan, call = caller_env()) {
  spans <- plan$spans
  held <- source_facts(plan_ledger(plan))$dates[[plan$on]]$held(spans$from, spans$to)
  # Within the ledger's days an empty span is zero, and said; beyond them it is a wrong question.
  within <- spans$from >= plan$first & spans$to <= plan$last
  if (!any(held | within) && !has_levels(plan)) {
    refuse_empty_span(spans$label[1], spans$from[1], spans$to[1], plan, call)
  }
  if (all(held)) return(NULL)
  sprintf("There are no entries in %s (%s).", span_text(spans$from[!held], spans$to[!held]),
          spans$label[!held])
}

# Each group's own latest entry up to the as-of day, by group number from 0; missing where it has
# none.
group_anchors <- function(plan) {
  x <- plan_ledger(plan)
  latest_days(x, entries_ask(plan), all_groups(groups_by(x, plan$by)), plan$as_of)
}

# Groups with the spans that are theirs: list(groups, spans), one for each day on which spans are
# anchored.
anchor_classes <- function(plan, groups) {
  if (is.null(plan$anchors)) return(list(list(groups = groups, spans = plan$spans)))
  days <- plan$anchors[groups + 1L]
  lapply(sort(unique(days)),
         function(day) list(groups = groups[days == day], spans = anchored_spans(plan, day)))
}

# Many groups share a day, and each verb asks again: worked out once per statement.
anchored_spans <- function(plan, day) {
  kept_in(ledger_cache(plan_ledger(plan)), list("spans of groups", plan$id, day),
          function() shown_spans(plan, spans_as_of(plan, day)), function(spans) 2000)
}

# Spans as stretches of days that neither overlap nor touch.
days_together <- function(spans) {
  at <- order(spans$from)
  from <- spans$from[at]
  reach <- cummax(spans$to[at])
  starts <- c(TRUE, from[-1] > reach[-length(reach)] + 1L)
  list(from = from[starts], to = reach[c(which(starts)[-1] - 1L, length(reach))])
}

# First and last day of the span that holds each row.
row_spans <- function(plan, rows) {
  if (is.null(plan$per)) return(rows[c("from", "to")])
  from <- to <- integer(length(rows$to))
  for (class in anchor_classes(plan, unique(rows$group))) {
    mine <- rows$group %in% class$groups
    spans <- lapply(class$spans[c("from", "to")], function(days) days[order(class$spans$from)])
    at <- pmax(findInterval(rows$to[mine], spans$from), 1L)
    from[mine] <- spans$from[at]
    to[mine] <- spans$to[at]
  }
  list(from = from, to = to)
}

# What is to be said of the days: weeks that do not exist, spans without entries, a first period
# that is cut.
span_notes <- function(plan) {
  known <- plan$spans$note[!is.na(plan$spans$note)]
  c(if (length(known) > 0) paste0(unique(known), "."), plan$empty, attr(plan$spans, "left_out"),
    cut_start_note(plan))
}

# A look-back that starts inside a period of `per`, and the phrase that would not.
cut_start_note <- function(plan) {
  spans <- plan$spans
  if (is.null(plan$per) || length(spans$from) != 1 || !spans$relative) return(NULL)
  periods <- periods_between(spans$from, spans$to, plan$per, plan$calendar)
  first <- periods_holding(spans$from, plan$per, plan$calendar)
  if (first$first == spans$from || spans$from == plan$first) return(NULL)
  sprintf("The span starts inside %s; \"latest %s\" would start on its first day, %s.", first$label,
          counted_units(length(periods$label), plan$per), day_text(first$first))
}

# The days of a statement in words.
spans_text <- function(plan) {
  spans <- plan$spans
  phrases <- unique(spans$phrase)
  if (!is.null(plan$anchors))
    return(sprintf("%s up to each %s's own latest entry", listed(phrases, most = 3),
                   listed(plan$by)))
  if (length(spans$from) == 1) {
    said <- if (plan$asked$made) spans$label else if (spans$relative) phrases
    return(paste0(days_text(spans$from, spans$to), if (!is.null(said)) sprintf(" (%s)", said)))
  }
  sprintf("%d spans%s within %s", length(spans$from),
          if (length(phrases) == 1) sprintf(" (%s)", phrases) else "",
          days_text(min(spans$from), max(spans$to)))
}

as_of_text <- function(plan) {
  as_known <- if (!is.null(plan$known)) paste(", as known on", day_text(plan$known))
  if (is.null(plan$anchors)) return(paste0("as of ", day_text(plan$as_of), as_known))
  sprintf("as of %s", days_text(min(plan$anchors, na.rm = TRUE), max(plan$anchors, na.rm = TRUE)))
}

# ---- a phrase by itself ----------------------------------------------------------

#' @rdname span
#' @usage NULL
#' @export
span.ledger <- function(phrase, calendar = ledger_calendar(), as_of = NULL, first = NULL) {
  facts <- source_facts(calendar)
  as_of <- if (is.null(as_of)) facts$as_of else one_day(as_of, "as_of")
  first <- if (is.null(first)) facts$dates[[1]]$first else one_day(first, "first")
  new_ledger_span(resolve_phrases(phrase, facts$calendar, as_of, first), facts$calendar)
}

# The stretches of days that a statement's rows are made of, where it has members.
plan_stretches <- function(plan) {
  if (is.null(plan$by) || plan$anchor == "group" || has_levels(plan)) return(NULL)
  periods <- statement_periods(plan, plan$spans)
  stretches_between(c(periods$from, plan$spans$from), c(periods$to, plan$spans$to))
}
