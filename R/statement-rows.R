# Which rows a statement has: periods (in order of time) times groups (in order of members).

# list(period, from, to, complete, group, note), one element per row.
statement_rows <- function(plan, call = caller_env()) {
  periods <- statement_periods(plan)
  groups <- statement_groups(plan)
  p <- length(periods$label)
  g <- length(groups)
  limit <- getOption("rollingledger.zero_rows", 1e6)
  sparse <- !is.null(plan$by) && !plan$list_all && as.double(p) * g > limit
  if (!sparse && as.double(p) * g > most_rows) refuse_too_many_rows(p, g, plan, call)
  at <- if (sparse) core_stretches_with_entries(plan_cube(plan)$pointer, groups, periods$from, periods$to) else {
    list(period = rep(seq_len(p), each = g), group = rep(groups, times = p))
  }
  note <- if (sparse) {
    sprintf("Rows without entries are left out, as %s times %s would be too many; list_all = TRUE keeps them.",
            count_text(p, plan$per %||% "span"), count_text(g, "group"))
  }
  if (sparse) inform(note, class = "rollingledger_message")
  list(period = periods$label[at$period], from = periods$from[at$period], to = periods$to[at$period],
       complete = periods$complete[at$period], group = at$group, note = note)
}

# More would take tens of gigabytes.
most_rows <- 1e8

statement_periods <- function(plan) {
  span <- plan$span
  if (is.null(plan$per)) {
    asked <- read_span(span$phrase, plan$x$calendar)
    whole <- (is.na(asked$from) || asked$from == span$from) && (is.na(asked$to) || asked$to == span$to)
    return(list(label = span$phrase, from = span$from, to = span$to, complete = whole))
  }
  periods <- periods_between(span$from, span$to, plan$per, plan$x$calendar)
  if (plan$partial == "flag") return(periods)
  lapply(periods, function(column) column[periods$complete])
}

# Group numbers to be listed, in order of their members.
statement_groups <- function(plan) {
  if (is.null(plan$by)) return(0L)
  cube <- plan_cube(plan)
  every <- seq_len(core_cube_facts(cube$pointer)$groups) - 1L
  if (plan$list_all) {
    listed <- every
    if (length(plan$by) > 1) {
      whole <- memory_cube(plan$x, plan$on, plan$by, NULL, measure_slots(list(), plan$x))
      span <- plan$x$bases[[plan$on]]
      listed <- every[group_entries(whole, every, span$first, span$last) > 0]
    }
  } else {
    listed <- every[group_entries(cube, every, plan$span$from, plan$span$to) > 0]
  }
  values <- core_group_members(cube$pointer, listed, length(plan$by))
  ranks <- Map(function(members, code) member_ranks(members)[code + 1L], cube$members, values)
  listed[do.call(order, unname(ranks))]
}

entry_count <- list(what = "count", column = NULL, where = NULL)

group_entries <- function(cube, groups, from, to) cube_figures(cube, entry_count, new_windows(groups, from, to))

refuse_too_many_rows <- function(p, g, plan, call) {
  refuse("choice", c(
    sprintf("A statement of %s times %s would have %s rows.", count_text(p, plan$per %||% "span"),
            count_text(g, "group"), number_text(as.double(p) * g)),
    i = "Take a coarser `per`, fewer attributes in `by`, or leave `list_all` out."
  ), call = call)
}

# The rows of a statement as it stands now, which the user may have cut or put in another order:
# group numbers and days, from the statement's own columns.
current_rows <- function(s, call = caller_env()) {
  plan <- attr(s, "plan")
  cube <- plan_cube(plan)
  group <- if (is.null(plan$by)) rep(0L, nrow(s)) else cube_groups(cube, unclass(s)[plan$by])
  if (any(group < 0)) {
    bad <- which(group < 0)[1]
    refuse("statement", sprintf("Row %d names a group that the ledger does not have (%s).", bad,
                                listed(member_text(vapply(unclass(s)[plan$by], function(v) as.character(v[bad]), "")))), call = call)
  }
  list(group = group, from = whole_days(s$from), to = whole_days(s$to))
}
