# Rows of a statement: periods (in order of time) times groups (in order of members), totals among
# them. Rows are told apart by days and group numbers, never by labels.

# list(period, from, to, complete, group, level, overall, set, values): label and days of each row;
# its group among those of the first `level` attributes; whether it is a total over all periods of
# its span; the number of what a ranking left over, 0 for none; and its members, by attribute. More
# columns may stand beside them.
new_rows <- function(period, from, to, group, level, complete = NULL, overall = NULL, set = NULL,
                     values = NULL, ...) {
  n <- length(to)
  rows <- list(period = period, from = from, to = to, group = group, level = rep_len(level, n),
               overall = overall %||% logical(n), set = set %||% integer(n), values = values,
               complete = complete, ...)
  rows <- rows[!vapply(rows, is.null, TRUE)]
  plain <- rows[!vapply(rows, is.list, TRUE)]
  stopifnot(all(lengths(plain) == n), !anyNA(group))
  rows
}

rows_count <- function(rows) length(rows$to)

# Some of the rows, by number.
rows_select <- function(rows, at) {
  lapply(rows, function(column) {
    if (is.list(column)) lapply(column, function(values) values[at]) else column[at]
  })
}

# Rows of several kinds as one, with the columns that all of them have.
rows_bind <- function(parts) {
  shared <- Reduce(intersect, lapply(parts, names))
  together <- function(columns) {
    if (is.list(columns[[1]])) do.call(Map, c(c, columns)) else unlist(columns, use.names = FALSE)
  }
  lapply(stats::setNames(nm = shared), function(name) together(lapply(parts, `[[`, name)))
}

# Numbers that tell rows apart by whole numbers alone: number_rows() of some of their columns.
rows_key <- function(rows, columns = c("from", "to", "overall", "level", "set", "group")) {
  number_rows(unname(rows[columns]), rows_count(rows))
}

# What verbs that follow need of rows.
plain_rows <- function(rows) {
  rows[c("period", "from", "to", "group", "level", "overall", "set", "values")]
}

# The rows of a plan without totals. `note` where rows are left out, `known` figures by slot that
# came with them, `grid` where every group has a row in every period: list(groups, times).
statement_rows <- function(plan, call = caller_env()) {
  groups <- statement_groups(plan)
  if (!is.null(plan$anchors)) return(anchored_rows(plan, groups, call))
  periods <- statement_periods(plan, plan$spans)
  p <- length(periods$label)
  g <- length(groups)
  limit <- getOption("rollingledger.zero_rows", 1e6)
  sparse <- !is.null(plan$by) && !plan$list_all && !has_levels(plan) && as.double(p) * g > limit
  if (!sparse && as.double(p) * g > most_rows) refuse_too_many_rows(p, g, plan, call)
  level <- length(plan$by)
  if (!sparse) {
    each <- lapply(periods, rep.int, times = rep.int(g, p))
    return(new_rows(each$label, each$from, each$to, rep(groups, times = p), level, each$complete,
                    grid = list(groups = groups, times = p)))
  }
  note <- sprintf(
    paste0("Rows without entries are left out, as %s times %s would be too many; list_all = TRUE ",
           "keeps them."),
                  count_text(p, plan$per %||% "span"), count_text(g, "group"))
  inform(note, class = "rollingledger_message")
  held <- rows_with_entries(plan, periods, groups)
  some <- lapply(periods, function(column) column[held$period])
  rows <- new_rows(some$label, some$from, some$to, held$group, level, some$complete)
  rows$known <- held$figures
  rows$note <- note
  rows
}

# The core looks through stretches of days that do not overlap; spans of any kind may.
rows_with_entries <- function(plan, periods, groups) {
  x <- plan_ledger(plan)
  ask <- plan_ask(plan)
  if (!is.null(plan$per)) return(held_periods(x, ask, groups, periods$from, periods$to))
  held <- lapply(seq_along(periods$label), function(i) {
    held_periods(x, ask, groups, periods$from[i], periods$to[i])$group
  })
  list(period = rep(seq_along(held), lengths(held)), group = unlist(held))
}

