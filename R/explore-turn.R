# One browser's page: its state, what was done before, and the messages that bring the browser from
# what it shows to what it should. Messages are lists of texts; sending them is the server's.

# `offers` is list(ledger, tables, briefs, title).
new_turns <- function(offers, state = NULL) {
  page <- new.env(parent = emptyenv())
  offers$base <- offers$ledger
  offers$made <- new_answers()
  page$offers <- offers
  take_state(page, state %||% first_state(offers$ledger))
  page$before <- list()
  page$after <- list()
  page$sent <- list()
  page$kept <- new_answers()
  page$width <- 900
  page
}

# The page's ledger is the one it was opened with and the columns of its state.
take_state <- function(page, state) {
  ledger <- ledger_with_columns(page$offers, state)
  page$state <- state
  page$offers$ledger <- ledger
}

most_undone <- 100L

# Takes a new state; what was there can be had again.
page_goes_to <- function(page, state) {
  if (identical(state, page$state)) return(FALSE)
  page$before <- utils::tail(c(page$before, list(page$state)), most_undone)
  page$after <- list()
  take_state(page, state)
  TRUE
}

page_undoes <- function(page) {
  n <- length(page$before)
  if (n == 0) return(FALSE)
  page$after <- c(page$after, list(page$state))
  take_state(page, page$before[[n]])
  page$before <- page$before[-n]
  TRUE
}

page_redoes <- function(page) {
  n <- length(page$after)
  if (n == 0) return(FALSE)
  page$before <- c(page$before, list(page$state))
  take_state(page, page$after[[n]])
  page$after <- page$after[-n]
  TRUE
}

# ---- messages ----------------------------------------------------------------

# The pieces of the page that are not what the browser has, by their ids; those of panels follow in
# the order in which they are drawn. list(pieces, keys, figures): figures are numbers of panels.
page_pieces <- function(page) {
  rlang::local_options(rollingledger.reader = "page")
  state <- page$state
  offers <- page$offers
  x <- offers$ledger
  pieces <- list()
  keys <- page$sent
  put <- function(id, key, make) {
    if (identical(keys[[id]], key)) return(FALSE)
    pieces[[id]] <<- as_html(make())
    keys[[id]] <<- key
    TRUE
  }
  periods <- strip_periods(x, state, page$kept)
  now <- panel_now(state)
  told <- panel_answer(state, now, offers, page$kept)
  put("sentence", question_key(page, now, "sentence"),
      function() sentence_piece(sentence_parts(state, now, told, offers),
                                typed_sentence(state, now, offers)))
  put("facts", question_key(page, now, "facts"),
      function() facts_piece(facts_said(x, state, statement_info(told$s)), NULL))
  put("tools", rlang::hash(list(length(page$before) > 0, length(page$after) > 0)),
      function() tools_piece(length(page$before) > 0, length(page$after) > 0))
  put("strip", rlang::hash(list(state$level, state$on, state$as_of, state$second,
                                phrase_now(state))),
      function() strip_piece(state, x, periods))
  put("when", rlang::hash(list(state[c("span", "second", "on", "as_of", "level")], now$statement)),
      function() days_choices(state, x, periods))
  columns <- state[c("own_columns", "lookups", "bands_of")]
  put("what", rlang::hash(list(columns, now$statement, names(offers$tables))),
      function() what_choices(state, x, offers))
  put("next", rlang::hash(list(columns, state[c("span", "second", "on", "as_of")], now,
                              names(offers$tables))),
      function() more_choices(state, now, now$statement, offers))
  put("which", rlang::hash(list(columns, now$statement$where, now$off, state$column, state$seek)),
      function() which_choices(state, x))
  put("own", rlang::hash(list(columns, names(offers$tables))),
      function() column_choices(state, x, offers, page$kept))
  figures <- integer()
  # The panel that is pointed at comes first.
  for (i in unique(c(panel_at(state), seq_along(state$panels)))) {
    id <- paste0("panel-", i)
    panel <- state$panels[[i]]
    key <- rlang::hash(list(question_key(page, panel, "panel"), panel, i,
                            panel_at(state) == i, length(state$panels)))
    new <- put(id, key, function() {
      panel_piece(state, i, panel_answer(state, panel, offers, page$kept), offers)
    })
    if (new && draws_figure(look_of(panel), panel_answer(state, panel, offers, page$kept)$thing))
      figures <- c(figures, i)
  }
  for (i in setdiff(seq_len(explore_limits$panels), seq_along(state$panels))) {
    if (!is.null(keys[[paste0("panel-", i)]])) {
      pieces[[paste0("panel-", i)]] <- ""
      keys[[paste0("panel-", i)]] <- NULL
    }
  }
  put("more", rlang::hash(length(state$panels)), function() {
    act_button("One more panel", "panel_more",
               disabled = length(state$panels) >= explore_limits$panels)
  })
  behind <- state$behind
  put("behind", if (is.null(behind)) "none" else
    rlang::hash(list(behind, question_key(page, state$panels[[as.integer(behind$panel)]], ""))),
    function() {
      if (is.null(behind)) "" else behind_piece(state, behind_answer(state, offers, page$kept))
    })
  list(pieces = pieces, keys = keys, figures = figures)
}

