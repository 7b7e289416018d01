#' Add a rolling figure
#'
#' The measure over the N days, weeks, months or other units that end on each row's last day: always days of the
#' calendar, never rows, and always with the history before the first row shown. So "30 days up to 31 January" is
#' the same figure in a daily and in a monthly statement, and days without entries count as nothing.
#'
#' @param s A [statement()].
#' @param m The name of one of its measures, bare or as text.
#' @param over Character vector: one or more lengths, such as "30 days", "3 months", "1 year", "2 fiscal quarters".
#'   "3 months" up to the last day of a month are three whole months; see `trailing` in [span()].
#' @param stat "total" for the measure over the window (an average or ratio is that of the window's sums); "average"
#'   for the window's total per unit: per day over days, per month over months.
#' @param short What to do with windows that reach back before the ledger's first day, and so hold fewer days than they
#'   say: "blank" leaves them out, "keep" shows them with a mark (`~` in print). Either way a note says from when they are full.
#' @param name Character vector: names of the new columns, by default such as `income_rolling_3_months`.
#'
#' @return The statement with one more column of doubles per length.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have, a name that is taken, or an average
#' per unit of a measure that does not add up; `rollingledger_error_choice` for a length that is not understood.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", span = "last 6 months", income = total(fare)) |>
#'   add_rolling(income, over = c("3 months", "12 months"))
#' statement(fares, per = "day", span = "latest 7 days", income = total(fare)) |>
#'   add_rolling(income, over = "30 days", stat = "average")
add_rolling <- function(s, m, over = "30 days", stat = c("total", "average"), short = c("blank", "keep"), name = NULL) {
  check_statement(s, needs = c("from", "to"))
  m <- statement_measure(s, rlang::enquo(m))
  stat <- one_of(stat, c("total", "average"), "stat")
  short <- one_of(short, c("blank", "keep"), "short")
  plan <- attr(s, "plan")
  if (stat == "average" && !is_additive(plan$measures[[m]])) {
    refuse_measure(c(sprintf("`%s` does not add up, so it has no average per unit.", m),
                     i = "stat = \"total\" gives the measure itself over the window."))
  }
  lengths <- lapply(check_lengths(over), read_length, calendar = plan$x$calendar, call = rlang::current_env())
  names <- rolling_names(m, lengths, stat, name)
  rows <- current_rows(s)
  first <- plan$x$bases[[plan$on]]$first
  for (i in seq_along(lengths)) {
    length <- lengths[[i]]
    windows <- rolling_windows(rows, length, plan$x$calendar)
    values <- window_values(plan$measures[[m]], plan$x, plan_cube(plan), windows)
    if (stat == "average") values <- values / length$n
    if (short == "blank") values[windows$from < first] <- NA
    column <- measure_column(plan, m, kind = "rolling", over = counted_units(length$n, length$unit, always = TRUE), short = short,
                             full_from = full_from(first, length, plan$x$calendar))
    if (stat == "average") column$decimals <- max(column$decimals, 1L)
    s <- add_column(s, new_column_name(s, names[i]), values, column)
  }
  s
}

check_lengths <- function(over, call = caller_env()) {
  if (!is.character(over) || length(over) == 0 || anyNA(over)) {
    refuse("choice", "`over` must be text such as \"30 days\" or c(\"3 months\", \"12 months\").", arg = "over", call = call)
  }
  over
}

# "30 days" as list(n, unit).
read_length <- function(over, calendar, call = caller_env()) {
  tree <- read_phrase(paste("trailing", over), calendar)
  if (!is.null(tree$problem) || length(tree$shifts) > 0 || !is.null(tree$every)) {
    refuse("choice", c(sprintf("The length \"%s\" is not understood.", over),
                       i = "A length is a number and a unit, such as \"30 days\", \"3 months\" or \"2 fiscal quarters\"."), arg = "over", call = call)
  }
  tree$base[c("n", "unit")]
}

rolling_names <- function(m, lengths, stat, name, call = caller_env()) {
  if (is.null(name)) {
    called <- vapply(lengths, function(length) counted_units(length$n, length$unit, always = TRUE), "")
    return(paste0(m, "_rolling_", gsub(" ", "_", called), if (stat == "average") "_average"))
  }
  if (!is.character(name) || length(name) != length(lengths)) {
    refuse("choice", sprintf("`name` must be %s, one for each length.", count_text(length(lengths), "text")), arg = "name", call = call)
  }
  name
}

# What is to be known of rolling figures: which windows are short, and since when they are full.
rolling_notes <- function(columns, x) {
  unlist(lapply(names(columns), function(name) {
    column <- columns[[name]]
    if (column$kind != "rolling" || !any(is_short(column, x$to))) return(NULL)
    sprintf("%s: windows before %s reach back before the ledger's first day and %s", name, day_text(column$full_from),
            if (column$short == "blank") "are blank" else "are short (~)")
  }))
}

is_short <- function(column, to) !is.null(column$full_from) & whole_days(to) < (column$full_from %||% NA)
