# A question as a sentence: the grammar of reading, the other way. Pieces are list(text, part, join)
# each, `part` naming what of the question it says. What was written is read again, and said more
# plainly, in quotes or as code, where it would be another question.

# list(text, left, pieces): the sentence, and what it cannot say.
sentence_of_question <- function(question, names) {
  wanted <- question_without_ledger(question)
  for (style in c("plain", "each", "strict")) {
    made <- written_pieces(wanted, names, style)
    text <- pieces_text(made$pieces)
    if (style == "strict" || reads_as_question(text, made$sayable, names)) break
  }
  list(text = text, left = c(made$left, left_of_ledger(question$ledger)), pieces = made$pieces,
       style = style)
}

question_without_ledger <- function(question) {
  question <- as_question(question)
  where <- question[["statement"]]$where
  if (is.language(where)) question[["statement"]]$where <- expression_text(where)
  question["ledger"] <- list(list())
  # The seed of an explanation is told with it, and is the usual one as a rule.
  question$show <- lapply(question$show, function(show) {
    if (identical(show$seed, fields_of("why_changed")$seed$default)) show$seed <- NULL
    show
  })
  question
}

reads_as_question <- function(text, wanted, names) {
  again <- read_question(text, names)
  !is.null(again$question) && identical(question_without_ledger(again$question), wanted)
}

# The question less what was not said: steps, looks and arguments.
question_sayable <- function(question, steps, looks, odd, ledger_verb) {
  less <- function(records, said) {
    records <- Map(function(record, one) record[setdiff(names(record), one$unsaid)], records, said)
    unname(records[!vapply(said, function(one) is.null(one$text), TRUE)])
  }
  question$steps <- less(question$steps, steps)
  if (ledger_verb) {
    first <- question$show[[1]]
    question$show <- c(list(first[setdiff(names(first), odd)]), less(question$show[-1], looks))
  } else question$show <- less(question$show, looks)
  as_question(question)
}

# A question from a sentence: list(question, notes) or list(problem).
read_question <- function(text, names) {
  read <- read_sentence(text, names)
  if (!is.null(read$problem)) return(read)
  tryCatch(question_of_clauses(read$tree, names), sentence_problem = function(problem) {
    r <- new_sentence_reader(text, names)
    list(problem = placed_problem(r, problem))
  })
}

pieces_text <- function(pieces) {
  text <- paste0(vapply(seq_along(pieces), function(i) {
    paste0(if (i > 1) pieces[[i]]$join, pieces[[i]]$text)
  }, ""), collapse = "")
  paste0(heading_first(text), ".")
}

new_piece <- function(text, part, join = ", ") list(text = text, part = part, join = join)

written_pieces <- function(question, names, style) {
  names$style <- style
  w <- list(names = names, style = style, words = names$words)
  show <- if (length(question$show) > 0) question$show[[1]]
  ledger_verb <- isTRUE(show$show %in% verbs_of("ledger"))
  record <- if (ledger_verb) show else question[["statement"]]
  w$measures <- written_measures(record$measures, record[["by"]], w)
  pieces <- c(
    question_pieces(record, if (ledger_verb) show$show, w),
    by_piece(record[["by"]], w), field_pieces(record, "per", w),
    days_pieces(record, if (ledger_verb) show$show, w),
    field_pieces(record, c("on", "known", "as_of"), w), where_pieces(record$where, w),
    field_pieces(record, c("partial", "list_all", "totals", "anchor", "scale"), w),
    second_pieces(record, if (ledger_verb) show$show, w))
  steps <- lapply(seq_along(question$steps), function(i) step_piece(question$steps[[i]], i, w))
  looks <- lapply(if (ledger_verb) question$show[-1] else question$show, look_piece, w = w)
  told <- c(steps, looks)
  left <- unlist(lapply(told, function(one) one$left))
  pieces <- c(pieces, lapply(Filter(function(one) !is.null(one$text), told),
                             function(one) new_piece(one$text, one$part, "; ")))
  odd <- if (ledger_verb) unsayable_details(record, show$show)
  list(pieces = pieces, left = c(left, gsub("_", " ", odd)),
       sayable = question_sayable(question, steps, looks, odd, ledger_verb))
}

# ---- what is asked ----------------------------------------------------------

