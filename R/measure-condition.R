# Conditions on single entries, as a tree of known calls. A node is a list with `node`:
#   compare  op, column, value      among    column, values
#   missing  column                 holds    column, text
#   both, either (a, b)             negate   a
#   constant says

condition_words <- paste("==, !=, <, <=, >, >=, %in%, &, |, !, is_missing(x),",
                         "has_text(x, \"...\"), starts_with(x, \"...\"), ends_with(x, \"...\")")

# Calls that look for a piece of text, and where in a text it must stand.
text_calls <- c(has_text = "", starts_with = "start", ends_with = "end")
comparisons <- c("==", "!=", "<", "<=", ">", ">=")
mirrored <- c("==" = "==", "!=" = "!=", "<" = ">", "<=" = ">=", ">" = "<", ">=" = "<=")

read_condition <- function(expr, x, call = caller_env()) {
  condition_tree(plain_expression(expr, "a condition", call), x, call)
}

condition_tree <- function(expr, x, call) {
  if (rlang::is_quosure(expr)) expr <- rlang::quo_get_expr(expr)
  if (is.logical(expr) && length(expr) == 1 && !is.na(expr))
    return(list(node = "constant", says = expr))
  if (is.symbol(expr)) return(read_flag(as.character(expr), x, call))
  if (!is.call(expr)) refuse_condition(expr, call)
  fun <- called_name(expr)
  args <- as.list(expr)[-1]
  sub <- function(i) condition_tree(args[[i]], x, call)
  if (fun == "(") return(sub(1))
  if (fun %in% c("&", "&&", "|", "||")) {
    return(list(node = if (fun %in% c("&", "&&")) "both" else "either", a = sub(1), b = sub(2)))
  }
  if (fun == "!") return(list(node = "negate", a = sub(1)))
  if (fun %in% comparisons) return(read_comparison(fun, args, expr, x, call))
  if (fun == "%in%") return(read_among(args, x, call))
  if (fun %in% c("is_missing", "is.na") && length(args) == 1) {
    return(list(node = "missing", column = condition_column(args[[1]], x, call)))
  }
  if (fun %in% names(text_calls) && length(args) == 2) return(read_holds(fun, args, x, call))
  refuse_condition(expr, call)
}

# A condition with its text, or NULL.
text_condition <- function(text, x, call = caller_env()) {
  if (is.null(text)) return(NULL)
  structure(read_condition(text, x, call), text = text)
}

refuse_condition <- function(expr, call) {
  fun <- if (is.call(expr)) called_name(expr)
  what <- if (is.null(fun)) sprintf("`%s` is not a condition.", code_text(expr))
          else sprintf("`%s` is not known in a condition (in `%s`).", fun, code_text(expr))
  refuse_measure(c(what, i = paste0("Known are ", condition_words, ".")), given = fun, call = call)
}

read_flag <- function(name, x, call) {
  if (source_column(x, name, call)$holds != "flags") {
    refuse_measure(c(sprintf("`%s` alone is not a condition.", name),
                     i = sprintf("Compare it with a value, such as %s == ...", name)), call = call)
  }
  list(node = "compare", op = "==", column = name, value = TRUE)
}

condition_column <- function(expr, x, call) {
  name <- if (!rlang::is_string(expr)) column_text(expr)
  if (is.null(name)) {
    refuse_measure(
      c(sprintf("A condition compares a column with a value; `%s` is not a column.",
                code_text(expr)),
        i = "For example: fare > 100."), call = call)
  }
  there <- source_column_names(x)
  if (!name %in% there) {
    refuse("column", c(
      sprintf("There is no column `%s` in the ledger.", name), i = nearest_hint(name, there),
      i = sprintf("It has: %s.", listed(there)),
      i = sprintf("To compare with the value of a variable, write !!%s.", name)
    ), given = name, known = there, call = call)
  }
  name
}

