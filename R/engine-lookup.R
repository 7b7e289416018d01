# Lookups of a ledger in an engine: tables given by hand, bound as texts, and tables of the same
# database, joined there.

# A table of the same database, by its name; NULL where there is none.
engine_table <- function(x, table) {
  if (!inherits(x, "engine_ledger")) return(NULL)
  named <- is.character(table) && !anyNA(table) || isS4(table)
  if (!named || rlang::is_string(table) && file.exists(table)) return(NULL)
  relation <- tryCatch(relation_of(x$engine, table, NULL, NULL),
                       rollingledger_error = function(e) NULL)
  if (is.null(relation)) return(NULL)
  within_engine(x$engine, {
    if (!x$engine$dialect$has_table(x$engine, relation)) return(NULL)
    described <- x$engine$dialect$describe(x$engine, relation)
    watch_relation(x$engine, relation)
    described$type <- x$engine$dialect$kinds(x$engine, relation, described$name, described$type)
    structure(list(relation = relation, described = described,
                   record = list(in_source = relation$label)), class = "engine_table")
  })
}

looked_up_in_engine <- function(x, table, ours, theirs, call) {
  source_column(x, ours, call)
  name <- next_join(x)
  made <- if (!inherits(table, "engine_table")) lookup_of_frame(x, table, ours, theirs, name, call)
          else if (x$engine$dialect$flat) lookup_as_mapping(x, table, ours, theirs, call)
          else lookup_of_table(x, table, ours, theirs, name, call)
  out <- derive_ledger(x)
  if (!is.null(made$join)) out$joins[[name]] <- made$join
  out$columns <- c(out$columns, made$columns)
  out$left_out <- c(out$left_out, made$left_out)
  if (!is.null(made$check)) {
    out$lookups <- c(x$lookups, list(list(check = made$check, names = names(made$columns))))
  }
  say_unmatched_in_engine(x, ours, made)
  out
}

# ---- a table given by hand ------------------------------------------------------------

lookup_of_frame <- function(x, table, ours, theirs, name, call) {
  members <- source_members(x, ours)
  at <- match_keys(members$values, table[[theirs]], theirs, call = call)
  if (x$engine$dialect$flat && nrow(table) > most_lookup_rows) {
    refuse("source", c(
      sprintf("The lookup has %s rows, and to %s at most %s go along with a statement.",
              number_text(nrow(table)), x$engine$label, number_text(most_lookup_rows)),
      i = "Join its columns in a view or a table there."), call = call)
  }
  if (nrow(table) <= x$engine$dialect$most_mapped %||% 0L) {
    made <- mapped_columns(x, table, ours, theirs)
    made$unmatched <- function() unmatched_members(members, at)
    return(made)
  }
  held <- keys_bound(members$values, table[[theirs]])
  new <- setdiff(names(table), theirs)
  of <- lapply(stats::setNames(nm = new), function(one) bound_column(table[[one]][held]))
  left_out <- new[vapply(of, is.null, TRUE)]
  of <- of[setdiff(new, left_out)]
  texts <- lapply(unname(of), function(one) one$texts)
  table_sql <- x$engine$dialect$json_table(
    do.call(json_rows, c(list(bound_text(table[[theirs]][held])), texts)), length(of) + 1L)
  own <- column_sql(x, ours)
  columns <- Map(function(one, i) {
    value <- bound_value(x$engine$dialect, one$type, sql(sprintf("%s.k%d", name, i + 1L)))
    list(name = names(of)[i], type = one$type, value = value, levels = one$levels,
         ordered = one$ordered, joins = c(own$joins, name))
  }, of, seq_along(of))
  list(join = sql("LEFT JOIN ", table_sql, " AS ", name, " ON ",
                  equals_bound(x, ours, sql(name, ".k1"))),
       columns = columns, left_out = left_out,
       unmatched = function() unmatched_members(members, at))
}

unmatched_members <- function(members, at) {
  absent <- which(is.na(at))
  list(values = members$values[absent], entries = sum(members$counts[absent]))
}

# Columns of a lookup as mappings of keys, where there are no joins: list(columns, left_out).
mapped_columns <- function(x, table, ours, theirs) {
  of_amounts <- x$columns[[ours]]$type %in% amount_types
  held <- keys_bound(if (of_amounts) numeric() else character(), table[[theirs]])
  new <- setdiff(names(table), theirs)
  of <- lapply(stats::setNames(nm = new), function(one) bound_column(table[[one]][held]))
  left_out <- new[vapply(of, is.null, TRUE)]
  of <- of[setdiff(new, left_out)]
  keys <- bound_text(table[[theirs]][held])
  list(columns = Map(function(one, name) column_mapped(x, ours, name, one, keys), of, names(of)),
       left_out = left_out)
}

