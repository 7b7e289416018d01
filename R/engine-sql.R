# Questions of a ledger in an engine as SQL: its columns, conditions and groups.

# A column as SQL: list(type, value, scale, levels, joins). Columns that hang on what was found at
# the last look, such as calendar parts, are put together here.
column_sql <- function(x, name, call = caller_env()) {
  column <- x$columns[[name]]
  if (is.null(column)) {
    if (name %in% x$left_out) refuse_left_out(name, call)
    refuse_column(name, engine_column_names(x), call = call)
  }
  if (!is.null(column$made)) column$value <- column$made(x)
  if (!is.null(column$part)) {
    values <- part_of_days(x, column$part$part, column$part$on)$values
    if (is.factor(values)) column$levels <- levels(values)
  }
  odd <- engine_look(x)$odd[[name]]
  # What stands for no number, and texts that are no dates, are missing values.
  if (isTRUE(odd$nan)) {
    column$value <- sql("CASE WHEN ", x$engine$dialect$odd(column$value, column$type)$nan,
                        " THEN NULL ELSE ", column$value, " END")
  }
  if (isTRUE(column$mixed)) {
    column$value <- sql("CASE WHEN typeof(", column$value, ") = 'text' THEN NULL ELSE ",
                        column$value, " END")
  }
  column
}

refuse_left_out <- function(name, call) {
  refuse("column", sprintf("The column `%s` holds neither text, numbers nor dates, so it cannot %s",
                           name, "be used."), call = call)
}

# The type of a column of dates, as it was found: text may have times.
date_type <- function(x, name) {
  type <- x$columns[[name]]$type
  if (type == "iso") engine_look(x)$iso[[name]] %||% "iso" else type
}

# The day of a column of dates; texts that cannot be read are missing.
day_sql <- function(x, name) {
  column <- column_sql(x, name)
  type <- date_type(x, name)
  day <- x$engine$dialect$day(column$value, type, x$time_zone)
  list(value = day, type = type, joins = column$joins, raw = column$value)
}

# How the member of a column is grouped by, sent and read: list(of, out, back, joins); `out` is
# given the name by which it is known.
member_sql <- function(x, name) {
  dialect <- x$engine$dialect
  column <- column_sql(x, name)
  check_column_of_cells(x, name, "A list of the values of")
  if (column$type %in% day_types) {
    day <- day_sql(x, name)
    return(list(of = day$value, out = function(alias) dialect$day_out(alias, day$type),
                back = function(values) as_date(dialect$day_back(values)), joins = day$joins))
  }
  back <- function(values) {
    text <- enc2utf8(as.character(values))
    if (is.null(column$levels)) text
    else factor(text, levels = column$levels, ordered = isTRUE(column$ordered))
  }
  out <- identity
  if (column$type == "flag") back <- as.logical
  if (column$type %in% amount_types) {
    large <- source_column(x, name)$large
    column$value <- number_told_apart(x, name, column)
    out <- function(alias) {
      sprintf("CAST(%s AS %s)", alias, if (large) dialect$text else dialect$double)
    }
    back <- if (large) function(values) enc2utf8(as.character(values)) else as.double
  }
  list(of = column$value, out = out, back = back, joins = column$joins)
}

# FROM the ledger's relation, with the joins that are needed.
from_sql <- function(x, joins = NULL, rows = FALSE) {
  needed <- intersect(names(x$joins), unlist(joins))
  pieces <- lapply(x$joins[needed], function(piece) if (is.function(piece)) piece(x) else piece)
  from <- if (rows) x$relation$from_rows %||% x$relation$from else x$relation$from
  sql(from, " AS t", if (length(needed) == 0) "" else sql_list(c(list(""), unname(pieces)), " "))
}

# ---- conditions -------------------------------------------------------------------

