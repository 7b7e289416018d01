describe_verb("entries_behind", asked_of = "statement",
  figure = field("column", "the figure, by the name of its column, the first without it",
                 value = "NAME", more = "Bare or as text."),
  row = field("number", "number of the row instead of what tells it", value = "NUMBER")
)

#' What is behind this number
#'
#' The entries behind one figure of a statement, whatever made it: a period's total, a running or
#' rolling figure, the days before in a change, a total or the rest of a ranking. The days, the
#' conditions and the group that apply are said; the amounts of a total sum to the figure.
#'
#' @param s A [statement()], or what [why_changed()] or [stands_out()] gave.
#' @param ... What tells the row: `period = "2026-08"`, and the attributes, `route = "Oysterby"` (NA
#'   for a missing member). Needed as far as rows cannot be told apart without. A period answers to
#'   its label, to a phrase for its days ("FYTD", "August 2026"), and to its days ("1 to 17 Sep
#'   2026"). Of what [why_changed()] gave: `line = "Tern Head"`, whose entries are those of both
#'   spans, with what each counts for. Of what [stands_out()] gave: `line = 1`.
#' @eval field_params("entries_behind")
#'
#' @return A tibble of class `entries_behind`, one row per entry in order of day: `row` (integer:
#'   position in the source, from 1) and the columns of the source. Attributes `days` (first and
#'   last Date) and `value` (the figure). For a ratio: the entries of all its measures; for a
#'   balance: the latest readings; for what is active: the entries open on the last day.
#' @section Errors:
#' `rollingledger_error_choice` where no row, or more than one, is meant;
#' `rollingledger_error_measure` for a column that is no figure of entries (a target, or a change,
#' which has entries on both sides).
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' s <- statement(fares, per = "month", by = "route", span = "latest 2 months",
#'                income = total(fare)) |>
#'   add_rolling(income, "7 days") |>
#'   add_rank(income, keep = 2, rest = "All other routes")
#' entries_behind(s, period = "2026-09", route = "All other routes")
#' entries_behind(s, row = 1, figure = income_rolling_7_days)
#' @include question-fields.R
entries_behind <- with_fields("entries_behind", function(s, ..., figure, row) {
  told <- rlang::list2(...)
  if (inherits(s, "explained_change")) {
    asked <- asked_fields("entries_behind")
    asked$of <- lapply(told, plain_text)
    out <- entries_of_line(s, told, row, rlang::current_env())
    question <- attr(s, "question")
    return(with_show(out, question, "entries_behind", asked))
  }
  if (inherits(s, "unusual")) {
    asked <- asked_fields("entries_behind")
    asked$of <- lapply(told, plain_text)
    out <- entries_of_unusual(s, told, row, rlang::current_env())
    return(with_show(out, attr(s, "question"), "entries_behind", asked))
  }
  check_statement(s)
  names(told) <- attributes_of_plan(names(told), attr(s, "plan"))
  asked <- asked_fields("entries_behind")
  asked$of <- lapply(told, plain_text)
  at <- row_meant(s, told, row)
  name <- chosen_column(s, rlang::enquo(figure))
  plan <- attr(s, "plan")
  call <- rlang::current_env()
  consistent(plan_ledger(plan), function() {
    out <- entries_of_figure(s, at, name, call)
    with_show(out, attr(s, "question"), "entries_behind", asked)
  }, plan$id)
})

# The entries of the figure of one row.
entries_of_figure <- function(s, at, name, call) {
  plan <- attr(s, "plan")
  column <- attr(s, "columns")[[name]]
  behind <- kind_of(column)$behind
  if (is.function(behind)) behind(column, name, call)
  rows <- rows_select(current_rows(s), at)
  if (is_ahead(rows, plan)) {
    refuse("choice", sprintf("%s has not begun, and has no entries yet.", rows$period), call = call)
  }
  windows <- if (identical(behind, "windows")) column_windows(column, plan, rows)
             else own_windows(plan, rows)
  leaves <- measure_leaves(plan$measures[column$measure])
  found <- entries_of_leaves(plan, leaves, rows, windows)
  new_entries_behind(s, at, name, found, windows, leaves)
}

