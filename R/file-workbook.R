# Tables in workbooks (.xlsx, .xls, .ods), Parquet files and JSON lines, by their common readers.

# Cells are taken as what they are: numbers, days, text, TRUE and FALSE.
read_workbook_file <- function(whole, ask, call) {
  is_ods <- any(utils::unzip(whole$file, list = TRUE)$Name == "content.xml") |>
    tryCatch(error = function(e) FALSE, warning = function(w) FALSE)
  sheets <- if (is_ods) ods_sheets(whole, call) else excel_sheets(whole, call)
  sheet <- sheet_meant(ask$sheet, sheets, whole$path, call)
  cells <- if (is_ods) ods_cells(whole, sheet, ask, call) else excel_cells(whole, sheet, ask, call)
  out <- table_of_cells(cells, sprintf("sheet \"%s\" of %s", sheet, whole$path), ask, call)
  others <- setdiff(sheets, sheet)
  out$says <- c(sprintf("sheet \"%s\"%s", sheet, if (length(others) > 0)
    sprintf(", not %s", listed(dQuote(others, FALSE), most = 4)) else ""), out$says)
  out
}

sheet_meant <- function(given, sheets, path, call) {
  if (is.null(given)) return(sheets[1])
  if (is.numeric(given) && length(given) == 1 && given %in% seq_along(sheets))
    return(sheets[[given]])
  if (rlang::is_string(given) && given %in% sheets) return(given)
  if (rlang::is_string(given) && grepl("^[0-9]+$", given) && as.numeric(given) <= length(sheets))
    return(sheets[[as.integer(given)]])
  refuse("choice", c(sprintf("There is no sheet %s in %s.", plain_text(given)[1], path),
                     i = if (is.character(given)) nearest_hint(given[1], sheets),
                     i = sprintf("It has: %s.", listed(dQuote(sheets, FALSE)))), arg = "sheet",
         call = call)
}

workbook_problem <- function(path, call) function(e) {
  refuse("source", c(sprintf("The workbook %s cannot be read: %s", path, conditionMessage(e))),
         call = call)
}

excel_sheets <- function(whole, call) {
  rlang::check_installed("readxl", "to read workbooks (.xlsx, .xls).")
  tryCatch(readxl::excel_sheets(whole$file), error = workbook_problem(whole$path, call))
}

# list(columns, first_row): a list of single values for each column, as the cells hold them.
excel_cells <- function(whole, sheet, ask, call) {
  range <- cells_meant(ask$cells, call)
  from <- range$from_row %||% 1
  limits <- readxl::cell_limits(c(from, range$from_column %||% 1),
                                c(range$to_row %||% NA, range$to_column %||% NA), sheet)
  table <- tryCatch(
    readxl::read_excel(whole$file, range = limits, col_names = FALSE, col_types = "list",
                       trim_ws = FALSE, .name_repair = "minimal", progress = FALSE),
    error = workbook_problem(whole$path, call))
  list(columns = lapply(unname(as.list(table)), plain_cells), first_row = from)
}

# A cell without anything is NA.
plain_cells <- function(cells) {
  lapply(cells, function(cell) if (length(cell) == 0) NA else cell[[1]])
}

ods_sheets <- function(whole, call) {
  rlang::check_installed("readODS", "to read workbooks in OpenDocument format (.ods).")
  tryCatch(readODS::list_ods_sheets(ods_named(whole)), error = workbook_problem(whole$path, call))
}

# The reader goes by the name of the file.
ods_named <- function(whole) {
  if (lower_text(tools::file_ext(whole$file)) == "ods") return(whole$file)
  out <- file.path(tempdir(), "workbook.ods")
  file.copy(whole$file, out, overwrite = TRUE)
  out
}

ods_cells <- function(whole, sheet, ask, call) {
  table <- tryCatch(
    suppressWarnings(readODS::read_ods(ods_named(whole), sheet = sheet, range = ask$cells,
                      col_names = FALSE, col_types = NA, .name_repair = "minimal")),
    error = workbook_problem(whole$path, call))
  range <- cells_meant(ask$cells, call)
  list(columns = lapply(unname(as.list(table)), function(column) as.list(as.character(column))),
       first_row = range$from_row %||% 1, is_text = TRUE)
}

