# How figures are shown: in ones, thousands or millions, and what rounding them hides. Figures
# themselves stay as they are.

scales_of_figures <- c(ones = 1, thousands = 1e3, millions = 1e6)

# A column in the scale that was asked for: with `scale`, its decimals in that, and `unit_shown`.
# Per cents, ranks and what is smaller than one of the scale stay as they are.
scaled_column <- function(column, values, plan) {
  scale <- scales_of_figures[[plan$scale %||% "ones"]]
  column$unit_shown <- column$unit
  column$scale <- 1
  if (scale == 1 || identical(column$unit, "%") || identical(column$kind, "rank") ||
      largest_size(values) < scale) return(column)
  column$scale <- scale
  column$decimals <- if (scale == 1e3) 1L else 2L
  column$unit_shown <- if (is.null(column$unit)) plan$scale
                       else paste(sub("s$", "", plan$scale), column$unit)
  column
}

# The columns of figures of a statement as they are shown.
scaled_columns <- function(s) {
  columns <- columns_of(s)
  columns <- columns[intersect(names(columns), names(s))]
  Map(function(column, name) scaled_column(column, s[[name]], statement_info(s)), columns,
      names(columns))
}

held_decimals <- function(column) column$decimals_held %||% column$decimals

# What rounding hides, column by column, in one line; nothing where it hides nothing. In thousands
# and millions all is rounded, as asked: only what looks like nothing is told.
rounding_note <- function(s) {
  columns <- scaled_columns(s)
  said <- unlist(Map(hidden_by_rounding, columns, names(columns), MoreArgs = list(s = s)))
  if (length(said) == 0) return(NULL)
  paste0("Rounded here, and whole in files: ", paste(said, collapse = "; "))
}

hidden_by_rounding <- function(column, name, s) {
  tree <- statement_info(s)$measures[[column$measure]]
  if (is.null(tree) || column$scale == 1 &&
      (!is_decimal(tree) || column$decimals >= held_decimals(column))) return(NULL)
  values <- s[[name]]
  shown <- round(values / column$scale, column$decimals)
  differs <- !are_alike(shown * column$scale, values)
  if (!any(differs, na.rm = TRUE)) return(NULL)
  hidden <- c(if (any(shown == 0 & differs, na.rm = TRUE)) "some that look like nothing are not",
              if (column$scale == 1 && some_look_alike(values, shown, s))
                "some that look alike differ",
              if (column$scale == 1 && !shown_add_up(shown, s, column))
                "rows do not add up to their total")
  if (length(hidden) > 0) sprintf("%s, where %s", name, listed(hidden))
}

# Whether rows of one period, or two that follow each other, differ and are shown as the same.
some_look_alike <- function(values, shown, s) {
  period <- number_rows(list(s$from, s$to), nrow(s))$number
  at <- order(period, values)
  alike <- function(at) {
    a <- at[-length(at)]
    b <- at[-1]
    shown[a] == shown[b] & !are_alike(values[a], values[b])
  }
  same <- period[at][-1] == period[at][-length(at)]
  any(alike(at) & same, na.rm = TRUE) || any(alike(seq_along(values)), na.rm = TRUE)
}

# Whether figures as they are shown add up to the totals of their periods, and over periods.
shown_add_up <- function(shown, s, column) {
  plan <- statement_info(s)
  if (plan$totals == "none" || !is_additive(plan$measures[[column$measure]]) ||
      !identical(column$kind, "measure")) return(TRUE)
  level <- level_of_rows(s)
  overall <- is_overall_row(plan, s$period)
  adds <- function(parts, wholes, by) {
    sums <- rowsum(shown[parts], by[parts], na.rm = TRUE)
    all(are_alike(sums[match(by[wholes], rownames(sums)), 1], shown[wholes]), na.rm = TRUE)
  }
  period <- number_rows(list(s$period, s$from, s$to), nrow(s))$number
  group <- if (is.null(plan$by)) rep(1L, nrow(s))
           else number_rows(unname(unclass(s)[plan$by]), nrow(s))$number
  most <- level == length(plan$by)
  adds(which(most), which(level == 0 & length(plan$by) > 0), period) &&
    adds(which(!overall), which(overall), group)
}
