# Figures that are no sums, from lists of entries side by side by group, in order of day.

list_figures <- function(cube, slot, windows) {
  if (slot$what == "lapsed") return(lapsed_figures(cube, slot, windows))
  lists <- cube_lists(cube, slot)
  first <- if (slot$what == "newcomers") first_days(cube, slot$column) else integer()
  core_list_figures(lists, slot$what, windows$group, windows$from, windows$to, first, core_threads())
}

# Seen since the first day of the period before, less those seen in the window itself. Unknown where that day is
# before the ledger's first.
lapsed_figures <- function(cube, slot, windows) {
  slot$what <- "distinct"
  before <- windows$before()
  reaching <- list_figures(cube, slot, list(group = windows$group, from = before, to = windows$to))
  out <- reaching - list_figures(cube, slot, windows)
  out[is.na(before) | before < cube$basis$first] <- NA
  out
}

# Entries that began on or before the last day of a window, less those that were over by then.
open_figures <- function(cube, slot, windows) {
  count <- list(what = "count", column = NULL, where = slot$where)
  everything <- list(group = windows$group, from = rep(first_day_there_is, length(windows$to)), to = windows$to)
  began <- cube_figures(cube, count, everything)
  basis <- over_basis(whole_ledger(cube$x), cube$on, slot$last_day)
  if (!is.finite(basis$first)) return(began)  # none has ended
  over <- kept_in(cube$lists, list("over", count, slot$last_day), function() {
    memory_cube(whole_ledger(cube$x), cube$on, cube$by, cube$where, list(entry_count, count), basis)
  }, function(over) !core_cube_is_gone(over$pointer))
  began - cube_figures(over, count, everything)
}

# The first day on which each entry is over, as a date basis: the day after its end, or the day of its end, and never
# before its beginning. Later than the as-of day none is over.
over_basis <- function(x, on, open_on_last_day) {
  kept_in(x$grouped, list("over", on, open_on_last_day), function() {
    basis <- x$bases[[on]]
    began <- if (is.null(basis$offsets)) basis$data$data else entry_days(basis)
    over <- pmax(x$columns[[x$until]]$data + as.integer(open_on_last_day), began)
    basis_within(list(data = list(data = over)), x$as_of)
  })
}

# The lists for a slot, made on first use and again where they did not survive being saved.
cube_lists <- function(cube, slot) {
  if (slot$what == "newcomers") slot$what <- "distinct"
  kept_in(cube$lists, list("lists", slot_key(slot)), function() build_lists(cube, slot),
          function(kept) !core_cube_is_gone(kept))
}

build_lists <- function(cube, slot) {
  x <- whole_ledger(cube$x)
  basis <- if (is_appended(cube$x)) x$bases[[cube$on]] else cube$basis
  what <- slot$what
  keys <- lapply(cube$by, function(name) ledger_attribute(x, name))
  members <- if (what == "distinct") ledger_attribute(x, slot$column) else if (!is.null(slot$each)) ledger_attribute(x, slot$each)
  missing <- if (what == "distinct" && anyNA(members$members)) which(is.na(members$members)) - 1L else -1L
  asked <- list(what = if (what == "distinct") "count" else "sum", column = if (what != "distinct") slot$column, where = slot$where)
  if (what == "latest" && is.null(basis$offsets)) {
    # The last of a day is that of the source, and the ledger's order is that of its first date
    # basis.
    came <- order(source_rows(x))
    x <- in_other_order(x, came, names_in(list(cube$where, slot$where, list(column = slot$column))))
    keys <- lapply(keys, column_in_order, at = came)
    if (!is.null(members)) members <- column_in_order(members, came)
    basis$data <- column_in_order(basis$data, came)
  }
  core_build_lists(cube_request(x, basis, cube$where, list(entry_count, asked)), keys, what, members, missing, core_threads())
}

# The ledger with some of its columns, and its date bases, in another order of entries.
in_other_order <- function(x, at, needed) {
  x$columns <- lapply(x$columns[intersect(names(x$columns), needed)], column_in_order, at = at)
  x$bases <- lapply(x$bases, function(basis) {
    basis$data <- column_in_order(ledger_column(list(bases = list(basis)), basis$column), at)
    basis$offsets <- NULL
    basis
  })
  x$grouped <- new.env(parent = emptyenv())
  x
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
  unique(unlist(lapply(trees, function(tree) if (is.list(tree)) c(tree$column,
      names_in(Filter(is.list, tree))))))
}

# The first day on which each member was ever seen on the date basis, whatever the conditions.
first_days <- function(cube, column) {
  x <- whole_ledger(cube$x)
  kept_in(x$grouped, list("first days", cube$on, column), function() {
    core_first_days(cube_request(x, x$bases[[cube$on]], NULL, list(entry_count)),
                    ledger_attribute(x, column))
  })
}

entry_count <- list(what = "count", column = NULL, where = NULL)
