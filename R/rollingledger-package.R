#' rollingledger: statements from dated transactions
#'
#' Build a [ledger()] from a table of dated entries, ask it for a [statement()] by day, week, month,
#' quarter or fiscal year, add running totals with [add_running()], draw it with [figure_trend()]
#' and its kin, and hand it over as a page ([write_report()]), a workbook ([write_workbook()]) or a
#' file to load elsewhere ([write_statement()]).
#'
#' Two objects carry everything: a `ledger` (entries, their date bases, a calendar and an as-of day)
#' and a `statement` (a data frame that knows how it was made).
#'
#' @section Options:
#' * `rollingledger.threads`: threads used for large ledgers; the environment variable
#'   `ROLLINGLEDGER_THREADS` and then the number of cores stand in for it.
#' * `rollingledger.zero_rows`: how many rows a statement may have before groups without entries in
#'   a period are left out of it (1,000,000).
#' * `rollingledger.rows`: how many rows of a statement, or entries, are printed; without it as many
#'   as the window has lines for, 20 or 10.
#' * `rollingledger.cache_bytes`: how many bytes of what was worked out for older statements a
#'   ledger keeps, so that a question asked again is free (2^28, that is 256 MB; 0 keeps nothing
#'   but what the newest statement and its verbs use).
#' * `rollingledger.canvas`: width and height in pixels of the picture that figures are fitted to
#'   (1280 and 800); what is written with a size of its own goes by that.
#' * `rollingledger.explore_apart`: from how many entries on the page of [explore()] works its
#'   answers out in a process of its own, so that they can be stopped (4,000,000).
#' * `rollingledger.duckdb_library`: the library of DuckDB, where the package duckdb is not there;
#'   the environment variable `ROLLINGLEDGER_DUCKDB` stands in for it.
#' * `rollingledger.engine_memory`, `rollingledger.engine_disk`: how much memory DuckDB may use
#'   ("400MB"), and how much disk.
#'
#' Further options of that beginning are the package's own.
#'
#' @useDynLib rollingledger, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom rlang abort inform caller_env `%||%` .data
#' @keywords internal
"_PACKAGE"