# The number of the one row that is meant.
row_meant <- function(s, told, row, call = caller_env()) {
  if (!is.null(row)) return(row_number_meant(row, nrow(s), call))
  keys <- c("period", attr(s, "plan")$by)
  named <- names(told) %||% rep("", length(told))
  if (!all(named %in% keys)) {
    refuse("choice",
           c(sprintf("Rows are identified by %s, not by `%s`.", listed(keys),
                     named[!named %in% keys][1]),
             i = "For example period = \"2026-08\"."), call = call)
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
                         else sprintf("Tell it by its days, such as period = \"%s\", or by {row}.",
                                      span_text(day_numbers(s$from[at[1]]),
                                                day_numbers(s$to[at[1]])))), call = call)
}

row_number_meant <- function(row, n, call) {
  if (!is.numeric(row) || length(row) != 1 || !row %in% seq_len(n)) {
    refuse("choice", sprintf("{row} must be a number from 1 to %s.", number_text(n)), arg = "row",
           call = call)
  }
  as.integer(row)
}

# Rows whose period is meant by a text: by its label, by the phrase that was asked for, or by the
# days that it means.
rows_of_period <- function(s, given) {
  plan <- attr(s, "plan")
  labelled <- s$period %in% given
  if (any(labelled) || length(given) != 1 || is.na(given)) return(labelled)
  days <- unname(span_text(day_numbers(s$from), day_numbers(s$to)))
  if (any(days == given)) return(days == given)
  meant <- tryCatch(resolve_phrase(given, "", plan$calendar, plan$as_of,
                                   plan$first), rollingledger_error = function(e) NULL)
  if (length(meant$to) != 1) return(labelled)
  from <- max(meant$from, plan$first, na.rm = TRUE)
  day_numbers(s$from) == from & day_numbers(s$to) == min(meant$to, plan$as_of)
}

# The entries that make one measure of one row, each once: list(row, values).
entries_of_leaves <- function(plan, leaves, rows, windows) {
  x <- plan_ledger(plan)
  names <- source_column_names(x)
  parts <- lapply(leaves, leaf_entries, plan = plan, rows = rows, windows = windows,
                  columns = names)
  if (length(parts) == 0) {
    nothing <- list(node = "constant", says = FALSE)
    parts <- list(source_entries(x, plan$on, windows$from, windows$to, nothing, names))
  }
  joined_entries(parts, names)
}

# Entries from several parts, each once, in order of day: list(row, values).
joined_entries <- function(parts, names) {
  day <- unlist(lapply(parts, function(part) part$day))
  row <- unlist(lapply(parts, function(part) part$row))
  at <- order(day, row)
  at <- at[!duplicated(row[at])]
  columns <- lapply(stats::setNames(nm = names), function(name) {
    vctrs_free_join(lapply(parts, function(part) part$values[[name]]))[at]
  })
  list(row = as.integer(row[at]), values = columns)
}

# Values of one column from several parts, factors with their levels.
vctrs_free_join <- function(parts) {
  if (length(parts) == 1) return(parts[[1]])
  if (is.factor(parts[[1]])) Reduce(joined_values, parts) else do.call(c, parts)
}

# The entries of one measure: those of its days, conditions and group, less those that do not count.
leaf_entries <- function(leaf, plan, rows, windows, columns) {
  x <- plan_ledger(plan)
  days <- list(from = windows$from, to = windows$to)
  if (leaf$fun %in% c("balance", "active")) days$from <- first_day_there_is
  if (leaf$fun == "lapsed") {
    days <- list(from = windows$before(), to = windows$from - 1L)
    # Without a period before there is nothing to look at.
    if (is.na(days$from)) days <- list(from = windows$to, to = windows$to - 1L)
  }
  has_value <- if (!is.null(leaf$column)) {
    list(node = "negate", a = list(node = "missing", column = leaf$column))
  }
  conditions <- c(list(plan$where, leaf$where), group_conditions(plan, rows), list(has_value))
  where <- Reduce(both_conditions, conditions)
  ends <- if (leaf$fun == "active") leaf$options
  found <- source_entries(x, plan$on, days$from, days$to, where, columns, ends)
  member <- function(entries) members_found(source_members(x, leaf$column),
                                            entries$values[[leaf$column]])
  stays <- switch(leaf$fun,
    newcomers = , returning = {
      first <- first_days(x, plan$on, leaf$column)[member(found) + 1L]
      if (leaf$fun == "newcomers") first >= windows$from else first < windows$from
    },
    lapsed = {
      stayed <- source_entries(x, plan$on, windows$from, windows$to, where, leaf$column)
      !member(found) %in% member(stayed)
    },
    active = is.na(found$over) | found$over > windows$to,
    balance = latest_of_each(x, found, leaf$options$each),
    return(found)
  )
  rows_select(found, which(stays))
}