# The measures of the question, or what is asked of the ledger.
question_pieces <- function(record, verb, w) {
  said <- measures_said(w)
  measures <- joined_said(said, w)
  if (identical(verb, "why_changed") && length(said) == 1 && !w$measures[[1]]$given) {
    asked <- words_filled(w, "questions", verb, c(measure = said))
    return(list(new_piece(paste0(asked, details_said(sayable_details(record, verb), verb, w)),
                          "what")))
  }
  if (is.null(verb)) {
    if (length(said) == 0) return(list())
    return(list(new_piece(measures, "what")))
  }
  values <- c(member = if (!is.null(record$member)) attribute_said(record$member, w, TRUE),
              day1 = record$day1, day2 = record$day2)
  asked <- words_filled(w, "questions", verb, values)
  details <- sayable_details(record, verb)
  asked <- if (!is.null(asked)) paste0(asked, details_said(details, verb, w))
  c(if (!is.null(asked)) list(new_piece(asked, "what")),
    if (length(said) > 0) list(new_piece(measures, "what")))
}

# "fare as income", each.
measures_said <- function(w) {
  vapply(w$measures, function(one) {
    name <- if (w$style == "plain") word_said(one$name) else quoted_name(one$name)
    paste0(one$words, if (one$given) paste0(" ", small_words(w$words, "as")[1], " ", name))
  }, "")
}

# Arguments of a question that have no words of their own.
details_of_question <- function(record, verb) {
  own <- c("show", "measures", "per", "by", "span", "now", "before", "a", "b", "member", "day1",
           "day2", names(fields_of("statement")))
  record[setdiff(names(record), own)]
}

attribute_said <- function(name, w, plural = FALSE) name_said(name, w$names, plural, w$style)

# ---- parts of a statement ----------------------------------------------------

by_piece <- function(by, w) {
  if (length(by) == 0) return(list())
  said <- vapply(by, attribute_said, "", w = w)
  list(new_piece(words_filled(w, "statement", "statement", c(by = joined_said(said, w))), "by",
                 " "))
}

field_parts <- c(per = "grain", on = "on", known = "on", as_of = "on", partial = "days",
                 list_all = "which", totals = "which", anchor = "days", scale = "what")

# Fields of a statement that have a pattern each.
field_pieces <- function(record, fields, w) {
  unlist(lapply(intersect(fields, names(record)), function(field) {
    value <- record[[field]]
    said <- if (is.logical(value)) if (value) "yes" else "no" else value
    for (pattern in w$words$patterns) {
      if (pattern$section != "statement") next
      if (identical(pattern$fixed[[field]], said))
        return(list(new_piece(pattern$written, field_parts[[field]])))
      if (!identical(pattern$slots, field)) next
      shown <- if (field == "on") attribute_or_basis(value, w) else said
      written <- if (field == "on" && w$style != "plain") basis_written_out(w) else pattern$written
      return(list(new_piece(sub(sprintf("{%s}", field), shown, written, fixed = TRUE),
                            field_parts[[field]])))
    }
    NULL
  }), recursive = FALSE)
}

# A basis with words before it, by which it is no column's name.
basis_written_out <- function(w) {
  for (pattern in w$words$patterns) {
    if (pattern$section == "statement" && identical(pattern$slots, "on") &&
        !is.null(pattern$parts[[1]]$word)) return(pattern$written)
  }
}

attribute_or_basis <- function(name, w) {
  words <- key_of_text(gsub("_", " ", name, fixed = TRUE))
  plain <- w$style != "strict" && grepl("^[\\p{L} ]+$", words, perl = TRUE) &&
    sum(unique(w$names$base_index$name[w$names$base_index$key == words]) != "") == 1 &&
    !any(strsplit(words, " ")[[1]] %in% w$words$reserved)
  if (plain) words else quoted_name(name)
}

# A phrase as it is understood; in quotes where it was written in other words.
phrase_said <- function(phrase, names) {
  if (identical(names$style, "alone")) return(phrase)
  tree <- read_phrase(phrase, names$calendar)
  if (is.null(tree$problem) && identical(phrase_text(tree, names$calendar), phrase)) phrase
  else quoted_name(phrase)
}

days_pieces <- function(record, verb, w) {
  said <- function(phrase) phrase_said(phrase, w$names)
  ends <- ends_of_verb(verb)
  if (is.null(ends)) return(c(span_pieces(record[["span"]], said, w),
                              spans_pieces(record$spans, said, w)))
  first <- record[[ends[1]]]
  if (!is.null(first)) list(new_piece(said(first), "days"))
}

