# From a panel of the page to its question, and to the answer that everyone else gets: the page
# works nothing out itself.

# The tree of a panel's statement with the page's days, date basis and as-of day where it has none
# of its own.
panel_tree <- function(state, panel) {
  tree <- panel$statement
  if (!has_own_days(panel)) tree$span <- state$span %||% "all"
  if (look_of(panel) == "stands_out") {
    tree$per <- tree$per %||% "week"
    tree$span <- span_looked_at(panel)
  }
  tree$on <- tree$on %||% state$on
  tree$as_of <- tree$as_of %||% state$as_of
  tree$measures <- tree$measures %||% list(entries = "entries()")
  tree[lengths(tree) > 0]
}

# The question of a panel as it stands: list(ledger, statement, steps, show). `as_table` leaves out
# what is shown of the statement.
panel_question <- function(state, panel, offers, as_table = FALSE) {
  tree <- panel_tree(state, panel)
  record <- source_facts(offers$ledger)$given
  look <- look_of(panel)
  if (asks_ledger(look) && !as_table) {
    asked <- if (look == "stands_out") unusual_record(state, panel, offers$ledger)
             else compared_record(state, panel)
    return(as_question(list(ledger = record, show = list(asked))))
  }
  args <- panel$look[[look]] %||% list()
  show <- if (!as_table && look != "table" && !asks_ledger(look))
    list(tables_offered(show_record(look, args, NULL), offers))
  as_question(list(ledger = record, statement = statement_record(tree, NULL),
                   steps = lapply(step_records(tree$steps, NULL), tables_offered,
                                  offers = offers),
                   show = show))
}

# The record of a comparison of the page's days with the second span: of spans, or of members.
compared_record <- function(state, panel) {
  look <- look_of(panel)
  tree <- panel_tree(state, panel)
  span <- tree$span
  if (!rlang::is_string(span)) {
    refuse("choice", c("Two spans need one span to compare with another.",
                       i = "Let the panel follow the page's days."), call = NULL)
  }
  # One that was asked of a figure has days of its own on both sides.
  second <- panel$look[[look]]$before %||% state$second %||% paste0(span, ", 1 year back")
  own <- tree[intersect(names(tree), setdiff(names(fields_of(look)), "..."))]
  spans <- switch(look,
    compare_spans = list(a = span, b = second),
    compare_members = list(member = panel$look[[look]]$member, now = span, before = second),
    utils::modifyList(panel$look[[look]] %||% list(), list(now = span, before = second)))
  record <- verb_record(look, c(spans, own), NULL)
  measures <- measure_record(unlist(tree$measures))
  record$measures <- if (look == "why_changed") measures[1] else measures
  c(list(show = look), record)
}

# The record of what stands out of a panel's members, by those of its measures of which something
# can be expected.
unusual_record <- function(state, panel, x) {
  tree <- panel_tree(state, panel)
  args <- panel$look$stands_out
  own <- tree[intersect(names(tree), setdiff(names(fields_of("stands_out")), "..."))]
  record <- verb_record("stands_out", c(own, args[setdiff(names(args), c("line", "span"))]), NULL)
  measures <- measures_that(tree, x, way_of_looking)
  if (length(measures) == 0) measures <- list(entries = "entries()")
  record$measures <- measure_record(unlist(measures))
  c(list(show = "stands_out"), record)
}

# The tables of a record are those that were offered, by their names.
tables_offered <- function(record, offers) {
  lapply(record, function(value) {
    if (!is.list(value) || is.null(value$file)) return(value)
    table <- offers$tables[[value$file]]
    if (is.null(table)) {
      refuse("choice", c(sprintf("No table \"%s\" is offered on this page.", value$file),
                         i = nearest_hint(value$file, names(offers$tables)),
                         i = "Give it where the page is opened: explore(x, tables = list(...))."),
             call = NULL)
    }
    if (rlang::is_string(table)) list(file = table) else list(by_hand = value$file)
  })
}

# ---- answers -----------------------------------------------------------------

