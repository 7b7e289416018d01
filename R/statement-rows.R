# Which rows a statement has: periods (in order of time) times groups (in order of members).

# list(period, from, to, complete, group), one element per row; `note` where rows are left out, `grid` where every group has
# a row in every period, `known` figures of the cube's slots that came with the rows.
statement_rows <- function(plan, call = caller_env()) {
  groups <- statement_groups(plan)
  if (!is.null(plan$anchors)) return(anchored_rows(plan, groups, call))
  periods <- statement_periods(plan, plan$spans)
  p <- length(periods$label)
  g <- length(groups)
  limit <- getOption("rollingledger.zero_rows", 1e6)
  sparse <- !is.null(plan$by) && !plan$list_all && !has_levels(plan) && as.double(p) * g > limit
  if (!sparse && as.double(p) * g > most_rows) refuse_too_many_rows(p, g, plan, call)
  note <- if (sparse) {
    sprintf("Rows without entries are left out, as %s times %s would be too many; list_all = TRUE keeps them.",
            count_text(p, plan$per %||% "span"), count_text(g, "group"))
  }
  if (sparse) inform(note, class = "rollingledger_message")
  if (!sparse) {
    rows <- lapply(periods[c("label", "from", "to", "complete")], rep.int, times = rep.int(g, p))
    names(rows)[1] <- "period"
    return(c(rows, list(group = rep(groups, times = p), grid = list(groups = groups, times = p))))
  }
  at <- rows_with_entries(plan, periods, groups)
  list(period = periods$label[at$period], from = periods$from[at$period], to = periods$to[at$period],
       complete = periods$complete[at$period], group = at$group, known = at$known, note = note)
}

# The core looks through stretches of days that do not overlap; spans of any kind may.
rows_with_entries <- function(plan, periods, groups) {
  cube <- plan_cube(plan)
  if (!is.null(plan$per)) {
    held <- core_stretches_with_entries(cube$pointer, groups, periods$from, periods$to)
    held$known <- stats::setNames(held$figures, cube$keys)
    return(held)
  }
  held <- lapply(seq_along(periods$label), function(i) core_stretches_with_entries(cube$pointer, groups, periods$from[i], periods$to[i])$group)
  list(period = rep(seq_along(held), lengths(held)), group = unlist(held))
}

# Rows where each group has days of its own: in order of the spans, or of time, then of the groups.
anchored_rows <- function(plan, groups, call) {
  none <- list(period = character(), from = integer(), to = integer(), complete = logical(), group = integer())
  if (length(groups) == 0) return(none)
  parts <- lapply(anchor_classes(plan, groups), function(class) {
    periods <- statement_periods(plan, class$spans)
    at <- rep(seq_along(periods$label), times = length(class$groups))
    list(period = periods$label[at], from = periods$from[at], to = periods$to[at], complete = periods$complete[at],
         group = rep(class$groups, each = length(periods$label)), at = at)
  })
  size <- sum(vapply(parts, function(part) length(part$at), 0))
  if (size == 0) return(none)  # no group has a day of the spans that are its own
  if (size > most_rows) refuse_too_many_rows(ceiling(size / length(groups)), length(groups), plan, call)
  rows <- do.call(Map, c(c, unname(parts)))
  first <- if (is.null(plan$per)) rows$at else rows$from
  lapply(rows[c("period", "from", "to", "complete", "group")], function(column) column[order(first, match(rows$group, groups))])
}

# Whether a statement has a measure of how things stand, which needs no entry in the span.
has_levels <- function(plan) any(vapply(plan$measures, is_level, TRUE))

# More would take tens of gigabytes.
most_rows <- 1e8

# The spans themselves, or the periods of `per` inside each.
statement_periods <- function(plan, spans) {
  if (is.null(plan$per)) {
    shown <- plan$partial == "flag" | !spans$cut
    return(lapply(spans[c("label", "from", "to", "complete")], function(column) column[shown]))
  }
  parts <- lapply(seq_along(spans$from), function(i) periods_between(spans$from[i], spans$to[i], plan$per, plan$x$calendar))
  periods <- do.call(Map, c(c, parts))
  if (plan$partial == "flag") return(periods)
  lapply(periods, function(column) column[periods$complete])
}

# Group numbers to be listed, in order of their members.
statement_groups <- function(plan) {
  if (is.null(plan$by)) return(0L)
  cube <- plan_cube(plan)
  every <- seq_len(core_cube_facts(cube$pointer)$groups) - 1L
  if (!is.null(plan$anchors)) every <- every[!is.na(plan$anchors)]
  if (plan$list_all) {
    listed <- every
    if (length(plan$by) > 1) {
      span <- plan$x$bases[[plan$on]]
      listed <- every[group_entries(entries_cube(plan), every, span$first, span$last) > 0]
    }
  } else {
    listed <- unlist(lapply(anchor_classes(plan, every), function(class) {
      # What was carried forward into the span is in it.
      from <- if (has_levels(plan)) rep(first_day_there_is, length(class$spans$from)) else class$spans$from
      held <- lapply(seq_along(from), function(i) group_entries(cube, class$groups, from[i], class$spans$to[i]) > 0)
      class$groups[Reduce(`|`, held)]
    }), use.names = FALSE)
  }
  values <- core_group_members(cube$pointer, listed, length(plan$by))
  ranks <- Map(function(members, code) member_ranks(members)[code + 1L], cube$members, values)
  listed[do.call(order, unname(ranks))]
}

# All entries of the ledger by the statement's attributes, whatever the conditions.
entries_cube <- function(plan) memory_cube(plan$x, plan$on, plan$by, NULL, measure_slots(list(), plan$x))

group_entries <- function(cube, groups, from, to) cube_figures(cube, entry_count, new_windows(groups, from, to))

refuse_too_many_rows <- function(p, g, plan, call) {
  refuse("choice", c(
    sprintf("A statement of %s times %s would have %s rows.", count_text(p, plan$per %||% "span"),
            count_text(g, "group"), number_text(as.double(p) * g)),
    i = "Take a coarser `per`, fewer attributes in `by`, or leave `list_all` out."
  ), call = call)
}
