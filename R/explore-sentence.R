# What is asked, in one sentence: list(text, part) each, in order, `part` being the choices by which
# it is changed. Days come from the answer, so that they are those of the figures.

# `told` is the answer of the panel (panel_answer()).
sentence_parts <- function(state, panel, told, offers) {
  x <- offers$ledger
  tree <- panel_tree(state, panel)
  plan <- statement_info(told$s %||% told$thing)
  names <- page_names(offers)
  said <- sentence_of_question(question_to_say(state, panel, offers), names)
  pieces <- Filter(function(piece) piece$part != "look", said$pieces)
  basis <- plan$on %||% tree$on %||% base::names(source_facts(x)$dates)[1]
  days <- paste0(", ", sentence_days(tree, plan, asks_ledger(look_of(panel)), state, x))
  out <- list()
  put <- function(text, part) out[[length(out) + 1L]] <<- list(text = text, part = part)
  told_days <- function() {
    if (any(vapply(out, function(one) one$part == "days", TRUE))) return(invisible())
    put(days, "days")
    put(paste0(", ", basis, if (!is.null(tree$known))
      paste(", as known on", day_text(core_iso_days(tree$known)))), "on")
  }
  for (piece in pieces) {
    if (piece$part == "on") next
    # Days and their basis are always said, before what narrows or adds.
    if (!piece$part %in% c("what", "by", "grain")) told_days()
    text <- paste0(if (length(out) > 0) piece$join, piece$text)
    if (piece$part == "second")
      put(paste0("; against ", phrase_with_days(second_said(state, panel), state, x)), "second")
    else if (piece$part != "days" || piece$text == "whole periods only") put(text, piece$part)
  }
  told_days()
  out[[1]]$text <- heading_first(out[[1]]$text)
  out
}

second_said <- function(state, panel) {
  record <- compared_record(state, panel)
  record$b %||% record$before
}

# The question of a panel as it is said: tables by the names by which the page offers them, all
# conditions as one without brackets.
question_to_say <- function(state, panel, offers) {
  offers$tables <- lapply(offers$tables, function(table) data.frame())
  question <- panel_question(state, panel, offers)
  flat <- function(where) {
    if (is.character(where)) where <- lapply(where, text_expression)
    expression_text(all_conditions(if (is.list(where)) where else list(where)))
  }
  where <- question[["statement"]]$where
  if (!is.null(where)) question[["statement"]]$where <- flat(where)
  where <- if (length(question$show) > 0) question$show[[1]]$where
  if (!is.null(where)) question$show[[1]]$where <- flat(where)
  question
}

sentence_text <- function(parts) {
  paste0(paste(vapply(parts, function(part) part$text, ""), collapse = ""), ".")
}

# "latest 8 weeks: 27 Jul to 17 Sep 2026", the days as they were resolved; of a comparison those of
# its first span.
sentence_days <- function(tree, plan, compares, state, x) {
  phrase <- if (rlang::is_string(tree$span)) tree$span
  if (is.null(plan)) {
    return(if (is.null(phrase)) listed(unlist(tree$spans), most = 4)
           else phrase_with_days(phrase, state, x))
  }
  spans <- plan$spans
  if (!is.null(plan$anchors)) return(spans_text(plan))
  at <- if (compares) 1L else seq_along(spans$from)
  days <- vapply(at, function(i) days_text(spans$from[i], spans$to[i]), "")
  label <- spans$label[at]
  # Several spans have their days beside each of them.
  if (is.null(phrase) && length(unique(label)) > 1)
    return(listed(ifelse(label == days, days, sprintf("%s (%s)", label, days)), most = 6))
  if (is.null(phrase)) phrase <- label[1]
  if (identical(phrase, days)) return(days)
  paste0(phrase, ": ", listed(days, most = 4))
}

phrase_with_days <- function(phrase, state, x) {
  days <- days_now(state, x, phrase)
  if (is.null(days)) return(phrase)
  paste0(phrase, ": ", listed(mapply(days_text, days$from, days$to), most = 4))
}

# ---- steps and conditions in words ------------------------------------------

# A step in the words of sentences.
step_words <- function(step) {
  verb <- step_verb(step)
  said <- verb_said(verb, step_records(list(step), NULL)[[1]][-1], "steps", words_alone())
  # A table of targets that has no name yet.
  said$text %||% if (verb == "add_target") "against the target" else gsub("_", " ", verb)
}

