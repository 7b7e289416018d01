# The narrow questions of source-.R, answered by an engine: one statement each, whose rows are cells
# or lists. What comes back is handed to the same cubes and lists as entries in memory.

# ---- cells ----------------------------------------------------------------------------

source_cells.engine_ledger <- function(x, ask, from, to) {
  if (!identical(ask$days, "own")) return(cells_of_ends(x, ask))
  rows <- rows_known(x, ask, from, to)
  cells_from_rows(x, ask, rows, rows$from, rows$to)
}

source_folds.engine_ledger <- function(x) TRUE

# The rows that a question needs, so that their groups are met before they are listed.
source_foresee.engine_ledger <- function(x, ask, from, to) {
  rows <- rows_known(x, ask, from, to)
  meet_groups(x, ask$by, rows$codes)
  invisible()
}

# Rows of cells that cover some days: those that came before for this question or for one by more
# attributes, or new ones.
rows_known <- function(x, ask, from, to) {
  for (by in unique(list(ask$by, ask$finer))) {
    if (!all(ask$by %in% by)) next
    key <- rows_name_of(ask, by)
    held <- x$looked$rows[[key]]
    if (!is.null(held) && held$from <= from && held$to >= to) return(held)
  }
  key <- rows_name_of(ask, ask$by)
  days <- grown_days(x, key, from, to)
  rows <- c(cell_rows(x, ask, days$from, days$to), days)
  x$looked$rows <- utils::head(c(stats::setNames(list(rows), key),
                                 x$looked$rows[setdiff(names(x$looked$rows), key)]), most_rows_held)
  rows
}

most_rows_held <- 12L

rows_name_of <- function(ask, by) {
  rlang::hash(list(ask$on, by, ask$where, ask$days, slot_keys(ask$slots)))
}

cells_from_rows <- function(x, ask, rows, from, to) {
  groups <- groups_of_rows(x, ask$by, rows$codes, length(rows$day))
  held <- if (length(rows$day) > 0) range(rows$day) else c(0L, 0L)
  pointer <- core_cube_of_cells(rows$day, groups, rows$slots, rows$decimals, held[1], held[2],
                                core_threads())
  new_cells(pointer, ask, from, to)
}

# The days to be asked for: those needed and as many before them, which comparisons reach back to.
# Where the same was asked for other days before, both, and as many more in that direction, so that
# many small questions become few.
grown_days <- function(x, name, from, to) {
  before <- x$looked$asked_days[[name]]
  if (!is.null(before)) {
    more <- max(before$to - before$from, to - from)
    if (to > before$to) to <- min(to + more, last_day_there_is)
    if (from < before$from) from <- max(from - more, first_day_there_is)
    from <- min(from, before$from)
    to <- max(to, before$to)
  } else from <- max(from - (to - from + 1L), first_day_there_is)
  x$looked$asked_days[[name]] <- list(from = from, to = to)
  list(from = as.integer(from), to = as.integer(to))
}

# What is selected and added up for each slot: list(of, out, decimals, joins).
slots_sql <- function(x, slots) {
  dialect <- x$engine$dialect
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
    return(list(of = NULL, out = count_out(dialect), decimals = 0L))
  }
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

# Rows of a day and a group with the figures of each slot: list(day, codes, slots, decimals).
cell_rows <- function(x, ask, from, to) {
  day <- day_sql(x, x$on[[ask$on]])
  sent <- members_sent(x, ask$by)
  slots <- slots_sql(x, ask$slots)
  rows <- asked_rows(
    x, c(list(d = day$value), sent$of, slots$of),
    c(list(d = x$engine$dialect$day_out("d", day$type)), sent$out, slots$out),
    used_sql(x, ask$on, from, to, ask$where), c(day$joins, sent$joins, slots$joins),
    group = c("d", names(sent$of)))
  list(day = as.integer(x$engine$dialect$day_back(rows$d)), codes = codes_sent(x, sent, rows),
       slots = slot_figures(rows, slots), decimals = unname(slots$decimals))
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
    c(day$joins, end$joins, sent$joins, slots$joins), group = c("d", "o", names(sent$of)))
  over <- over_days(dialect$day_back(rows$d), dialect$day_back(rows$o), ask$days$last_day)
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

over_days <- function(began, ends, open_on_last_day) {
  pmax(ends + as.integer(open_on_last_day), began)
}

