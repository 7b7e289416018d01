describe_verb("sort_rows", asked_of = "statement", flag = "sort",
  m = field("column", "column of figures, or attribute, that rows are put in order of",
            value = "COLUMN", needed = TRUE, choices = function(plan) plan$by,
            more = "The name of a measure, of a column that was added, or of an attribute."),
  order = field("choice", "from the largest or last down, or from the smallest or first up",
                choices = c("down", "up"), value = "WORD", option = "direction", more = paste(
    "Without it figures go down, and members of an attribute up."))
)

#' Put rows in order of a figure or an attribute
#'
#' The rows of each period in the order of one of the statement's figures, or of the members of an
#' attribute; periods stay in theirs. Rows of totals, and what a ranking left over, stay below the
#' rows that they are of; rows without a figure or a member come last; equal ones keep the order
#' they had, so that what is sorted last goes before.
#'
#' @param s A [statement()].
#' @eval field_params("sort_rows")
#' @return The statement with its rows in that order.
#' @section Errors:
#' `rollingledger_error_measure` for a column that the statement does not have;
#' `rollingledger_error_choice` for another order.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, by = "route", span = "last month", income = total(fare)) |>
#'   sort_rows(income)
#' statement(fares, by = c("route", "channel"), span = "last month", income = total(fare)) |>
#'   sort_rows(income) |>
#'   sort_rows(channel)
#' @include question-fields.R statement-steps.R
sort_rows <- with_fields("sort_rows", function(s, m, order) take_verb_step("sort_rows"))

register_verb("sort_rows", add = function(s, plan, args, call) {
  if (!args$m %in% plan$by) {
    values <- s[[args$m]] * if (identical(args$order, "up")) 1 else -1
    return(s[rows_in_order(s, plan, figures_to_order(values, plan, args$m)), ])
  }
  place <- ranks_of_ledger(s, args$m, s[[args$m]])
  place[plain_text(s[[args$m]]) %in% c(NA, total_members(plan))] <- NA
  if (identical(args$order, "down")) place <- -place
  s[rows_in_order(s, plan, place, args$m), ]
})

# Rows in order of `figures` within each period, and within members of attributes where rows of
# totals, or `within`, hold these together: first the rows, then the rest, then their total. Members
# of an attribute `m` have `figures` as their places.
rows_in_order <- function(s, plan, figures, m = NULL, within = NULL, rest = is_rest_row(s)) {
  level <- level_of_rows(s)
  together <- if (length(unique(level)) > 1) utils::head(plan$by, -1)
  leading <- lapply(union(together, within), function(name) {
    if (identical(name, m)) figures else match(plain_text(s[[name]]), unique(plain_text(s[[name]])))
  })
  period <- number_rows(unname(unclass(s)[row_columns[1:3]]), nrow(s))$number
  keys <- c(list(period), leading, list(-level, rest, is.na(figures), figures, seq_len(nrow(s))))
  do.call(order, keys)
}

# Rows of what a ranking left over.
is_rest_row <- function(s) {
  rest <- attr(s, "plan")$rest
  if (is.null(rest)) return(logical(nrow(s)))
  plain_text(s[[rest$attribute]]) %in% rest$label
}
