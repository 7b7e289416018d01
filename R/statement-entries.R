#' What is behind this number
#'
#' The entries behind one figure of a statement, whatever made it: a period's total, a running or rolling figure, the days
#' before in a change, a total or the rest of a ranking. The days, the conditions and the group that apply are said; the
#' amounts of a total sum to the figure.
#'
#' @param s A [statement()].
#' @param ... What tells the row: `period = "2026-08"`, and the attributes, `route = "Oysterby"`
#'   (NA for a missing member). Needed as far as rows cannot be told apart without. A period answers
#'   to its label, to a phrase for its days ("FYTD", "August 2026"), and to its days ("1 to 17 Sep
#'   2026").
#' @param figure The name of a column of figures, bare or as text; the first by default.
#' @param row Whole number instead of `...`: the number of the row.
#'
#' @return A tibble of class `entries_behind`, one row per entry in order of day: `row` (integer: position in the source, from 1)
#'   and the columns of the source. Attributes `days` (first and last Date) and `value` (the figure). For a ratio: the
#'   entries of all its measures; for a balance: the latest readings; for what is active: the entries open on the last day.
#' @section Errors:
#' `rollingledger_error_choice` where no row, or more than one, is meant; `rollingledger_error_measure` for a column that is no
#' figure of entries (a target, or a change, which has entries on both sides).
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' s <- statement(fares, per = "month", by = "route", span = "latest 2 months", income = total(fare)) |>
#'   add_rolling(income, "7 days") |>
#'   add_rank(income, keep = 2, rest = "All other routes")
#' entries_behind(s, period = "2026-09", route = "All other routes")
#' entries_behind(s, row = 1, figure = income_rolling_7_days)
entries_behind <- function(s, ..., figure = NULL, row = NULL) {
  check_statement(s)
  at <- row_meant(s, rlang::list2(...), row)
  quo <- rlang::enquo(figure)
  name <- if (rlang::quo_is_null(quo)) intersect(names(attr(s, "columns")), names(s))[1] else figures_named(s, list(quo))
  plan <- attr(s, "plan")
  column <- attr(s, "columns")[[name]]
  refuse_sides(column, name)
  rows <- some_rows(current_rows(s), at)
  if (!column$kind %in% c("running", "rolling", "before")) column$kind <- "measure"
  windows <- column_windows(plan, column, rows)
  x <- whole_ledger(plan$x)
  leaves <- measure_leaves(plan$measures[column$measure])
  chosen <- sort(unique(unlist(lapply(leaves, leaf_entries, plan = plan, x = x, rows = rows, windows = windows))))
  chosen <- as.integer(chosen)
  basis <- x$bases[[plan$on]]
  if (is.null(basis$offsets))
    chosen <- chosen[order(basis$data$data[chosen], source_rows(x)[chosen])]
  new_entries_behind(s, at, name, x, chosen, windows, leaves)
}

# The number of the one row that is meant.
row_meant <- function(s, told, row, call = caller_env()) {
  if (!is.null(row)) {
    if (!is.numeric(row) || length(row) != 1 || !row %in% seq_len(nrow(s))) {
      refuse("choice", sprintf("`row` must be a number from 1 to %s.", number_text(nrow(s))), arg = "row", call = call)
    }
    return(as.integer(row))
  }
  keys <- c("period", attr(s, "plan")$by)
  named <- names(told) %||% rep("", length(told))
  if (!all(named %in% keys)) {
    refuse("choice", c(sprintf("Rows are told by %s, not by `%s`.", listed(keys), named[!named %in% keys][1]), i = "For example period = \"2026-08\"."), call = call)
  }
  held <- rep(TRUE, nrow(s))
  for (name in named) {
    given <- plain_text(told[[name]])
    held <- held & if (name == "period") rows_of_period(s, given)
                   else plain_text(s[[name]]) %in% given
  }
  at <- which(held)
  if (length(at) == 1) return(at)
  said <- if (length(told) == 0) ""
          else paste0(" with ",
                      listed(sprintf("%s %s", named,
                                     vapply(told, function(v) member_text(plain_text(v)), ""))))
  if (length(at) == 0) refuse("choice", sprintf("There is no row%s.", said), call = call)
  differ <- keys[vapply(keys, function(key) length(unique(plain_text(s[[key]][at]))) > 1, TRUE)]
  refuse("choice", c(sprintf("There are %s rows%s.", number_text(length(at)), said),
                     i = if (length(differ) > 0) sprintf("Say also which %s.",
                                                         listed(differ, last = "or"))
                         else sprintf("Tell it by its days, such as period = \"%s\", or by `row`.",
                                      span_text(whole_days(s$from[at[1]]),
                                                whole_days(s$to[at[1]])))), call = call)
}

