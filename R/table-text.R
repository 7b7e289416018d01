# Tables as the terminal shows them; core-lines.R makes lines of columns of text.

# The lines of a table: what its rows are, the rows that fit, and what a reader must know.
shown_lines <- function(table, rows = NULL, width = NULL) {
  width <- width %||% getOption("width")
  c(folded_text(table$title, width), unlist(lapply(table$says, folded_text, width = width)),
    row_lines(table, rows, width), folded_text(table$notes, width))
}

row_lines <- function(table, rows, width) {
  shown <- shown_rows(length(table$seen), rows, table$periods)
  cells <- cells_at(table, table$seen[c(shown$head, shown$tail)])
  table_lines(cells, vapply(seen_columns(table), function(column) column$is_figure, TRUE), shown,
              width)
}

# Columns as text: list(heading, text, right, group) each.
cells_at <- function(table, at) {
  lapply(seen_columns(table), function(column) {
    list(heading = column$heading, text = column$text(at), right = column$right,
         group = column$group, whole = column$whole)
  })
}

#' @export
format.statement <- function(x, ..., rows = NULL, width = NULL) {
  if (is.null(statement_info(x)) || !all(row_columns %in% names(x)))
    return(format(tibble::as_tibble(strip_statement(x))))
  foreign <- foreign_rows(x)
  if (!is.null(foreign))
    return(c(paste("Not one statement any more.", foreign),
             format(tibble::as_tibble(strip_statement(x)))))
  shown_lines(as_shown_table(x), rows, width)
}

#' @export
format.cross_table <- function(x, ..., rows = NULL, width = NULL) {
  if (is.null(statement_info(x))) return(format(tibble::as_tibble(strip_statement(x))))
  shown_lines(as_shown_table(x), rows, width)
}

#' @export
format.entries_behind <- function(x, ..., rows = NULL, width = NULL) {
  if (is.null(attr(x, "says"))) return(format(tibble::as_tibble(x), ...))
  shown_lines(as_shown_table(x), rows %||% rows_of_entries(), width)
}

rows_of_entries <- function() getOption("rollingledger.rows") %||% 10

#' @export
format.known_comparison <- function(x, ..., rows = NULL, width = NULL) {
  says <- attr(x, "says")
  if (is.null(says)) return(format(tibble::as_tibble(x)))
  width <- width %||% getOption("width")
  if (nrow(x) == 0) return(folded_text(says, width))
  late <- attr(x, "entries")
  own <- structure(late, class = c("entries_behind", class(late)), decimals = attr(x, "decimals"))
  c(shown_lines(as_shown_table(x), rows, width), "",
    sprintf("%s came late:", count_text(nrow(late), "entry", "entries")),
    row_lines(as_shown_table(own), rows %||% rows_of_entries(), width))
}

#' @export
format.reconciliation <- function(x, ..., rows = NULL, width = NULL) {
  if (is.null(attr(x, "facts")) || !all(c("here", "there", "difference", "result") %in% names(x)))
    return(format(tibble::as_tibble(x)))
  table <- as_shown_table(x)
  width <- width %||% getOption("width")
  sums <- reconciled_sums(x)
  decimals <- c(cells = 0L, here = 1L, there = 1L, difference = 1L) * reconciled_decimals(x)
  summary <- lapply(stats::setNames(nm = names(sums)), function(name) {
    list(heading = name, right = name != "result",
         text = if (name == "result") sums$result else number_text(sums[[name]], decimals[[name]]))
  })
  c(folded_text(table$title, width), aligned_lines(summary), "",
    if (length(table$seen) == 0) "Every cell matches." else row_lines(table, rows, width),
    folded_text(table$notes, width))
}

#' Print a statement
#'
#' One header line (grain, attributes, date basis, days, as-of day, partial periods), then the rows
#' that fit: the first and the last ones where there are many. A `*` marks a partial period. Columns
#' that do not fit the width go on below; one span, the same in all rows, stands in the header
#' alone.
#'
#' @param x A [statement()].
#' @param rows Whole number or Inf: the most rows to print. By default what fits the terminal (its
#'   height where known, 20 otherwise; `options(rollingledger.rows=)`).
#' @param width Whole number or Inf: columns of text to fit; the console's by default.
#' @param ... Not used.
#' @return `x`, invisibly.
#' @section Errors:
#' `rollingledger_error_choice` where `rows` is not a count.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' print(statement(fares, per = "month", income = total(fare)), rows = 6)
print.statement <- function(x, ..., rows = NULL, width = NULL) {
  show_lines(format(x, rows = rows, width = width))
  invisible(x)
}

#' @rdname print.statement
#' @export
print.cross_table <- print.statement

#' @rdname print.statement
#' @export
print.known_comparison <- print.statement

#' @rdname print.statement
#' @export
print.reconciliation <- print.statement

#' @rdname print.statement
#' @export
print.entries_behind <- print.statement
