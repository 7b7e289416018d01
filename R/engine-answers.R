# The narrow questions of source-.R, answered by an engine: one statement each, whose rows are cells
# or lists. What comes back is handed to the same cubes and lists as entries in memory.

# ---- cells ----------------------------------------------------------------------------

source_cells.engine_ledger <- function(x, ask, from, to) {
  if (!identical(ask$days, "own")) return(cells_of_ends(x, ask))
  rows <- rows_known(x, ask, from, to)
  cells_from_rows(x, ask, rows, rows$from, rows$to, rows$stretches)
}

# Rows of cells that cover some days: those that came before for this question or for one by more
# attributes, or new ones.
rows_known <- function(x, ask, from, to) {
  for (stretches in unique(list(NULL, ask$stretches))) for (by in unique(list(ask$by, ask$finer))) {
    if (!all(ask$by %in% by)) next
    held <- x$looked$rows[[rows_name_of(ask, by, stretches)]]
    if (!is.null(held) && held$from <= from && held$to >= to) return(held)
  }
  if (!has_many_cells(x, ask, from, to)) ask["stretches"] <- list(NULL)
  key <- rows_name_of(ask, ask$by, ask$stretches)
  days <- if (is.null(ask$stretches)) grown_days(x, key, from, to) else list(from = from, to = to)
  rows <- c(cell_rows(x, ask, days$from, days$to), days, list(stretches = ask$stretches))
  x$looked$rows <- utils::head(c(stats::setNames(list(rows), key),
                                 x$looked$rows[setdiff(names(x$looked$rows), key)]), most_rows_held)
  rows
}

most_rows_held <- 12L

rows_name_of <- function(ask, by, stretches = NULL) {
  rlang::hash(list(ask$on, by, ask$where, ask$days, slot_keys(ask$slots), stretches))
}

# Whether cells by day would be so many that stretches of days are asked for instead. Of groups that
# were not met yet the first entries that the engine comes by tell whether they are many.
has_many_cells <- function(x, ask, from, to) {
  if (is.null(ask$stretches) || length(ask$by) == 0) return(FALSE)
  facts <- source_facts(x)
  held <- facts$dates[[ask$on]]
  days <- min(to, held$last) - max(from, held$first) + 1
  limit <- most_cells_sent()
  if (facts$counts$used <= limit || !is.finite(days)) return(FALSE)
  known <- x$looked$groups[[by_name(ask$by)]]
  met <- if (!is.null(known$pointer)) core_group_facts(known$pointer)$groups else 0
  if (met == 0) met <- groups_of_some(x, ask$by)
  met * days > limit
}

# Cells by day are sent up to so many.
most_cells_sent <- function() 2e5

# How many groups a few thousand entries have, whichever come first.
groups_of_some <- function(x, by) {
  kept <- x$looked$groups_of_some[[by_name(by)]]
  if (!is.null(kept)) return(kept)
  sent <- members_sent(x, by)
  rows <- asked_rows(x, sent$of, sent$out, list(pieces = list()), sent$joins, limit = 5000)
  found <- nrow(unique(as.data.frame(rows)))
  x$looked$groups_of_some[[by_name(by)]] <- found
  found
}

cells_from_rows <- function(x, ask, rows, from, to, stretches = NULL) {
  groups <- groups_of_rows(x, ask$by, rows$codes, length(rows$day))
  held <- if (length(rows$day) > 0) range(rows$day) else c(0L, 0L)
  pointer <- core_cube_of_cells(rows$day, groups, rows$slots, rows$decimals, held[1], held[2],
                                core_threads())
  new_cells(pointer, ask, from, to, stretches)
}

# The days to be asked for: those needed and as many before them, which comparisons reach back to.
# Where the same was asked for other days before, both, and as many more in that direction, so that
# many small questions become few.
grown_days <- function(x, name, from, to) {
  before <- x$looked$reach[[name]]
  if (!is.null(before)) {
    more <- max(before$to - before$from, to - from)
    if (to > before$to) to <- min(to + more, last_day_there_is)
    if (from < before$from) from <- max(from - more, first_day_there_is)
    from <- min(from, before$from)
    to <- max(to, before$to)
  } else from <- max(from - (to - from + 1L), first_day_there_is)
  x$looked$reach[[name]] <- list(from = from, to = to)
  list(from = as.integer(from), to = as.integer(to))
}

# What is selected and added up for each slot: list(of, out, decimals, joins).
slots_sql <- function(x, slots) {
  each <- lapply(seq_along(slots), function(i) slot_sql(x, slots[[i]], sprintf("s%d", i)))
  names(each) <- sprintf("s%d", seq_along(slots))
  list(of = Filter(Negate(is.null), lapply(each, function(one) one$of)),
       out = lapply(each, function(one) one$out),
       decimals = vapply(each, function(one) one$decimals, 0L),
       joins = unlist(lapply(each, function(one) one$joins)))
}

