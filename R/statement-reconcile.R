describe_verb("reconcile", asked_of = "statement",
  against = field("table", "the other table, or its file", value = "FILE", option = "against",
                  needed = TRUE, more = "A data frame, or the path of a file with it."),
  by = field("pairs", "how the two go together: columns of both, or KEY=COLUMN", value = "KEY",
             option = "key", many = TRUE, more = paste(
    "`c(period = \"received_on\")` names the statement's key first. By default the period and",
    "attributes that both have.")),
  figure = field("column", "the figure, by the name of its column, the first without it",
                 value = "NAME", more = "Bare or as text.", option = "figure-of"),
  value = field("text", "the other table's column of amounts", value = "COLUMN",
                more = "By default the one called like the figure, or the only one of numbers."),
  tolerance = field("number", "differences up to it still match", default = 0, value = "NUMBER")
)

#' Reconcile a statement with another source
#'
#' Sets the figures of a statement against an outside table (the bank's days, another system's
#' totals), cell by cell: what matches, what differs, and what is only here or only there, with
#' totals that tie.
#'
#' @param s A [statement()].
#' @eval field_params("reconcile")
#'
#' @return A tibble of class `reconciliation`, one row per key: the keys, `here` and `there`
#'   (doubles; missing where a side has no row), `difference` (here less there, a side without a row
#'   counting as zero; missing where an amount is) and `result` ("matched", "different", "only
#'   here", "only there"). A row of zero that the other side does not have is matched; a missing
#'   amount is no zero and matches only another one. Sums of doubles may differ by their rounding
#'   (16 times 2^-52 of what was added up), and by no more. Keys that are called like these columns
#'   have " (key)" after their name. Printing shows counts and sums by result, which add up to the
#'   totals of both sides, and the rows that do not match.
#' @section Errors:
#' `rollingledger_error_choice` for keys that are missing, or that do not tell the statement's rows
#' apart.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(booked = "booked_on"))
#' statement(fares, per = "day", income = total(fare)) |>
#'   reconcile(demo_deposits, by = c(period = "received_on"), value = "amount")
#' @include question-fields.R
reconcile <- with_fields("reconcile", function(s, against, by, figure, value, tolerance) {
  check_statement(s)
  asked <- asked_fields("reconcile")
  asked$against <- given_table(asked$against, substitute(against))
  against <- table_given(asked$against)
  question <- attr(s, "question")
  name <- chosen_column(s, rlang::enquo(figure))
  if (!is.data.frame(against))
    refuse("choice", sprintf("{against} must be a data frame, not %s.", kind_text(against)),
           arg = "against")
  if (!is.numeric(tolerance) || length(tolerance) != 1 || is.na(tolerance) || tolerance < 0) {
    refuse("choice", "{tolerance} must be a number not below zero.", arg = "tolerance")
  }
  keys <- reconciled_keys(s, against, by)
  value <- reconciled_value(against, value, name, keys)
  s <- s[!ahead_rows(s), ]
  plain <- any(drawn_rows(s))
  totals <- !rows_counted_once(s)
  s <- s[!totals, ]
  their_totals <- plain & is_total_of(against, unname(keys), attr(s, "plan"), names(keys))
  against <- against[!their_totals, , drop = FALSE]
  notes <- totals_note(sum(totals), sum(their_totals))
  there <- keys_there(against, keys, s)
  notes <- c(notes, there$note)
  here <- lapply(stats::setNames(nm = names(keys)), function(key) plain_text(s[[key]]))
  both <- Map(c, here, there$keys)
  told <- number_rows(unname(both), nrow(s) + nrow(against))
  mine <- told$number[seq_len(nrow(s))]
  if (anyDuplicated(mine)) {
    refuse("choice",
           c(sprintf("%s %s not tell the rows of the statement apart.", listed(names(keys)),
                     if (length(keys) == 1) "does" else "do"),
             i = sprintf("They are identified by %s.", listed(c("period", attr(s, "plan")$by)))),
           arg = "by")
  }
  theirs <- factor(utils::tail(told$number, nrow(against)), levels = seq_len(told$count))
  amounts <- as.double(against[[value]])
  keys_of_all <- seq_len(told$count)
  sides <- list(
    here = replace(rep(NA_real_, told$count), mine, s[[name]]),
    there = as.vector(tapply(amounts, theirs, sum)),
    has_here = keys_of_all %in% mine, has_there = keys_of_all %in% as.integer(theirs),
    size = as.vector(tapply(abs(amounts), theirs, sum, na.rm = TRUE))
  )
  notes <- c(notes, amounts_notes(sum(is.na(amounts)), sum(duplicated(theirs))))
  keyed <- lapply(both, function(column) column[told$first])
  decimals <- held_decimals(attr(s, "columns")[[name]])
  facts <- list(name = name, value = value, tolerance = tolerance, decimals = decimals,
                days = statement_days(s), notes = notes)
  with_show(new_reconciliation(keyed, sides, facts), question, "reconcile", asked)
})