column_mapped <- function(x, ours, name, one, keys) {
  column <- list(name = name, type = one$type, levels = one$levels, ordered = one$ordered)
  column$made <- function(ledger) {
    own <- column_sql(x, ours)
    if (own$type %in% day_types) own <- day_sql(x, ours)
    type <- if (startsWith(own$type, "iso")) "text" else own$type
    number <- one$type == "double"
    value <- x$engine$dialect$mapped(own$value, type, keys, one$texts, number)
    if (number) value else bound_value(x$engine$dialect, one$type, value)
  }
  column$value <- column$made(x)
  column
}

# The rows of a lookup that are bound: all with a key, as entries may come for those that have none
# today. Text that stands for numbers is a key only where it is written as they are.
keys_bound <- function(members, keys) {
  held <- !is.na(keys)
  if (is.numeric(members) && !is.numeric(keys)) {
    text <- plain_text(keys)
    number <- suppressWarnings(as.double(text))
    held <- held & !is.na(number) & bound_text(number) == text
  }
  which(held)
}

# A column of R as bound texts: list(type, texts, levels, ordered); NULL for what no ledger holds.
bound_column <- function(values) {
  if (inherits(values, "POSIXt")) values <- format(as.POSIXct(values), "%Y-%m-%d %H:%M:%S %Z")
  of <- function(type, ...) list(type = type, texts = bound_text(values), ...)
  if (is.factor(values)) {
    return(of("text", levels = levels(values), ordered = is.ordered(values)))
  }
  if (inherits(values, "Date")) return(of("iso"))
  if (is.character(values)) return(of("text"))
  if (inherits(values, "integer64")) return(of("whole"))
  if (is.logical(values) && !all(is.na(values))) return(of("flag"))
  if (is.logical(values) || is.numeric(values)) return(of("double"))
  NULL
}

bound_text <- function(values) {
  if (is.numeric(values) && !is.object(values)) exact_digits(as.double(values))
  else plain_text(values)
}

bound_value <- function(dialect, type, text) {
  switch(type, text = dialect$as_text(text, "mapped"), iso = dialect$as_text(text, "mapped"),
         flag = sql("(", dialect$as_text(text, "mapped"), " = 'TRUE')"),
         whole = sql("CAST(", dialect$as_text(text, "mapped"), " AS ", dialect$long, ")"),
         double = as_double(dialect, dialect$as_text(text, "mapped")))
}

# Whether the value of a column is that of a bound text.
equals_bound <- function(x, name, text) {
  dialect <- x$engine$dialect
  column <- column_sql(x, name)
  if (column$type %in% day_types) {
    day <- day_sql(x, name)
    return(sql(day$value, " = ", if (startsWith(day$type, "iso")) text
                                 else sql("CAST(", text, " AS date)")))
  }
  if (column$type == "flag") return(sql(column$value, " = (", text, " = 'TRUE')"))
  if (column$type == "text") return(sql(column$value, " = ", text))
  number <- sql_number(dialect, column$value, column$type, column$scale %||% 0L)
  sql(number, " = CAST(", text, " AS ", dialect$compared(column$type, "0"), ")")
}

# ---- a table of the database -----------------------------------------------------------

# Without joins a table is read whole and goes along as a mapping, anew whenever entries or rows of
# it may have changed.
lookup_as_mapping <- function(x, table, ours, theirs, call) {
  held <- new.env(parent = emptyenv())
  read <- function(call = NULL) {
    if (!identical(held$stamp, x$engine$stamp)) {
      frame <- table_of_engine(x, table, call)
      assign("frame", frame, envir = held)
      assign("columns", mapped_columns(x, frame, ours, theirs)$columns, envir = held)
      assign("stamp", x$engine$stamp, envir = held)
    }
    held
  }
  made <- lookup_of_frame(x, read(call)$frame, ours, theirs, NULL, call)
  made$columns <- Map(function(column, name) {
    column$made <- function(ledger) read()$columns[[name]]$made(ledger)
    column
  }, made$columns, names(made$columns))
  made$check <- function() {
    match_keys(character(), read()$frame[[theirs]], theirs, some = FALSE, call = NULL)
  }
  made
}

