# The contract of sources: the narrow questions that a ledger answers, and all that is known of it
# above. Nothing above these files reads a ledger's columns or a cube's inside.
#
# Common to all: days are whole numbers since 1970-01-01; text is compared by its bytes and, where
# case is overlooked, by Unicode's simple case folding; a condition on a missing value is neither
# true nor false, and only true ones count; of several entries on one day the last in the order of
# the source is the latest; amounts with up to four decimals add up exactly.

# list(label, version, as_of, calendar, units, counts, dates, left_out, until, kept, files, later,
# reasons, has_aside, rows_are, says, given, columns_read, wheres, column_names, told_rows, forks,
# coarser): counts are list(read, used, kept_out, aside); dates are the date bases by name,
# list(column, first, last, apart, months, hours, absent, held) each, first and last being the days
# that statements can be of, the flags whether days stand for months and whether there are hours,
# `absent()` giving list(without, late), entries without a day and those after the as-of day, and
# `held(from, to)` whether there are entries in stretches of days; reasons are counts of rows set
# aside, where they are known; rows_are says what row numbers count ("row", "line"), and
# `told_rows(rows)` gives those by which people find rows; says is how the source was read;
# column_names are date bases included; of_cells is whether its rows are sums of days; given is the
# record of how the ledger was made; forks is whether a copy of the process can ask as well, and
# coarser whether the source itself makes cells of fewer attributes out of finer ones. Where entries
# may change, `seen` is another for other entries.
source_facts <- function(x) UseMethod("source_facts")

# One column: list(name, holds, decimals, exact, has_missing, sum_of_sizes, large, of_64_bits,
# is_blank, only_counted). `holds` is "text", "levels", "ordered", "flags", "days" or "amounts";
# `only_counted` is whether entries without an amount can be told only by how many have one.
source_column <- function(x, name, call = caller_env()) UseMethod("source_column")

# The members of a column, as of new_members().
source_members <- function(x, name, call = caller_env()) UseMethod("source_members")

# The groups of entries by some columns, as of new_groups(): all, or at least those met so far.
# `within`, list(ask, from, to), is what is asked next, so that its groups are met on the way.
source_groups <- function(x, by, complete = TRUE, within = NULL) UseMethod("source_groups")

# Cells of additive figures, as of new_cells(), for at least the days asked for. `ask` is as of
# new_ask(). With stretches of days in it, a source may give a cell for each of these instead of a
# cell for each day, where those would be many.
source_cells <- function(x, ask, from, to) UseMethod("source_cells")

# What does not add up, for one slot of `ask`: list(from, to, pointer). With `windows`, distinct
# members over them, where the source counts these itself, or NULL. Of the slot "first day" the
# first day of each member of its column, whatever the conditions; missing where it has none.
source_lists <- function(x, ask, slot, from, to, windows = NULL) UseMethod("source_lists")

# Single entries of some days that pass a condition, in order of their days and then of the source:
# list(row, day, over, values); `over` where `ends` asks from when each is open no more. At most
# `limit` of them, the first. Where `repeated` is asked, those alone that are equal to another in
# the columns, and others beside them: list(row, values).
source_entries <- function(x, on, from, to, where, columns, ends = NULL, limit = NULL,
                           repeated = FALSE) {
  UseMethod("source_entries")
}

# Figures of slots over days by a way of its own: every entry looked at once, without cells.
source_control <- function(x, on, where, slots, from, to) UseMethod("source_control")

# The rows kept out of figures, with reasons.
source_set_aside <- function(x) UseMethod("source_set_aside")

# The source after a step: list(step = "keep", where), "lookup" (table, ours, theirs), "append"
# (rows, as_of), "work_out" (name, tree) "part" (part, on: a calendar part as a
# column) or "without" (columns).
source_with <- function(x, step, call = caller_env()) UseMethod("source_with")

# The one door to a question: what it uses is kept until it is answered, and all that it asks is of
# the same entries; it is asked again where these came or went meanwhile. `of` is the statement that
# it follows on.
consistent <- function(x, ask, of = NULL) UseMethod("consistent")

consistent.ledger <- function(x, ask, of = NULL) {
  cache <- ledger_cache(x)
  open_cache(cache, of)
  on.exit(close_cache(cache))
  ask()
}

# ---- what follows from these -------------------------------------------------

entries_used <- function(x) source_facts(x)$counts$used

source_column_names <- function(x) source_facts(x)$column_names

# ---- what is asked -----------------------------------------------------------

# `days` is "own", or list(last_day) for the days on which entries are open no more. `finer` names
# attributes of cells that may serve where they are there; `stretches` the days with which stretches
# begin that windows are made of, as of stretches_between().
new_ask <- function(on, by, where, slots, days = "own", finer = NULL, stretches = NULL) {
  list(on = on, by = by, where = where, slots = slots, days = days, finer = finer,
       stretches = stretches)
}

entry_count <- list(what = "count", column = NULL, where = NULL)

# ---- members -----------------------------------------------------------------

# The members of a column, each worked out when it is first asked for and then kept: values (as the
# source had them), rank (the place of each in order), text, shown (text as people read it), counts
# (entries of each), index (for look-up), absent (the number of the missing member, 0 for none), and
# whether they are all days as text.
new_members <- function(values, count) {
  m <- new.env(parent = emptyenv())
  m$values <- values
  delayedAssign("rank", member_ranks(values), assign.env = m)
  delayedAssign("text", plain_text(values), assign.env = m)
  delayedAssign("shown", member_text(values), assign.env = m)
  delayedAssign("counts", count(), assign.env = m)
  delayedAssign("absent", match(NA, values, nomatch = 0L), assign.env = m)
  delayedAssign("is_dated", !is.null(dated_text(m$text)), assign.env = m)
  delayedAssign("index", if (is.character(m$text)) core_text_index(m$text), assign.env = m)
  m
}

# Member numbers from 0 of values, -1 for those that are not members. Beside totals all members are
# text.
members_found <- function(members, values) {
  same <- typeof(values) == typeof(members$values) && !is.object(values) &&
    !is.object(members$values)
  found <- if (same && !is.character(values)) match(values, members$values)
           else core_find_text(members$index, enc2utf8(plain_text(values)))
  found[is.na(found)] <- 0L
  found - 1L
}
