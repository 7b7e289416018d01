describe_verb("add_change", asked_of = "statement", flag = "change",
  m = field("measure", "measure to compare with earlier days", value = "MEASURE", needed = TRUE,
            more = "The name of one of the statement's measures, bare or as text."),
  from = field("phrase", "what changes are from, 'period before', 'N units back' or a phrase",
               default = "period before", value = "WHEN", more = paste(
    "\"period before\" is for statements with {per}; so many units \"back\" is such as \"1 year",
    "back\" or \"2 quarters back\"; a phrase means one single span, such as \"2025\" (see",
    "[span()]), with which every row is compared, as far as its days have come.")),
  align = field("choice", "how days stand against each other where a row is part of a period",
                default = "to date", choices = c("to date", "whole", "weekday"), value = "WORD",
                more = paste(
    "\"to date\": with the same part of the earlier period. \"whole\": with the whole earlier",
    "period. \"weekday\": 364 days back for each year, so that Mondays stand against Mondays; for",
    "years back only.")),
  name = field("text", "what the new columns begin with, by default the measure's name",
               value = "NAME")
)

#' Add a change
#'
#' Each row against its own days earlier: the period before, so many units back, or any span at all.
#' A period that is not over is compared with the same part of the earlier one, so that half a month
#' never stands against a whole one. The days compared may lie before the first row shown.
#'
#' A total over periods is compared with the days that its rows are compared with, from the first
#' one's first to the last one's last. A span that the as-of day cuts within a week goes a year back
#' by weeks: to the same weekday of the week with the same number, so that four days stand against
#' four. No day after the statement's as-of day counts, on either side.
#'
#' @param s A [statement()].
#' @eval field_params("add_change")
#'
#' @return The statement with three more columns of doubles: `<m>_before`, `<m>_change` (the row's
#'   figure less the one before) and `<m>_change_pct` (the change in per cent of the one before;
#'   missing where that is zero or missing). Where the days compared reach back before the ledger's
#'   first day all three are missing, and a note says so.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have or a name that is
#' taken; `rollingledger_error_span` for a phrase that is not understood or does not fit the rows;
#' `rollingledger_error_choice` for an `align` that does not fit.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", span = "latest 4 months", income = total(fare)) |>
#'   add_change(income, from = "1 year back")
#' statement(fares, by = "route", span = "week to date", income = total(fare)) |>
#'   add_change(income, from = "1 week back")
#' @include question-fields.R statement-kinds.R statement-steps.R
add_change <- with_fields("add_change", function(s, m, from, align, name) {
  take_verb_step("add_change")
})

register_verb("add_change", add = function(s, plan, args, call) {
  m <- args$m
  names <- paste0(args$name %||% m, c("_before", "_change", "_change_pct"))
  names <- new_column_names(s, names, call)
  rows <- current_rows(s, call)
  base <- read_change_base(args$from, plan, call)
  column <- measure_column(m, plan, "before", base = base, align = args$align)
  windows <- windows_before(plan, column, rows, call)
  figures <- change_values(plan, column, rows, windows)
  reaches <- windows$from < plan$first
  change <- utils::modifyList(column, list(kind = "change", part = "difference"))
  pct <- in_per_cent(column, kind = "change", part = "pct")
  change$notes <- change_notes(names[2], args$from, base, rows, windows, reaches, s)
  s <- add_column(s, names[1], figures$before, column)
  s <- add_column(s, names[2], figures$difference, change)
  add_column(s, names[3], figures$pct, pct)
})

register_kind("before",
  windows = function(plan, column, rows) windows_before(plan, column, rows),
  values = function(plan, column, rows) change_values(plan, column, rows)$before,
  label = function(column, measure, own) {
    if (own == paste(measure, "before")) paste(measure, "before")
  },
  additive = yes_always, counts = TRUE, behind = "windows"
)

register_kind("change",
  values = function(plan, column, rows) change_values(plan, column, rows)[[column$part]],
  label = function(column, measure, own) {
    if (own == paste(measure, "change")) paste("change of", measure)
    else if (own == paste(measure, "change pct")) paste("change of", measure, "in per cent")
  },
  behind = function(column, name, call) {
    before <- sub("_change(_pct)?$", "_before", name)
    refuse_measure(c(sprintf("`%s` has entries on both sides.", name),
                     i = sprintf("Ask for figure = %s or figure = %s.", column$measure, before)),
                   call = call)
  }
)

