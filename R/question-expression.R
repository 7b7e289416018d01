# Expressions of measures and conditions as text, and back, without loss: what is read from the text
# is what was written. Code is never run; see measure-.R for what is understood of it.

# How tightly signs bind, as R reads them; 99 for whatever holds together by itself.
sign_strengths <- c("|" = 1, "||" = 1, "&" = 2, "&&" = 2, "!" = 3, "==" = 4, "!=" = 4, "<" = 4,
                    "<=" = 4, ">" = 4, ">=" = 4, "+" = 5, "-" = 5, "*" = 6, "/" = 6, "%in%" = 7,
                    ":" = 8, "^" = 10)
sign_before <- 9  # a sign in front of what follows

# The text of code: a call, a name or a value.
expression_text <- function(expr) {
  if (rlang::is_quosure(expr)) expr <- rlang::quo_get_expr(expr)
  if (rlang::is_missing(expr)) return("")
  if (is.symbol(expr)) return(name_text(as.character(expr)))
  if (!is.call(expr)) return(value_text(expr))
  fun <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else ""
  args <- as.list(expr)[-1]
  if (fun == "(" && length(args) == 1) return(paste0("(", expression_text(args[[1]]), ")"))
  if (fun %in% names(sign_strengths) && length(args) == 2 && is.null(names(args))) {
    return(between_text(fun, args))
  }
  if (fun %in% c("!", "-", "+") && length(args) == 1) {
    own <- if (fun == "!") sign_strengths[["!"]] else sign_before
    return(paste0(fun, within_brackets(args[[1]], own)))
  }
  called <- if (nzchar(fun)) name_text(fun) else expression_text(expr[[1]])
  said <- vapply(args, expression_text, "", USE.NAMES = FALSE)
  named <- names(args) %||% rep("", length(args))
  equals <- ifelse(nzchar(named), paste0(name_text(named), " = "), "")
  paste0(called, "(", paste0(equals, said, collapse = ", "), ")")
}

# "a + b": what binds less tightly stands in brackets, and so does an equal on the right.
between_text <- function(fun, args) {
  own <- sign_strengths[[fun]]
  compares <- own == sign_strengths[["=="]]
  sides <- c(within_brackets(args[[1]], own + if (compares) 0.5 else 0),
             within_brackets(args[[2]], own + 0.5))
  paste(sides, collapse = if (fun == ":") fun else paste0(" ", fun, " "))
}

within_brackets <- function(expr, least) {
  text <- expression_text(expr)
  if (strength_of(expr) >= least) text else paste0("(", text, ")")
}

strength_of <- function(expr) {
  # A number below zero is written with a sign in front.
  if (is.numeric(expr) && length(expr) == 1 && !is.na(expr) && expr < 0) return(sign_before)
  if (!is.call(expr) || !is.symbol(expr[[1]])) return(99)
  fun <- as.character(expr[[1]])
  if (length(expr) == 2 && fun %in% c("-", "+")) return(sign_before)
  if (length(expr) == 2 && fun == "!") return(sign_strengths[["!"]])
  if (length(expr) == 3 && fun %in% names(sign_strengths)) sign_strengths[[fun]] else 99
}

name_text <- function(names) {
  plain <- make.names(names) == names & !grepl("[^ -~]", names)
  ifelse(plain, names, paste0("`", gsub("([\\\\`])", "\\\\\\1", names), "`"))
}

# Values as they are written: 1.5, "web", TRUE, c("a", "b"). Days are text, as they are read.
value_text <- function(value) {
  if (is.null(value)) return("NULL")
  if (is.factor(value)) value <- as.character(value)
  if (inherits(value, "Date")) value <- iso_day(day_numbers(value))
  if (inherits(value, "POSIXt")) value <- format(value, "%Y-%m-%d %H:%M:%S")
  if (inherits(value, "integer64")) value <- digits_of_64_bits(value)
  if (!is.atomic(value) || is.object(value) || !typeof(value) %in% names(missing_codes)) {
    return(paste(trimws(deparse(value, width.cutoff = 500L)), collapse = " "))
  }
  each <- switch(typeof(value), character = quoted_text(value), logical = as.character(value),
                 number_code(value))
  absent <- is.na(value) & !is_no_number(value)
  each[absent] <- if (all(absent)) missing_codes[[typeof(value)]] else "NA"
  if (length(each) == 1) each else paste0("c(", paste(each, collapse = ", "), ")")
}

