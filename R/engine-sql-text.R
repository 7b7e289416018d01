# Pieces of SQL: text with values beside it that are bound, never written into it. A piece is
# list(text, values); each value has its place in the text as one mark, which no name may hold.

bound_mark <- "\001"

new_sql <- function(text, values = list()) {
  structure(list(text = text, values = values), class = "sql_piece")
}

# Texts and pieces put together, in their order.
sql <- function(...) sql_list(list(...), "")

sql_list <- function(parts, between = ", ") {
  text <- vapply(parts, function(part) if (is.character(part)) part else part$text, "")
  values <- lapply(parts, function(part) if (is.character(part)) list() else part$values)
  new_sql(paste(text, collapse = between), do.call(c, c(list(list()), values)))
}

bound <- function(value) new_sql(bound_mark, list(value))

# Conditions that must all hold, or a piece that always does.
sql_all <- function(parts) {
  parts <- Filter(Negate(is.null), parts)
  if (length(parts) == 0) return(sql("1 = 1"))
  sql_list(lapply(parts, function(part) sql("(", part, ")")), " AND ")
}

# A name in quotes, as in the standard (SQL:1999, 5.2) or as a dialect has it. What could end it, or
# stand for a value, is doubled or refused.
sql_name <- function(name, call = caller_env(), dialect = dialect_defaults) {
  if (grepl("[\001]", name) || !nzchar(name)) {
    refuse("column", "A column of a database must have a name, without control characters.",
           call = call)
  }
  dialect$quoted(name)
}

# Text and values as an engine takes them: the dialect writes the place of each value, or, where an
# engine binds none, each as a literal.
sql_for_engine <- function(piece, dialect) {
  if (is.character(piece)) piece <- new_sql(piece)
  n <- length(piece$values)
  cut <- strsplit(paste0(piece$text, " "), bound_mark, fixed = TRUE)[[1]]
  stopifnot(length(cut) == n + 1)
  places <- if (dialect$binds) dialect$places(seq_len(n))
            else vapply(piece$values, dialect$literal, "")
  written <- c(rbind(cut, c(places, "")))
  list(text = trimws(paste(written, collapse = "")), values = if (dialect$binds) piece$values)
}

# A piece in which names are replaced by the pieces that they stand for.
sql_with <- function(piece, pieces) {
  if (is.character(piece)) piece <- new_sql(piece)
  pattern <- sprintf("\\b(%s)\\b", paste(names(pieces), collapse = "|"))
  at <- gregexpr(pattern, piece$text, perl = TRUE)
  words <- regmatches(piece$text, at)[[1]]
  between <- regmatches(piece$text, at, invert = TRUE)[[1]]
  values <- piece$values
  parts <- list()
  for (i in seq_along(between)) {
    n <- lengths(regmatches(between[i], gregexpr(bound_mark, between[i], fixed = TRUE)))
    parts <- c(parts, list(new_sql(between[i], values[seq_len(n)])),
               if (i <= length(words)) pieces[words[i]])
    values <- values[seq_along(values) > n]
  }
  sql_list(unname(parts), "")
}

# SELECT with names for what is selected: `of` is a list of pieces by name.
sql_select <- function(of, from, where = NULL, group = NULL, order = NULL, limit = NULL) {
  shown <- Map(function(piece, name) sql(piece, " AS ", name), of, names(of))
  sql("SELECT ", sql_list(shown), " FROM ", from,
      if (is.null(where)) "" else sql(" WHERE ", where),
      if (length(group) == 0) "" else paste(" GROUP BY", paste(group, collapse = ", ")),
      if (length(order) == 0) "" else paste(" ORDER BY", paste(order, collapse = ", ")),
      if (is.null(limit)) "" else sprintf(" LIMIT %.0f", limit))
}

# Rows of texts as one value: a list of lists in JSON (RFC 8259), which every engine can read.
json_rows <- function(...) {
  columns <- lapply(list(...), function(column) enc2utf8(plain_text(column)))
  json_text(do.call(cbind, columns))
}

json_list <- function(values) json_text(enc2utf8(plain_text(values)))

json_text <- function(texts) as.character(jsonlite::toJSON(texts, na = "null"))
