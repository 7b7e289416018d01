#' A statement: figures by period and attributes
#'
#' Asks a [ledger()] for measures by any grain and any attributes. Every figure is worked out from
#' entries over its own group and days, so totals at every grain agree to the cent, and averages
#' and ratios are those of the sums. Rows are in order of period, then of the attributes.
#'
#' @param x A [ledger()].
#' @param per Text of length one: the grain, one of "day", "week", "month", "quarter", "year",
#'   "fiscal week", "fiscal month", "fiscal quarter", "fiscal year"; or NULL for each span in one row (per
#'   group).
#' @param by Character vector: attributes to group by, none by default. A missing value is a group
#'   of its own.
#' @param ... Measures, named: `income = total(fare)`, `trips = entries()`, and arithmetic on them with `+ - * /`, also by the
#'   names given before: `yield = income / trips`. As bare code or as text. Without any, `entries()` is shown. See Measures below.
#' @param span Text of length one: a phrase such as "last 12 months", "2026-Q3", "month to date, every year"; see
#'   [span()] for the language. Or a [span()] already made. Only the days from the ledger's first to the as-of day are
#'   shown.
#' @param spans Character vector instead of `span` and `per`: phrases, named or not, a row (per group) for each, in
#'   the order given: `c("month to date", before = "month to date, 1 year back")`. [cross_table()] puts them side by side.
#' @param on Text of length one: the date basis, the ledger's first by default. On another one,
#'   entries without a day on it, and those set aside for the first, are in no figure; notes count
#'   them.
#' @param where A condition on single entries, before any summing: `==`, `!=`, `<`, `<=`, `>`, `>=`,
#'   `%in%`, `is_missing(x)`, `has_text(x, "...")`, joined by `&`, `|` and `!`. Bare code or text. A
#'   comparison with a missing value is never true. See Conditions below.
#' @param list_all TRUE keeps every member of the attributes (every combination that the ledger
#'   holds, for several), with zero, though no entry passes the conditions. FALSE keeps those with
#'   an entry in the span, each with a row for every period.
#' @param partial "flag" marks periods that are not wholly covered (`complete` is FALSE); "drop"
#'   leaves them out, and spans that are not over; totals, shares, headings and control totals are
#'   then of the days of the rows that stay.
#' @param totals Rows of totals, always worked out from entries: "by" over the members of the attributes, at every level of the
#'   leading ones (`by = c("route", "channel")` gives each route's and the grand total); "period" over all periods of the span;
#'   "both"; or "none". The attribute, or the period, that is summed over reads "(all)"; such attributes are text (or
#'   factors). Every verb works on these rows too.
#' @param anchor What relative spans ("last month", "week to date") hang on: "ledger", the as-of day; or "group", each
#'   group's own latest entry up to it, whatever the conditions. The heading says which.
#' @param as_of A day up to which entries count, not later than the ledger's: a Date or text such as
#'   "2026-08-31".
#'
#' @section Measures:
#' Each takes a condition of its own, `total(fare, where = channel == "web")`. Nothing but these calls is ever evaluated; the
#' value of a variable is put in with `!!`. Missing values are left out of a measure and counted in a note.
#' \tabular{ll}{
#'   `total(x)`, `entries()` \tab sum of an amount; number of entries \cr
#'   `average(x)`, `middle(x)` \tab mean and median of the amounts \cr
#'   `smallest(x)`, `largest(x)` \tab of the amounts; missing where there are none \cr
#'   `distinct(x)` \tab number of different members (of an attribute, or different amounts or days) \cr
#'   `newcomers(x)` \tab members seen in the days whose first entry ever in the ledger, whatever the conditions, is in them too \cr
#'   `returning(x)` \tab members seen in the days and before them: `distinct = newcomers + returning` \cr
#'   `lapsed(x)` \tab members seen in the period before and not in the row's days; needs `per` \cr
#'   `balance(x)` \tab latest amount on or before the row's last day, also from before the span (of several on one day, the last in
#'     the source); `balance(x, each = y)` adds up the latest of each y \cr
#'   `active()` \tab entries open on the row's last day: begun by then and not ended (`until` of [ledger()]); open on the day they
#'     end too, or with `last_day = FALSE` not
#' }
#' A row's figure is that of its own group and days; a ratio is that of the sums. Balances and what is active are as of the
#' row's last day, so they need no entry in the span; with one of them, groups that had entries before the span have rows too.
#'
#' @section Conditions:
#' Ordered factors compare by their levels, dates as days, other text by its bytes. Text whose
#' values are all days, or days with times, written year first compares with a day by its day:
#' `seen_at <= "2026-09-17"` holds for all of that day. `has_text()` overlooks the case of letters
#' by Unicode's simple case folding, in every locale alike.
#'
#' @section Identifiers:
#' A column of numbers is an identifier where no measure of the statement adds it up, averages it or
#' the like, and `units` of [ledger()] does not say what it counts. Identifiers are written in
#' digits, without separators, everywhere: 100000, not 1e+05 or 100,000. Whole numbers of 64 bits
#' (integer64) that doubles cannot tell apart, from 2^53 on, are text of digits as attributes, and
#' are compared with digits in quotes: `ticket == "9007199254740993"`.
#'
#' @section Rows of a statement:
#' Rows may be taken away, put in another order and joined again (by `rbind()`) between verbs. Rows
#' of another statement, the same row twice, or measures changed by hand are refused by the next
#' verb: it would answer for a question that was not asked.
#'
#' @section Cost and memory:
#' Totals and counts take one pass over the columns needed, into a cube of days and groups: 8 bytes a figure, day and group, or
#' a figure and entry where that is less. The other measures take 8 to 16 bytes an entry that counts, while the statement lives,
#' and one pass along the days for each list of windows, however much these overlap; medians also sort. The ledger keeps the
#' last four cubes of up to 64 MB (`options(rollingledger.kept_cubes=)`, 0 for none), so that a question asked again is free.
#'
#' @section Order of steps:
#' Days are worked out first, from the ledger and the as-of day alone; conditions (`where`) are applied to the entries of
#' those days. So a condition that leaves no entry in the last week changes no date.
#'
#' @section Look-backs:
#' "last 8 weeks" and "latest 8 weeks" start on a whole week. A span that starts inside a period of `per`, such as
#' "trailing 60 days" by month, keeps its days: its first period is marked as partial, and a note says which phrase
#' would start on a whole one.
#'
#' @return A `statement`, a tibble with one row per period (or span) and group: `period` (text label, such as
#'   2026-09, or that of the span), `from` and `to` (Dates: the days really covered), `complete` (logical: whether the period
#'   is covered from its first to its last day), the attributes (as in the source), and one column
#'   of doubles per measure. A total of no entries is 0, an average or a ratio without a base is
#'   missing. It keeps how it was made, so [add_running()], [figure_trend()] and the rest
#'   need nothing else. With `by`, rows without entries are left out, with a message, where there
#'   would be more than 1,000,000 rows (`options(rollingledger.zero_rows=)`); `list_all = TRUE` keeps them.
#'
#' @section Errors:
#' `rollingledger_error_column` for an unknown column or date basis, `rollingledger_error_measure` for an unknown
#' measure, function or condition, `rollingledger_error_overflow` where exact sums could overflow,
#' `rollingledger_error_choice` for a misspelt grain, `rollingledger_error_span` for a span that is not
#' understood or holds no entries.
#'
#' @source ISO 8601 for weeks, week-years and dates; IEEE 754 for the rounding of exact sums; the
#'   Unicode Standard's CaseFolding.txt (status C and S) for `has_text()`.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
#'                 calendar = ledger_calendar(fiscal_start = "April"))
#' statement(fares, per = "quarter", span = "2026", income = total(fare), trips = entries(),
#'           yield = income / trips)
#'
#' statement(fares, per = "fiscal year", by = "route", income = total(fare),
#'           online = total(fare, where = channel == "web"), online_part = online / income)
#'
#' # People, not only tickets; totals are those of the entries
#' statement(fares, per = "month", by = "route", span = "last 2 months", riders = distinct(account),
#'           returning = returning(account), middle_fare = middle(fare), totals = "both")
#'
#' # Spans of any kind, and the same days of every year
#' statement(fares, spans = c("month to date", "month to date, 1 year back", "FYTD"), income = total(fare))
#' statement(fares, span = "every Q3", income = total(fare), trips = entries())
#'
#' # The same on another date basis, by one word
#' statement(fares, per = "month", span = "2026-07/..", on = "booked", income = total(fare))
statement <- function(x, per = NULL, by = NULL, ..., span = "all", spans = NULL, on = NULL, where = NULL,
                      list_all = FALSE, partial = c("flag", "drop"), totals = c("none", "by", "period", "both"),
                      anchor = c("ledger", "group"), as_of = NULL) {
  check_not_measures(match.call(expand.dots = FALSE))
  check_ledger_object(x)
  if (!is.null(per)) check_grain(per)
  if (length(by) == 0) by <- NULL
  check_attributes(by, x)
  on <- check_basis(on, x)
  one_flag(list_all, "list_all")
  partial <- one_of(partial, c("flag", "drop"), "partial")
  totals <- one_of(totals, c("none", "by", "period", "both"), "totals")
  anchor <- one_of(anchor, c("ledger", "group"), "anchor")
  as_of <- statement_as_of(as_of, x)
  asked <- asked_spans(span, spans, per, anchor, by, x$calendar)
  where <- enquo_condition(rlang::enquo(where), x)
  measures <- read_measures(rlang::enquos(...), x, taken = c(row_columns, by))

  plan <- list(
    x = x, per = per, by = by, on = on, where = where, asked = asked, as_of = as_of, measures = measures,
    list_all = list_all, partial = partial, totals = totals, anchor = anchor, cube = new.env(parent = emptyenv()), anchored = new.env(parent = emptyenv())
  )
  check_totals(totals, plan)
  # Days come from the ledger and the as-of day alone, before any condition is looked at.
  plan$spans <- spans_as_of(plan, as_of)
  plan$empty <- check_spans_hold_entries(plan)
  plan$spans <- shown_spans(plan, plan$spans)
  if (anchor == "group") plan$anchors <- group_anchors(plan)
  new_statement(plan, statement_rows(plan))
}

