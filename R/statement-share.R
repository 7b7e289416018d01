describe_verb("add_share", asked_of = "statement", flag = "share",
  m = field("measure", "measure to add a share of, in per cent", value = "MEASURE", needed = TRUE,
            more = paste0("The name of one of the statement's measures; averages and ratios have ",
                          "no share.")),
  of = field("choice", "the whole: all groups of the row's days (period) or span, or an attribute",
             default = "period", choices = function(plan) c("period", "span", plan$by),
             option = "share-of", value = "WORD", more = paste(
    "\"period\": all groups in the row's own days. \"span\": all groups in the whole span that",
    "holds the row. Or the name of one of the statement's attributes: the row's member of it, in",
    "the row's own days.")),
  name = field("text", "name of the new column, by default the measure's followed by `_share`",
               value = "NAME")
)

#' Add a share
#'
#' Each row's figure in per cent of the same measure for all groups together, worked out from the
#' entries that pass the statement's conditions and never by adding rows: so the shares of distinct
#' figures need not add up to 100.
#'
#' @param s A [statement()].
#' @eval field_params("add_share")
#' @return The statement with one more column of doubles, in per cent; missing where the whole is
#'   zero.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have or that has no
#' share, amounts of several currencies in one whole, or a name that is taken;
#' `rollingledger_error_choice` for an unknown `of`.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, by = c("route", "channel"), span = "last month", income = total(fare)) |>
#'   add_share(income) |>
#'   add_share(income, of = "route", name = "of_route")
#' @include question-fields.R statement-kinds.R statement-steps.R
add_share <- with_fields("add_share", function(s, m, of, name) take_verb_step("add_share"))

register_verb("add_share", add = function(s, plan, args, call) {
  name <- new_column_name(s, args$name %||% paste0(args$m, "_share"), call)
  if (!is_part(plan$measures[[args$m]])) {
    refuse_measure(c(sprintf("`%s` is not part of a whole, so it has no share.", args$m),
                     i = "Totals, counts and distinct members have."), call = call)
  }
  check_currencies_apart(plan, args$m, args$of, function(name) sprintf(
    "Say {of = \"%s\"}: then each is a whole of its own.", name), call)
  column <- in_per_cent(measure_column(args$m, plan, "share", of = args$of))
  add_column(s, name, column_values(column, plan, current_rows(s, call)), column)
})

register_kind("share",
  values = function(plan, column, rows) {
    tree <- plan$measures[[column$measure]]
    part <- measure_values(plan, column$measure, rows)
    per_cent_of(part, share_bases(plan, tree, rows, column$of))
  },
  label = function(column, measure, own) {
    if (startsWith(own, paste(measure, "share"))) paste("share of", measure)
  },
  additive = yes_always, counts = TRUE
)

# The figure that each row is a share of. Rows that share a whole ask for it once. A row that stands
# for several members of the attribute has none.
share_bases <- function(plan, tree, rows, of) {
  attribute <- setdiff(of, c("period", "span"))
  x <- plan_ledger(plan)
  n <- rows_count(rows)
  days <- if (of == "span") row_spans(plan, rows) else rows
  group <- group_numbers(x, attribute, rows$values, n)
  # A total over periods and the one period it holds have the same days, and not the same period
  # before them.
  told <- number_rows(list(group, days$from, days$to, rows$overall), n)
  once <- told$first[group[told$first] >= 0]
  if (length(once) == 0) return(rep(NA_real_, n))
  some <- new_rows(rows$period[once], days$from[once], days$to[once], group[once],
                   length(attribute),
                   overall = rows$overall[once])
  wholes <- window_values(tree, x, plan_ask(plan, attribute), own_windows(plan, some))
  wholes[match(told$number, told$number[once])]
}
