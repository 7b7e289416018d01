describe_verb("compare_known", asked_of = "ledger",
  day1 = field("day", "the day whose knowledge is compared", value = "DAY", option = "known",
               needed = TRUE, more = "A Date or text; its end counts."),
  day2 = field("day", "the later day that it is compared with", value = "DAY",
               option = "known-later", needed = TRUE, more = "The same."),
  shared = list(statement = c("per", "by", "...", "span", "on", "where"))
)

#' What has changed since a day
#'
#' Finished periods whose figures have changed since they were first told: figures as known at the
#' end of one day against those as known at the end of a later one, and the entries that were
#' entered in between. Periods that were not over on the first day are left out: they were bound to
#' change.
#'
#' @param x A [ledger()] with a date basis called `entered`: `on = c(sailed = "sailed_on", entered =
#'   "booked_on")`.
#' @eval field_params("compare_known")
#' @return A `known_comparison`, a tibble with a row per period and group that changed: `period`,
#'   `from`, `to`, the attributes; per measure its value as known on each day, `_known` and
#'   `_later`, and `_difference`; and `late`, the number of entries of its days that came late.
#'   These entries are a tibble in its attribute `entries`, with `row` (the line or row of the
#'   source) and the columns read. Printing it shows both.
#' @section Errors:
#' `rollingledger_error_date` where there is no date basis called `entered`;
#' `rollingledger_error_choice` where the second day is not later; others as for [statement()].
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on", entered = "booked_on"))
#' compare_known(fares, "2026-08-31", "2026-09-10", per = "month", by = "route",
#'               income = total(fare))
#' @include question-fields.R
compare_known <- with_fields("compare_known", function(x, day1, day2, per, by, ..., span, on,
                                                       where) {
  check_not_measures(match.call(expand.dots = FALSE))
  check_ledger_object(x)
  compared_known(x, asked_as("compare_known"), rlang::current_env())
})

# The comparison that a record asks for.
compared_known <- function(x, asked, call = caller_env()) {
  force(call)
  consistent(x, function() compare_knowledge(x, asked, call))
}

compare_knowledge <- function(x, asked, call) {
  first <- one_day(asked$day1, "day1", call)
  later <- one_day(asked$day2, "day2", call)
  if (later <= first) {
    refuse("choice", sprintf("{day2} (%s) must be later than {day1} (%s).", day_text(later),
                             day_text(first)), call = call)
  }
  entered <- entered_column(x, call)
  as_of <- min(source_facts(x)$as_of, first)
  own <- asked[setdiff(names(asked), c("day1", "day2"))]
  if (is.null(own$per)) own$per <- "month"
  own$as_of <- iso_day(as_of)
  # Every member, also where it had no entries in the span: what it carries is not nothing.
  if (!is.null(own$by)) own$list_all <- TRUE
  at <- function(day) {
    finished_rows(answer_statement(x, c(own, list(known = iso_day(day))), call))
  }
  after <- at(later)
  # What is answered as known later was refused as known first for want of entries alone.
  nothing <- function(e) after[0, ]
  before <- tryCatch(at(first), rollingledger_error_span = nothing,
                     rollingledger_error_source = nothing, rollingledger_error_date = nothing)
  table <- changed_rows(before, after)
  came <- late_entries(x, after, table, entered, first)
  table$late <- tabulate(came$of_row, length(table$period))
  out <- new_table(table, nrow = length(table$period), class = "known_comparison")
  plan <- attr(after, "plan")
  attr(out, "entries") <- came$entries
  attr(out, "plan") <- plan
  attr(out, "columns") <- attr(after, "columns")
  attr(out, "decimals") <- amount_decimals(plan, names(came$entries)[-1])
  attr(out, "says") <- known_says(before, after, out, first, later)
  with_show(out, new_question(source_facts(x)$given, NULL), "compare_known", asked)
}

# The rows of periods that were over on the as-of day, also where the ledger begins within them.
finished_rows <- function(s) {
  plan <- attr(s, "plan")
  index <- period_indexes(day_numbers(s$to), plan$per, plan$calendar)
  s[periods_at(index, plan$per, plan$calendar)$last <= plan$as_of, ]
}

