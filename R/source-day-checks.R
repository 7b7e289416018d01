# What the entries of each day come to, to tell later what has changed: list(on, from, count, check,
# kinds). `check` is one of all values of the source's own columns, whatever the order of rows.
source_day_checks <- function(x) {
  if (inherits(x, "engine_ledger")) return(day_checks_in_engine(x))
  facts <- source_facts(x)
  on <- names(facts$dates)[1]
  dates <- facts$dates[[on]]
  # In an order of their own, whatever that of the source.
  names <- sort(intersect(facts$columns_read, source_column_names(x)), method = "radix")
  found <- source_entries(x, on, dates$first, dates$last, NULL, names)
  columns <- lapply(found$values[names], as_check_column)
  made <- core_day_checks(unname(columns), as.integer(found$day - dates$first),
                          as.integer(dates$last - dates$first + 1L))
  kinds <- vapply(names, function(name) source_column(x, name)$holds, "")
  list(on = on, from = iso_day(dates$first), count = made$count, check = made$check,
       kinds = as.list(kinds), in_order = "of names")
}

# Values whose check does not hang on how they are held.
as_check_column <- function(values) {
  if (is.logical(values)) return(values)
  if (is.numeric(values) && !is.object(values)) return(as.double(values))
  enc2utf8(plain_text(values))
}

# In an engine entries are not read one by one: the check of a day is one of its count and of the
# sums of all amounts, by which text that was changed is not told.
day_checks_in_engine <- function(x) {
  facts <- source_facts(x)
  on <- names(facts$dates)[1]
  dates <- facts$dates[[on]]
  amounts <- sort(names_of_types(x, amount_types), method = "radix")
  slots <- c(list(entry_count), lapply(amounts, function(name) {
    list(what = "sum", column = name, where = NULL)
  }))
  days <- seq.int(dates$first, dates$last)
  windows <- list(group = integer(length(days)), from = days, to = days)
  ask <- new_ask(on, character(), NULL, slots)
  figures <- lapply(slots, function(slot) values_in_windows(x, ask, slot, windows))
  check <- vapply(seq_along(days), function(i) {
    rlang::hash(lapply(figures, function(values) values[i]))
  }, "")
  kinds <- vapply(facts$columns_read, function(name) source_column(x, name)$holds, "")
  list(on = on, from = iso_day(dates$first), count = figures[[1]], check = check,
       kinds = as.list(kinds), in_order = "of names", of = "sums of amounts")
}