# list(before, difference, pct) for rows.
change_values <- function(plan, column, rows, windows = windows_before(plan, column, rows)) {
  tree <- plan$measures[[column$measure]]
  before <- row_values(plan, tree, rows, windows)
  before[windows$from < plan$first] <- NA
  now <- measure_values(plan, column$measure, rows)
  c(list(before = before), difference_of(now, before, plan, column$measure))
}

# The days that rows are compared with; those of a total over periods are the days that its rows are
# compared with. None is later than the as-of day.
windows_before <- function(plan, column, rows, call = caller_env()) {
  days <- days_before(rows, column$base, column$align, plan, call = call)
  days$to <- pmin(days$to, plan$as_of)
  # An open beginning is open as well further back: the ledger's first day, where there are days.
  open <- is.na(days$from)
  days$from[open] <- pmin(plan$first, days$to[open])
  new_windows(rows$group, days$from, days$to,
              own_windows(plan, utils::modifyList(rows, days[c("from", "to")]))$before)
}

# What rows are compared with: list(shifts), a count of units back; or list(span), one span for all.
read_change_base <- function(from, plan, call = caller_env()) {
  if (!rlang::is_string(from))
    refuse("span", "{from} must be one text, such as \"period before\" or \"1 year back\".",
           call = call)
  if (lower_text(trimws(from)) == "period before") {
    if (is.null(plan$per)) {
      refuse("span", c("\"period before\" needs periods, and the rows of this statement are spans.",
                       i = "Say how far back, such as from = \"1 month back\"."), call = call)
    }
    return(list(shifts = stats::setNames(1L, plan$per)))
  }
  tree <- read_phrase(paste("this day,", from), plan$calendar)
  if (is.null(tree$problem) && is.null(tree$every)) {
    if (is.null(plan$per) && speaks_of_periods(tree)) refuse_periods(from, call)
    return(list(shifts = shifts_in_grain(tree$shifts, plan$per)))
  }
  days <- resolve_phrase(from, "", plan$calendar, plan$as_of, plan$first, call)
  if (length(days$to) != 1) {
    refuse("span",
           sprintf("{from} (\"%s\") means %s; rows are compared with one.", from,
                   count_text(length(days$to), "span")), call = call)
  }
  if (days$from > plan$as_of) {
    refuse("span",
           c(sprintf("{from} (\"%s\") begins on %s, after the as-of day, %s.", from,
                     day_text(days$from), day_text(plan$as_of)),
                     i = "Rows are compared with days that have come."), call = call)
  }
  days$cut <- days$to > plan$as_of
  days$to <- min(days$to, plan$as_of)
  list(span = days)
}

# First and last day that each row is compared with.
days_before <- function(rows, comparison, align, plan, call = caller_env()) {
  n <- length(rows$to)
  if (!is.null(comparison$span))
    return(list(from = rep(comparison$span$from, n), to = rep(comparison$span$to, n)))
  if (align == "weekday") return(weekdays_before(rows, comparison$shifts, call))
  if (is.null(plan$per)) return(spans_before(rows, comparison$shifts, align, plan, call))
  before <- function(from, to) periods_before(list(from = from, to = to), comparison$shifts, align,
                                              plan, call)
  if (!any(rows$overall)) return(before(rows$from, rows$to))
  # A total reaches from what its first period is compared with to what its last is.
  holding <- function(days) periods_holding(days, plan$per, plan$calendar, call)
  first_ends <- pmin(rows$to, holding(rows$from)$last)
  last_begins <- pmax(rows$from, holding(rows$to)$first)
  first <- before(rows$from, ifelse(rows$overall, first_ends, rows$to))
  last <- before(ifelse(rows$overall, last_begins, rows$from), rows$to)
  list(from = first$from, to = last$to)
}

weekdays_before <- function(rows, shifts, call) {
  if (!identical(names(shifts), "year")) {
    refuse("choice", "{align = \"weekday\"} goes with years back, such as from = \"1 year back\".",
           arg = "align", call = call)
  }
  lapply(rows[c("from", "to")], move_by_weekday, years = shifts[["year"]])
}