known_says <- function(before, after, table, first, later) {
  plan <- attr(after, "plan")
  periods <- length(unique(after$period))
  c(sprintf("%s, %s, as known on %s against %s", statement_subject(after), statement_days(after),
            day_text(first), day_text(later)),
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")),
    sprintf("%s of %s finished by %s changed", number_text(length(unique(table$period))),
            count_text(periods, "period"), day_text(first)))
}

# Rows of two statements whose measures differ: one column for each side and the difference. What
# came late may be of days before all that was known: a row is told by its period, its last day and
# its group, and has the days that are known later.
changed_rows <- function(before, after) {
  plan <- attr(after, "plan")
  keys <- c("period", "to", plan$by)
  measures <- names(plan$measures)
  both <- Map(joined_values, unclass(after)[keys], unclass(before)[keys])
  told <- number_rows(unname(both), nrow(before) + nrow(after))
  theirs <- match(seq_len(told$count), told$number[seq_len(nrow(after))])
  mine <- match(seq_len(told$count), told$number[nrow(after) + seq_len(nrow(before))])
  both$from <- joined_values(after$from, before$from)
  rows <- lapply(both[c("period", "from", "to", plan$by)], function(column) column[told$first])
  differs <- logical(told$count)
  for (name in measures) {
    a <- before[[name]][mine]
    b <- after[[name]][theirs]
    # A group that was not known on one side comes to what a measure is of nothing there.
    a[is.na(mine)] <- value_of_nothing(plan$measures[[name]])
    b[is.na(theirs)] <- value_of_nothing(plan$measures[[name]])
    a <- round(a, 9)
    b <- round(b, 9)
    same <- if (is_decimal(plan$measures[[name]])) a == b else are_alike(a, b)
    same[is.na(same)] <- TRUE
    differs <- differs | xor(is.na(a), is.na(b)) | !same
    rows[paste0(name, c("_known", "_later", "_difference"))] <- list(a, b, round(b - a, 9))
  }
  at <- which(differs)
  at <- at[order(day_numbers(rows$from[at]))]
  lapply(rows, function(column) column[at])
}

# A measure over no entries: sums and counts are zero, averages, extremes and ratios missing.
value_of_nothing <- function(tree) {
  tree_values(tree, function(slot) {
    if (slot$what %in% c("smallest", "largest", "middle", "latest")) NA_real_ else 0
  })
}

# The entries entered after the first day on the days of the rows that changed: list(entries,
# of_row), of_row the number of the row that each belongs to.
late_entries <- function(x, after, table, entered, first) {
  plan <- attr(after, "plan")
  x <- plan_ledger(plan)
  names <- known_columns(x, plan)
  text <- sprintf("%s > %s", name_text(entered), value_text(iso_day(first)))
  late <- text_condition(text, x)
  parts <- lapply(seq_along(table$period), function(i) {
    group <- lapply(plan$by, function(name) {
      member <- table[[name]][i]
      if (is.na(member)) list(node = "missing", column = name)
      else condition_among(name, member, plan)
    })
    where <- Reduce(both_conditions, c(list(plan$where, late), group))
    found <- source_entries(x, plan$on, day_numbers(table$from[i]), day_numbers(table$to[i]), where,
                            names)
    list(row = found$row, values = found$values[names], of_row = rep(i, length(found$row)))
  })
  if (length(parts) == 0) {
    nothing <- list(node = "constant", says = FALSE)
    found <- source_entries(x, plan$on, plan$first, plan$first, nothing, names)
    parts <- list(list(row = found$row, values = found$values[names], of_row = integer()))
  }
  told <- free_name("row", names)
  row <- source_facts(x)$told_rows(as.integer(unlist(lapply(parts, function(part) part$row))))
  values <- lapply(stats::setNames(nm = names), function(name) {
    vctrs_free_join(lapply(parts, function(part) part$values[[name]]))
  })
  list(entries = new_table(c(stats::setNames(list(row), told), values),
                                    nrow = length(row)),
       of_row = unlist(lapply(parts, function(part) part$of_row)))
}

# The columns of entries: the date that counts and when it was entered first.
known_columns <- function(x, plan) {
  facts <- source_facts(x)
  there <- source_column_names(x)
  asked <- unlist(lapply(measure_leaves(plan$measures), function(leaf) leaf$column))
  unique(intersect(c(facts$dates[[plan$on]]$column, entered_column(x), asked, facts$columns_read,
                     there), there))
}
