# Columns worked out of others, entry by entry: `quantity * price`, bands of a number, text made
# one. The same small language as of measures: read into a tree of known calls, and nothing else is
# ever evaluated. A node is a list with `node`:
#   number, text   value
#   column         column
#   arithmetic     op, args
#   call           fun, of (a tree), with (values)
# and `holds`: "amounts" or "text".

entry_functions <- list(
  band = list(takes = "amounts", gives = "text",
              says = "band(x, 10, 100): below 10, 10 to below 100, 100 and more"),
  first_letters = list(takes = "text", gives = "text",
                       says = "first_letters(x, 3): the first letters of a text"),
  text_before = list(takes = "text", gives = "text",
                     says = "text_before(x, \"-\"): what stands before a mark"),
  text_after = list(takes = "text", gives = "text",
                    says = "text_after(x, \"-\"): what stands after a mark"),
  upper_case = list(takes = "text", gives = "text", says = "upper_case(x)"),
  lower_case = list(takes = "text", gives = "text", says = "lower_case(x)"),
  trimmed = list(takes = "text", gives = "text",
                 says = "trimmed(x): without spaces at its ends, one where there were several"),
  renamed = list(takes = "text", gives = "text",
                 says = "renamed(x, old = \"new\", ...): some members by other names")
)

worked_out_words <- function() {
  c(i = paste0("Known are + - * / between columns and numbers, ",
               listed(paste0(names(entry_functions), "(x, ...)"), most = 20), "."))
}

# A column worked out of others as a tree.
read_worked_out <- function(text, x, call = caller_env()) {
  tree <- worked_out_tree(plain_expression(text, "a column", call), x, call)
  if (tree$node %in% c("number", "text")) {
    refuse_measure(sprintf("`%s` is the same for every entry; name a column in it.", text),
                   call = call)
  }
  structure(tree, text = text)
}

worked_out_tree <- function(expr, x, call) {
  if (is.numeric(expr) && length(expr) == 1 && is.finite(expr))
    return(list(node = "number", value = as.double(expr), holds = "amounts"))
  if (rlang::is_string(expr)) return(list(node = "text", value = expr, holds = "text"))
  if (is.symbol(expr)) return(worked_out_column(as.character(expr), x, call))
  if (!is.call(expr))
    refuse_measure(c(sprintf("`%s` is not a column.", code_text(expr)), worked_out_words()),
                   call = call)
  fun <- called_name(expr)
  args <- as.list(expr)[-1]
  if (fun == "(" && length(args) == 1) return(worked_out_tree(args[[1]], x, call))
  if (fun %in% arithmetic_ops) return(worked_out_arithmetic(fun, args, expr, x, call))
  if (!fun %in% names(entry_functions)) {
    refuse_measure(c(
      sprintf("`%s()` is not known where a column is worked out (in `%s`).", fun, code_text(expr)),
      i = nearest_hint(fun, names(entry_functions)), worked_out_words()), given = fun, call = call)
  }
  worked_out_call(fun, args, expr, x, call)
}

worked_out_column <- function(name, x, call) {
  there <- source_column_names(x)
  if (!name %in% there) refuse_column(name, there, call = call)
  holds <- source_column(x, name, call)$holds
  list(node = "column", column = name,
       holds = if (holds == "amounts") "amounts"
               else if (holds %in% c("text", "levels", "ordered")) "text" else holds)
}

worked_out_arithmetic <- function(op, args, expr, x, call) {
  trees <- lapply(args, worked_out_tree, x = x, call = call)
  for (tree in trees) {
    if (tree$holds == "amounts") next
    name <- tree$column %||% ""
    refuse_measure(c(
      sprintf("`%s` needs numbers, and `%s` holds %s.", code_text(expr),
              if (nzchar(name)) name else tree$value %||% tree$fun, holds_words(tree$holds)),
      if (nzchar(name) && tree$holds == "text") why_no_amounts(x, name)), call = call)
  }
  if (!length(trees) %in% 1:2 || length(trees) == 1 && !op %in% c("-", "+"))
    refuse_measure(sprintf("`%s` is not a calculation.", code_text(expr)), call = call)
  list(node = "arithmetic", op = op, args = trees, holds = "amounts")
}

holds_words <- function(holds) {
  switch(holds, days = "dates", flags = "TRUE and FALSE", amounts = "numbers", "text")
}

