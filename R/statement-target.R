describe_verb("add_target", asked_of = "statement", flag = "target",
  m = field("measure", "measure to hold against targets", value = "MEASURE=FILE", needed = TRUE,
            more = "The name of one of the statement's measures, bare or as text."),
  targets = field("table", "targets by period and attributes: a table, its file, or one number",
                  option = FALSE, needed = TRUE, more = paste(
    "One number is for every row that is no total. A data frame, or the path of a file with it,",
    "has one row per target: a column of periods called `period`, or after a grain, such as",
    "`month` (text such as 2026-08, or dates); columns of attributes of the ledger; and a column",
    "of amounts called `target`, or the only one of numbers.")),
  days = field("choice", "what a row that is part of a period is held against",
               default = "whole", choices = c("whole", "covered"), option = "target-days",
               value = "WORD", more = paste(
    "\"whole\": the target of the whole period, with a note. \"covered\": the target times the",
    "part of the period's days that the row covers, or the targets of finer periods by days.")),
  name = field("text", "what the new columns begin with, by default the measure's name",
               value = "NAME")
)

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
#' * Targets of members are added up for a row that holds them all, such as a total: where a member
#'   has entries in the row's days and no target, the row has none. A line whose member reads
#'   "(all)" is the target of all members together, and is never added to theirs.
#' * A total over periods has the targets of its periods, added up; one of them that is missing
#'   makes it missing.
#' * Conditions hold for targets too: those of the ledger, of the statement's `where` and of the
#'   measure's, as far as they speak of columns that the targets have. A note names the columns that
#'   they do not have.
#' * Targets without a period are left out, and counted in a note.
#'
#' @param s A [statement()] with `per`.
#' @eval field_params("add_target")
#'
#' @return The statement with three more columns of doubles: `<m>_target`, `<m>_over_target` (the
#'   figure less the target) and `<m>_target_pct` (the figure in per cent of the target; missing
#'   where that is not above zero). Missing where no target is set; a note names those.
#' @section Errors:
#' `rollingledger_error_target` for a table without such columns, with two targets for one period
#' and member, or a period that is not understood; `rollingledger_error_measure` for a measure that
#' the statement does not have or a name that is taken.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", by = "route", span = "last 2 months", income = total(fare)) |>
#'   add_target(income, demo_targets)
#' statement(fares, per = "quarter", span = "2026", income = total(fare)) |>
#'   add_target(income, demo_targets, days = "covered")
#' @include question-fields.R statement-kinds.R statement-steps.R
add_target <- with_fields("add_target", function(s, m, targets, days, name) {
  asked <- asked_fields("add_target")
  asked$targets <- given_table(asked$targets, substitute(targets))
  take_step(s, "add_target", asked, rlang::current_env())
})

register_verb("add_target", add = function(s, plan, args, call) {
  m <- args$m
  if (is.null(plan$per)) {
    refuse("target", c("Targets belong to periods, and the rows of this statement are spans.",
                       i = "Ask for the statement with {per}."), call = call)
  }
  names <- paste0(args$name %||% m, c("_target", "_over_target", "_target_pct"))
  names <- new_column_names(s, names, call)
  rows <- current_rows(s, call)
  table <- read_targets(table_given(args$targets, call), plan, m, call)
  found <- row_targets(plan, table, rows, args$days)
  target <- found$target
  column <- measure_column(m, plan, "target")
  whole <- all(is.na(target)) || all(round(target) == target, na.rm = TRUE)
  column <- with_decimals_from(column, if (whole) 0L else 2L)
  figures <- measure_values(plan, m, rows)
  noted <- c(column, list(notes = target_notes(names[1], found, table, rows, s, args$days)))
  s <- add_column(s, names[1], target, noted)
  over <- difference_of(figures, target, plan, m, decimals_of(target))$difference
  s <- add_column(s, names[2], over, column)
  add_column(s, names[3], per_cent_of_target(figures, target), in_per_cent(column))
})

# Of a target that is not above zero there are no per cents: 225 % of -100 would read as better.
per_cent_of_target <- function(figures, target) {
  per_cent_of(figures, ifelse(target > 0, target, NA))
}

register_kind("target", values = no_values, behind = function(column, name, call) {
  refuse_measure(sprintf("`%s` comes from a target, which has no entries.", name), call = call)
})

# The column of a measure's target, where the statement has one.
target_column <- function(s, name) {
  columns <- columns_of(s)
  if (!identical(columns[[name]]$kind, "measure")) return(NULL)
  own <- Filter(function(other) identical(columns[[other]]$kind, "target") &&
                columns[[other]]$measure == name, intersect(names(columns), names(s)))
  if (length(own) > 0) own[[1]]
}