# ---- lists ------------------------------------------------------------------------------

source_lists.engine_ledger <- function(x, ask, slot, from, to) {
  key <- rlang::hash(list("lists", ask$on, ask$by, ask$where, slot_key(slot)))
  days <- grown_days(x, key, from, to)
  from <- days$from
  to <- days$to
  day <- day_sql(x, x$on[[ask$on]])
  dialect <- x$engine$dialect
  sent <- members_sent(x, ask$by)
  where <- both_conditions(ask$where, slot$where)
  list_of <- switch(slot$what, distinct = distinct_rows, smallest = , largest = extreme_rows,
                    middle = every_amount, latest = latest_amounts)
  list <- list_of(x, slot, list(d = day$value), sent,
                  list(d = dialect$day_out("d", day$type)),
                  function(...) used_sql(x, ask$on, from, to, where), c(day$joins, sent$joins))
  rows <- list$rows
  days <- as.integer(dialect$day_back(rows$d))
  groups <- groups_of_rows(x, ask$by, codes_sent(x, sent, rows), length(days))
  held <- if (length(days) > 0) range(days) else c(0L, 0L)
  pointer <- core_lists_of_rows(days, groups, slot$what, list$amount %||% numeric(),
                                list$member %||% integer(), list$members %||% 0L, held[1], held[2],
                                core_threads())
  list(from = from, to = to, pointer = pointer)
}

# Members by day and group, each once.
distinct_rows <- function(x, slot, day, sent, day_out, used, joins) {
  member <- member_sql(x, slot$column)
  rows <- asked_rows(x, c(day, sent$of, list(m = member$of)),
                     c(day_out, sent$out, list(m = member$out("m"))), used(),
                     c(joins, member$joins), group = c("d", names(sent$of), "m"))
  values <- member$back(rows$m)
  codes <- codes_met(x, slot$column, values)
  codes[is.na(values)] <- -1L
  list(rows = rows, member = codes, members = max(codes, -1L) + 1L)
}

# Where windows are plain periods, members are counted by the engine: each day is given the number
# of its period by a bound table, and what comes back is a row for each period and group.
source_distinct.engine_ledger <- function(x, ask, slot, windows) {
  known <- unique(data.frame(from = windows$from, to = windows$to))
  known <- known[!is.na(known$from) & !is.na(known$to) & known$from <= known$to, ]
  sets <- periods_apart(known$from, known$to)
  if (length(sets) > most_sets_of_periods) return(NULL)
  out <- numeric(length(windows$group))
  out[is.na(windows$from) | is.na(windows$to)] <- NA
  for (set in sets) {
    from <- known$from[set]
    to <- known$to[set]
    key <- list("distinct", ask$on, ask$by, ask$where, slot_key(slot), from, to)
    found <- kept_in(ledger_cache(x), key, function() {
      distinct_in_periods(x, ask, slot, from, to)
    })
    at <- match(paste(windows$from, windows$to), paste(from, to))
    here <- which(!is.na(at))
    count <- found$count[match(paste(at[here], windows$group[here]),
                               paste(found$period, found$group))]
    out[here] <- ifelse(is.na(count), 0, count)
  }
  out
}

# With more sets of periods than rows, their totals and those of a comparison, lists are less work.
most_sets_of_periods <- 3L

# Periods in sets in which none overlaps: lists of places.
periods_apart <- function(from, to) {
  sets <- list()
  ends <- integer()
  for (i in order(from, to)) {
    fits <- which(ends < from[i])
    k <- if (length(fits) > 0) fits[1] else length(sets) + 1L
    sets[[k]] <- c(if (k <= length(sets)) sets[[k]], i)
    ends[k] <- to[i]
    if (length(sets) > most_sets_of_periods) return(sets)
  }
  sets
}

# The number of the period that holds a day: by halves, which is quick, or, where there are many
# periods, by a bound table of their days: list(value, join).
period_sql <- function(x, day, numbers, from, to) {
  dialect <- x$engine$dialect
  if (length(numbers) <= most_periods_by_halves) {
    order <- order(from)
    return(list(value = period_by_halves(dialect, day, numbers[order], from[order], to[order]),
                join = ""))
  }
  days <- unlist(Map(seq.int, from, to))
  table <- dialect$json_table(json_rows(iso_day(days), rep(numbers, to - from + 1L)), 2)
  key <- if (startsWith(day$type, "iso")) sql("p.k1") else sql("CAST(p.k1 AS date)")
  list(value = sql("CAST(", dialect$as_text(sql("p.k2"), "mapped"), " AS INTEGER)"),
       join = sql(" LEFT JOIN ", table, " AS p ON ", day$value, " = ", key))
}

