# Tables in files of any common kind. Each kind has a reader that gives the values as the file has
# them; what text columns hold is then decided over the whole column (file-columns.R). Nothing of a
# file is lost in silence: what is left out of the table is told with its line, the rest refused.

# How files are to be read, as far as it is said.
new_file_ask <- function(format = NULL, separator = NULL, encoding = NULL, sheet = NULL,
                         cells = NULL, number_format = NULL, missing = NULL, as_text = NULL,
                         skip = NULL, named = NULL, call = caller_env()) {
  one_text <- function(value, name) {
    if (is.null(value) || rlang::is_string(value)) return(value)
    refuse("choice", sprintf("{%s} must be one text.", name), arg = name, call = call)
  }
  list(format = if (!is.null(format)) one_of(format, names(file_kinds()), "format", call),
       separator = stated_separator(separator, call), encoding = one_text(encoding, "encoding"),
       sheet = sheet, cells = one_text(cells, "cells"),
       number_format = stated_writings(number_format, call),
       missing = missing %||% missing_marks, as_text = as_text, skip = lines_to_skip(skip, call),
       named = named)
}

lines_to_skip <- function(skip, call) {
  if (is.null(skip)) return(0)
  if (is.numeric(skip) && length(skip) == 1 && skip %in% 0:1e6) return(skip)
  refuse("choice", "{skip} must be a whole number of lines, such as 3.", arg = "skip", call = call)
}

# Kinds of files: what their names end in, and how each is read. A reader gives list(table,
# numbering, apart, says, as_text): the table; what its rows are numbered by, list(word, at); lines
# that are no rows; what is to be said of the reading; and a column as the text that stands there.
file_kinds <- function() {
  list(
    text = list(endings = c("csv", "tsv", "txt", "tab", "psv", "dat", "asc"),
                read = read_text_file),
    workbook = list(endings = c("xlsx", "xls", "xlsm", "ods"), read = read_workbook_file),
    parquet = list(endings = "parquet", read = read_parquet_file),
    "json lines" = list(endings = c("jsonl", "ndjson", "json"), read = read_json_lines),
    html = list(endings = c("html", "htm"), read = read_html_file)
  )
}

# One table of one file, with its columns decided.
read_table_file <- function(path, ask = new_file_ask(), call = caller_env()) {
  table <- read_table_files(path, ask, call)$table
  without_members(table)
}

# One table of one or several files: list(table, files, numbering, apart, says, units). A column
# `file` tells the file where there are several.
read_table_files <- function(paths, ask, call = caller_env()) {
  files <- files_meant(paths, call)
  ask$several <- length(files) > 1
  parts <- lapply(files, read_one_file, ask = ask, call = call)
  empty <- vapply(parts, is.null, TRUE)
  if (any(empty)) {
    tell(sprintf("No rows in %s, which %s left out.", listed(basename(files[empty]), most = 4),
                 if (sum(empty) == 1) "is" else "are"), "rollingledger_message_empty")
    parts <- parts[!empty]
    files <- files[!empty]
    if (length(parts) == 0) refuse("source", "There are no rows in any of the files.", call = call)
  }
  out <- if (length(parts) == 1) parts[[1]] else joined_files(parts, files, ask, call)
  ask$of_file <- files_of_rows(out$numbering)
  decided <- decide_columns(out$table, ask, call)
  out$table <- decided$table
  out$says <- c(out$says, decided$says)
  out$units <- decided$units
  out$files <- full_path(files[files != "-"])
  out
}

read_one_file <- function(path, ask, call) {
  whole <- whole_file(path, call)
  on.exit(unlink(whole$temporary))
  kind <- kind_of_file(whole, ask$format, call)
  # One of several files may have its header alone.
  read <- tryCatch(file_kinds()[[kind]]$read(whole, ask, call),
                   rollingledger_error_rows = function(e) if (ask$several) NULL else stop(e))
  if (is.null(read)) return(NULL)
  out <- without_totals(told_apart_once(read), ask)
  check_one_table(out, path, call)
  check_names_once(names(out$table), path, call)
  check_text_columns(names(out$table), path, ask, call)
  out$says <- c(whole$says, out$says)
  out
}

# Text columns with their members beside them, so that they are told apart once.
told_apart_once <- function(read) {
  for (name in names(read$table)) {
    values <- read$table[[name]]
    if (is.character(values)) attr(read$table[[name]], "encoded") <- core_encode_text(
      values, core_threads())
  }
  read
}

