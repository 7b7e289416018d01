describe_verb("add_running", asked_of = "statement", flag = "running",
  m = field("measure", "measure to add a running figure of", value = "MEASURE", needed = TRUE,
            more = "The name of one of the statement's measures, bare or as text."),
  since = field("choice", "where the running figure starts again", default = "start",
                choices = running_starts, value = "UNIT", more = paste(
    "\"start\" is the first day of the row's span; the others are the one that holds the row's",
    "last day, whatever the calendar.")),
  name = field("text", "name of the new column, by default the measure's followed by `_running`",
               value = "NAME")
)

#' Add a running figure
#'
#' The measure from the start of the year, fiscal year, quarter, month or week, or of the span, up
#' to the last day of each row, both included: always days of the calendar, never rows. So the
#' running total at the end of January is the same in a daily and in a monthly statement, it reaches
#' back before the first row shown, and at the end of a fiscal year it is the year's total.
#'
#' @param s A [statement()].
#' @eval field_params("add_running")
#'
#' @return The statement with one more column of doubles. A running average or ratio is that of the
#'   running sums.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have or a name that is
#' taken; `rollingledger_error_choice` for an unknown `since`; `rollingledger_error_statement` for a
#' table that has lost the columns that say what its rows are.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"),
#'                 calendar = ledger_calendar(fiscal_start = "April"))
#' statement(fares, per = "month", span = "2026", income = total(fare)) |>
#'   add_running(income, since = "fiscal year") |>
#'   add_running(income, since = "year", name = "income_this_year")
#' @include question-fields.R statement-kinds.R statement-steps.R window-.R
add_running <- with_fields("add_running", function(s, m, since, name) take_verb_step("add_running"))

register_verb("add_running", needs = c("from", "to"), add = function(s, plan, args, call) {
  if (is_level(plan$measures[[args$m]])) {
    refuse_measure(c(sprintf("`%s` is a level on a day, so it has no running total.", args$m),
                     i = "add_rolling(stat = \"average\") gives the mean of its days."),
                   call = call)
  }
  name <- new_column_name(s, args$name %||% paste0(args$m, "_running"), call)
  column <- measure_column(args$m, plan, "running", since = args$since)
  add_column(s, name, column_values(column, plan, current_rows(s, call)), column)
})

register_kind("running",
  windows = function(plan, column, rows) {
    running_windows(rows, column$since, plan$calendar, row_spans(plan, rows)$from)
  },
  values = function(plan, column, rows) window_kind_values(plan, column, rows),
  label = function(column, measure, own) {
    if (!startsWith(own, paste(measure, "running"))) return(NULL)
    since <- if (column$since != "start") paste(" since the", column$since, "began")
    paste0(measure, ", running", since)
  },
  notes = function(name, column, s) {
    plan <- attr(s, "plan")
    one_span <- length(plan$spans$from) == 1 && is.null(plan$anchors)
    since <- if (column$since != "start") paste("the start of the", column$since)
             else if (one_span) day_text(plan$spans$from) else "the start of each span"
    paste0(name, " runs from ", since)
  },
  additive = yes_always, counts = TRUE, behind = "windows"
)
