# What does not add up, of a ledger in memory: lists of its entries side by side by group.

source_lists.memory_ledger <- function(x, ask, slot, from, to, windows = NULL) {
  if (!is.null(windows)) return(NULL)
  if (slot$what == "first day") return(first_days_in_memory(x, ask$on, slot$column))
  x <- in_one_piece(x)
  basis <- x$bases[[ask$on]]
  what <- slot$what
  days <- days_worth_taking(x, basis, from, to)
  members <- if (what == "distinct") ledger_attribute(x, slot$column)
             else if (!is.null(slot$each)) ledger_attribute(x, slot$each)
  missing <- if (what == "distinct") match(NA, members$members, nomatch = 0L) - 1L else -1L
  asked <- list(what = if (what == "distinct") "count" else "sum",
                column = if (what != "distinct") slot$column, where = slot$where)
  groups <- groups_with_columns(x, ask$by)
  if (what == "latest" && is.null(basis$offsets)) {
    # The last of a day is that of the source, and the ledger's order is that of its first date
    # basis.
    came <- order(source_rows(x))
    needed <- names_in(list(ask$where, slot$where, list(column = slot$column)))
    columns <- lapply(groups$columns, column_in_order, at = came)
    if (!is.null(members)) members <- column_in_order(members, came)
    x <- in_other_order(x, came, needed)
    basis$data <- column_in_order(basis$data, came)
    groups <- list(pointer = core_groups_in_order(groups$pointer, columns, came),
                   columns = columns)
  }
  basis <- part_of_basis(basis, days$from, days$to)
  request <- cube_request(x, basis, ask$where, list(entry_count, asked))
  pointer <- core_build_lists(request, groups$pointer, what, members, missing, core_threads())
  list(from = days$from, to = days$to, pointer = pointer)
}

first_days_in_memory <- function(x, on, column) {
  x <- in_one_piece(x)
  core_first_days(cube_request(x, x$bases[[on]], NULL, list(entry_count)),
                  ledger_attribute(x, column))
}

# The ledger with some of its columns, and its date bases, in another order of entries.
in_other_order <- function(x, at, needed) {
  bases <- lapply(x$bases, function(basis) {
    basis$data <- column_in_order(ledger_column(list(bases = list(basis)), basis$column), at)
    basis$offsets <- NULL
    basis
  })
  x$columns <- lapply(x$columns[intersect(names(x$columns), needed)], column_in_order, at = at)
  x$bases <- bases
  with_new_handle(x)
}

column_in_order <- function(column, at) {
  if (!is_code_column(column)) {
    column$data <- column$data[at]
    return(column)
  }
  packed_codes(core_codes_back(column)[at], column$members,
               core_sort_by_day(integer(length(at)), core_threads()))
}

# Columns that trees of conditions speak of.
names_in <- function(trees) {
  unique(unlist(lapply(trees, function(tree) {
    if (is.list(tree)) c(tree$column, names_in(Filter(is.list, tree)))
  })))
}