worked_out_call <- function(fun, args, expr, x, call) {
  known <- entry_functions[[fun]]
  wrong <- function(...) {
    refuse_measure(c(sprintf("`%s` is not understood.", code_text(expr)),
                     i = sprintf("It is such as %s.", known$says), ...), call = call)
  }
  if (length(args) == 0) wrong()
  of <- worked_out_tree(args[[1]], x, call)
  if (of$holds != known$takes) {
    wrong(i = sprintf("%s() takes %s, and `%s` holds %s.", fun,
                      if (known$takes == "text") "text" else "numbers", code_text(args[[1]]),
                      holds_words(of$holds)),
          if (!is.null(of$column) && known$takes == "amounts") why_no_amounts(x, of$column))
  }
  with <- lapply(args[-1], function(arg) if (is_value(arg)) literal(arg, call) else wrong())
  plain <- is.null(names(with)) || all(names(with) == "")
  one_text <- plain && length(with) == 1 && rlang::is_string(with[[1]]) && nzchar(with[[1]])
  fits <- switch(fun,
    band = plain && length(with) > 0 && all(vapply(with, is_one_number, TRUE)) &&
      !is.unsorted(unlist(with), strictly = TRUE),
    first_letters = plain && length(with) == 1 && is_one_number(with[[1]]) && with[[1]] >= 1,
    text_before = , text_after = one_text,
    renamed = length(with) > 0 && !is.null(names(with)) && all(nzchar(names(with))) &&
      !anyDuplicated(names(with)) && all(vapply(with, rlang::is_string, TRUE)),
    length(with) == 0
  )
  if (!fits) wrong()
  list(node = "call", fun = fun, of = of, with = with, holds = known$gives)
}

is_one_number <- function(value) is.numeric(value) && length(value) == 1 && is.finite(value)

# The unit of what is worked out: that of its parts where it follows from them.
worked_out_unit <- function(tree, units) {
  if (tree$holds != "amounts") return(NULL)
  if (tree$node == "column") {
    return(if (tree$column %in% names(units)) units[[tree$column]])
  }
  if (tree$node != "arithmetic") return(NULL)
  joined_unit(tree$op, lapply(tree$args, worked_out_unit, units = units))
}

# ---- expressions that stand where a column may ------------------------------------

# What must be worked out before measures and conditions can be read: list(name, text or part) each,
# by the names that they then have as columns.
columns_needed <- function(expressions, x, by = NULL) {
  there <- source_column_names(x)
  found <- unlist(unname(lapply(expressions, expressions_needed)))
  texts <- unique(found[names(found) == "call"])
  texts <- texts[!own_name(texts) %in% there]
  inner <- unlist(lapply(texts, function(text) all.names(text_expression(text), FALSE)))
  named <- unique(c(by, found[names(found) == "name"], inner))
  list(parts = setdiff(intersect(named, names(calendar_parts)), there), texts = texts)
}

# Texts of calls, and names, that stand where measures and conditions take a column: each called
# "call" or "name". Calls within calls are walked through without calling oneself.
expressions_needed <- function(expr) {
  waiting <- list(expr)
  found <- list()
  while (length(waiting) > 0) {
    now <- waiting[[length(waiting)]]
    waiting <- waiting[-length(waiting)]
    if (is.symbol(now)) {
      found <- c(found, c(name = as.character(now)))
    } else if (is.call(now)) {
      args <- as.list(now)[-1]
      args <- args[!vapply(args, rlang::is_missing, TRUE)]
      columns <- args_that_are_columns(called_name(now), args)
      found <- c(found, unlist(lapply(unname(args[columns]), column_needed)))
      waiting <- c(waiting, unname(args[!columns]))
    }
  }
  unlist(found)
}

# Which arguments of a call stand for columns.
args_that_are_columns <- function(fun, args) {
  if (fun %in% c(comparisons, "%in%", "is_missing", "is.na", names(text_calls))) {
    return(!vapply(args, is_value, TRUE))
  }
  if (!fun %in% names(measure_functions)) return(logical(length(args)))
  (names(args) %||% rep("", length(args))) != "where"
}

column_needed <- function(expr) {
  if (is.symbol(expr)) return(c(name = as.character(expr)))
  if (is.call(expr) && is_entry_call(expr)) c(call = expression_text(expr))
}

# Calls that work out a column; others are refused where they are read.
is_entry_call <- function(expr) {
  called_name(expr) %in% c(arithmetic_ops, names(entry_functions), "(")
}

# The name by which a column, or what is worked out in its place, is known to the source.
column_text <- function(expr) {
  if (is.symbol(expr) || rlang::is_string(expr)) as.character(expr)
  else if (is.call(expr) && is_entry_call(expr) && !is_value(expr)) own_name(expression_text(expr))
}
