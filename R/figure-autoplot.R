#' The figure that suits a statement
#'
#' A method for `ggplot2::autoplot()`: it picks by what the statement holds. The leaders, where it
#' is ranked with `keep`; now and before, where it has a change and one row per period or no
#' periods; new, kept and lost members, where it has these measures; a calendar, where it is per day
#' over more than four weeks and without attributes or added figures; otherwise a trend over three
#' or more periods, and columns for fewer, where they can be told apart.
#'
#' @param object A [statement()]; what [why_changed()] gave, of which [figure_bridge()] is drawn; or
#'   [stands_out()], of which [figure_unusual()] draws the first line.
#' @param ... Passed on to the figure picked: [figure_leaders()], [figure_change()],
#'   [figure_members()], [figure_days()], [figure_trend()] or [figure_columns()].
#' @return A ggplot, as the figure picked gives it.
#' @section Errors:
#' Those of the figure picked.
#' @exportS3Method ggplot2::autoplot
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, by = "route", span = "2026", income = total(fare)) |> ggplot2::autoplot()
autoplot.statement <- function(object, ...) {
  check_statement(object)
  figure_kinds()[[suiting_figure(object)]](object, ...)
}

figure_kinds <- function() {
  list(trend = figure_trend, columns = figure_columns, leaders = figure_leaders,
       change = figure_change, years = figure_years, days = figure_days, members = figure_members)
}

suiting_figure <- function(s) {
  plan <- statement_info(s)
  columns <- columns_of(s)[intersect(names(columns_of(s)), names(s))]
  has <- function(kind) any(vapply(columns, function(column) column$kind == kind, TRUE))
  kept <- any(vapply(columns, function(column) column$kind == "rank" && !is.null(column$keep),
                     TRUE))
  fun <- vapply(plan$measures, function(tree) if (tree$node == "measure") tree$fun else "", "")
  drawn <- s[drawn_rows(s), ]
  one_each <- is.null(plan$by) || is.null(plan$per)
  if (kept && !is.null(plan$per) && length(plan$by) == 1) return("leaders")
  if (has("change") && one_each && nrow(drawn) <= 40) return("change")
  if (sum(c("newcomers", "returning", "lapsed") %in% fun) >= 2 && !is.null(plan$per) &&
      is.null(plan$by)) return("members")
  if (is.null(plan$per)) return("columns")
  periods <- length(unique(drawn$period))
  if (plan$per == "day" && periods > 28 && is.null(plan$by) && length(columns) == 1) return("days")
  series <- nrow(drawn) / max(1, periods)
  if (periods < 3 && series <= 8) "columns" else "trend"
}
