#' Reconcile a statement with another source
#'
#' Sets the figures of a statement against an outside table (the bank's days, another system's totals), cell by cell: what
#' matches, what differs, and what is only here or only there, with totals that tie.
#'
#' @param s A [statement()].
#' @param against A data frame, or another statement. Several rows for one key are added up, and a note says so.
#' @param by Character vector: the keys, columns of the statement; named where the other table calls them otherwise,
#'   `c(period = "received_on")`. By default the period and attributes that both have. Dates are put into the statement's
#'   periods.
#' @param figure The column of figures, bare or as text; the first by default.
#' @param value Text of length one: the other table's column of amounts; by default the one called like the figure, or the
#'   only one of numbers.
#' @param tolerance A number not below zero: differences up to this size still match.
#'
#' @return A tibble of class `reconciliation`, one row per key: the keys, `here` and `there` (doubles; missing where a side has no
#'   row), `difference` (here less there, a missing side counting as zero) and `result` ("matched", "different", "only here", "only
#'   there"). A row of zero that the other side does not have is matched. Printing shows counts and sums by result, which add
#'   up to the totals of both sides, and the rows that do not match.
#' @section Errors:
#' `rollingledger_error_choice` for keys that are missing, or that do not tell the statement's rows apart.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(booked = "booked_on"))
#' statement(fares, per = "day", income = total(fare)) |>
#'   reconcile(demo_deposits, by = c(period = "received_on"), value = "amount")
reconcile <- function(s, against, by = NULL, figure = NULL, value = NULL, tolerance = 0) {
  check_statement(s)
  quo <- rlang::enquo(figure)
  name <- if (rlang::quo_is_null(quo)) names(attr(s, "columns"))[1] else figures_named(s, list(quo))
  if (!is.data.frame(against)) refuse("choice", sprintf("`against` must be a data frame, not %s.", kind_text(against)), arg = "against")
  if (!is.numeric(tolerance) || length(tolerance) != 1 || is.na(tolerance) || tolerance < 0) {
    refuse("choice", "`tolerance` must be a number not below zero.", arg = "tolerance")
  }
  keys <- reconciled_keys(s, against, by)
  value <- reconciled_value(against, value, name, keys)
  decimals <- attr(s, "columns")[[name]]$decimals
  here <- key_columns(s, names(keys), NULL)
  there <- key_columns(against, unname(keys), attr(s, "plan"), names(keys))
  both <- Map(function(a, b) c(a, b), here, there)
  told <- rows_told_apart(unname(both), nrow(s) + nrow(against))
  mine <- told$number[seq_len(nrow(s))]
  if (anyDuplicated(mine)) {
    refuse("choice", c(sprintf("%s %s not tell the rows of the statement apart.", listed(names(keys)), if (length(keys) == 1) "does" else "do"),
                       i = sprintf("They are told by %s.", listed(c("period", attr(s, "plan")$by)))), arg = "by")
  }
  theirs <- factor(told$number[-seq_len(nrow(s))], levels = seq_len(told$count))
  sums <- rep(NA_real_, told$count)
  added <- rowsum(as.double(against[[value]]), theirs, na.rm = TRUE)
  sums[as.integer(rownames(added))] <- added
  figures <- rep(NA_real_, told$count)
  figures[mine] <- s[[name]]
  first <- told$first
  out <- lapply(both, function(column) column[first])
  out <- c(out, list(here = figures, there = sums))
  new_reconciliation(out, s, name, value, tolerance, decimals, sum(duplicated(theirs)))
}

reconciled_keys <- function(s, against, by, call = caller_env()) {
  known <- c("period", attr(s, "plan")$by)
  if (is.null(by)) by <- intersect(known, names(against))
  keys <- stats::setNames(as.character(by), if (is.null(names(by))) by else ifelse(names(by) == "", by, names(by)))
  if (length(keys) == 0) {
    refuse("choice", c("Nothing says how the two go together.", i = sprintf("Name the keys, such as by = c(period = \"%s\").", names(against)[1])), arg = "by", call = call)
  }
  for (name in names(keys)) if (!name %in% known) refuse_column(name, known, where = "the statement's keys", call = call)
  for (name in keys) if (!name %in% names(against)) refuse_column(name, names(against), where = "`against`", call = call)
  keys
}

reconciled_value <- function(against, value, name, keys, call = caller_env()) {
  numbers <- setdiff(names(against)[vapply(against, is.numeric, TRUE)], keys)
  if (is.null(value)) value <- if (name %in% numbers) name else numbers
  if (length(value) != 1 || !value %in% numbers) {
    refuse("choice", c("`value` must name the other table's column of amounts.", i = if (length(numbers) > 0) sprintf("It has: %s.", listed(numbers))), arg = "value", call = call)
  }
  value
}

