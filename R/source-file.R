# Files as a source; file-.R reads them.

#' @rdname ledger
#' @export
#' @include question-fields.R
ledger.character <- with_fields("ledger", function(source, on, ..., until, calendar, as_of, where,
                                                   columns, units, amounts, codes, date_format,
                                                   time_zone, missing, number_format, format,
                                                   separator, encoding, skip, column_names, sheet,
                                                   cells, hold, table, query, order, counts,
                                                   looks) {
  rlang::check_dots_empty0(...)
  asked <- asked_fields("ledger")
  x <- ledger_of_place(source, given_to_ledger(rlang::current_env()), asked)
  keep_entries_where(x, rlang::enquo(where))
})

# Files, or the address of a database.
ledger_of_place <- function(source, given, asked, measured = NULL, spoken = NULL,
                            call = caller_env()) {
  if (is_address(source)) return(ledger_of_address(source, given, asked, call))
  for (name in c("table", "query")) if (!is.null(given[[name]])) {
    refuse("choice", sprintf("{%s} is for databases, and %s is a file.", name, source[1]),
           arg = name, call = call)
  }
  if (!is.null(given$order) && !isFALSE(given$hold)) {
    refuse("choice", c(sprintf("{order} is for databases, and %s is a file.", source[1]),
                       i = "The entries of a day follow each other as its lines do."),
           arg = "order", call = call)
  }
  if (!is.null(given$counts) && !isFALSE(given$hold)) {
    refuse("choice", c("{counts} is for tables of days, in a database or in files left in place.",
                       i = "Say {hold = FALSE} beside it."), arg = "counts", call = call)
  }
  if (identical(given$looks, "once") && !isFALSE(given$hold)) {
    refuse("choice", c(sprintf(
      "{looks} is for databases and files left in place, and %s is read once.", source[1]),
                       i = "Leave it out, or say {hold = FALSE} beside it."), arg = "looks",
           call = call)
  }
  if (isFALSE(given$hold)) return(ledger_of_files_left(source, given, asked, call))
  ledger_of_files(source, given, asked, measured, spoken, call)
}

# `measured` names columns that measures add up: what is text in them is read as amounts, and rows
# in which it is not one are set aside. `spoken` tells what a question speaks of, list(texts,
# names), where other columns of text files need not be read.
ledger_of_files <- function(source, given, asked, measured = NULL, spoken = NULL,
                            call = caller_env()) {
  ask <- file_ask_of(given, call)
  ask$spoken <- spoken
  reading <- read_table_files(source, ask, call)
  is_text <- function(name) is.character(reading$table[[name]])
  measured <- Filter(is_text, setdiff(intersect(measured, names(reading$table)), given$codes))
  measured <- Filter(function(name) has_numbers(reading$table[[name]]), measured)
  if (length(measured) > 0) asked$amounts <- given$amounts <- union(given$amounts, measured)
  x <- build_ledger(reading$table, label_of_files(source), given, reading, call)
  x$files <- reading$files
  x$given <- c(list(file = source), asked)
  if (is.null(asked$columns)) x else worked_out(x, asked$columns, call)
}

# Arguments of ledger() as they were given; `on` may be missing, which is said once the columns are
# known.
given_to_ledger <- function(frame) {
  names <- setdiff(intersect(names(fields_of("ledger")), ls(frame)), c("where", "on", "columns"))
  given <- mget(names, envir = frame)
  given$columns <- asked_fields("ledger", frame)$columns
  given["on"] <- list(if (!eval(quote(base::missing(on)), frame)) get("on", envir = frame))
  given
}

# Columns that name dates with a format of their own stay text until it is applied.
file_ask_of <- function(given, call) {
  dates <- unname(c(given$on, given$until))
  new_file_ask(given$format, given$separator, given$encoding, given$sheet, given$cells,
               given$number_format, given$missing,
               as_text = unique(c(given$codes, if (!is.null(given$date_format)) dates)),
               skip = given$skip, named = given$column_names, call = call)
}

label_of_files <- function(source) {
  if (length(source) == 1) {
    return(if (source == "-") "standard input" else basename(source))
  }
  sprintf("%s and %s more", basename(source[1]), number_text(length(source) - 1))
}
