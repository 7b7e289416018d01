#' The entries kept out of figures
#'
#' Every row of the source that a ledger could not use, with the reason. Entries read = entries used
#' + rows kept out of every figure. A row whose first date basis is good but another is not is kept
#' out of statements on that other basis only.
#'
#' @param x A [ledger()].
#' @return A tibble, one row per reason, in order of the source: `row` (integer: position in the
#'   source, from 1, not counting a header line), `reason` (text: "no date", "unreadable date",
#'   "unreadable amount" or "dated after the as-of day"), `column` (text), `value` (text: what stood
#'   there, NA where nothing did) and `kept_out_of` (text: "every figure", or the name of a date
#'   basis). No rows where nothing was set aside.
#' @section Errors:
#' `rollingledger_error_choice` if `x` is not a ledger.
#' @export
#' @examples
#' file <- system.file("extdata", "fares.csv.gz", package = "rollingledger")
#' fares <- ledger(file, on = c(sailed = "sailed_on"))
#' set_aside(fares)
set_aside <- function(x) {
  check_ledger_object(x)
  source_set_aside(x)
}