as_html <- function(made) {
  if (is.character(made) && !inherits(made, "html")) made
  else as.character(htmltools::doRenderTags(made))
}

# What a panel's answer depends on.
question_key <- function(page, panel, what) {
  state <- page$state
  rlang::hash(list(what, panel_tree(state, panel), panel$look, panel$heading,
                   if (holds_against(look_of(panel))) state$second, page$width,
                   state$own_columns, state$lookups, source_facts(page$offers$ledger)$version))
}

# What takes longer and comes after: figures, and the control total. list(figures, facts).
page_drawings <- function(page, figures) {
  rlang::local_options(rollingledger.reader = "page")
  state <- page$state
  offers <- page$offers
  drawn <- lapply(figures, function(i) {
    panel <- state$panels[[i]]
    told <- panel_answer(state, panel, offers, page$kept)
    tryCatch({
      if (!is.null(told$problem)) refuse("choice", told$problem, call = NULL)
      key <- question_key(page, panel, "drawn")
      kept_answer(page$kept, list(key), function() {
        size <- figure_pixels(page$width)
        with_canvas(size, drawn_figure(panel_figure(told, offers), told$s %||% told$thing,
                                       size[1], size[2]))
      }) |> figure_message(i = i)
    }, error = function(e) {
      list(panel = i, problem = as_html(problem_piece(problem_texts(e))))
    })
  })
  told <- panel_answer(state, panel_now(state), offers, page$kept)
  control <- if (is.null(told$problem)) control_said(told)
  facts <- as_html(facts_piece(facts_said(offers$ledger, state, statement_info(told$s)), control))
  list(figures = drawn, facts = facts)
}

# Figures are drawn for the width there is, within what their words can be read at.
figure_pixels <- function(width) {
  width <- min(max(width, 320), 1240)
  c(width, max(round(width * 0.4), 440))
}

# ---- what is typed ---------------------------------------------------------------

# What is told while something is typed: list(id, ok, says).
typed_says <- function(page, kind, text) {
  state <- page$state
  x <- page$offers$ledger
  if (!nzchar(trimws(text))) return(list(ok = TRUE, says = ""))
  if (kind == "sentence") return(sentence_says(page, text))
  if (kind %in% c("span", "second")) return(phrase_says(text, state, x))
  if (kind == "as_of") {
    return(tryCatch(list(ok = TRUE, says = day_text(one_day(text, "as_of", NULL))),
                    error = function(e) list(ok = FALSE, says = problem_texts(e)[1])))
  }
  if (!kind %in% c("measure", "condition")) return(list(ok = TRUE, says = ""))
  alone <- list(statement = if (kind == "measure")
    c(list(measures = c(panel_now(state)$statement$measures, list("what is typed" = text))))
    else list(where = list(text)), look = list(table = list()))
  now <- list(span = "latest 1 day", on = state$on, panels = list(alone))
  problem <- tryCatch({
    check_code(text, if (kind == "measure") "expression" else "condition")
    panel_answer(now, alone, page$offers)$problem
  }, error = problem_texts)
  if (is.null(problem)) {
    return(list(ok = TRUE, says = if (kind == "measure") "Reads as a measure."
                else paste("Where", condition_text_words(text))))
  }
  list(ok = FALSE, says = paste(utils::head(problem, 2), collapse = " "))
}
