# What does not add up, of a ledger in an engine: lists of members, extremes and amounts by day and
# group; distinct members counted by the engine itself where windows are plain periods.

source_lists.engine_ledger <- function(x, ask, slot, from, to, windows = NULL) {
  if (!is.null(windows)) return(distinct_in_engine(x, ask, slot, windows))
  if (slot$what == "first day") return(first_days_in_engine(x, ask$on, slot$column))
  check_list_of_cells(x, slot)
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
                     c(joins, member$joins), group = c("d", names(sent$of), "m"), fold = "once")
  values <- member$back(rows$m)
  codes <- codes_met(x, slot$column, values)
  codes[is.na(values)] <- -1L
  list(rows = rows, member = codes, members = max(codes, -1L) + 1L)
}

# Where windows are plain periods, members are counted by the engine: each day is given the number
# of its period, and what comes back is a row for each period and group.
distinct_in_engine <- function(x, ask, slot, windows) {
  check_list_of_cells(x, slot)
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
    at <- places_of(list(windows$from, windows$to), list(from, to))
    here <- which(!is.na(at))
    count <- found$count[places_of(list(at[here], windows$group[here]),
                                   list(found$period, found$group))]
    out[here] <- ifelse(is.na(count), 0, count)
  }
  out
}

# Where rows of whole numbers stand among others, missing for those that do not.
places_of <- function(rows, among) {
  n <- length(rows[[1]])
  both <- Map(function(a, b) as.integer(c(a, b)), rows, among)
  told <- core_told_apart(both, length(both[[1]]))$number
  match(told[seq_len(n)], told[-seq_len(n)])
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
  own <- if (!startsWith(day$type, "iso")) dialect$period(day$value, numbers, from, to)
  if (!is.null(own)) return(list(value = own, join = ""))
  if (length(numbers) <= most_periods_by_halves) {
    order <- order(from)
    return(list(value = period_by_halves(dialect, day, numbers[order], from[order], to[order]),
                join = ""))
  }
  days <- unlist(Map(seq.int, from, to))
  in_days <- rep(numbers, to - from + 1L)
  if (dialect$maps) {
    of <- if (startsWith(day$type, "iso")) "text" else "day"
    value <- dialect$mapped(day$value, of, iso_day(days), sprintf("%d", in_days))
    return(list(value = sql("CAST(", value, " AS ", dialect$long, ")"), join = ""))
  }
  table <- dialect$json_table(json_rows(iso_day(days), in_days), 2)
  key <- if (startsWith(day$type, "iso")) sql("p.k1") else sql("CAST(p.k1 AS date)")
  list(value = sql("CAST(", dialect$as_text(sql("p.k2"), "mapped"), " AS INTEGER)"),
       join = sql(" LEFT JOIN ", table, " AS p ON ", day$value, " = ", key))
}

most_periods_by_halves <- 400L

