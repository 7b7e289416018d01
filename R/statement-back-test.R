#' @include question-fields.R statement-expected.R
NULL

# The past of what is expected, in the open.

describe_verb("back_test", asked_of = "statement",
  m = field("measure", "measure whose expected ends are tested, the first without it",
            value = "MEASURE", more = "Its name, bare or as text.")
)

#' What would have been expected before
#'
#' The past of [add_expected()]: for the finished periods on which it is tested, what would have
#' been said with as many days left, and what came. Of all members together. Of a statement with a
#' column of what is expected, the days that are closed are the same.
#'
#' @param s A [statement()] with a period that is not over.
#' @eval field_params("back_test")
#' @return A `tested_past`, a tibble with one row per finished period, the latest last: `period`
#'   (text), `from`, `to` (Dates), `as_of` (Date: the day from which it is reckoned), `expected`,
#'   `low`, `high` and `came` (double: the period as a whole), `off_pct` (double: what was missed,
#'   in per cent of what came) and `inside` (logical: whether it came within the range). Missing
#'   where the way could not be used. Printing tells the share inside the range.
#'   [figure_back_test()] draws it.
#' @section Errors:
#' As for [add_expected()]; `rollingledger_error_choice` where no period is unfinished, or the
#' measure is no total.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", span = "this month", income = total(fare)) |>
#'   back_test(income)
back_test <- with_fields("back_test", function(s, m) {
  asked <- asked_fields("back_test")
  tested_past(s, rlang::enquo(m), "back_test", asked, rlang::current_env())
})

tested_past <- function(s, quo, show, asked, call) {
  check_statement(s, call = call)
  name <- if (rlang::quo_is_null(quo)) names(attr(s, "plan")$measures)[1]
          else statement_measure(s, bare_name(quo), call)
  plan <- attr(s, "plan")
  out <- consistent(plan_ledger(plan), function() tested_before(plan, name, s, call), plan$id)
  with_show(out, attr(s, "question"), show, asked)
}

tested_before <- function(plan, m, s, call) {
  check_can_expect(plan, m, call)
  tree <- plan$measures[[m]]
  if (way_of_expecting(tree) != "sum") {
    refuse("choice", sprintf("Only totals and counts are tested here; `%s` is %s.", m,
                             attr(tree, "text")), arg = "m", call = call)
  }
  whole <- periods_holding(plan$as_of, plan$per, plan$calendar)
  if (whole$last == plan$as_of) {
    refuse("choice", sprintf("No %s is unfinished as of %s.", plan$per, day_text(plan$as_of)),
           arg = "s", call = call)
  }
  told <- Filter(function(column) column$kind == "expected" && column$measure == m, columns_of(s))
  expecting <- if (length(told) > 0) told[[1]]$expecting else new_expecting(plan)
  total <- outlook_of_days(plan, tree, expecting, as.integer(whole$last))$total
  past <- past_periods(total)
  so_far <- past$whole - past$came
  column <- measure_column(m, plan, "measure")
  names <- periods_at(period_indexes(past$to, total$periods$grain, plan$calendar),
                      total$periods$grain, plan$calendar)$label
  figure <- function(values) in_decimals(values / 10^tree_decimals(tree), tree_decimals(tree))
  reach <- abs(past$said) * total$off
  expected <- figure(so_far + past$said)
  came <- figure(past$whole)
  out <- new_table(list(
    period = names, from = as_date(past$from), to = as_date(past$to),
    as_of = as_date(past$origin), expected = expected, low = figure(so_far + past$said - reach),
    high = figure(so_far + past$said + reach), came = came,
    off_pct = 100 * ratio(abs(expected - came), abs(came)),
    inside = abs(past$came - past$said) <= reach), nrow = length(names), class = "tested_past")
  attr(out, "facts") <- list(column = column)
  attr(out, "says") <- tested_says(out, plan, m, total, whole)
  out
}

tested_says <- function(out, plan, m, total, whole) {
  known <- out[!is.na(out$expected), ]
  days <- whole$last - plan$as_of
  missed <- if (nrow(known) > 0) sprintf(
    "Missed by %s %% in the middle, %s %% at most%s.", number_text(stats::median(known$off_pct), 1),
    number_text(max(known$off_pct), 1),
    if (anyNA(known$inside)) "" else sprintf("; %d of %d came within the range",
                                             sum(known$inside), nrow(known)))
  c(sprintf("%s of finished %ss: what would have been expected %s before the end, and what came", m,
            total$periods$grain, count_text(days, "day")),
    if (total$way > 0) sprintf("By %s.", way_in_words(total)), missed,
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")))
}
