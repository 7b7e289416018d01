# A question as a sentence: the grammar of reading, the other way. Pieces are list(text, part, join)
# each, `part` naming what of the question it says. What was written is read again, and said more
# plainly, in quotes or as code, where it would be another question.

# list(text, left, pieces): the sentence, and what it cannot say.
sentence_of_question <- function(question, names) {
  wanted <- question_without_ledger(question)
  for (style in c("plain", "each", "strict")) {
    made <- written_pieces(wanted, names, style)
    text <- pieces_text(made$pieces)
    if (style == "strict" || reads_as_question(text, wanted, made$left, names)) break
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

reads_as_question <- function(text, wanted, left, names) {
  again <- read_question(text, names)
  if (is.null(again$question)) return(FALSE)
  length(left) > 0 || identical(question_without_ledger(again$question), wanted)
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
  w <- list(names = names, style = style, words = names$words, left = character())
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
  list(pieces = pieces, left = c(left, left_of_show(record, if (ledger_verb) show$show)))
}

# For words that stand by themselves, beside no ledger: names are told as they are.
words_alone <- function() {
  words <- sentence_words()
  list(names = list(words = words, style = "alone"), style = "alone", words = words,
       measures = list())
}

# ---- measures ----------------------------------------------------------------

# list(name, text, words, given) each.
written_measures <- function(measures, by, w) {
  if (length(measures) == 0) return(list())
  values <- named_values(measures)
  texts <- unname(values)
  given <- names(values) %||% rep("", length(texts))
  exprs <- lapply(texts, function(text) tryCatch(text_expression(text), error = function(e) NULL))
  short <- measure_names_said(exprs, rep("", length(exprs)), c(row_columns, by))
  lapply(seq_along(texts), function(i) {
    words <- if (w$style != "strict") measure_said(exprs[[i]], w$names)
    if (w$style == "each" && !is.null(words) && !measure_reads(words, texts[i], w)) words <- NULL
    list(name = given[i], text = texts[i], words = words %||% code_said(texts[i]),
         given = given[i] != short[i])
  })
}

measure_reads <- function(words, text, w) {
  read <- read_sentence(words, w$names)
  length(read$tree) == 1 && read$tree[[1]]$section == "measure" &&
    is.null(read$tree[[1]]$args$name) && identical(text_of_said(read$tree[[1]]$args$measure), text)
}

# Code between backticks, one more of them than stand together in it.
code_said <- function(text) {
  runs <- regmatches(text, gregexpr("`+", text))[[1]]
  ticks <- strrep("`", max(0L, nchar(runs)) + 1L)
  if (startsWith(text, "`") || endsWith(text, "`")) text <- paste0(" ", text, " ")
  paste0(ticks, text, ticks)
}

# A measure in words; NULL where it has none.
measure_said <- function(expr, names) {
  if (is.symbol(expr)) return(word_said(as.character(expr)))
  if (!is.call(expr)) return(NULL)
  fun <- called_name(expr)
  between <- names$words[["between measures"]]
  if (fun %in% names(between) && length(expr) == 3) {
    sides <- lapply(as.list(expr)[-1], function(side) {
      if (rlang::is_call(side, names(between))) NULL else measure_said(side, names)
    })
    if (any(lengths(sides) == 0)) return(NULL)
    if (fun == "/") sides[[2]] <- one_said(expr[[3]], names) %||% sides[[2]]
    return(paste(sides[[1]], between[[fun]][1], sides[[2]]))
  }
  if (!fun %in% names(measure_functions)) return(NULL)
  args <- as.list(expr)[-1]
  named <- names(args) %||% rep("", length(args))
  where <- args$where
  args <- args[named != "where"]
  said <- call_said(fun, args, names)
  if (is.null(said) || is.null(where)) return(said)
  words <- where_said(where, names)
  if (length(words) != 1) return(NULL)
  sprintf("%s (%s)", said, words)
}

# "passenger" in "fare per passenger".
one_said <- function(expr, names) {
  if (rlang::is_call(expr, "entries", n = 0)) return("entry")
  if (!rlang::is_call(expr, "total", n = 1) || !is.symbol(expr[[2]])) return(NULL)
  name <- as.character(expr[[2]])
  words <- name_said(name, names)
  one <- singular_text(words)
  own <- unique(names$index$name[names$index$key == one])
  alone <- identical(names$style, "alone")
  if (startsWith(words, "\"") || !alone && !identical(own, name)) words else one
}

call_said <- function(fun, args, names) {
  named <- base::names(args) %||% rep("", length(args))
  if (length(setdiff(named, c("", "each"))) > 0) return(NULL)
  column <- if (any(named == "")) args[named == ""][[1]]
  if (!is.null(column) && !is.symbol(column))
    return(paste(sub(" \\{.*", "", pattern_of_measure(fun, names)$written),
                 code_said(expression_text(column))))
  name <- if (!is.null(column)) as.character(column)
  if (fun == "total" && (name %in% names$measured || identical(names$style, "alone"))) return(name_said(name, names))
  many <- fun %in% c("distinct", "newcomers", "returning", "lapsed")
  pattern <- pattern_of_measure(fun, names, each = !is.null(args$each))
  if (is.null(pattern)) return(NULL)
  said <- pattern$written
  if (!is.null(name))
    said <- sub("\\{(amount|members)\\}", words_in_sub(name_said(name, names, many)), said)
  if (!is.null(args$each)) said <- sub("{each}", name_said(as.character(args$each), names), said,
                                       fixed = TRUE)
  said
}

words_in_sub <- function(text) gsub("\\", "\\\\", text %||% "", fixed = TRUE)

pattern_of_measure <- function(fun, names, each = FALSE) {
  for (pattern in names$words$measures) {
    if (pattern$verb == fun && ("each" %in% pattern$slots) == each) return(pattern)
  }
}

# A column's name in words, where they are its own alone; in quotes otherwise.
name_said <- function(name, names, plural = FALSE, style = names$style %||% "plain") {
  if (style == "alone") return(gsub("_", " ", if (plural) plural_text(name) else name,
                                    fixed = TRUE))
  words <- key_of_text(gsub("_", " ", name, fixed = TRUE))
  if (plural) words <- plural_text(words)
  index <- names$index
  own <- unique(index$name[index$key == words])
  plain <- style != "strict" && grepl("^[\\p{L}\\p{N} ]+$", words, perl = TRUE) &&
    length(own) == 1 && !grepl("^[0-9]", words)
  parts <- strsplit(words, " ", fixed = TRUE)[[1]]
  # The first word tells what follows; others only where they may end it.
  risky <- if (style == "plain") unlist(names$words[["small words"]])
           else reserved_words(names$words)
  if (plain && !any(parts %in% risky)) words else quoted_name(name)
}

# Words that begin or join clauses, which names in plain words would be taken for.
reserved_words <- function(words) {
  memo <- words_read$reserved
  if (!is.null(memo)) return(memo)
  small <- unlist(words[["small words"]])
  literal <- unlist(lapply(c(words$patterns, words$measures), function(pattern) {
    lapply(pattern$parts, function(part) part$word)
  }))
  words_read$reserved <- unique(c(small, literal, known_words,
                                  unlist(strsplit(unlist(words$compare), " "))))
  words_read$reserved
}

word_said <- function(text) {
  if (grepl("^[\\p{L}_][\\p{L}\\p{N}_]*$", text, perl = TRUE)) text else quoted_name(text)
}

# The measures of the question, or what is asked of the ledger.
question_pieces <- function(record, verb, w) {
  said <- measures_said(w)
  measures <- listed(said, most = Inf)
  if (identical(verb, "why_changed") && length(said) == 1 && !w$measures[[1]]$given) {
    return(list(new_piece(paste0("why ", said, " changed",
                                 details_said(details_of_question(record, verb), verb)), "what")))
  }
  if (is.null(verb)) {
    if (length(said) == 0) return(list())
    return(list(new_piece(measures, "what")))
  }
  asked <- switch(verb, why_changed = "why", stands_out = "what is unusual",
                  compare_members = paste("new and lost", attribute_said(record$member, w, TRUE)),
                  compare_known = sprintf("as known on %s against %s", record$day1, record$day2))
  details <- details_of_question(record, verb)
  asked <- if (!is.null(asked)) paste0(asked, details_said(details, verb))
  c(if (!is.null(asked)) list(new_piece(asked, "what")),
    if (length(said) > 0) list(new_piece(measures, "what")))
}

# "fare as income", each.
measures_said <- function(w) {
  vapply(w$measures, function(one) {
    name <- if (w$style == "plain") word_said(one$name) else quoted_name(one$name)
    paste0(one$words, if (one$given) paste(" as", name))
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
  list(new_piece(paste("by", listed(said, most = Inf)), "by", " "))
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
      written <- if (field == "on" && w$style != "plain") "on {on}" else pattern$written
      return(list(new_piece(sub(sprintf("{%s}", field), shown, written, fixed = TRUE),
                            field_parts[[field]])))
    }
    NULL
  }), recursive = FALSE)
}

