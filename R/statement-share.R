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
  tree <- plan$measures[[m]]
  if (!is_additive(tree)) {
    refuse_measure(c(sprintf("`%s` does not add up, so it has no share of a whole.", m), i = "Totals and counts have."))
  }
  rows <- current_rows(s)
  part <- window_values(tree, plan$x, plan_cube(plan), new_windows(rows$group, rows$from, rows$to))
  whole <- share_wholes(s, plan, tree, rows, of)
  column <- measure_column(plan, m, kind = "share", of = of)
  add_column(s, name, ifelse(whole == 0, NA_real_, 100 * part / whole), utils::modifyList(column, list(decimals = 1, unit = "%")))
}

# The figure that each row is a share of. Rows that share a whole ask for it once.
share_wholes <- function(s, plan, tree, rows, of) {
  attribute <- setdiff(of, c("period", "span"))
  cube <- memory_cube(plan$x, plan$on, attribute, plan$where, measure_slots(list(tree), plan$x))
  days <- if (of == "span") row_spans(plan, rows) else rows
  group <- if (length(attribute) == 0) rep(0L, nrow(s)) else cube_groups(cube, unclass(s)[attribute])
  key <- paste(group, days$from, days$to)
  once <- !duplicated(key)
  wholes <- window_values(tree, plan$x, cube, new_windows(group[once], days$from[once], days$to[once]))
  wholes[match(key, key[once])]
}
