# Conditions in a sentence: "only route Tern Head or Gull Rock", "without channel web", "fare above
# 100", as the expressions that they stand for. A reading's value is an expression.

# A whole clause, with "only" or "without" before it: list(value, to), or NULL.
read_condition_clause <- function(r, at) {
  best <- NULL
  for (pattern in Filter(function(one) one$section == "condition", r$words$patterns)) {
    for (one in match_pattern(r, pattern, at)) {
      if (!is.null(best) && one$to <= best$to) next
      best <- list(value = condition_of_pattern(r, pattern, one, at), to = one$to)
    }
  }
  best
}

condition_of_pattern <- function(r, pattern, found, at) {
  expr <- found$value$condition %||% found$value$comparison
  if (pattern$verb != "leave") return(expr)
  check_leaves_one(r, expr, at, found$to)
  all_but(expr)
}

# What is left when the entries of a condition are taken out: also those of which the condition
# tells nothing, as a column is missing.
all_but <- function(expr) {
  rest <- call("!", call("(", expr))
  if (rlang::is_call(expr, "is_missing")) return(rest)
  Reduce(function(a, column) call("|", a, call("is_missing", as.symbol(column))), all.vars(expr),
         rest)
}

# Notes on columns of which "not" tells nothing where they are missing: those are not kept.
missing_not_kept <- function(expr, names) {
  denied <- character()
  look <- function(part) {
    if (!is.call(part)) return(invisible())
    fun <- called_name(part)
    if (fun == "!=") denied <<- c(denied, all.vars(part))
    if (fun == "!") denied <<- c(denied, all.vars(part))
    if (fun == "is_missing") kept <<- c(kept, all.vars(part))
    for (one in as.list(part)[-1]) if (!rlang::is_missing(one)) look(one)
  }
  kept <- character()
  look(expr)
  for (column in setdiff(intersect(denied, names$columns), kept)) {
    if (!isTRUE(source_column(names$x, column)$has_missing)) denied <- setdiff(denied, column)
  }
  denied <- setdiff(intersect(unique(denied), names$columns), kept)
  sprintf("Entries without %s are not kept: say `without %s ...` to leave out no others.",
          gsub("_", " ", denied), gsub("_", " ", denied))
}

# "without a and b" of two columns: neither, or not both? It is asked.
check_leaves_one <- function(r, expr, at, to) {
  two <- is.call(expr) && called_name(expr) %in% c("&", "|")
  # "between" is one condition of one column.
  if (!two || !is.null(range_said(as.list(expr)[-1], r$names, FALSE))) return(invisible())
  sides <- as.list(expr)[-1]
  said <- vapply(sides, function(side) condition_said(side, r$names) %||% expression_text(side), "")
  ask_which(r, at, to, c(
    sprintf("To leave out both say `without %s, without %s`.", said[1], said[2]),
    sprintf("To leave out what is both say `` where `%s` ``.",
            expression_text(all_but(call("&", sides[[1]], sides[[2]]))))))
}

# Conditions joined by "and" and "or"; "and" binds before "or".
read_conditions <- function(r, at) {
  first <- read_all_of(r, at)
  if (is.null(first)) return(list())
  expr <- first$value
  to <- first$to
  while (word_of(r, to) %in% r$or) {
    more <- read_all_of(r, to + 1L)
    if (is.null(more)) break
    expr <- call("|", expr, more$value)
    to <- more$to
  }
  one_reading(expr, to)
}

read_all_of <- function(r, at) {
  first <- read_one_condition(r, at)
  if (is.null(first)) return(NULL)
  expr <- first$value
  to <- first$to
  while (word_of(r, to) %in% r$and) {
    more <- read_one_condition(r, to + 1L)
    if (is.null(more)) break
    other <- if (rlang::is_call(more$value, "|")) call("(", more$value) else more$value
    expr <- call("&", expr, other)
    to <- more$to
  }
  list(value = expr, to = to)
}

