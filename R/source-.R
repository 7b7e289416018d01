# The contract of sources: the narrow questions that a ledger answers, and all that is known of it
# above. Nothing above these files reads a ledger's columns or a cube's inside.
#
# Common to all: days are whole numbers since 1970-01-01; text is compared by its bytes and, where
# case is overlooked, by Unicode's simple case folding; a condition on a missing value is neither
# true nor false, and only true ones count; of several entries on one day the last in the order of
# the source is the latest; amounts with up to four decimals add up exactly.

# list(label, version, as_of, calendar, units, counts, dates, left_out, until, kept, files, later,
# reasons, has_aside, rows_are, says, given, columns_read, wheres): counts are list(read, used,
# kept_out, aside); dates are the date bases by name, list(column, first, last, apart, months,
# hours) each, first and last being the days that statements can be of, and the flags whether days
# stand for months and whether there are hours; reasons are counts of rows set aside, where they are
# known; rows_are says what row numbers count ("row", "line"); says is how the source was read;
# of_cells is whether its rows are sums of days; given is the record of how the ledger was made.
# Where entries may change, `seen` is another for other entries.
source_facts <- function(x) UseMethod("source_facts")

# Opens a question of a source whose entries may change: all that is asked until the function that
# is given back is called is of the same entries. NULL where nothing can change.
source_opened <- function(x) UseMethod("source_opened")

source_opened.ledger <- function(x) NULL

# Asks a question, and again where entries came or went while it was asked.
while_still <- function(x, ask) UseMethod("while_still")

while_still.ledger <- function(x, ask) ask()

# Whether a copy of the process can ask the source as well.
source_can_fork <- function(x) UseMethod("source_can_fork")

source_can_fork.ledger <- function(x) TRUE

entries_used <- function(x) source_facts(x)$counts$used

# One column: list(name, holds, decimals, exact, has_missing, sum_of_sizes, large, of_64_bits,
# is_blank). `holds` is "text", "levels", "ordered", "flags", "days" or "amounts".
source_column <- function(x, name, call = caller_env()) UseMethod("source_column")

# Names of the columns there are, date bases included.
source_column_names <- function(x) UseMethod("source_column_names")

# The members of a column, as of new_members().
source_members <- function(x, name, call = caller_env()) UseMethod("source_members")

# The groups of entries by some columns, as of new_groups(): all, or at least those met so far.
source_groups <- function(x, by, complete = TRUE) UseMethod("source_groups")

# How many groups have been met, where they are met one after the other; NULL where all are known.
source_groups_met <- function(x, by) UseMethod("source_groups_met")

source_groups_met.ledger <- function(x, by) NULL

# What is asked next, so that groups can be met on the way.
source_prepare <- function(x, ask, from, to) UseMethod("source_prepare")

source_prepare.ledger <- function(x, ask, from, to) NULL

# Whether a source itself makes cells of fewer attributes out of finer ones.
source_makes_coarser <- function(x) UseMethod("source_makes_coarser")

source_makes_coarser.ledger <- function(x) FALSE

# Cells of additive figures, as of new_cells(), for at least the days asked for. `ask` is as of
# new_ask().
source_cells <- function(x, ask, from, to) UseMethod("source_cells")

# What does not add up, for one slot of `ask`: list(from, to, pointer).
source_lists <- function(x, ask, slot, from, to) UseMethod("source_lists")

# Whether entries without an amount can be told only by how many have one.
source_counts_present <- function(x, name) UseMethod("source_counts_present")

source_counts_present.ledger <- function(x, name) FALSE

# Distinct members over windows, where the source counts them itself; or NULL, and lists serve.
source_distinct <- function(x, ask, slot, windows) UseMethod("source_distinct")

source_distinct.ledger <- function(x, ask, slot, windows) NULL

# The first day of each member of a column, whatever the conditions; missing where it has none.
source_first_days <- function(x, on, column) UseMethod("source_first_days")

# Single entries of some days that pass a condition, in order of their days and then of the source:
# list(row, day, over, values); `over` where `ends` asks from when each is open no more. At most
# `limit` of them, the first.
source_entries <- function(x, on, from, to, where, columns, ends = NULL, limit = NULL) {
  UseMethod("source_entries")
}

# Entries that are equal to another in some columns, in order of their days, and others beside them:
# list(row, values).
source_repeated <- function(x, on, columns) UseMethod("source_repeated")

# Figures of slots over days by a way of its own: every entry looked at once, without cells.
source_control <- function(x, on, where, slots, from, to) UseMethod("source_control")

# On a date basis that is not the first: list(without, late), entries without a day on it and those
# whose day is after the as-of day.
source_absent <- function(x, on) UseMethod("source_absent")

# Whether entries have a day in each stretch of days.
source_days_held <- function(x, on, from, to) UseMethod("source_days_held")

# Which rows of a table of members pass a condition of this source, by its rules.
source_passing <- function(x, members, where) UseMethod("source_passing")

# Rows as people find them in the source: list(word, at), such as lines of a file.
source_row_labels <- function(x, rows) UseMethod("source_row_labels")

# The rows kept out of figures, with reasons.
source_set_aside <- function(x) UseMethod("source_set_aside")

# A table that the source has beside its entries, by its name, or NULL.
source_table <- function(x, table) UseMethod("source_table")

source_table.ledger <- function(x, table) NULL

# The source after a step: list(step = "keep", where), "lookup" (table, ours, theirs), "append"
# (rows, as_of), "work_out" (name, tree) "part" (part, on: a calendar part as a
# column) or "without" (columns).
source_with <- function(x, step, call = caller_env()) UseMethod("source_with")

# Keeps what a question uses until the function that calls this is done, and its entries the same;
# `of` is the statement that it follows on.
answering <- function(x, of = NULL, frame = caller_env()) {
  entries_held(x, frame)
  cache <- ledger_cache(x)
  open_cache(cache, of)
  at_exit_of(frame, as.call(list(close_cache, cache)))
}

# All that is asked until a function is done is of the same entries.
entries_held <- function(x, frame = caller_env()) {
  done <- source_opened(x)
  if (!is.null(done)) at_exit_of(frame, as.call(list(done)))
}

# Adds to the exits of a function.
at_exit_of <- function(frame, call) do.call(base::on.exit, list(call, TRUE), envir = frame)

# ---- what is asked -----------------------------------------------------------

# `days` is "own", or list(last_day) for the days on which entries are open no more. `finer` names
# attributes of cells that may serve where they are there.
new_ask <- function(on, by, where, slots, days = "own", finer = NULL) {
  list(on = on, by = by, where = where, slots = slots, days = days, finer = finer)
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

# Member numbers from 0 of values, -1 for those that are none. Beside totals all members are text.
members_found <- function(members, values) {
  same <- typeof(values) == typeof(members$values) && !is.object(values) &&
    !is.object(members$values)
  found <- if (same && !is.character(values)) match(values, members$values)
           else core_find_text(members$index, enc2utf8(plain_text(values)))
  found[is.na(found)] <- 0L
  found - 1L
}
