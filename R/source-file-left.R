# Files that stay where they are: each question reads the columns that it needs, by an engine, and
# no entry is held.

ledger_of_files_left <- function(source, given, asked, call = caller_env()) {
  paths <- normalizePath(files_meant(source, call))
  kind <- left_kind(paths, given, call)
  check_left_fields(given, call)
  label <- label_of_files(source)
  engine <- new_duckdb_engine(":memory:", label, function() {
    normalizePath(files_meant(source, call))
  }, call)
  given$relation <- within_engine(engine, {
    if (kind == "parquet") relation_of_parquet(paths, label)
    else relation_of_text(engine, paths, given, label, call)
  })
  ledger_of_engine(engine, given, c(list(file = source), asked), call)
}

left_kind <- function(paths, given, call) {
  parquet <- grepl("[.]parquet$", paths, ignore.case = TRUE)
  text <- grepl("[.](csv|tsv|txt|tab|psv|dat|asc)([.]gz)?$", paths, ignore.case = TRUE)
  kinds <- if (!is.null(given$format)) given$format
           else unique(ifelse(parquet, "parquet", ifelse(text, "text", "other")))
  if (length(kinds) > 1 || !kinds %in% c("text", "parquet")) {
    refuse("source", c("Files that stay where they are must be text or Parquet, all of one kind.",
                       i = "Read others with {hold = TRUE}."), call = call)
  }
  kinds
}

# What only the reader of files in memory knows.
check_left_fields <- function(given, call) {
  for (name in c("number_format", "date_format", "sheet", "cells", "encoding", "codes")) {
    if (is.null(given[[name]])) next
    refuse("choice", c(sprintf("{%s} is not known for files that stay where they are.", name),
                       i = "Read them with {hold = TRUE}, or write them as Parquet first."),
           arg = name, call = call)
  }
}

engine_text <- function(text) paste0("'", gsub("'", "''", enc2utf8(text), fixed = TRUE), "'")

engine_list <- function(texts) paste0("[", paste(engine_text(texts), collapse = ", "), "]")

# Where there are several files, a column tells which.
file_column <- function(paths) {
  if (length(paths) > 1) ", parse_filename(filename) AS file" else ""
}

relation_of_parquet <- function(paths, label) {
  read <- sprintf("read_parquet(%s, file_row_number = true, filename = true)", engine_list(paths))
  some <- sprintf("(SELECT * EXCLUDE (file_row_number, filename)%s FROM %s)", file_column(paths),
                  read)
  # The place of a row in its file, after those of the files before it.
  rows <- sprintf(
    "(SELECT * EXCLUDE (file_row_number, filename)%s, %s + file_row_number AS %s FROM %s)",
    file_column(paths), "CAST(list_position(%s, filename) - 1 AS DOUBLE) * 1e9 + 1", row_of_file,
    read)
  rows <- sub("%s", engine_list(paths), rows, fixed = TRUE)
  list(from = some, from_rows = rows, table = NULL, label = label,
       row_key = paste0("t.", row_of_file))
}

row_of_file <- "\".row of file\""

# Text: what each column holds is decided over all rows first, and holds for all questions to come:
# plain numbers are amounts; all else stays text, days as 2026-09-17 among it.
relation_of_text <- function(engine, paths, given, label, call) {
  form <- csv_form(engine, paths, given)
  all_text <- csv_read(paths, given, paste0(form, ", all_varchar = true"))
  names <- engine_rows(engine, sql("DESCRIBE SELECT * FROM ", all_text))$column_name
  if (length(paths) > 1) names <- setdiff(names, "filename")
  check_names_once(names, label, call)
  kinds_now <- function() {
    csv_kinds(engine, all_text, names, c(unlist(given$on), given$until))
  }
  kinds <- kinds_now()
  types <- paste(sprintf("%s: %s", vapply(names, engine_text, ""), engine_text(kinds)),
                 collapse = ", ")
  read <- csv_read(paths, given, sprintf("%s, auto_detect = false, columns = {%s}", form, types))
  # Days and text without spaces around them.
  shown <- vapply(names, sql_name, "")
  cleaned <- ifelse(kinds == "VARCHAR", sprintf("TRIM(%s) AS %s", shown, shown), shown)
  of <- paste0("SELECT ", paste(cleaned, collapse = ", "), file_column(paths))
  list(from = sprintf("(%s FROM %s)", of, read),
       from_rows = sprintf("(%s, CAST(row_number() OVER () AS DOUBLE) AS %s FROM %s)", of,
                           row_of_file, read),
       table = NULL, label = label, row_key = paste0("t.", row_of_file),
       kinds = kinds_now, kinds_found = kinds)
}

# The engine's reader of separated text (RFC 4180). Rows that do not fit are an error, not left out.
csv_read <- function(paths, given, more) {
  marks <- unique(c(given$missing %||% missing_marks, ""))
  marks <- unique(c(marks, toupper(marks), tolower(marks)))
  sprintf("read_csv(%s, header = true, nullstr = %s, filename = %s, %s)", engine_list(paths),
          engine_list(marks), if (length(paths) > 1) "true" else "false", more)
}

# How the first file is written, which holds for all of them.
csv_form <- function(engine, paths, given) {
  separator <- stated_separator(given$separator, NULL)
  found <- engine_rows(engine, sprintf(
    paste("SELECT Delimiter AS d, Quote AS q, Escape AS e, CAST(SkipRows AS INTEGER) AS s",
          "FROM sniff_csv(%s%s)"),
    engine_text(paths[1]),
    if (is.null(separator)) "" else sprintf(", delim = %s", engine_text(separator))))
  one <- function(text, otherwise) if (text %in% c("", "(empty)", NA)) otherwise else text
  quote <- one(found$q, "\"")
  sprintf("delim = %s, quote = %s, escape = %s, skip = %d", engine_text(one(found$d, ",")),
          engine_text(quote), engine_text(one(found$e, quote)), as.integer(found$s))
}

# The type of each column, from all of its values: whole numbers, numbers with up to four decimals,
# others, or text. Zeros in front, or more than 15 digits, make codes.
csv_kinds <- function(engine, from, names, dates) {
  of <- list()
  for (i in seq_along(names)) {
    v <- sprintf("TRIM(t.%s)", sql_name(names[i]))
    number <- sprintf("regexp_full_match(%s, '-?(0|[1-9][0-9]{0,14})([.][0-9]+)?')", v)
    of[[paste0("n", i)]] <- sprintf("CAST(COUNT(%s) AS DOUBLE)", v)
    of[[paste0("o", i)]] <- sprintf("CAST(SUM(CASE WHEN %s THEN 0 ELSE 1 END) AS DOUBLE)",
                                    paste0(v, " IS NULL OR ", number))
    of[[paste0("d", i)]] <- sprintf(
      "CAST(MAX(CASE WHEN CONTAINS(%s, '.') THEN LENGTH(%s) - STRPOS(%s, '.') ELSE 0 END) AS %s",
      v, v, v, "DOUBLE)")
  }
  found <- engine_rows(engine, sql_select(of, paste(from, "AS t")))
  vapply(seq_along(names), function(i) {
    if (names[i] %in% dates || found[[paste0("n", i)]] == 0 || found[[paste0("o", i)]] > 0) {
      return("VARCHAR")
    }
    decimals <- found[[paste0("d", i)]]
    if (decimals == 0) "BIGINT" else if (decimals <= 4) sprintf("DECIMAL(18,%.0f)", decimals)
    else "DOUBLE"
  }, "")
}