without_members <- function(table) {
  for (name in names(table)) attr(table[[name]], "encoded") <- NULL
  table
}

# The members of text, as they were told apart, or now.
members_of_text <- function(values) {
  (attr(values, "encoded") %||% core_encode_text(values, core_threads()))$members
}

refuse_no_rows <- function(label, call) {
  refuse(c("rows", "source"), sprintf("There are no rows in %s.", label), call = call)
}

# A second table further down would be taken for rows of the first: its header is text where the
# columns are numbers or days.
check_one_table <- function(read, path, call) {
  text <- Filter(is.character, as.list(read$table))
  odd <- Filter(Negate(is.null), lapply(text, rows_no_value))
  if (length(odd) < 2) return(invisible())
  at <- Reduce(intersect, odd)
  if (length(at) == 0) return(invisible())
  lines <- lines_of_rows(read$numbering, nrow(read$table))
  refuse("source", c(
    sprintf("The file %s seems to hold a second table: %s %s has text where numbers and days are.",
            path, read$numbering$word, row_text(lines[at[1]])),
    i = if (read$numbering$word == "row")
      "Say which cells are meant, such as {cells = \"A1:F20\"}."
    else "Put each table in a file of its own."), call = call)
}

# Rows in which a column that is mostly numbers, or days, has words; NULL for other columns.
rows_no_value <- function(values) {
  members <- members_of_text(values)
  known <- enc2utf8(members[!is_missing_mark(members, missing_marks)])
  # More than a fifth of the rows in words: it is a column of words.
  first <- utils::head(known, length(values) %/% 5 + 1)
  if (length(first) * 5 > length(values) && core_survey_numbers(first, FALSE)$numbers == 0 &&
      core_survey_dates(first)$others == length(first)) return(NULL)
  numbers <- core_survey_numbers(known, FALSE)
  dates <- core_survey_dates(known)
  mixed <- numbers$others > 0 && numbers$numbers > 0 ||
    dates$others > 0 && dates$others < length(known)
  if (!mixed) return(NULL)
  counts <- tabulate(match(values, known), length(known))
  odd <- if (numbers$others > 0 && numbers$numbers > 0) {
    is.na(core_numbers_by(known, max(numbers$writing, 0)))
  } else if (dates$others > 0 && dates$others < length(known)) {
    form <- date_form(known, "", dates)$form
    if (!is.null(form)) is.na(core_dates_by(known, form)$days)
  }
  if (is.null(odd) || sum(counts[odd]) * 5 > sum(counts)) return(NULL)
  odd[odd] <- vapply(known[odd], kind_of_texts, "", USE.NAMES = FALSE) == "text"
  which(values %in% members[match(known[odd], enc2utf8(members))])
}

# Columns that are to stay text must be there.
check_text_columns <- function(names, path, ask, call) {
  for (name in setdiff(ask$as_text, names))
    refuse_column(name, names, where = basename(path), call = call)
}

kind_of_file <- function(whole, format, call) {
  if (!is.null(format)) return(format)
  held <- kind_of_bytes(whole$file)
  ending <- lower_text(tools::file_ext(whole$name))
  named <- names(Filter(function(kind) ending %in% kind$endings, file_kinds()))
  if (length(named) == 0 && is.null(held)) {
    if (whole$name == "-") return("text")
    endings <- unlist(lapply(file_kinds(), function(kind) kind$endings))
    refuse("source", c(
      sprintf("The kind of the file %s is not known from its name.", whole$path),
      i = sprintf("Say which with {format =}: %s.", listed(names(file_kinds()), last = "or")),
      i = sprintf("Names that tell end in %s; also in .gz, .zip, .bz2 or .xz after it.",
                  listed(paste0(".", endings), most = 20, last = "or"))), call = call)
  }
  # What web pages save as a workbook is often a page, or text.
  if (is.null(held) && identical(named, "workbook")) held <- text_or_page(whole, call)
  # A workbook is one whatever its name.
  if (!is.null(held) && !identical(named, held)) {
    if (length(named) > 0)
      tell(sprintf("%s is %s, whatever its name says, and was read as such.", whole$path,
                   c(text = "text", html = "a web page", workbook = "a workbook",
                     parquet = "a Parquet file")[[held]]))
    return(held)
  }
  named
}