attribute_or_basis <- function(name, w) {
  words <- key_of_text(gsub("_", " ", name, fixed = TRUE))
  plain <- w$style != "strict" && grepl("^[\\p{L} ]+$", words, perl = TRUE) &&
    sum(unique(w$names$base_index$name[w$names$base_index$key == words]) != "") == 1 &&
    !any(strsplit(words, " ")[[1]] %in% reserved_words(w$words))
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
  if (is.null(ends)) return(c(span_pieces(record[["span"]], said),
                              spans_pieces(record$spans, said)))
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
  list(new_piece(paste("against", if (back) second else phrase_said(second, w$names)), "second"))
}

span_pieces <- function(span, said) {
  if (is.null(span)) return(list())
  if (rlang::is_string(span)) return(list(new_piece(said(span), "days")))
  span <- unlist(span)
  if (is.null(names(span))) return(list())
  unname(Map(function(phrase, grain) {
    new_piece(sprintf("%s when per %s", said(phrase), grain), "days")
  }, span, names(span)))
}

spans_pieces <- function(spans, said) {
  if (is.null(spans)) return(list())
  phrases <- named_values(spans)
  named <- names(phrases) %||% rep("", length(phrases))
  each <- paste0(vapply(unname(phrases), said, ""),
                 ifelse(nzchar(named), paste(" as", quoted_name(named)), ""))
  list(new_piece(paste("spans", paste(each, collapse = " and ")), "days"))
}

