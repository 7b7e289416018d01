# Tables in workbooks (.xlsx, .xls, .ods), by their common readers.

# Cells are taken as what they are: numbers, days, text, TRUE and FALSE. Sheets of one layout are
# one table, which is told; of others the first that is not hidden is read.
read_workbook_file <- function(whole, ask, call) {
  is_ods <- any(utils::unzip(whole$file, list = TRUE)$Name == "content.xml") |>
    tryCatch(error = function(e) FALSE, warning = function(w) FALSE)
  sheets <- if (is_ods) ods_sheets(whole, call) else excel_sheets(whole, call)
  inside <- if (!is_ods) workbook_inside(whole$file, sheets)
  read <- function(sheet) {
    label <- sprintf("sheet \"%s\" of %s", sheet, whole$path)
    cells <- if (is_ods) ods_cells(whole, sheet, ask, call)
             else excel_cells(whole, sheet, ask, inside, call)
    table_of_cells(cells, label, ask, call)
  }
  parts <- NULL
  shown <- setdiff(sheets, inside$hidden)
  if (length(shown) == 0) shown <- sheets
  if (!is.null(ask$sheet)) {
    sheet <- sheet_meant(ask$sheet, sheets, whole$path, call)
  } else if (is.null(ask$cells) && length(shown) > 1) {
    parts <- sheets_of_one_layout(shown, read, whole$path, call)
    sheet <- names(parts)
  } else sheet <- shown[1]
  parts <- parts %||% lapply(sheet, read)
  out <- if (length(parts) == 1) parts[[1]] else joined_parts(parts, sheet, "sheet")
  others <- setdiff(sheets, sheet)
  others <- ifelse(others %in% inside$hidden, paste(dQuote(others, FALSE), "(hidden)"),
                   dQuote(others, FALSE))
  read_ones <- if (length(sheet) == 1) sprintf("sheet \"%s\"", sheet)
               else sprintf("%s of one layout (%s); the column `sheet` tells which",
                            count_text(length(sheet), "sheet"),
                            listed(dQuote(sheet, FALSE), most = 4))
  out$says <- c(paste0(read_ones, if (length(others) > 0)
    sprintf(", not %s", listed(others, most = 4))), out$says)
  out
}

# What was read of the sheets that hold one table: those with the columns of the first one. Where
# others share half of them or more, which are meant is asked.
sheets_of_one_layout <- function(sheets, read, path, call) {
  parts <- lapply(stats::setNames(nm = sheets), function(sheet) {
    tryCatch(read(sheet), rollingledger_error_source = function(e) NULL)
  })
  names <- lapply(parts, function(part) names(part$table))
  own <- names[[1]]
  if (is.null(own)) return(stats::setNames(list(read(sheets[1])), sheets[1]))
  alike <- vapply(names, setequal, TRUE, y = own)
  near <- !alike & vapply(names, function(one) sum(one %in% own) * 2 >= length(own), TRUE)
  if (any(near)) {
    other <- names[[which(near)[1]]]
    differs <- c(setdiff(own, other), setdiff(other, own))[1]
    refuse("choice", c(
      sprintf("The sheets \"%s\" and \"%s\" of %s are nearly alike, but for the column `%s`.",
              sheets[1], sheets[which(near)[1]], path, differs),
      i = sprintf("Say which is meant: {sheet = \"%s\"}.", sheets[1])), arg = "sheet",
      call = call)
  }
  parts[alike]
}

