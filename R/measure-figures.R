# From measure trees to the figures a cube must hold (slots), and back to values.

# The slots that measures need; the first counts the entries that pass the statement's `where`.
measure_slots <- function(trees, x) {
  slots <- list(list(what = "count", column = NULL, where = NULL))
  for (tree in trees) slots <- c(slots, tree_slots(tree, x))
  slots[!duplicated(lapply(slots, slot_key))]
}

tree_slots <- function(tree, x) {
  if (tree$node == "arithmetic") return(do.call(c, lapply(tree$args, tree_slots, x = x)))
  if (tree$node != "measure") return(list())
  lapply(figures_of[[tree$fun]], function(what) tree_slot(tree, what, x))
}

# What the cube must hold for each measure. `present` counts the entries that have an amount, which
# are simply the entries where none is missing.
figures_of <- list(entries = "count", total = "sum", average = c("sum", "present"))

tree_slot <- function(tree, what, x) {
  if (what == "present" && !ledger_column(x, tree$column)$has_missing) what <- "count"
  list(what = what, column = if (what != "count") tree$column, where = tree$where)
}

slot_key <- function(slot) rlang::hash(unname(slot[c("what", "column", "where")]))

# Value of a tree, given a function from slot to numbers.
tree_values <- function(tree, x, figures) {
  if (tree$node == "number") return(tree$value)
  if (tree$node == "arithmetic") return(arithmetic_values(tree$op, lapply(tree$args, tree_values, x = x, figures = figures)))
  figure <- function(what) figures(tree_slot(tree, what, x))
  switch(tree$fun,
    entries = figure("count"),
    total = figure("sum"),
    average = ratio(figure("sum"), figure("present"))
  )
}

arithmetic_values <- function(op, args) {
  if (length(args) == 1) return(if (op == "-") -args[[1]] else args[[1]])
  switch(op, "+" = args[[1]] + args[[2]], "-" = args[[1]] - args[[2]], "*" = args[[1]] * args[[2]],
         "/" = ratio(args[[1]], args[[2]]))
}

# Nothing divided by nothing, or anything by zero, is missing, never infinite.
ratio <- function(a, b) {
  out <- a / b
  out[!is.finite(out)] <- NA_real_
  out
}

# Decimals in which a measure is shown, and its unit.
tree_decimals <- function(tree, x) {
  if (tree$node == "number") return(if (tree$value == round(tree$value)) 0L else 2L)
  if (tree$node == "arithmetic") {
    if (tree$op == "/") return(2L)
    return(min(4L, max(vapply(tree$args, tree_decimals, 0L, x = x))))
  }
  if (is.null(tree$column)) return(0L)
  column <- ledger_column(x, tree$column)
  decimals <- if (column$kind == "real") 2L else column$decimals
  if (tree$fun == "average") max(2L, decimals) else decimals
}

tree_unit <- function(tree, x) {
  if (tree$node == "measure") return(if (is.null(tree$column)) NULL else unit_of(x, tree$column))
  if (tree$node == "number") return(NULL)
  units <- lapply(tree$args, tree_unit, x = x)
  known <- unique(unlist(units))
  if (tree$op %in% c("+", "-")) return(if (length(known) == 1 && !any(vapply(units, is.null, TRUE))) known)
  if (tree$op == "/" && length(units) == 2) {
    return(if (is.null(units[[2]])) units[[1]])
  }
  if (length(known) == 1 && sum(!vapply(units, is.null, TRUE)) == 1) known
}

unit_of <- function(x, column) if (column %in% names(x$units)) x$units[[column]]

# The calls of measure functions in trees.
measure_leaves <- function(trees) {
  do.call(c, lapply(unname(trees), function(tree) {
    switch(tree$node, measure = list(tree), arithmetic = measure_leaves(tree$args), list())
  }))
}

# A measure whose figures over the parts of a whole add up to the figure of the whole.
is_additive <- function(tree) tree$node == "measure" && tree$fun %in% c("total", "entries")
