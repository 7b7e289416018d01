describe_verb("add_expected", asked_of = "statement", flag = "expected",
  m = field("measure", "measure to add the expected end of, for periods that are not over",
            value = "MEASURE", needed = TRUE, more = paste(
    "The name of one of the statement's measures: a total, a count, a ratio of these, an average",
    "or a number of different members.")),
  ahead = field("number", "how many whole periods to come have rows of their own", default = 0,
                value = "NUMBER", more = paste(
    "They follow the last period, hold nothing but what is expected, and are marked as such. None",
    "ends more than 364 days ahead, which is as far as last year's days reach. Other verbs add to",
    "statements before they have such rows.")),
  closed = field("phrases", "days on which nothing comes in, such as 2026-12-25 or a span",
                 value = "PHRASE", many = TRUE, more = paste(
    "Days to come bring nothing then, and past ones are left out of the averages. A phrase as in",
    "[span()].")),
  name = field("text", "what the new columns begin with, by default the measure's name",
               value = "NAME")
)

#' Where a period will end
#'
#' What a period that is not over should come to: what there is so far, and what the days to go
#' should bring, by the way of reckoning that was least wrong at this point of earlier periods, with
#' a range that held 8 of 10 of them.
#'
#' @param s A [statement()] with {per}, up to its as-of day.
#' @eval field_params("add_expected")
#'
#' @section How it is reckoned:
#' Each day to go at the mean of its own weekday over the last 4, 8 or 13 weeks; that times the lift
#' of last year, which is what the same days brought a year back (52 weeks; the mean of two years,
#' the median of three) against what the same weekdays said then, over 4, 8, 13, 26 or 52 weeks;
#' half of that lift; or the lift of the place in the period, such as a month's last days. Where the
#' calendar has holidays, each of these also with holidays apart: they bring what the last three of
#' their name did against their weekday. Days in `closed` bring nothing, and are in no average.
#'
#' Each way is tested at this many days before the end of the last 12 finished periods and, where
#' these are too few or years, every 28 days before as well, with nothing that came later; the one
#' with the smallest error is taken. The tests are those of the smallest grain that ends on this day
#' and has begun, so that a month and a quarter that end on one day say the same of the days
#' between.
#'
#' The total is reckoned on its own, and members are fitted to it in whole units. A ratio is that of
#' its expected parts. A number of different members goes by the share of them that was seen at this
#' point of the last 12 periods. The range is of the errors that each test has without itself;
#' ranges are never added up. A period to come is the difference of what is expected up to its end
#' and up to its beginning, so that months make the quarter; its range is that of such differences.
#' Of what never was below zero, no less than zero is expected.
#'
#' Under 28 days of entries nothing is expected, nor of medians, extremes and balances. Nothing that
#' is expected is in the column of what came, and it goes into no change, rank or share.
#'
#' @return The statement with three more columns of doubles: `<m>_expected`, `<m>_expected_low` and
#'   `<m>_expected_high`. They are missing for periods that are over, cut by the span, or what a
#'   ranking left over, and the range where there are fewer than 4 tests and for ratios; with a
#'   target also `<m>_needed`, per open day. Notes say by which way, and how far off it was. In rows
#'   of periods to come, which begin after the as-of day, all other figures are missing.
#' @section Errors:
#' `rollingledger_error_measure` for a measure of which nothing can be expected;
#' `rollingledger_error_choice` for a statement without periods, by day or of groups with days of
#' their own.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' s <- statement(fares, per = "month", span = "latest 3 months", income = total(fare)) |>
#'   add_expected(income)
#' s
#' back_test(s, income)
#' # The next three months too, and what the target of September takes from here
#' statement(fares, per = "month", span = "this month", income = total(fare)) |>
#'   add_target(income, demo_targets) |>
#'   add_expected(income, ahead = 3, closed = "2026-12-25")
#' @include question-fields.R statement-kinds.R statement-steps.R
add_expected <- with_fields("add_expected", function(s, m, ahead, closed, name) {
  take_verb_step("add_expected")
})

