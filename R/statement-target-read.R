# Tables of targets: their periods as days, and which of them are of the entries that a measure
# counts.

# list(from, to, target, told, where, unknown, left_out): the days and amount of each target; the
# members that it is of (text, one vector for each column that tells targets apart); the condition
# that the measure's entries pass; columns in conditions that targets do not have; and how many
# targets had no period. Or one number.
read_targets <- function(targets, plan, m, call = caller_env()) {
  refuse_target <- function(...) refuse("target", c(...), call = call)
  if (is.numeric(targets) && length(targets) == 1 && !is.na(targets)) return(targets)
  if (!is.data.frame(targets) || nrow(targets) == 0) {
    refuse_target("{targets} must be one number or a data frame with a row per target.")
  }
  there <- names(targets)
  period <- period_column(targets, plan, refuse_target)
  numbers <- setdiff(there[vapply(targets, is.numeric, TRUE)], c(period, plan$by))
  amount <- if ("target" %in% there) "target" else numbers
  if (length(amount) != 1 || !is.numeric(targets[[amount]])) {
    refuse_target("{targets} needs one column of numbers, called `target`.",
                  i = sprintf("It has: %s.", listed(there)))
  }
  dated <- !is.na(targets[[period]])
  left_out <- sum(!dated)
  targets <- targets[dated, , drop = FALSE]
  days <- target_days(targets[[period]], period, plan, call)
  # Targets may be finer than the statement: by attributes that it does not have.
  told <- setdiff(there,
                  c(period, amount, setdiff(numbers, source_column_names(plan_ledger(plan)))))
  members <- lapply(stats::setNames(nm = told), function(name) plain_text(targets[[name]]))
  key <- number_rows(c(list(days$from, days$to), unname(members)), nrow(targets))
  if (key$count < nrow(targets)) {
    twice <- which(duplicated(key$number))[1]
    of <- vapply(members, function(text) member_text(text[twice]), "")
    refuse_target(sprintf("There are two targets for %s.",
                          listed(c(plain_text(targets[[period]][twice]), of))))
  }
  held <- targets_asked_for(nrow(targets), members, conditions_of(plan, m), plan_ledger(plan))
  list(from = days$from[held$at], to = days$to[held$at],
       target = as.double(targets[[amount]])[held$at],
       told = lapply(members, function(text) text[held$at]),
       where = both_conditions(plan$where, shared_condition(plan, m)),
       unknown = held$unknown, left_out = left_out)
}

# The one column of periods: `period`, or one called after a grain.
period_column <- function(targets, plan, refuse_target) {
  period <- intersect(c("period", gsub(" ", "_", grains), grains), names(targets))
  if (length(period) == 1) return(period)
  refuse_target(
    sprintf(
      "{targets} needs one column of periods, called `period` or after a grain, such as `%s`.",
            gsub(" ", "_", plan$per)),
                i = sprintf("It has: %s.", listed(names(targets))))
}

# First and last day of each target's period.
target_days <- function(values, column, plan, call) {
  if (inherits(values, "Date")) {
    grain <- gsub("_", " ", column)
    if (!grain %in% grains) grain <- plan$per
    held <- periods_holding(day_numbers(values), grain, plan$calendar)
    return(list(from = held$first, to = held$last))
  }
  labels <- unique(plain_text(values))
  days <- lapply(labels, function(label) {
    tree <- read_phrase(label, plan$calendar)
    resolved <- if (is.null(tree$problem)) {
      resolve_phrase(label, "", plan$calendar, plan$as_of, NULL, call)
    }
    if (length(resolved$to) != 1 || is.na(resolved$from)) {
      refuse("target", c(sprintf("The period \"%s\" of {targets} is not understood.", label),
                         i = "Periods are written as 2026-08, 2026-Q3, FY2027 or 2026-W31."),
             call = call)
    }
    c(resolved$from, resolved$to)
  })
  days <- do.call(rbind, days)[match(plain_text(values), labels), , drop = FALSE]
  list(from = days[, 1], to = days[, 2])
}

# The condition of a measure, where all of its parts share one.
shared_condition <- function(plan, m) {
  own <- unique(lapply(measure_leaves(plan$measures[m]), function(leaf) leaf$where))
  if (length(own) == 1) own[[1]]
}

# The conditions that single entries behind a measure pass: those of the ledger, of the statement
# and of the measure, taken apart at "and".
conditions_of <- function(plan, m) {
  trees <- c(source_facts(plan_ledger(plan))$wheres,
             list(plan$where, shared_condition(plan, m)))
  apart <- function(tree) {
    if (is.null(tree)) list() else if (tree$node == "both") c(apart(tree$a), apart(tree$b))
    else list(tree)
  }
  unlist(lapply(trees, apart), recursive = FALSE)
}

# list(at, unknown): the targets of entries that pass the conditions, and the columns in conditions
# that targets do not have.
targets_asked_for <- function(n, members, asked, x) {
  at <- seq_len(n)
  unknown <- character()
  for (tree in asked) {
    columns <- names_in(list(tree))
    if (length(columns) == 0) next  # TRUE or FALSE for every entry
    absent <- setdiff(columns, names(members))
    if (length(absent) > 0) {
      unknown <- union(unknown, absent)
      next
    }
    # A line for all members is of no condition on them.
    total <- Reduce(`|`, lapply(members[columns], function(text) text[at] %in% total_text))
    at <- at[!total]
    at <- at[source_passing(x, lapply(members[columns], function(text) text[at]), tree)]
  }
  list(at = at, unknown = unknown)
}
