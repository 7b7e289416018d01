describe_verb("ledger", asked_of = "source",
  on = field("pairs", "date columns, or NAME=COLUMN: the date bases; the first is the default",
             value = "COLUMN", many = TRUE, needed = TRUE, more = paste(
    "The names are what the bases are called in statements (`c(sailed = \"sailed_on\")`); without",
    "names the column names serve. The first decides which entries are used at all. Columns may",
    "hold dates, date-times, or text in any writing that is not ambiguous; see What columns",
    "hold.")),
  until = field("text", "column that says when entries end, for active()", value = "COLUMN",
                more = paste(
    "Entries that last: a pass, an enrolment, a contract. Dates, or text as for {on}; a missing",
    "value stands for an entry that has not ended. An entry that ends before it begins is never",
    "active.")),
  calendar = field("other", "a [ledger_calendar()]", default = quote(ledger_calendar()),
                   option = FALSE),
  as_of = field("day", "the day up to which entries count, such as 2026-08-31", value = "DAY",
                more = paste(
    "A Date or text. By default the newest entry's day, never later than today. Entries dated",
    "later are set aside.")),
  where = field("condition", "condition on single entries: others are not in the ledger at all",
                option = FALSE, more = paste(
    "As in [statement()], as bare code or text. Printing the ledger says how many pass.")),
  columns = field("named_code", "columns worked out of others, such as 'sales=quantity * price'",
                  option = "column", value = "COLUMN", many = TRUE, more = paste(
    "Named expressions, `c(sales = quantity * price)`, as bare code or as text; see",
    "[work_out()] for what is understood.")),
  units = field("pairs", "what columns are counted in, such as fare=EUR", option = "unit",
                value = "UNIT", many = TRUE,
                more = "Named text, `c(fare = \"EUR\")`; shown in headings and on axes."),
  amounts = field("texts", "columns that must be numbers; other rows are set aside",
                  option = "amount", value = "COLUMN", many = TRUE,
                  more = "Text columns are read as numbers. Missing values are left missing."),
  codes = field("texts",
                "columns of a file to keep as text, though they look like numbers or dates",
                option = "code", value = "COLUMN", many = TRUE),
  date_format = field("pairs", "how dates are written, such as %d/%m/%Y", value = "FORMAT",
                      more = paste(
    "One text for all date bases, or named by basis or column, in the notation of POSIX",
    "`strptime`. Needed where the day and the month could be mistaken for each other in all",
    "rows.")),
  time_zone = field("text", "time zone in whose days date-times count, such as UTC", value = "ZONE",
                    more = paste(
    "Moves date-times that state an offset, or carry a zone, to their day in this one. Without it",
    "all count on the day as written.")),
  missing = field("texts", "what stands for a missing value, otherwise '', NA, N/A, null and -",
                  value = "TEXT", many = TRUE, more = paste(
    "In text, numbers and dates alike, in quotes or not, whatever the case of letters; by default",
    "an empty field, NA, N/A, null and -. In a data frame it is asked of text that is read as",
    "dates or amounts; other text stays as it is.")),
  number_format = field("pairs", "how numbers are written, such as 1.234,56", value = "EXAMPLE",
                        more = paste(
    "One of 1234.56, 1,234.56, 1 234.56, 1'234.56, 1234,56, 1.234,56, 1 234,56 and 1'234,56, for",
    "all columns or named by column. Needed where 1.234 could be more than a thousand.")),
  format = field("choice", "kind of file, where its name does not tell", option = "file-format",
                 value = "KIND", choices = c("text", "workbook", "parquet", "json lines")),
  separator = field("text", "what separates fields: comma, semicolon, tab, pipe or tilde",
                    value = "WORD",
                    more = "Found by the reader otherwise; the sign itself will do as well."),
  encoding = field("text", "encoding of text, such as windows-1252", value = "NAME",
                   more = paste("Otherwise UTF-8, or UTF-16 by its marks; what is neither is read",
                                "as Windows-1252, and a message says so.")),
  skip = field("number", "how many lines, or rows of a sheet, stand above the table",
               value = "NUMBER",
               more = "They are told and set aside. Titles above a header are found without it."),
  column_names = field("texts", "names of the columns, in order, of a table without a header",
                       option = "column-name", value = "NAME", many = TRUE),
  sheet = field("other", "sheet of a workbook, by name or number, otherwise the first",
                value = "SHEET"),
  cells = field("text", "cells of a sheet, such as B3:F200", value = "CELLS",
                more = "Or where they begin, such as B3."),
  hold = field("flag", "whether entries are read into memory", default = TRUE, option = "in-place",
               off = "leave the files where they are, and read what each question needs",
               more = paste(
    "FALSE leaves files of separated text or Parquet where they are: each question reads the",
    "columns that it needs, by DuckDB. For files larger than memory.")),
  table = field("other", "table of a database, such as fares or sales.fares", value = "TABLE",
                more = paste(
    "`\"schema.name\"`, or c(\"schema\", \"name\") where a name holds a point; a view will do.")),
  query = field("text", "a SELECT whose rows are the entries", value = "SELECT"),
  order = field("text", "column of whole numbers by which entries of a day follow each other",
                value = "COLUMN", more = paste(
    "In a database, where rows have no order of their own: for balance() and for lists of entries.",
    "Tables have one, by the number of the row; views and queries do not.")),
  counts = field("pairs", "in a table of sums by day, what counts entries, such as entries=tickets",
                 option = "count", value = "COLUMN", many = TRUE, more = paste(
    "Named text: `entries` is the column that says how many entries a row stands for, other names",
    "are amounts and how many entries have one. See [ledger_cells()].")),
  looks = field("choice", "how often entries in a database are looked at for changes: each, once",
                default = "each", choices = c("each", "once"), value = "HOW", more = paste(
    "By default each question first makes sure that the entries are those it knows. Where nothing",
    "tells of changes, that is a look at all of them. \"once\" is for those who know that a table,",
    "or files left in place, stand still while they work; printing the ledger says when it looked,",
    "and [look_again()] looks anew."))
)

