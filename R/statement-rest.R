# What a ranking leaves over: one row per period for all members that are not kept, worked out from
# their entries.

# Number of the set of kept members that stands behind each row, 0 for a row that is not part of
# what is left over.
rest_sets <- function(plan, s, call = caller_env()) {
  rest <- plan$rest
  set <- integer(nrow(s))
  if (is.null(rest)) return(set)
  at <- which(plain_text(s[[rest$attribute]]) %in% rest$label)
  if (length(at) == 0) return(set)
  days <- list(period = s$period[at], from = day_numbers(s$from[at]), to = day_numbers(s$to[at]))
  now <- rest_rows(days, lapply(unclass(s)[rest$parents], function(values) values[at]))
  n <- length(rest$rows$from)
  told <- number_rows(unname(Map(c, rest$rows, now)), n + length(at))$number
  set[at] <- rest$sets[match(told[n + seq_along(at)], told[seq_len(n)])]
  lost <- which(is.na(set))
  if (length(lost) > 0) {
    refuse("statement", sprintf("Row %d (\"%s\") has lost what it stands for.", lost[1],
                                rest$label), call = call)
  }
  set
}

# What tells rows of the rest apart: their period and days, and the members of the attributes that
# stay. Members are text, since they become it beside totals.
rest_rows <- function(days, parents) c(days, lapply(parents, plain_text))

# What is asked of the entries that a set leaves over, by the attributes that stay.
rest_ask <- function(plan, tree, set) {
  rest <- plan$rest
  where <- rest_condition(rest$attribute, rest$kept[[set]], plan)
  new_ask(plan$on, rest$parents, both_conditions(plan$where, where), measure_slots(list(tree)))
}

# Whether the rest of a measure is the whole less those kept, to the last digit: sums of exact
# amounts, and counts. Of anything else the entries that are left over are asked themselves.
is_whole_less_kept <- function(plan, tree) {
  x <- plan_ledger(plan)
  all(vapply(tree_slots(tree), function(slot) {
    if (!slot$what %in% additive_slots) return(FALSE)
    if (slot$what != "sum") return(TRUE)
    column <- source_column(x, slot$column)
    column$exact && !column$large && isTRUE(column$sum_of_sizes < 2^50)
  }, TRUE))
}

# Figures of the rows `at` that stand for what is left over, whatever their sets: one look at the
# whole and one at those kept, in place of one for each set.
rest_values <- function(plan, tree, rows, windows, at) {
  x <- plan_ledger(plan)
  rest <- plan$rest
  kept <- rest$kept[rows$set[at]]
  row <- rep(seq_along(at), lengths(kept))
  values <- lapply(rows$values[rest$parents], function(values) plain_text(values)[at][row])
  values[[rest$attribute]] <- unlist(kept)
  group <- group_numbers(x, plan$by, values[plan$by], length(row))
  whole <- some_windows(windows, at)
  part <- new_windows(group, whole$from[row], whole$to[row])
  figures <- function(slot) {
    decimals <- if (slot$what == "sum") source_column(x, slot$column)$decimals else 0L
    own <- values_in_windows(x, plan_ask(plan), slot, part)
    sums <- numeric(length(at))
    by_row <- rowsum(own, row)
    sums[as.integer(rownames(by_row))] <- by_row[, 1]
    round(values_in_windows(x, plan_ask(plan, rest$parents), slot, whole) - sums, decimals)
  }
  rep_len(as.double(tree_values(tree, figures)), length(at))
}

# Entries whose member of an attribute is not among those kept, a missing one included.
rest_condition <- function(attribute, kept, plan) {
  other <- list(node = "negate", a = condition_among(attribute, kept[!is.na(kept)], plan))
  missing <- list(node = "missing", column = attribute)
  if (anyNA(kept)) list(node = "both", a = list(node = "negate", a = missing), b = other)
  else list(node = "either", a = missing, b = other)
}

# A condition for members of a column as they stand in a statement.
condition_among <- function(name, members, plan) {
  column <- source_column(plan_ledger(plan), name)
  values <- if (column$large) plain_text(members) else switch(column$holds,
    days = as.double(core_iso_days(plain_text(members))), amounts = as.double(members),
    flags = as.logical(members), plain_text(members)
  )
  list(node = "among", column = name, values = values)
}