period_by_halves <- function(dialect, day, numbers, from, to) {
  one <- function(at) one_day_sql(dialect, day$type, at)
  if (length(numbers) == 1) {
    return(sql("CASE WHEN ", day$value, " BETWEEN ", one(from), " AND ", one(to), " THEN ",
               sprintf("%d", numbers), " END"))
  }
  low <- seq_len(length(numbers) %/% 2L)
  sql("CASE WHEN ", day$value, " < ", one(from[length(low) + 1L]), " THEN ",
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
  joins <- c(day$joins, sent$joins, member$joins)
  inner <- c(list(p = period$value), sent$of, list(m = member$of))
  outer <- c(list(p = "p"), sent$out, list(n = as_double(dialect, dialect$distinct_count)))
  group <- c("p", names(sent$of))
  rows <- if (dialect$flat) asked_rows(x, inner, outer, used, joins, group) else {
    entries <- members_of_periods(x, inner, used, c(joins, used$joins), period$join)
    engine_rows(x$engine, sql_select(outer, sql("(", entries, ") AS e"), group = group))
  }
  rows <- lapply(rows, function(column) column[!rows$p %in% c(NA, 0)])
  codes <- codes_sent(x, sent, rows)
  meet_groups(x, ask$by, codes)
  list(period = as.integer(rows$p), count = as.double(rows$n),
       group = groups_of_codes(groups_by(x, ask$by, FALSE), codes, length(rows$n)))
}

# Some engines count what is distinct faster where they are given each once; where entries lie on
# other servers, each of them gives its own once.
members_of_periods <- function(x, inner, used, joins, join_period) {
  dialect <- x$engine$dialect
  shown <- sql_list(unname(Map(function(of, alias) sql(of, " AS ", alias), inner, names(inner))))
  parts <- if (length(joins) == 0 && !nzchar(sql(join_period)$text)) dialect$spread$parts
  if (is.null(parts)) {
    return(sql(if (dialect$distinct_first) "SELECT DISTINCT " else "SELECT ", shown, " FROM ",
               from_sql(x, joins), join_period, " WHERE ", sql_all(used$pieces)))
  }
  by <- paste(seq_along(inner), collapse = ", ")
  sql_list(lapply(parts, function(part) {
    sql("SELECT ", shown, " FROM ", part, " AS t WHERE ", sql_all(used$pieces), " GROUP BY ", by)
  }), " UNION ALL ")
}

# The smallest or largest amount of each day and group.
extreme_rows <- function(x, slot, day, sent, day_out, used, joins) {
  amount <- member_sql(x, slot$column)
  best <- if (slot$what == "largest") "MAX(v)" else "MIN(v)"
  rows <- asked_rows(x, c(day, sent$of, list(v = amount$of)),
                     c(day_out, sent$out, list(v = as_double(x$engine$dialect, best))), used(),
                     c(joins, amount$joins), group = c("d", names(sent$of)),
                     fold = c(v = if (slot$what == "largest") "max" else "min"))
  list(rows = rows, amount = as.double(rows$v))
}

# Every amount, as many times as it is there.
every_amount <- function(x, slot, day, sent, day_out, used, joins) {
  amount <- member_sql(x, slot$column)
  rows <- asked_rows(x, c(day, sent$of, list(v = amount$of)),
                     c(day_out, sent$out, list(v = as_double(x$engine$dialect, "v"),
                                               n = count_out(x))), used(),
                     c(joins, amount$joins), group = c("d", names(sent$of), "v"), fold = "rows")
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
  held <- used()
  held$pieces <- c(held$pieces, list(sql(amount$of, " IS NOT NULL")))
  rows <- asked_rows(
    x, c(day, sent$of, if (!is.null(each)) list(m = each$of),
         list(v = as_double(dialect, amount$of), r = key$piece)),
    c(day_out, sent$out, if (!is.null(each)) list(m = each$out("m")),
      list(v = dialect$last("v", "r"), r = "MAX(r)")), held, c(joins, amount$joins, each$joins),
    group = c("d", names(sent$of), if (!is.null(each)) "m"), rows = TRUE, fold = "last")
  out <- list(rows = rows, amount = as.double(rows$v))
  if (!is.null(each)) {
    out$member <- codes_met(x, slot$each, each$back(rows$m))
    out$members <- max(out$member, -1L) + 1L
  }
  out
}

first_days_in_engine <- function(x, on, column) {
  day <- day_sql(x, x$on[[on]])
  member <- member_sql(x, column)
  rows <- asked_rows(x, list(m = member$of, d = day$value),
                     list(m = member$out("m"), d = x$engine$dialect$day_out("MIN(d)", day$type)),
                     used_sql(x, on), c(member$joins, day$joins), group = "m",
                     fold = c(d = "min"))
  codes <- codes_met(x, column, member$back(rows$m))
  # Lists of rows have one member more, which stands for none.
  out <- rep(NA_integer_, length(x$looked$members[[column]]$values) + 1L)
  out[codes + 1L] <- as.integer(x$engine$dialect$day_back(rows$d))
  out
}