# Rows where each group has days of its own: in order of the spans, or of time, then of the groups.
anchored_rows <- function(plan, groups, call) {
  level <- length(plan$by)
  none <- new_rows(character(), integer(), integer(), integer(), level, logical())
  if (length(groups) == 0) return(none)
  parts <- lapply(anchor_classes(plan, groups), function(class) {
    periods <- statement_periods(plan, class$spans)
    at <- rep(seq_along(periods$label), times = length(class$groups))
    list(period = periods$label[at], from = periods$from[at], to = periods$to[at],
         complete = periods$complete[at],
         group = rep(class$groups, each = length(periods$label)), at = at)
  })
  size <- sum(vapply(parts, function(part) length(part$at), 0))
  if (size == 0) return(none)  # no group has a day of the spans that are its own
  if (size > most_rows) {
    refuse_too_many_rows(ceiling(size / length(groups)), length(groups), plan, call)
  }
  all <- rows_bind(parts)
  sorted <- order(if (is.null(plan$per)) all$at else all$from, match(all$group, groups))
  all <- rows_select(all, sorted)
  new_rows(all$period, all$from, all$to, all$group, level, all$complete)
}

# Whether a statement has a measure of how things stand, which needs no entry in the span.
has_levels <- function(plan) any(vapply(plan$measures, is_level, TRUE))

# More would take tens of gigabytes.
most_rows <- 1e8

# The spans themselves, or the periods of `per` inside each: list(label, from, to, complete).
statement_periods <- function(plan, spans) {
  if (is.null(plan$per)) {
    shown <- plan$partial == "flag" | !spans$cut
    return(lapply(spans[c("label", "from", "to", "complete")], function(column) column[shown]))
  }
  parts <- lapply(seq_along(spans$from), function(i) {
    periods_between(spans$from[i], spans$to[i], plan$per, plan$calendar)
  })
  periods <- do.call(Map, c(c, parts))
  if (plan$partial == "flag") return(periods)
  lapply(periods, function(column) column[periods$complete])
}

# Group numbers to be listed, in order of their members.
statement_groups <- function(plan) {
  if (is.null(plan$by)) return(0L)
  key <- list("groups listed", plan$id, plan$spans, plan$list_all)
  kept_in(ledger_cache(plan_ledger(plan)), key, function() groups_to_list(plan))
}

groups_to_list <- function(plan) {
  x <- plan_ledger(plan)
  all <- plan$list_all || !is.null(plan$anchors)
  within <- list(ask = plan_ask(plan), to = max(plan$spans$to),
                 from = if (has_levels(plan)) first_day_there_is else min(plan$spans$from))
  groups <- groups_by(x, plan$by, all, if (!all) within)
  every <- all_groups(groups)
  if (!is.null(plan$anchors)) every <- every[!is.na(plan$anchors)]
  if (!plan$list_all) {
    listed <- unlist(lapply(anchor_classes(plan, every), groups_held, plan = plan, x = x),
                     use.names = FALSE)
  } else if (length(plan$by) > 1) {
    held <- group_entries(x, entries_ask(plan), every, plan$first, plan$last)
    listed <- every[held > 0]
  } else listed <- every[!without_part(groups, every, source_parts(x))]
  groups_in_order(groups, as.integer(listed))
}

# Groups without a member of a calendar part: entries without a day on the date basis, which are in
# no figure.
without_part <- function(groups, numbers, parts) {
  parts <- intersect(groups$by, parts)
  if (length(parts) == 0) return(logical(length(numbers)))
  Reduce(`|`, lapply(groups_values(groups, numbers)[parts], is.na))
}

# Groups of a class with an entry in its spans; what was carried forward into a span is in it.
groups_held <- function(class, plan, x) {
  from <- class$spans$from
  if (has_levels(plan)) from <- rep(first_day_there_is, length(from))
  held <- lapply(seq_along(from), function(i) {
    group_entries(x, plan_ask(plan), class$groups, from[i], class$spans$to[i]) > 0
  })
  class$groups[Reduce(`|`, held)]
}

