describe_verb("add_rolling", asked_of = "statement", flag = "rolling",
  m = field("measure", "measure to add a rolling figure of", value = "MEASURE", needed = TRUE,
            more = "The name of one of the statement's measures, bare or as text."),
  over = field("texts", "lengths of the window: '30 days', '3 months', '2 fiscal quarters'",
               default = "30 days", value = "LENGTH", many = TRUE, more = paste(
    "\"3 months\" up to the last day of a month are three whole months; see `trailing` in",
    "[span()].")),
  stat = field("choice", "the measure itself over the window, or of each unit in it",
               default = "total", choices = c("total", "average", "smallest", "largest"),
               value = "WORD", more = paste(
    "\"total\" is the measure itself over the window: a total, the distinct members of all its",
    "days, the smallest amount, an average or ratio of the window's sums. The others take the",
    "measure of each unit in the window, as of each of 30 days or of each of 3 months: their",
    "average, or the least or greatest of them. The average of a balance, or of what is active,",
    "is the mean of its days.")),
  short = field("choice", "what becomes of windows that reach back before the ledger's first day",
                default = "blank", choices = c("blank", "keep"), value = "WORD", more = paste(
    "They hold fewer days than they say: \"blank\" leaves them out, \"keep\" shows them with a",
    "mark (`~` in print), worked out over the units that the ledger has days of: an average",
    "divides by those alone. Either way a note says from when windows are full.")),
  name = field("texts", "names of the new columns, by default such as income_rolling_3_months",
               value = "NAME", many = TRUE)
)

#' Add a rolling figure
#'
#' The measure over the N days, weeks, months or other units that end on each row's last day: always
#' days of the calendar, never rows, and always with the history before the first row shown. So "30
#' days up to 31 January" is the same figure in a daily and in a monthly statement, and days without
#' entries count as nothing.
#'
#' @param s A [statement()].
#' @eval field_params("add_rolling")
#'
#' @return The statement with one more column of doubles per length, such as
#'   `income_rolling_3_months` or `income_rolling_30_days_average`.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have, a name that is
#' taken, or an average per unit of a measure that does not add up; `rollingledger_error_choice` for
#' a length that is not understood.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", span = "last 6 months", income = total(fare)) |>
#'   add_rolling(income, over = c("3 months", "12 months"))
#' statement(fares, per = "day", span = "latest 7 days", income = total(fare)) |>
#'   add_rolling(income, over = "30 days", stat = "average")
#' @include question-fields.R statement-kinds.R statement-steps.R
add_rolling <- with_fields("add_rolling", function(s, m, over, stat, short, name) {
  take_verb_step("add_rolling")
})

register_verb("add_rolling", needs = c("from", "to"), add = function(s, plan, args, call) {
  check_rolls(plan$measures[[args$m]], args$m, args$stat, call)
  lengths <- lapply(check_lengths(args$over, call), read_length, calendar = plan$calendar,
                    call = call)
  names <- rolling_names(args$m, lengths, args$stat, args$name, call)
  rows <- current_rows(s, call)
  for (i in seq_along(lengths)) {
    column <- measure_column(args$m, plan, "rolling", length = lengths[[i]], stat = args$stat,
                             short = args$short)
    if (args$stat == "average") column <- with_decimals_from(column, 1L)
    name <- new_column_name(s, names[i], call)
    s <- add_column(s, name, column_values(column, plan, rows), column)
  }
  s
})

register_kind("rolling",
  windows = function(plan, column, rows) rolling_windows(rows, column$length, plan$calendar),
  values = function(plan, column, rows) rolling_values(plan, column, rows),
  label = function(column, measure, own) {
    if (startsWith(own, paste(measure, "rolling"))) sub(" rolling ", ", rolling ", own)
  },
  notes = function(name, column, s) rolling_notes(name, column, s),
  # The best or worst unit of a window is no part of that of all.
  additive = function(column) !column$stat %in% c("smallest", "largest"),
  counts = TRUE, behind = "windows"
)

check_rolls <- function(tree, m, stat, call = caller_env()) {
  if (stat == "average" && !is_additive(tree) && !is_level(tree)) {
    refuse_measure(c(sprintf("`%s` does not add up, so it has no average per unit.", m),
                     i = "stat = \"total\" gives the measure itself over the window."), call = call)
  }
  if (stat == "total" && is_level(tree)) {
    refuse_measure(c(sprintf("`%s` is a level on a day, so it has no total over days.", m),
                     i = paste0("stat = \"average\" gives the mean of its days, \"smallest\" and ",
                                "\"largest\" the least and greatest.")), call = call)
  }
}

rolling_values <- function(plan, column, rows) {
  tree <- plan$measures[[column$measure]]
  windows <- column_windows(column, plan, rows)
  by_days <- column$stat == "average" || column$length$unit == "day"
  values <- if (column$stat == "total") {
    row_values(plan, tree, rows, windows)
  } else if (column$stat == "average" && !is_level(tree)) {
    row_values(plan, tree, rows, windows) / units_there(plan, column$length, rows$to)
  } else if (by_days) {
    daily_values(plan, tree, rows, windows, column$stat)
  } else unit_values(plan, tree, rows, column)
  if (column$short == "blank") values[windows$from < plan$first] <- NA
  values
}

# Number of units in the window up to each day that the ledger has days of: all of them, unless the
# window is short.
units_there <- function(plan, length, days) {
  once <- unique(days)
  there <- lapply(unit_ends(length, once, plan$calendar)[seq_len(length$n)],
                  function(ends) !is.na(ends) & ends >= plan$first)
  Reduce(`+`, there, 0L)[match(days, once)]
}