read_comparison <- function(op, args, expr, x, call) {
  if (is_value(args[[1]]) && !is_value(args[[2]])) {
    args <- rev(args)
    op <- mirrored[[op]]
  }
  column <- condition_column(args[[1]], x, call)
  if (!is_value(args[[2]])) {
    refuse_measure(
      c(sprintf("`%s` compares a column with `%s`, which is not a value.", code_text(expr),
                code_text(args[[2]])),
        i = if (is.symbol(args[[2]]))
          sprintf("To use the value of a variable, write !!%s.", code_text(args[[2]]))),
      call = call)
  }
  value <- literal(args[[2]], call)
  if (length(value) != 1) {
    refuse_measure(
      c(sprintf("`%s` compares with %d values.", code_text(expr), length(value)),
        i = "Use %in% for several."), call = call)
  }
  if (anyNA(value)) {
    refuse_measure(
      c(sprintf("`%s` compares with a missing value, which is never true.", code_text(expr)),
        i = sprintf("Use is_missing(%s).", column)), call = call)
  }
  value <- comparable_values(value, column, x, call)
  if (op %in% c("==", "!=")) say_unknown_members(value, column, x)
  else check_order(value, column, x, call)
  c(list(node = "compare", op = op, column = column, value = value), text_comparison(x, column))
}

read_among <- function(args, x, call) {
  column <- condition_column(args[[1]], x, call)
  values <- comparable_values(literal(args[[2]], call), column, x, call)
  say_unknown_members(values, column, x)
  c(list(node = "among", column = column, values = values), text_comparison(x, column))
}

# Text whose members are all days, or days with times, in one writing.
is_dated_text <- function(x, column) {
  is_text_column(x, column) && source_members(x, column)$is_dated
}

text_comparison <- function(x, column) if (is_dated_text(x, column)) list(letters = TRUE)

# The members that are there, as text.
known_members <- function(x, column) {
  members <- source_members(x, column)
  if (members$absent > 0) members$text[-members$absent] else members$text
}

# What "less" means must be known: the order of levels, of bytes, of days; not of days written day
# or month first.
check_order <- function(value, column, x, call) {
  is_ordered <- source_column(x, column)$holds == "ordered"
  levels <- if (is_ordered) levels(source_members(x, column)$values)
  if (is_ordered && !value %in% levels) {
    refuse_measure(c(sprintf("`%s` is ordered, and \"%s\" is not one of its levels.", column,
                             value),
                     i = nearest_hint(value, levels),
                     i = sprintf("They are, in order: %s.", listed(levels, most = 20))),
                   column = column, call = call)
  }
  if (is_ordered || !is_text_column(x, column)) return(invisible())
  members <- known_members(x, column)
  if (length(members) == 0 || is_dated_text(x, column)) return(invisible())
  known <- core_survey_dates(enc2utf8(members))
  if (known$numbered == length(members)) {
    problem <- order_problem(members, column, known)
    refuse_measure(c(problem[1], i = "Turn it into dates in the source."), column = column,
                   call = call)
  }
}

# A misspelt member would quietly match nothing.
say_unknown_members <- function(values, column, x) {
  if (!is_text_column(x, column)) return(invisible())
  members <- known_members(x, column)
  unknown <- setdiff(values[!is.na(values)],
                     if (is_dated_text(x, column))
                       substr(rep(dated_text(members), each = length(values)), 1, nchar(values))
                     else members)
  if (length(unknown) == 0) return(invisible())
  hint <- if (length(unknown) == 1 && length(members) <= 10000) nearest_hint(unknown, members)
  inform(paste(
    c(sprintf("No entry has %s %s.", column, listed(dQuote(unknown, FALSE), last = "or")), hint),
    collapse = " "),
         class = "rollingledger_message")
}

read_holds <- function(fun, args, x, call) {
  column <- condition_column(args[[1]], x, call)
  text <- literal(args[[2]], call)
  if (!is_text_column(x, column) || !rlang::is_string(text)) {
    refuse_measure(sprintf("%s(x, \"...\") looks for a piece of text in a text column.", fun),
                   call = call)
  }
  list(node = "holds", column = column, text = text, at = text_calls[[fun]])
}

is_text_column <- function(x, column) {
  source_column(x, column)$holds %in% c("text", "levels", "ordered")
}

