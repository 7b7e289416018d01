# Rows of totals: over the members of trailing attributes, over all periods of a span, or both. They are asked of the source
# like any other row, and never added up from rows.

total_text <- "(all)"

check_totals <- function(totals, plan, call = caller_env()) {
  if (totals == "none") return(invisible())
  refuse_totals <- function(...) refuse("choice", c(...), arg = "totals", call = call)
  if (totals %in% c("by", "both") && is.null(plan$by)) refuse_totals(sprintf("`totals = \"%s\"` needs attributes in `by`.", totals))
  if (totals %in% c("period", "both") && is.null(plan$per)) {
    refuse_totals(sprintf("`totals = \"%s\"` needs periods, and the rows of this statement are spans.", totals), i = "Ask for the whole as a span of its own.")
  }
  if (plan$anchor == "group") refuse_totals("Groups with days of their own (`anchor = \"group\"`) have no totals.")
  for (name in if (totals %in% c("by", "both")) plan$by) {
    if (total_text %in% plain_text(ledger_attribute(plan$x, name)$members)) {
      refuse_totals(sprintf("`%s` has a member called \"%s\", as totals are.", name, total_text), i = "Give it another name in the source.")
    }
  }
  loose <- Filter(function(leaf) leaf$fun == "balance" && is.null(leaf$options$each), measure_leaves(plan$measures))
  if (totals %in% c("by", "both") && length(loose) > 0) {
    refuse_measure(c(sprintf("balance(%s) has no total over %s: the latest of all is that of one of them.", loose[[1]]$column, listed(plan$by)),
                     i = sprintf("balance(%s, each = %s) adds up the latest of each.", loose[[1]]$column, plan$by[1])), call = call)
  }
}

is_whole_row <- function(plan, period) {
  if (!plan$totals %in% c("period", "both")) return(logical(length(period)))
  period %in% whole_labels(plan)
}

whole_labels <- function(plan) if (length(plan$spans$label) == 1) total_text else sprintf("(all of %s)", plan$spans$label)

# The rows of statement_rows() with those of totals among them, each after the rows it is the total of.
with_totals <- function(plan, rows) {
  rows$grid <- NULL
  n <- length(rows$group)
  rows$codes <- core_group_members(plan_cube(plan)$pointer, rows$group, length(plan$by))
  rows$span <- if (is.null(plan$per)) match(rows$period, plan$spans$label) else findInterval(rows$from, plan$spans$from[order(plan$spans$from)])
  rows$level <- rep(length(plan$by), n)
  rows$whole <- logical(n)
  parts <- list(rows)
  if (plan$totals %in% c("by", "both")) parts <- c(parts, lapply(rev(seq_along(plan$by)) - 1L, coarser_rows, plan = plan, rows = rows))
  if (plan$totals %in% c("period", "both")) parts <- c(parts, lapply(parts, whole_rows, plan = plan))
  codes <- lapply(seq_along(plan$by), function(k) unlist(lapply(parts, function(part) part$codes[[k]])))
  plain <- setdiff(names(rows), "codes")
  out <- stats::setNames(lapply(plain, function(name) unlist(lapply(parts, `[[`, name))), plain)
  ranks <- Map(function(code, members) {
    ranked <- member_ranks(members)[code + 1L]
    ranked[is.na(code)] <- length(members) + 1L
    ranked
  }, codes, plan_cube(plan)$members)
  first <- if (is.null(plan$per)) out$span else out$from
  at <- do.call(order, c(list(out$span, out$whole, first), unname(ranks)))
  lapply(out[c("period", "from", "to", "complete", "group", "level", "whole")], function(column) column[at])
}

# One row for each period and group of the first `level` attributes.
coarser_rows <- function(plan, rows, level) {
  group <- if (level == 0) integer(length(rows$group)) else core_group_numbers(plan_cube(plan, level)$pointer, rows$codes[seq_len(level)])
  once <- !duplicated(rows_told_apart(list(rows$span, rows$from, rows$to, group),
                                      length(group))$number)
  out <- lapply(rows[setdiff(names(rows), "codes")], function(column) column[once])
  out$group <- group[once]
  out$level <- rep(level, sum(once))
  out$codes <- Map(function(code, k) if (k <= level) code[once] else rep(NA_integer_, sum(once)), rows$codes, seq_along(rows$codes))
  out
}

# One row for each span and group, over all its periods.
whole_rows <- function(plan, rows) {
  once <- !duplicated(rows_told_apart(list(rows$span, rows$level, rows$group),
                                      length(rows$group))$number)
  out <- lapply(rows[setdiff(names(rows), "codes")], function(column) column[once])
  out$codes <- lapply(rows$codes, function(code) code[once])
  spans <- lapply(plan$spans[c("from", "to", "complete")], function(column) column[order(plan$spans$from)])
  out$period <- whole_labels(plan)[order(plan$spans$from)][out$span]
  for (name in names(spans)) out[[name]] <- spans[[name]][out$span]
  out$whole <- rep(TRUE, length(out$group))
  out
}

# The attributes of rows: members, and the mark of a total where an attribute is summed over.
row_attributes <- function(plan, rows) {
  if (!is.null(rows$grid)) return(lapply(cube_group_values(plan_cube(plan), rows$grid$groups), rep, times = rows$grid$times))
  if (plan$totals %in% c("none", "period")) return(cube_group_values(plan_cube(plan), rows$group))
  lapply(stats::setNames(nm = plan$by), function(name) {
    k <- match(name, plan$by)
    members <- labelled_members(plan_cube(plan)$members[[name]], total_text)
    at <- rep(length(members), length(rows$group))
    for (level in unique(rows$level[rows$level >= k])) {
      some <- rows$level == level
      at[some] <- core_group_members(plan_cube(plan, level)$pointer, rows$group[some], level)[[k]] + 1L
    }
    members[at]
  })
}

# Members as text, or levels, with a label that is none of them at the end.
labelled_members <- function(members, label) {
  if (!is.factor(members)) return(c(plain_text(members), label))
  factor(c(plain_text(members), label), levels = c(levels(members), label),
         ordered = is.ordered(members))
}

# Rows that are no totals.
drawn_rows <- function(s) {
  plan <- attr(s, "plan")
  if (plan$totals == "none") return(rep(TRUE, nrow(s)))
  rows <- current_rows(s)
  rows$level == length(plan$by) & !rows$whole
}
