# What is done on the page, as data: an act is a list of texts, list(do, ...), and gives the next
# state from this one, or is refused. Nothing is worked out here.

# The next state. `offers` is list(ledger, tables).
acted <- function(state, act, offers) {
  rlang::local_options(rollingledger.reader = "page")
  do <- act$do
  if (!rlang::is_string(do) || is.null(explore_acts[[do]])) {
    refuse("choice", sprintf("The page has no act \"%s\".",
                             shortened_text(plain_text(do %||% "")[1])), call = NULL)
  }
  out <- explore_acts[[do]](state, act, offers)
  problems <- schema_problems(out, explore_schema())
  if (length(problems) > 0) {
    refuse("choice", c(paste0(path_words(problems[[1]]$path), ": ", problems[[1]]$says),
                       as_hints(problems[[1]]$hint)), call = NULL)
  }
  out
}

act_text <- function(act, name) {
  value <- act[[name]]
  if (is.null(value) || rlang::is_string(value)) return(value)
  refuse("choice", sprintf("`%s` of the act \"%s\" must be one text.", name, act$do), call = NULL)
}

act_number <- function(act, name, most, least = 1) {
  value <- suppressWarnings(as.numeric(act_text(act, name) %||% NA))
  if (is.na(value) || value < least || value > most || value != round(value)) {
    refuse("choice", sprintf("`%s` of the act \"%s\" must be a number from %s to %s.", name, act$do,
                             least, most), call = NULL)
  }
  value
}

panel_at <- function(state) {
  at <- suppressWarnings(as.integer(state$at %||% "1"))
  if (is.na(at)) 1L else min(max(at, 1L), length(state$panels))
}

panel_now <- function(state) state$panels[[panel_at(state)]]

# The state with the panel that is pointed at changed. A figure whose entries are shown is left.
with_panel <- function(state, change, ...) {
  at <- panel_at(state)
  state$panels[[at]] <- change(state$panels[[at]], ...)
  state["behind"] <- NULL
  state
}

with_statement <- function(state, change) {
  with_panel(state, function(panel) {
    panel$statement <- change(panel$statement)
    panel
  })
}

# One value or none; none takes the key away.
with_key <- function(tree, key, value) {
  if (is.null(value) || identical(value, "") || length(value) == 0) tree[key] <- NULL
  else tree[[key]] <- value
  tree
}

# ---- when ------------------------------------------------------------------------------------

# The days: those of the panel where it has its own, the page's otherwise.
with_span <- function(state, phrase) {
  if (is.null(phrase) || !nzchar(trimws(phrase)))
    refuse("choice", "A span is a phrase, such as \"last 12 months\" or 2026-Q3.", call = NULL)
  check_phrase_text(phrase)
  state["behind"] <- NULL
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
  own <- panel_now(state)$statement
  span <- own$span %||% if (is.null(own$spans)) state$span
  if (rlang::is_string(span)) span else unname(unlist(span %||% own$spans))[1] %||% "all"
}

# ---- the acts ----------------------------------------------------------------------------------

