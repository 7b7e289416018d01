# Tables of days: rows that stand for several entries each, summed up by day and attributes, by the
# engine that keeps the entries or by whoever fills it. As a source they are cells, asked as entries
# are; what needs single entries is refused.

#' A ledger of sums by day
#'
#' Where entries are too many to be asked each time, the engine that has them can keep a table of
#' their sums: a row for each day and combination of attributes, with how many entries it stands
#' for. Such a table is a ledger like any other: periods, windows, comparisons, ranks, shares and
#' conditions on attributes give what the entries themselves would give, to the cent. What a sum
#' does not hold is refused: distinct members of columns that are not attributes of the table,
#' smallest, largest and middle amounts, balances, lists of entries, conditions on amounts, columns
#' worked out of amounts.
#'
#' @param source A database, as for [ledger()]: a connection, a function that makes one, or an
#'   address; or files of Parquet or text, which stay where they are.
#' @param on The column of the day, or several named ones, where the table has sums by each of them
#'   together.
#' @param ... Further arguments of [ledger()], such as `table`, `calendar`, `as_of`, `units`.
#' @param entries The column that says how many entries a row stands for, a whole number.
#' @param counts How many of these have an amount, where some have none: named text, the amount
#'   first, `c(fare = "fares")`. An average needs it.
#'
#' @return A `ledger`. Its entries are those that its rows stand for; printing it says so.
#' @section Errors:
#' `rollingledger_error_cells` for what needs single entries, with what would serve instead; else as
#' of [ledger()].
#' @export
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' fares <- transform(demo_fares, sailed_on = as.character(sailed_on))
#' DBI::dbWriteTable(con, "fares", as.data.frame(fares))
#' invisible(DBI::dbExecute(con, "CREATE TABLE fares_by_day AS
#'   SELECT sailed_on, route, SUM(fare) AS fare, COUNT(*) AS tickets
#'   FROM fares GROUP BY sailed_on, route"))
#' x <- ledger_cells(con, table = "fares_by_day", on = "sailed_on", entries = "tickets")
#' statement(x, per = "month", by = "route", span = "last 2 months", income = total(fare),
#'           trips = entries())
#' DBI::dbDisconnect(con)
ledger_cells <- function(source, on, ..., entries = "entries", counts = NULL) {
  for (given in list(entries, counts)) {
    if (is.character(given) && !anyNA(given) || is.null(given)) next
    refuse("choice", "{entries} and {counts} must be names of columns, as text.", arg = "counts")
  }
  if (!rlang::is_string(entries))
    refuse("choice", "{entries} must be the name of one column.", arg = "entries")
  counts <- c(entries = entries, counts)
  more <- list(...)
  if (is.character(source) && !is_address(source)) more$hold <- FALSE
  call <- rlang::current_env()
  rlang::try_fetch(rlang::exec(ledger, source, on = on, counts = counts, !!!more),
                   rollingledger_error = function(e) {
                     e$call <- call
                     stop(e)
                   })
}

# The columns that count, by what they count: "entries", and amounts.
check_counts <- function(counts, described, call) {
  if (is.null(counts)) return(NULL)
  if (!is.character(counts) || is.null(names(counts)) || anyDuplicated(names(counts)) ||
      !"entries" %in% names(counts)) {
    refuse("choice", c("{counts} must say by which column entries are counted.",
                       i = "Such as {counts = c(entries = \"tickets\")}."), arg = "counts",
           call = call)
  }
  for (i in seq_along(counts)) {
    name <- counts[[i]]
    if (!name %in% described$name)
      refuse_column(name, described$name, where = "the source", call = call)
    if (!described$type[match(name, described$name)] %in% c("whole", "decimal")) {
      refuse("choice", sprintf("{counts} needs whole-number columns; `%s` is not one.", name),
             arg = "counts", call = call)
    }
    of <- names(counts)[i]
    if (of != "entries" && !of %in% described$name)
      refuse_column(of, described$name, where = "the source", call = call)
  }
  counts
}

is_of_cells <- function(x) !is.null(x$counts)

# How many entries a row stands for, as it is selected beside what is asked; and added up.
entries_counted <- function(x) {
  if (is_of_cells(x)) list(entries_counted = x$columns[[x$counts[["entries"]]]]$value)
}

count_out <- function(x) {
  counted <- if (is_of_cells(x)) "SUM(entries_counted)" else "COUNT(*)"
  as_double(x$engine$dialect, counted)$text
}

refuse_of_cells <- function(x, what, call = NULL) {
  refuse("cells", c(
    sprintf("%s needs single entries, and %s holds sums of days.", what, x$label),
    i = "Ask the ledger of the entries themselves."), call = call)
}

# Members can be told apart where they are attributes of the table; amounts not at all.
check_list_of_cells <- function(x, slot) {
  if (!is_of_cells(x)) return(invisible())
  type <- x$columns[[slot$column]]$type
  if (slot$what == "distinct" && !type %in% amount_types) return(invisible())
  refuse_of_cells(x, sprintf("%s(%s)", switch(slot$what, latest = "balance", slot$what),
                             slot$column))
}

check_column_of_cells <- function(x, name, what) {
  if (!is_of_cells(x) || !x$columns[[name]]$type %in% amount_types) return(invisible())
  refuse_of_cells(x, sprintf("%s `%s`", what, name))
}

# The column that counts the entries with an amount.
present_of_cells <- function(x, name) {
  if (name %in% names(x$counts)) return(x$columns[[x$counts[[name]]]])
  refuse("cells", c(
    sprintf("An average of `%s` needs to know how many entries have one, and %s does not say.",
            name, x$label),
    i = sprintf("Name the column that counts them: {counts = c(%s = \"...\")}.", name)),
    call = NULL)
}