# Conditions for the members of a row's group, or for what is left over.
group_conditions <- function(plan, rows) {
  rest <- rows$set > 0L
  by <- if (rest) plan$rest$parents else plan$by[seq_len(rows$level)]
  conditions <- lapply(by, function(name) {
    member <- rows$values[[name]]
    if (is.na(member)) list(node = "missing", column = name)
    else condition_among(name, member, plan)
  })
  if (!rest) return(conditions)
  c(conditions, list(rest_condition(plan$rest$attribute, plan$rest$kept[[rows$set]], plan)))
}

# Which of the entries is the last of all, or of each member.
latest_of_each <- function(x, found, each) {
  if (is.null(each)) return(seq_along(found$row) == length(found$row))
  member <- members_found(source_members(x, each), found$values[[each]])
  !duplicated(member, fromLast = TRUE)
}

new_entries_behind <- function(s, at, name, found, windows, leaves) {
  plan <- attr(s, "plan")
  facts <- source_facts(plan_ledger(plan))
  # The date that counts and the columns in question come first.
  asked <- unlist(lapply(leaves, function(leaf) leaf$column))
  known <- unique(intersect(c(facts$dates[[plan$on]]$column, asked, facts$columns_read,
                              names(found$values)), names(found$values)))
  # A column of the source may be called "row" too.
  own <- free_name("row", known)
  told <- source_facts(plan_ledger(plan))$told_rows(found$row)
  # What was worked out for the question is shown by its text, unless a column is called so.
  plain <- calculation_name(known)
  shown <- ifelse(plain != known & plain %in% known, paste(plain, "(worked out)"), plain)
  out <- new_table(c(stats::setNames(list(told), own),
                     stats::setNames(found$values[known], shown)),
                   nrow = length(found$row), class = "entries_behind")
  column <- attr(s, "columns")[[name]]
  behind <- days_behind(windows, leaves)
  attr(out, "days") <- as_date(behind$days)
  attr(out, "value") <- s[[name]][at]
  decimals <- amount_decimals(plan, known)
  attr(out, "decimals") <- stats::setNames(decimals, shown[match(names(decimals), known)])
  group <- vapply(plan$by, function(attribute) member_text(plain_text(s[[attribute]][at])), "")
  value <- paste0(number_text(s[[name]][at], held_decimals(column)),
                  if (!is.null(column$unit)) paste0(" ", column$unit))
  attr(out, "says") <- c(
    sprintf("%s behind %s of %s: %s %s", count_text(nrow(out), "entry", "entries"), name,
            paste(c(s$period[at], group), collapse = ", "), plan$on, behind$text),
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")),
    paste("The figure is", value)
  )
  out
}

# The days behind a figure: list(days, text).
days_behind <- function(windows, leaves) {
  fun <- vapply(leaves, function(leaf) leaf$fun, "")
  lapsed <- length(fun) > 0 && all(fun == "lapsed")
  days <- if (lapsed && !is.na(windows$before())) c(windows$before(), windows$from - 1L)
          else c(windows$from, windows$to)
  if (length(fun) > 0 && all(fun %in% c("balance", "active"))) {
    return(list(days = days, text = paste("up to", day_text(windows$to))))
  }
  text <- days_text(days[1], days[2])
  if (lapsed) {
    text <- paste0(text, ", not seen ", if (windows$from == windows$to) "on " else "in ",
                   days_text(windows$from, windows$to))
  }
  list(days = days, text = text)
}

# Decimals of columns of amounts. Others of numbers are identifiers: no measure of the statement
# adds them up, and no unit says what they count. They are written in digits alone.
amount_decimals <- function(plan, known) {
  x <- plan_ledger(plan)
  amounts <- vapply(Filter(takes_amount, measure_leaves(plan$measures)),
                    function(leaf) leaf$column, "")
  counted <- c(amounts, names(source_facts(x)$units))
  columns <- lapply(stats::setNames(nm = known), function(name) source_column(x, name))
  columns <- Filter(function(column) column$holds != "amounts" || column$name %in% counted, columns)
  lapply(columns, function(column) if (column$exact) column$decimals else 6L)
}
