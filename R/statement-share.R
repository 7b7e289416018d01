#' Add a share
#'
#' Each row's figure in per cent of the same measure for all groups together, worked out from the entries that pass the
#' statement's conditions and never by adding rows: so the shares of distinct figures need not add up to 100.
#'
#' @param s A [statement()].
#' @param m The name of one of its measures, bare or as text. Averages and ratios have no share.
#' @param of What the whole is. "period": all groups in the row's own days. "span": all groups in the whole span that holds the
#'   row. Or the name of one of the statement's attributes: the row's member of it, in the row's own days.
#' @param name Text of length one: the name of the new column, by default the measure's followed by `_share`.
#' @return The statement with one more column of doubles, in per cent; missing where the whole is zero.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have or that has no share, or a name that is
#' taken; `rollingledger_error_choice` for an unknown `of`.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, by = c("route", "channel"), span = "last month", income = total(fare)) |>
#'   add_share(income) |>
#'   add_share(income, of = "route", name = "of_route")
add_share <- function(s, m, of = c("period", "span"), name = NULL) {
  check_statement(s)
  m <- statement_measure(s, rlang::enquo(m))
  plan <- attr(s, "plan")
  of <- if (identical(of, c("period", "span"))) "period" else one_of(of, c("period", "span", plan$by), "of")
  name <- new_column_name(s, name %||% paste0(m, "_share"))
  if (!is_part(plan$measures[[m]])) {
    refuse_measure(c(sprintf("`%s` is no part of a whole, so it has no share.", m), i = "Totals, counts and distinct members have."))
  }
  column <- utils::modifyList(measure_column(plan, m, kind = "share", of = of), list(decimals = 1, unit = "%"))
  add_column(s, name, share_figures(plan, column, current_rows(s)), column)
}

share_figures <- function(plan, column, rows) {
  tree <- plan$measures[[column$measure]]
  part <- row_values(plan, tree, rows, row_windows(rows, plan$per, plan$x$calendar))
  whole <- share_wholes(plan, tree, rows, column$of)
  100 * ratio(part, whole)
}

# The figure that each row is a share of. Rows that share a whole ask for it once. A row that stands for several members
# of the attribute has none.
share_wholes <- function(plan, tree, rows, of) {
  attribute <- setdiff(of, c("period", "span"))
  cube <- coarser_cube_kept(plan, attribute)
  days <- if (of == "span") row_spans(plan, rows) else rows
  n <- length(rows$to)
  group <- if (length(attribute) == 0) integer(n) else cube_groups(cube, rows$values[attribute])
  # A total over periods and the one period it holds have the same days, and not the same period before them.
  starts <- (group + 1) * 4e6 + days$from - first_day_there_is
  key <- (match(starts, unique(starts)) * 4e6 + days$to - first_day_there_is) * 2 + rows$whole
  once <- !duplicated(key) & group >= 0
  if (!any(once)) return(rep(NA_real_, n))
  some <- lapply(list(group = group, from = days$from, to = days$to, whole = rows$whole), function(column) column[once])
  wholes <- window_values(tree, plan$x, cube, row_windows(some, plan$per, plan$x$calendar))
  wholes[match(key, key[once])]
}