# The rows of a small table, as a data frame.
table_of_engine <- function(x, table, call) {
  dialect <- x$engine$dialect
  there <- lapply(seq_len(nrow(table$described)), function(i) {
    engine_column(x, table$described$name[i], table$described$type[i],
                  table$described$declared[i], FALSE, FALSE, call)
  })
  names(there) <- sprintf("lookup_column_%d", seq_along(there))
  none <- vapply(there, function(column) column$type == "none", TRUE)
  of <- lapply(there[!none], function(column) {
    if (column$type %in% c("decimal", "double")) as_double(dialect, column$value)
    else if (column$type == "day") sql("toString(", dialect$day_there(column$value, "day"), ")")
    else column$value
  })
  rows <- engine_rows(x$engine, sql_select(of, paste(table$relation$from, "AS t"),
                                           limit = most_lookup_rows + 1))
  if (length(rows[[1]]) > most_lookup_rows) {
    refuse("source", c(
      sprintf("The lookup %s has more than %s rows.", table$relation$label,
              number_text(most_lookup_rows)),
      i = "Join its columns in a view or a table there."), call = call)
  }
  days <- vapply(there[!none], function(column) column$type == "day", TRUE)
  rows[days] <- lapply(rows[days], function(values) as_date(days_of_iso(values)))
  names(rows) <- table$described$name[!none]
  as.data.frame(rows, stringsAsFactors = FALSE, optional = TRUE)
}

# Each row goes along with every statement.
most_lookup_rows <- 20000

lookup_of_table <- function(x, table, ours, theirs, name, call) {
  dialect <- x$engine$dialect
  described <- table$described
  # The joined table has columns of its own, so as one of ours they stand under its name.
  there <- lapply(seq_len(nrow(described)), function(i) {
    engine_column(x, described$name[i], described$type[i], described$declared[i], FALSE, FALSE,
                  call, alias = name)
  })
  names(there) <- described$name
  key <- there[[theirs]]
  none <- vapply(there, function(column) column$type == "none", TRUE)
  own <- column_sql(x, ours)
  columns <- lapply(there[setdiff(names(there)[!none], theirs)], function(column) {
    column$joins <- c(own$joins, name)
    column
  })
  on <- if (own$type == key$type) sql(own$value, " = ", key$value)
        else sql(dialect$as_text(own$value, "mixed"), " = ", dialect$as_text(key$value, "mixed"))
  list(join = sql("LEFT JOIN ", table$relation$from, " AS ", name, " ON ", on),
       columns = columns, left_out = names(there)[none],
       check = function() check_keys_once(x$engine, table$relation, theirs),
       unmatched = function() unmatched_in_table(x, ours, table$relation, on, key, name))
}

# Two rows for a key would count entries twice, today or once the table has changed.
check_keys_once <- function(engine, relation, theirs) {
  twice <- engine_rows(engine, sql(
    "SELECT k, COUNT(*) AS n FROM (SELECT t.", sql_name(theirs), " AS k FROM ", relation$from,
    " AS t) AS e WHERE k IS NOT NULL GROUP BY k HAVING COUNT(*) > 1 LIMIT 4"))
  if (length(twice$k) == 0) return(invisible())
  refuse_keys_twice(twice$k, theirs, NULL)
}

check_lookups_of <- function(x) for (lookup in x$lookups) lookup$check()

unmatched_in_table <- function(x, ours, relation, on, key, name) {
  check_keys_once(x$engine, relation, key$name)
  member <- member_sql(x, ours)
  used <- used_sql(x, names(x$on)[1])
  entries <- sql_select(
    list(v = member$of),
    sql(from_sql(x, c(member$joins, used$joins)), " LEFT JOIN ", relation$from, " AS ", name,
        " ON ", on),
    sql_all(c(used$pieces, list(sql(key$value, " IS NULL")))))
  rows <- engine_rows(x$engine, sql_select(
    list(v = member$out("v"), n = count_out(x)), sql("(", entries, ") AS e"),
    group = "v", limit = 10000))
  list(values = member$back(rows$v), entries = sum(as.double(rows$n)))
}

say_unmatched_in_engine <- function(x, ours, made) {
  found <- made$unmatched()
  if (found$entries == 0) return(invisible())
  inform(sprintf("%s of %s without a match in the lookup: %s %s.",
                 count_text(found$entries, "entry", "entries"),
                 number_text(source_facts(x)$counts$used), ours,
                 listed(member_text(found$values), most = 5)),
         class = "rollingledger_message")
}

# ---- rows set aside ---------------------------------------------------------------------