# Rows that are set against the other table: totals would count twice what their rows count. Where
# nothing but totals is left of a statement, those of one level stand for it.
rows_counted_once <- function(s) {
  drawn <- drawn_rows(s)
  if (any(drawn) || nrow(s) == 0) return(drawn)
  level <- level_of_rows(s)
  overall <- is_overall_row(attr(s, "plan"), s$period)
  level == max(level) & (!overall | all(overall))
}

amounts_notes <- function(missing, repeated) {
  c(if (missing == 1) "1 row of the other table has no amount; what it is part of cannot match.",
    if (missing > 1)
      sprintf("%s rows of the other table have no amount; what they are part of cannot match.",
              number_text(missing)),
    if (repeated > 0)
      sprintf("%s of the other table had a key that came before; such rows were added up.",
              count_text(repeated, "row")))
}

totals_note <- function(here, there) {
  c(if (here > 0) sprintf("%s of totals %s left out, as totals count twice what their rows count.",
                          count_text(here, "row"), if (here == 1) "is" else "are"),
    if (there > 0)
      sprintf("%s of totals of the other table %s left out too.", count_text(there, "row"),
              if (there == 1) "is" else "are"))
}

# Rows of the other table that are marked as totals in a key, unless a member is called so.
is_total_of <- function(against, columns, plan, called) {
  marked <- Map(function(column, name) {
    text <- plain_text(against[[column]])
    if (name == "period") return(text %in% c(total_text, overall_labels(plan)))
    text %in% total_text & !total_text %in% plan_members(plan, name)$text
  }, columns, called)
  Reduce(`|`, marked, logical(nrow(against)))
}

reconciled_keys <- function(s, against, by, call = caller_env()) {
  known <- c("period", attr(s, "plan")$by)
  if (is.null(by)) by <- intersect(known, names(against))
  keys <- stats::setNames(as.character(by),
                          if (is.null(names(by))) by else ifelse(names(by) == "", by, names(by)))
  if (length(keys) == 0) {
    refuse("choice",
           c("Nothing says how the two go together.",
             i = sprintf("Name the keys, such as by = c(period = \"%s\").", names(against)[1])),
           arg = "by", call = call)
  }
  for (name in names(keys)) if (!name %in% known)
    refuse_column(name, known, where = "the statement's keys", call = call)
  for (name in keys) if (!name %in% names(against))
    refuse_column(name, names(against), where = "{against}", call = call)
  keys
}

reconciled_value <- function(against, value, name, keys, call = caller_env()) {
  numbers <- setdiff(names(against)[vapply(against, is.numeric, TRUE)], keys)
  if (is.null(value)) value <- if (name %in% numbers) name else numbers
  if (length(value) != 1 || !value %in% numbers) {
    refuse("choice",
           c("{value} must name the other table's column of amounts.", i = if (length(numbers) > 0)
             sprintf("It has: %s.", listed(numbers))), arg = "value", call = call)
  }
  value
}

# Days of keys that are date-times, or dates in any writing that a date basis may have.
days_of_keys <- function(values, name) {
  none <- rep(NA_integer_, length(values))
  if (is.factor(values)) values <- as.character(values)
  if (!is.character(values) && !inherits(values, "POSIXt")) return(none)
  if (is.character(values) && !any(is.na(core_iso_days(values)) & !is.na(values)))
    return(core_iso_days(values))
  tryCatch(read_date_basis(values, name)$days, rollingledger_error = function(e) none)
}

