# Measures in a sentence: "fare", "number of accounts", "fare per passenger", as the calls that they
# stand for. A reading's value is an expression.

# One measure, or two with a sign between them; remembered.
read_measure_words <- function(r, at) {
  before <- r$measures_read
  if (length(before) >= at && !is.null(before[[at]])) return(before[[at]])
  found <- measure_readings(r, at)
  r$measures_read[[at]] <- found
  found
}

measure_readings <- function(r, at) {
  out <- list()
  for (one in read_measure_term(r, at)) {
    out <- c(out, list(one))
    sign <- sign_between(r, one$to)
    if (is.null(sign)) next
    after <- past_article(r, sign$to)
    second <- read_measure_term(r, after)
    if (sign$sign == "/") check_per(r, one$to, after, second)
    for (two in second) {
      out <- c(out, list(list(value = call(sign$sign, one$value, two$value), to = two$to)))
    }
  }
  out
}

# list(sign, to): "per", "less", ...
sign_between <- function(r, at) {
  if (!r$text[at] %in% r$words$operators) return(NULL)
  for (sign in names(r$words[["between measures"]])) {
    for (words in r$words[["between measures"]][[sign]]) {
      found <- read_choice_words(r, at, words)
      if (length(found) > 0) return(list(sign = sign, to = found[[1]]$to, word = words))
    }
  }
}

# "per month" is a grain; where it may be a measure as well, or a group, it is asked.
check_per <- function(r, from, at, second) {
  grain <- read_grain_word(r, at)
  if (length(grain) > 0 && length(second) > 0 && second[[1]]$to <= grain[[1]]$to) {
    ask_which(r, from, second[[1]]$to, c(
      sprintf("For a row for each %s say `each %s`.", grain[[1]]$value, grain[[1]]$value),
      sprintf("For a ratio say `per %s`.", explicit_measure(second[[1]]$value))))
  }
  column <- columns_at(r, at)
  text <- length(column) > 0 && length(second) == 0 && length(grain) == 0 &&
    column[[1]]$name %in% r$names$columns
  if (!text) return(invisible())
  name <- column[[1]]$name
  ask_which(r, from, column[[1]]$to, c(
    sprintf("For a row for each %s say `by %s`.", name, quoted_name(name)),
    sprintf("For a ratio say `per number of %s`.", quoted_name(name))))
}

read_measure_term <- function(r, at) {
  found <- read_bare_term(r, at)
  out <- list()
  for (one in found) {
    with <- read_measure_condition(r, one)
    out <- c(out, if (is.null(with)) list(one) else list(with))
  }
  out
}

read_bare_term <- function(r, at) {
  if (word_kind(r, at) == "code") return(read_code_measure(r, at))
  named <- read_name_given(r, at)
  out <- list()
  opening <- unique(c(r$text[at], r$text[r$past[at]]))
  for (word in opening[nzchar(opening)]) for (pattern in r$words$measures_by_opening[[word]]) {
    for (one in match_pattern(r, pattern, at)) {
      fun <- pattern$verb
      if (fun == "counted") {
        check_counted(r, at, one)
        fun <- "distinct"
      }
      out <- c(out, list(list(value = measure_of_pattern(fun, one$value), to = one$to)))
    }
  }
  out <- c(out, read_bare_measure(r, at), if (length(named) == 0) read_main_amount(r, at))
  # A name that is given goes before what is no longer.
  longer <- vapply(out, function(one) length(named) == 0 || one$to > named[[1]]$to, TRUE)
  out <- if (any(longer)) out[longer] else named
  if (length(out) < 2) return(out)
  # Of several the longest, and each once.
  to <- vapply(out, `[[`, 1, "to")
  out <- out[to == max(to)]
  out[!duplicated(lapply(out, `[[`, "value"))]
}

# "number of births", where births are an amount: their sum, or how many values there are? It is
# asked.
check_counted <- function(r, at, found) {
  column <- found$value$members
  if (!is.character(column) || !column %in% r$names$measured) return(invisible())
  words <- column_said(as.symbol(column))
  ask_which(r, at, found$to, c(
    sprintf("For the sum say `total of %s`.", words),
    sprintf("For how many values there are say `number of different %s`.", words)))
}

measure_of_pattern <- function(fun, values) {
  column <- values$amount %||% values$members
  args <- if (!is.null(column)) list(if (is.character(column)) as.symbol(column) else column)
  if (!is.null(values$each)) args$each <- as.symbol(values$each)
  as.call(c(as.symbol(fun), args))
}

# Code between backticks, which is read and never run.
read_code_measure <- function(r, at) {
  expr <- tryCatch(plain_expression(r$token$value[at], "a measure", NULL),
                   rollingledger_error = function(e) {
                     sentence_problem(first_line(e), from = at)
                   })
  one_reading(expr, at + 1L)
}

# A name that the sentence gives to a measure of its own.
read_name_given <- function(r, at) {
  if (length(r$named) == 0) return(list())
  value <- if (at <= r$n) r$token$value[at] else ""
  if (!value %in% r$named || word_kind(r, at) == "code") return(list())
  # Where it is a column too, the column is meant.
  if (value %in% r$names$columns) return(list())
  one_reading(as.symbol(value), at + 1L)
}

