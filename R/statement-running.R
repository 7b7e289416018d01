#' Add a running figure
#'
#' The measure from the start of the year, fiscal year, quarter, month or week, or of the span, up to the
#' last day of each row, both included: always days of the calendar, never rows. So the running total
#' at the end of January is the same in a daily and in a monthly statement, it reaches back before the
#' first row shown, and at the end of a fiscal year it is the year's total.
#'
#' @param s A [statement()].
#' @param m The name of one of its measures, bare or as text.
#' @param since Text of length one: when the figure starts again. "start" (the default) is the first day of
#'   the row's span; the others are "fiscal year", "year", "fiscal quarter", "quarter", "fiscal month",
#'   "month", "fiscal week" and "week": the one that holds the row's last day, whatever the calendar.
#' @param name Text of length one: the name of the new column, by default that of the measure followed
#'   by `_running`.
#'
#' @return The statement with one more column of doubles. A running average or ratio is that of the
#'   running sums.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have or a name that is taken;
#' `rollingledger_error_choice` for an unknown `since`; `rollingledger_error_statement` for a table that has
#' lost the columns that say what its rows are.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"),
#'                 calendar = ledger_calendar(fiscal_start = "April"))
#' statement(fares, per = "month", span = "2026", income = total(fare)) |>
#'   add_running(income, since = "fiscal year") |>
#'   add_running(income, since = "year", name = "income_this_year")
add_running <- function(s, m, since = c("start", "fiscal year", "year", "fiscal quarter", "quarter",
                                        "fiscal month", "month", "fiscal week", "week"), name = NULL) {
  check_statement(s, needs = c("from", "to"))
  m <- statement_measure(s, rlang::enquo(m))
  since <- one_of(since, running_starts, "since")
  name <- new_column_name(s, name %||% paste0(m, "_running"))
  plan <- attr(s, "plan")
  if (is_level(plan$measures[[m]])) {
    refuse_measure(c(sprintf("`%s` is how things stand on a day, so it does not run up.", m),
                     i = "add_rolling(stat = \"average\") gives the mean of its days."))
  }
  column <- measure_column(plan, m, kind = "running", since = since)
  add_column(s, name, column_values(plan, column, current_rows(s)), column)
}

# A statement that still has the columns that are needed; the user may have taken some away.
check_statement <- function(s, needs = row_columns, own = TRUE, call = caller_env()) {
  if (!inherits(s, "statement") || is.null(attr(s, "plan"))) {
    refuse("choice", sprintf("`s` must be a statement, made by `statement()`, not %s.", kind_text(s)), arg = "s", call = call)
  }
  lost <- setdiff(c(needs, attr(s, "plan")$by), names(s))
  if (length(lost) > 0) {
    refuse("statement", c(sprintf("The statement has lost its column `%s`.", lost[1]),
                          i = "Take columns away last, once figures are added, drawn and written."), call = call)
  }
  problem <- if (own) foreign_rows(s)
  if (!is.null(problem)) {
    refuse("statement",
           c(problem, i = "Ask one statement for all of it, or join finished tables as plain ones, by as_tibble()."), call = call)
  }
}

# Two columns as one: levels are text, and so is whatever became text beside totals.
as_one_kind <- function(a, b) {
  if (inherits(a, "Date") && inherits(b, "Date")) return(c(unclass(a), unclass(b)))
  if (!is.object(a) && !is.object(b) && typeof(a) == typeof(b)) c(a, b)
  else c(plain_text(a), plain_text(b))
}

# Why rows are not the statement's own, or NULL: rows of another question, the same row twice, or
# figures changed by hand. Whatever is worked out next would mix two questions. Rows cut away or put
# in another order are no harm.
foreign_rows <- function(s) {
  made <- attr(s, "plan")$made
  columns <- unclass(s)[intersect(names(made$columns), names(s))]
  if (is.null(made) || length(columns) < length(made$columns)) return(NULL)
  at <- NULL
  if (!identical(columns, made$columns)) {
    n <- length(made$columns$period)
    both <- Map(as_one_kind, made$columns, columns)
    told <- rows_told_apart(unname(both), n + nrow(s))$number
    at <- match(told[n + seq_len(nrow(s))], told[seq_len(n)])
    if (anyNA(at))
      return(sprintf("Row %d is none that the statement worked out.", which(is.na(at))[1]))
    if (anyDuplicated(at))
      return(sprintf("Row %d stands in the statement twice.", anyDuplicated(at)))
  }
  for (name in intersect(names(made$figures), names(s))) {
    own <- if (is.null(at)) made$figures[[name]] else made$figures[[name]][at]
    if (!identical(as.double(s[[name]]), own)) {
      return(sprintf("The column `%s` holds other figures than the statement worked out.", name))
    }
  }
  NULL
}

# The name of a measure given bare or as text.
statement_measure <- function(s, quo, call = caller_env()) {
  expr <- rlang::quo_get_expr(quo)
  name <- if (is.symbol(expr) && !rlang::is_missing(expr)) as.character(expr) else if (rlang::is_string(expr)) expr
  known <- names(attr(s, "plan")$measures)
  if (is.null(name)) {
    refuse_measure(sprintf("`m` must be the name of one measure of the statement: %s.", listed(known)), call = call)
  }
  if (!name %in% known) {
    refuse_measure(c(sprintf("The statement has no measure `%s`.", name), i = nearest_hint(name, known),
                     i = sprintf("It has: %s.", listed(known))), given = name, call = call)
  }
  name
}

# Names of columns of figures, given bare or as text; all of them where none is given.
figures_named <- function(s, quos, call = caller_env()) {
  known <- intersect(names(attr(s, "columns")), names(s))
  if (length(quos) == 0) return(known)
  names <- vapply(quos, function(quo) {
    expr <- rlang::quo_get_expr(quo)
    if (is.symbol(expr)) as.character(expr) else if (rlang::is_string(expr)) expr else code_text(expr)
  }, "")
  for (name in names) {
    if (!name %in% known) {
      refuse_measure(c(sprintf("The statement has no column of figures `%s`.", name), i = nearest_hint(name, known),
                       i = sprintf("It has: %s.", listed(known))), given = name, call = call)
    }
  }
  unname(names)
}

new_column_name <- function(s, name, call = caller_env()) {
  if (!rlang::is_string(name) || !nzchar(name)) refuse("choice", "`name` must be one text.", arg = "name", call = call)
  if (name %in% names(s)) {
    refuse_measure(c(sprintf("The name `%s` is taken: the statement has such a column.", name),
                     i = "Give another with `name =`."), call = call)
  }
  name
}
