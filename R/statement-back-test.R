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
#' been said with as many days left, and what came. Of all members together.
#'
#' @param s A [statement()] with a period that is not over.
#' @eval field_params("back_test")
#' @return A tibble, one row per finished period, the latest last: `period` (text), `from`, `to`
#'   (Dates), `as_of` (Date: the day from which it is reckoned), `expected` and `came` (double: the
#'   period as a whole), `off_pct` (double: what was missed, in per cent of what came) and `inside`
#'   (logical: whether it came within the range). Missing where the way could not be used.
#' @section Errors:
#' As for [add_expected()]; `rollingledger_error_choice` where no period is unfinished, or the
#' measure is no total.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", span = "this month", income = total(fare)) |>
#'   back_test(income)
back_test <- with_fields("back_test", function(s, m) {
  check_statement(s)
  call <- rlang::current_env()
  quo <- rlang::enquo(m)
  name <- if (rlang::quo_is_null(quo)) names(attr(s, "plan")$measures)[1]
          else statement_measure(s, bare_name(quo), call)
  plan <- attr(s, "plan")
  consistent(plan_ledger(plan), function() tested_before(plan, name, s, call), plan$id)
})

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
  total <- outlooks_of_groups(plan, tree, as.integer(whole$last))$total
  past <- past_periods(total)
  power <- 10^tree_decimals(tree)
  said <- past$whole - past$came + past$said
  names <- periods_at(period_indexes(past$to, total$periods$grain, plan$calendar),
                      total$periods$grain, plan$calendar)$label
  figure <- function(values) in_decimals(values / power, tree_decimals(tree))
  new_table(list(period = names, from = as_date(past$from), to = as_date(past$to),
                 as_of = as_date(past$origin), expected = figure(said), came = figure(past$whole),
                 off_pct = 100 * ratio(abs(figure(said) - figure(past$whole)),
                                       abs(figure(past$whole))),
                 inside = abs(past$came / past$said - 1) <= total$off), nrow = length(said))
}