# ---- conditions --------------------------------------------------------------

where_pieces <- function(where, w) {
  if (is.null(where)) return(list())
  expr <- tryCatch(text_expression(where), error = function(e) NULL)
  said <- if (w$style != "strict" && !is.null(expr)) where_said(expr, w$names)
  if (w$style == "each" && !is.null(said) && !where_reads(said, where, w)) said <- NULL
  if (is.null(said)) said <- paste("where", code_said(where))
  lapply(said, new_piece, part = "which")
}

where_reads <- function(said, where, w) {
  read <- read_sentence(paste(said, collapse = ", "), w$names)
  !is.null(read$tree) && identical(text_of_said(where_of_clauses(read$tree)), where)
}

# Clauses for an expression, in order; NULL where it has no words.
where_said <- function(expr, names) {
  parts <- ranges_joined(conditions_joined(expr))
  said <- lapply(parts, function(part) clause_said(part, names))
  if (any(lengths(said) == 0)) return(NULL)
  said <- unlist(said)
  # All that is kept is one clause.
  if (length(said) > 1 && all(startsWith(said, "only ")) &&
      !any(grepl(" or | between ", said))) {
    return(paste("only", paste(sub("^only ", "", said), collapse = " and ")))
  }
  said
}

# The parts of "a & b & c", also where some of them stand in brackets.
conditions_joined <- function(expr) {
  while (rlang::is_call(expr, "(")) {
    inner <- expr[[2]]
    if (!rlang::is_call(inner, c("&", "(", "%in%", "==", "!=", "<", "<=", ">", ">="))) break
    expr <- inner
  }
  if (!rlang::is_call(expr, "&") || length(expr) != 3) return(list(expr))
  c(conditions_joined(expr[[2]]), conditions_joined(expr[[3]]))
}

