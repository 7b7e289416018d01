# A ledger in memory as a source: its columns, in order of day, and cells filled from them by the
# core.

source_facts.memory_ledger <- function(x) {
  handle_object(x$handle, "facts", function() facts_of(x))
}

facts_of <- function(x) {
  apart <- function(name) sum(x$aside$kept_out_of == name)
  bases <- lapply(stats::setNames(nm = names(x$bases)), function(name) {
    c(x$bases[[name]][c("column", "first", "last")],
      list(apart = apart(name), months = isTRUE(x$bases[[name]]$months),
           hours = hidden_times(name) %in% x$hidden, absent = function() absent_days(x, name),
           held = function(from, to) days_held(x, name, from, to)))
  })
  list(label = x$source, version = ledger_version(x), as_of = x$as_of, calendar = x$calendar,
       units = x$units, counts = entry_counts(x), dates = bases, left_out = x$left_out,
       until = x$until, kept = if (!is.null(x$kept)) attr(x$kept$where, "text"), files = x$files,
       later = length(x$later_rows), has_aside = nrow(x$aside) > 0,
       rows_are = x$numbering$word %||% "row", says = x$says, given = ledger_record(x),
       columns_read = x$asked$columns,
       wheres = Filter(Negate(is.null), lapply(x$steps, function(step) step$where)),
       column_names = ledger_column_names(x), told_rows = function(rows) rows_told(x, rows)$at,
       forks = TRUE, coarser = FALSE)
}

# What tells this ledger from another, or from the same one later.
ledger_version <- function(x) {
  first <- x$bases[[1]]
  sprintf("%s, %s to %s", count_text(x$used, "entry", "entries"), iso_day(first$first),
          iso_day(first$last))
}

source_column.memory_ledger <- function(x, name, call = caller_env()) {
  column <- ledger_column(x, name, call)
  kept_in(ledger_cache(x), list("column", name), function() column_facts(column, x, name),
          function(facts) 500)
}

column_facts <- function(column, x, name) {
  members <- column$members
  holds <- if (!is_code_column(column)) (if (column$kind == "day") "days" else "amounts")
           else if (is.logical(members)) "flags"
           else if (is.ordered(members)) "ordered" else if (is.factor(members)) "levels" else "text"
  lacks <- if (is_code_column(column)) anyNA(members) else column$has_missing
  # Without any size there is a value only where one is zero.
  maybe_blank <- lacks && (is_code_column(column) || column$kind == "day" ||
                             identical(column$sum_of_sizes, 0) || column$kind == "real")
  list(name = name, holds = holds, decimals = column$decimals %||% 0L,
       exact = column$kind != "real", has_missing = lacks, sum_of_sizes = column$sum_of_sizes,
       large = is_large(column), of_64_bits = isTRUE(column$of_64_bits),
       is_blank = maybe_blank && all_missing(ledger_column(in_one_piece(x), name)),
       only_counted = FALSE)
}

source_members.memory_ledger <- function(x, name, call = caller_env()) {
  column <- ledger_attribute(x, name, call)
  count <- function() member_counts(ledger_attribute(in_one_piece(x), name))
  kept_in(ledger_cache(x), list("members", name), function() new_members(column$members, count),
          function(members) 64 * length(column$members))
}

# Entries of each member of an attribute.
member_counts <- function(column) {
  tabulate(core_codes_back(column) + 1L, nbins = length(column$members))
}

source_groups.memory_ledger <- function(x, by, complete = TRUE, within = NULL) {
  kept_in(ledger_cache(x), list("groups", by), function() groups_in_memory(x, by),
          function(groups) core_group_facts(groups$pointer)$bytes + 1000)
}

groups_in_memory <- function(x, by) {
  members <- lapply(by, function(name) source_members(x, name))
  pointer <- groups_by_numbers(x, by)
  if (!is.null(pointer)) return(new_groups(pointer, by, members))
  known <- groups_with_columns(in_one_piece(x), by)
  # Views of the columns are held in it.
  c(new_groups(known$pointer, by, members), list(columns = known$columns))
}

# Groups that are numbered by arithmetic, without a look at entries; or NULL.
groups_by_numbers <- function(x, by) {
  counts <- vapply(by, function(name) length(ledger_attribute(x, name)$members), 0L)
  core_groups_by_arithmetic(as.integer(counts), x$used)
}

