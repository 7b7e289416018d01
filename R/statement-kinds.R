#' @include question-fields.R
NULL

# Kinds of columns of figures. Whatever must be known of a kind stands in its registration, beside
# the verb that adds it, so that a new verb is one file.

column_kinds <- new.env(parent = emptyenv())

# Registers a kind:
#   windows(plan, column, rows)  the days behind each row's figure, or NULL
#   values(plan, column, rows)   the figures, for any rows: the statement's own, totals, a rest
#   label(column, measure, own)  what titles call it, in words; NULL for the column's own name
#   notes(name, column, s)       what a reader must know of it beyond column$notes
#   additive(column)             whether figures of members are parts of that of all, where the
#                                measure adds up
#   counts                       whether its size is read from zero where its measure counts
#   behind                       "windows" (their entries), "row" (those of the row's own days), or
#                                a function(column, name) that refuses
#   marks(column, to, plan)      rows whose figure is marked, such as of short windows
register_kind <- function(kind, values, windows = NULL, label = NULL, notes = NULL,
                          additive = function(column) FALSE, counts = FALSE, behind = "row") {
  assign(kind, list(values = values, windows = windows, label = label, notes = notes,
                    additive = additive, counts = counts, behind = behind), envir = column_kinds)
}

kind_of <- function(column) column_kinds[[column$kind]]

yes_always <- function(column) TRUE

# What is known of a column of figures: the kind, the measure behind it, its decimals and unit.
# Money is shown with the decimals of its currency, however many the amounts have.
measure_column <- function(measure, plan, kind, ...) {
  tree <- plan$measures[[measure]]
  unit <- tree_unit(tree)
  held <- tree_decimals(tree)
  list(kind = kind, measure = measure, decimals = currency_decimals(unit) %||% held,
       decimals_held = held, unit = unit, ...)
}

# The column of what is no longer whole, such as an average; a currency keeps its decimals.
with_decimals_from <- function(column, least) {
  if (is.null(currency_decimals(column$unit))) column$decimals <- max(column$decimals, least)
  column$decimals_held <- max(column$decimals_held, column$decimals)
  column
}

# A column of per cents of another.
in_per_cent <- function(column, ...) {
  utils::modifyList(column, list(decimals = 1, decimals_held = 1, unit = "%", ...))
}

# Of days to come there is nothing but what is expected.
column_values <- function(column, plan, rows) {
  values <- kind_of(column)$values
  ahead <- is_ahead(rows, plan)
  if (identical(column$kind, "expected") || !any(ahead)) return(values(plan, column, rows))
  out <- rep(NA_real_, length(ahead))
  out[!ahead] <- values(plan, column, rows_select(rows, which(!ahead)))
  out
}

column_windows <- function(column, plan, rows) kind_of(column)$windows(plan, column, rows)

# Each row's own days.
own_windows <- function(plan, rows) row_windows(rows, plan$per, plan$calendar)

register_kind("measure",
  windows = function(plan, column, rows) own_windows(plan, rows),
  values = function(plan, column, rows) {
    row_values(plan, plan$measures[[column$measure]], rows, own_windows(plan, rows))
  },
  additive = yes_always, counts = TRUE
)

# Figures of the windows that a kind has.
window_kind_values <- function(plan, column, rows) {
  row_values(plan, plan$measures[[column$measure]], rows, column_windows(column, plan, rows))
}

# Figures of a measure in the rows' own days: those of the statement where the rows are its own.
measure_values <- function(plan, m, rows) {
  kept <- cached(ledger_cache(plan_ledger(plan)), rows_name(plan, "rows"))
  if (!is.null(kept$figures[[m]]) && identical(kept$rows, rows)) return(kept$figures[[m]])
  row_values(plan, plan$measures[[m]], rows, own_windows(plan, rows))
}

# Values of a measure over the windows of rows, each from the cells that know its group.
row_values <- function(plan, tree, rows, windows) {
  x <- plan_ledger(plan)
  if (all_ordinary(plan, rows)) return(window_values(tree, x, plan_ask(plan), windows))
  out <- numeric(rows_count(rows))
  rest <- which(rows$set > 0L)
  in_one <- length(rest) > 0 && is_whole_less_kept(plan, tree)
  if (in_one) out[rest] <- rest_values(plan, tree, rows, windows, rest)
  for (at in row_parts(rows)) {
    set <- rows$set[at[1]]
    if (in_one && set > 0) next
    ask <- if (set > 0) rest_ask(plan, tree, set)
           else plan_ask(plan, plan$by[seq_len(rows$level[at[1]])])
    out[at] <- window_values(tree, x, ask, some_windows(windows, at))
  }
  out
}

all_ordinary <- function(plan, rows) {
  untotalled <- plan$totals %in% c("none", "period") || all(rows$level == length(plan$by))
  untotalled && (is.null(plan$rest) || all(rows$set == 0L))
}

# A column with as many decimals as its largest figure needs to be read, where the figures are no
# decimals: 0.00001 is not 0.00.
with_decimals_shown <- function(column, values) {
  # A per cent is told to its one decimal.
  if (identical(column$unit, "%")) return(column)
  decimals <- column$decimals
  largest <- largest_size(values)
  if (largest <= 1e-12 || largest >= 10^(1 - decimals)) return(column)
  sizes <- abs(values[is.finite(values) & abs(values) > 1e-12])
  if (all(round(sizes, decimals) == sizes)) return(column)
  column$decimals <- as.integer(max(decimals, min(12, 1 - floor(log10(largest)))))
  column
}

add_column <- function(s, name, values, column) {
  s[[name]] <- values
  column <- with_decimals_shown(column, values)
  columns <- attr(s, "columns")
  columns[[name]] <- column
  attr(s, "columns") <- columns
  s
}

# A value with its unit: "73,394.50 EUR", "4.5 %".
value_with_unit <- function(value, column) {
  paste0(number_text(value, column$decimals),
         if (!is.null(column$unit)) paste0(" ", column$unit))
}