explore_acts <- list(
  # when
  span = function(state, act, offers) with_span(state, act_text(act, "value")),
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
    with_key(state, "second", value)
  },
  second_equal = function(state, act, offers) {
    state$second <- phrase_now(state)
    state
  },
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
  },
  # what
  grain = function(state, act, offers) {
    value <- act_text(act, "value")
    state <- with_statement(state, function(tree) with_key(tree, "per", value))
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
      if (is.null(name) || !nzchar(trimws(name)))
        name <- free_name(name_for_measure(code), names(known))
      known[[name]] <- code
      tree$measures <- known
      tree
    })
  },
  measure_without = function(state, act, offers) {
    name <- act_text(act, "value")
    with_panel(state, function(panel) panel_without_measure(panel, name))
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
      if (fields_of(verb)[[field]]$kind %in% c("texts", "choices")) value <- several_texts(value)
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
  },
  # which
  condition = function(state, act, offers) {
    with_panel(state, with_condition, act_text(act, "value") %||% "")
  },
  members = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    only <- act_text(act, "only")
    with_panel(state, function(panel) {
      now <- members_meant(members_chip(panel, column) %||% "") %||%
        list(members = character(), missing = FALSE)
      if (!is.null(act$missing)) {
        alone <- identical(act_text(act, "missing"), "only")
        return(with_members(panel, column, if (alone) character() else now$members,
                            alone || !now$missing))
      }
      if (!is.null(only)) return(with_members(panel, column, only, FALSE))
      value <- act_text(act, "value")
      members <- if (value %in% now$members) setdiff(now$members, value) else c(now$members, value)
      with_members(panel, column, members, now$missing)
    })
  },
  numbers = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    given <- function(name) if (nzchar(act_text(act, name) %||% "")) act_text(act, name)
    with_panel(state, with_condition, number_condition(column, given("from"), given("to")))
  },
  text = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    sought <- act_text(act, "value") %||% ""
    if (!nzchar(sought)) refuse("choice", "Say a text to look for.", call = NULL)
    with_panel(state, with_condition,
               sprintf("has_text(%s, %s)", name_text(column), value_text(sought)))
  },
  narrow = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    sought <- act_text(act, "value") %||% ""
    with_panel(state, function(panel) {
      now <- narrowed_by(panel)$condition
      on <- setdiff(panel_conditions(panel), now)
      new <- if (nzchar(sought)) sprintf("has_text(%s, %s)", name_text(column), value_text(sought))
      with_conditions(panel, c(on, new), setdiff(unlist(panel$off), now))
    })
  },
  condition_switch = function(state, act, offers) {
    text <- act_text(act, "value")
    with_panel(state, function(panel) {
      on <- panel_conditions(panel)
      off <- as.character(unlist(panel$off))
      if (text %in% on) with_conditions(panel, setdiff(on, text), c(off, text))
      else if (text %in% off) with_conditions(panel, c(on, text), setdiff(off, text))
      else panel
    })
  },
  condition_without = function(state, act, offers) {
    text <- act_text(act, "value")
    with_panel(state, function(panel) {
      with_conditions(panel, setdiff(panel_conditions(panel), text),
                      setdiff(unlist(panel$off), text))
    })
  },
  column = function(state, act, offers) {
    state["seek"] <- NULL
    with_key(state, "column", one_of(act_text(act, "value"), source_column_names(offers$ledger),
                                     "column"))
  },
  seek = function(state, act, offers) with_key(state, "seek", act_text(act, "value")),
  # look
  look = function(state, act, offers) {
    look <- one_of(act_text(act, "value"), names(explore_looks()), "look")
    level <- state$level %||% "month"
    if (level == "day") level <- "month"
    state <- with_panel(state, panel_for_look, look, offers, level)
    if (look == "compare_spans" && is.null(state$second))
      state$second <- second_that_fits(state, offers$ledger)
    state
  },
  look_set = function(state, act, offers) {
    with_panel(state, function(panel) {
      look <- look_of(panel)
      value <- act_text(act, "value")
      field <- act_text(act, "field")
      if (identical(field, "draw")) value <- several_texts(value)
      panel$look[[look]] <- with_key(panel$look[[look]] %||% list(), field, value)
      panel
    })
  },
  # panels
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
  # entries behind
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

# "income, trips" as two texts.
several_texts <- function(text) {
  parts <- trimws(strsplit(text %||% "", ",", fixed = TRUE)[[1]])
  as.list(parts[nzchar(parts)])
}

# "total(fare)" is called "fare", "distinct(account)" "account".
name_for_measure <- function(code) {
  expr <- tryCatch(text_expression(code), error = function(e) NULL)
  if (is.call(expr) && length(expr) > 1 && is.symbol(expr[[2]])) {
    fun <- called_name(expr)
    name <- as.character(expr[[2]])
    return(if (fun == "total") name else paste(fun, name, sep = "_"))
  }
  if (is.call(expr) && rlang::is_call(expr, "entries")) "entries" else "measure"
}
