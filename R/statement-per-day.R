#' Add an average per day
#'
#' The measure of each row divided by its days: working days by the calendar, all days, or days with entries. So months of
#' unlike length, or with unlike holidays, can be told apart from months in which more was done.
#'
#' @param s A [statement()].
#' @param m The name of one of its measures that add up (totals and counts), bare or as text.
#' @param days "working": the working days of the ledger's [ledger_calendar()], without its holidays; "calendar": all
#'   days; "used": days with an entry of the row's own group that passes the conditions.
#' @param name Text of length one: the name of the new column, by default such as `income_per_working_day`.
#' @return The statement with one more column of doubles; missing where there is no such day.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have or that does not add up, or a name that is
#' taken; `rollingledger_error_choice` for unknown `days`.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"),
#'                 calendar = ledger_calendar(holidays = c(Christmas = "2025-12-25")))
#' statement(fares, per = "month", span = "2025-11/2026-02", income = total(fare)) |>
#'   add_per_day(income)
add_per_day <- function(s, m, days = c("working", "calendar", "used"), name = NULL) {
  check_statement(s, needs = c("from", "to"))
  m <- statement_measure(s, rlang::enquo(m))
  days <- one_of(days, c("working", "calendar", "used"), "days")
  plan <- attr(s, "plan")
  if (!is_additive(plan$measures[[m]])) {
    refuse_measure(c(sprintf("`%s` does not add up, so it has no average per day.", m), i = "Totals and counts have."))
  }
  name <- new_column_name(s, name %||% sprintf("%s_per_%s_day", m, days))
  column <- measure_column(plan, m, kind = "per day", days = days)
  column$decimals <- max(column$decimals, 1L)
  if (days == "working") column$notes <- sprintf("%s: working days are %s", name, workdays_text(plan$x$calendar))
  add_column(s, name, per_day_figures(plan, column, current_rows(s)), column)
}

per_day_figures <- function(plan, column, rows) {
  windows <- row_windows(rows, plan$per, plan$x$calendar)
  values <- row_values(plan, plan$measures[[column$measure]], rows, windows)
  count <- switch(column$days,
    working = working_days(rows$from, rows$to, plan$x$calendar),
    calendar = rows$to - rows$from + 1L,
    used = days_used(plan, rows)
  )
  ratio(values, count)
}

# Number of days on which each row's group has an entry.
days_used <- function(plan, rows) {
  day <- list(node = "measure", fun = "distinct", column = plan$x$bases[[plan$on]]$column)
  row_values(plan, day, rows, row_windows(rows, plan$per, plan$x$calendar))
}
