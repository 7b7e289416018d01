# What an explanation is made of: sums by member and day of the two spans, in whole units of the
# measure's decimals, so that what is added up is exact.

# Of one attribute, or of several together, under a condition: list(by, count, values, cells); the
# cells of each span are list(group, day, figures), groups from 1, days numbered within the span,
# with a vector of figures for each tree.
day_cells <- function(why, by, trees, where = NULL) {
  plan <- why$plan
  x <- plan_ledger(plan)
  slots <- unlist(lapply(trees, slots_of_tree), recursive = FALSE)
  slots <- c(list(entry_count), slots)
  slots <- slots[!duplicated(slot_keys(slots))]
  ask <- new_ask(plan$on, by, both_conditions(plan$where, where), slots)
  groups <- groups_by(x, by)
  cells <- lapply(why$days, function(days) {
    check_parts_known(x, c(by, condition_columns(ask$where)), ask,
                      list(from = days[1], to = days[length(days)]))
    held <- held_periods(x, ask, all_groups(groups), days, days)
    figures <- lapply(trees, function(tree) {
      values <- figures_of_tree(tree, function(slot) held$figures[[slot_key(slot)]])
      in_units(rep_len(values, length(held$group)), tree)
    })
    list(group = held$group + 1L, day = held$period, figures = figures,
         entries = held$figures[[slot_key(entry_count)]])
  })
  list(by = by, count = groups$count, groups = groups, where = where, cells = cells)
}

slots_of_tree <- function(tree) {
  if (tree$node == "present") list(tree_slot(tree$of, "present")) else tree_slots(tree)
}

figures_of_tree <- function(tree, figures) {
  if (tree$node == "present") figures(tree_slot(tree$of, "present")) else tree_values(tree, figures)
}

# Figures in units of their decimals, whole where they are decimals.
in_units <- function(values, tree) {
  if (tree$node == "present") return(values)
  units <- values * 10^tree_decimals(tree)
  if (is_decimal(tree)) round(units) else units
}

# The sum of a tree's figures of each member in a span.
member_sums <- function(cells, span, tree = 1) {
  own <- cells$cells[[span]]
  core_sums_by_group(own$figures[[tree]], own$group, cells$count)
}

# Which members have entries in a span.
is_met <- function(cells, span) tabulate(cells$cells[[span]]$group, cells$count) > 0

# Sums by member and kind of day.
kind_sums <- function(why, cells, span, tree = 1) {
  own <- cells$cells[[span]]
  kind <- why$kinds[[span]][own$day]
  place <- (kind - 1L) * cells$count + own$group
  matrix(core_sums_by_group(own$figures[[tree]], place, cells$count * 8L), nrow = cells$count,
         ncol = 8L)
}

# What the days alone explain of each member's change, and what is left on days alike: list(days,
# kinds, now, before), a figure for each member.
on_days_alike <- function(why, cells, tree = 1) {
  sums <- lapply(1:2, function(span) kind_sums(why, cells, span, tree))
  n <- lapply(why$kinds, tabulate, nbins = 8L)
  mean_of <- function(span) sweep(sums[[span]], 2, pmax(n[[span]], 1L), "/")
  means <- list(mean_of(1), mean_of(2))
  # A kind of day that one span does not have brings there what it does in the other.
  for (i in 1:2) {
    none <- n[[i]] == 0
    means[[i]][, none] <- means[[3 - i]][, none]
  }
  middle <- (means[[1]] + means[[2]]) / 2
  between <- (n[[1]] + n[[2]]) / 2
  all <- vapply(n, sum, 0)
  by_kind <- drop(middle %*% (n[[1]] - n[[2]]))
  share <- (n[[1]] / all[1] + n[[2]] / all[2]) / 2
  days <- (all[1] - all[2]) * drop(middle %*% share)
  list(days = days, kinds = by_kind - days, now = drop(means[[1]] %*% between),
       before = drop(means[[2]] %*% between))
}

# ---- amounts that add up -----------------------------------------------------

# Figures as whole units that add up to a total: what is missing goes to the largest remainders, to
# the larger figure first where they are alike, then in order. Remainders are told to a millionth.
in_whole_units <- function(x, total = round(sum(x))) {
  x <- round(x, 6)
  low <- floor(x)
  left <- round(x - low, 6)
  missing <- round(total - sum(low))
  if (missing == 0 || length(x) == 0) return(low)
  at <- if (missing > 0) order(-left, -abs(x), seq_along(x)) else order(left, -abs(x), seq_along(x))
  more <- tabulate(rep_len(at, abs(missing)), length(x))
  low + sign(missing) * more
}