register_verb("add_expected", add = function(s, plan, args, call) {
  check_can_expect(plan, args$m, call)
  expecting <- new_expecting(plan, args$closed, call)
  target <- if (!is.null(plan$per)) target_column(s, args$m)
  parts <- c(end = "_expected", low = "_expected_low", high = "_expected_high",
             needed = if (!is.null(target)) "_needed")
  names <- new_column_names(s, paste0(args$name %||% args$m, parts), call)
  s <- with_rows_ahead(s, args$ahead, call)
  plan <- attr(s, "plan")
  rows <- current_rows(s, call)
  told <- expected_of_rows(plan, args$m, rows, expecting)
  for (i in seq_along(parts)) {
    part <- names(parts)[i]
    column <- measure_column(args$m, plan, "expected", part = part, expecting = expecting)
    values <- told[[part]]
    if (part == "end") column$notes <- expected_notes(names[1], args$m, plan, told)
    if (part == "needed") {
      needed <- needed_per_day(s, args$m, s[[target]], told, expecting)
      values <- needed$values
      column <- with_decimals_from(column, 2L)
      column$notes <- needed$notes(names[i])
    }
    s <- add_column(s, names[i], values, column)
  }
  s
})

register_kind("expected",
  values = function(plan, column, rows) {
    if (column$part == "needed") return(no_values(plan, column, rows))
    expected_of_rows(plan, column$measure, rows, column$expecting)[[column$part]]
  },
  label = function(column, measure, own) {
    if (own == paste(measure, "needed")) paste(measure, "needed per open day for the target")
    else if (own == paste(measure, "expected")) paste("expected", measure)
    else if (startsWith(own, paste(measure, "expected")))
      paste0("expected ", measure, ", at ", c(low = "least", high = "most")[column$part])
  },
  behind = function(column, name, call) {
    refuse_measure(c(sprintf("`%s` is %s, and has no entries yet.", name,
                             if (column$part == "needed") "needed" else "expected"),
                     i = sprintf("Ask for those so far: figure = %s.", column$measure)),
                   call = call)
  }
)

check_can_expect <- function(plan, m, call) {
  if (is.null(plan$per) || plan$per == "day" || !is.null(plan$anchors)) {
    refuse("choice", c(
      if (is.null(plan$per)) "Only periods can be expected to end, and this statement has none."
      else if (plan$per == "day") "A day is over, or has not begun: nothing of it is expected."
      else "Groups with days of their own have no period in common.",
      i = "Say {per = \"month\"}, for example."), call = call)
  }
  if (isTRUE(source_facts(plan_ledger(plan))$dates[[plan$on]]$months)) {
    refuse("choice", "Of entries by month it is not known on which days they were.", call = call)
  }
  tree <- plan$measures[[m]]
  if (!is.null(way_of_expecting(tree))) return(invisible())
  refuse_measure(c(sprintf("Nothing can be expected of `%s` (%s).", m, attr(tree, "text")),
                   i = "It must be a total, a count, a ratio of these, or a number of members."),
                 call = call)
}

# "sum", "ratio" or "distinct", or NULL.
way_of_expecting <- function(tree) {
  if (is_additive(tree)) return("sum")
  if (!is.null(ratio_parts(tree))) return("ratio")
  if (tree$node == "measure" && tree$fun == "distinct") return("distinct")
}

# ---- rows ----------------------------------------------------------------------

# Of each row: list(end, low, high), missing where nothing is expected; with `outlooks`, what was
# found for each last day.
expected_of_rows <- function(plan, m, rows, expecting) {
  n <- rows_count(rows)
  out <- list(end = rep(NA_real_, n), low = rep(NA_real_, n), high = rep(NA_real_, n),
              outlooks = list())
  whole <- periods_holding(rows$from, plan$per, plan$calendar)
  first <- pmax(whole$first, plan$first)
  ordinary <- !rows$overall & rows$set == 0L
  ahead <- is_ahead(rows, plan)
  open <- which(ordinary & !ahead & rows$to == plan$as_of & whole$last > plan$as_of &
                  rows$from == first & whole$first >= plan$first)
  at_days <- c(open, which(ordinary & ahead))
  for (last in unique(whole$last[at_days])) {
    at <- at_days[whole$last[at_days] == last]
    found <- expected_until(plan, m, as.integer(last), rows_select(rows, at), expecting)
    for (part in c("end", "low", "high")) out[[part]][at] <- found[[part]]
    out$outlooks <- c(out$outlooks, list(found))
  }
  out$open <- open
  out
}

