#' Add a target
#'
#' The target of each row, from a table of targets, and how the measure stands against it. Targets may be finer than the
#' rows: those of the months of a quarter, or of the routes of a total, are added up. Missing ones are named.
#'
#' @param s A [statement()] with `per`.
#' @param m The name of one of its measures, bare or as text.
#' @param targets One number for every row, or a data frame with one row per target: a column of periods called `period`,
#'   or after a grain, such as `month` (text such as 2026-08, or dates); columns of the statement's attributes; and a
#'   column of amounts called `target`, or the only one of numbers.
#' @param days What a row that is part of a period is held against. "whole": the target of the whole period, with a note.
#'   "covered": the target times the part of the period's days that the row covers.
#' @param name Text of length one: what the new columns begin with, by default the measure's name.
#'
#' @return The statement with three more columns of doubles: `<m>_target`, `<m>_over_target` (the figure less the target) and
#'   `<m>_target_pct` (the figure in per cent of the target). Missing where no target is set; a note names those.
#' @section Errors:
#' `rollingledger_error_target` for a table without such columns, with two targets for one period and member, or a period that
#' is not understood; `rollingledger_error_measure` for a measure that the statement does not have or a name that is taken.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", by = "route", span = "last 2 months", income = total(fare)) |>
#'   add_target(income, demo_targets)
#' statement(fares, per = "quarter", span = "2026", income = total(fare)) |>
#'   add_target(income, demo_targets, days = "covered")
add_target <- function(s, m, targets, days = c("whole", "covered"), name = NULL) {
  check_statement(s)
  m <- statement_measure(s, rlang::enquo(m))
  days <- one_of(days, c("whole", "covered"), "days")
  plan <- attr(s, "plan")
  if (is.null(plan$per)) {
    refuse("target", c("Targets belong to periods, and the rows of this statement are spans.", i = "Ask for the statement with `per`."))
  }
  names <- vapply(paste0(name %||% m, c("_target", "_over_target", "_target_pct")), new_column_name, "", s = s, USE.NAMES = FALSE)
  rows <- current_rows(s)
  table <- read_targets(targets, plan)
  target <- row_targets(plan, table, rows, days)
  column <- measure_column(plan, m, kind = "target")
  column$decimals <- max(column$decimals, if (all(is.na(target)) || all(round(target) == target, na.rm = TRUE)) 0L else 2L)
  column$notes <- target_notes(names[1], target, rows, s, days)
  figures <- row_values(plan, plan$measures[[m]], rows, row_windows(rows, plan$per, plan$x$calendar))
  s <- add_column(s, names[1], target, column)
  s <- add_column(s, names[2], figures - target, column[setdiff(names(column), "notes")])
  add_column(s, names[3], 100 * ratio(figures, target), utils::modifyList(column[setdiff(names(column), "notes")], list(decimals = 1, unit = "%")))
}

# list(from, to, target, attributes): the days and members of each target.
read_targets <- function(targets, plan, call = caller_env()) {
  refuse_target <- function(...) refuse("target", c(...), call = call)
  if (is.numeric(targets) && length(targets) == 1 && !is.na(targets)) return(targets)
  if (!is.data.frame(targets) || nrow(targets) == 0) refuse_target("`targets` must be one number or a data frame with a row per target.")
  known <- names(targets)
  period <- intersect(c("period", gsub(" ", "_", grains), grains), known)
  if (length(period) != 1) {
    refuse_target(sprintf("`targets` needs one column of periods, called `period` or after a grain, such as `%s`.", gsub(" ", "_", plan$per)),
                  i = sprintf("It has: %s.", listed(known)))
  }
  by <- intersect(plan$by, known)
  numbers <- known[vapply(targets, is.numeric, TRUE) & !known %in% c(period, by)]
  amount <- if ("target" %in% known) "target" else numbers
  if (length(amount) != 1 || !is.numeric(targets[[amount]])) {
    refuse_target("`targets` needs one column of numbers, called `target`.", i = sprintf("It has: %s.", listed(known)))
  }
  days <- target_days(targets[[period]], period, plan, call)
  # Targets may be finer than the statement: by attributes that it does not have.
  told <- setdiff(known, c(period, numbers, amount))
  key <- rows_told_apart(c(list(days$from, days$to), lapply(told, function(name) as.character(targets[[name]]))), nrow(targets))
  if (key$count < nrow(targets)) {
    twice <- which(duplicated(key$number))[1]
    refuse_target(sprintf("There are two targets for %s.", listed(c(as.character(targets[[period]][twice]), vapply(told, function(name) member_text(targets[[name]][twice]), "")))))
  }
  list(from = days$from, to = days$to, target = as.double(targets[[amount]]), by = lapply(stats::setNames(nm = by), function(name) as.character(targets[[name]])))
}

