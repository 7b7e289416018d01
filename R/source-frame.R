# Data frames of any kind as a source.

#' @rdname ledger
#' @export
#' @include question-fields.R
ledger.data.frame <- with_fields("ledger", function(source, on, ..., until, calendar, as_of, where,
                                                    columns, units, amounts, date_format, time_zone,
                                                    missing, number_format) {
  label <- paste(deparse(substitute(source), nlines = 1), collapse = "")
  label <- if (grepl("^[A-Za-z.][A-Za-z0-9._]*$", label)) label else "a data frame"
  rlang::check_dots_empty0(...)
  asked <- asked_fields("ledger")
  x <- build_ledger(source, label, given_to_ledger(rlang::current_env()))
  x$given <- c(list(data = label), asked)
  if (!is.null(asked$columns)) x <- worked_out(x, asked$columns)
  keep_entries_where(x, rlang::enquo(where))
})