# The rows that are kept out of every figure, and of another date basis, with their reasons: the
# first of each, as many as people can read.
rows_aside_in_engine <- function(x) {
  within_engine(x$engine, {
    look <- engine_look(x)
    first <- names(x$on)[1]
    parts <- list(aside_rows())
    if (look$facts$has_aside) {
      there <- sql_all(lapply(used_sql(x, first)$pieces, sql_is_true))
      rows <- aside_of(x, sql("NOT (", there, ")"),
                       c(x$on[[1]], x$until, names_of_types(x, c("double", "decimal"))))
      parts <- c(parts, list(reasons_of_rows(x, look, rows)))
    }
    for (name in names(x$on)[-1]) {
      if (look$facts$dates[[name]]$apart == 0) next
      absent <- sql("NOT (", sql_all(lapply(used_sql(x, name)$pieces, sql_is_true)), ")")
      rows <- aside_of(x, sql_all(list(there, absent)), x$on[[name]])
      parts <- c(parts, list(reasons_of_base(x, look, rows, name)))
    }
    aside_told(in_order_of_source(do.call(rbind, parts)))
  })
}

most_rows_aside <- 10000

# What is unknown is not certain, and so false.
sql_is_true <- function(piece) sql("CASE WHEN ", piece, " THEN 1 ELSE 0 END = 1")

aside_of <- function(x, where, names) {
  names <- unique(names)
  of <- lapply(names, function(name) {
    column <- x$columns[[name]]
    if (column$type %in% c("day", "instant")) {
      column$value <- x$engine$dialect$day_there(column$value, column$type)
    }
    x$engine$dialect$as_text(column$value, if (column$type %in% c("iso", "text")) "text"
                                           else "mixed")
  })
  base::names(of) <- sprintf("c%d", seq_along(of))
  key <- if (is.null(x$row_key)) sql("0") else x$row_key$piece
  of <- c(list(r = key), of)
  rows <- asked_rows(x, of, stats::setNames(nm = as.list(base::names(of))),
                     list(pieces = list(where), joins = NULL), order = "r",
                     limit = most_rows_aside, rows = TRUE)
  structure(rows[setdiff(base::names(of), "r")], names = names, key = as.double(rows$r),
            keyed = !is.null(x$row_key))
}

reasons_of_rows <- function(x, look, rows) {
  n <- length(attr(rows, "key"))
  name <- x$on[[1]]
  reasons <- reasons_of_days(x, look, rows[[name]], name)
  column <- rep(name, n)
  value <- reasons$value
  reason <- reasons$reason
  for (until in x$until) {
    texts <- unreadable_not_missing(look$unreadable[[until]], x)
    at <- reason %in% c(NA, aside_reasons$late) & rows[[until]] %in% texts
    reason[at] <- aside_reasons$unreadable
    column[at] <- until
    value[at] <- rows[[until]][at]
  }
  for (amount in setdiff(names(rows), c(x$on[[1]], x$until))) {
    number <- suppressWarnings(as.double(rows[[amount]]))
    at <- reason %in% c(NA, aside_reasons$late) & !is.na(rows[[amount]]) &
      (is.infinite(number) | isTRUE(x$columns[[amount]]$mixed) & is.na(number))
    reason[at] <- aside_reasons$amount
    column[at] <- amount
    value[at] <- rows[[amount]][at]
  }
  aside_rows(attr(rows, "key"), reason, column, value) |> without_key(rows)
}

without_key <- function(aside, rows) {
  if (!isTRUE(attr(rows, "keyed"))) aside$row <- rep(NA_real_, nrow(aside))
  aside
}

reasons_of_days <- function(x, look, text, name) {
  text <- as.character(text)  # a column without a value is of no type
  days <- core_iso_days(substr(enc2utf8(text), 1, 10))
  absent <- is.na(text) | text %in% "" | is_missing_mark(text, x$missing)
  bad <- !absent & (is.na(days) | text %in% look$unreadable[[name]])
  late <- !absent & !bad & days > look$as_of
  reason <- rep(NA_character_, length(text))
  reason[late %in% TRUE] <- aside_reasons$late
  reason[bad] <- aside_reasons$unreadable
  reason[absent] <- aside_reasons$no_date
  list(reason = reason, value = ifelse(absent, NA, text))
}

reasons_of_base <- function(x, look, rows, name) {
  found <- reasons_of_days(x, look, rows[[x$on[[name]]]], x$on[[name]])
  aside_rows(attr(rows, "key"), found$reason, x$on[[name]], found$value, kept_out_of = name) |>
    without_key(rows)
}

aside_told <- function(aside) {
  own <- c("row", "reason", "column", "value", "kept_out_of")
  aside$row <- if (all(is.na(aside$row) | aside$row < 2^31)) as.integer(aside$row) else aside$row
  new_table(as.list(aside[own]), nrow(aside))
}
