describe_verb("add_per_day", asked_of = "statement", flag = "per-day",
  m = field("measure", "measure to add the average per day of", value = "MEASURE", needed = TRUE,
            more = "The name of one of the statement's measures that add up (totals and counts)."),
  days = field("choice", "the days that are counted", default = "working",
               choices = c("working", "calendar", "used"), value = "WORD", more = paste(
    "\"working\": the working days of the ledger's [ledger_calendar()], without its holidays;",
    "\"calendar\": all days; \"used\": days with an entry of the row's own group that passes the",
    "conditions.")),
  name = field("text", "name of the new column, by default such as income_per_working_day",
               value = "NAME")
)

#' Add an average per day
#'
#' The measure of each row divided by its days: working days by the calendar, all days, or days with
#' entries. Where groups or conditions are of calendar parts, only their days count: the income of a
#' month's Mondays is divided by its Mondays. So months of unlike length, or with unlike holidays,
#' can be told apart from months in which more was done.
#'
#' @param s A [statement()].
#' @eval field_params("add_per_day")
#' @return The statement with one more column of doubles; missing where there is no such day.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have or that does not add
#' up, or a name that is taken; `rollingledger_error_choice` for unknown `days`.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"),
#'                 calendar = ledger_calendar(holidays = c(Christmas = "2025-12-25")))
#' statement(fares, per = "month", span = "2025-11/2026-02", income = total(fare)) |>
#'   add_per_day(income)
#' @include question-fields.R statement-kinds.R statement-steps.R
add_per_day <- with_fields("add_per_day", function(s, m, days, name) take_verb_step("add_per_day"))

register_verb("add_per_day", needs = c("from", "to"), add = function(s, plan, args, call) {
  if (!is_additive(plan$measures[[args$m]])) {
    refuse_measure(c(sprintf("`%s` does not add up, so it has no average per day.", args$m),
                     i = "Totals and counts have."), call = call)
  }
  name <- args$name %||% sprintf("%s_per_%s_day", args$m, args$days)
  name <- new_column_name(s, name, call)
  column <- measure_column(args$m, plan, "per day", days = args$days)
  column <- with_decimals_from(column, 1L)
  tree <- plan$measures[[args$m]]
  column$notes <- c(
    if (args$days == "working")
      sprintf("%s: working days are %s", name, workdays_text(plan$calendar)),
    if (args$days != "used" && length(day_conditions(plan, tree)) > 0)
      sprintf("%s: only days that can pass the conditions are counted", name))
  add_column(s, name, column_values(column, plan, current_rows(s, call)), column)
})

register_kind("per day", values = function(plan, column, rows) {
  windows <- own_windows(plan, rows)
  tree <- plan$measures[[column$measure]]
  values <- row_values(plan, tree, rows, windows)
  count <- if (column$days == "used") row_values(plan, days_used(plan), rows, windows)
           else days_of_rows(plan, tree, rows, column$days == "working")
  ratio(values, count)
})

# How many days, or working days, each row has: of a calendar part, in its group or in a condition,
# those of that part, so that the Mondays of a month are divided by its Mondays.
days_of_rows <- function(plan, tree, rows, working) {
  if (rows_count(rows) == 0) return(integer())
  parts <- setdiff(plan$calendar_by, "hour")
  conditions <- day_conditions(plan, tree)
  if (length(parts) == 0 && length(conditions) == 0) {
    return(if (working) working_days(rows$from, rows$to, plan$calendar)
           else rows$to - rows$from + 1L)
  }
  days <- seq.int(min(rows$from), max(rows$to))
  counts <- if (working) is_working_day(days, plan$calendar) else rep(TRUE, length(days))
  for (one in conditions) {
    counts <- counts & days_passing(one$condition, one$told, days, plan$calendar)
  }
  members <- lapply(stats::setNames(nm = parts), function(part) {
    plain_text(calendar_parts[[part]]$of_days(days, plan$calendar))
  })
  asked <- lapply(rows$values[parts], plain_text)
  told <- number_rows(c(list(rows$from, rows$to, rows$level, rows$set), asked),
                          rows_count(rows))
  once <- vapply(told$first, function(i) {
    within <- seq.int(rows$from[i], rows$to[i]) - days[1] + 1L
    own <- counts[within]
    # A total is of all members of the attributes that it leaves out.
    for (part in parts[match(parts, plan$by) <= rows$level[i]]) {
      there <- members[[part]][within]
      own <- own & if (rows$set[i] > 0L && part == plan$rest$attribute) {
        !there %in% plain_text(plan$rest$kept[[rows$set[i]]])
      } else there %in% asked[[part]][i]
    }
    sum(own)
  }, 0)
  once[told$number]
}

# The conditions that a measure's entries pass which speak of calendar parts, each list(condition,
# told), `told` being these parts: those of the ledger on the same date basis, of the statement,
# and any of the measure's own.
day_conditions <- function(plan, tree) {
  x <- plan_ledger(plan)
  own <- lapply(measure_leaves(list(tree)), function(leaf) leaf$where)
  either <- function(a, b) list(node = "either", a = a, b = b)
  own <- if (!any(vapply(own, is.null, TRUE))) Reduce(either, own)
  conditions <- c(kept_conditions(x, plan$on), lapply(list(plan$where, own), parts_of_days, x = x))
  Filter(function(one) length(one$told) > 0, conditions)
}

# The conditions by which entries of a ledger were kept, where their days are of the date basis.
kept_conditions <- function(x, on) {
  facts <- source_facts(x)
  if (on != names(facts$dates)[1]) return(NULL)
  steps <- Filter(function(step) {
    step$verb == "keep_entries" &&
      length(parts_needed(step$condition, x)) > 0
  }, facts$given$steps)
  lapply(steps, function(step) {
    asked <- ledger_asked(x, list(step$condition), NULL, on)
    parts_of_days(text_condition(step$condition, asked), asked)
  })
}

parts_of_days <- function(condition, x) {
  parts <- setdiff(intersect(condition_columns(condition), source_parts(x)), "hour")
  list(condition = condition, told = parts)
}

# Whether entries of each day can pass a condition, as far as its calendar parts tell.
days_passing <- function(condition, parts, days, calendar) {
  settled <- function(tree) {
    if (tree$node == "negate") {
      a <- settled(tree$a)
      return(list(may = !a$must, must = !a$may))
    }
    if (tree$node %in% c("both", "either")) {
      join <- if (tree$node == "both") `&` else `|`
      return(Map(join, settled(tree$a), settled(tree$b)))
    }
    if (!isTRUE(tree$column %in% parts)) return(list(may = TRUE, must = FALSE))
    passes <- member_answers(tree, calendar_parts[[tree$column]]$of_days(days, calendar)) == 2L
    list(may = passes, must = passes)
  }
  rep_len(settled(condition)$may, length(days))
}

# The measure that counts the days on which a group has an entry.
days_used <- function(plan) {
  column <- source_facts(plan_ledger(plan))$dates[[plan$on]]$column
  list(node = "measure", fun = "distinct", column = column)
}