# "B3:F200" as rows and columns; "B3" begins there.
cells_meant <- function(cells, call) {
  if (is.null(cells)) return(NULL)
  parts <- regmatches(cells, regexec("^([A-Za-z]{1,3})([0-9]{1,7})(:([A-Za-z]{1,3})([0-9]{1,7}))?$",
                                     cells))[[1]]
  if (length(parts) == 0) {
    refuse("choice", sprintf("{cells} must be such as \"B3:F200\", not \"%s\".", cells),
           arg = "cells", call = call)
  }
  column <- function(letters) {
    if (nzchar(letters)) Reduce(function(sum, one) sum * 26 + match(one, LETTERS),
                                strsplit(upper_text(letters), "")[[1]], 0)
  }
  number <- function(digits) if (nzchar(digits)) as.numeric(digits)
  list(from_row = number(parts[3]), from_column = column(parts[2]),
       to_row = number(parts[6]), to_column = column(parts[5]))
}

# A header is found as in text; what is above it is told.
table_of_cells <- function(cells, label, ask, call) {
  n <- if (length(cells$columns) > 0) length(cells$columns[[1]]) else 0
  text <- lapply(cells$columns, cell_texts)
  if (n == 0 || all(vapply(text, function(column) all(column == ""), TRUE)))
    refuse("source", sprintf("There is nothing in %s.", label), call = call)
  filled <- which(Reduce(`|`, lapply(text, function(column) column != "")))
  records <- utils::head(filled, records_looked_at)
  first <- list(line = records + cells$first_row - 1,
                fields = rep(length(text), length(records)),
                text = lapply(records, function(i) vapply(text, function(column) column[i], "")))
  at <- header_place(first, label, ",", call)
  named <- trimws(first$text[[at]])
  names <- names_by_place(named)
  used <- vapply(text, function(column) any(column[filled[filled >= records[at]]] != ""), TRUE)
  rows <- filled[filled > records[at]]
  apart <- lines_apart(first, seq_len(at - 1), "title line")
  if (length(rows) == 0) refuse("source", sprintf("There are no rows in %s.", label), call = call)
  columns <- Map(function(column, words) values_of_cells(column[rows], words[rows], cells$is_text),
                 cells$columns[used], text[used])
  names(columns) <- names[used]
  written <- lapply(text[used], function(words) words[rows])
  names(written) <- names[used]
  list(table = as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE), apart = apart,
       numbering = list(word = "row", at = as.integer(rows + cells$first_row - 1)),
       says = says_of_names(named[used], names[used]), as_text = function(name) {
         out <- written[[name]]
         out[out == ""] <- NA
         out
       })
}

cell_texts <- function(cells) {
  vapply(cells, function(cell) {
    if (is.na(cell)[1]) "" else if (inherits(cell, "POSIXt")) time_text(cell) else plain_text(cell)
  }, "")
}

# A moment at midnight is a day.
time_text <- function(time) {
  format(time, if (format(time, "%H:%M:%S") == "00:00:00") "%Y-%m-%d" else "%Y-%m-%d %H:%M:%S")
}

# Cells of one kind as values of that kind; of several as text.
values_of_cells <- function(cells, words, is_text = FALSE) {
  there <- words != ""
  words[!there] <- NA
  kinds <- unique(vapply(cells[there], function(cell) class(cell)[1], ""))
  if (isTRUE(is_text) || length(kinds) != 1) return(words)
  whole <- function(missing, cast) {
    out <- rep(missing, length(cells))
    out[there] <- cast(cells[there])
    out
  }
  if (kinds == "numeric") return(whole(NA_real_, function(some) vapply(some, as.double, 0)))
  if (kinds == "logical") return(whole(NA, function(some) vapply(some, isTRUE, TRUE)))
  if (kinds == "POSIXct" && all(nchar(words[there]) == 10)) return(as.Date(words))
  words
}

# ---- Parquet, JSON lines ------------------------------------------------------------

read_parquet_file <- function(whole, ask, call) {
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
  text <- text_in_utf8(whole$file, whole$path, ask$encoding, call)
  on.exit(if (isTRUE(text$copied)) unlink(text$file))
  lines <- readLines(text$file, warn = FALSE, encoding = "UTF-8")
  lines[1] <- sub("^\ufeff", "", lines[1])
  filled <- which(nzchar(trimws(lines)))
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
  table_by_rows(table, if (is_array) "row" else "line", if (!is_array) filled)
}

refuse_json_line <- function(lines, filled, is_array, path, message, call) {
  wrong <- if (!is_array) Find(function(i) !jsonlite::validate(lines[i]), filled)
  where <- if (length(wrong) > 0) sprintf(": line %s is no JSON", number_text(wrong)) else ""
  refuse("source", c(sprintf("The file %s cannot be read%s.", path, where),
                     x = strsplit(message, "\n")[[1]][1]), call = call)
}

table_by_rows <- function(table, word, at = NULL) {
  if (nrow(table) == 0) at <- 1L
  list(table = table, apart = no_lines_apart(), says = NULL,
       numbering = list(word = word, at = at %||% 1L),
       as_text = function(name) plain_text(table[[name]]))
}