# list(s, thing, look, question): the statement behind a panel and what is shown of it; or
# list(problem): texts. `kept` holds answers given before.
panel_answer <- function(state, panel, offers, kept = new_answers()) {
  rlang::local_options(rollingledger.reader = "page")
  tryCatch({
    question <- panel_question(state, panel, offers)
    told <- kept_answer(kept, list("panel", look_of(panel), unclass(question)), function() {
      look <- look_of(panel)
      if (asks_ledger(look)) {
        thing <- quietly(answer(question, offers$ledger, offers$tables))
        return(list(s = NULL, thing = thing, look = look, question = question))
      }
      bare <- panel_question(state, panel, offers, as_table = TRUE)
      s <- kept_answer(kept, list("statement", unclass(bare)), function() {
        quietly(answer(bare, offers$ledger, offers$tables))
      })
      show <- question$show
      thing <- if (length(show) == 0) s
               else if (is_drawn_look(look)) NULL
               else quietly(answered_show(s, show[[1]], offers$tables, NULL))
      list(s = s, thing = thing, look = look, question = question)
    })
    if (told$look == "stands_out") told$line <- line_drawn(panel, told$thing)
    told
  }, error = function(e) list(problem = problem_texts(e), look = look_of(panel)))
}

is_drawn_look <- function(look) startsWith(look, "figure_")

# An explanation is drawn beside its lines, where these are not too many, and what stands out where
# something does.
draws_figure <- function(look, thing = NULL) {
  is_drawn_look(look) || look == "why_changed" && (is.null(thing) || nrow(thing) %in% 3:15) ||
    look == "stands_out" && (is.null(thing) || nrow(thing) > 0)
}

# Which line of what stands out is drawn.
line_drawn <- function(panel, thing) {
  line <- suppressWarnings(as.numeric(panel$look$stands_out$line %||% "1"))
  if (isTRUE(line %in% seq_len(nrow(thing)))) as.integer(line) else 1L
}

# The figure of an answer, drawn later than its statement is told.
panel_figure <- function(told, offers) {
  if (told$look == "stands_out")
    return(quietly(figure_unusual(told$thing, line = told$line)))
  if (told$look == "why_changed") return(quietly(figure_bridge(told$thing)))
  quietly(answered_show(told$s, told$question$show[[1]], offers$tables, NULL))
}

# What is wrong, and what would be right: a text each. Where a phrase stopped being understood is
# shown by its own field.
problem_texts <- function(e) {
  if (!inherits(e, "rollingledger_error")) return(conditionMessage(e))
  lines <- strsplit(paste(c(rlang::cnd_header(e), unname(e$body)), collapse = "\n"), "\n",
                    fixed = TRUE)[[1]]
  caret <- grep("^ *\\^+ *$", lines)
  if (length(caret) > 0) lines <- lines[-c(caret, caret - 1L)]
  lines <- trimws(sub("^ *[\u2139\u2022\u2716x!i*] +", "", lines))
  lines[nzchar(lines)]
}

# What is said while a question is read is in the answer's notes, or in the page's own words.
quietly <- function(expr) {
  withCallingHandlers(expr, message = function(m) invokeRestart("muffleMessage"))
}

# The answers given last, by what they are answers to.
new_answers <- function() {
  kept <- new.env(parent = emptyenv())
  kept$answers <- list()
  kept
}

kept_answer <- function(kept, to, make, most = 24L) {
  key <- rlang::hash(to)
  if (is.null(kept$answers[[key]])) {
    kept$answers[[key]] <- make()
    if (length(kept$answers) > most) kept$answers[[1]] <- NULL
  }
  kept$answers[[key]]
}

# ---- the nearest state that answers --------------------------------------------