# Keys as text; dates of the other side as labels of the statement's periods.
key_columns <- function(table, columns, plan, called = columns) {
  stats::setNames(Map(function(column, name) {
    values <- table[[column]]
    if (name != "period" || is.null(plan) || !inherits(values, "Date")) return(plain_text(values))
    days <- whole_days(values)
    if (is.null(plan$per)) refuse("choice", "Dates cannot be put into spans; name the spans in a column of `against`.", arg = "by", call = NULL)
    out <- rep(NA_character_, length(days))
    out[!is.na(days)] <- periods_holding(days[!is.na(days)], plan$per, plan$x$calendar)$label
    out
  }, columns, called), called)
}

new_reconciliation <- function(out, s, name, value, tolerance, decimals, repeated) {
  difference <- ifelse(is.na(out$here), 0, out$here) - ifelse(is.na(out$there), 0, out$there)
  # Beyond the decimals there is nothing but the rounding of doubles.
  difference <- round(difference, max(decimals, 6))
  near <- abs(difference) <= tolerance
  result <- ifelse(is.na(out$there), ifelse(near & difference == 0, "matched", "only here"),
                   ifelse(is.na(out$here), "only there", ifelse(near, "matched", "different")))
  out <- c(out, list(difference = difference, result = result))
  at <- do.call(order, unname(out[setdiff(names(out), c("here", "there", "difference", "result"))]))
  table <- tibble::new_tibble(lapply(out, function(column) column[at]), nrow = length(at), class = "reconciliation")
  attr(table, "facts") <- list(name = name, value = value, decimals = decimals, tolerance = tolerance, days = statement_days(s), repeated = repeated,
                               missing = sum(is.na(s[[name]])))
  table
}

# Counts and sums by result; the last row holds the totals.
reconciled_sums <- function(x) {
  words <- c("matched", "different", "only here", "only there")
  facts <- attr(x, "facts")
  sums <- function(values) c(vapply(words, function(word) sum(values[x$result == word], na.rm = TRUE), 0), sum(values, na.rm = TRUE))
  rounded <- function(values) round(values, max(facts$decimals, 2L))
  data.frame(result = c(words, "total"), cells = c(vapply(words, function(word) sum(x$result == word), 0L), nrow(x)),
             here = rounded(sums(x$here)), there = rounded(sums(x$there)), difference = rounded(sums(x$difference)))
}

#' @export
format.reconciliation <- function(x, ..., n = NULL, width = NULL) {
  facts <- attr(x, "facts")
  if (is.null(facts) || !all(c("here", "there", "difference", "result") %in% names(x))) return(format(tibble::as_tibble(x)))
  cell <- function(heading, text, right = TRUE) list(heading = heading, text = text, right = right)
  sums <- reconciled_sums(x)
  money <- function(values) number_text(values, max(facts$decimals, 2L))
  summary <- aligned_lines(list(cell("result", sums$result, FALSE), cell("cells", number_text(sums$cells)), cell("here", money(sums$here)),
                                cell("there", money(sums$there)), cell("difference", money(sums$difference))))
  odd <- which(x$result != "matched")
  shown <- shown_rows(length(odd), n)
  at <- odd[c(shown$head, shown$tail)]
  keys <- setdiff(names(x), c("here", "there", "difference", "result"))
  body <- if (length(odd) > 0) aligned_lines(c(lapply(keys, function(key) cell(key, member_text(x[[key]][at]), FALSE)), list(
    cell("here", money(x$here[at])), cell("there", money(x$there[at])), cell("difference", money(x$difference[at])), cell("result", x$result[at], FALSE))))
  if (shown$hidden > 0) body <- append(body, sprintf("... %s more, print(n = Inf) shows all", count_text(shown$hidden, "row")), after = 1 + length(shown$head))
  header <- sprintf("%s here against %s there, by %s, %s%s", facts$name, facts$value, listed(keys), facts$days,
                    if (facts$tolerance > 0) sprintf(", differences up to %s match", format(facts$tolerance)) else "")
  c(folded_text(header, width %||% getOption("width")), summary, "", if (length(odd) == 0) "Every cell matches." else body,
    if (facts$repeated > 0) sprintf("%s of the other table had a key that came before; such rows were added up.", count_text(facts$repeated, "row")))
}

#' @export
print.reconciliation <- function(x, ..., n = NULL, width = NULL) {
  writeLines(format(x, n = n, width = width))
  invisible(x)
}

#' @exportS3Method tibble::as_tibble
as_tibble.reconciliation <- function(x, ...) {
  attr(x, "facts") <- NULL
  class(x) <- setdiff(class(x), "reconciliation")
  x
}
