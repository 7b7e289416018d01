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