row_columns <- c("period", "from", "to", "complete")

# A measure without a name lands in the first free place, such as `per` or `by`; one that is called
# as an argument lands in that one.
check_not_measures <- function(called, call = caller_env()) {
  for (arg in setdiff(names(called)[-1], c("...", "where"))) {
    expr <- called[[arg]]
    if (!is.call(expr) || !called_name(expr) %in% c(names(measure_functions), arithmetic_ops) ||
        !any(all.names(expr) %in% names(measure_functions))) next
    refuse_measure(c(sprintf("The measure `%s` stands in the place of `%s`.", code_text(expr), arg),
                     i = sprintf("Give it a name that is neither `%s` nor the start of it, such as figure = %s.", arg, code_text(expr))), call = call)
  }
}

check_attributes <- function(by, x, call = caller_env()) {
  if (is.null(by)) return(invisible())
  if (!is.character(by) || anyNA(by) || anyDuplicated(by)) {
    refuse("choice", "`by` must name different columns, such as c(\"route\", \"channel\").", arg = "by", call = call)
  }
  for (name in by) {
    if (name %in% row_columns) {
      refuse("choice", c(sprintf("`by` cannot use the column `%s`: a statement has a column of that name.", name),
                         i = "Rename it in the source."), arg = "by", call = call)
    }
    if (!name %in% c(ledger_column_names(x), x$left_out)) refuse_column(name, ledger_column_names(x), "attribute", call = call)
    ledger_attribute(x, name, call)
  }
}

