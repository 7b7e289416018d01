describe_verb("sort_rows", asked_of = "statement", flag = "sort",
  words = function(m, args) {
    sprintf("sorted by %s, %s", m,
            if (identical(args$order, "up")) "smallest first" else "largest first")
  },
  m = field("column", "column of figures that rows are put in order of", value = "COLUMN",
            needed = TRUE, more = "The name of a measure or of a column that was added."),
  order = field("choice", "from the largest down, or from the smallest up", default = "down",
                choices = c("down", "up"), value = "WORD")
)

#' Put rows in order of a figure
#'
#' The rows of each period in the order of one of the statement's figures; periods stay in theirs.
#' Rows of totals, and what a ranking left over, stay below the rows that they are of; rows without
#' a figure come last; equal ones keep the order they had.
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
#' @include question-fields.R statement-steps.R
sort_rows <- with_fields("sort_rows", function(s, m, order) take_verb_step("sort_rows"))

register_verb("sort_rows", add = function(s, plan, args, call) {
  values <- s[[args$m]]
  if (args$order == "down") values <- -values
  level <- level_of_rows(s)
  rest <- is_rest_row(s)
  # Within a period and a member of the leading attributes: their rows, the rest, then their total.
  leading <- lapply(utils::head(plan$by, -1), function(name) match(s[[name]], unique(s[[name]])))
  period <- number_rows(unname(unclass(s)[row_columns[1:3]]), nrow(s))$number
  keys <- c(list(period), if (length(unique(level)) > 1) leading,
            list(-level, rest, is.na(values), figures_to_order(values, plan, args$m),
                 seq_len(nrow(s))))
  s[do.call(order, keys), ]
})

# Rows of what a ranking left over.
is_rest_row <- function(s) {
  rest <- attr(s, "plan")$rest
  if (is.null(rest)) return(logical(nrow(s)))
  plain_text(s[[rest$attribute]]) %in% rest$label
}