text_or_page <- function(whole, call) {
  first <- readBin(whole$file, "raw", 2000)
  if (any(first == 0) && !identical(first[1], as.raw(0xff))) return(NULL)
  start <- lower_text(trimws(rawToChar(first[first >= 0x20 & first < 0x80])))
  if (grepl("<workbook[^>]*urn:schemas-microsoft-com:office:spreadsheet", start)) {
    refuse("source", c(sprintf("%s is a workbook in the XML of 2003, which is not read.",
                               whole$path),
                       i = "Save it as .xlsx, or as text."), call = call)
  }
  if (grepl("<(html|table|!doctype html|body|tr)", start)) "html"
  else if (grepl("^<", start)) NULL
  else "text"
}

# The kind that the first bytes tell, or NULL: zipped folders with the parts of a workbook, or the
# mark of Parquet.
kind_of_bytes <- function(file) {
  first <- readBin(file, "raw", 4)
  if (identical(first, charToRaw("PAR1"))) return("parquet")
  if (identical(first, as.raw(c(0xd0, 0xcf, 0x11, 0xe0)))) return("workbook")
  if (!identical(first, as.raw(c(0x50, 0x4b, 3, 4)))) return(NULL)
  inside <- tryCatch(utils::unzip(file, list = TRUE)$Name, error = function(e) character())
  if (any(inside %in% c("xl/workbook.xml", "content.xml"))) "workbook"
}

# ---- which files -------------------------------------------------------------

# A path, several, a folder of tables or a pattern, as paths in order of their names.
files_meant <- function(paths, call) {
  if (!is.character(paths) || length(paths) == 0 || anyNA(paths)) {
    refuse("source", "{source} must be one path, or several.", call = call)
  }
  found <- unlist(lapply(paths, function(path) {
    if (path == "-") return(path)
    if (dir.exists(path)) return(files_in_folder(path, call))
    if (!file.exists(path) && grepl("[*?[]", path)) {
      some <- sort(Sys.glob(path), method = "radix")
      if (length(some) == 0)
        refuse("source", sprintf("No file goes by the pattern %s.", path), call = call)
      return(some)
    }
    check_file(path, call)
    path
  }))
  twice <- found[duplicated(full_path(found))]
  if (length(twice) > 0)
    refuse("source", sprintf("The file %s is named twice.", twice[1]), call = call)
  found
}

files_in_folder <- function(path, call) {
  endings <- unlist(lapply(file_kinds(), function(kind) kind$endings))
  pattern <- sprintf("[.](%s)([.]gz|[.]zip|[.]bz2|[.]xz)?$", paste(endings, collapse = "|"))
  some <- sort(list.files(path, pattern, full.names = TRUE, ignore.case = TRUE), method = "radix")
  some <- some[!dir.exists(some) & !grepl("^[.~]", basename(some))]
  if (length(some) == 0) {
    others <- list.files(path)
    refuse("source",
           c(sprintf("%s is a folder without a table.", path),
             i = sprintf("Names of tables end in %s.",
                         listed(paste0(".", endings), most = 20, last = "or")),
             i = if (length(others) > 0) sprintf("It holds %s.", listed(others, most = 5))),
           call = call)
  }
  some
}

check_file <- function(path, call) {
  if (!file.exists(path)) {
    near <- nearest_hint(basename(path), list.files(dirname(path)))
    refuse("source", c(sprintf("The file %s does not exist.", path), i = near,
                       i = sprintf("Looked in %s.",
                                   full_path(dirname(path)))), call = call)
  }
  if (file.access(path, 4) != 0) {
    refuse("source", c(sprintf("The file %s may not be read: its rights do not allow it.", path),
                       i = "Ask its owner, or copy it to a folder of your own."), call = call)
  }
}

# ---- several files of one layout -----------------------------------------------

joined_files <- function(parts, files, ask, call) {
  check_one_layout(parts, files, call)
  told <- if ("file" %in% names(parts[[1]]$table)) "source_file" else "file"
  out <- joined_parts(parts, labels_of_files(files), told, call)
  out$says <- c(sprintf("%s of one layout; the column `%s` tells which",
                        count_text(length(files), "file"), told),
                unique(unlist(lapply(parts, function(part) part$says))))
  out
}