most_periods_by_halves <- 400L

period_by_halves <- function(dialect, day, numbers, from, to) {
  one <- function(text) if (startsWith(day$type, "iso")) bound(text)
                        else sql("CAST(", bound(text), " AS date)")
  if (length(numbers) == 1) {
    return(sql("CASE WHEN ", day$value, " BETWEEN ", one(iso_day(from)), " AND ",
               one(iso_day(to)), " THEN ", sprintf("%d", numbers), " END"))
  }
  low <- seq_len(length(numbers) %/% 2L)
  sql("CASE WHEN ", day$value, " < ", one(iso_day(from[length(low) + 1L])), " THEN ",
      period_by_halves(dialect, day, numbers[low], from[low], to[low]), " ELSE ",
      period_by_halves(dialect, day, numbers[-low], from[-low], to[-low]), " END")
}

distinct_in_periods <- function(x, ask, slot, from, to) {
  dialect <- x$engine$dialect
  day <- day_sql(x, x$on[[ask$on]])
  sent <- members_sent(x, ask$by)
  member <- member_sql(x, slot$column)
  base <- engine_look(x)$bases[[ask$on]]
  held <- from <= base$last & to >= base$first
  if (!any(held)) return(list(period = integer(), group = integer(), count = numeric()))
  period <- period_sql(x, day, which(held), from[held], to[held])
  used <- used_sql(x, ask$on, min(from[held]), max(to[held]),
                   both_conditions(ask$where, slot$where))
  # Some engines count what is distinct faster where they are given each once.
  entries <- sql(if (dialect$distinct_first) "SELECT DISTINCT " else "SELECT ", sql_list(c(
    list(sql(period$value, " AS p")),
    unname(Map(function(of, alias) sql(of, " AS ", alias), sent$of, names(sent$of))),
    list(sql(member$of, " AS m")))),
    " FROM ", from_sql(x, c(day$joins, sent$joins, member$joins, used$joins)), period$join,
    " WHERE ", sql_all(used$pieces))
  rows <- engine_rows(x$engine, sql_select(
    c(list(p = "p"), sent$out, list(n = as_double(
      dialect, if (dialect$distinct_first) "COUNT(m)" else "COUNT(DISTINCT m)"))),
    sql("(", entries, ") AS e"), group = c("p", names(sent$of))))
  rows <- lapply(rows, function(column) column[!is.na(rows$p)])
  codes <- codes_sent(x, sent, rows)
  meet_groups(x, ask$by, codes)
  list(period = as.integer(rows$p), count = as.double(rows$n),
       group = groups_of_codes(groups_by(x, ask$by, FALSE), codes, length(rows$n)))
}

# The smallest or largest amount of each day and group.
extreme_rows <- function(x, slot, day, sent, day_out, used, joins) {
  amount <- member_sql(x, slot$column)
  best <- if (slot$what == "largest") "MAX(v)" else "MIN(v)"
  rows <- asked_rows(x, c(day, sent$of, list(v = amount$of)),
                     c(day_out, sent$out, list(v = as_double(x$engine$dialect, best))), used(),
                     c(joins, amount$joins), group = c("d", names(sent$of)))
  list(rows = rows, amount = as.double(rows$v))
}

# Every amount, as many times as it is there.
every_amount <- function(x, slot, day, sent, day_out, used, joins) {
  amount <- member_sql(x, slot$column)
  rows <- asked_rows(x, c(day, sent$of, list(v = amount$of)),
                     c(day_out, sent$out, list(v = as_double(x$engine$dialect, "v"),
                                               n = count_out(x$engine$dialect))), used(),
                     c(joins, amount$joins), group = c("d", names(sent$of), "v"))
  at <- rep(seq_along(rows$n), as.integer(rows$n))
  rows <- lapply(rows, function(column) column[at])
  list(rows = rows, amount = as.double(rows$v))
}