# First and last day of each target's period.
target_days <- function(values, column, plan, call) {
  if (inherits(values, "Date")) {
    grain <- gsub("_", " ", column)
    return(periods_holding(whole_days(values), if (grain %in% grains) grain else plan$per, plan$x$calendar)[c("first", "last")] |> stats::setNames(c("from", "to")))
  }
  labels <- unique(as.character(values))
  days <- lapply(labels, function(label) {
    tree <- if (is.na(label)) list(problem = TRUE) else read_phrase(label, plan$x$calendar)
    resolved <- if (is.null(tree$problem)) resolve_phrase(label, "", plan$x$calendar, plan$as_of, NULL, call)
    if (length(resolved$to) != 1 || is.na(resolved$from)) {
      refuse("target", c(sprintf("The period \"%s\" of `targets` is not understood.", label), i = "Periods are written as 2026-08, 2026-Q3, FY2027 or 2026-W31."), call = call)
    }
    c(resolved$from, resolved$to)
  })
  days <- do.call(rbind, days)[match(as.character(values), labels), , drop = FALSE]
  list(from = days[, 1], to = days[, 2])
}

# The target of each row: those whose days lie in its period and whose members are its own, added up.
row_targets <- function(plan, table, rows, days) {
  whole <- whole_days_of_rows(plan, rows)
  part <- if (days == "covered") (rows$to - rows$from + 1) / (whole$to - whole$from + 1) else rep(1, length(rows$to))
  if (is.numeric(table)) return(table * part)
  out <- rep(NA_real_, length(rows$to))
  for (at in row_parts(rows)) {
    if (rows$set[at[1]] > 0L) next
    by <- intersect(names(table$by), plan$by[seq_len(rows$level[at[1]])])
    if (length(setdiff(plan$by[seq_len(rows$level[at[1]])], by)) > 0) next  # targets do not tell these groups apart
    mine <- rows_told_apart(lapply(unname(by), function(name) c(as.character(rows$values[[name]][at]), table$by[[name]])), length(at) + length(table$target))$number
    held <- split(seq_along(table$target), mine[-seq_along(at)])
    out[at] <- vapply(seq_along(at), function(i) {
      some <- held[[as.character(mine[i])]]
      some <- some[table$from[some] >= whole$from[at[i]] & table$to[some] <= whole$to[at[i]]]
      if (length(some) == 0) NA_real_ else sum(table$target[some])
    }, 0)
  }
  out * part
}

# The periods that rows are part of.
whole_days_of_rows <- function(plan, rows) {
  here <- periods_holding(rows$from, plan$per, plan$x$calendar)
  list(from = ifelse(rows$whole, rows$from, here$first), to = ifelse(rows$whole, rows$to, here$last))
}

target_notes <- function(name, target, rows, s, days) {
  plan <- attr(s, "plan")
  without <- which(is.na(target) & rows$set == 0L)
  said <- do.call(paste, c(unname(lapply(rows$values, function(values) member_text(values[without]))), list(s$period[without])))
  part <- unique(s$period[!s$complete & !is.na(target)])
  c(if (length(without) > 0) sprintf("%s: no target for %s", name, listed(said, most = 5)),
    if (length(part) > 0) sprintf("%s: %s %s over; the target is %s", name, listed(part, most = 3), if (length(part) == 1) "is not" else "are not",
                                  if (days == "whole") "that of the whole period" else "the part of it for the days covered"))
}