# Rows whose period is meant by a text: by its label, by the phrase that was asked for, or by the
# days that it means.
rows_of_period <- function(s, given) {
  plan <- attr(s, "plan")
  labelled <- s$period %in% given
  if (any(labelled) || length(given) != 1 || is.na(given)) return(labelled)
  days <- unname(span_text(whole_days(s$from), whole_days(s$to)))
  if (any(days == given)) return(days == given)
  meant <- tryCatch(resolve_phrase(given, "", plan$x$calendar, plan$as_of,
                                   plan$x$bases[[plan$on]]$first), rollingledger_error = function(e) NULL)
  if (length(meant$to) != 1) return(labelled)
  from <- max(meant$from, plan$x$bases[[plan$on]]$first, na.rm = TRUE)
  whole_days(s$from) == from & whole_days(s$to) == min(meant$to, plan$as_of)
}

refuse_sides <- function(column, name, call = caller_env()) {
  if (column$kind == "change") {
    before <- sub("_change(_pct)?$", "_before", name)
    refuse_measure(c(sprintf("`%s` has entries on both sides.", name), i = sprintf("Ask for figure = %s or figure = %s.", column$measure, before)), call = call)
  }
  if (column$kind == "target") refuse_measure(sprintf("`%s` comes from a target, which has no entries.", name), call = call)
}

# Positions of the entries that make one measure of one row.
leaf_entries <- function(leaf, plan, x, rows, windows) {
  from <- windows$from
  to <- windows$to
  if (leaf$fun %in% c("balance", "active")) from <- first_day_there_is
  if (leaf$fun == "lapsed") {
    to <- from - 1L
    from <- windows$before()
    if (is.na(from)) return(integer())
  }
  conditions <- c(list(plan$where, leaf$where), group_conditions(plan, rows))
  if (!is.null(leaf$column)) conditions <- c(conditions, list(list(node = "negate", a = list(node = "missing", column = leaf$column))))
  where <- Reduce(function(a, b) list(node = "both", a = a, b = b), Filter(Negate(is.null), conditions))
  basis <- x$bases[[plan$on]]
  chosen <- chosen_entries(x, basis, from, to, where)
  switch(leaf$fun,
    newcomers = , returning = {
      first <- first_days(list(x = x, on = plan$on), leaf$column)[core_codes_back(ledger_attribute(x, leaf$column))[chosen] + 1L]
      chosen[if (leaf$fun == "newcomers") first >= windows$from else first < windows$from]
    },
    lapsed = {
      stayed <- chosen_entries(x, basis, windows$from, windows$to, where)
      codes <- core_codes_back(ledger_attribute(x, leaf$column))
      chosen[!codes[chosen] %in% codes[stayed]]
    },
    active = {
      over <- over_basis(x, plan$on, leaf$options$last_day)$data$data[chosen]
      chosen[is.na(over) | over > windows$to]
    },
    balance = latest_entries(chosen, x, basis, leaf$options$each),
    chosen
  )
}

# Conditions for the members of a row's group, or for what is left over.
group_conditions <- function(plan, rows) {
  rest <- rows$set > 0L
  by <- if (rest) plan$rest$parents else plan$by[seq_len(rows$level)]
  conditions <- lapply(by, function(name) {
    member <- rows$values[[name]]
    if (is.na(member)) list(node = "missing", column = name) else condition_among(name, member, plan$x)
  })
  if (rest) conditions <- c(conditions, list(left_over(plan$rest$attribute, plan$rest$kept[[rows$set]], plan$x)))
  conditions
}

# The last of the entries by day, or of those of each member.
latest_entries <- function(chosen, x, basis, each) {
  days <- if (is.null(basis$offsets)) basis$data$data[chosen] else entry_days(basis)[chosen]
  member <- if (is.null(each)) integer(length(chosen)) else core_codes_back(ledger_attribute(x, each))[chosen]
  came <- if (is.null(basis$offsets)) source_rows(x)[chosen] else chosen
  sorted <- order(days, came)
  sorted[!duplicated(member[sorted], fromLast = TRUE)] |> (function(at) chosen[at])()
}

