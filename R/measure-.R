# The expression language of measures: read into a small tree of known calls, and nothing else
# is ever evaluated. A node is a list with `node`:
#   number      value
#   measure     fun, column (NULL where none is taken), where (a condition tree or NULL), options
#   arithmetic  op, args
# A name of an earlier measure stands for that measure's tree.

# What each takes, and what else may be said in its call.
measure_functions <- list(
  total = list(takes = "amount", says = "total(x): sum of an amount"),
  entries = list(takes = "nothing", says = "entries(): number of entries"),
  distinct = list(takes = "member", says = "distinct(x): number of different members"),
  average = list(takes = "amount",
                 says = "average(x): total divided by the entries that have an amount"),
  smallest = list(takes = "amount", says = "smallest(x): smallest amount"),
  largest = list(takes = "amount", says = "largest(x): largest amount"),
  middle = list(takes = "amount", says = "middle(x): the middle amount (median)"),
  balance = list(takes = "amount", options = "each",
                 says = paste0("balance(x): latest amount on or before the last day; each = y ",
                               "adds up the latest of each y")),
  active = list(takes = "nothing", options = "last_day",
                says = paste0("active(): entries open on the last day; last_day = FALSE: not on ",
                              "the day they end")),
  newcomers = list(takes = "member",
                   says = "newcomers(x): members whose first entry ever falls in the days"),
  returning = list(takes = "member",
                   says = "returning(x): members seen in the days and before them"),
  lapsed = list(takes = "member",
                says = "lapsed(x): members seen in the period before, not in this one")
)

# What people from elsewhere may type, for the hint only.
measure_synonyms <- c(sum = "total", n = "entries", count = "entries", rows = "entries",
                      mean = "average",
                      avg = "average", unique = "distinct", min = "smallest", max = "largest",
                      median = "middle",
                      last = "balance", latest = "balance", open = "active", new = "newcomers",
                      lost = "lapsed")

arithmetic_ops <- c("+", "-", "*", "/")

# Named texts to named trees. Unnamed ones are named after what they compute.
read_measures <- function(texts, x, taken, call = caller_env()) {
  given <- names(texts) %||% rep("", length(texts))
  trees <- list()
  for (i in seq_along(texts)) {
    expr <- plain_expression(texts[[i]], "a measure", call)
    tree <- read_measure(expr, x, trees, call)
    name <- if (nzchar(given[i])) given[i] else measure_name(tree, expr)
    if (name %in% c(taken, names(trees))) {
      refuse_measure(
        sprintf("The name `%s` is taken: it stands for another column of the statement.", name),
        call = call)
    }
    trees[[name]] <- structure(tree, text = texts[[i]])
  }
  trees
}

read_measure <- function(expr, x, known, call) {
  if (rlang::is_quosure(expr)) expr <- rlang::quo_get_expr(expr)
  if (is.numeric(expr) && length(expr) == 1 && !is.na(expr))
    return(list(node = "number", value = as.double(expr)))
  if (is.symbol(expr)) return(read_measure_symbol(as.character(expr), x, known, call))
  if (!is.call(expr))
    refuse_measure(sprintf("`%s` is not a measure.", code_text(expr)), call = call)
  fun <- called_name(expr)
  if (fun == "(") return(read_measure(expr[[2]], x, known, call))
  if (fun %in% arithmetic_ops) {
    args <- lapply(as.list(expr)[-1], read_measure, x = x, known = known, call = call)
    return(list(node = "arithmetic", op = fun, args = args))
  }
  if (fun == "per_cent") return(read_per_cent(expr, x, known, call))
  if (!fun %in% names(measure_functions)) refuse_function(fun, expr, call)
  read_measure_call(fun, expr, x, call)
}

# per_cent(a / b): a hundred times as much, with "%" in its heading.
read_per_cent <- function(expr, x, known, call) {
  if (length(expr) != 2 || !is.null(names(expr)))
    refuse_measure(c(sprintf("`%s` is not a call of per_cent().", code_text(expr)),
                     i = "It is per_cent(a / b)."), call = call)
  inner <- read_measure(expr[[2]], x, known, call)
  unit <- tree_unit(inner)
  if (!is.null(unit))
    refuse_measure(c(sprintf("`%s` is counted in %s, so it is not a part of a whole.",
                             code_text(expr[[2]]), unit), i = "It is per_cent(a / b)."),
                   call = call)
  list(node = "arithmetic", op = "*", args = list(list(node = "number", value = 100), inner),
       per_cent = TRUE)
}

