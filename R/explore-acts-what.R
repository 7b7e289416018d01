# Acts on what is asked: grain, attributes, measures, steps.

acts_on_question <- list(
  grain = function(state, act, offers) {
    value <- act_text(act, "value")
    was <- panel_now(state)$statement$per
    state <- with_statement(state, function(tree) {
      # Spans side by side are rows of their own.
      if (nzchar(value %||% "")) tree["spans"] <- NULL
      with_key(tree, "per", value)
    })
    state <- with_look_back(state, was, panel_now(state)$statement$per)
    with_panel(state, function(panel) panel_for_question(panel, offers))
  },
  by = function(state, act, offers) {
    name <- act_text(act, "value")
    state <- with_statement(state, function(tree) {
      now <- as.character(unlist(tree$by))
      with_key(tree, "by", as.list(if (name %in% now) setdiff(now, name) else c(now, name)))
    })
    with_panel(state, function(panel) panel_for_question(panel, offers))
  },
  measure = function(state, act, offers) {
    code <- act_text(act, "code")
    name <- act_text(act, "name")
    if (is.null(code) || !nzchar(trimws(code)))
      refuse("choice", "A measure is code such as total(fare) or entries().", call = NULL)
    check_code(code, "expression")
    with_statement(state, function(tree) {
      known <- tree$measures %||% list(entries = "entries()")
      # What is measured already is not measured twice, unless it is to be called otherwise.
      if (is.null(name) && code %in% known) return(tree)
      if (is.null(name) || !nzchar(trimws(name)))
        name <- free_name(name_for_measure(code), names(known))
      known[[name]] <- code
      tree$measures <- known
      tree
    })
  },
  # One measure by another.
  measure_pair = function(state, act, offers) {
    with_statement(state, function(tree) {
      known <- tree$measures %||% list(entries = "entries()")
      a <- one_of(act_text(act, "a"), names(known), "a")
      b <- one_of(act_text(act, "b"), names(known), "b")
      how <- one_of(act_text(act, "how"), names(pair_ways), "how")
      name <- name_of_pair_of_measures(a, pair_ways[[how]], b)
      known[[free_name(name, names(known))]] <- sprintf("%s %s %s", name_text(a), pair_ways[[how]],
                                                        name_text(b))
      tree$measures <- known
      tree
    })
  },
  measure_without = function(state, act, offers) {
    name <- act_text(act, "value")
    with_panel(state, function(panel) panel_without_measure(panel, name, offers))
  },
  set = function(state, act, offers) {
    with_statement(state, function(tree) {
      field <- one_of(act_text(act, "field"), names(fields_of("statement")), "field")
      with_key(tree, field, act_text(act, "value"))
    })
  },
  step = function(state, act, offers) {
    verb <- one_of(act_text(act, "value"), statement_steps(), "step")
    with_statement(state, function(tree) {
      with_step(tree, verb, new_step(verb, tree, offers$tables))
    })
  },
  step_set = function(state, act, offers) {
    with_statement(state, function(tree) {
      at <- act_number(act, "step", length(steps_of(tree)))
      verb <- step_verb(tree$steps[[at]])
      field <- one_of(act_text(act, "field"), names(fields_of(verb)), "field")
      value <- act_text(act, "value")
      kind <- fields_of(verb)[[field]]$kind
      if (kind %in% c("texts", "choices")) value <- several_texts(value)
      if (kind == "phrases") value <- several_phrases(value)
      tree$steps[[at]][[verb]] <- step_that_fits(
        with_key(tree$steps[[at]][[verb]], field, value), verb, field)
      tree
    })
  },
  step_without = function(state, act, offers) {
    with_panel(state, function(panel) {
      panel$statement$steps[[act_number(act, "step", length(steps_of(panel$statement)))]] <- NULL
      if (length(panel$statement$steps) == 0) panel$statement["steps"] <- NULL
      panel
    })
  }
)

# "fare" and "entries" as "fare_per_entries".
name_of_pair_of_measures <- function(a, sign, b) {
  paste(a, c("/" = "per", "-" = "less", "+" = "and")[[sign]], b, sep = "_")
}

# "total(fare)" is called "fare", "distinct(account)" "account".
name_for_measure <- function(code) {
  expr <- tryCatch(text_expression(code), error = function(e) NULL)
  fun <- if (is.call(expr)) called_name(expr) else ""
  if (fun %in% pair_ways && length(expr) == 3 && is.symbol(expr[[2]]) && is.symbol(expr[[3]]))
    return(name_of_pair_of_measures(as.character(expr[[2]]), fun, as.character(expr[[3]])))
  if (fun %in% pair_ways) return("measure")
  if (is.call(expr) && length(expr) > 1 && is.symbol(expr[[2]])) {
    name <- as.character(expr[[2]])
    return(if (fun == "total") name else paste(fun, name, sep = "_"))
  }
  if (is.call(expr) && rlang::is_call(expr, "entries")) "entries" else "measure"
}