#' Build a ledger: dated entries, ready to be asked
#'
#' Reads a table of entries once: dates become whole days, attributes become member numbers, amounts
#' become exact whole numbers of their smallest decimal, and everything is put in order of day. Rows
#' that cannot be used are kept apart with the reason ([set_aside()]); entries read = used + kept
#' out by a condition + set aside, checked on every build, and a message says how many. Statements
#' afterwards never touch text.
#'
#' @param source A data frame (tibble, data.table), or the path of a file; see Files below. Several
#'   paths, a folder or a pattern (`"exports/*.csv"`) are one ledger of several files of one layout;
#'   a column `file` tells which. "-" is standard input. Or a database: a connection (DBI, ADBC), a
#'   function that makes one, or an address such as "postgres://user@host/database?table=fares",
#'   "clickhouse://user@host/database?table=fares", "sqlite:///path?table=fares" or
#'   "duckdb:///path?table=fares"; see `vignette("from-a-file-to-a-database")` and
#'   `vignette("from-a-file-to-a-cluster")`.
#' @eval field_params("ledger")
#' @param ... Must be empty; keeps the arguments below apart by name.
#'
#' @return An object of class `ledger`. Printing it shows entries read, used and set aside, the
#'   first and last day of each date basis, the attributes with their number of members, the
#'   amounts, and the calendar.
#'
#' @section Files:
#' Text with fields separated by commas, semicolons, tabs, pipes or tildes (`.csv`, `.tsv`, `.txt`
#' and the like), workbooks (`.xlsx`, `.xls`, `.ods`), pages (`.html`), Parquet and JSON lines (or
#' one object that holds the table), each also as `.gz`, `.bz2` or `.xz`, or as the one table of a
#' `.zip`. Separator and encoding are found. Titles above the header, footers and marks of pages,
#' totals, and a header that is repeated are told and set aside with their line; a line with too
#' many or too few fields is refused, separators at its end aside. A line is a total by its words
#' and by its amount, which is the sum of rows above it. Quotes within quotes are written twice;
#' spaces around a field without quotes do not count. Column names that stand twice get a number.
#' The sheets of a workbook that have one layout are one table with a column `sheet`; of others the
#' first that is not hidden is read.
#'
#' @section Worked-out columns:
#' `columns = c(sales = quantity * price, size = band(passengers, 2, 5))` adds columns that are
#' worked out entry by entry, in order, as [work_out()] does; the functions are described there.
#' Nothing but these calls is ever evaluated.
#'
#' @section What columns hold:
#' Types follow use. A text column is numbers where every value that is there reads as a number:
#' with a decimal point or comma, thousands apart by a comma, point, space or apostrophe, a currency
#' before or after (which becomes the unit), a minus before or after or brackets around it, or a per
#' cent sign (12% is 0.12). Which mark is which is decided by the text over the whole column of each
#' file, and printed with the ledger: 1.500 and 12.300 alone could be either, and `number_format` is
#' asked for. Number cells of a workbook prove nothing of text beside them. A column that is mostly
#' numbers stays text, and no row is set aside for it, unless `amounts` names it. Zeros in front,
#' more than 15 digits, or several currencies make it text. Amounts beside a column that tells
#' several currencies are not added up, unless `units` says that all are in one.
#'
#' Dates are read in any writing that is not ambiguous over the whole column: 2026-01-31,
#' 31.01.2026, 31/1/26, 3 Jan 2026, January 3, 2026, 20260131, 2026-01 (a month, which counts on its
#' first day), months by their names in English, German, French, Spanish, Italian, Dutch and
#' Portuguese, with or without a time. Which of day, month and (of two digits) year comes first is
#' told where all dates of a file fit one order alone, and asked otherwise. Numbers that count from
#' a day on are read where `date_format` says so, such as "days since 1899-12-30", "days since
#' 1904-01-01" or "seconds since 1970-01-01". Two-digit years from 69 on are of the 1900s.
#' Date-times without a zone count on the day as written, and those of R without one on the day that
#' R prints; the ledger's print says so.
#'
#' @section Errors:
#' `rollingledger_error_column` for a column that does not exist (the nearest name is suggested);
#' `rollingledger_error_date` for a date basis that is missing (columns that could be it are
#' named), is not a date or is ambiguous; `rollingledger_error_source` for a file that does not
#' exist, has no header, cannot be read whole, or a table without a usable row;
#' `rollingledger_error_connection` where a database, or a part of a cluster, does not answer;
#' `rollingledger_error_moved` where entries of a cluster came or went all the while a question was
#' asked; `rollingledger_error_choice` for any other argument.
#'
#' @source ISO 8601 for dates; POSIX.1 `strptime` for two-digit years; ISO 4217 for codes of
#'   currencies; RFC 4180 for separated fields; day arithmetic in the proleptic Gregorian calendar,
#' years 1 to 9999.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
#'                 calendar = ledger_calendar(fiscal_start = "April"), units = c(fare = "EUR"))
#' fares
#'
#' # The same entries from a file, with its bad rows set aside
#' file <- system.file("extdata", "fares.csv.gz", package = "rollingledger")
#' set_aside(ledger(file, on = c(sailed = "sailed_on"), amounts = "fare"))
#' @include question-fields.R
ledger <- function(source, on, ...) {
  UseMethod("ledger")
}