# The longest of what one condition may be; of several as long, which is asked.
read_one_condition <- function(r, at) {
  at <- past_article(r, at)
  if (word_kind(r, at) == "code") return(read_code_condition(r, at))
  if (word_of(r, at) == "(") {
    inner <- read_conditions(r, at + 1L)
    if (length(inner) > 0 && word_of(r, inner[[1]]$to) == ")")
      return(list(value = call("(", inner[[1]]$value), to = inner[[1]]$to + 1L))
    return(NULL)
  }
  found <- c(read_comparisons(r, at), read_column_values(r, at), read_below_zero(r, at),
             read_flag_alone(r, at))
  # All members of a database are asked for only where nothing else is meant.
  if (length(found) == 0 || !r$names$far) found <- c(found, read_members_alone(r, at))
  found <- c(found, read_days_alone(r, at))
  if (length(found) == 0) {
    could_stand(r, at, slot_says$condition)
    return(NULL)
  }
  to <- vapply(found, `[[`, 1, "to")
  found <- found[to == max(to)]
  found <- found[!duplicated(lapply(found, function(one) expression_text(one$value)))]
  if (length(found) > 1) {
    said <- vapply(found, function(one) condition_said(one$value, r$names, quote = TRUE) %||%
                     sprintf("`%s`", expression_text(one$value)), "")
    ask_which(r, at, max(to), sprintf("Say `%s`.", said))
  }
  found[[1]]
}

read_code_condition <- function(r, at) {
  expr <- tryCatch(plain_expression(r$token$value[at], "a condition", NULL),
                   rollingledger_error = function(e) {
                     sentence_problem(first_line(e), from = at)
                   })
  if (is.call(expr)) attr(expr, "text") <- r$token$value[at]
  list(value = expr, to = at + 1L)
}

# ---- a column compared -------------------------------------------------------

read_comparison_words <- function(r, at) {
  found <- read_comparisons(r, at)
  if (length(found) == 0) return(found)
  to <- vapply(found, `[[`, 1, "to")
  found[to == max(to)][1]
}

# "fare above 100", "fare between 10 and 50", "channel is web", "route holds \"rock\""
read_comparisons <- function(r, at) {
  out <- list()
  for (column in columns_at(r, at)) {
    symbol <- as.symbol(column$name)
    sign <- compare_sign(r, column$to)
    if (is.null(sign)) {
      could_stand(r, column$to, "a comparison such as above 100, or a member")
      next
    }
    made <- compared_with(r, symbol, column$name, sign)
    if (!is.null(made)) out <- c(out, list(made))
  }
  out
}

# The comparison that stands here, by its longest words: list(op, to).
compare_sign <- function(r, at) {
  if (!r$text[at] %in% r$words$compare_first) return(NULL)
  best <- NULL
  # "is above" as "above".
  if (r$text[at] %in% r$words$compare[["=="]]) {
    best <- compare_sign(r, at + 1L)
    if (!is.null(best)) return(best)
  }
  for (op in names(r$words$compare)) {
    found <- read_choice_words(r, at, r$words$compare[[op]])
    if (length(found) == 0) next
    if (is.null(best) || found[[1]]$to > best$to) best <- list(op = op, to = found[[1]]$to)
  }
  best
}

compared_with <- function(r, symbol, column, sign) {
  op <- sign$op
  if (op == "is_missing") return(list(value = call("is_missing", symbol), to = sign$to))
  if (op %in% names(text_calls)) {
    text <- read_text_words(r, sign$to)
    if (length(text) == 0) {
      could_stand(r, sign$to, "a text in quotes")
      return(NULL)
    }
    last <- text[[length(text)]]
    return(list(value = call(op, symbol, last$value), to = last$to))
  }
  first <- read_column_value(r, sign$to, column)
  if (is.null(first)) return(NULL)
  if (op == "between") {
    if (!word_of(r, first$to) %in% r$and) {
      could_stand(r, first$to, "\"and\"")
      return(NULL)
    }
    second <- read_column_value(r, first$to + 1L, column)
    if (is.null(second)) return(NULL)
    return(list(value = call("&", call(">=", symbol, first$value),
                             call("<=", symbol, second$value)), to = second$to))
  }
  if (op == "==") return(values_of_column(r, symbol, column, first))
  if (op == "!=") {
    all <- values_of_column(r, symbol, column, first)
    if (rlang::is_call(all$value, "%in%")) all$value <- call("!", call("(", all$value))
    else all$value[[1]] <- as.symbol("!=")
    return(all)
  }
  list(value = call(op, symbol, first$value), to = first$to)
}