# All entries of the ledger by the statement's attributes, whatever the conditions.
entries_ask <- function(plan) new_ask(plan$on, plan$by, NULL, list(entry_count))

refuse_too_many_rows <- function(p, g, plan, call) {
  refuse("choice", c(
    sprintf("A statement of %s times %s would have %s rows.", count_text(p, plan$per %||% "span"),
            count_text(g, "group"), number_text(as.double(p) * g)),
    i = "Take a coarser {per}, fewer attributes in {by}, or leave {list_all} out."
  ), call = call)
}

# ---- the rows of a statement as it stands ------------------------------------

# The rows of a statement as it stands now, which the user may have cut or put in another order:
# group numbers and days, from the statement's own columns. Numbers are checked here, once.
current_rows <- function(s, call = caller_env()) {
  plan <- attr(s, "plan")
  # Verbs follow each other on rows that stay the same; whether they did, their columns tell.
  shown <- unclass(s)[c("period", "from", "to", plan$by)]
  cache <- ledger_cache(plan_ledger(plan))
  for (kind in c("rows", "cut rows")) {
    kept <- cached(cache, rows_name(plan, kind))
    if (!is.null(kept) && identical(kept$shown, shown)) return(kept$rows)
  }
  rows <- read_rows(s, plan, shown, call)
  put_in_cache(cache, rows_name(plan, "cut rows"), list(shown = shown, rows = rows),
               64 * nrow(s) + 1000)
  rows
}

rows_name <- function(plan, kind) rlang::hash(list(kind, plan$id))

read_rows <- function(s, plan, shown, call) {
  n <- nrow(s)
  bare <- which(is.na(s$from) | is.na(s$to))
  if (length(bare) > 0) refuse("statement", sprintf("Row %d has no days.", bare[1]), call = call)
  rows <- new_rows(s$period, day_numbers(s$from), day_numbers(s$to), integer(n),
                   level_of_rows(s), overall = is_overall_row(plan, s$period),
                   set = rest_sets(plan, s, call), values = shown[plan$by])
  for (at in row_parts(rows, rows$set > 0L)) {
    by <- if (rows$set[at[1]] > 0L) plan$rest$parents else plan$by[seq_len(rows$level[at[1]])]
    if (length(by) == 0) next
    values <- lapply(rows$values[by], function(column) column[at])
    rows$group[at] <- group_numbers(plan_ledger(plan), by, values, length(at))
  }
  unknown <- which(rows$group < 0)
  if (length(unknown) > 0) {
    members <- vapply(rows$values, function(column) plain_text(column[unknown[1]]), "")
    refuse("statement", sprintf("Row %d names a group that the ledger does not have (%s).",
                                unknown[1], listed(member_text(members))), call = call)
  }
  rows
}

# How many attributes of each row are not those of a total.
level_of_rows <- function(s) {
  plan <- attr(s, "plan")
  level <- rep(length(plan$by), nrow(s))
  if (is.null(total_members(plan))) return(level)
  summed <- lapply(unclass(s)[plan$by], function(values) as.integer(values %in% total_text))
  level - Reduce(`+`, summed, integer(nrow(s)))
}

# Numbers of rows that one set of cells knows: of one level, and of one set or what else is told
# apart.
row_parts <- function(rows, set = rows$set) {
  n <- rows_count(rows)
  if (n == 0) return(list())
  if (all(rows$level == rows$level[1]) && all(set == set[1])) return(list(seq_len(n)))
  unname(split(seq_len(n), rows$level * (max(rows$set) + 2) + set))
}

# Keeps the rows and measures of a statement as it was worked out, to tell whether they still are.
keep_rows <- function(plan, shown, figures, rows) {
  put_in_cache(ledger_cache(plan_ledger(plan)), rows_name(plan, "rows"),
               list(shown = shown, figures = figures, rows = rows),
               (64 + 8 * length(figures)) * rows_count(rows) + 1000)
}

