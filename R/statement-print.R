# Printing: one header line that says what the rows are and which days they cover, aligned numbers,
# and no more rows or columns than fit.

# What a statement covers, in words; titles of figures and pages use the same.
statement_subject <- function(s) {
  plan <- attr(s, "plan")
  what <- c(plan$per, plan$by)
  if (is.null(plan$per) && length(plan$spans$from) > 1) what <- c("span", what)
  if (length(what) == 0) "Whole span" else paste("By", listed(what))
}

statement_days <- function(s) {
  plan <- attr(s, "plan")
  paste(plan$on, spans_text(plan))
}

partial_words <- function(s) {
  n <- nrow(partial_rows(s))
  if (n == 0) ""
  else sprintf(", %s partial",
               count_text(n, if (is.null(attr(s, "plan")$per)) "span" else "period"))
}

# The periods or spans that are not wholly covered, with their days: a data frame, one row each.
# Totals are none.
partial_rows <- function(s) {
  part <- !s$complete & !is_overall_row(attr(s, "plan"), s$period)
  unique(data.frame(period = s$period, from = day_numbers(s$from), to = day_numbers(s$to))[part, ])
}

#' @export
format.statement <- function(x, ..., rows = NULL, width = NULL) {
  plan <- attr(x, "plan")
  if (is.null(plan) || !all(row_columns %in% names(x)))
    return(format(tibble::as_tibble(strip_statement(x))))
  foreign <- foreign_rows(x)
  if (!is.null(foreign))
    return(c(paste("Not one statement any more.", foreign),
             format(tibble::as_tibble(strip_statement(x)))))
  header <- paste0(statement_subject(x), ", ", statement_days(x), ", ", as_of_text(plan),
                   partial_words(x))
  shown <- shown_rows(nrow(x), rows, periods = !is.null(plan$per))
  cells <- statement_cells(x, c(shown$head, shown$tail))
  width <- width %||% getOption("width")
  c(folded_text(header, width),
    table_lines(cells, names(cells) %in% names(attr(x, "columns")), shown, width),
    folded_text(statement_footer(x), width))
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

#' @export
as.data.frame.statement <- function(x, ...) as.data.frame(strip_statement(x), ...)

#' @exportS3Method tibble::as_tibble
as_tibble.statement <- function(x, ...) strip_statement(x)

# The table alone, without how it was made.
strip_statement <- function(x) {
  attr(x, "plan") <- NULL
  attr(x, "columns") <- NULL
  attr(x, "subject") <- NULL
  attr(x, "notes") <- NULL
  attr(x, "line") <- NULL
  attr(x, "cells") <- NULL
  attr(x, "question") <- NULL
  class(x) <- setdiff(class(x), c("statement", "cross_table"))
  x
}

statement_cells <- function(x, at) {
  columns <- attr(x, "columns")
  shown <- setdiff(names(x), c(if (!shows_days(x)) "from", "to", "complete",
                               if (is_one_span(x)) "period"))
  cells <- lapply(shown, function(name) {
    values <- x[[name]][at]
    known <- columns[[name]]
    if (name == "period") {
      list(heading = if (shows_days(x)) "span" else "period", text = marked_periods(x, at),
           right = FALSE)
    } else if (name == "from") {
      list(heading = "days", text = span_text(day_numbers(values), day_numbers(x$to[at])),
           right = FALSE)
    } else if (!is.null(known)) {
      heading <- c(name, if (!is.null(known$unit)) sprintf("(%s)", known$unit))
      list(heading = paste(heading, collapse = " "),
           text = marked_values(values, known, x$to, at, attr(x, "plan")), right = TRUE)
    } else if (is.numeric(values)) {
      list(heading = name, text = member_text(values), right = TRUE)
    } else {
      list(heading = name, text = member_text(values), right = FALSE)
    }
  })
  stats::setNames(cells, shown)
}

# One span for all rows, whose days stand above the table, and groups to tell the rows.
is_one_span <- function(s) {
  plan <- attr(s, "plan")
  is.null(plan$per) && length(plan$spans$from) == 1 && length(plan$by) > 0 && is.null(plan$anchors)
}

# Labels with a mark on partial ones; it has a place of its own, so that labels stay in line.
marked_periods <- function(x, at) {
  if (length(at) == 0) return(character())
  paste0(x$period[at], if (any(!x$complete)) ifelse(x$complete[at], " ", "*"))
}

# Figures with a mark on those of short windows.
marked_values <- function(values, known, to, at, plan) {
  text <- number_text(values, known$decimals)
  if (!identical(known$short, "keep")) return(text)
  short <- is_short(known, to, plan)
  if (!any(short)) return(text)
  paste0(text, ifelse(short[at] & !is.na(values), "~", " "))
}

# Rows that are spans show their days, as labels do not tell them.
shows_days <- function(x) {
  plan <- attr(x, "plan")
  is.null(plan$per) && (length(plan$spans$from) > 1 || !is.null(plan$anchors))
}

statement_footer <- function(x, marks = TRUE) {
  plan <- attr(x, "plan")
  columns <- attr(x, "columns")
  partial <- partial_rows(x)
  c(
    if (nrow(x) == 0) "No rows: no entry passes the conditions, or no period is complete.",
    if (marks && nrow(partial) > 0 && shows_days(x))
      "* is part of a period: cut by the as-of day, by the span or by the ledger's first day",
    if (marks && nrow(partial) > 0 && !shows_days(x)) {
      some <- utils::head(partial, 3)
      paste0("* ", paste(
        sprintf("%s covers %s", some$period, mapply(days_text, some$from, some$to)),
        collapse = "; "),
             if (nrow(partial) > 3) sprintf("; and %d more", nrow(partial) - 3L))
    },
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")),
    column_notes(columns[names(columns) %in% names(x)], x),
    plan$notes,
    if (!is.null(plan$version)) paste("Worked out from", plan$version),
    if (!has_ledger(plan)) "From a file, without its ledger: the figures are those that were saved."
  )
}

# What a reader must know of columns: what their kinds tell of them, kind by kind, then their own.
column_notes <- function(columns, s) {
  kinds <- vapply(columns, function(column) column$kind, "")
  of_kinds <- lapply(unique(kinds), function(kind) {
    tells <- column_kinds[[kind]]$notes
    own <- columns[kinds == kind]
    if (!is.null(tells)) Map(function(column, name) tells(name, column, s), own, names(own))
  })
  c(unlist(of_kinds, use.names = FALSE),
    unlist(lapply(columns, function(column) column$notes), use.names = FALSE))
}
