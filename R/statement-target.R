#' Add a target
#'
#' The target of each row, from a table of targets, and how the measure stands against it. Targets may be finer than the
#' rows: those of the months of a quarter, or of the routes of a total, are added up. Missing ones are named.
#'
#' @param s A [statement()] with `per`.
#' @param m The name of one of its measures, bare or as text.
#' @param targets One number for every row, or a data frame with one row per target: a column of periods called `period`,
#'   or after a grain, such as `month` (text such as 2026-08, or dates); columns of the statement's attributes; and a
#'   column of amounts called `target`, or the only one of numbers.
#' @param days What a row that is part of a period is held against. "whole": the target of the whole period, with a note.
#'   "covered": the target times the part of the period's days that the row covers.
#' @param name Text of length one: what the new columns begin with, by default the measure's name.
#'
#' @return The statement with three more columns of doubles: `<m>_target`, `<m>_over_target` (the figure less the target) and
#'   `<m>_target_pct` (the figure in per cent of the target). Missing where no target is set; a note names those.
#' @section Errors:
#' `rollingledger_error_target` for a table without such columns, with two targets for one period and member, or a period that
#' is not understood; `rollingledger_error_measure` for a measure that the statement does not have or a name that is taken.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", by = "route", span = "last 2 months", income = total(fare)) |>
#'   add_target(income, demo_targets)
#' statement(fares, per = "quarter", span = "2026", income = total(fare)) |>
#'   add_target(income, demo_targets, days = "covered")
add_target <- function(s, m, targets, days = c("whole", "covered"), name = NULL) {
  check_statement(s)
  m <- statement_measure(s, rlang::enquo(m))
  days <- one_of(days, c("whole", "covered"), "days")
  plan <- attr(s, "plan")
  if (is.null(plan$per)) {
    refuse("target", c("Targets belong to periods, and the rows of this statement are spans.", i = "Ask for the statement with `per`."))
  }
  names <- vapply(paste0(name %||% m, c("_target", "_over_target", "_target_pct")), new_column_name, "", s = s, USE.NAMES = FALSE)
  rows <- current_rows(s)
  table <- read_targets(targets, plan, m)
  found <- row_targets(plan, table, rows, days)
  target <- found$target
  column <- measure_column(plan, m, kind = "target")
  column$decimals <- max(column$decimals, if (all(is.na(target)) || all(round(target) == target, na.rm = TRUE)) 0L else 2L)
  column$notes <- target_notes(names[1], found, table, rows, s, days)
  figures <- row_values(plan, plan$measures[[m]], rows, row_windows(rows, plan$per, plan$x$calendar))
  s <- add_column(s, names[1], target, column)
  s <- add_column(s, names[2], figures - target, column[setdiff(names(column), "notes")])
  add_column(s, names[3], 100 * ratio(figures, target), utils::modifyList(column[setdiff(names(column), "notes")], list(decimals = 1, unit = "%")))
}