read_measure_symbol <- function(name, x, known, call) {
  if (name %in% names(known)) return(known[[name]])
  hint <- if (name %in% source_column_names(x)) {
    sprintf(
      "`%s` is a column of entries; say what to make of it, such as total(%s) or average(%s).",
      name, name, name)
  } else {
    nearest_hint(name, names(known))
  }
  refuse_measure(c(sprintf("There is no measure `%s` before this one.", name), i = hint),
                 call = call)
}

refuse_function <- function(fun, expr, call) {
  near <- if (fun %in% names(measure_synonyms)) {
    sprintf("Did you mean `%s()`?", measure_synonyms[[fun]])
  } else {
    nearest_hint(fun, names(measure_functions))
  }
  refuse_measure(c(
    sprintf("`%s()` is not known in a measure (in `%s`).", fun, code_text(expr)), i = near,
    i = paste0("Known are ", listed(c(
      sprintf("%s(%s)", names(measure_functions),
              ifelse(vapply(measure_functions, function(f) f$takes, "") == "nothing", "", "x")),
      "per_cent(a / b)"), most = 20), ", and + - * / between them.")
  ), given = fun, call = call)
}

read_measure_call <- function(fun, expr, x, call) {
  args <- as.list(expr)[-1]
  named <- names(args) %||% rep("", length(args))
  known <- measure_functions[[fun]]
  rest <- args[!nzchar(named)]
  wanted <- as.integer(known$takes != "nothing")
  if (length(rest) != wanted || anyDuplicated(named[nzchar(named)]) ||
      !all(named %in% c("", "where", known$options))) {
    refuse_measure(c(
      sprintf("`%s` is not a call of %s().", code_text(expr), fun),
      i = sprintf("It is %s; {where =} may follow.", known$says)
    ), call = call)
  }
  column <- switch(known$takes, amount = measured_column(rest[[1]], fun, x, call),
                   member = member_column(rest[[1]], fun, x, call))
  condition <- if ("where" %in% named) read_condition(args[[which(named == "where")]], x, call)
  tree <- list(node = "measure", fun = fun, column = column, where = condition)
  if (!is.null(column)) tree$known <- known_of_column(x, column)
  if ("each" %in% named)
    tree$options <- list(each = member_column(args[[which(named == "each")]], fun, x, call))
  if (fun == "active")
    tree$options <- list(last_day = read_last_day(args[named == "last_day"], x, call))
  tree
}

# Columns that texts of measures and conditions take as amounts, as far as they can be read.
measured_names <- function(texts) {
  expressions <- lapply(texts, function(text) {
    tryCatch(text_expression(text), error = function(e) NULL)
  })
  unique(unlist(lapply(expressions, amounts_named)))
}

# Names that measures of an expression add up, average or the like, and that conditions hold against
# a number as larger or smaller.
amounts_named <- function(expr) {
  if (!is.call(expr)) return(NULL)
  fun <- called_name(expr)
  args <- as.list(expr)[-1]
  numbers <- vapply(args, is.numeric, TRUE)
  if (fun %in% c("<", "<=", ">", ">=") && any(numbers))
    return(unlist(lapply(args[!numbers], all.names, functions = FALSE)))
  named <- names(args) %||% rep("", length(args))
  taken <- measure_functions[[fun]]$takes
  if (!identical(taken, "amount")) return(unlist(lapply(args, amounts_named)))
  unlist(lapply(args[named == ""], all.names, functions = FALSE))
}

# A column whose members can be told apart.
member_column <- function(expr, fun, x, call) {
  name <- column_name(expr, fun, call)
  source_column(x, name, call)
  name
}

# What a measure must know of its column later: list(exact, decimals, has_missing, unit).
known_of_column <- function(x, name) {
  units <- source_facts(x)$units
  c(source_column(x, name)[c("exact", "decimals", "has_missing")],
    list(unit = if (name %in% names(units)) units[[name]]))
}

read_last_day <- function(given, x, call) {
  if (is.null(source_facts(x)$until)) {
    refuse_measure(c("active() needs to know when entries end, and the ledger has no such column.",
                     i = paste0("Name it when the ledger is built, such as ledger(passes, on = ",
                                "\"from_on\", until = \"until_on\").")), call = call)
  }
  if (length(given) == 0) return(TRUE)
  if (!is.logical(given[[1]]) || is.na(given[[1]])) {
    refuse_measure("`last_day` must be TRUE (open on the day of its end) or FALSE (ended by then).",
                   call = call)
  }
  given[[1]]
}