# Parts of one layout as one table, with a column that tells which each row is of.
joined_parts <- function(parts, names, told, call = caller_env()) {
  told <- utils::tail(make.unique(c(names(parts[[1]]$table), told), sep = "_"), 1)
  tables <- alike_columns(lapply(parts, function(part) without_members(part$table)), parts)
  sizes <- vapply(tables, nrow, 0L)
  if (sum(as.double(sizes)) > .Machine$integer.max) check_entry_limit(sum(as.double(sizes)), call)
  table <- as.data.frame(data.table::rbindlist(tables, use.names = TRUE))
  say_sent_twice(table, rep(seq_along(names), sizes), names)
  table[[told]] <- rep(names, sizes)
  apart <- do.call(rbind, Map(function(part, name) {
    part$apart$file <- rep(name, nrow(part$apart))
    part$apart
  }, parts, names))
  lines <- Map(function(part, n) lines_of_rows(part$numbering, n), parts, sizes)
  list(table = table, apart = apart,
       numbering = list(word = unique(vapply(parts, function(part) part$numbering$word, ""))[1],
                        at = unlist(lines), file = rep(seq_along(names), sizes), files = names),
       says = unique(unlist(lapply(parts, function(part) part$says))), as_text = function(name) {
         if (name == told) table[[told]]
         else unlist(lapply(parts, function(part) part$as_text(name)))
       })
}

# Of which file each row is, where there are several: list(at, names).
files_of_rows <- function(numbering) {
  if (!is.null(numbering$file)) list(at = numbering$file, names = numbering$files)
}

# Names of files by which they are told apart, as short as can be.
labels_of_files <- function(files) {
  names <- basename(files)
  if (anyDuplicated(names)) files else names
}

check_one_layout <- function(parts, files, call) {
  first <- names(parts[[1]]$table)
  for (i in seq_along(parts)[-1]) {
    own <- names(parts[[i]]$table)
    if (setequal(own, first)) next
    lacks <- setdiff(first, own)
    more <- setdiff(own, first)
    refuse("source", c(
      sprintf("The files are not of one layout: %s %s.", files[i],
              paste(c(if (length(lacks) > 0) sprintf("lacks the column `%s`", lacks[1]),
                      if (length(more) > 0) sprintf("has a column `%s`", more[1])),
                    collapse = " and ")),
      i = sprintf("%s has: %s.", files[1], listed(first))), call = call)
  }
}

# Columns that differ in kind from file to file, as the text that stands there.
alike_columns <- function(tables, parts) {
  for (name in names(tables[[1]])) {
    kinds <- vapply(tables, function(table) column_kind(table[[name]]), "")
    known <- which(kinds != "nothing")
    if (length(unique(kinds[known])) < 2) {
      # What holds nothing is missing values of what the others hold.
      for (i in if (length(known) > 0) which(kinds == "nothing")) {
        tables[[i]][[name]] <- tables[[known[1]]][[name]][rep(NA_integer_, nrow(tables[[i]]))]
      }
      next
    }
    if (all(kinds %in% c("integer", "double", "nothing"))) next
    for (i in seq_along(tables)) {
      if (!kinds[i] %in% c("text", "nothing")) tables[[i]][[name]] <- parts[[i]]$as_text(name)
    }
  }
  tables
}

column_kind <- function(values) {
  if (is.character(values)) "text" else if (is.logical(values) && all(is.na(values))) "nothing"
  else if (is.object(values)) class(values)[1] else typeof(values)
}

# A month that was sent twice stands in two files.
say_sent_twice <- function(table, file, names) {
  told <- number_rows(unname(as.list(table)), nrow(table))
  first_file <- file[told$first][told$number]
  again <- first_file != file
  if (!any(again)) return(invisible())
  for (i in unique(file[again])) {
    share <- sum(again & file == i)
    if (share * 2 < sum(file == i)) next
    others <- unique(first_file[again & file == i])
    tell(sprintf("%s of %s in %s stand in %s too, equal in every column: was it sent twice?",
                 number_text(share), count_text(sum(file == i), "row"), names[i],
                 listed(names[others])), "rollingledger_message_twice")
  }
}

# ---- lines and rows ------------------------------------------------------------

no_lines_apart <- function() {
  data.frame(line = integer(), reason = character(), value = character())
}

# The line, or the row of a sheet, of each of n rows of a table; `at` is that of the first row, or
# of each.
lines_of_rows <- function(numbering, n) {
  if (length(numbering$at) == 1 && n != 1) numbering$at + seq_len(n) - 1L else numbering$at
}