# What is asked of files alone.
file_fields <- c("codes", "format", "separator", "encoding", "skip", "column_names", "sheet",
                 "cells", "hold")

# What is asked of databases alone.
engine_fields <- c("table", "query", "order")

#' @export
ledger.default <- function(source, on, ...) {
  refuse("source", c(
    sprintf("A ledger cannot be built from %s.", kind_text(source)),
    i = "{source} must be a data frame or the path of a file."
  ))
}

# The one way to a ledger, whatever the source: `table` is a data frame; `given` holds the arguments
# of ledger(), `reading` what is known of the files that it comes from (read_table_files()).
build_ledger <- function(table, label, given, reading = NULL, call = caller_env()) {
  check_calendar(given$calendar, call)
  check_table(table, label, call)
  # A plain frame over the same columns: what follows works the same for every kind of table.
  table <- structure(as.list(table), row.names = .set_row_names(nrow(table)), class = "data.frame")
  on <- check_bases(given$on, table, call)
  check_units(given$units, c(names(table), names(given$columns)), call)
  given$missing <- given$missing %||% missing_marks
  given$of_file <- files_of_rows(reading$numbering)
  bases <- read_bases(table, on, given, call)
  said <- if (!is.null(reading)) decided_over_used(table, bases[[1]]$days, on, given)
  table <- said$table %||% table
  ends <- read_until(table, on, given, call)
  ask <- list(number_format = stated_writings(given$number_format, call), missing = given$missing,
              of_file = given$of_file)
  converted <- read_amounts(ends$table, setdiff(given$amounts, c(on, given$until)), ask, call)
  table <- converted$table
  unreadable <- rbind(ends$unreadable, converted$unreadable)
  days <- bases[[1]]$days
  if (nrow(unreadable) > 0) days[unreadable$row] <- NA_integer_
  as_of <- read_as_of(given$as_of, days, bases[[1]], given$calendar, call)
  aside <- rows_set_aside(table, on, bases, unreadable, as_of)
  every <- aside$row[aside$kept_out_of == "every figure"]
  if (length(every) > 0) days[every] <- NA_integer_
  order <- core_sort_by_day(days, core_threads())
  aside <- with_lines_apart(aside, reading)
  if (order$used == 0) {
    reasons <- table(aside$reason[aside$kept_out_of == "every figure"])
    refuse_no_entries(nrow(table), label, c(reasons), call, aside)
  }
  units <- c(given$units, converted$units, reading$units, said$units)
  x <- new_ledger(table, on, label, given$calendar, as_of, units[!duplicated(names(units))], bases,
                  aside, order, reading)
  x["until"] <- list(given$until)
  x$given <- list(on = on)
  x$asked <- c(list(columns = names(table)),
               given[c("as_of", "amounts", "date_format", "time_zone", "missing",
                       "number_format")])
  x$says <- c(reading$says, said$says, converted$says, says_of_dates(on, bases))
  x$later_rows <- rows_later(aside)
  if (length(x$later_rows) > 0) x$later <- table[x$later_rows, , drop = FALSE]
  if (anyNA(days) || is.unsorted(days)) x$source_days <- days
  say_set_aside(x)
  x
}

