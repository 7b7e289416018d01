# All calls into cubes and lists: groups, cells, and figures over windows of days. The same for
# every source.

# ---- groups ------------------------------------------------------------------

# Combinations of the members of some attributes, numbered from 0: list(pointer, by, members,
# count, met). `met` is how many have been met, where they are met one after the other.
new_groups <- function(pointer, by, members, met = NULL) {
  list(pointer = pointer, by = by, members = stats::setNames(members, by),
       count = core_group_facts(pointer)$groups, met = met)
}

# The groups of a source by some attributes, numbered once. Without `complete` those that have been
# met will do; numbers stay the same when others come.
groups_by <- function(x, by, complete = TRUE, within = NULL) {
  from_core(source_groups(x, by, complete, within))
}

# Group numbers of attribute values, -1 where there is no such group.
group_numbers <- function(x, by, values, n) {
  out <- groups_of_values(groups_by(x, by, FALSE), values, n)
  if (any(out < 0L)) groups_of_values(groups_by(x, by), values, n) else out
}

all_groups <- function(groups) seq_len(groups$count) - 1L

# Member numbers of groups, a vector per attribute.
groups_codes <- function(groups, numbers) {
  stats::setNames(core_group_members(groups$pointer, numbers), groups$by)
}

groups_values <- function(groups, numbers) {
  Map(function(members, code) members$values[code + 1L], groups$members,
      groups_codes(groups, numbers))
}

# Groups in the order of their members.
groups_in_order <- function(groups, numbers) {
  if (length(groups$by) == 0) return(numbers)
  ranks <- Map(function(members, code) members$rank[code + 1L], groups$members,
               groups_codes(groups, numbers))
  numbers[do.call(order, unname(ranks))]
}

# Group numbers of member numbers, -1 where there is no such group.
groups_of_codes <- function(groups, codes, n = length(codes[[1]])) {
  if (length(groups$by) == 0) integer(n) else core_group_numbers(groups$pointer, unname(codes))
}

# The same of attribute values.
groups_of_values <- function(groups, values, n) {
  if (length(groups$by) == 0) return(integer(n))
  groups_of_codes(groups, Map(members_found, groups$members, values[groups$by]))
}

# ---- cells -------------------------------------------------------------------

# A cell per day and group of the slots of `ask`, for some days: list(pointer, from, to, by, keys,
# stretches). With `stretches` there is a cell for each stretch of days in place of each day.
new_cells <- function(pointer, ask, from, to, stretches = NULL) {
  list(pointer = pointer, from = from, to = to, by = ask$by, keys = slot_keys(ask$slots),
       stretches = stretches)
}

slot_keys <- function(slots) vapply(slots, slot_key, "")

ask_key <- function(ask) list(ask$on, ask$by, ask$where, ask$days, slot_keys(ask$slots))

cells_key <- function(x, ask) list("cells", ask_key(ask), groups_by(x, ask$by, FALSE)$met)

# Cells by day that are kept and cover some days, or NULL.
held_cells <- function(x, ask, from, to) {
  held_for_days(ledger_cache(x), cells_key(x, ask), from, to)
}

# Cells that cover some days: those kept, those of finer groups put together, or new ones; by the
# stretches of `ask`, where it has some, if the source has them so.
cells_for <- function(x, ask, from, to) {
  held <- held_cells(x, ask, from, to)
  if (!is.null(held)) return(held)
  cache <- ledger_cache(x)
  stretches_key <- function() {
    rlang::hash(list("cells by stretch", cells_key(x, ask), ask$stretches))
  }
  if (!is.null(ask$stretches)) {
    held <- cached(cache, stretches_key())
    if (!is.null(held)) return(held)
    # Of all stretches, so that they serve whatever windows are made of them.
    from <- min(from, ask$stretches[1])
    to <- max(to, ask$stretches[length(ask$stretches)] - 1L)
  }
  cells <- coarser_cells(x, ask, from, to)
  if (is.null(cells)) cells <- from_core(source_cells(x, ask, from, to))
  bytes <- core_cube_facts(cells$pointer)$bytes + 1000
  # Groups may have been met on the way.
  if (!is.null(cells$stretches)) return(put_in_cache(cache, stretches_key(), cells, bytes))
  put_for_days(cache, cells_key(x, ask),
               list(from = cells$from, to = cells$to, value = cells, bytes = bytes))
}

