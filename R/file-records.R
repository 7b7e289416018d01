# Tables in files whose rows or columns carry their names: Parquet, JSON, and tables of web pages.

# Files whose rows carry their names have none to be stated.
check_names_within <- function(ask, path, call) {
  if (is.null(ask$named) && ask$skip == 0) return(invisible())
  refuse("choice", sprintf("{%s} is for text and workbooks: %s has its names within.",
                           if (ask$skip > 0) "skip" else "column_names", path),
         arg = if (ask$skip > 0) "skip" else "column_names", call = call)
}

read_parquet_file <- function(whole, ask, call) {
  check_names_within(ask, whole$path, call)
  rlang::check_installed("nanoparquet", "to read Parquet files.")
  table <- tryCatch(as.data.frame(nanoparquet::read_parquet(whole$file)),
                    error = function(e) {
                      refuse("source", sprintf("The file %s cannot be read: %s", whole$path,
                                               conditionMessage(e)), call = call)
                    })
  table_by_rows(table, "row")
}

# One object a line (or one array of objects): its names are the columns.
read_json_lines <- function(whole, ask, call) {
  check_names_within(ask, whole$path, call)
  text <- text_in_utf8(whole$file, whole$path, ask$encoding, call)
  on.exit(if (isTRUE(text$copied)) unlink(text$file))
  lines <- readLines(text$file, warn = FALSE, encoding = "UTF-8")
  lines[1] <- sub("^\ufeff", "", lines[1])
  filled <- which(nzchar(trimws(lines)))
  wrapped <- table_in_object(lines[filled], whole$path, call)
  if (!is.null(wrapped)) return(wrapped)
  is_array <- length(filled) > 0 && startsWith(trimws(lines[filled[1]]), "[")
  body <- if (is_array) paste(lines, collapse = "\n")
          else paste0("[", paste(lines[filled], collapse = ",\n"), "]")
  table <- tryCatch(jsonlite::fromJSON(body, bigint_as_char = TRUE), error = function(e) {
    refuse_json_line(lines, filled, is_array, whole$path, conditionMessage(e), call)
  })
  if (!is.data.frame(table)) {
    refuse("source", c(sprintf("The file %s holds no table.", whole$path),
                       i = "Each line must be an object such as {\"day\": \"2026-01-31\"}."),
           call = call)
  }
  out <- table_by_rows(jsonlite::flatten(table), if (is_array) "row" else "line",
                       if (!is_array) filled)
  out$says <- says_of_keys(if (is_array) body else lines[filled], is_array)
  out
}

# One object that holds the table: {"data": [...]}; NULL for anything else.
table_in_object <- function(lines, path, call) {
  if (length(lines) == 0 || !startsWith(trimws(lines[1]), "{")) return(NULL)
  one <- length(lines) == 1
  if (!one && jsonlite::validate(lines[1])) return(NULL)
  read <- tryCatch(jsonlite::fromJSON(paste(lines, collapse = "\n"), bigint_as_char = TRUE),
                   error = function(e) NULL)
  if (!is.list(read) || is.data.frame(read)) return(NULL)
  tables <- Filter(is.data.frame, read)
  if (length(tables) == 0) return(NULL)
  if (length(tables) > 1) {
    refuse("source", c(sprintf("The file %s holds %s tables: %s.", path,
                               number_text(length(tables)), listed(names(tables))),
                       i = "Save the one that is meant alone."), call = call)
  }
  out <- table_by_rows(jsonlite::flatten(tables[[1]]), "row")
  out$says <- sprintf("the table under `%s`", names(tables))
  out
}

# A key that stands twice in an object: the reader takes its first value. Of a long array the
# first objects are looked at.
says_of_keys <- function(texts, is_array) {
  read <- function(text) tryCatch(jsonlite::fromJSON(text, simplifyVector = FALSE),
                                  error = function(e) NULL)
  if (is_array && nchar(texts, "bytes") > 5e6)
    texts <- sub("[}][^}]*$", "}]", substr(texts, 1, 1e6))
  objects <- if (is_array) read(texts) else lapply(utils::head(texts, 10000), read)
  twice <- unlist(lapply(utils::head(objects, 10000), function(one) {
    keys <- names(one)
    keys[duplicated(keys)]
  }))
  if (length(twice) == 0) return(NULL)
  said <- sprintf("the key `%s` stands twice in %s, and its first value was taken", twice[1],
                  count_text(length(twice), "object"))
  tell(paste0(heading_first(said), "."), "rollingledger_message_keys")
  said
}

# The table of a web page with most rows.
read_html_file <- function(whole, ask, call) {
  rlang::check_installed("xml2", "to read tables of web pages.")
  page <- tryCatch(xml2::read_html(whole$file, encoding = ask$encoding %||% ""),
                   error = workbook_problem(whole$path, call))
  tables <- xml2::xml_find_all(page, "//table")
  rows <- lapply(tables, function(table) xml2::xml_find_all(table, "./tr|./*/tr"))
  if (length(rows) == 0 || max(lengths(rows)) == 0) {
    refuse("source", sprintf("The page %s holds no table.", whole$path), call = call)
  }
  rows <- rows[[which.max(lengths(rows))]]
  fields <- lapply(rows, function(row) trimws(xml2::xml_text(xml2::xml_find_all(row, "./td|./th"))))
  width <- max(lengths(fields))
  columns <- lapply(seq_len(width), function(k) {
    vapply(fields, function(row) if (length(row) >= k) row[k] else "", "")
  })
  cells <- list(head = lapply(columns, function(column) {
    as.list(utils::head(column, records_looked_at))
  }), first_row = 1, body = function(row) lapply(columns, function(column) {
    utils::tail(column, length(column) - (row - 1))
  }))
  out <- table_of_cells(cells, whole$path, ask, call)
  out$says <- c(if (length(tables) > 1) sprintf("the largest of %d tables of the page",
                                                length(tables)), out$says)
  out
}

refuse_json_line <- function(lines, filled, is_array, path, message, call) {
  if (grepl("C stack", message, fixed = TRUE)) message <- "Its parts lie too deep in each other."
  wrong <- if (!is_array) Find(function(i) !jsonlite::validate(lines[i]), filled)
  where <- if (length(wrong) > 0) sprintf(": line %s is not JSON", number_text(wrong)) else ""
  refuse("source", c(sprintf("The file %s cannot be read%s.", path, where),
                     x = strsplit(message, "\n")[[1]][1]), call = call)
}

table_by_rows <- function(table, word, at = NULL) {
  if (nrow(table) == 0) at <- 1L
  list(table = table, apart = no_lines_apart(), says = NULL,
       numbering = list(word = word, at = at %||% 1L),
       as_text = function(name) plain_text(table[[name]]))
}