# list(state, said): each panel less what its ledger cannot answer.
state_that_answers <- function(state, x, tables) {
  offers <- list(ledger = x, tables = tables)
  said <- character()
  # The page's own days first, since all panels follow them.
  for (key in c("as_of", "on", "span")) {
    if (is.null(state[[key]])) next
    bare <- list(statement = list(), look = list(table = list()))
    alone <- list(span = if (key == "span") state$span else "all", panels = list(bare))
    alone$on <- if (key %in% c("on", "span")) state$on
    alone$as_of <- if (key %in% c("as_of", "span")) state$as_of
    problem <- panel_answer(alone, bare, offers)$problem
    if (is.null(problem)) next
    said <- c(said, sprintf("Left out of the address: %s. %s", key, problem[1]))
    state[key] <- if (key == "span") list("all") else NULL
  }
  if (!is.null(state$level) && !state$level %in% calendar_grain_names(x)) state["level"] <- NULL
  if (!is.null(state$column) && !state$column %in% source_column_names(x)) state["column"] <- NULL
  for (i in seq_along(state$panels)) {
    nearest <- panel_that_answers(state, state$panels[[i]], offers)
    state$panels[[i]] <- nearest$panel
    said <- c(said, nearest$said)
  }
  state$at <- digits_text(panel_at(state))
  behind <- suppressWarnings(as.integer(state$behind$panel))
  if (length(behind) == 1 && !isTRUE(behind %in% seq_along(state$panels))) state["behind"] <- NULL
  list(state = state, said = said)
}

# A panel less the one part, or as few as it takes, without which it answers.
panel_that_answers <- function(state, panel, offers) {
  said <- character()
  for (turn in seq_len(explore_limits$turns)) {
    problem <- panel_problem(state, panel, offers)
    if (is.null(problem)) return(list(panel = panel, said = said))
    fewer <- panels_with_less(panel)
    if (length(fewer) == 0) break
    at <- part_blamed(problem, lapply(fewer, panel_problem, state = state, offers = offers))
    said <- c(said, sprintf("Left out of the address: %s. %s", names(fewer)[at], problem[1]))
    panel <- fewer[[at]]
  }
  list(panel = first_state(offers$ledger)$panels[[1]], said = said)
}

# Which part to leave out: one without which there is no problem, or else another one, as there may
# be several; the last takes all.
part_blamed <- function(problem, problems) {
  solved <- vapply(problems, is.null, TRUE)
  if (any(solved)) {
    # All that was asked is left out where nothing else helps.
    at <- which(solved)
    if (at[1] < length(problems)) return(at[1])
  }
  other <- which(!vapply(problems, identical, TRUE, problem))
  other[1]
}

panel_problem <- function(state, panel, offers) {
  told <- panel_answer(state, panel, offers)
  if (is.null(told$problem) && is_drawn_look(told$look)) {
    told <- tryCatch({
      panel_figure(told, offers)
      list()
    }, error = function(e) list(problem = problem_texts(e)))
  }
  told$problem
}

# The panel without one of its parts each, by the name of the part; the last of them without most.
panels_with_less <- function(panel) {
  out <- list()
  tree <- panel$statement
  less <- function(name, tree, look = panel$look) {
    if (length(tree) == 0) tree <- list(measures = list(entries = "entries()"))
    out[[name]] <<- list(heading = panel$heading, statement = tree, off = panel$off, look = look)
    out[[name]] <<- out[[name]][lengths(out[[name]]) > 0]
  }
  steps <- steps_of(tree)
  for (i in rev(seq_along(steps))) {
    less(sprintf("%s (step %d)", step_verb(steps[[i]]), i),
         with_key(tree, "steps", steps[-i]))
  }
  where <- as.character(unlist(tree$where))
  for (one in where) less(sprintf("the condition %s", one),
                          with_key(tree, "where", as.list(setdiff(where, one))))
  by <- as.character(unlist(tree$by))
  for (one in by) less(sprintf("by %s", one), with_key(tree, "by", as.list(setdiff(by, one))))
  for (name in names(tree$measures)) {
    less(sprintf("the measure %s", name), with_key(tree, "measures",
                                                   tree$measures[setdiff(names(tree$measures),
                                                                         name)]))
  }
  for (key in setdiff(names(tree), c("steps", "where", "by", "measures")))
    less(key, tree[setdiff(names(tree), key)])
  if (look_of(panel) != "table") less(look_of(panel), tree, list(table = list()))
  if (length(out) > 0) {
    less("all that was asked", list(measures = list(entries = "entries()")), list(table = list()))
  }
  out
}