source_cells.memory_ledger <- function(x, ask, from, to) {
  cells <- if (!is.null(ask$stretches)) cells_by_stretch(x, ask, from, to)
  if (!is.null(cells)) return(cells)
  basis <- basis_asked(x, ask)
  days <- days_worth_taking(x, basis, from, to)
  joined <- if (is_appended(x)) joined_cells(x, ask, days)
  if (!is.null(joined)) return(joined)
  x <- in_one_piece(x)
  basis <- part_of_basis(basis_asked(x, ask), days$from, days$to)
  keys <- groups_with_columns(x, ask$by)
  pointer <- core_build_cube(cube_request(x, basis, ask$where, ask$slots), keys$pointer,
                             core_threads())
  new_cells(pointer, ask, days$from, days$to)
}

# Cells by stretches of days, where cells by day would be many and entries stand in order of day; or
# NULL.
cells_by_stretch <- function(x, ask, from, to) {
  basis <- basis_asked(x, ask)
  if (is.null(basis$offsets) || is_appended(x) || !is.finite(basis$first)) return(NULL)
  keys <- groups_with_columns(x, ask$by)
  days <- min(to, basis$last) - max(from, basis$first) + 1
  if (core_group_facts(keys$pointer)$groups * days <= max(most_day_cells(), x$used)) return(NULL)
  places <- pmin(pmax(ask$stretches - basis$first + 1L, 1L), length(basis$offsets))
  basis <- list(first = 0L, last = length(places) - 2L, offsets = basis$offsets[places])
  pointer <- core_build_cube(cube_request(x, basis, ask$where, ask$slots), keys$pointer,
                             core_threads())
  new_cells(pointer, ask, from, to, ask$stretches)
}

# Up to so many cells by day there are no others.
most_day_cells <- function() 2^20

# Groups that know the number of each entry, which cells are filled by.
groups_with_columns <- function(x, by) {
  kept_in(ledger_cache(x), list("groups of entries", by), function() {
    columns <- lapply(by, function(name) ledger_attribute(x, name))
    list(pointer = core_groups(columns, x$used, core_threads()), columns = columns)
  }, function(groups) core_group_facts(groups$pointer)$bytes + 1000)
}

# The cubes of the parts of a ledger as one, or NULL where all entries must be looked at together.
joined_cells <- function(x, ask, days) {
  coded <- vapply(ask$by, function(name) is_code_column(ledger_column(x, name)), TRUE)
  # A ledger's first date basis is its own order; another needs the days up to the as-of day as
  # they are now.
  if (!all(coded) || !identical(ask$days, "own") || ask$on != names(x$bases)[1]) return(NULL)
  groups <- groups_by_numbers(x, ask$by)
  if (is.null(groups)) return(NULL)
  ask["stretches"] <- list(NULL)
  # The parts number members alike; the smaller ones have fewer.
  parts <- lapply(ledger_parts(x),
                  function(part) cells_for(part, ask, days$from, days$to)$pointer)
  pointer <- core_joined_cube(parts, groups)
  if (!is.null(pointer)) new_cells(pointer, ask, days$from, days$to)
}

# The date basis of a question: days that count, or days from which entries are open no more.
basis_asked <- function(x, ask) {
  if (identical(ask$days, "own")) return(x$bases[[ask$on]])
  basis_of_ends(in_one_piece(x), ask$on, ask$days$last_day)
}

# The days to be looked at: those asked for, and all where that costs little more.
days_worth_taking <- function(x, basis, from, to) {
  everything <- list(from = first_day_there_is, to = last_day_there_is)
  if (is.null(basis$offsets) || x$used <= small_ledger) return(everything)
  days <- part_of_basis(basis, from, to)
  entries <- days$offsets[length(days$offsets)] - days$offsets[1]
  if (entries * 3 >= x$used) everything else list(from = from, to = to)
}

small_ledger <- 200000L

# The first day on which each entry is over, as a date basis: the day after its end, or the day of
# its end, and never before its beginning. Later than the as-of day none is over.
basis_of_ends <- function(x, on, open_on_last_day) {
  kept_in(ledger_cache(x), list("over", on, open_on_last_day), function() {
    basis <- x$bases[[on]]
    began <- if (is.null(basis$offsets)) basis$data$data else entry_days(basis)
    over <- days_after_ends(began, x$columns[[x$until]]$data, open_on_last_day)
    basis_within(list(data = list(data = over)), x$as_of)
  })
}

days_after_ends <- function(began, ends, open_on_last_day) {
  pmax(ends + as.integer(open_on_last_day), began)
}

# `basis` is one of the ledger's date bases, or the like of one.
cube_request <- function(x, basis, where, slots) {
  wheres <- c(list(where), lapply(slots, function(slot) slot$where))
  conditions <- unique(Filter(Negate(is.null), wheres))
  condition_number <- function(tree) {
    if (is.null(tree)) -1L else match(list(tree), conditions) - 1L
  }
  list(
    entries = x$used, first = basis$first, last = basis$last, offsets = basis$offsets,
    days = if (is.null(basis$offsets)) basis$data$data,
    conditions = lapply(conditions, condition_steps, x = x), where = condition_number(where),
    slots = lapply(slots, function(slot) {
      list(what = slot$what, condition = condition_number(slot$where),
           column = if (!is.null(slot$column)) x$columns[[slot$column]])
    })
  )
}

