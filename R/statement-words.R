# What a statement says of itself: what it covers, what is partial, what a reader must know.

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
# Totals are never partial.
partial_rows <- function(s) {
  part <- !s$complete & !is_overall_row(attr(s, "plan"), s$period) & !ahead_rows(s)
  unique(data.frame(period = s$period, from = day_numbers(s$from), to = day_numbers(s$to))[part, ])
}

# The table alone, without how it was made.
strip_statement <- function(x) {
  for (name in c("plan", "columns", "subject", "notes", "line", "cells", "question", "entries",
                 "decimals", "says", "days", "value", "facts", "days_across", "sentences",
                 "groups", "members", "attributes", "drivers", "kinds_of_day", "why", "past")) {
    attr(x, name) <- NULL
  }
  class(x) <- setdiff(class(x), c("statement", other_tables))
  x
}

# Results that are no statements.
other_tables <- c("cross_table", "entries_behind", "reconciliation", "known_comparison",
                  "explained_change", "tested_past", "unusual")

#' @exportS3Method tibble::as_tibble
as_tibble.statement <- function(x, ...) strip_statement(x)
#' @exportS3Method tibble::as_tibble
as_tibble.cross_table <- as_tibble.statement
#' @exportS3Method tibble::as_tibble
as_tibble.entries_behind <- as_tibble.statement
#' @exportS3Method tibble::as_tibble
as_tibble.known_comparison <- as_tibble.statement
#' @exportS3Method tibble::as_tibble
as_tibble.reconciliation <- as_tibble.statement
#' @exportS3Method tibble::as_tibble
as_tibble.explained_change <- as_tibble.statement

#' @export
as.data.frame.statement <- function(x, ...) as.data.frame(strip_statement(x), ...)
#' @export
as.data.frame.cross_table <- as.data.frame.statement
#' @export
as.data.frame.known_comparison <- as.data.frame.statement
#' @export
as.data.frame.explained_change <- as.data.frame.statement

# One span for all rows, whose days stand above the table, and groups to tell the rows.
is_one_span <- function(s) {
  plan <- attr(s, "plan")
  is.null(plan$per) && length(plan$spans$from) == 1 && length(plan$by) > 0 && is.null(plan$anchors)
}

# Labels with a mark on partial ones; it has a place of its own, so that labels stay in line.
marked_periods <- function(x, at) {
  if (length(at) == 0) return(character())
  if (all(x$complete)) return(x$period[at])
  paste0(x$period[at], ifelse(x$complete[at], " ", ifelse(ahead_rows(x)[at], ">", "*")))
}

# Figures with a mark on those of short windows.
marked_values <- function(values, known, to, at, plan) {
  text <- number_text(values / (known$scale %||% 1), known$decimals)
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
    if (marks && any(ahead_rows(x))) sprintf("> is to come: nothing of it is there as of %s",
                                             day_text(plan$as_of)),
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")),
    column_notes(columns[names(columns) %in% names(x)], x),
    rounding_note(x),
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
