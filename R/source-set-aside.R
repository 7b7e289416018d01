#' The entries kept out of figures
#'
#' Every row of the source that a ledger could not use, with the reason. The entries that were read
#' are those used, those that a condition of the ledger keeps out ([keep_entries()], `where`) and
#' those set aside, and no others: the ledger prints all four numbers. A row whose first date basis
#' is good but another is not is set aside from statements on that other basis only.
#'
#' @param x A [ledger()].
#' @return A tibble, one row per reason, in order of the source: `row` (integer: the line of a text
#'   file, the row of a sheet, or the position in a table, from 1), `reason` (text: "no date",
#'   "unreadable date", "unreadable amount" or "dated after the as-of day"; of lines of files that
#'   are no entries "title line", "total line" or "repeated header"), `column` (text), `value`
#'   (text: what stood there, NA where nothing did), `kept_out_of` (text: "every figure", or the
#'   name of a date basis) and, where there are several files, `file` (text). No rows where nothing
#'   was set aside.
#' @section Errors:
#' `rollingledger_error_choice` if `x` is not a ledger.
#' @export
#' @examples
#' file <- system.file("extdata", "fares.csv.gz", package = "rollingledger")
#' fares <- ledger(file, on = c(sailed = "sailed_on"), amounts = "fare")
#' set_aside(fares)
set_aside <- function(x) {
  check_ledger_object(x)
  source_set_aside(x)
}