# A measure in words where it is a plain one, as its code otherwise.
measure_text_words <- function(text) {
  expr <- tryCatch(text_expression(text), error = function(e) NULL)
  (if (!is.null(expr)) measure_said(expr, words_alone()$names)) %||% text
}

# A condition in words where it is a plain one, as its code otherwise. Among several, one with an
# "or" of its own stands in brackets.
condition_text_words <- function(text, among = FALSE) {
  expr <- tryCatch(text_expression(text), error = function(e) NULL)
  said <- condition_expression_words(expr) %||% text
  if (among && is_either(expr)) sprintf("(%s)", said) else said
}

is_either <- function(expr) is.call(expr) && called_name(expr) %in% c("|", "||")

condition_expression_words <- function(expr) {
  if (is.symbol(expr)) return(as.character(expr))
  if (!is.call(expr)) return(NULL)
  fun <- called_name(expr)
  args <- as.list(expr)[-1]
  words <- sentence_words()
  # "and" binds before "or"; what does not follow that stands in brackets.
  inner <- function(i) {
    said <- condition_expression_words(args[[i]])
    if (is.null(said) || !is_either(args[[i]]) || is_either(expr)) return(said)
    sprintf("(%s)", said)
  }
  both <- function(word) {
    a <- inner(1)
    b <- inner(2)
    if (!is.null(a) && !is.null(b)) paste(a, word, b)
  }
  if (fun == "(") return(inner(1))
  if (fun %in% c("&", "&&")) return(both(small_words(words, "and")[1]))
  if (fun %in% c("|", "||")) return(both(small_words(words, "or")[1]))
  if (fun == "!") {
    said <- inner(1)
    bare <- args[[1]]
    while (rlang::is_call(bare, "(")) bare <- bare[[2]]
    # What is denied as a whole stands in brackets.
    if (rlang::is_call(bare, c("&", "&&"))) said <- sprintf("(%s)", said %||% "")
    return(if (length(said) > 0 && said != "()") paste(small_words(words, "not")[1], said))
  }
  if (length(args) == 0 || !is.symbol(args[[1]])) return(NULL)
  column <- gsub("_", " ", as.character(args[[1]]), fixed = TRUE)
  if (fun == "is_missing") return(paste(column, words$compare[[fun]][1]))
  value <- function(v) {
    if (rlang::is_call(v, "-", n = 1) && is.numeric(v[[2]])) v <- -v[[2]]
    if (is.character(v)) member_text(v) else if (is.numeric(v)) digits_text(v)
  }
  values <- if (length(args) > 1 && is.call(args[[2]]) && identical(args[[2]][[1]], quote(c)))
    lapply(as.list(args[[2]])[-1], value) else if (length(args) > 1) list(value(args[[2]]))
  if (length(values) == 0 || any(vapply(values, is.null, TRUE))) return(NULL)
  said <- listed(unlist(values), most = 5, last = small_words(words, "or")[1])
  compared <- words$compare[[if (fun == "%in%") "==" else fun]]
  if (is.null(compared)) return(NULL)
  if (fun %in% names(text_calls)) said <- sprintf("\"%s\"", said)
  paste(column, compared[1], said)
}

# ---- what stands beside it ---------------------------------------------------

# Entries read, used, kept out and set aside, the as-of day and the version: texts.
facts_said <- function(x, state, plan) {
  facts <- source_facts(x)
  as_of <- if (is.null(plan)) paste("as of", day_text(facts$as_of)) else as_of_text(plan)
  c(entries_text(facts, unit = TRUE), as_of)
}

# The control total of an answer: list(says, ties), or NULL where it has none.
control_said <- function(told) {
  s <- told$s
  if (is.null(s) || nrow(s) == 0 || !is.null(statement_info(s)$anchors)) return(NULL)
  control <- tryCatch(control_totals(s), error = function(e) NULL)
  if (is.null(control) || nrow(control) == 0) return(NULL)
  columns <- columns_of(s)
  one <- control[control$measure == control$measure[1], ]
  name <- one$measure[1]
  known <- columns[[name]]
  lines <- lapply(seq_len(nrow(one)), function(i) one[i, ])
  ties <- all(vapply(lines, control_ties, TRUE, columns = columns))
  total <- value_with_unit(sum(one$entries), known)
  shown <- value_with_unit(sum(one$statement), known)
  list(ties = ties, says = if (ties)
    sprintf("Control total of %s straight from the entries: %s, ties.", name, total)
    else sprintf("%s shown adds up to %s of %s straight from the entries.", heading_first(name),
                 shown, total))
}