slot_sql <- function(x, slot, name) {
  dialect <- x$engine$dialect
  where <- if (!is.null(slot$where)) condition_sql(x, slot$where)
  if (slot$what == "count" && is.null(where)) {
    return(list(of = NULL, out = count_out(x), decimals = 0L))
  }
  if (is_of_cells(x) && slot$what != "sum") return(count_of_cells(x, slot, where, name))
  column <- if (slot$what != "count") column_sql(x, slot$column)
  facts <- if (slot$what == "sum") source_column(x, slot$column)
  sum <- if (slot$what == "sum") sql_sum(dialect, column, facts, name)
         else list(of = if (is.null(column)) sql("1") else column$value,
                   out = as_double(dialect, sprintf("COUNT(%s)", name))$text)
  of <- if (is.null(where)) sum$of
        else sql("CASE WHEN ", where$piece, " THEN ", sum$of, " END")
  list(of = of, out = sum$out, decimals = if (!is.null(facts) && !facts$exact) -1L
       else facts$decimals %||% 0L, joins = c(where$joins, column$joins))
}

# Entries, or those with an amount, where each row stands for several.
count_of_cells <- function(x, slot, where, name) {
  column <- if (slot$what == "count") x$columns[[x$counts[["entries"]]]]
            else present_of_cells(x, slot$column)
  of <- if (is.null(where)) column$value
        else sql("CASE WHEN ", where$piece, " THEN ", column$value, " END")
  list(of = of, out = as_double(x$engine$dialect, sprintf("SUM(%s)", name))$text, decimals = 0L,
       joins = where$joins)
}

# Rows of a day, or a stretch of days, and a group with the figures of each slot: list(day, codes,
# slots, decimals).
cell_rows <- function(x, ask, from, to) {
  dialect <- x$engine$dialect
  day <- day_sql(x, x$on[[ask$on]])
  sent <- members_sent(x, ask$by)
  slots <- slots_sql(x, ask$slots)
  by_stretch <- !is.null(ask$stretches)
  out <- if (by_stretch) "d" else dialect$day_out("d", day$type)
  rows <- asked_rows(
    x, c(list(d = if (by_stretch) stretch_sql(x, day, ask$stretches) else day$value), sent$of,
         slots$of),
    c(list(d = out), sent$out, slots$out),
    used_sql(x, ask$on, from, to, ask$where), c(day$joins, sent$joins, slots$joins),
    group = c("d", names(sent$of)), fold = "rows")
  list(day = as.integer(if (by_stretch) rows$d else dialect$day_back(rows$d)),
       codes = codes_sent(x, sent, rows),
       slots = slot_figures(rows, slots), decimals = unname(slots$decimals))
}

# The stretch, from 0, in which a day lies: first which half of all, then which half of that, so
# that each entry is compared few times.
stretch_sql <- function(x, day, stretches) {
  within <- function(low, high) {
    x$engine$dialect$between(day$raw, day$type, x$time_zone, stretches[low], stretches[high] - 1L)
  }
  half <- function(low, high) {
    if (high - low == 1L) return(sql(as.character(low - 1L)))
    middle <- (low + high) %/% 2L
    sql("CASE WHEN ", within(low, middle), " THEN ", half(low, middle), " ELSE ",
        half(middle, high), " END")
  }
  half(1L, length(stretches))
}

slot_figures <- function(rows, slots) {
  unname(Map(function(name, decimals) {
    values <- rows[[name]]
    if (decimals < 0) {
      values <- as.double(values)
      values[is.na(values)] <- 0
      return(values)
    }
    # The sum of no amounts is nothing.
    values[is.na(values)] <- if (is.character(values)) "0" else 0
    bits_sent(values)
  }, names(slots$out), slots$decimals))
}

# Cells by the day from which entries are open no more: the day after their end, or of it, never
# before they began.
cells_of_ends <- function(x, ask) {
  dialect <- x$engine$dialect
  day <- day_sql(x, x$on[[ask$on]])
  end <- end_sql(x)
  sent <- members_sent(x, ask$by)
  slots <- slots_sql(x, ask$slots)
  rows <- asked_rows(
    x, c(list(d = day$value, o = end$value), sent$of, slots$of),
    c(list(d = dialect$day_out("d", day$type), o = dialect$day_out("o", end$type)), sent$out,
      slots$out), used_sql(x, ask$on, where = ask$where),
    c(day$joins, end$joins, sent$joins, slots$joins), group = c("d", "o", names(sent$of)),
    fold = "rows")
  over <- days_after_ends(dialect$day_back(rows$d), dialect$day_back(rows$o), ask$days$last_day)
  stays <- which(!is.na(over) & over <= engine_look(x)$facts$as_of)
  rows <- lapply(rows, function(column) column[stays])
  cells_from_rows(x, ask, list(day = as.integer(over[stays]), codes = codes_sent(x, sent, rows),
                               slots = slot_figures(rows, slots),
                               decimals = unname(slots$decimals)),
                  first_day_there_is, last_day_there_is)
}

end_sql <- function(x) {
  day <- day_sql(x, x$until)
  day$value <- x$engine$dialect$day(readable_day(x, x$until), day$type, x$time_zone)
  day
}

# ---- single entries --------------------------------------------------------------------

