# What a ranking leaves over: one row per period for all members that are not kept, worked out from their entries.

# Number of the set of kept members that stands behind each row, 0 for a row that is none of what is left over.
rest_sets <- function(plan, s) {
  rest <- plan$rest
  set <- integer(nrow(s))
  if (is.null(rest)) return(set)
  at <- which(plain_text(s[[rest$attribute]]) %in% rest$label)
  if (length(at) == 0) return(set)
  days <- list(period = s$period[at], from = whole_days(s$from[at]), to = whole_days(s$to[at]))
  now <- rest_rows(days, lapply(unclass(s)[rest$parents], function(values) values[at]))
  n <- length(rest$rows$from)
  told <- rows_told_apart(unname(Map(c, rest$rows, now)), n + length(at))$number
  set[at] <- rest$sets[match(told[n + seq_along(at)], told[seq_len(n)])]
  if (anyNA(set))
    refuse("statement", sprintf("Row %d (\"%s\") has lost what it stands for.",
                                which(is.na(set))[1], rest$label), call = caller_env(2))
  set
}

# What tells rows of the rest apart: their period and days, and the members of the attributes that
# stay. Members are text, since they become it beside totals.
rest_rows <- function(days, parents) c(days, lapply(parents, plain_text))

# The cube of the entries that a set leaves over, by the attributes that stay. Only the days of the windows are read,
# unless a level is asked for, which may hang on any day before.
rest_cube <- function(plan, tree, set, windows) {
  rest <- plan$rest
  kept <- rest$kept[[set]]
  where <- left_over(rest$attribute, kept, plan$x)
  if (!is.null(plan$where)) where <- list(node = "both", a = plan$where, b = where)
  x <- whole_ledger(plan$x)
  basis <- x$bases[[plan$on]]
  levels <- any(leaf_functions(tree) %in% c("balance", "active"))
  if (!levels) {
    from <- if (needs_period_before(tree)) windows$before() else windows$from
    basis <- part_of_basis(basis, min(from, basis$last, na.rm = TRUE), max(windows$to, basis$first, na.rm = TRUE))
  }
  memory_cube(x, plan$on, rest$parents, where, measure_slots(list(tree), x), basis)
}

# Entries whose member of an attribute is none of those kept, a missing one included.
left_over <- function(attribute, kept, x) {
  among <- condition_among(attribute, kept[!is.na(kept)], x)
  other <- list(node = "negate", a = among)
  missing <- list(node = "missing", column = attribute)
  if (anyNA(kept)) list(node = "both", a = list(node = "negate", a = missing), b = other) else list(node = "either", a = missing, b = other)
}

# A condition for members of a column as they stand in a statement.
condition_among <- function(name, members, x) {
  column <- ledger_column(x, name)
  values <- if (column$kind == "day") as.double(core_iso_days(plain_text(members)))
            else if (is_amount_column(column)) as.double(members)
            else if (is.logical(column$members)) as.logical(members) else plain_text(members)
  if (is_large(column)) values <- plain_text(members)
  list(node = "among", column = name, values = values)
}
