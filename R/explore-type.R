# The sentence of the page, typed: it becomes the question of the panel that is pointed at, as any
# act does, and is read and completed while it is typed.

# The names of the page's ledger, looked up once.
page_names <- function(offers) {
  kept_answer(offers$made %||% new_answers(), list("names", source_facts(offers$ledger)$version,
                                source_column_names(offers$ledger)), function() {
    sentence_names(offers$ledger, names(offers$tables))
  })
}

# The question of a panel as it could be typed.
typed_sentence <- function(state, panel, offers) {
  said <- tryCatch({
    question <- question_to_say(state, panel, offers)
    told_with_left(sentence_of_question(question, page_names(offers)))
  }, error = function(e) "")
  sub("[.]$", "", said)
}

acts_on_sentence <- list(
  sentence = function(state, act, offers) {
    text <- act_text(act, "value")
    if (is.null(text) || !nzchar(trimws(text)))
      refuse("choice", "The sentence is empty: say what is to be shown, such as fare each month.",
             call = NULL)
    before <- tryCatch(question_to_say(state, panel_now(state), offers), error = function(e) NULL)
    read <- asked_in_words(text, page_names(offers), before, NULL)
    out <- state_of_question(state, read$question, offers)
    with_said(out, read$notes)
  }
)

# The state whose panel asks a question.
state_of_question <- function(state, question, offers) {
  show <- if (length(question$show) > 0) question$show[[1]]
  if (length(question$show) > 1 && !show$show %in% verbs_of("ledger") ||
      length(question$show) > 2)
    refuse("choice", "A panel shows one thing; take another panel for the other.", call = NULL)
  if (!is.null(show) && !show$show %in% names(explore_looks())) {
    refuse("choice", sprintf("The page has no look for %s; ask for it in R or by the command.",
                             gsub("_", " ", sub("^compare_", "comparing ", show$show))),
           call = NULL)
  }
  ledger_verb <- isTRUE(show$show %in% verbs_of("ledger"))
  tree <- if (ledger_verb) ledger_tree_of_show(show) else statement_tree(question)
  state <- state_with_days(state, if (ledger_verb) show else question[["statement"]], show)
  with_panel(state, function(panel) {
    own <- plain_texts(tree, explore_limits$depth)
    # Days are the page's, unless the panel has some of its own.
    follows <- !has_own_days(panel) || is.null(own[["spans"]]) && is.null(own[["span"]])
    if (follows) own[c("span", "on", "as_of")] <- NULL
    panel$statement <- own
    panel["off"] <- NULL
    panel$look <- if (is.null(show)) list(table = list())
                  else stats::setNames(list(look_of_show(show)), show$show)
    panel
  })
}

statement_tree <- function(question) {
  targets <- lapply(question$steps, function(step) step$targets)
  steps <- lapply(question$steps, function(step) {
    if (is.list(step$targets)) step$targets <- 0
    step
  })
  tree <- part_tree(list(statement = question[["statement"]], steps = steps), "")
  for (i in seq_along(tree$steps)) if (is.list(targets[[i]])) {
    tree$steps[[i]][[1]]$targets <- targets[[i]]$by_hand
  }
  listed_texts(tree)
}

# The statement of a question of the ledger: what the page keeps for it.
ledger_tree_of_show <- function(show) {
  fields <- c("per", "by", "measures", "where", "list_all", "known", "scale")
  tree <- part_tree(list(statement = show[intersect(fields, names(show))]), "")
  listed_texts(tree)
}

# Several texts are a list, as the page keeps them; what groups and conditions are of always is.
listed_texts <- function(tree) {
  for (name in intersect(c("by", "where"), names(tree))) tree[[name]] <- as.list(tree[[name]])
  several_listed(tree)
}

several_listed <- function(x) {
  if (is.list(x)) lapply(x, several_listed) else if (length(x) > 1) as.list(x) else x
}

# The arguments of a look, as the page keeps them.
look_of_show <- function(show) {
  leave <- c("show", "per", "by", "measures", "where", "on", "as_of", "known", "list_all", "scale",
             "a", "b", "now", "before")
  args <- show[setdiff(names(show), leave)]
  if (!is.null(args$draw)) args$draw <- as.list(args$draw)
  plain_texts(several_listed(args), explore_limits$depth)
}

# The page's days are those of the sentence, unless they are the panel's own.
state_with_days <- function(state, record, show) {
  days <- record[["a"]] %||% record[["now"]] %||% record[["span"]]
  if (identical(show$show, "stands_out")) days <- NULL
  second <- record[["b"]] %||% record[["before"]]
  if (rlang::is_string(days)) state$span <- days
  else if (is.null(show) || !identical(show$show, "stands_out"))
    if (is.null(record[["spans"]]) && is.null(days)) state$span <- "all"
  if (!is.null(second)) {
    back <- grepl("^[0-9]+ [a-z ]+ back$", second)
    state$second <- if (back) paste0(state$span, ", ", second) else second
  }
  state["on"] <- record["on"]
  state["as_of"] <- record["as_of"]
  state[!vapply(state, is.null, TRUE)]
}

# ---- while it is typed -------------------------------------------------------------

# list(ok, says, offers, from): the sentence as it is understood, or where it stops; and what could
# complete it, list(text, says) each, from a letter on.
sentence_says <- function(page, text) {
  names <- page_names(page$offers)
  before <- tryCatch(question_to_say(page$state, panel_now(page$state), page$offers),
                     error = function(e) NULL)
  read <- if (is.null(before)) read_question(text, names)
          else changed_question(text, before, names)
  found <- sentence_completions(text, names)
  offers <- unname(Map(function(text, says) list(text = text, says = says), found$text,
                       found$says))
  says <- if (is.null(read$problem)) sentence_of_question(read$question, names)$text
          else paste(c(read$problem$message, read$problem$hint), collapse = " ")
  list(ok = is.null(read$problem), says = says, offers = offers, from = found$from - 1L)
}

# The line in which the sentence is typed, which stands in its place once it is asked for.
sentence_line <- function(text) {
  tags <- htmltools::tags
  tags$form(
    id = "type", class = "type", hidden = NA, onsubmit = "return false;",
    tags$label(`for` = "type-text", class = "unseen", "The question, as a sentence"),
    tags$input(id = "type-text", type = "text", value = text, "data-check" = "sentence",
               autocomplete = "off", spellcheck = "false", role = "combobox",
               "aria-autocomplete" = "list", "aria-expanded" = "false",
               "aria-controls" = "type-offers", "aria-describedby" = "type-text-says"),
    tags$button(type = "submit", class = "main", "Ask"),
    tags$button(type = "button", "data-untype" = "yes", "Leave"),
    tags$p(id = "type-text-says", class = "says", role = "status"),
    tags$ul(id = "type-offers", role = "listbox", hidden = NA,
            "aria-label" = "What could be said next"))
}