# A column and one of its values, or several: "channel web or app".
read_column_values <- function(r, at) {
  out <- list()
  for (column in columns_at(r, at)) {
    first <- read_column_value(r, column$to, column$name)
    if (is.null(first)) next
    out <- c(out, list(values_of_column(r, as.symbol(column$name), column$name, first)))
  }
  out
}

# Further values of the column after a first one, joined by commas, "and" or "or".
values_of_column <- function(r, symbol, column, first) {
  values <- list(first$value)
  to <- first$to
  repeat {
    after <- past_list_sign(r, to, c(",", r$and, r$or))
    if (after == to) break
    # What is a condition of another column is no value of this one.
    more <- read_column_value(r, after, column, quiet = TRUE)
    if (is.null(more)) break
    values <- c(values, list(more$value))
    to <- more$to
  }
  if (length(values) == 1) return(list(value = call("==", symbol, values[[1]]), to = to))
  list(value = call("%in%", symbol, as.call(c(as.symbol("c"), values))), to = to)
}

# One value of a column: list(value, to), or NULL.
read_column_value <- function(r, at, column, quiet = FALSE) {
  at <- past_article_of_value(r, at, column)
  part <- column %in% r$names$parts
  holds <- if (part) "text" else r$names$holds[[column]]
  found <- switch(holds,
    amounts = read_number_words(r, at),
    days = read_day_words(r, at),
    flags = read_yes_or_no(r, at),
    read_member_of(r, at, column))
  if (length(found) == 0 && part) found <- read_number_words(r, at)
  if (length(found) > 0) return(found[[1]])
  if (!quiet) {
    could_stand(r, at, switch(holds, amounts = "a number", days = "a day such as 2026-08-31",
                              flags = "yes or no", sprintf("a member of %s", column)))
    if (holds %in% c("text", "levels", "ordered") && at >= r$far) r$sought <- list(at = at,
                                                                                 column = column)
  }
  NULL
}

# An article before a member is free, unless the member has one of its own.
past_article_of_value <- function(r, at, column) {
  after <- past_article(r, at)
  text <- column %in% r$names$parts || r$names$holds[[column]] %in% c("text", "levels", "ordered")
  if (after > at && text && length(read_member_of(r, at, column)) > 0) at else after
}

read_yes_or_no <- function(r, at) {
  word <- word_of(r, at)
  if (word %in% c(small_words(r$words, "yes"), "true")) return(one_reading(TRUE, at + 1L))
  if (word %in% c(small_words(r$words, "no"), "false")) return(one_reading(FALSE, at + 1L))
  list()
}

# A member of a column, the longest that stands here; in quotes any text.
read_member_of <- function(r, at, column) {
  if (word_kind(r, at) == "quoted") return(one_reading(r$token$value[at], at + 1L))
  known <- members_of_column(r$names, column)
  for (size in rev(seq_len(min(known$size, r$n + 1L - at)))) {
    here <- at - 1L + seq_len(size)
    if (!all(nzchar(r$text[here]))) next
    rows <- rows_of_key(known, paste(r$text[here], collapse = " "))
    if (length(rows) == 0) next
    found <- known$member[rows]
    raw <- words_between(r, at, at + size)
    if (length(found) > 1 && raw %in% found) found <- raw
    if (length(found) > 1) {
      ask_which(r, at, at + size, sprintf("Say `%s %s`, in quotes.", quoted_name(column),
                                          quoted_name(found)))
    }
    return(one_reading(found, at + size))
  }
  list()
}