# The rows of one period that is not over, or has not begun.
expected_until <- function(plan, m, last, rows, expecting) {
  tree <- plan$measures[[m]]
  ahead <- rows$from[1] > plan$as_of
  after <- if (ahead) as.integer(rows$from[1]) - 1L else as.integer(plan$as_of)
  so_far <- if (ahead) numeric(rows_count(rows)) else measure_of_rows(plan, tree, rows)
  rest_of <- function(tree) remainders(plan, tree, expecting, after, last, rows)
  none <- rep(NA_real_, length(so_far))
  found <- switch(way_of_expecting(tree),
    sum = {
      rest <- rest_of(tree)
      # What would not have the sign of the periods before is no outlook.
      turned <- which(sign(so_far + rest$rest) * sign(rest$past) < 0)
      rest$rest[turned] <- rest$exact[turned] <- NA
      low <- rest$exact - abs(rest$exact) * rest$off
      # Of what never was below zero, no less than there is.
      low <- ifelse(rest$falls, low, pmax(low, 0))
      list(end = so_far + rest$rest, low = so_far + low,
           high = so_far + rest$exact + abs(rest$exact) * rest$off, total = rest$total,
           turned = length(turned))
    },
    ratio = {
      parts <- ratio_parts(tree)
      ends <- lapply(parts[c("top", "bottom")], function(part) {
        now <- if (ahead) 0 else part_of_rows(plan, part, rows)
        now + rest_of(part)$rest
      })
      list(end = parts$factor * ratio(ends$top, ends$bottom), low = none, high = none)
    },
    if (ahead) list(end = none, low = none, high = none)
    else expected_members(plan, tree, rows, so_far))
  decimals <- tree_decimals(tree)
  found[c("end", "low", "high")] <- lapply(found[c("end", "low", "high")], in_decimals,
                                           decimals = decimals)
  c(found, list(last = last, period = rows$period[1], ahead = ahead))
}

measure_of_rows <- function(plan, tree, rows) row_values(plan, tree, rows, own_windows(plan, rows))

# The same of a part of a ratio, which may be the number of entries with an amount.
part_of_rows <- function(plan, part, rows) {
  if (part$node != "present") return(measure_of_rows(plan, part, rows))
  x <- plan_ledger(plan)
  out <- numeric(rows_count(rows))
  windows <- own_windows(plan, rows)
  for (at in row_parts(rows)) {
    ask <- plan_ask(plan, plan$by[seq_len(rows$level[at[1]])])
    out[at] <- values_in_windows(x, ask, tree_slot(part$of, "present"), some_windows(windows, at))
  }
  out
}

# ---- numbers of members --------------------------------------------------------------

# By the share of a period's members that was seen with as many days left, in the last 12 periods.
expected_members <- function(plan, tree, rows, so_far) {
  x <- plan_ledger(plan)
  n <- rows_count(rows)
  whole <- periods_holding(rows$from[1], plan$per, plan$calendar)
  left <- whole$last - plan$as_of
  past <- periods_between(plan$first, plan$as_of, plan$per, plan$calendar)
  at <- which(past$complete & past$to - left >= past$from)
  at <- utils::tail(at, 12)
  end <- low <- high <- rep(NA_real_, n)
  if (length(at) < 3) return(list(end = end, low = low, high = high))
  for (i in seq_len(n)) {
    by <- plan$by[seq_len(rows$level[i])]
    value <- function(to) {
      windows <- new_windows(rep(rows$group[i], length(at)), past$from[at], to)
      window_values(tree, x, plan_ask(plan, by), windows)
    }
    seen <- value(past$to[at] - left)
    all <- value(past$to[at])
    share <- (seen / all)[all > 0 & seen > 0]
    if (length(share) < 3) next
    end[i] <- round(so_far[i] / stats::median(share))
    if (length(share) < 4) next
    off <- vapply(seq_along(share), function(k) abs(stats::median(share[-k]) / share[k] - 1), 0)
    off <- sort(off)[min(length(off), ceiling(0.8 * (length(off) + 1)))]
    low[i] <- max(so_far[i], round(end[i] * (1 - off)))
    high[i] <- round(end[i] * (1 + off))
  }
  list(end = pmax(end, so_far), low = low, high = high)
}
