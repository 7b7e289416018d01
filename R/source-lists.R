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
  key <- paste("over", slot_key(count), slot$last_day)
  over <- cube$lists[[key]]
  if (is.null(over) || core_cube_is_gone(over$pointer)) {
    basis <- over_basis(whole_ledger(cube$x), cube$on, slot$last_day)
    if (!is.finite(basis$first)) return(began)  # none has ended
    over <- memory_cube(whole_ledger(cube$x), cube$on, cube$by, cube$where, list(entry_count, count), basis)
    assign(key, over, envir = cube$lists)
  }
  began - cube_figures(over, count, everything)
}

# The first day on which each entry is over, as a date basis: the day after its end, or the day of its end, and never
# before its beginning. Later than the as-of day none is over.
over_basis <- function(x, on, open_on_last_day) {
  key <- paste("over", on, open_on_last_day)
  if (is.null(x$grouped[[key]])) {
    basis <- x$bases[[on]]
    began <- if (is.null(basis$offsets)) basis$data$data else entry_days(basis)
    over <- pmax(x$columns[[x$until]]$data + as.integer(open_on_last_day), began)
    over[over > x$as_of] <- NA
    known <- over[!is.na(over)]
    assign(key, list(first = if (length(known) > 0) min(known) else Inf, last = if (length(known) > 0) max(known) else -Inf,
                     data = list(data = over)), envir = x$grouped)
  }
  x$grouped[[key]]
}

# The lists for a slot, made on first use and again where they did not survive being saved.
cube_lists <- function(cube, slot) {
  if (slot$what == "newcomers") slot$what <- "distinct"
  key <- slot_key(slot)
  kept <- cube$lists[[key]]
  if (is.null(kept) || core_cube_is_gone(kept)) {
    kept <- build_lists(cube, slot)
    assign(key, kept, envir = cube$lists)
  }
  kept
}

build_lists <- function(cube, slot) {
  x <- whole_ledger(cube$x)
  basis <- if (is_appended(cube$x)) x$bases[[cube$on]] else cube$basis
  what <- slot$what
  keys <- lapply(cube$by, function(name) ledger_attribute(x, name))
  members <- if (what == "distinct") ledger_attribute(x, slot$column) else if (!is.null(slot$each)) ledger_attribute(x, slot$each)
  missing <- if (what == "distinct" && anyNA(members$members)) which(is.na(members$members)) - 1L else -1L
  asked <- list(what = if (what == "distinct") "count" else "sum", column = if (what != "distinct") slot$column, where = slot$where)
  core_build_lists(cube_request(x, basis, cube$where, list(entry_count, asked)), keys, what, members, missing, core_threads())
}

# The first day on which each member was ever seen on the date basis, whatever the conditions.
first_days <- function(cube, column) {
  x <- whole_ledger(cube$x)
  key <- paste("first", cube$on, column)
  if (is.null(x$grouped[[key]])) {
    request <- cube_request(x, x$bases[[cube$on]], NULL, list(entry_count))
    assign(key, core_first_days(request, ledger_attribute(x, column)), envir = x$grouped)
  }
  x$grouped[[key]]
}

entry_count <- list(what = "count", column = NULL, where = NULL)