# ---- without a column --------------------------------------------------------

# Members by name alone, where one column has the first of them.
read_members_alone <- function(r, at) {
  known <- members_said(r$names)
  for (size in rev(seq_len(min(known$size, r$n + 1L - at)))) {
    here <- at - 1L + seq_len(size)
    quoted <- size == 1L && word_kind(r, at) == "quoted"
    if (!quoted && !all(nzchar(r$text[here]))) next
    key <- if (quoted) key_of_text(r$token$value[at])
           else paste(r$text[here], collapse = " ")
    rows <- rows_of_key(known, key)
    raw <- if (quoted) r$token$value[at] else words_between(r, at, at + size)
    if (any(known$member[rows] == raw)) rows <- rows[known$member[rows] == raw]
    if (length(rows) == 0) next
    if (length(rows) > 1) ask_which_member(r, at, at + size, known, rows)
    column <- known$column[rows]
    return(list(values_of_column(r, as.symbol(column), column,
                                 list(value = known$member[rows], to = at + size))))
  }
  list()
}

ask_which_member <- function(r, at, to, known, rows) {
  rows <- utils::head(rows, 5)
  ask_which(r, at, to, vapply(rows, function(i) {
    sprintf("It is a member of %s (%s): say `%s %s`.", known$column[i],
            entries_of_member(r$names, known$column[i], known$member[i]),
            quoted_name(known$column[i]), quoted_name(known$member[i]))
  }, ""))
}

read_below_zero <- function(r, at) {
  if (!word_of(r, at) %in% unlist(r$words[["below zero"]])) {
    found <- read_choice_words(r, at, unlist(r$words[["below zero"]]))
    if (length(found) == 0) return(list())
  } else found <- one_reading("refunds", at + 1L)
  if (length(columns_at(r, at)) > 0) return(list())
  amount <- main_amount(r, at)
  if (!is.symbol(amount[[2]])) return(list())
  list(list(value = call("<", amount[[2]], 0), to = found[[1]]$to))
}

# "Fridays", "days off": days by what the calendar calls them, where no column is named so.
read_days_alone <- function(r, at) {
  out <- list()
  for (part in parts_said_alone(r$names)) {
    known <- days_of_part(r$names, part)
    values <- NULL
    to <- at
    repeat {
      after <- if (to == at) at else past_list_sign(r, to, c(",", r$and, r$or))
      one <- if (to == at || after > to) read_days_called(r, after, known)
      if (is.null(one)) break
      values <- c(values, one$value)
      to <- one$to
    }
    if (length(values) == 0) next
    value <- if (length(values) == 1) call("==", as.symbol(part), values)
             else call("%in%", as.symbol(part), as.call(c(as.symbol("c"), as.list(values))))
    out <- c(out, list(list(value = value, to = to)))
  }
  out
}

parts_said_alone <- function(names) intersect(c("weekday", "working_day"), names$parts)

read_days_called <- function(r, at, known) {
  at <- past_article(r, at)
  for (size in rev(seq_len(min(known$size, r$n + 1L - at)))) {
    said <- paste(r$text[at - 1L + seq_len(size)], collapse = " ")
    row <- match(said, known$key)
    if (!is.na(row)) return(list(value = known$member[row], to = at + size))
  }
  NULL
}

# Members of a calendar part by their names in the singular and plural.
days_of_part <- function(names, part) {
  member <- members_of_column(names, part)$member
  key <- member_keys(member)
  several <- vapply(key, function(one) {
    if (one == "day off") "days off" else plural_text(one)
  }, "", USE.NAMES = FALSE)
  key <- c(key, several)
  list(key = key, member = rep(member, 2),
       size = max(0L, lengths(strsplit(key, " ", fixed = TRUE))))
}

read_flag_alone <- function(r, at) {
  found <- Filter(function(one) {
    one$name %in% r$names$columns && r$names$holds[[one$name]] == "flags"
  }, columns_at(r, at))
  lapply(found, function(one) list(value = as.symbol(one$name), to = one$to))
}
