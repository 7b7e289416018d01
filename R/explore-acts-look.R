# Acts on how it is shown: looks, panels, the entries behind a figure.

acts_on_looks <- list(
  look = function(state, act, offers) {
    look <- one_of(act_text(act, "value"), names(explore_looks()), "look")
    level <- state$level %||% "month"
    if (level == "day") level <- "month"
    state <- with_panel(state, panel_for_look, look, offers, level)
    if (holds_against(look)) second_for_look(state, offers$ledger) else state
  },
  look_set = function(state, act, offers) {
    with_panel(state, function(panel) {
      look <- look_of(panel)
      value <- act_text(act, "value")
      field <- act_text(act, "field")
      if (look == "reconcile" && identical(field, "against")) {
        fit <- reconcile_that_fits(panel$statement, offers,
                                   one_of(value, names(offers$tables), "table"))
        panel$statement <- fit$tree
        panel$look[[look]] <- fit$args
        return(panel)
      }
      if (identical(field, "draw")) value <- several_texts(value)
      if (identical(fields_of(look)[[field]]$kind, "phrases")) value <- several_phrases(value)
      panel$look[[look]] <- with_key(panel$look[[look]] %||% list(), field, value)
      panel
    })
  },
  # Which line of what stands out is drawn.
  line = function(state, act, offers) {
    at <- act_number(act, "panel", length(state$panels))
    state$at <- digits_text(at)
    with_panel(state, function(panel) {
      look <- one_of(look_of(panel), "stands_out", "look")
      panel$look[[look]] <- with_key(panel$look[[look]] %||% list(), "line", act_text(act, "value"))
      panel
    })
  },
  # A key of the table that is tied to, by the statement's own.
  look_key = function(state, act, offers) {
    with_panel(state, function(panel) {
      look <- one_of(look_of(panel), "reconcile", "look")
      key <- one_of(act_text(act, "field"), reconciled_with(panel$statement), "field")
      panel$look[[look]]$by <- with_key(as.list(panel$look[[look]]$by), key, act_text(act, "value"))
      panel
    })
  },
  panel = function(state, act, offers) {
    state$at <- digits_text(act_number(act, "value", length(state$panels)))
    state
  },
  panel_more = function(state, act, offers) {
    if (length(state$panels) >= explore_limits$panels)
      refuse("choice", sprintf("A page has at most %d panels.", explore_limits$panels), call = NULL)
    state$panels <- c(state$panels, list(panel_now(state)))
    state$at <- digits_text(length(state$panels))
    state["behind"] <- NULL
    state
  },
  panel_without = function(state, act, offers) {
    if (length(state$panels) == 1) refuse("choice", "A page has at least one panel.", call = NULL)
    state$panels[[panel_at(state)]] <- NULL
    state$at <- digits_text(min(panel_at(state), length(state$panels)))
    state["behind"] <- NULL
    state
  },
  heading = function(state, act, offers) {
    with_panel(state, with_key, "heading", act_text(act, "value"))
  },
  own_text = function(state, act, offers) {
    with_panel(state, with_key, "text", act_text(act, "value"))
  },
  # Why a figure differs from what it was: a panel of its own, of that figure's days and group.
  why = function(state, act, offers) {
    span <- act_text(act, "span") %||% phrase_now(state)
    check_phrase_text(span)
    name <- act_text(act, "figure")
    now <- panel_now(state)
    tree <- now$statement
    measures <- tree$measures %||% list(entries = "entries()")
    if (!isTRUE(name %in% names(measures))) name <- names(measures)[1]
    own <- c(list(measures = measures[name], span = span), tree[intersect(names(tree), c(
      "on", "as_of", "where"))])
    panel <- list(statement = own, look = list(why_changed = list(
      before = paste0(span, ", 1 year back"))))
    where <- act_text(act, "where")
    for (text in if (nzchar(where %||% "")) conditions_apart(where)) {
      panel <- with_condition(panel, text)
    }
    state["behind"] <- NULL
    if (length(state$panels) < explore_limits$panels) {
      state$panels <- c(state$panels, list(panel))
      state$at <- digits_text(length(state$panels))
    } else state$panels[[panel_at(state)]] <- panel
    state
  },
  behind = function(state, act, offers) {
    at <- act_number(act, "panel", length(state$panels))
    row <- act_text(act, "row")
    state$at <- digits_text(at)
    state$behind <- list(panel = digits_text(at), row = row, figure = act_text(act, "figure"),
                         span = act_text(act, "span"))
    state$behind <- state$behind[lengths(state$behind) > 0]
    state
  },
  behind_set = function(state, act, offers) {
    if (is.null(state$behind)) refuse("choice", "No entries are shown.", call = NULL)
    field <- one_of(act_text(act, "field"), c("seek", "order", "page"), "field")
    value <- act_text(act, "value")
    if (field == "order" && identical(state$behind$order, value)) {
      state$behind$down <- if (identical(state$behind$down, "yes")) "no" else "yes"
    } else state$behind <- with_key(state$behind, field, value)
    if (field != "page") state$behind["page"] <- NULL
    state
  },
  back = function(state, act, offers) {
    state["behind"] <- NULL
    state
  }
)