# The last amount of each day and group (and member), in the order of rows.
latest_amounts <- function(x, slot, day, sent, day_out, used, joins) {
  dialect <- x$engine$dialect
  key <- row_key_of(x, "balance()")
  amount <- member_sql(x, slot$column)
  each <- if (!is.null(slot$each)) member_sql(x, slot$each)
  apart <- c("d", names(sent$of), if (!is.null(each)) "m")
  held <- used()
  held$pieces <- c(held$pieces, list(sql(amount$of, " IS NOT NULL")))
  entries <- sql_select(c(day, sent$of, if (!is.null(each)) list(m = each$of),
                          list(v = amount$of, r = key$piece)),
                        from_sql(x, c(joins, amount$joins, each$joins, held$joins), rows = TRUE),
                        sql_all(held$pieces))
  ranked <- sql_select(
    c(lapply(stats::setNames(nm = c(apart, "v")), identity),
      list(k = sprintf("ROW_NUMBER() OVER (PARTITION BY %s ORDER BY r DESC)",
                       paste(apart, collapse = ", ")))), sql("(", entries, ") AS e"))
  rows <- engine_rows(x$engine, sql_select(
    c(day_out, sent$out, if (!is.null(each)) list(m = each$out("m")),
      list(v = as_double(dialect, "v"))), sql("(", ranked, ") AS l"), sql("k = 1")))
  out <- list(rows = rows, amount = as.double(rows$v))
  if (!is.null(each)) {
    out$member <- codes_met(x, slot$each, each$back(rows$m))
    out$members <- max(out$member, -1L) + 1L
  }
  out
}

source_first_days.engine_ledger <- function(x, on, column) {
  day <- day_sql(x, x$on[[on]])
  member <- member_sql(x, column)
  rows <- asked_rows(x, list(m = member$of, d = day$value),
                     list(m = member$out("m"), d = x$engine$dialect$day_out("MIN(d)", day$type)),
                     used_sql(x, on), c(member$joins, day$joins), group = "m")
  codes <- codes_met(x, column, member$back(rows$m))
  # Lists of rows have one member more, which stands for none.
  out <- rep(NA_integer_, length(x$looked$members[[column]]$values) + 1L)
  out[codes + 1L] <- as.integer(x$engine$dialect$day_back(rows$d))
  out
}

# ---- single entries --------------------------------------------------------------------

source_entries.engine_ledger <- function(x, on, from, to, where, columns, ends = NULL,
                                         limit = NULL) {
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
       over = if (!is.null(end)) over_days(days, dialect$day_back(rows$o), ends$last_day),
       values = Map(function(alias, back) back(rows[[alias]]), names(sent$of), sent$back) |>
         stats::setNames(columns))
}

# Only those that are repeated are sent, as many as people can look at.
source_repeated.engine_ledger <- function(x, on, columns) {
  key <- row_key_of(x, "A list of repeated entries")
  day <- day_sql(x, x$on[[on]])
  sent <- members_sent(x, columns)
  used <- used_sql(x, on)
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

source_control.engine_ledger <- function(x, on, where, slots, from, to) {
  parts <- slots_sql(x, slots)
  rows <- asked_rows(x, c(list(c = sql("1")), parts$of), parts$out,
                     used_sql(x, on, from, to, where), parts$joins)
  unname(mapply(function(name, decimals) {
    value <- suppressWarnings(as.double(rows[[name]]))
    if (is.na(value)) 0 else if (decimals > 0) value / 10^decimals else value
  }, names(parts$out), parts$decimals))
}

source_absent.engine_ledger <- function(x, on) {
  found <- engine_look(x)$absent[[on]]
  list(without = found$without %||% 0, late = found$late %||% 0)
}

source_days_held.engine_ledger <- function(x, on, from, to) {
  days <- engine_look(x)$bases[[on]]$days
  vapply(seq_along(from), function(i) any(days >= from[i] & days <= to[i]), TRUE)
}

source_passing.engine_ledger <- function(x, members, where) {
  holds <- lapply(stats::setNames(nm = names(members)), function(name) {
    passing_kind(source_column(x, name), x, name)
  })
  members_passing(members, holds, where)
}

# What a column holds, as far as conditions on members need it.
passing_kind <- function(known, x, name) {
  values <- if (known$holds %in% c("levels", "ordered")) source_members(x, name)$values
  list(holds = known$holds, values = values, large = known$large)
}

# The rows kept out, by their reasons; so many of them as can be read.
source_set_aside.engine_ledger <- function(x) {
  root <- x
  while (!is.null(root$parent)) root <- root$parent
  rows_aside_in_engine(root)
}