# Values: numbers, texts, TRUE and FALSE, -1, c(...), 1:9, and whatever was put in with !!.
is_value <- function(expr) {
  if (is.call(expr))
    return(called_name(expr) %in% c("c", "-", ":") &&
           all(vapply(as.list(expr)[-1], is_value, TRUE)))
  rlang::is_atomic(expr) && !is.null(expr)
}

literal <- function(expr, call) {
  if (!is_value(expr)) {
    refuse_measure(c(sprintf("`%s` is not a value.", code_text(expr)),
                     i = "Write numbers, text in quotes, c(...) or 1:9.",
                     i = "Put the value of a variable in with !!."), call = call)
  }
  if (!is.call(expr)) return(expr)
  parts <- lapply(as.list(expr)[-1], literal, call = call)
  switch(called_name(expr),
    c = do.call(c, parts),
    "-" = if (length(parts) == 1 && is.numeric(parts[[1]])) -parts[[1]]
          else refuse_measure(sprintf("`%s` is not a value.", code_text(expr)), call = call),
    ":" = run_of_numbers(parts, expr, call)
  )
}

# 1:9, of no more values than a condition can be meant to have.
run_of_numbers <- function(ends, expr, call) {
  whole <- vapply(ends, function(end) is.numeric(end) && length(end) == 1 && is.finite(end), TRUE)
  if (!all(whole))
    refuse_measure(sprintf("`%s` is not a run of whole numbers.", code_text(expr)), call = call)
  if (abs(ends[[2]] - ends[[1]]) >= most_values) {
    refuse_measure(c(sprintf("`%s` has more than %s values.", code_text(expr),
                             number_text(most_values)),
                     i = "Compare with both ends: x >= 4000 & x <= 4199."), call = call)
  }
  seq(ends[[1]], ends[[2]])
}

most_values <- 1e6

# Values in the form in which the column can be compared, or an error that says what it holds.
comparable_values <- function(values, column, x, call) {
  facts <- source_column(x, column)
  if (inherits(values, "factor")) values <- as.character(values)
  wrong <- function(holds, write, ...) {
    refuse_measure(
      c(sprintf("`%s` holds %s and is compared with `%s`.", column, holds, code_text(values)),
        i = sprintf("Write %s.", write), ...), column = column, call = call)
  }
  if (facts$holds == "days") {
    days <- if (inherits(values, "Date")) day_numbers(values)
            else if (is.character(values)) core_iso_days(values) else NA
    if (anyNA(days)) wrong("dates", "days as \"2026-09-17\"")
    return(as.double(days))
  }
  if (facts$of_64_bits && (facts$large || is.character(values))) {
    digits <- if (is.character(values)) values else digits_text(values)
    if (!all(grepl("^-?[0-9]+$", digits))) wrong("whole numbers", "their digits in quotes")
    return(if (facts$large) digits else as.double(digits))
  }
  if (facts$holds == "amounts") {
    if (!is.numeric(values) && facts$is_blank) return(values)
    if (!is.numeric(values)) wrong("numbers", "a number without quotes")
    return(as.double(values))
  }
  if (facts$holds == "flags") {
    if (!is.logical(values)) wrong("TRUE and FALSE", "TRUE or FALSE")
    return(values)
  }
  if (is_dated_text(x, column)) {
    if (inherits(values, "Date")) return(iso_day(day_numbers(values)))
    if (inherits(values, "POSIXt")) return(format(values, "%Y-%m-%d %H:%M:%S"))
    day <- if (is.character(values)) core_iso_days(substr(values, 1, 10)) else NA
    if (anyNA(day)) wrong("days", "days as \"2026-09-17\"")
    return(values)
  }
  if (!is.character(values)) {
    wrong("text", "the value in quotes",
          if (is.numeric(values) && facts$holds == "text") why_no_amounts(x, column))
  }
  values
}

both_conditions <- function(a, b) {
  if (is.null(a)) b else if (is.null(b)) a else list(node = "both", a = a, b = b)
}

# Names of the columns that a condition looks at.
condition_columns <- function(tree) {
  if (is.null(tree)) return(NULL)
  c(tree$column, if (is.list(tree$a)) condition_columns(tree$a),
    if (is.list(tree$b)) condition_columns(tree$b))
}
