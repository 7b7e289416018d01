#' Prove it: control totals
#'
#' The sum of each total and count over the rows of a statement, beside the same figure worked out a
#' second way: every entry of the days shown looked at once, on its own, without periods, groups or
#' the day cube. The difference is zero for a statement that is whole.
#'
#' @param s A [statement()].
#' @return A tibble, one row per measure that adds up (totals and entries, not averages or ratios)
#'   and span: `measure` (text), `from` and `to` (Dates: the days of the rows), `statement` (double:
#'   sum of the rows), `entries` (double: the second way), `difference` (double). Rows that were
#'   taken out of the statement by hand show as a difference.
#' @section Errors:
#' `rollingledger_error_choice` if `s` is not a statement, or one whose groups have days of their
#' own (`anchor = "group"`).
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "week", by = "route", income = total(fare), trips = entries()) |>
#'   control_totals()
control_totals <- function(s) {
  check_statement(s)
  plan <- attr(s, "plan")
  if (!is.null(plan$anchors)) {
    refuse("choice", c("Control totals need the same days for every group.",
                       i = "This statement is anchored on each group's own latest entry."),
           arg = "s")
  }
  s <- s[drawn_rows(s), ]  # totals would count twice
  additive <- Filter(function(tree) tree$node == "measure" && is_additive(tree), plan$measures)
  additive <- additive[names(additive) %in% names(s)]
  if (nrow(s) == 0 || length(additive) == 0) {
    return(tibble::tibble(measure = character(), from = as_date(numeric()), to = as_date(numeric()),
                          statement = numeric(), entries = numeric(), difference = numeric()))
  }
  slots <- lapply(unname(additive), function(tree) {
    list(what = if (tree$fun == "total") "sum" else "count", column = tree$column,
         where = tree$where)
  })
  spans <- rows_of_spans(s)
  parts <- lapply(spans, function(rows) {
    days <- c(min(day_numbers(s$from[rows])), max(day_numbers(s$to[rows])))
    shown <- vapply(names(additive), function(name) exact_sum(s[[name]][rows], additive[[name]]), 0)
    tibble::tibble(measure = names(additive), from = as_date(days[1]), to = as_date(days[2]),
                   statement = unname(shown),
                   entries = source_control(plan_ledger(plan), plan$on, plan$where, slots, days[1],
                                            days[2]))
  })
  out <- do.call(rbind, parts)
  out <- out[order(match(out$measure, names(additive))), ]
  out$difference <- out$statement - out$entries
  out
}

# Numbers of the rows of each span.
rows_of_spans <- function(s) {
  plan <- attr(s, "plan")
  from <- day_numbers(s$from)
  to <- day_numbers(s$to)
  held <- lapply(seq_along(plan$spans$from), function(i) {
    which(if (is.null(plan$per)) s$period == plan$spans$label[i]
          else from >= plan$spans$from[i] & to <= plan$spans$to[i])
  })
  held[lengths(held) > 0]
}

# Shown amounts added up as whole numbers of their smallest decimal.
exact_sum <- function(values, tree) {
  if (isFALSE(tree$known$exact)) return(sum(values))
  power <- 10^(tree$known$decimals %||% 0)
  sum(round(values * power)) / power
}