# Why rows are not the statement's own, or NULL: rows of another question, the same row twice, or
# figures changed by hand. Whatever is worked out next would mix two questions. Rows cut away or put
# in another order are no harm.
foreign_rows <- function(s) {
  plan <- attr(s, "plan")
  if (is.null(plan$id) || !has_ledger(plan) ||
      !all(c("period", "from", "to", plan$by) %in% names(s))) return(NULL)
  made <- cached(ledger_cache(plan_ledger(plan)), rows_name(plan, "rows"))
  if (is.null(made)) return(rows_worked_out_otherwise(s, plan))
  shown <- unclass(s)[names(made$shown)]
  at <- NULL
  if (!identical(shown, made$shown)) {
    n <- length(made$shown$period)
    both <- Map(as_one_kind, made$shown, shown)
    told <- number_rows(unname(both), n + nrow(s))$number
    at <- match(told[n + seq_len(nrow(s))], told[seq_len(n)])
    if (anyNA(at)) {
      return(sprintf("Row %d is not a row of the statement.", which(is.na(at))[1]))
    }
    if (anyDuplicated(at)) {
      return(sprintf("Row %d stands in the statement twice.", anyDuplicated(at)))
    }
  }
  for (name in intersect(names(made$figures), names(s))) {
    own <- if (is.null(at)) made$figures[[name]] else made$figures[[name]][at]
    if (!same_figures(as.double(s[[name]]), own)) return(other_values(name))
  }
  NULL
}

# Are figures the same, missing ones included?
same_figures <- function(a, b) {
  identical(a, b) ||
    length(a) == length(b) && identical(is.na(a), is.na(b)) && all(are_alike(a, b), na.rm = TRUE)
}

other_values <- function(name) {
  sprintf("The column `%s` holds other figures than the statement worked out.", name)
}

# The same where what was worked out is kept no more: rows and measures are worked out again.
rows_worked_out_otherwise <- function(s, plan) {
  rows <- current_rows(s, call = NULL)
  days <- lapply(anchor_classes(plan, unique(rows$group[rows$set == 0L])), function(class) {
    periods <- statement_periods(plan, class$spans)
    n <- length(periods$label)
    own <- list(period = periods$label, from = periods$from, to = periods$to, overall = logical(n))
    if (!plan$totals %in% c("period", "both")) return(own)
    rows_bind(list(own, list(period = overall_labels(plan), from = class$spans$from,
                             to = class$spans$to, overall = rep(TRUE, length(class$spans$to)))))
  })
  coming <- plan$ahead[c("label", "from", "to")]
  if (!is.null(plan$ahead)) days <- c(days, list(list(
    period = coming$label, from = coming$from, to = coming$to,
    overall = logical(length(coming$to)))))
  known <- do.call(Map, c(c, unname(days)))
  n <- length(known$period)
  both <- Map(c, known, rows[names(known)])
  told <- number_rows(unname(both), n + nrow(s))$number
  strange <- which(!told[n + seq_len(nrow(s))] %in% told[seq_len(n)] & rows$set == 0L)
  if (length(strange) > 0) {
    return(sprintf("Row %d is not a row of the statement.", strange[1]))
  }
  twice <- duplicated(rows_key(c(rows["period"], rows),
                               c("period", "from", "to", "overall", "level", "set",
                                 "group"))$number)
  if (any(twice)) return(sprintf("Row %d stands in the statement twice.", which(twice)[1]))
  for (name in intersect(names(plan$measures), names(s))) {
    own <- column_values(measure_column(name, plan, "measure"), plan, rows)
    if (!same_figures(as.double(s[[name]]), own)) return(other_values(name))
  }
  NULL
}

# Two columns as one: levels are text, and so is whatever became text beside totals.
as_one_kind <- function(a, b) {
  if (inherits(a, "Date") && inherits(b, "Date")) return(c(unclass(a), unclass(b)))
  if (!is.object(a) && !is.object(b) && typeof(a) == typeof(b)) c(a, b)
  else c(plain_text(a), plain_text(b))
}