# Last days of the units counted back from each day: the day itself, the end of the unit before, and
# so on; one more than there are units, so that each has the end before it.
unit_ends <- function(length, days, calendar) {
  lapply(0:length$n, function(k) if (k == 0) days
         else move_day(days, k, length$unit, calendar, end_to_end = TRUE))
}

# Average, smallest or largest over the days of each window of the measure's figure of each day.
# Every day of every group is asked for once, whatever the windows overlap.
daily_values <- function(plan, tree, rows, windows, stat) {
  if (length(rows$to) == 0) return(numeric())
  first <- max(min(windows$from), plan$first)
  days <- seq.int(first, max(windows$to))
  told <- number_rows(list(rows$level, rows$set, windows$group), length(rows$to))
  number <- told$number
  groups <- told$first
  size <- as.double(length(days)) * length(groups)
  if (size > most_rows) {
    refuse("choice",
           c(sprintf("%s times %s would have %s figures.", count_text(length(days), "day"),
                     count_text(length(groups), "group"), number_text(size)),
             i = "Take fewer groups."))
  }
  at <- rep(groups, each = length(days))
  each_day <- new_windows(windows$group[at], rep(days, length(groups)), rep(days, length(groups)))
  own <- rows[intersect(c("to", "level", "set", "values"), names(rows))]
  figures <- row_values(plan, tree, rows_select(own, at), each_day)
  from <- pmax(windows$from, first)
  before <- (number - 1) * length(days) - first + 1
  if (stat == "average") return(mean_of_days(figures, before + from, before + windows$to, tree))
  extremes_over_windows(
    length(groups), rep(seq_along(groups) - 1L, each = length(days)), each_day$from, figures,
    list(group = number - 1L, from = from, to = windows$to), stat)
}

# Means over stretches of figures, by running sums of whole numbers where the figures are exact
# decimals.
mean_of_days <- function(figures, from, to, tree) {
  known <- !is.na(figures)
  # A ratio has more decimals than it is shown with.
  exact <- is_decimal(tree)
  power <- if (exact) 10^tree_decimals(tree) else 1
  scaled <- ifelse(known, if (exact) round(figures * power) else figures, 0)
  sums <- c(0, cumsum(scaled))
  counts <- c(0, cumsum(known))
  ratio((sums[to + 1] - sums[from]) / power, counts[to + 1] - counts[from])
}

# Smallest or largest of the measure's figures of the units in each window, counted back from its
# last day.
unit_values <- function(plan, tree, rows, column) {
  length <- column$length
  days <- unique(rows$to)
  at <- match(rows$to, days)
  ends <- unit_ends(length, days, plan$calendar)
  first <- plan$first
  pick <- if (column$stat == "smallest") pmin else pmax
  out <- rep(NA_real_, length(at))
  for (k in seq_len(length$n)) {
    # Units before the ledger's first day are not there.
    known <- which(!is.na(ends[[k + 1]][at]) & ends[[k]][at] >= first)
    some <- rows_select(rows, known)
    windows <- new_windows(some$group, ends[[k + 1]][at][known] + 1L, ends[[k]][at][known])
    out[known] <- pick(out[known], row_values(plan, tree, some, windows), na.rm = TRUE)
  }
  out
}

check_lengths <- function(over, call = caller_env()) {
  if (!is.character(over) || length(over) == 0 || anyNA(over)) {
    refuse("choice", "{over} must be text such as \"30 days\" or c(\"3 months\", \"12 months\").",
           arg = "over", call = call)
  }
  over
}

# "30 days" as list(n, unit).
read_length <- function(over, calendar, call = caller_env()) {
  tree <- read_phrase(paste("trailing", over), calendar)
  if (!is.null(tree$problem) || length(tree$shifts) > 0 || !is.null(tree$every)) {
    refuse("choice", c(sprintf("The length \"%s\" is not understood.", over),
                       i = paste0("A length is a number and a unit, such as \"30 days\", \"3 ",
                                  "months\" or \"2 fiscal quarters\".")), arg = "over", call = call)
  }
  tree$base[c("n", "unit")]
}

rolling_names <- function(m, lengths, stat, name, call = caller_env()) {
  if (is.null(name)) {
    called <- vapply(lengths, function(length) counted_units(length$n, length$unit, always = TRUE),
                     "")
    return(paste0(m, "_rolling_", gsub(" ", "_", called), if (stat != "total") paste0("_", stat)))
  }
  if (!is.character(name) || length(name) != length(lengths)) {
    refuse("choice",
           sprintf("{name} must be %s, one for each length.", count_text(length(lengths), "text")),
           arg = "name", call = call)
  }
  name
}

# What is to be known of a rolling figure: which windows are short, and since when they are full.
rolling_notes <- function(name, column, s) {
  plan <- attr(s, "plan")
  if (!any(is_short(column, s$to, plan))) return(NULL)
  sprintf("%s: windows before %s reach back before the ledger's first day and %s", name,
          day_text(full_from(column, plan)),
          if (column$short == "blank") "are blank" else "are short (~)")
}

# Whether the window up to each day reaches back before the ledger's first day.
is_short <- function(column, to, plan) {
  days <- day_numbers(to)
  if (!identical(column$kind, "rolling")) return(logical(length(days)))
  windows <- rolling_windows(list(group = integer(length(days)), to = days), column$length,
                             plan$calendar)
  windows$from < plan$first
}

# The first day up to which such a window is full, looked for around where it must be: months differ
# in length.
full_from <- function(column, plan) {
  first <- plan$first
  near <- move_day(first - 1L, -column$length$n, column$length$unit, plan$calendar,
                   end_to_end = TRUE)
  days <- near + -40:40
  short <- is_short(column, as_date(days), plan)
  if (any(short)) days[max(which(short))] + 1L else days[1]
}