missing_codes <- c(character = "NA_character_", logical = "NA", double = "NA_real_",
                   integer = "NA_integer_")

is_no_number <- function(value) if (is.double(value)) is.nan(value) else logical(length(value))

# Small ones are numbers; digits that doubles cannot tell apart are text.
digits_of_64_bits <- function(value) {
  digits <- digits_text(value)
  small <- is.na(digits) | nchar(sub("^-", "", digits)) < 16
  if (all(small)) as.double(digits) else digits
}

number_code <- function(value) {
  text <- digits_text(value)
  text[is_no_number(value)] <- "NaN"
  infinite <- which(is.infinite(value))
  text[infinite] <- ifelse(value[infinite] > 0, "Inf", "-Inf")
  text
}

quoted_text <- function(text) {
  text <- enc2utf8(text)
  text <- gsub("\\", "\\\\", text, fixed = TRUE)
  text <- gsub("\"", "\\\"", text, fixed = TRUE)
  for (letter in names(letters_escaped)) {
    text <- gsub(letter, letters_escaped[[letter]], text, fixed = TRUE)
  }
  odd <- grepl("[[:cntrl:]]", text)
  text[odd] <- vapply(text[odd], escaped_controls, "", USE.NAMES = FALSE)
  paste0("\"", text, "\"")
}

letters_escaped <- c("\n" = "\\n", "\t" = "\\t", "\r" = "\\r")

# The expression of a text. Where the session's letters are not those of Unicode, others stand for
# themselves by number.
text_expression <- function(text) {
  if (!isTRUE(l10n_info()[["UTF-8"]]) && grepl("[^ -~]", text)) {
    code <- utf8ToInt(enc2utf8(text))
    letters <- vapply(code, intToUtf8, "")
    text <- paste(ifelse(code > 126, sprintf("\\U%08x", code), letters), collapse = "")
  }
  rlang::parse_expr(text)
}

# Code in messages, cut where it is long.
code_text <- function(expr) shortened_text(expression_text(expr))

# An expression from bare code, a quosure or text; text is read, never run.
plain_expression <- function(expr, what, call) {
  if (rlang::is_quosure(expr)) expr <- rlang::quo_get_expr(expr)
  if (!is.character(expr)) return(check_depth(expr, what, call))
  if (length(expr) != 1 || is.na(expr))
    refuse_measure(sprintf("%s must be one text.", what), call = call)
  tryCatch(check_depth(text_expression(expr), what, call), error = function(e) {
    if (inherits(e, "rollingledger_error")) stop(e)
    refuse_measure(c(sprintf("\"%s\" cannot be read as %s.", shortened_text(expr), what),
                     i = if (what == "a condition") "For example: channel == \"web\" & fare > 0."
                         else "For example: total(fare) / entries()."), call = call)
  })
}

# Calls within calls are walked through by functions that call themselves, which must not run out of
# room. The walk here does not.
check_depth <- function(expr, what, call) {
  level <- list(expr)
  for (depth in seq_len(most_depth)) {
    calls <- Filter(is.call, level)
    if (length(calls) == 0) return(expr)
    level <- unlist(lapply(calls, function(inner) as.list(inner)[-1]), recursive = FALSE)
    level <- Filter(function(part) !rlang::is_missing(part), level)
  }
  refuse_measure(c(sprintf("%s has more than %d calls within each other.", heading_first(what),
                           most_depth), i = "Of many values say x %in% c(...)."), call = call)
}

most_depth <- 250L

# Measures as they were asked for: named texts.
measure_texts <- function(expressions, call = caller_env()) {
  if (length(expressions) == 0) return(c(entries = "entries()"))
  vapply(expressions, function(expr) {
    expression_text(plain_expression(expr, "a measure", call))
  }, "")
}

# The text of a condition given as code or as text, or NULL.
condition_text <- function(quo, call = caller_env()) {
  if (rlang::quo_is_null(quo) || rlang::quo_is_missing(quo)) return(NULL)
  expression_text(plain_expression(quo, "a condition", call))
}