# A condition as SQL: list(piece, joins). SQL knows true, false and unknown by the same rules.
condition_sql <- function(x, tree) {
  both <- function(word) {
    a <- condition_sql(x, tree$a)
    b <- condition_sql(x, tree$b)
    list(piece = sql("((", a$piece, ") ", word, " (", b$piece, "))"), joins = c(a$joins, b$joins))
  }
  switch(tree$node,
    constant = list(piece = sql(if (tree$says) "1 = 1" else "1 = 0"), joins = NULL),
    both = both("AND"), either = both("OR"),
    negate = {
      a <- condition_sql(x, tree$a)
      list(piece = sql("NOT (", a$piece, ")"), joins = a$joins)
    },
    leaf_sql(x, tree)
  )
}

leaf_sql <- function(x, tree) {
  column <- column_sql(x, tree$column)
  if (tree$node == "missing") {
    check_column_of_cells(x, tree$column, "A condition on")
    value <- if (column$type %in% day_types) readable_day(x, tree$column) else column$value
    return(list(piece = sql(value, " IS NULL"), joins = column$joins))
  }
  check_column_of_cells(x, tree$column, "A condition on")
  piece <- if (column$type %in% day_types) day_leaf(x, tree)
           else if (column$type == "flag") flag_leaf(column$value, tree)
           else if (column$type %in% amount_types) amount_leaf(x, tree, column)
           else text_leaf(x, tree, column)
  list(piece = piece, joins = column$joins)
}

# A date, missing where it cannot be read.
readable_day <- function(x, name) {
  bad <- engine_look(x)$unreadable[[name]]
  value <- column_sql(x, name)$value
  type <- x$columns[[name]]$type
  if (type %in% c("day", "instant")) value <- x$engine$dialect$day_there(value, type)
  if (length(bad) == 0) return(value)
  sql("CASE WHEN ", among_texts(x, value, bad), " THEN NULL ELSE ", value, " END")
}

among_texts <- function(x, value, texts) {
  x$engine$dialect$among(value, texts, x$engine$dialect)
}

day_leaf <- function(x, tree) {
  dialect <- x$engine$dialect
  days <- as.integer(tree$value %||% tree$values)
  type <- date_type(x, tree$column)
  value <- dialect$day(readable_day(x, tree$column), type, x$time_zone)
  one <- function(day) one_day_sql(dialect, type, day)
  if (tree$node == "among") {
    # Every day is one value, however many there are.
    parts <- lapply(unique(days[!is.na(days)]), function(day) sql(value, " = ", one(day)))
    if (length(parts) == 0) return(sql("CASE WHEN ", value, " IS NULL THEN NULL ELSE 1 = 0 END"))
    return(sql("(", sql_list(parts, " OR "), ")"))
  }
  sql(value, " ", sql_operator(tree$op), " ", one(days))
}

sql_operator <- function(op) switch(op, "==" = "=", "!=" = "<>", op)

flag_leaf <- function(value, tree) {
  is <- function(flag) sql("(", value, ") = ", if (flag) "TRUE" else "FALSE")
  if (tree$node == "compare" && tree$op == "!=") return(sql("NOT (", is(tree$value), ")"))
  if (tree$node == "compare") return(is(tree$value))
  values <- unique(tree$values[!is.na(tree$values)])
  if (length(values) == 0) return(sql("CASE WHEN ", value, " IS NULL THEN NULL ELSE 1 = 0 END"))
  sql("(", sql_list(lapply(values, is), " OR "), ")")
}

amount_leaf <- function(x, tree, column) {
  dialect <- x$engine$dialect
  number <- number_told_apart(x, tree$column, column)
  values <- tree$value %||% tree$values
  texts <- if (is.character(values)) values else exact_digits(as.double(values))
  if (!dialect$binds) return(amount_compared(dialect, number, column$type, tree, texts))
  if (tree$node == "compare") {
    if (is.na(suppressWarnings(as.double(texts)))) texts <- NA_character_
    return(sql(number, " ", sql_operator(tree$op), " CAST(", bound(texts), " AS ",
               dialect$compared(column$type, texts), ")"))
  }
  texts <- texts[!is.na(suppressWarnings(as.double(texts)))]
  sql(number, " IN (SELECT CAST(k1 AS ", dialect$compared(column$type, texts), ") FROM ",
      dialect$json_table(json_rows(texts), 1), " AS v)")
}

