# Data frames of any kind as a source.

#' @rdname ledger
#' @export
ledger.data.frame <- function(source, on, ..., until = NULL, calendar = ledger_calendar(), as_of = NULL, where = NULL,
                              units = NULL, amounts = NULL, date_format = NULL, time_zone = NULL) {
  label <- paste(deparse(substitute(source), nlines = 1), collapse = "")
  label <- if (grepl("^[A-Za-z.][A-Za-z0-9._]*$", label)) label else "a data frame"
  rlang::check_dots_empty0(...)
  x <- build_ledger(source, on, label, until, calendar, as_of, units, amounts, date_format, time_zone)
  kept_where(x, rlang::enquo(where))
}