# "x >= 1" and "x <= 2", one after the other, as the one condition that they are.
ranges_joined <- function(parts) {
  out <- list()
  for (part in parts) {
    before <- if (length(out) > 0) out[[length(out)]]
    range <- rlang::is_call(part, "<=") && rlang::is_call(before, ">=") &&
      identical(part[[2]], before[[2]])
    if (range) out[[length(out)]] <- call("&", before, part)
    else out <- c(out, list(part))
  }
  out
}

clause_said <- function(expr, names) {
  if (rlang::is_call(expr, "!") && rlang::is_call(expr[[2]], "(")) {
    inner <- condition_said(expr[[2]][[2]], names)
    return(if (!is.null(inner)) paste("without", inner))
  }
  inner <- condition_said(expr, names)
  if (!is.null(inner)) paste("only", inner)
}

# One condition in words: a column with its members, or compared; NULL otherwise.
condition_said <- function(expr, names, quote = FALSE) {
  if (is.symbol(expr)) return(name_said(as.character(expr), names))
  if (!is.call(expr)) return(NULL)
  fun <- called_name(expr)
  args <- as.list(expr)[-1]
  if (fun == "&") return(range_said(args, names, quote))
  if (length(args) == 0 || !is.symbol(args[[1]])) return(NULL)
  name <- as.character(args[[1]])
  column <- if (quote) quoted_name(name) else name_said(name, names)
  if (fun == "is_missing") return(paste(column, "is missing"))
  if (length(args) != 2) return(NULL)
  if (fun == "%in%") {
    if (!rlang::is_call(args[[2]], "c")) return(NULL)
    values <- lapply(as.list(args[[2]])[-1], value_said, column = name, names = names,
                     quote = quote)
    if (length(values) < 2 || any(lengths(values) == 0)) return(NULL)
    return(paste(column, listed(unlist(values), most = Inf, last = "or")))
  }
  value <- value_said(args[[2]], name, names, quote)
  if (is.null(value)) return(NULL)
  if (fun == "==") return(paste(column, value))
  if (!fun %in% names(names$words$compare) || fun %in% c("between", "is_missing")) return(NULL)
  if (fun %in% base::names(text_calls)) value <- quoted_name(args[[2]])
  paste(column, names$words$compare[[fun]][1], value)
}

# "fare between 10 and 50"
range_said <- function(sides, names, quote) {
  if (!rlang::is_call(sides[[1]], ">=") || !rlang::is_call(sides[[2]], "<=") ||
      !is.symbol(sides[[1]][[2]]) || !identical(sides[[1]][[2]], sides[[2]][[2]])) return(NULL)
  name <- as.character(sides[[1]][[2]])
  ends <- lapply(sides, function(side) value_said(side[[3]], name, names, quote))
  if (any(lengths(ends) == 0)) return(NULL)
  sprintf("%s %s %s %s %s", if (quote) quoted_name(name) else name_said(name, names),
          names$words$compare$between[1], ends[[1]], small_words(names$words, "and")[1],
          ends[[2]])
}