# "sailed_on: the day first"
says_of_dates <- function(on, bases) {
  unlist(Map(function(column, basis) {
    if (length(basis$says) > 0) sprintf("%s: %s", column, paste(basis$says, collapse = "; "))
  }, on, bases), use.names = FALSE)
}

new_ledger <- function(table, on, label, calendar, as_of, units, bases, aside, order, reading) {
  plain <- setdiff(names(table), on)
  progress <- progress_steps(if (nrow(table) < 1e6) 0 else length(plain), "Taking in columns")
  on.exit(progress$done())
  columns <- lapply(stats::setNames(plain, plain), function(name) {
    progress$step()
    encode_column(table[[name]], order)
  })
  left_out <- plain[vapply(columns, is.null, TRUE)]
  last <- order$first + length(order$offsets) - 2L
  first_basis <- list(column = on[[1]], first = order$first, last = last, offsets = order$offsets)
  other <- lapply(names(on)[-1], function(name) {
    basis_within(list(column = on[[name]], first = Inf, last = -Inf,
                      data = day_column(bases[[name]]$days, order)), as_of)
  })
  hidden <- character()
  all_bases <- stats::setNames(c(list(first_basis), other), names(on))
  for (name in names(on)) {
    all_bases[[name]]$months <- isTRUE(bases[[name]]$months)
    times <- times_of_basis(bases[[name]]$seconds, order)
    if (is.null(times)) next
    hidden <- c(hidden, hidden_times(name))
    columns[[hidden_times(name)]] <- times
  }
  x <- structure(list(
    source = label, calendar = calendar, as_of = as_of, units = if (length(units) > 0) units,
    read = nrow(table) + sum(is.na(aside$row)), used = as.integer(order$used), aside = aside,
    left_out = left_out, numbering = reading$numbering, table_rows = nrow(table),
    bases = all_bases, columns = columns[setdiff(names(columns), left_out)], hidden = hidden,
    handle = new_handle()
  ), class = c("memory_ledger", "ledger"))
  check_entry_counts(x)
}

check_table <- function(table, label, call) {
  check_entry_limit(if (length(table) > 0) length(table[[1]]) else 0, call)
  check_names_once(names(table), label, call)
  if (nrow(table) == 0) refuse("source", sprintf("There are no rows in %s.", label), call = call)
}