# A column by itself: an amount is added up; members in the plural are counted.
read_bare_measure <- function(r, at) {
  if (word_kind(r, at) == "quoted") return(list())
  out <- list()
  for (one in columns_at(r, at)) {
    if (one$name %in% r$names$parts) next
    holds <- r$names$holds[[one$name]]
    if (holds == "amounts" && one$name %in% r$names$measured)
      out <- c(out, list(list(value = call("total", as.symbol(one$name)), to = one$to)))
    else if (holds != "days" && isTRUE(one$plural))
      out <- c(out, list(list(value = call("distinct", as.symbol(one$name)), to = one$to)))
  }
  out
}

# "income": the one amount that the ledger is about.
read_main_amount <- function(r, at) {
  word <- word_of(r, at)
  if (!word %in% r$words[["the amount"]]$amount) return(list())
  # A column of that name goes before it.
  if (length(columns_at(r, at)) > 0) return(list())
  one_reading(main_amount(r, at), at + 1L)
}

main_amount <- function(r, at) {
  amounts <- r$names$main
  money <- r$names$money
  if (length(money) == 1) amounts <- money
  if (length(amounts) == 1) return(text_expression(amounts))
  sentence_problem(
    sprintf("\"%s\" may be any of %s.", words_between(r, at, at + 1L),
            if (length(amounts) == 0) "no amount of the ledger" else count_text(length(amounts),
                                                                               "amount")),
    hint = if (length(amounts) > 0)
      sprintf("Say %s.", listed(sprintf("`%s`", substring(amounts, 7, nchar(amounts) - 1L)),
                                last = "or")), from = at)
}

# A column of amounts, or code that works one out.
read_amount <- function(r, at) {
  if (word_kind(r, at) == "code") return(read_code_measure(r, at))
  found <- columns_at(r, at)
  found <- Filter(function(one) {
    one$name %in% r$names$columns && r$names$holds[[one$name]] == "amounts"
  }, found)
  out <- lapply(found, function(one) list(value = one$name, to = one$to))
  if (length(out) > 0 || !word_of(r, at) %in% r$words[["the amount"]]$amount) return(out)
  one_reading(as.character(main_amount(r, at)[[2]]), at + 1L)
}

# "fare (only channel web)"
read_measure_condition <- function(r, one) {
  if (word_of(r, one$to) != "(") return(NULL)
  if (!is.call(one$value) || !called_name(one$value) %in% names(measure_functions)) return(NULL)
  found <- read_condition_clause(r, one$to + 1L)
  if (is.null(found) || word_of(r, found$to) != ")") return(NULL)
  one$value$where <- found$value
  one$to <- found$to + 1L
  one
}

# One of the statement's measures: as a measure is said, or by its name.
read_measure_named <- function(r, at) {
  said <- lapply(read_measure_words(r, at), function(one) {
    list(value = list(measure = one$value, name = words_between(r, at, one$to)), to = one$to)
  })
  quoted <- if (word_kind(r, at) == "quoted")
    one_reading(list(name = r$token$value[at]), at + 1L)
  word <- if (word_kind(r, at) == "word" && grepl("_", r$token$text[at], fixed = TRUE))
    one_reading(list(name = r$token$value[at]), at + 1L)
  c(quoted, said, if (length(said) == 0) word)
}

# ---- names of measures -------------------------------------------------------

# A short name for a measure that was given none: of what it is, in its own words.
short_measure_name <- function(expr) {
  if (is.symbol(expr)) return(as.character(expr))
  if (!is.call(expr)) return("figure")
  fun <- called_name(expr)
  args <- as.list(expr)[-1]
  named <- names(args) %||% rep("", length(args))
  if (fun %in% names(measure_functions)) {
    column <- if (any(!nzchar(named))) expression_text(args[!nzchar(named)][[1]])
    where <- if ("where" %in% named) expression_text(args$where)
    several <- plural_text(column %||% "")
    # The name of a sum would be taken for one.
    if (identical(several, column)) several <- paste("different", column)
    of <- switch(fun, total = column, entries = "entries", distinct = several,
                 active = "open", paste(fun, column))
    return(plain_name(c(of, where)))
  }
  if (fun == "/" && length(args) == 2)
    return(plain_name(c(short_measure_name(args[[1]]), "per",
                        singular_text(short_measure_name(args[[2]])))))
  plain_name(expression_text(expr))
}

plain_name <- function(text) {
  text <- gsub("[^\\p{L}\\p{N}]+", "_", paste(text, collapse = "_"), perl = TRUE)
  text <- gsub("^_+|_+$", "", substr(text, 1, 40))
  if (nzchar(text)) text else "figure"
}

# Names of measures in order: those given, and short ones for others that are free.
measure_names_said <- function(exprs, given, taken) {
  out <- character()
  for (i in seq_along(exprs)) {
    name <- given[i]
    if (!nzchar(name)) {
      name <- short_measure_name(exprs[[i]])
      if (name %in% taken && is.call(exprs[[i]]))
        name <- plain_name(c(called_name(exprs[[i]]), name))
      base <- name
      k <- 1L
      while (name %in% c(taken, out, given)) name <- paste0(base, "_", k <- k + 1L)
    }
    out <- c(out, name)
  }
  out
}

# A measure in words that are no other thing.
explicit_measure <- function(expr) {
  if (rlang::is_call(expr, "total")) return(paste("total of", column_said(expr[[2]])))
  if (rlang::is_call(expr, "distinct")) return(paste("number of", column_said(expr[[2]])))
  sprintf("`%s`", expression_text(expr))
}

column_said <- function(symbol) {
  name <- as.character(symbol)
  words <- gsub("_", " ", name, fixed = TRUE)
  if (grepl("^[a-z0-9 ]+$", words)) words else quoted_name(name)
}
