# From measure trees to the figures that are asked of a source (slots), and back to values.
#   count, present, sum     sums, kept in the day cube
#   open                    the count of entries that were started less that of those ended
#   distinct, newcomers, lapsed, smallest, largest, middle, latest      from lists of entries by
#   group and day

# What is asked for each measure. `present` counts the entries that have an amount, which are simply
# the entries where none is missing.
slots_of_measures <- list(
  entries = "count", total = "sum", average = c("sum", "present"), distinct = "distinct",
  smallest = "smallest",
  largest = "largest", middle = "middle", balance = "latest", active = c("count", "open"),
  newcomers = "newcomers",
  returning = c("distinct", "newcomers"), lapsed = "lapsed"
)

additive_slots <- c("count", "present", "sum")

# The slots that the day cube must hold; the first counts the entries that pass the statement's
# `where`.
measure_slots <- function(trees) {
  slots <- list(entry_count)
  for (tree in trees) slots <- c(slots, tree_slots(tree))
  slots <- Filter(function(slot) slot$what %in% additive_slots, slots)
  slots[!duplicated(lapply(slots, slot_key))]
}

tree_slots <- function(tree) {
  if (tree$node == "arithmetic") return(do.call(c, lapply(tree$args, tree_slots)))
  if (tree$node != "measure") return(list())
  lapply(slots_of_measures[[tree$fun]], function(what) tree_slot(tree, what))
}

tree_slot <- function(tree, what) {
  if (what == "present" && isFALSE(tree$known$has_missing)) what <- "count"
  c(list(what = what, column = if (what != "count") tree$column, where = tree$where), tree$options)
}

# Tells slots apart: "sum fare", or a hash of all that it is.
slot_key <- function(slot) {
  additive <- slot$what %in% additive_slots
  if (additive && is.null(slot$where)) return(paste(slot$what, slot$column))
  rlang::hash(unname(slot[c("what", "column", "where", if (!additive) c("each", "last_day"))]))
}

# Value of a tree, given a function from slot to numbers.
tree_values <- function(tree, figures) {
  if (tree$node == "number") return(tree$value)
  if (tree$node == "arithmetic") {
    values <- arithmetic_values(tree$op, lapply(tree$args, tree_values, figures = figures))
    # Sums of decimals are decimals, in files as well: 15506.19, not 15506.189999999999.
    return(if (is_decimal(tree)) in_decimals(values, tree_decimals(tree)) else values)
  }
  figure <- function(what) figures(tree_slot(tree, what))
  switch(tree$fun,
    average = ratio(figure("sum"), figure("present")),
    returning = figure("distinct") - figure("newcomers"),
    active = figure("open"),
    figure(slots_of_measures[[tree$fun]])
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

per_cent_of <- function(part, whole) 100 * ratio(part, whole)

# Decimals in which a measure is shown, and its unit.
tree_decimals <- function(tree) {
  if (tree$node == "number") return(if (tree$value == round(tree$value)) 0L else 2L)
  if (tree$node == "arithmetic") {
    if (isTRUE(tree$per_cent)) return(1L)
    if (tree$op == "/") return(2L)
    return(min(4L, max(vapply(tree$args, tree_decimals, 0L))))
  }
  if (!takes_amount(tree)) return(0L)
  decimals <- if (tree$known$exact) tree$known$decimals else 2L
  switch(tree$fun, average = max(2L, decimals), middle = max(1L, decimals), decimals)
}

tree_unit <- function(tree) {
  if (isTRUE(tree$per_cent)) return("%")
  if (tree$node == "measure") return(if (takes_amount(tree)) tree$known$unit)
  if (tree$node == "number") return(NULL)
  joined_unit(tree$op, lapply(tree$args, tree_unit))
}

# The unit of a calculation between parts with units, NULL where there is none.
joined_unit <- function(op, units) {
  known <- unique(unlist(units))
  if (op %in% c("+", "-"))
    return(if (length(known) == 1 && !any(vapply(units, is.null, TRUE))) known)
  if (op == "/" && length(units) == 2) {
    return(if (is.null(units[[2]])) units[[1]])
  }
  if (length(known) == 1 && sum(!vapply(units, is.null, TRUE)) == 1) known
}

takes_amount <- function(leaf) measure_functions[[leaf$fun]]$takes == "amount"

# The calls of measure functions in trees.
measure_leaves <- function(trees) {
  do.call(c, lapply(unname(trees), function(tree) {
    switch(tree$node, measure = list(tree), arithmetic = measure_leaves(tree$args), list())
  }))
}

leaf_functions <- function(tree) vapply(measure_leaves(list(tree)), function(leaf) leaf$fun, "")

# A measure whose figures over the parts of a whole add up to the figure of the whole.
is_additive <- function(tree) {
  if (tree$node == "measure") return(tree$fun %in% c("total", "entries"))
  if (tree$node == "number") return(FALSE)
  additive <- vapply(tree$args, is_additive, TRUE)
  number <- vapply(tree$args, function(arg) arg$node == "number", TRUE)
  switch(tree$op, "+" = , "-" = all(additive), "*" = any(additive) && any(number),
         "/" = additive[1] && number[2])
}

# A measure of how things stand on the last day, whatever the first.
is_level <- function(tree) {
  held <- leaf_functions(tree)
  length(held) > 0 && all(held %in% c("balance", "active"))
}

# A measure that is part of the same measure over all groups.
is_part <- function(tree) {
  if (is_additive(tree)) return(TRUE)
  tree$node == "measure" &&
    (tree$fun %in% c("distinct", "newcomers", "returning", "lapsed", "active") ||
     !is.null(tree$options$each))
}

# Whether amounts behind a tree are held as exact whole numbers.
is_exact <- function(tree) {
  amounts <- Filter(takes_amount, measure_leaves(list(tree)))
  all(vapply(amounts, function(leaf) leaf$known$exact, TRUE))
}

# Whether figures have no more decimals than they are shown with.
is_decimal <- function(tree) {
  if (tree$node == "measure") return(is_exact(tree) && !tree$fun %in% c("average", "middle"))
  if (tree$node == "number") return(tree$value == round(tree$value))
  decimal <- vapply(tree$args, is_decimal, TRUE)
  if (tree$op == "*") {
    return(all(decimal) && any(vapply(tree$args, function(arg) arg$node == "number", TRUE)))
  }
  tree$op %in% c("+", "-") && all(decimal)
}
