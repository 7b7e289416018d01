# What is done on the page, as data: an act is a list of texts, list(do, ...), and gives the next
# state from this one, or is refused. Nothing is worked out here.

# The next state. `offers` is list(ledger, tables).
acted <- function(state, act, offers) {
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

# ---- what: steps and looks ---------------------------------------------------------------------

steps_of <- function(tree) tree$steps %||% list()

step_verb <- function(step) names(step)[1]

has_step <- function(panel, verb) {
  any(vapply(steps_of(panel$statement), step_verb, "") == verb)
}

measures_of <- function(tree) names(tree$measures) %||% "entries"

with_step <- function(tree, verb, args) {
  tree$steps <- c(steps_of(tree), list(stats::setNames(list(args), verb)))
  tree
}

# A new step of a verb, with what it needs.
new_step <- function(verb, tree, tables) {
  m <- measures_of(tree)[1]
  switch(verb,
    add_rolling = list(m = m, over = "30 days"),
    add_running = list(m = m, since = "year"),
    add_change = list(m = m, from = if (is.null(tree$per)) "1 year back" else "period before"),
    # What one ranking left over cannot be ranked again.
    add_rank = if (has_step(list(statement = tree), "add_rank")) list(m = m)
               else list(m = m, keep = "3", rest = "All others"),
    add_target = list(m = m, targets = if (length(tables) > 0) names(tables)[1] else "0"),
    list(m = m)
  )
}

# What a look needs of its question: a grain, a ranking, a change.
panel_for_look <- function(panel, look, offers, level = "month") {
  tree <- panel$statement
  timed <- c("figure_trend", "figure_columns", "figure_leaders", "figure_years", "figure_members")
  if (look %in% timed && is.null(tree$per)) tree$per <- level
  if (look == "figure_years" && tree$per %in% c("year", "fiscal year")) tree$per <- "month"
  if (look == "figure_days") tree$per <- "day"
  if (look == "compare_spans") tree["per"] <- NULL
  if (look %in% c("figure_years", "figure_days") && length(tree$by) > 0) tree["by"] <- NULL
  # A change has one value for each period, or for each member.
  if (look == "figure_change" && length(tree$by) > 0) tree["per"] <- NULL
  tree <- parts_that_fit(tree)
  if (look == "figure_leaders") {
    if (length(tree$by) == 0) tree$by <- as.list(first_attribute(offers$ledger))
    if (!has_step(list(statement = tree), "add_rank"))
      tree <- with_step(tree, "add_rank", new_step("add_rank", tree, offers$tables))
  }
  if (look == "figure_change" && !has_step(list(statement = tree), "add_change"))
    tree <- with_step(tree, "add_change", new_step("add_change", tree, offers$tables))
  if (look == "figure_members" && !counts_members(tree)) {
    column <- code_name_of_members(offers$ledger)
    tree["by"] <- NULL
    tree$steps <- NULL
    tree$measures <- list(new = sprintf("newcomers(%s)", column),
                          kept = sprintf("returning(%s)", column),
                          lost = sprintf("lapsed(%s)", column))
  }
  panel$statement <- tree
  args <- if (look == "cross_table")
    list(across = if (is.null(tree$per)) "span" else "period", down = "figures")
  panel$look <- stats::setNames(list(args %||% list()), look)
  panel
}

# Members are ranked where there are some, and are lost from a period to the next.
parts_that_fit <- function(tree) {
  if (length(tree$by) == 0) {
    tree <- with_key(tree, "steps", Filter(function(step) step_verb(step) != "add_rank",
                                           steps_of(tree)))
  }
  loses <- function(code) grepl("\\blapsed\\(", code)
  lost <- if (is.null(tree$per)) names(Filter(loses, tree$measures))
  for (name in lost) tree <- tree_without_measure(tree, name)
  tree
}

counts_members <- function(tree) sum(grepl("^(newcomers|returning|lapsed)\\(", tree$measures)) > 1

# The attribute whose members come and go: the one with the most of them, short of a name for each
# entry.
code_name_of_members <- function(x) {
  names <- attribute_names(x)
  if (length(names) == 0) refuse("choice", "The ledger has no attribute to count.", call = NULL)
  count <- vapply(names, function(name) length(source_members(x, name)$values), 0L)
  some <- count <= entries_used(x) / 2
  if (!any(some)) some[] <- TRUE
  name_text(names[some][which.max(count[some])])
}

# ---- which: conditions -------------------------------------------------------------------------

panel_conditions <- function(panel) as.character(unlist(panel$statement$where))

with_conditions <- function(panel, on, off = unlist(panel$off)) {
  panel$statement <- with_key(panel$statement, "where", as.list(on))
  with_key(panel, "off", as.list(setdiff(off, on)))
}

with_condition <- function(panel, text) {
  check_code(text, "condition")
  with_conditions(panel, union(panel_conditions(panel), text), setdiff(unlist(panel$off), text))
}

# A condition on members, in place of the one there was on the same attribute.
members_condition <- function(column, members, missing = FALSE) {
  name <- name_text(column)
  held <- if (length(members) == 1) sprintf("%s == %s", name, value_text(members))
          else if (length(members) > 1)
            sprintf("%s %%in%% c(%s)", name,
                    paste(vapply(members, value_text, ""), collapse = ", "))
  if (!missing) return(held)
  absent <- sprintf("is_missing(%s)", name)
  if (is.null(held)) absent else paste(held, "|", absent)
}

# The members that a condition of this kind holds: list(column, members, missing), or NULL.
members_meant <- function(text) {
  expr <- tryCatch(text_expression(text), error = function(e) NULL)
  of <- function(expr) {
    if (!is.call(expr)) return(NULL)
    fun <- called_name(expr)
    args <- as.list(expr)[-1]
    if (fun == "(") return(of(args[[1]]))
    if (fun == "is_missing" && is.symbol(args[[1]]))
      return(list(column = as.character(args[[1]]), members = character(), missing = TRUE))
    if (!fun %in% c("==", "%in%") || !is.symbol(args[[1]])) return(NULL)
    values <- if (is.call(args[[2]]) && identical(args[[2]][[1]], quote(c)))
      as.list(args[[2]])[-1] else args[2]
    if (!all(vapply(values, function(v) is.character(v) || is.numeric(v), TRUE))) return(NULL)
    list(column = as.character(args[[1]]),
         members = vapply(values, plain_text, "", USE.NAMES = FALSE), missing = FALSE)
  }
  if (is.call(expr) && called_name(expr) %in% c("|", "||")) {
    parts <- lapply(as.list(expr)[-1], of)
    if (any(vapply(parts, is.null, TRUE))) return(NULL)
    columns <- vapply(parts, function(part) part$column, "")
    if (length(unique(columns)) > 1) return(NULL)
    return(list(column = columns[1], members = unlist(lapply(parts, function(p) p$members)),
                missing = any(vapply(parts, function(p) p$missing, TRUE))))
  }
  of(expr)
}

# Which condition of the panel names members of this attribute: its text, or NULL.
members_chip <- function(panel, column) {
  texts <- c(panel_conditions(panel), unlist(panel$off))
  for (text in texts) {
    if (identical(members_meant(text)$column, column)) return(text)
  }
  NULL
}

with_members <- function(panel, column, members, missing) {
  old <- members_chip(panel, column)
  on <- setdiff(panel_conditions(panel), old)
  off <- setdiff(unlist(panel$off), old)
  new <- if (length(members) > 0 || missing) members_condition(column, members, missing)
  with_conditions(panel, c(on, new), off)
}

# The condition by which a search narrows what is counted: list(column, text, condition), or NULL.
narrowed_by <- function(panel) {
  for (text in panel_conditions(panel)) {
    expr <- tryCatch(text_expression(text), error = function(e) NULL)
    if (is.call(expr) && called_name(expr) == "has_text" && length(expr) == 3 &&
        is.symbol(expr[[2]]) && is.character(expr[[3]])) {
      return(list(column = as.character(expr[[2]]), text = expr[[3]], condition = text))
    }
  }
  NULL
}

# Values of numbers stand without quotes in conditions; texts of digits are compared as texts.
number_condition <- function(column, from, to) {
  name <- name_text(column)
  for (end in c(from, to)) {
    if (!is_plain_number(end))
      refuse("choice", sprintf("%s must be a number, not \"%s\".", column, shortened_text(end)),
             call = NULL)
  }
  parts <- c(if (!is.null(from)) sprintf("%s >= %s", name, from),
             if (!is.null(to)) sprintf("%s <= %s", name, to))
  if (length(parts) == 0) refuse("choice", "Say a number to begin or to end with.", call = NULL)
  paste(parts, collapse = " & ")
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
      tree$steps[[at]][[verb]] <- with_key(tree$steps[[at]][[verb]], field, value)
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
    level <- if (isTRUE(state$level %in% c("day", NULL))) "month" else state$level %||% "month"
    state <- with_panel(state, panel_for_look, look, offers, level)
    if (look == "compare_spans" && is.null(state$second))
      state$second <- paste0(phrase_now(state), ", 1 year back")
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

panel_without_measure <- function(panel, name) {
  if (length(panel$statement$measures) < 2)
    refuse("choice", "A question has at least one measure.", call = NULL)
  panel$statement <- tree_without_measure(panel$statement, name)
  panel$look <- stats::setNames(list(list()), look_of(panel))
  panel
}

tree_without_measure <- function(tree, name) {
  tree$measures[[name]] <- NULL
  if (length(tree$measures) == 0) tree$measures <- list(entries = "entries()")
  with_key(tree, "steps", Filter(function(step) !identical(step[[1]]$m, name), steps_of(tree)))
}

# After a change of what the rows are, a look that cannot show them gives way to one that can.
panel_for_question <- function(panel, offers) {
  panel$statement <- parts_that_fit(panel$statement)
  tree <- panel$statement
  look <- look_of(panel)
  no_periods <- is.null(tree$per)
  many <- length(tree$by) > 0
  fits <- switch(look,
    figure_trend = , figure_members = !no_periods,
    figure_leaders = !no_periods && many,
    figure_years = !no_periods && !many && !tree$per %in% c("year", "fiscal year"),
    figure_days = identical(tree$per, "day") && !many,
    compare_spans = no_periods,
    figure_change = no_periods || !many,
    TRUE)
  if (!fits) {
    panel$look <- if (no_periods || look == "compare_spans") list(table = list())
                  else list(figure_columns = list())
  }
  if (look == "cross_table") panel$look <- panel_for_look(panel, look, offers)$look
  panel
}