new_entries_behind <- function(s, at, name, x, chosen, windows, leaves) {
  plan <- attr(s, "plan")
  columns <- lapply(stats::setNames(nm = ledger_column_names(x)), function(column) entry_values(ledger_column(x, column), chosen))
  known <- intersect(c(x$asked$columns, names(columns)), names(columns))
  # A column of the source may be called "row" too.
  own <- free_name("row", known)
  out <- tibble::new_tibble(c(stats::setNames(list(source_rows(x)[chosen]), own), columns[known]),
                            nrow = length(chosen), class = "entries_behind")
  group <- vapply(plan$by, function(attribute) member_text(plain_text(s[[attribute]][at])), "")
  levels <- vapply(leaves, function(leaf) leaf$fun %in% c("balance", "active"), TRUE)
  lapsed <- length(leaves) > 0 && all(vapply(leaves, function(leaf) leaf$fun == "lapsed", TRUE))
  behind <- if (lapsed && !is.na(windows$before())) c(windows$before(), windows$from - 1L)
            else c(windows$from, windows$to)
  days <- if (length(levels) > 0 && all(levels)) paste("up to", day_text(windows$to))
          else days_text(behind[1], behind[2])
  if (lapsed)
    days <- paste0(days, ", not seen ", if (windows$from == windows$to) "on " else "in ",
                   days_text(windows$from, windows$to))
  attr(out, "days") <- as_date(behind)
  attr(out, "value") <- s[[name]][at]
  attr(out, "decimals") <- lapply(stats::setNames(nm = setdiff(known, identifiers(plan))),
                                  function(column) {
    kept <- ledger_column(x, column)
    if (identical(kept$kind, "real")) 6L else kept$decimals
  })
  attr(out, "says") <- c(
    sprintf("%s behind %s of %s: %s %s", count_text(length(chosen), "entry", "entries"), name, paste(c(s$period[at], group), collapse = ", "), plan$on, days),
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")),
    sprintf("The figure is %s%s", number_text(s[[name]][at], attr(s, "columns")[[name]]$decimals),
            if (!is.null(attr(s, "columns")[[name]]$unit)) paste0(" ", attr(s, "columns")[[name]]$unit) else "")
  )
  out
}

# Columns of numbers that are identifiers: no measure of the statement adds them up, and no unit
# says what they count. They are written in digits alone.
identifiers <- function(plan) {
  amounts <- vapply(Filter(function(leaf) measure_functions[[leaf$fun]]$takes == "amount",
                           measure_leaves(plan$measures)), function(leaf) leaf$column, "")
  setdiff(names(Filter(is_amount_column, plan$x$columns)), c(amounts, names(plan$x$units)))
}

# Values of entries as the source had them.
entry_values <- function(column, chosen) {
  if (is_code_column(column)) return(column$members[core_codes_back(column)[chosen] + 1L])
  if (column$kind == "day") return(as_date(column$data[chosen]))
  if (is_large(column)) return(core_whole_text(column$data[chosen]))
  core_amounts_back(column)[chosen]
}

#' @export
format.entries_behind <- function(x, ..., n = NULL, width = NULL) {
  says <- attr(x, "says")
  if (is.null(says)) return(format(tibble::as_tibble(x), ..., n = n, width = width))
  width <- width %||% getOption("width")
  shown <- shown_rows(nrow(x), n %||% getOption("rollingledger.rows") %||% 10, periods = FALSE)
  at <- shown$head
  decimals <- attr(x, "decimals")
  cells <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]][at]
    if (name == names(x)[1]) return(list(heading = name, text = number_text(values), right = TRUE))
    if (is.numeric(values) && is.null(decimals[[name]]))
      return(list(heading = name, text = ifelse(is.na(values), "-", digits_text(values)),
                  right = TRUE))
    if (is.numeric(values)) return(list(heading = name, text = number_text(values, decimals[[name]]), right = TRUE))
    list(heading = name, text = if (inherits(values, "Date")) ifelse(is.na(values), "-",
        plain_text(values)) else member_text(values), right = FALSE)
  })
  fit <- columns_that_fit(cells, width)
  c(folded_text(says, width), aligned_lines(cells[fit]),
    if (shown$hidden > 0) sprintf("... %s more, print(n = Inf) shows all", count_text(shown$hidden, "row")),
    folded_text(if (!all(fit)) paste("Too wide to show:", listed(names(cells)[!fit])), width))
}

#' @export
print.entries_behind <- function(x, ..., n = NULL, width = NULL) {
  writeLines(format(x, ..., n = n, width = width))
  invisible(x)
}

#' @exportS3Method tibble::as_tibble
as_tibble.entries_behind <- function(x, ...) {
  for (name in c("says", "days", "value", "decimals")) attr(x, name) <- NULL
  class(x) <- setdiff(class(x), "entries_behind")
  x
}
