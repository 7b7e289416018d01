# Conditions in the words of sentences.

where_pieces <- function(where, w) {
  if (is.null(where)) return(list())
  expr <- tryCatch(text_expression(where), error = function(e) NULL)
  said <- if (w$style != "strict" && !is.null(expr)) where_said(expr, w$names)
  if (w$style == "each" && !is.null(said) && !where_reads(said, where, w)) said <- NULL
  if (is.null(said)) said <- words_filled(w, "condition", "code", c(condition = code_said(where)))
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
  kept <- vapply(parts, function(part) is.null(condition_left_out(part)), TRUE)
  several <- vapply(parts, function(part) any(c("&", "%in%") %in% all.names(part)), TRUE)
  if (length(said) > 1 && all(kept) && !any(several)) {
    inner <- vapply(parts, condition_said, "", names = names)
    and <- sprintf(" %s ", small_words(names$words, "and")[1])
    return(condition_filled("keep", paste(inner, collapse = and), names))
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
  left_out <- condition_left_out(expr)
  if (!is.null(left_out)) {
    inner <- condition_said(left_out, names)
    return(if (!is.null(inner)) condition_filled("leave", inner, names))
  }
  inner <- condition_said(expr, names)
  if (!is.null(inner)) condition_filled("keep", inner, names)
}

condition_filled <- function(verb, said, names) {
  words_filled(list(words = names$words), "condition", verb, c(condition = said))
}

# The condition whose entries all_but() leaves out; NULL for any other.
condition_left_out <- function(expr) {
  while (rlang::is_call(expr, "(")) expr <- expr[[2]]
  inner <- expr
  while (rlang::is_call(inner, "|", n = 2)) inner <- inner[[2]]
  if (!rlang::is_call(inner, "!") || !rlang::is_call(inner[[2]], "(")) return(NULL)
  inner <- inner[[2]][[2]]
  if (identical(expression_text(all_but(inner)), expression_text(expr))) inner
}

# One condition in words: a column with its members, or compared; NULL otherwise.
condition_said <- function(expr, names, quote = FALSE) {
  if (is.symbol(expr)) return(name_said(as.character(expr), names))
  if (!is.call(expr)) return(NULL)
  fun <- called_name(expr)
  args <- as.list(expr)[-1]
  if (fun == "&") return(range_said(args, names, quote))
  # "channel is not a or b"
  if (fun == "!" && rlang::is_call(args[[1]], "(") && rlang::is_call(args[[1]][[2]], "%in%")) {
    inner <- args[[1]][[2]]
    said <- condition_said(inner, names, quote)
    if (is.null(said)) return(NULL)
    column <- if (quote) quoted_name(as.character(inner[[2]]))
              else name_said(as.character(inner[[2]]), names)
    return(paste(column, names$words$compare[["!="]][1], substring(said, nchar(column) + 2)))
  }
  if (length(args) == 0 || !is.symbol(args[[1]])) return(NULL)
  name <- as.character(args[[1]])
  column <- if (quote) quoted_name(name) else name_said(name, names)
  if (fun == "is_missing") return(paste(column, names$words$compare$is_missing[1]))
  if (length(args) != 2) return(NULL)
  if (fun == "%in%") {
    if (!rlang::is_call(args[[2]], "c")) return(NULL)
    values <- lapply(as.list(args[[2]])[-1], value_said, column = name, names = names,
                     quote = quote)
    if (length(values) < 2 || any(lengths(values) == 0)) return(NULL)
    return(paste(column, joined_said(unlist(values), names, "or")))
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
  if (is.language(value) || length(value) != 1 || is.na(value)) return(NULL)
  if (is.logical(value)) return(flags_said(value, names$words))
  if (is.numeric(value)) {
    if (!is.finite(value)) return(NULL)
    return(digits_text(as.double(value)))
  }
  if (!is.character(value)) return(NULL)
  risky <- if (identical(names$style, "plain")) unlist(names$words[["small words"]])
           else names$words$reserved
  plain <- !quote && grepl("^\\p{L}[\\p{L}\\p{N}]*( [\\p{L}\\p{N}]+)*$", value, perl = TRUE) &&
    !any(strsplit(lower_text(value), " ")[[1]] %in% risky) && is_one_member(value, column, names)
  if (plain) value else quoted_name(value)
}

# Only a member that is there can be said without quotes.
is_one_member <- function(value, column, names) {
  if (identical(names$style, "alone")) return(TRUE)
  if (!column %in% c(names$columns, names$parts)) return(FALSE)
  if (isTRUE(names$far) && !column %in% names$parts) return(FALSE)
  known <- members_of_column(names, column)
  identical(known$member[rows_of_key(known, key_of_text(value))], value)
}
