# Columns of figures. Each is known by what made it (kind, measure and the rest of its column's facts), so that its
# values can be worked out for any rows: the statement's own, totals, and what a ranking leaves over.

# What is known of a column of figures: the measure behind it, its decimals and unit.
measure_column <- function(plan, measure, kind, ...) {
  tree <- plan$measures[[measure]]
  list(kind = kind, measure = measure, decimals = tree_decimals(tree, plan$x), unit = tree_unit(tree, plan$x), ...)
}

# The days behind each row's figure.
column_windows <- function(plan, column, rows) {
  calendar <- plan$x$calendar
  switch(column$kind,
    measure = row_windows(rows, plan$per, calendar),
    running = running_windows(rows, column$since, calendar, row_spans(plan, rows)$from),
    rolling = rolling_windows(rows, column$length, calendar),
    before = windows_before(plan, column, rows)
  )
}

# Values of a column for rows as current_rows() gives them.
column_values <- function(plan, column, rows) {
  switch(column$kind,
    measure = , running = , before = window_figures(plan, column, rows),
    rolling = rolling_figures(plan, column, rows),
    change = change_figures(plan, column, rows)[[column$part]],
    share = share_figures(plan, column, rows),
    "per day" = per_day_figures(plan, column, rows),
    rep(NA_real_, length(rows$to))  # a rank or a target is no figure of what is left over
  )
}

window_figures <- function(plan, column, rows) {
  windows <- column_windows(plan, column, rows)
  values <- row_values(plan, plan$measures[[column$measure]], rows, windows)
  if (column$kind == "before") values[windows$from < plan$x$bases[[plan$on]]$first] <- NA
  values
}

# Values of a measure over the windows of rows, each from the cube that knows its group.
row_values <- function(plan, tree, rows, windows) {
  if (all_ordinary(plan, rows)) return(window_values(tree, plan$x, plan_cube(plan), windows))
  out <- numeric(length(rows$to))
  for (at in row_parts(rows)) {
    some <- some_windows(windows, at)
    cube <- if (rows$set[at[1]] > 0) rest_cube(plan, tree, rows$set[at[1]], some) else plan_cube(plan, rows$level[at[1]])
    out[at] <- window_values(tree, plan$x, cube, some)
  }
  out
}

all_ordinary <- function(plan, rows) {
  (plan$totals %in% c("none", "period") || all(rows$level == length(plan$by))) && (is.null(plan$rest) || all(rows$set == 0L))
}

# The plan's cube for its first `level` attributes, made on first use and again where it did not survive being saved.
plan_cube <- function(plan, level = length(plan$by)) {
  kept_in(plan$cube, list("level", level), function() {
    if (level < length(plan$by)) return(coarser_cube(plan_cube(plan), plan$by[seq_len(level)]))
    memory_cube(plan$x, plan$on, plan$by, plan$where, measure_slots(plan$measures, plan$x))
  }, cube_stands)
}

cube_stands <- function(cube) !core_cube_is_gone(cube$pointer)

# The rows of a statement as it stands now, which the user may have cut or put in another order: group numbers and days,
# from the statement's own columns. `level` is the number of attributes that are not totals, `whole` marks totals over all
# periods, `set` numbers what a ranking left over (0 for none).
current_rows <- function(s, call = caller_env()) {
  plan <- attr(s, "plan")
  # Verbs follow each other on rows that stay the same; whether they did is told by the columns themselves.
  columns <- unclass(s)[c("period", "from", "to", plan$by)]
  kept <- plan$cube$rows
  if (!is.null(kept) && identical(kept$columns, columns) && identical(kept$rest, plan$rest)) return(kept$rows)
  n <- nrow(s)
  if (anyNA(s$from) || anyNA(s$to)) refuse("statement", sprintf("Row %d has no days.", which(is.na(s$from) | is.na(s$to))[1]), call = call)
  values <- columns[plan$by]
  level <- rep(length(plan$by), n)
  if (plan$totals %in% c("by", "both")) level <- level - Reduce(`+`, lapply(values, function(v) as.integer(v %in% total_text)), integer(n))
  rows <- list(from = whole_days(s$from), to = whole_days(s$to), period = s$period, level = level, whole = is_whole_row(plan, s$period),
               set = rest_sets(plan, s), group = integer(n), values = values)
  for (at in row_parts(rows, rows$set > 0L)) {
    by <- if (rows$set[at[1]] > 0L) plan$rest$parents else plan$by[seq_len(level[at[1]])]
    if (length(by) > 0) rows$group[at] <- cube_groups(coarser_cube_kept(plan, by), lapply(values[by], function(v) v[at]))
  }
  if (any(rows$group < 0)) {
    bad <- which(rows$group < 0)[1]
    refuse("statement", sprintf("Row %d names a group that the ledger does not have (%s).", bad,
                                listed(member_text(vapply(values, function(v) plain_text(v[bad]),
                                                          "")))), call = call)
  }
  assign("rows", list(columns = columns, rest = plan$rest, rows = rows), envir = plan$cube)
  rows
}

# Numbers of rows that one cube knows: of one level, and of one set or what else is told apart.
row_parts <- function(rows, set = rows$set) {
  n <- length(rows$level)
  if (n == 0) return(list())
  if (all(rows$level == rows$level[1]) && all(set == set[1])) return(list(seq_len(n)))
  unname(split(seq_len(n), rows$level * (max(rows$set) + 2) + set))
}

# A cube for any of the plan's attributes, for the numbers of its groups and for shares.
coarser_cube_kept <- function(plan, by) {
  if (identical(by, plan$by[seq_along(by)])) return(plan_cube(plan, length(by)))
  kept_in(plan$cube, list("by", by), function() coarser_cube(plan_cube(plan), by), cube_stands)
}

some_rows <- function(rows, at) {
  lapply(rows, function(column) if (is.list(column)) lapply(column, function(values) values[at]) else column[at])
}

add_column <- function(s, name, values, column) {
  s[[name]] <- values
  columns <- attr(s, "columns")
  columns[[name]] <- column
  attr(s, "columns") <- columns
  s
}