# `table` is looked at for what else could be meant.
check_bases <- function(on, table, call, known = names(table)) {
  if (is.null(on)) {
    refuse("date", c("{on} is missing: which column holds the date that counts?",
                     i = could_be_text(table)), call = call)
  }
  if (!is.character(on) || length(on) == 0 || anyNA(on)) {
    refuse("date", c("{on} must name at least one column that holds dates.",
                     i = "For example `on = c(sailed = \"sailed_on\", booked = \"booked_on\")`.",
                     i = could_be_text(table)),
           call = call)
  }
  for (name in on) if (!name %in% known) {
    refuse("column", c(sprintf("There is no column `%s` in the source.", name),
                       i = nearest_hint(name, known),
                       i = sprintf("It has: %s.", listed(known)),
                       i = could_be_text(table)),
           given = name, known = known, call = call)
  }
  called <- names(on) %||% rep("", length(on))
  called[called == ""] <- on[called == ""]
  if (anyDuplicated(called) || anyDuplicated(on)) {
    refuse("date", "Each date basis in {on} needs a column and a name of its own.", call = call)
  }
  if ("every figure" %in% called)
    refuse("date", "A date basis cannot be called \"every figure\".", call = call)
  stats::setNames(as.character(on), called)
}

check_units <- function(units, known, call) {
  if (is.null(units)) return(invisible())
  if (!is.character(units) || is.null(names(units))) {
    refuse("choice", "{units} must be named text, such as c(fare = \"EUR\").", arg = "units",
           call = call)
  }
  for (name in names(units)) if (!name %in% known)
    refuse_column(name, known, where = "the source", call = call)
}

# Of entries by month the newest day is the last one of theirs.
read_as_of <- function(as_of, days, basis, calendar, call) {
  if (!is.null(as_of)) return(one_day(as_of, "as_of", call))
  default_as_of(function(today) {
    newest <- core_survey_days(days, today)$newest_by_limit
    if (isTRUE(basis$months) && !is.na(newest))
      newest <- min(today, periods_holding(newest, "month", calendar)$last)
    newest
  })
}

# The newest entry's day, never later than today; `newest` gives it, NA for none.
default_as_of <- function(newest) {
  today <- as.integer(Sys.Date())
  found <- newest(today)
  if (is.na(found)) today else as.integer(found)
}

# The row of the source behind each entry.
source_rows <- function(x) {
  if (!is.null(x$rows)) return(x$rows)
  if (is.null(x$source_days)) return(seq_len(x$used))
  core_source_rows(core_sort_by_day(x$source_days, core_threads())$sorter, core_threads())
}

# A column of the ledger by name; a date basis serves as a column of days too.
ledger_column <- function(x, name, call = caller_env()) {
  column <- x$columns[[name]]
  if (!is.null(column)) return(column)
  for (basis in x$bases) {
    if (basis$column != name) next
    # The days of a ledger that was appended to are in its parts.
    if (is_appended(x))
      return(list(kind = "day", has_missing = is.null(basis$offsets), decimals = 0L, data = NULL))
    if (!is.null(basis$data)) return(basis$data)
    return(list(kind = "day", has_missing = FALSE, decimals = 0L, data = entry_days(basis)))
  }
  if (name %in% x$left_out) {
    refuse("column",
           sprintf("The column `%s` holds neither text, numbers nor dates, so it cannot be used.",
                   name), call = call)
  }
  refuse_column(name, ledger_column_names(x), call = call)
}

# Another date basis than the first with its first and last day up to the as-of day; Inf and -Inf
# where there is none.
basis_within <- function(basis, as_of) {
  shown <- basis$data$data[!is.na(basis$data$data) & basis$data$data <= as_of]
  basis[c("first", "last")] <- if (length(shown) > 0) list(min(shown), max(shown))
                               else list(Inf, -Inf)
  basis
}

# The day of each entry on the first date basis.
entry_days <- function(basis) rep.int(seq.int(basis$first, basis$last), diff(basis$offsets))

ledger_column_names <- function(x) c(setdiff(names(x$columns), x$hidden),
                                     vapply(x$bases, function(b) b$column, "", USE.NAMES = FALSE))

# A column for grouping, numbered at most once per ledger.
ledger_attribute <- function(x, name, call = caller_env()) {
  column <- ledger_column(x, name, call)
  if (is_code_column(column)) return(column)
  if (is_appended(x)) return(ledger_attribute(in_one_piece(x), name, call))
  kept_in(ledger_cache(x), list("numbers of", name), function() grouping_column(column))
}
