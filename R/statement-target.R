#' Add a target
#'
#' The target of each row, from a table of targets, and how the measure stands against it. A target
#' counts only where targets cover the row's days and its members; else it is missing, and a note
#' names the row.
#'
#' @section Which targets count:
#' * A target of the row's very period comes first. Otherwise targets that follow each other from
#'   the period's first day to its last are added up, the fewest that do: the months of a quarter,
#'   never the months and the quarter. Where there is a gap nothing counts: Q1 has no target from
#'   January and February alone.
#' * A row that is part of a period, or that targets straddle (weeks in a month), is held against
#'   them by days with `days = "covered"`: each target counts in the part of its days.
#' * Targets of members are added up for a row that holds them all, such as a total: where a
#'   member has entries in the row's days and no target, the row has none. A line whose member reads
#'   "(all)" is the target of all members together, and is never added to theirs.
#' * A total over periods has the targets of its periods, added up; one of them that is missing
#'   makes it missing.
#' * Conditions hold for targets too: those of the ledger, of the statement's `where` and of the
#'   measure's, as far as they speak of columns that the targets have. A note names the columns that
#'   they do not have.
#' * Targets without a period are left out, and counted in a note.
#'
#' @param s A [statement()] with `per`.
#' @param m The name of one of its measures, bare or as text.
#' @param targets One number for every row that is no total, or a data frame with one row per
#'   target: a column of periods called `period`, or after a grain, such as `month` (text such as
#'   2026-08, or dates); columns of attributes of the ledger; and a column of amounts called
#'   `target`, or the only one of numbers.
#' @param days What a row that is part of a period is held against. "whole": the target of the whole period, with a note.
#'   "covered": the target times the part of the period's days that the row covers, or the targets
#'   of finer periods by days.
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
