# Single entries of a ledger in memory.

source_entries.memory_ledger <- function(x, on, from, to, where, columns, ends = NULL,
                                         limit = NULL, repeated = FALSE) {
  if (repeated) return(repeated_in_memory(x, on, columns))
  x <- in_one_piece(x)
  chosen <- chosen_entries(x, x$bases[[on]], from, to, where)
  entries_at(x, on, chosen, columns, ends, limit)
}

# The entries at some positions, in order of their days and rows.
entries_at <- function(x, on, chosen, columns, ends = NULL, limit = NULL) {
  basis <- x$bases[[on]]
  days <- if (is.null(basis$offsets)) basis$data$data else entry_days(basis)
  came <- source_rows(x)
  if (is.null(basis$offsets)) chosen <- chosen[order(days[chosen], came[chosen])]
  if (!is.null(limit)) chosen <- utils::head(chosen, limit)
  over <- if (!is.null(ends)) basis_of_ends(x, on, ends$last_day)$data$data[chosen]
  values <- lapply(stats::setNames(nm = columns),
                   function(name) entry_values(ledger_column(x, name), chosen))
  list(row = came[chosen], day = days[chosen], over = over, values = values)
}

repeated_in_memory <- function(x, on, columns) {
  times <- vapply(x$bases, function(basis) basis$column, "")
  times <- times[vapply(names(times), function(name) hidden_times(name) %in% x$hidden, TRUE)]
  times <- times[times %in% columns]
  hidden <- vapply(names(times), hidden_times, "")
  x <- in_one_piece(x)
  kept <- lapply(c(columns, hidden), function(name) ledger_column(x, name))
  dated <- chosen_entries(x, x$bases[[on]], first_day_there_is, last_day_there_is, NULL)
  # Few entries can be what another is; which of them are, their values tell.
  maybe <- logical(x$used)
  maybe[core_maybe_twice(kept, x$used)] <- TRUE
  chosen <- dated[maybe[dated]]
  found <- entries_at(x, on, chosen, c(columns, hidden))
  # Two moments of one day are two.
  for (i in seq_along(times)) {
    clock <- found$values[[hidden[i]]]
    found$values[[times[i]]] <- moment_text(found$values[[times[i]]], clock)
  }
  list(row = found$row, values = found$values[columns])
}

moment_text <- function(days, seconds) {
  clock <- sprintf(" %02d:%02d:%02d", seconds %/% 3600L, seconds %/% 60L %% 60L, seconds %% 60L)
  ifelse(is.na(days), NA, paste0(plain_text(days), ifelse(is.na(seconds), "", clock)))
}

# Positions of the entries of some days that pass a condition.
chosen_entries <- function(x, basis, from, to, where) {
  if (from > basis$last || to < basis$first) return(integer())
  part <- part_of_basis(basis, from, to)
  core_chosen_entries(cube_request(x, part, where, list(entry_count)))
}

# Values of entries as the source had them.
entry_values <- function(column, chosen) {
  if (is_code_column(column)) return(column$members[core_codes_back(column)[chosen] + 1L])
  if (column$kind == "day") return(as_date(column$data[chosen]))
  if (is_large(column)) return(core_whole_text(column$data[chosen]))
  core_amounts_back(column)[chosen]
}