value_said <- function(value, column, names, quote = FALSE) {
  if (rlang::is_call(value, "-", n = 1) && is.numeric(value[[2]])) value <- -value[[2]]
  if (is.call(value) || length(value) != 1 || is.na(value)) return(NULL)
  if (is.logical(value)) return(small_words(names$words, if (value) "yes" else "no")[1])
  if (is.numeric(value)) {
    if (!is.finite(value)) return(NULL)
    return(digits_text(as.double(value)))
  }
  if (!is.character(value)) return(NULL)
  risky <- if (identical(names$style, "plain")) unlist(names$words[["small words"]])
           else reserved_words(names$words)
  plain <- !quote && grepl("^\\p{L}[\\p{L}\\p{N}]*( [\\p{L}\\p{N}]+)*$", value, perl = TRUE) &&
    !any(strsplit(lower_text(value), " ")[[1]] %in% risky) && is_one_member(value, column, names)
  if (plain) value else quoted_name(value)
}

# Only a member that is there can be said without quotes.
is_one_member <- function(value, column, names) {
  if (identical(names$style, "alone")) return(TRUE)
  if (!column %in% c(names$columns, names$parts)) return(FALSE)
  known <- members_of_column(names, column)
  identical(known$member[rows_of_key(known, key_of_text(value))], value)
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
    kind <- regmatches(text, regexpr(sprintf("\\{%s[^}]*\\}", slot), text))
    text <- sub(kind, slot_said(verb, slot, args[[slot]], w), text, fixed = TRUE)
  }
  rest <- args[setdiff(names(args), c(pattern$slots, names(pattern$fixed)))]
  name <- if (section == "steps" && rlang::is_string(rest$name)) {
    paste(" as", if (w$style == "plain") word_said(rest$name) else quoted_name(rest$name))
  }
  if (!is.null(name)) rest$name <- NULL
  sayable <- vapply(names(rest), function(name) is_detail(verb, name, rest[[name]]), TRUE)
  list(text = paste0(text, details_said(rest[sayable], verb), name),
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
  if (slot %in% c("m", "draw")) return(listed(vapply(value, figure_said, "", w = w), most = Inf))
  if (slot == "rest") return(quoted_name(value))
  if (slot %in% c("of", "across")) {
    return(if (value %in% c("period", "span")) value else attribute_said(value, w))
  }
  if (slot == "from" && !grepl(" back$|^period before$", value))
    return(phrase_said(value, w$names))
  if (slot == "targets" && is.list(value)) return(quoted_name(value$by_hand))
  listed(value, most = Inf)
}

# A column of figures: the measure in words where it was given no name, its name otherwise.
figure_said <- function(name, w) {
  if (w$style == "alone") return(gsub("_", " ", name, fixed = TRUE))
  for (one in w$measures) {
    if (one$name != name || w$style == "strict") next
    if (!one$given && !startsWith(one$words, "`")) return(one$words)
    plain <- grepl("^\\p{L}[\\p{L}\\p{N}]*$", name, perl = TRUE) &&
      !lower_text(name) %in% c(reserved_words(w$words), w$names$index$key)
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
details_said <- function(args, verb) {
  if (length(args) == 0) return("")
  each <- vapply(names(args), function(name) {
    value <- args[[name]]
    said <- if (is.logical(value)) ifelse(value, "yes", "no")
            else if (is.numeric(value)) digits_text(value) else quoted_name(value)
    paste(gsub("_", " ", name, fixed = TRUE), paste(said, collapse = " and "))
  }, "")
  sprintf(" (%s)", paste(each, collapse = ", "))
}

# ---- what a sentence cannot say ----------------------------------------------

left_of_show <- function(record, verb) {
  if (is.null(verb)) return(NULL)
  details <- details_of_question(record, verb)
  odd <- names(details)[!vapply(names(details), function(name) is_detail(verb, name,
                                                                         details[[name]]), TRUE)]
  if (length(odd) > 0) gsub("_", " ", odd)
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
