#' Prove it: control totals
#'
#' The sum of each total and count over the rows of a statement, beside the same figure worked out a
#' second way: every entry of the days shown looked at once, on its own, without periods, groups or
#' the day cube. The difference is zero for a statement that is whole.
#'
#' @param s A [statement()].
#' @return A tibble, one row per measure that adds up (totals and entries, not averages or ratios):
#'   `measure` (text), `from` and `to` (Dates: the days of the rows), `statement` (double: sum of the rows),
#'   `entries` (double: the second way), `difference` (double). Rows that were taken out of the
#'   statement by hand show as a difference.
#' @section Errors:
#' `rollingledger_error_choice` if `s` is not a statement, or one whose groups have days of their own
#' (`anchor = "group"`).
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "week", by = "route", income = total(fare), trips = entries()) |>
#'   control_totals()
control_totals <- function(s) {
  check_statement(s)
  plan <- attr(s, "plan")
  if (!is.null(plan$anchors)) {
    refuse("choice", c("Control totals need the same days for every group.",
                       i = "This statement is anchored on each group's own latest entry."), arg = "s")
  }
  additive <- Filter(is_additive, plan$measures)
  additive <- additive[names(additive) %in% names(s)]
  if (nrow(s) == 0 || length(additive) == 0) {
    return(tibble::tibble(measure = character(), from = as_date(numeric()), to = as_date(numeric()),
                          statement = numeric(), entries = numeric(), difference = numeric()))
  }
  slots <- lapply(unname(additive), function(tree) {
    list(what = if (tree$fun == "total") "sum" else "count", column = tree$column, where = tree$where)
  })
  request <- cube_request(plan$x, plan$on, plan$where, slots)
  days <- days_shown(s)
  second <- rowSums(matrix(mapply(function(from, to) core_control_figures(request, from, to), days$from, days$to), length(slots)))
  first <- vapply(names(additive), function(name) exact_sum(s[[name]], additive[[name]], plan$x), 0)
  tibble::tibble(measure = names(additive), from = as_date(min(days$from)), to = as_date(max(days$to)), statement = unname(first),
                 entries = second, difference = unname(first) - second)
}

# The days of the rows of each span: from the first to the last of its rows that is shown.
days_shown <- function(s) {
  plan <- attr(s, "plan")
  from <- whole_days(s$from)
  to <- whole_days(s$to)
  spans <- plan$spans
  held <- lapply(seq_along(spans$from), function(i) {
    if (is.null(plan$per)) s$period == spans$label[i] else from >= spans$from[i] & to <= spans$to[i]
  })
  held <- Filter(any, held)
  list(from = vapply(held, function(rows) min(from[rows]), 0L), to = vapply(held, function(rows) max(to[rows]), 0L))
}

# Shown amounts added up as whole numbers of their smallest decimal.
exact_sum <- function(values, tree, x) {
  column <- if (!is.null(tree$column)) ledger_column(x, tree$column)
  if (identical(column$kind, "real")) return(sum(values))
  power <- 10^(column$decimals %||% 0)
  sum(round(values * power)) / power
}