column_name <- function(expr, fun, call) {
  name <- column_text(expr)
  if (is.null(name)) {
    refuse_measure(c(sprintf("%s() takes a column, or what is worked out of columns, not `%s`.",
                             fun, code_text(expr)), worked_out_words()), call = call)
  }
  name
}

measured_column <- function(expr, fun, x, call) {
  name <- column_name(expr, fun, call)
  column <- source_column(x, name, call)
  if (column$holds != "amounts") {
    holds <- switch(column$holds, days = "dates", flags = "TRUE and FALSE", "text")
    refuse_measure(c(
      sprintf("%s(%s) needs numbers, and `%s` holds %s.", fun, name, name, holds),
      if (holds == "text") why_no_amounts(x, name),
      i = if (holds == "TRUE and FALSE")
        sprintf("To count those that are TRUE: entries(where = %s).", name)
    ), column = name, call = call)
  }
  if (column$exact && column$sum_of_sizes >= 2^63 && fun %in% c("total", "average", "balance")) {
    refuse("overflow", c(
      sprintf(
        paste0("%s(%s) would overflow: the amounts in `%s` add up to more than %s in size, the ",
               "most that exact sums with %s can hold."),
              fun, name, name, number_text(trunc(2^63 / 10^column$decimals)),
        count_text(column$decimals, "decimal")),
      i = "Count in a larger unit, such as thousands."
    ), column = name, call = call)
  }
  name
}

# Why a text column is no amounts, and what to say if it is meant to be: lines of a message.
why_no_amounts <- function(x, name) {
  members <- source_members(x, name)
  text <- enc2utf8(members$text)
  text[is_missing_mark(text, missing_marks)] <- NA
  known <- core_survey_numbers(text, FALSE)
  if (known$numbers == 0) {
    hint <- hint_of_odd_numbers(text[!is.na(text)])
    return(if (!is.null(hint)) c(i = hint))
  }
  stated <- sprintf("{amounts = \"%s\"}", name)
  if (known$others == 0) {
    if (is.null(writing_of(known)) || known$percent && known$plain || nzchar(known$other_unit)) {
      problem <- writing_problem(text, name, known)
      if ("file" %in% source_column_names(x)) {
        problem <- c(problem, sprintf("Say %s, which tells the file.", stated))
      }
      return(stats::setNames(problem, rep("i", length(problem))))
    }
    return(c(i = sprintf("All of them are numbers, kept as text: if they are amounts, say %s.",
                         stated)))
  }
  odd <- is.na(core_numbers_by(text, max(known$writing, 0))) & !is.na(text)
  shown <- which(odd)[1]
  facts <- source_facts(x)
  where <- list(node = "among", column = name, values = members$text[shown])
  first <- names(facts$dates)[1]
  at <- source_entries(x, first, first_day_there_is, last_day_there_is, where, character())$row
  count <- sum(members$counts[odd])
  c(i = sprintf("%s of its values %s, such as \"%s\" in %s %s.", number_text(count),
                if (count == 1) "is not a number" else "are not numbers", text[shown],
                facts$rows_are,
                row_text(source_facts(x)$told_rows(min(at)))),
    i = hint_of_odd_numbers(text[odd]),
    i = sprintf("If it is meant to be amounts, say %s: such rows are set aside then.", stated))
}

# What texts that are no numbers could be, where they are all of one kind.
hint_of_odd_numbers <- function(odd) {
  all_like <- function(pattern) all(grepl(pattern, odd, ignore.case = TRUE, perl = TRUE))
  if (length(odd) == 1 && all_like("^[^0-9]{1,8}$"))
    return(sprintf("If it stands for a missing value, say {missing = %s}.", quoted_text(odd)))
  if (all_like("[0-9] *(CR|DR)$"))
    return("Which of CR and DR is below zero is not known: write a sign in the source.")
  if (all_like("^[-+]?[0-9]{1,2}(,[0-9]{2})+,[0-9]{3}([.][0-9]+)?$"))
    return("Thousands in groups of two digits are not read: leave the commas out in the source.")
}

called_name <- function(expr) if (is.symbol(expr[[1]]))
  as.character(expr[[1]]) else code_text(expr[[1]])

measure_name <- function(tree, expr) {
  if (tree$node != "measure")
    return(gsub("[^A-Za-z0-9]+", "_", gsub("[()]", "", expression_text(expr))))
  if (is.null(tree$column)) tree$fun else paste(tree$column, tree$fun, sep = "_")
}