source_entries.engine_ledger <- function(x, on, from, to, where, columns, ends = NULL,
                                         limit = NULL, repeated = FALSE) {
  if (repeated) return(repeated_in_engine(x, on, columns))
  if (is_of_cells(x)) refuse_of_cells(x, "A list of entries")
  dialect <- x$engine$dialect
  day <- day_sql(x, x$on[[on]])
  key <- row_key_of(x, "A list of entries")
  sent <- members_sent(x, columns)
  end <- if (!is.null(ends)) end_sql(x)
  rows <- asked_rows(
    x, c(list(d = day$value, r = key$piece), sent$of, if (!is.null(end)) list(o = end$value)),
    c(list(d = dialect$day_out("d", day$type), r = "r"), sent$out,
      if (!is.null(end)) list(o = dialect$day_out("o", end$type))),
    used_sql(x, on, from, to, where), c(day$joins, sent$joins, end$joins),
    order = c("d", "r"), limit = limit, rows = TRUE)
  days <- as.integer(dialect$day_back(rows$d))
  list(row = as.double(rows$r), day = days,
       over = if (!is.null(end)) days_after_ends(days, dialect$day_back(rows$o), ends$last_day),
       values = Map(function(alias, back) back(rows[[alias]]), names(sent$of), sent$back) |>
         stats::setNames(columns))
}

# Only those that are repeated are sent, as many as people can look at.
repeated_in_engine <- function(x, on, columns) {
  if (is_of_cells(x)) refuse_of_cells(x, "A list of repeated entries")
  key <- row_key_of(x, "A list of repeated entries")
  day <- day_sql(x, x$on[[on]])
  sent <- moments_sent(x, members_sent(x, columns))
  used <- used_sql(x, on)
  if (x$engine$dialect$flat) return(repeated_in_lists(x, key, day, sent, used))
  entries <- sql_select(c(list(d = day$value, r = key$piece), sent$of),
                        from_sql(x, c(day$joins, sent$joins, used$joins), rows = TRUE),
                        sql_all(used$pieces))
  counted <- sql_select(
    c(list(d = "d", r = "r"), lapply(stats::setNames(nm = names(sent$of)), identity),
      list(n = sprintf("COUNT(*) OVER (PARTITION BY %s)",
                       paste(names(sent$of), collapse = ", ")))), sql("(", entries, ") AS e"))
  rows <- engine_rows(x$engine, sql_select(
    c(list(r = "r"), sent$out), sql("(", counted, ") AS c"), sql("n > 1"), order = c("d", "r"),
    limit = 100000))
  list(row = as.double(rows$r),
       values = Map(function(alias, back) back(rows[[alias]]), names(sent$of), sent$back) |>
         stats::setNames(columns))
}

# Moments as they stand there: two of one day are two.
moments_sent <- function(x, sent) {
  for (i in seq_along(sent$by)) {
    column <- column_sql(x, sent$by[i])
    type <- if (sent$by[i] %in% x$on) date_type(x, sent$by[i]) else column$type
    if (!type %in% c("moment", "instant", "iso timed")) next
    sent$of[[i]] <- sql("CAST(", column$value, sprintf(" AS %s)", x$engine$dialect$text))
    sent$out[[i]] <- names(sent$of)[i]
    sent$back[[i]] <- function(values) enc2utf8(as.character(values))
  }
  sent
}

# Without windows: the rows of what is repeated, as a list for each.
repeated_in_lists <- function(x, key, day, sent, used) {
  entries <- asked_flat(
    x, c(list(d = day$value, r = key$piece), sent$of),
    c(list(n = count_out(x), d = "toString(groupArray(d))",
           r = "toString(groupArray(r))"), sent$out), used, group = names(sent$of),
    having = "COUNT(*) > 1")
  many <- seq_along(entries$n)
  numbers <- function(texts) {
    lapply(strsplit(gsub("[][]", "", texts), ",", fixed = TRUE), as.double)
  }
  days <- as.double(unlist(numbers(entries$d[many])))
  rows <- as.double(unlist(numbers(entries$r[many])))
  of <- rep(many, as.integer(entries$n[many]))
  order <- utils::head(order(days, rows), 100000)
  list(row = as.double(rows[order]),
       values = Map(function(alias, back) back(entries[[alias]])[of][order], names(sent$of),
                    sent$back) |> stats::setNames(sent$by))
}

source_control.engine_ledger <- function(x, on, where, slots, from, to) {
  parts <- slots_sql(x, slots)
  rows <- asked_rows(x, c(list(c = sql("1")), parts$of), parts$out,
                     used_sql(x, on, from, to, where), parts$joins, fold = stats::setNames(
                       rep("sum", length(parts$out)), names(parts$out)))
  unname(mapply(function(name, decimals) {
    value <- suppressWarnings(as.double(rows[[name]]))
    if (is.na(value)) 0 else if (decimals > 0) value / 10^decimals else value
  }, names(parts$out), parts$decimals))
}

# The rows kept out, by their reasons; so many of them as can be read.
source_set_aside.engine_ledger <- function(x) {
  root <- x
  while (!is.null(root$parent)) root <- root$parent
  rows_aside_in_engine(root)
}