sheet_meant <- function(given, sheets, path, call) {
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

# The first rows of a sheet as the cells hold them, and a function that reads what stands below a
# row: list(head, first_row, body). A column of one kind is read as that kind; where the reader
# would turn cells into another, or text among them may have been numbers, it is read cell by cell.
excel_cells <- function(whole, sheet, ask, inside, call) {
  range <- cells_meant(ask$cells, call)
  from <- (range$from_row %||% 1) + ask$skip
  read <- function(from, to, types = NULL) {
    limits <- readxl::cell_limits(c(from, range$from_column %||% 1),
                                  c(to, range$to_column %||% NA), sheet)
    warned <- character()
    table <- withCallingHandlers(
      tryCatch(readxl::read_excel(whole$file, range = limits, col_names = FALSE, col_types = types,
                                  trim_ws = FALSE, .name_repair = "minimal", progress = FALSE,
                                  guess_max = 1048576),
               error = workbook_problem(whole$path, call)),
      warning = function(w) {
        warned <<- c(warned, conditionMessage(w))
        tryInvokeRestart("muffleWarning")
      })
    list(columns = unname(as.list(table)), warned = warned)
  }
  last <- range$to_row %||% NA
  first_column <- range$from_column %||% 1
  held <- if (!is.null(inside)) core_survey_cells(inside$bytes(inside$parts[[sheet]]))
  head <- read(from, min(from + records_looked_at - 1, last, na.rm = TRUE), "list")
  body <- function(row) {
    if (!is.na(last) && row > last) return(list())
    typed <- read(row, last)
    odd <- suppressWarnings(as.integer(sub(".*R[0-9]+C([0-9]+).*", "\\1", typed$warned)))
    odd <- if (anyNA(odd)) seq_along(typed$columns) else odd - first_column + 1L
    # Where all cells of a column are text, nothing is mixed.
    may_be <- if (is.null(held)) TRUE
              else held$holds_no_text[seq_along(typed$columns) + first_column - 1L] %in% TRUE
    mixed <- may_be & vapply(typed$columns, may_be_mixed, TRUE)
    again <- union(odd, which(mixed))
    if (length(again) > 0) {
      types <- replace(rep("skip", length(typed$columns)), again, "list")
      typed$columns[sort(again)] <- lapply(read(row, last, types)$columns, plain_cells)
    }
    typed$columns
  }
  list(head = lapply(head$columns, plain_cells), first_row = from, body = body,
       marked = function(columns, row) marked_currencies(inside, sheet, columns, row, range),
       says = says_of_formulas(inside, sheet, held))
}

# Whether cells that were read as text may have been numbers, days or flags.
may_be_mixed <- function(values) {
  if (!is.character(values)) return(FALSE)
  members <- unique(values)
  core_survey_numbers(members, FALSE)$numbers > 0 || any(c("TRUE", "FALSE") %in% members)
}

# A cell without anything is NA.
plain_cells <- function(cells) {
  empty <- lengths(cells) == 0
  cells[empty] <- list(NA)
  cells
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
  columns <- lapply(unname(as.list(table)), as.character)
  first <- (range$from_row %||% 1) + ask$skip
  columns <- lapply(columns, utils::tail, n = if (ask$skip > 0) -ask$skip else 1e7)
  list(head = lapply(columns, function(column) as.list(utils::head(column, records_looked_at))),
       first_row = first, body = function(row) lapply(columns, function(column) {
         utils::tail(column, length(column) - (row - first))
       }))
}

# "B3:F200" as rows and columns; "B3" begins there.
cells_meant <- function(cells, call) {
  if (is.null(cells)) return(NULL)
  parts <- regmatches(cells, regexec("^([A-Za-z]{1,3})([0-9]{1,7})(:([A-Za-z]{1,3})([0-9]{1,7}))?$",
                                     cells))[[1]]
  if (length(parts) == 0) {
    refuse("choice", sprintf("{cells} must be a range such as \"B3:F200\", not \"%s\".", cells),
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
  n <- if (length(cells$head) > 0) length(cells$head[[1]]) else 0
  text <- lapply(cells$head, cell_texts)
  if (n == 0 || all(vapply(text, function(column) all(column == ""), TRUE)))
    refuse("source", sprintf("There is nothing in %s.", label), call = call)
  records <- which(Reduce(`|`, lapply(text, function(column) column != "")))
  first <- list(line = records + cells$first_row - 1,
                fields = rep(length(text), length(records)),
                text = lapply(records, function(i) vapply(text, function(column) column[i], "")))
  stated <- !is.null(ask$named)
  at <- if (stated) 1L else header_place(first, label, ",", call)
  begins <- if (stated) cells$first_row else first$line[at] + 1
  body <- cells$body(begins)
  named <- if (stated) ask$named else trimws(first$text[[at]])
  named <- c(named, rep("", max(0, length(body) - length(named))))[seq_len(
    max(length(body), max(which(nzchar(named)))))]
  names <- names_by_place(named)
  there <- lapply(body, cells_there)
  rows <- which(Reduce(`|`, there) %||% logical())
  if (length(rows) == 0) refuse_no_rows(label, call)
  # A column that is narrower than the header has no cell at all.
  body <- c(body, rep(list(rep(NA, length(there[[1]]))), length(names) - length(body)))
  used <- nzchar(named) | vapply(seq_along(names), function(k) {
    k <= length(there) && any(there[[k]])
  }, TRUE)
  names(body) <- names
  body <- body[used]
  currencies <- if (!is.null(cells$marked)) cells$marked(which(used), begins)
  columns <- Map(function(column, name) {
    values <- values_of_cells(column[rows], name, ask)
    apart <- currencies[[match(name, names[used])]]
    if (is.null(apart) || !is.numeric(values)) values
    else ifelse(is.na(values), NA, trimws(paste(digits_text(values), apart[rows])))
  }, body, names(body))
  list(table = as.data.frame(columns, optional = TRUE, stringsAsFactors = FALSE),
       apart = lines_apart(first, seq_len(at - 1), "title line"),
       numbering = list(word = "row", at = as.integer(rows + begins - 1)),
       says = c(cells$says, says_of_names(named[used], names[used])), as_text = function(name) {
         out <- cell_texts(as.list(body[[name]][rows]))
         out[out == ""] <- NA
         out
       })
}

cells_there <- function(column) {
  if (is.character(column)) !is.na(column) & nzchar(column)
  else if (is.list(column)) cell_texts(column) != ""
  else !is.na(column)
}

cell_texts <- function(cells) {
  absent <- is.na(cells)
  out <- character(length(cells))
  is_text <- vapply(cells, is.character, TRUE)
  out[is_text] <- unlist(cells[is_text])
  out[absent] <- ""
  others <- which(!is_text & !absent)
  times <- vapply(cells[others], is.object, TRUE)
  out[others[!times]] <- vapply(cells[others[!times]], plain_text, "")
  out[others[times]] <- time_texts(do.call(c, cells[others[times]]))
  out
}

# A moment at midnight is a day.
time_texts <- function(times) {
  if (length(times) == 0) return(character())
  whole <- format(times, "%Y-%m-%d %H:%M:%S", tz = "UTC")
  sub(" 00:00:00$", "", whole)
}

# Cells of one kind as values of that kind; of several as text.
values_of_cells <- function(cells, name, ask) {
  if (inherits(cells, "POSIXct")) {
    words <- time_texts(cells)
    days <- all(nchar(words[!is.na(cells)]) == 10)
    return(if (days) as.Date(words) else ifelse(is.na(cells), NA, words))
  }
  if (!is.list(cells)) {
    if (is.character(cells)) cells[!nzchar(cells)] <- NA
    return(cells)
  }
  words <- cell_texts(cells)
  there <- words != ""
  words[!there] <- NA
  kinds <- vapply(cells[there], function(cell) class(cell)[1], "")
  whole <- function(missing, cast) {
    out <- rep(missing, length(cells))
    out[there] <- cast(cells[there])
    out
  }
  kind <- unique(kinds)
  if (identical(kind, "numeric")) return(whole(NA_real_, function(some) as.double(unlist(some))))
  if (identical(kind, "logical")) return(whole(NA, function(some) as.logical(unlist(some))))
  if (identical(kind, "POSIXct") && all(nchar(words[there]) == 10)) return(as.Date(words))
  if (setequal(kind, c("numeric", "character")))
    return(numbers_among_text(words, which(there)[kinds == "numeric"], name, ask))
  words
}

# Number cells are what they are, and prove nothing of how the text beside them is written: its
# numbers are decided by the text cells alone.
numbers_among_text <- function(words, typed, name, ask) {
  text <- words
  text[typed] <- NA
  text[is_missing_mark(text, ask$missing)] <- NA
  known <- core_survey_numbers(text, FALSE)
  if (known$numbers == 0 || known$others > 0 || known$zero_first || name %in% ask$as_text)
    return(words)
  writing <- writing_of(known, stated_writing(ask, name))
  if (is.null(writing)) {
    # Written so that no reading of the others follows from them.
    words[typed] <- in_powers(words[typed])
    return(words)
  }
  if (known$percent || nzchar(known$unit) ||
      bitwAnd(known$allowed, bitwShiftL(1L, writing)) == 0) return(words)
  numbers <- core_numbers_by(text, writing)
  numbers[typed] <- as.double(words[typed])
  numbers
}

# 1500.5 as 15005e-1, which no mark of decimals or thousands is in.
in_powers <- function(digits) {
  plain <- !grepl("e", digits, ignore.case = TRUE)
  after <- ifelse(grepl(".", digits, fixed = TRUE), nchar(sub("^[^.]*[.]", "", digits)), 0L)
  power <- sprintf("e%s%d", ifelse(after > 0, "-", "+"), after)
  ifelse(plain, paste0(sub(".", "", digits, fixed = TRUE), power), digits)
}
