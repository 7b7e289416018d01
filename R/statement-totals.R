# Rows of totals: over the members of trailing attributes, over all periods of a span, or both. They
# are asked of the source like any other row, and never added up from rows.

total_text <- "(all)"

# What stands for all members of an attribute in the rows of a statement. Without totals over
# members it may be the name of one.
total_members <- function(plan) if (plan$totals %in% c("by", "both")) total_text

check_totals <- function(plan, call = caller_env()) {
  totals <- plan$totals
  if (totals == "none") return(invisible())
  refuse_totals <- function(...) refuse("choice", c(...), arg = "totals", call = call)
  over_members <- totals %in% c("by", "both")
  if (over_members && is.null(plan$by)) {
    refuse_totals(sprintf("{totals = \"%s\"} needs attributes in {by}.", totals))
  }
  if (totals %in% c("period", "both") && is.null(plan$per)) {
    refuse_totals(
      sprintf("{totals = \"%s\"} needs periods, and the rows of this statement are spans.", totals),
                  i = "Ask for the whole as a span of its own.")
  }
  if (plan$anchor == "group") {
    refuse_totals("Groups with days of their own ({anchor = \"group\"}) have no totals.")
  }
  for (name in if (over_members) plan$by) {
    if (total_text %in% plan_members(plan, name)$text) {
      refuse_totals(sprintf("`%s` has a member called \"%s\", as totals are.", name, total_text),
                    i = "Give it another name in the source.")
    }
  }
  loose <- balances_without_member(plan)
  if (over_members && length(loose) > 0) {
    column <- loose[[1]]$column
    refuse_measure(
      c(sprintf(if (message_reader() == "page")
        "The balance of %s has no total over %s: its latest entry belongs to one of them."
        else "balance(%s) has no total over %s: its latest entry belongs to one of them.",
                column, listed(plan$by)),
        i = balance_of_each_text(column, plan$by[1])), call = call)
  }
}

# Balances that are the latest of all, not of each member.
balances_without_member <- function(plan) {
  Filter(function(leaf) leaf$fun == "balance" && is.null(leaf$options$each),
         measure_leaves(plan$measures))
}

is_overall_row <- function(plan, period) {
  if (!plan$totals %in% c("period", "both")) return(logical(length(period)))
  period %in% overall_labels(plan)
}

overall_labels <- function(plan) {
  if (length(plan$spans$label) == 1) total_text else sprintf("(all of %s)", plan$spans$label)
}

# The rows of statement_rows() with those of totals among them, each after the rows it is the total
# of.
with_totals <- function(plan, rows) {
  if (plan$totals == "none") return(rows)
  note <- rows$note
  rows <- rows[setdiff(names(rows), c("grid", "known", "note"))]
  groups <- groups_by(plan_ledger(plan), plan$by, FALSE)
  rows$codes <- groups_codes(groups, rows$group)
  rows$span <- if (is.null(plan$per)) match(rows$period, plan$spans$label)
               else findInterval(rows$from, plan$spans$from[order(plan$spans$from)])
  parts <- list(rows)
  if (plan$totals %in% c("by", "both")) {
    levels <- rev(seq_along(plan$by)) - 1L
    parts <- c(parts, lapply(levels, coarser_rows, plan = plan, rows = rows))
  }
  if (plan$totals %in% c("period", "both"))
    parts <- c(parts, lapply(parts, overall_rows, plan = plan))
  all <- rows_bind(parts)
  ranks <- Map(function(code, members) {
    ranked <- members$rank[code + 1L]
    ranked[is.na(code)] <- length(members$values) + 1L
    ranked
  }, all$codes, groups$members)
  first <- if (is.null(plan$per)) all$span else all$from
  at <- do.call(order, c(list(all$span, all$overall, first), unname(ranks)))
  all <- rows_select(all[setdiff(names(all), c("codes", "span"))], at)
  all$note <- note
  all
}

# One row for each period and group of the first `level` attributes.
coarser_rows <- function(plan, rows, level) {
  n <- rows_count(rows)
  by <- plan$by[seq_len(level)]
  group <- groups_of_codes(groups_by(plan_ledger(plan), by, FALSE), rows$codes[by], n)
  once <- which(!duplicated(number_rows(list(rows$span, rows$from, rows$to, group), n)$number))
  out <- rows_select(rows, once)
  out$group <- group[once]
  out$level <- rep(level, length(once))
  for (name in setdiff(plan$by, by)) out$codes[[name]] <- rep(NA_integer_, length(once))
  out
}

# One row for each span and group, over all its periods.
overall_rows <- function(plan, rows) {
  out <- rows_select(rows, which(!duplicated(rows_key(rows, c("span", "level", "group"))$number)))
  in_time <- order(plan$spans$from)
  out$period <- overall_labels(plan)[in_time][out$span]
  for (name in c("from", "to", "complete")) out[[name]] <- plan$spans[[name]][in_time][out$span]
  out$overall <- rep(TRUE, rows_count(out))
  out
}

# The attributes of rows: members, and the mark of a total where an attribute is summed over.
row_attributes <- function(plan, rows) {
  x <- plan_ledger(plan)
  groups <- groups_by(x, plan$by, FALSE)
  if (!is.null(rows$grid)) {
    return(lapply(groups_values(groups, rows$grid$groups), rep, times = rows$grid$times))
  }
  if (plan$totals %in% c("none", "period")) return(groups_values(groups, rows$group))
  lapply(stats::setNames(nm = plan$by), function(name) {
    k <- match(name, plan$by)
    members <- labelled_members(groups$members[[name]]$values, total_text)
    at <- rep(length(members), rows_count(rows))
    for (level in unique(rows$level[rows$level >= k])) {
      some <- rows$level == level
      coarser <- groups_by(x, plan$by[seq_len(level)], FALSE)
      at[some] <- groups_codes(coarser, rows$group[some])[[k]] + 1L
    }
    members[at]
  })
}

# Members as text, or levels, with a label that is not one of them at the end.
labelled_members <- function(members, label) {
  if (!is.factor(members)) return(c(plain_text(members), label))
  factor(c(plain_text(members), label), levels = c(levels(members), label),
         ordered = is.ordered(members))
}

# Rows that are totals, over members or periods.
total_rows <- function(s) {
  plan <- attr(s, "plan")
  level_of_rows(s) < length(plan$by) | is_overall_row(plan, s$period)
}
