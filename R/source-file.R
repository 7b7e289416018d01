# Files as a source; core-files.R reads them.

#' @rdname ledger
#' @export
#' @include question-fields.R
ledger.character <- with_fields("ledger", function(source, on, ..., until, calendar, as_of, where,
                                                   units, amounts, codes, date_format, time_zone) {
  rlang::check_dots_empty0(...)
  if (length(source) != 1 || is.na(source)) refuse("source", "{source} must be one path.")
  asked <- asked_fields("ledger")
  dates <- unname(c(on, until))
  text_columns <- c(codes, if (!is.null(date_format)) dates)
  table <- read_table_file(source, text_columns, unstated_zone = if (is.null(time_zone)) dates)
  amounts <- union(amounts, setdiff(amounts_in_text(table), c(codes, dates)))
  x <- build_ledger(table, on, basename(source), until, calendar, as_of, units, amounts,
                    date_format, time_zone)
  x$files <- normalizePath(source)
  x$given <- c(list(file = source), asked)
  kept_where(x, rlang::enquo(where))
})