# The fields of the two spans of a question of the ledger.
ends_of_verb <- function(verb) {
  list(why_changed = c("now", "before"), compare_spans = c("a", "b"),
       compare_members = c("now", "before"))[[verb %||% ""]]
}

second_pieces <- function(record, verb, w) {
  ends <- ends_of_verb(verb)
  second <- if (!is.null(ends)) record[[ends[2]]]
  if (is.null(second)) return(list())
  back <- grepl("^[0-9]+ [a-z ]+ back$", second)
  said <- if (back) second else phrase_said(second, w$names)
  list(new_piece(words_filled(w, "days", "second", c(span = said)), "second"))
}

span_pieces <- function(span, said, w) {
  if (is.null(span)) return(list())
  if (rlang::is_string(span)) return(list(new_piece(said(span), "days")))
  span <- unlist(span)
  if (is.null(names(span))) return(list())
  unname(Map(function(phrase, grain) {
    new_piece(words_filled(w, "days", "span_of_grain", c(span = said(phrase), per = grain)),
              "days")
  }, span, names(span)))
}

spans_pieces <- function(spans, said, w) {
  if (is.null(spans)) return(list())
  phrases <- named_values(spans)
  named <- names(phrases) %||% rep("", length(phrases))
  each <- paste0(vapply(unname(phrases), said, ""),
                 ifelse(nzchar(named), paste0(" ", small_words(w$words, "as")[1], " ",
                                              quoted_name(named)), ""))
  all <- paste(each, collapse = sprintf(" %s ", small_words(w$words, "and")[1]))
  list(new_piece(words_filled(w, "statement", "statement", c(spans = all)), "days"))
}

# ---- steps and looks ---------------------------------------------------------

step_piece <- function(step, i, w) {
  args <- step[setdiff(names(step), "verb")]
  out <- verb_said(step$verb, args, "steps", w)
  out$part <- paste0("step-", i)
  out
}

look_piece <- function(show, w) {
  args <- show[setdiff(names(show), c("show", "of"))]
  if (!show$show %in% vapply(w$words$patterns, function(one) one$verb, "") || length(show$of) > 0) {
    what <- if (show$show == "entries_behind") "the entries behind one of its figures"
            else gsub("_", " ", show$show)
    return(list(left = what))
  }
  out <- verb_said(show$show, args, "looks", w)
  out$part <- "look"
  out
}

# list(text, left): the pattern that says most of the arguments, and the rest in brackets.
verb_said <- function(verb, args, section, w) {
  best <- NULL
  for (pattern in w$words$patterns) {
    if (pattern$section != section || pattern$verb != verb) next
    fits <- all(pattern$slots %in% names(args)) &&
      all(vapply(names(pattern$fixed), function(name) identical(args[[name]],
                                                                pattern$fixed[[name]]), TRUE))
    if (!fits || !slots_fit(pattern, args, w)) next
    says <- length(pattern$slots) + length(pattern$fixed)
    if (is.null(best) || says > best$says) best <- list(pattern = pattern, says = says)
  }
  if (is.null(best)) return(list(left = gsub("_", " ", sub("^add_", "", verb))))
  pattern <- best$pattern
  text <- pattern$written
  for (slot in pattern$slots) {
    text <- slot_filled(text, slot, slot_said(verb, slot, args[[slot]], w))
  }
  rest <- args[setdiff(names(args), c(pattern$slots, names(pattern$fixed)))]
  name <- if (section == "steps" && rlang::is_string(rest$name)) {
    paste0(" ", small_words(w$words, "as")[1], " ",
           if (w$style == "plain") word_said(rest$name) else quoted_name(rest$name))
  }
  if (!is.null(name)) rest$name <- NULL
  sayable <- vapply(names(rest), function(name) is_detail(verb, name, rest[[name]]), TRUE)
  list(text = paste0(text, details_said(rest[sayable], verb, w), name),
       unsaid = names(rest)[!sayable],
       left = if (any(!sayable)) sprintf("%s of %s", gsub("_", " ", names(rest)[!sayable]),
                                         gsub("_", " ", sub("^add_", "", verb))))
}