# list(keys, note): the other table's keys as text. Days are put into the rows of the statement that
# cover them; days that no row covers stand apart, so that what the bank had after the as-of day is
# not set against a period that is not over.
keys_there <- function(against, keys, s) {
  out <- lapply(stats::setNames(names(keys), names(keys)),
                function(key) plain_text(against[[keys[[key]]]]))
  if (!"period" %in% names(keys)) return(list(keys = out, note = NULL))
  values <- against[[keys[["period"]]]]
  plan <- attr(s, "plan")
  days <- if (inherits(values, "Date")) day_numbers(values)
          else days_of_keys(values, keys[["period"]])
  dated <- !is.na(days) & !out$period %in% s$period
  if (!any(dated)) return(list(keys = out, note = NULL))
  if (is.null(plan$per))
    refuse("choice", "Dates cannot be put into spans; name the spans in a column of {against}.",
           arg = "by", call = caller_env())
  rows <- unique(data.frame(period = s$period, from = day_numbers(s$from), to = day_numbers(s$to)))
  rows <- rows[order(rows$from), ]
  at <- findInterval(days[dated], rows$from)
  covered <- at > 0
  covered[covered] <- days[dated][covered] <= rows$to[at[covered]]
  label <- periods_holding(days[dated], plan$per, plan$calendar)$label
  known <- match(label, rows$period)
  # The days of a period that its row does not cover are told by the row's days.
  beside <- ifelse(is.na(known), label, sprintf("%s, not within %s", label,
                                                span_text(rows$from[known], rows$to[known])))
  out$period[dated] <- ifelse(covered, rows$period[pmax(at, 1L)],
                              ifelse(is.na(known), label, beside))
  outside <- sum(!covered & !is.na(known))
  list(keys = out,
       note = if (outside > 0)
         sprintf("%s of the other table %s on days of a period that the statement does not cover.",
                 count_text(outside, "row"), if (outside == 1) "is" else "are"))
}

# `sides` holds amounts of both sides, whether each has a row, and the size of what was added up
# there.
new_reconciliation <- function(keyed, sides, facts) {
  difference <- sides$here - sides$there
  # Sums of doubles may be off by their rounding, and by no more.
  slack <- 16 * .Machine$double.eps * (abs(sides$here) + sides$size)
  difference[which(abs(difference) <= slack)] <- 0
  difference <- ifelse(sides$has_here & sides$has_there, difference,
                       ifelse(sides$has_here, sides$here, -sides$there))
  near <- !is.na(difference) &
    abs(difference) <= facts$tolerance + ifelse(facts$tolerance > 0 & !is.na(slack), slack, 0)
  neither <- is.na(sides$here) & is.na(sides$there)
  alone <- !is.na(difference) & difference == 0 | neither & sides$has_here
  result <- ifelse(sides$has_here & sides$has_there, ifelse(near | neither, "matched", "different"),
                   ifelse(alone, "matched", ifelse(sides$has_here, "only here", "only there")))
  own <- list(here = sides$here, there = sides$there, difference = difference, result = result)
  # Keys may be called as the columns that are added.
  clash <- names(keyed) %in% names(own)
  names(keyed)[clash] <- paste(names(keyed)[clash], "(key)")
  at <- do.call(order, c(unname(keyed), method = "radix"))
  table <- new_table(lapply(c(keyed, own), function(column) column[at]), nrow = length(at),
                              class = "reconciliation")
  attr(table, "facts") <- facts
  table
}

# Counts and sums by result; the last row holds the totals.
reconciled_sums <- function(x) {
  words <- c("matched", "different", "only here", "only there")
  facts <- attr(x, "facts")
  sums <- function(values) c(
    vapply(words, function(word) sum(values[x$result == word], na.rm = TRUE), 0),
    sum(values, na.rm = TRUE))
  rounded <- function(values) round(values, max(facts$decimals, 9L))
  data.frame(result = c(words, "total"),
             cells = c(vapply(words, function(word) sum(x$result == word), 0L), nrow(x)),
             here = rounded(sums(x$here)), there = rounded(sums(x$there)),
             difference = rounded(sums(x$here) - sums(x$there)))
}