# A basis with the entries of some days only; without any, of one day on which there are none.
part_of_basis <- function(basis, from, to) {
  if (!is.finite(basis$first)) {
    basis[c("first", "last")] <- list(0L, 0L)
    return(basis)
  }
  from <- max(from, basis$first)
  to <- min(to, basis$last)
  if (from > to) to <- from <- min(max(from, basis$first), basis$last)
  if (!is.null(basis$offsets)) {
    basis$offsets <- basis$offsets[seq.int(from - basis$first + 1L, to - basis$first + 2L)]
  }
  basis$first <- from
  basis$last <- to
  basis
}

source_control.memory_ledger <- function(x, on, where, slots, from, to) {
  parts <- if (on == names(x$bases)[1]) ledger_parts(x) else list(in_one_piece(x))
  figures <- lapply(parts, function(part) {
    core_control_values(cube_request(part, part$bases[[on]], where, slots), from, to)
  })
  Reduce(`+`, figures)
}

absent_days <- function(x, on) {
  days <- in_one_piece(x)$bases[[on]]$data$data
  list(without = sum(is.na(days)), late = sum(days > x$as_of, na.rm = TRUE))
}

days_held <- function(x, on, from, to) {
  basis <- if (on == names(x$bases)[1]) x$bases[[on]] else in_one_piece(x)$bases[[on]]
  held <- function(from, to) {
    if (is.null(basis$offsets)) {
      return(any(basis$data$data >= from & basis$data$data <= to, na.rm = TRUE))
    }
    ends <- c(from, to + 1L) - basis$first + 1L
    ends <- pmax(pmin(ends, length(basis$offsets)), 1L)
    basis$offsets[ends[2]] > basis$offsets[ends[1]]
  }
  vapply(seq_along(from), function(i) held(from[i], to[i]), TRUE)
}

source_set_aside.memory_ledger <- function(x) {
  aside <- x$aside
  told <- rows_told(x, aside$row)
  apart <- is.na(aside$row)
  if (!is.null(told$file)) aside$file <- ifelse(apart, aside$file, told$file)
  aside$row <- ifelse(apart, aside$line, told$at)
  aside <- aside[order(match(aside$file, x$numbering$files), aside$row), ]
  own <- c("row", "reason", "column", "value", "kept_out_of", if (!is.null(told$file)) "file")
  new_table(as.list(aside[own]), nrow(aside))
}

source_with.memory_ledger <- function(x, step, call = caller_env()) {
  switch(step$step,
    keep = with_kept(x, step, call),
    without = with_columns(x, setdiff(names(x$columns), step$columns)),
    lookup = with_lookup(x, step$table, step$ours, step$theirs, call),
    append = with_appended(x, step$rows, step$as_of, call),
    work_out = with_worked_out(x, step$name, step$tree, call),
    part = with_part(x, step$part, step$on, call)
  )
}

# Numbers of the rows of a table of members (text) that pass a condition, by the rules of a source.
source_passing <- function(x, members, where) {
  kinds <- lapply(stats::setNames(nm = names(members)), function(name) {
    column <- source_column(x, name)
    values <- if (column$holds %in% c("levels", "ordered")) source_members(x, name)$values
    list(holds = column$holds, values = values, large = column$large)
  })
  members_passing(members, kinds, where)
}

# The same for columns of some kinds, list(holds, values, large) each.
members_passing <- function(members, kinds, where) {
  n <- length(members[[1]])
  if (n == 0) return(integer())
  standing <- core_sort_by_day(integer(n), core_threads())
  columns <- Map(function(text, kind) encode_column(members_like(text, kind), standing), members,
                 kinds[names(members)])
  table <- with_new_handle(list(used = n, columns = columns, bases = list()))
  every <- list(first = 0L, last = 0L, offsets = c(0L, n))
  core_chosen_entries(cube_request(table, every, where, list(entry_count)))
}

# Members written as text, as values of the kind that a column holds.
members_like <- function(text, kind) {
  if (is.factor(kind$values)) {
    levels <- union(levels(kind$values), text[!is.na(text)])
    return(factor(text, levels = levels, ordered = is.ordered(kind$values)))
  }
  switch(kind$holds, flags = as.logical(text), days = as_date(core_iso_days(text)),
         amounts = if (kind$large) text else suppressWarnings(as.double(text)), text)
}