# Whether the slots of a pattern can say the values.
slots_fit <- function(pattern, args, w) {
  for (part in pattern$parts) {
    if (is.null(part$slot)) next
    value <- args[[part$slot]]
    is_back <- rlang::is_string(value) &&
      grepl("^(period before|[0-9]{1,4} (fiscal )?[a-z]+ back)$", value)
    if (identical(part$kind, "back") && !is_back) return(FALSE)
    if (part$slot == "from" && !identical(part$kind, "back") && (is_back ||
        !rlang::is_string(value))) return(FALSE)
    if (part$slot == "over" && !all(grepl("^[0-9]{1,5} (fiscal )?[a-z]+$", value))) return(FALSE)
    if (part$slot == "rest" && !rlang::is_string(value)) return(FALSE)
    if (part$slot == "targets" && (part$kind == "number") != is.numeric(value)) return(FALSE)
    if (part$slot == "targets" && is.list(value) && is.null(value$by_hand)) return(FALSE)
    if (part$slot == "of" && !rlang::is_string(value)) return(FALSE)
  }
  TRUE
}

slot_said <- function(verb, slot, value, w) {
  if (slot %in% c("m", "draw")) return(joined_said(vapply(value, figure_said, "", w = w), w))
  if (slot == "rest") return(quoted_name(value))
  if (slot %in% c("of", "across")) {
    return(if (value %in% c("period", "span")) value else attribute_said(value, w))
  }
  if (slot == "from" && !grepl(" back$|^period before$", value))
    return(phrase_said(value, w$names))
  if (slot == "targets" && is.list(value)) return(quoted_name(value$by_hand))
  joined_said(value, w)
}

# A column of figures: the measure in words where it was given no name, its name otherwise.
figure_said <- function(name, w) {
  if (w$style == "alone") return(gsub("_", " ", name, fixed = TRUE))
  for (one in w$measures) {
    if (one$name != name || w$style == "strict") next
    if (!one$given && !startsWith(one$words, "`")) return(one$words)
    plain <- grepl("^\\p{L}[\\p{L}\\p{N}]*$", name, perl = TRUE) &&
      !lower_text(name) %in% c(w$words$reserved, w$names$index$key)
    return(if (plain) name else quoted_name(name))
  }
  quoted_name(name)
}

is_detail <- function(verb, name, value) {
  one <- fields_of(verb)[[name]]
  !is.null(one) && is.atomic(value) && is.null(names(value)) &&
    !one$kind %in% c("measures", "named_code")
}

# " (title \"Fares\", average yes)"
details_said <- function(args, verb, w) {
  if (length(args) == 0) return("")
  each <- vapply(names(args), function(name) {
    value <- args[[name]]
    said <- if (is.logical(value)) flags_said(value, w$words)
            else if (is.numeric(value)) digits_text(value) else quoted_name(value)
    paste(gsub("_", " ", name, fixed = TRUE),
          paste(said, collapse = sprintf(" %s ", small_words(w$words, "and")[1])))
  }, "")
  sprintf(" (%s)", paste(each, collapse = ", "))
}

# ---- what a sentence cannot say ----------------------------------------------

sayable_details <- function(record, verb) {
  details <- details_of_question(record, verb)
  details[setdiff(names(details), unsayable_details(record, verb))]
}

unsayable_details <- function(record, verb) {
  details <- details_of_question(record, verb)
  as.character(names(details)[!vapply(names(details), function(name) {
    is_detail(verb, name, details[[name]])
  }, TRUE)])
}

# Steps of the ledger that the question was asked of.
left_of_ledger <- function(record) {
  unlist(lapply(record$steps, function(step) {
    switch(step$verb,
      add_attributes = paste("a lookup of", listed(unlist(step$key))),
      work_out = paste("worked out", listed(names(step[["columns"]]))),
      keep_entries = sprintf("of the ledger only `%s`", step$condition),
      append_entries = "entries that were appended")
  }))
}

# Where two readings are told apart: a clause in words that are no other.
explicit_clause <- function(clause, r) {
  w <- list(names = r$names, style = "strict", words = r$words, measures = list())
  switch(clause$section,
    measure = explicit_measure(clause$args$measure),
    condition = paste(where_said(clause$args$where, r$names) %||%
                        code_said(expression_text(clause$args$where)), collapse = ", "),
    statement = if (!is.null(clause$args$by)) by_piece(clause$args$by, w)[[1]]$text
                else paste(vapply(field_pieces(clause$args, names(clause$args), w), `[[`, "",
                                  "text"), collapse = ", "),
    words_between(r, clause$from, clause$to))
}