check_basis <- function(on, x, call = caller_env()) {
  if (is.null(on)) return(names(x$bases)[1])
  if (!is.character(on) || length(on) != 1 || !on %in% names(x$bases)) {
    refuse_column(as.character(on)[1], names(x$bases), "date basis", call = call)
  }
  if (!is.finite(x$bases[[on]]$first)) {
    refuse("date", sprintf("No entry has a day on the date basis `%s` up to the as-of day.", on), call = call)
  }
  on
}

statement_as_of <- function(as_of, x, call = caller_env()) {
  if (is.null(as_of)) return(x$as_of)
  day <- one_day(as_of, "as_of", call)
  if (day > x$as_of) {
    refuse("choice", c(sprintf("`as_of` is %s, after the ledger's own as-of day, %s.", day_text(day), day_text(x$as_of)),
                       i = "Entries dated later were set aside when the ledger was built; build it with a later `as_of`."),
           arg = "as_of", call = call)
  }
  day
}

new_statement <- function(plan, rows) {
  note <- rows$note
  rows$note <- NULL
  n <- length(rows$group)
  if (plan$totals != "none") rows$known <- NULL
  if (plan$totals == "none") rows[c("level", "whole")] <- list(rep(length(plan$by), n), logical(n)) else rows <- with_totals(plan, rows)
  rows$set <- integer(n <- length(rows$group))
  columns <- lapply(stats::setNames(nm = names(plan$measures)), function(name) measure_column(plan, name, kind = "measure"))
  values <- lapply(columns, column_values, plan = plan, rows = rows)
  attributes <- row_attributes(plan, rows)
  days <- list(period = rows$period, from = as_date(rows$from), to = as_date(rows$to))
  frame <- tibble::new_tibble(c(days, list(complete = rows$complete), attributes, values), nrow = n, class = "statement")
  # Verbs that follow find the rows as they are.
  rows$values <- attributes
  assign("rows", list(columns = c(days, attributes), rest = NULL, rows = rows[setdiff(names(rows), c("complete", "grid", "known"))]), envir = plan$cube)
  plan$made <- list(columns = c(days, attributes), figures = values)
  plan$notes <- c(note, span_notes(plan), basis_notes(plan), measure_notes(plan))
  attr(frame, "plan") <- plan
  attr(frame, "columns") <- columns
  frame
}