# Cells put together from those of finer groups, where they are there and dense; or NULL.
coarser_cells <- function(x, ask, from, to) {
  if (is.null(ask$finer) || identical(ask$finer, ask$by) || source_facts(x)$coarser)
    return(NULL)
  finer <- utils::modifyList(ask, list(by = ask$finer, finer = NULL))
  fine <- cells_for(x, finer, from, to)
  pointer <- core_coarser_cube(fine$pointer, match(ask$by, fine$by) - 1L,
                               groups_by(x, ask$by)$pointer)
  if (!is.null(pointer)) new_cells(pointer, ask, fine$from, fine$to, fine$stretches)
}

# ---- stretches of days -------------------------------------------------------

# Where many members meet many days, cells by day would be as many as entries. What is asked of
# whole periods alone is told by a cell for each: stretches of days that follow each other, given by
# their first days and, last, the day after the last.

most_stretches <- 200L

# The stretches of days that spans or periods are made of, or NULL where there are so many that
# days serve as well.
stretches_between <- function(from, to) {
  # What sort() gives is written otherwise once it was looked at, and would have another hash.
  ends <- sort(unique(c(from, to + 1L))) + 0L
  n <- length(ends) - 1L
  if (n < 1L || n > most_stretches || 3 * n > ends[n + 1L] - ends[1]) return(NULL)
  as.integer(ends)
}

# The stretches, from 0, with which windows begin and end: list(from, to), or NULL where these cut
# one. A window without days stays one.
stretch_places <- function(stretches, windows) {
  if (is.null(stretches)) return(NULL)
  core_stretch_places(stretches, as.integer(windows$from), as.integer(windows$to))
}

# `ask` with stretches that windows are made of, those of the statement or their own, and the places
# of these: list(ask, places); without any where windows are made of none.
ask_by_stretches <- function(ask, windows) {
  if (is.null(ask$stretches)) return(list(ask = ask))
  places <- stretch_places(ask$stretches, windows)
  if (is.null(places) && !anyNA(windows$from) && !anyNA(windows$to)) {
    some <- windows$from <= windows$to
    ask["stretches"] <- list(stretches_between(unique(windows$from[some]),
                                               unique(windows$to[some])))
    places <- stretch_places(ask$stretches, windows)
  }
  if (is.null(places)) ask["stretches"] <- list(NULL)
  list(ask = ask, places = places)
}

# The days that windows reach over: list(from, to).
days_of_windows <- function(windows) {
  list(from = min(windows$from, last_day_there_is, na.rm = TRUE),
       to = max(windows$to, first_day_there_is, na.rm = TRUE))
}

# ---- figures over windows ----------------------------------------------------

# Figures of one slot over windows (group numbers from 0, first and last days).
values_in_windows <- function(x, ask, slot, windows) {
  if (length(windows$group) == 0) return(numeric())
  check_parts_known(x, c(ask$by, condition_columns(ask$where), condition_columns(slot$where)), ask,
                    windows)
  if (slot$what == "open") return(values_of_active(x, ask, slot, windows))
  if (slot$what == "lapsed") return(lapsed_values(x, ask, slot, windows))
  if (!slot$what %in% additive_slots) return(values_of_lists(x, ask, slot, windows))
  days <- days_of_windows(windows)
  if (!slot_key(slot) %in% slot_keys(ask$slots)) ask$slots <- c(ask$slots, list(slot))
  cells <- held_cells(x, ask, days$from, days$to)
  if (is.null(cells)) {
    asked <- ask_by_stretches(ask, windows)
    cells <- cells_for(x, asked$ask, days$from, days$to)
    if (!is.null(cells$stretches)) windows[c("from", "to")] <- asked$places
  }
  from_core(core_evaluate(cells$pointer, match(slot_key(slot), cells$keys) - 1L, windows$group,
                          windows$from, windows$to, core_threads()))
}

# Entries whose place in the year is not known would be missing from the groups of the others.
check_parts_known <- function(x, names, ask, windows) {
  parts <- grep("^fiscal_", intersect(source_parts(x), names), value = TRUE)
  if (length(parts) == 0) return(invisible())
  facts <- source_facts(x)
  days <- days_of_windows(windows)
  from <- max(days$from, facts$dates[[ask$on]]$first)
  to <- min(days$to, facts$dates[[ask$on]]$last)
  if (from > to) return(invisible())
  for (part in parts) {
    at <- first_day_without_part(part, from, to, facts$calendar)
    if (is.na(at)) next
    refuse("calendar", c(
      sprintf("`%s` of %s is unknown: the calendar's table of periods does not tell its place.",
              part, day_text(at)),
      i = "Add the periods of its fiscal year to {periods}, or ask for later days."), call = NULL)
  }
}