# Where lists are not bound as tables, each number is compared with.
amount_compared <- function(dialect, number, type, tree, texts) {
  texts[is.na(suppressWarnings(as.double(texts)))] <- NA
  if (tree$node == "compare") return(dialect$holds(number, type, sql_operator(tree$op), texts))
  texts <- texts[!is.na(texts)]
  if (length(texts) == 0) return(sql("CASE WHEN ", number, " IS NULL THEN NULL ELSE 0 END"))
  sql("(", sql_list(lapply(texts, dialect$holds, number = number, type = type, op = "="),
                    " OR "), ")")
}

# A day to compare days with.
one_day_sql <- function(dialect, type, day) {
  if (startsWith(type, "iso")) return(bound(iso_day(day)))
  sql(dialect$one_day(day))
}

# Digits that are read back as the same number.
exact_digits <- function(values) {
  short <- digits_text(values)
  same <- is.na(values) | suppressWarnings(as.double(short)) == values
  ifelse(same, short, sprintf("%.17g", values))
}

# Text is told apart by its bytes. What else is asked of it is settled on its members, by the rules
# that hold for every source.
text_leaf <- function(x, tree, column) {
  plain <- is.null(tree$letters) && is.null(column$levels)
  if (plain && tree$node == "compare" && tree$op %in% c("==", "!=", "<", "<=", ">", ">=")) {
    in_order <- x$engine$dialect$in_order
    if (!is.null(in_order) && !tree$op %in% c("==", "!=")) column$value <- in_order(column$value)
    return(sql(column$value, " ", sql_operator(tree$op), " ", bound(enc2utf8(tree$value))))
  }
  if (plain && tree$node == "among") return(among_texts(x, column$value, tree$values))
  members <- source_members(x, tree$column)
  answers <- member_answers(tree, members$values)
  sql("CASE WHEN ", column$value, " IS NULL THEN NULL ELSE ",
      among_texts(x, column$value, members$text[answers == 2L]), " END")
}

# ---- the entries that count ---------------------------------------------------------

# Conditions for entries that are in use: list(pieces, joins). `on` is the date basis whose days are
# asked for; the first is always looked at, as it decides what is set aside.
used_sql <- function(x, on, from = NULL, to = NULL, where = NULL) {
  look <- engine_look(x)
  first <- names(x$on)[1]
  days <- list()
  days[[first]] <- c(look$bases[[first]]$first, look$bases[[first]]$last)
  asked <- look$bases[[on]]
  days[[on]] <- c(max(from %||% asked$first, asked$first), min(to %||% asked$last, asked$last))
  pieces <- lapply(names(days), function(name) {
    within <- days[[name]]
    if (!all(is.finite(within)) || within[1] > within[2]) return(sql("1 = 0"))
    day <- day_sql(x, x$on[[name]])
    x$engine$dialect$between(day$raw, day$type, x$time_zone, as.integer(within[1]),
                             as.integer(within[2]))
  })
  unreadable <- lapply(unname(x$on[names(days)]), function(name) {
    if (length(look$unreadable[[name]]) > 0) not_among(x, name, look$unreadable[[name]])
  })
  amounts <- lapply(names(Filter(function(odd) isTRUE(odd$infinite), look$odd)), function(name) {
    usable_amount(x, name)
  })
  texts <- lapply(mixed_columns(x), function(name) usable_amount(x, name))
  ends <- lapply(x$until, usable_end, x = x)
  # A condition is of the ledger as it was before.
  kept <- Map(condition_sql, x$kept_of, x$keeps)
  wheres <- c(unname(kept), if (!is.null(where)) list(condition_sql(x, where)))
  ends <- Filter(Negate(is.null), ends)
  list(pieces = c(pieces, Filter(Negate(is.null), unreadable), ends, amounts, texts,
                  lapply(wheres, function(one) one$piece)),
       joins = unlist(lapply(wheres, function(one) one$joins)))
}