# On another date basis than the first, entries without a day on it are in no figure, nor are those
# set aside for the first.
basis_notes <- function(plan) {
  first <- names(plan$x$bases)[1]
  if (plan$on == first) return(NULL)
  days <- whole_ledger(plan$x)$bases[[plan$on]]$data$data
  absent <- sum(is.na(days))
  late <- sum(days > plan$x$as_of, na.rm = TRUE)
  later <- length(plan$x$later_rows)
  says <- function(n, what) sprintf("%s %s in no figure here: %s.",
                                    count_text(n, "entry", "entries"), if (n == 1) "is"
                                      else "are", what)
  c(if (absent > 0) says(absent,
                         sprintf("%s no day on %s", if (absent == 1) "it has" else "they have",
                                 plan$on)),
    if (late > 0) says(late, sprintf("%s after the as-of day", plan$on)),
    if (later > 0)
      says(later, sprintf("set aside as %s after the as-of day, whenever %s", first, plan$on)))
}

# What is to be known of measures: how they are meant, and which entries they leave out.
measure_notes <- function(plan) {
  leaves <- measure_leaves(plan$measures)
  c(unique(unlist(lapply(leaves, meaning_note, plan = plan))), missing_notes(plan))
}

meaning_note <- function(leaf, plan) {
  first <- day_text(plan$x$bases[[plan$on]]$first)
  switch(leaf$fun,
    active = sprintf("Active on the last day of a row: began by then, and %s, or without an end.",
                     if (leaf$options$last_day) "open up to and with the day they end" else "not ended by that day"),
    newcomers = , returning = sprintf("The first entry of each %s is looked for in the whole ledger, from %s, whatever the conditions.", leaf$column, first),
    lapsed = sprintf("Lapsed: each %s seen in the period before and not in the row's days.", leaf$column),
    balance = sprintf("A balance is the latest %s on or before a row's last day%s.", leaf$column,
                      if (!is.null(leaf$options$each)) sprintf(", added up over each %s", leaf$options$each) else "")
  )
}

# Amounts and members that are missing are left out of a measure, and said.
missing_notes <- function(plan) {
  measured <- unique(lapply(measure_leaves(plan$measures), function(leaf) leaf[c("column", "where")]))
  unlist(lapply(measured, function(leaf) {
    if (is.null(leaf$column) || !lacks_some(ledger_column(plan$x, leaf$column))) return(NULL)
    missing <- list(node = "missing", column = leaf$column)
    where <- if (is.null(leaf$where)) missing else list(node = "both", a = leaf$where, b = missing)
    absent <- held_in_spans(plan, list(list(what = "count", column = NULL, where = where)))
    if (absent == 0) return(NULL)
    sprintf("%s without %s %s left out of it.", count_text(absent, "entry", "entries"),
            with_article(leaf$column),
            if (absent == 1) "is" else "are")
  }))
}

lacks_some <- function(column) if (is_code_column(column)) anyNA(column$members) else column$has_missing

# Figures of slots over all days of the statement, days of several spans counted once.
held_in_spans <- function(plan, slots) {
  if (is.null(plan$anchors)) {
    days <- days_together(plan$spans)
    return(Reduce(`+`, Map(function(from, to) control_figures(plan, slots, from, to), days$from, days$to)))
  }
  cube <- memory_cube(plan$x, plan$on, plan$by, plan$where, c(list(entry_count), slots))
  days <- lapply(anchor_classes(plan, which(!is.na(plan$anchors)) - 1L), function(class) {
    together <- days_together(class$spans)
    new_windows(rep(class$groups, each = length(together$from)), rep(together$from, length(class$groups)), rep(together$to, length(class$groups)))
  })
  windows <- do.call(Map, c(c, lapply(unname(days), `[`, c("group", "from", "to"))))
  vapply(slots, function(slot) sum(cube_figures(cube, slot, windows)), 0)
}

# Figures of slots over days, every entry looked at once, without the cube.
control_figures <- function(plan, slots, from, to) {
  parts <- if (plan$on == names(plan$x$bases)[1]) ledger_parts(plan$x) else list(whole_ledger(plan$x))
  Reduce(`+`, lapply(parts, function(x) core_control_figures(cube_request(x, x$bases[[plan$on]], plan$where, slots), from, to)))
}