# Figures that are no sums, from lists of entries side by side by group, in order of day.
values_of_lists <- function(x, ask, slot, windows) {
  counted <- if (slot$what == "distinct") source_lists(x, ask, slot, windows = windows)
  if (!is.null(counted)) return(counted)
  lists <- if (slot$what == "newcomers") utils::modifyList(slot, list(what = "distinct")) else slot
  days <- days_of_windows(windows)
  # What was carried forward may be of any day before.
  if (slot$what == "latest") days$from <- first_day_there_is
  key <- list("lists", ask$on, ask$by, ask$where, slot_key(lists), groups_by(x, ask$by, FALSE)$met)
  pointer <- kept_for_days(ledger_cache(x), key, days$from, days$to, function() {
    made <- from_core(source_lists(x, ask, lists, days$from, days$to))
    list(from = made$from, to = made$to, value = made$pointer,
         bytes = core_lists_bytes(made$pointer) + 1000)
  })
  first <- if (slot$what == "newcomers") first_days(x, ask$on, slot$column) else integer()
  from_core(core_list_values(pointer, slot$what, windows$group, windows$from, windows$to, first,
                              core_threads()))
}

first_days <- function(x, on, column) {
  kept_in(ledger_cache(x), list("first days", on, column),
          function() source_lists(x, list(on = on), list(what = "first day", column = column)))
}

# Seen since the first day of the period before, less those seen in the window itself. Unknown where
# that day is before the ledger's first.
lapsed_values <- function(x, ask, slot, windows) {
  slot$what <- "distinct"
  before <- windows$before()
  reaching <- values_of_lists(x, ask, slot,
                           list(group = windows$group, from = before, to = windows$to))
  out <- reaching - values_of_lists(x, ask, slot, windows)
  out[is.na(before) | before < source_facts(x)$dates[[ask$on]]$first] <- NA
  out
}

# Entries that began on or before the last day of a window, less those that were over by then.
values_of_active <- function(x, ask, slot, windows) {
  count <- list(what = "count", column = NULL, where = slot$where)
  everything <- list(group = windows$group, from = rep(first_day_there_is, length(windows$to)),
                     to = windows$to)
  began <- values_in_windows(x, ask, count, everything)
  over <- new_ask(ask$on, ask$by, ask$where, list(entry_count, count),
                  days = list(last_day = slot$last_day))
  over$slots <- over$slots[!duplicated(slot_keys(over$slots))]
  began - values_in_windows(x, over, count, everything)
}

# How many entries each group has in its days.
group_entries <- function(x, ask, groups, from, to) {
  n <- length(groups)
  values_in_windows(x, ask, entry_count,
                 list(group = groups, from = rep_len(from, n), to = rep_len(to, n)))
}

# Pairs of period and group that have entries: list(period, group, figures), periods in order and
# not overlapping; the figures of each slot come with them.
held_periods <- function(x, ask, groups, from, to) {
  asked <- ask_by_stretches(ask, list(from = from, to = to))
  cells <- cells_for(x, asked$ask, min(from), max(to))
  days <- if (is.null(cells$stretches)) list(from = from, to = to) else asked$places
  held <- from_core(core_stretches_with_entries(cells$pointer, groups, days$from, days$to,
                                                core_threads()))
  held$figures <- stats::setNames(held$figures, cells$keys)
  held
}

# The last day up to `day` on which each group has an entry, missing where it has none.
latest_days <- function(x, ask, groups, day) {
  ask["stretches"] <- list(NULL)
  cells <- cells_for(x, ask, first_day_there_is, day)
  from_core(core_latest_days(cells$pointer, groups, day))
}

# Smallest or largest of figures given for groups and days, over windows.
extremes_over_windows <- function(groups, group, day, figures, windows, stat) {
  lists <- core_lists_of_amounts(groups, group, day, figures, stat == "largest")
  core_list_values(lists, stat, windows$group, windows$from, windows$to, integer(), core_threads())
}
