# Acts on days: the page's, a panel's own, the second span, the date basis.

# The days: those of the panel where it has its own, the page's otherwise.
with_span <- function(state, phrase) {
  if (is.null(phrase) || !nzchar(trimws(phrase)))
    refuse("choice", "A span is a phrase, such as \"last 12 months\" or 2026-Q3.", call = NULL)
  check_phrase_text(phrase)
  state["behind"] <- NULL
  # What stands out has days of its own, whose finished periods are looked at.
  if (look_of(panel_now(state)) == "stands_out") {
    return(with_panel(state, function(panel) {
      panel$look$stands_out <- with_key(panel$look$stands_out, "span", phrase)
      panel
    }))
  }
  if (!has_own_days(panel_now(state))) {
    state$span <- phrase
    return(state)
  }
  with_statement(state, function(tree) {
    tree["spans"] <- NULL
    tree$span <- phrase
    tree
  })
}

has_own_days <- function(panel) !is.null(panel$statement$span) || !is.null(panel$statement$spans)

# The days that count now, as a phrase.
phrase_now <- function(state) {
  if (look_of(panel_now(state)) == "stands_out") return(span_looked_at(panel_now(state)))
  own <- panel_now(state)$statement
  span <- own$span %||% if (is.null(own$spans)) state$span
  if (is_by_grain(span)) span <- span[[own$per]] %||% span
  if (rlang::is_string(span)) span else unname(unlist(span %||% own$spans))[1] %||% "all"
}

# The second span, shown by a look that holds against it.
with_second <- function(state, phrase, offers) {
  state <- with_key(state, "second", phrase)
  look <- look_of(panel_now(state))
  if (!is.null(panel_now(state)$look[[look]]$before)) {
    state <- with_panel(state, function(panel) {
      panel$look[[look]]["before"] <- NULL
      panel
    })
  }
  if (nzchar(phrase %||% "") && !holds_against(look))
    return(with_panel(state, panel_for_look, "compare_spans", offers))
  # None given: those that fit.
  if (holds_against(look)) second_for_look(state, offers$ledger) else state
}

acts_on_days <- list(
  span = function(state, act, offers) with_span(state, act_text(act, "value")),
  # Another span as a column of its own, or one less.
  span_beside = function(state, act, offers) {
    phrase <- act_text(act, "value") %||% ""
    check_phrase_text(phrase)
    now <- unlist(panel_now(state)$statement$spans) %||% phrase_now(state)
    now <- unname(if (phrase %in% now) setdiff(now, phrase) else c(now, phrase))
    if (length(now) < 2) return(with_span(state, now %||% phrase))
    with_panel(state, function(panel) {
      tree <- panel$statement
      tree[c("span", "per")] <- NULL
      tree$spans <- as.list(now)
      panel$statement <- parts_that_fit(tree)
      panel_for_look(panel, "cross_table", offers)
    })
  },
  run = function(state, act, offers) {
    periods <- strip_periods(offers$ledger, state)
    n <- length(periods$label)
    ends <- sort(c(act_number(act, "from", n), act_number(act, "to", n)))
    with_span(state, run_phrase(periods, ends[1], ends[2]))
  },
  move = function(state, act, offers) {
    with_span(state, moved_phrase(state, offers$ledger, act_number(act, "value", 1, -1)))
  },
  second = function(state, act, offers) {
    value <- act_text(act, "value")
    if (!is.null(value) && nzchar(value)) check_phrase_text(value)
    with_second(state, value, offers)
  },
  second_equal = function(state, act, offers) with_second(state, phrase_now(state), offers),
  level = function(state, act, offers) {
    state$level <- one_of(act_text(act, "value"), calendar_grain_names(offers$ledger), "level")
    state
  },
  on = function(state, act, offers) {
    state["behind"] <- NULL
    with_key(state, "on", one_of(act_text(act, "value"),
                                 names(source_facts(offers$ledger)$dates), "on"))
  },
  as_of = function(state, act, offers) {
    state["behind"] <- NULL
    value <- act_text(act, "value")
    if (nzchar(value %||% "")) check_as_of_day(value, state, offers$ledger)
    with_key(state, "as_of", value)
  },
  follow = function(state, act, offers) {
    with_statement(state, function(tree) {
      tree[c("span", "spans")] <- NULL
      tree
    })
  },
  own_days = function(state, act, offers) {
    phrase <- phrase_now(state)
    with_statement(state, function(tree) {
      tree$span <- tree$span %||% phrase
      tree
    })
  }
)