# The earlier period, or the same part of it: ends that are the period's own stay so, others move as
# days and stay within the earlier period. Groups have days in common, which are moved once.
periods_before <- function(rows, shifts, align, plan, call) {
  calendar <- plan$calendar
  told <- number_rows(list(rows$from, rows$to), length(rows$to))
  once <- told$first
  at <- told$number
  first <- rows$from[once]
  last <- rows$to[once]
  index <- period_indexes(first, plan$per, calendar, call)
  here <- periods_at(index, plan$per, calendar, call)
  there <- periods_at(
    moved_by(index, shifts, function(...) move_period(..., calendar = calendar, call = call),
             plan$per)$index, plan$per, calendar, call)
  if (align == "whole") return(list(from = there$first[at], to = there$last[at]))
  # Days go back by the units by which their period does.
  names(shifts) <- vapply(names(shifts), unit_for, "", grain = plan$per)
  part <- function(day) {
    moved <- moved_by(day, shifts, function(...) move_as_of(..., calendar = calendar, call = call),
                      plan$per)$index
    pmin(pmax(moved, there$first), there$last)
  }
  list(from = ifelse(first == here$first, there$first, part(first))[at],
       to = ifelse(last == here$last, there$last, part(last))[at])
}

# Spans go back by their own phrase; one that the as-of day cuts, to the same part of the earlier
# one: as far as the day goes back in units of the span's end, so that in weeks weekdays stay.
spans_before <- function(rows, shifts, align, plan, call) {
  back <- paste(sprintf("%s back", counted_units(shifts, names(shifts), always = TRUE)),
                collapse = ", ")
  from <- to <- rep(NA_integer_, length(rows$to))
  for (class in anchor_classes(plan, unique(rows$group))) {
    day <- if (is.null(plan$anchors)) plan$as_of else plan$anchors[class$groups[1] + 1L]
    for (i in seq_along(class$spans$label)) {
      mine <- rows$period == class$spans$label[i] &
        (is.null(plan$anchors) | rows$group %in% class$groups)
      if (!any(mine)) next
      moved <- resolve_phrase(paste0(class$spans$own[i], ", ", back), "", plan$calendar, day, NULL,
                              call)
      cut <- class$spans$cut[i] && align == "to date"
      move <- function(...) move_as_of(..., calendar = plan$calendar, call = call)
      grain <- end_grain(class$spans$own[i], plan$calendar)
      same_part <- if (cut) moved_by(class$spans$to[i], shifts, move, grain)$index
      from[mine] <- moved$from
      to[mine] <- min(moved$to, same_part)
    }
  }
  list(from = from, to = to)
}

# The grain of the last period of a span.
end_grain <- function(phrase, calendar) {
  base <- read_phrase(phrase, calendar)$base
  if (base$kind == "range") base$to$grain %||% "day" else if (base$kind == "trailing") "day"
  else base$unit %||% base$grain %||% "day"
}

# Difference and per cent of figures a against b; missing without a base.
difference_of <- function(a, b, plan, m, decimals = 0L) {
  difference <- a - b
  # Exact amounts have an exact difference; `decimals` are those of `b` where it is no such amount.
  tree <- plan$measures[[m]]
  if (is_decimal(tree)) difference <- in_decimals(difference, max(tree_decimals(tree), decimals))
  list(difference = difference, pct = per_cent_of(difference, abs(b)))
}

# The most decimals that some amounts have, up to 9.
decimals_of <- function(values) {
  values <- values[is.finite(values)]
  for (d in 0:8) if (all(round(values, d) == values)) return(d)
  9L
}

# What rows that are part of a period are compared with, and which have nothing to be compared with.
change_notes <- function(name, from, base, rows, days, reaches, s) {
  part <- which(!s$complete & !reaches)
  shown <- part[number_rows(list(s$period[part], rows$from[part], rows$to[part]),
                                length(part))$first]
  parts <- sprintf("%s with %s", s$period[shown],
                   mapply(days_text, days$from[shown], days$to[shown]))
  c(sprintf("%s: against %s%s", name, if (grepl("back|before", from))
    paste("the", if (grepl("before", from)) from else paste("days", from)) else from,
            if (length(shown) > 0) paste0("; ", listed(parts, most = 3)) else ""),
    if (isTRUE(base$span$cut))
      sprintf("%s: %s counts up to the as-of day, %s", name, from,
              days_text(base$span$from, base$span$to)),
    if (any(reaches))
      sprintf("%s: missing for %s, whose earlier days reach back before the ledger's first day",
              name,
              listed(unique(s$period[reaches]), most = 3)))
}