not_among <- function(x, name, texts) {
  value <- x$columns[[name]]$value
  sql("(", value, " IS NULL OR NOT ", among_texts(x, value, texts), ")")
}

mixed_columns <- function(x) {
  names(Filter(function(column) isTRUE(column$mixed), x$columns))
}

# An amount that is no number, or without end, keeps its entry out.
usable_amount <- function(x, name) {
  column <- x$columns[[name]]
  odd <- x$engine$dialect$odd(column$value, column$type)$infinite
  sql("(", column$value, " IS NULL OR NOT (", odd,
      if (isTRUE(column$mixed)) sql(" OR typeof(", column$value, ") = 'text'") else "", "))")
}

# The rows of a question: what is selected of entries by name (pieces, with the joins they need),
# and what is made of it. `fold` says how rows of further groups are put together, where entries
# must be grouped by more than is asked for.
asked_rows <- function(x, inner, outer, used, joins = NULL, group = NULL, order = NULL,
                       limit = NULL, rows = FALSE, fold = NULL) {
  if (is.null(inner$entries_counted)) inner <- c(inner, entries_counted(x))
  beside <- if (!is.null(fold)) keys_beside(x, inner, group)
  if (length(beside) > 0) {
    rows <- asked_rows(x, c(inner, beside), outer, used, joins, c(group, names(beside)))
    return(folded_rows(rows, group, fold))
  }
  if (x$engine$dialect$flat) {
    return(asked_flat(x, inner, outer, used, group, order, limit))
  }
  entries <- sql_select(inner, from_sql(x, c(joins, used$joins), rows), sql_all(used$pieces))
  engine_rows(x$engine, sql_select(outer, sql("(", entries, ") AS e"), group = group,
                                   order = order, limit = limit))
}

# The same in one SELECT, each name replaced by what it stands for.
asked_flat <- function(x, inner, outer, used, group = NULL, order = NULL, limit = NULL,
                       having = NULL) {
  inner <- lapply(inner, function(piece) if (is.character(piece)) sql(piece) else piece)
  # What is long and needed several times, such as the mapping of a lookup, is named before. Old
  # versions know no such names in groups.
  once <- setdiff(names(inner), c(group, order))
  once <- once[vapply(once, function(name) {
    nchar(inner[[name]]$text) > most_repeated_text && times_named(name, outer) > 1
  }, TRUE)]
  named <- Map(function(piece, name) sql(piece, " AS ", x$mark, name), inner[once], once)
  inner[once] <- lapply(paste0(x$mark, once), sql)
  shown <- lapply(outer, sql_with, pieces = inner)
  names(shown) <- paste0(x$mark, seq_along(outer))
  by <- function(word, names) {
    if (length(names) == 0) "" else sql(word, sql_list(unname(inner[names])))
  }
  where <- if (length(used$pieces) == 0) "" else sql(" WHERE ", sql_all(used$pieces))
  rows <- engine_rows(x$engine, sql(
    if (length(named) > 0) sql("WITH ", sql_list(unname(named)), " ") else "",
    sql_select(shown, from_sql(x)), where, by(" GROUP BY ", group),
    if (is.null(having)) "" else paste(" HAVING", having), by(" ORDER BY ", order),
    if (is.null(limit)) "" else sprintf(" LIMIT %.0f", limit)))
  stats::setNames(rows, names(outer))
}

most_repeated_text <- 400L

times_named <- function(name, pieces) {
  texts <- vapply(pieces, function(piece) if (is.character(piece)) piece else piece$text, "")
  sum(lengths(regmatches(texts, gregexpr(sprintf("\\b%s\\b", name), texts, perl = TRUE))))
}
