describe_verb("statement", asked_of = "ledger",
  per = field("grain", "the grain, a row for each period of it",
              more = "NULL gives each span in one row (per group).", value = "GRAIN",
              choices = grains),
  by = field("attributes", "attributes to group by, calendar parts such as weekday among them",
             value = "COLUMN", many = TRUE,
             more = paste("A missing value is a group of its own. See the section",
                          "Calendar parts of [statement()].")),
  ... = field("measures", "measures by name, such as 'income=total(fare)'; entries() without any",
              option = "measure", value = "MEASURE", many = TRUE, more = paste(
    "Also arithmetic on them with `+ - * /`, by the names given before:",
    "`yield = income / trips`. As bare code or as text. See the section Measures of",
    "[statement()].")),
  span = field("phrase", "the days: a phrase such as 'last 12 months' or 2026-Q3",
               default = "all", value = "PHRASE", many = TRUE, more = paste(
    "See [span()] for the language; its unit period is the grain of {per}, so that \"latest 12",
    "periods\" follows it. Or a [span()] already made. Or phrases by grain, of which that of {per}",
    "counts: `c(week = \"latest 15 weeks\", month = \"latest 12 months\")`. Only the days from the",
    "ledger's first to the as-of day are shown.")),
  spans = field("phrases", "phrases instead of {span} and {per}, named or not, a row for each",
                option = FALSE, more = paste("In the order given:",
    "`c(\"month to date\", before = \"month to date, 1 year back\")`. [cross_table()] puts them",
    "side by side.")),
  on = field("text", "the date basis that counts, the ledger's first by default",
             option = "use", value = "NAME", more = paste(
    "On another one, entries without a day on it, and those set aside for the first, are in no",
    "figure; notes count them.")),
  where = field("condition", "condition on single entries, such as channel == \"web\" & fare > 0",
                value = "CONDITION", many = TRUE, more = paste(
    "`==`, `!=`, `<`, `<=`, `>`, `>=`, `%in%`, `is_missing(x)`, `has_text(x, \"...\")`,",
    "`starts_with(x, \"...\")`, `ends_with(x, \"...\")`, joined",
    "by `&`, `|` and `!`; bare code or text. It holds before any summing. A comparison with a",
    "missing value is never true. See the section Conditions of [statement()].")),
  list_all = field("flag", "keep members without entries, with zero", default = FALSE,
                   more = paste(
    "TRUE keeps every member of the attributes (every combination that the ledger holds, for",
    "several), though no entry passes the conditions. FALSE keeps those with an entry in the",
    "span, each with a row for every period.")),
  partial = field("choice", "what becomes of periods that are not wholly covered", default = "flag",
                  choices = c("flag", "drop"), value = "WORD", more = paste(
    "\"flag\" marks them (`complete` is FALSE); \"drop\" leaves them out, and spans that are not",
    "over; totals, shares, headings and control totals are then of the days of the rows that",
    "stay.")),
  totals = field("choice", "rows of totals over attributes, periods or both",
                 default = "none", choices = c("none", "by", "period", "both"), value = "WORD",
                 more = paste(
    "They are always worked out from entries: \"by\" over the members of the attributes, at every",
    "level of the leading ones (`by = c(\"route\", \"channel\")` gives each route's and the grand",
    "total); \"period\" over all periods of the span. The attribute, or the period, that is summed",
    "over reads \"(all)\"; such attributes are text (or factors). Every verb works on these rows",
    "too.")),
  anchor = field("choice",
                 "what relative spans hang on, the ledger's as-of day or each group's latest entry",
                 default = "ledger", choices = c("ledger", "group"), value = "WORD", more = paste(
    "\"group\" is each group's own latest entry up to the as-of day, whatever the conditions.",
    "The heading says which.")),
  as_of = field("day", "the statement's own as-of day, not later than the ledger's",
                option = "statement-as-of", value = "DAY",
                more = "A Date or text such as \"2026-08-31\"; entries count up to it."),
  known = field("day", "figures as they were known at the end of this day, by the basis entered",
                value = "DAY", more = paste(
    "Entries entered later are not there at all. Needs a date basis called `entered`, which says",
    "when each entry was entered; what has no day on it was never known. The as-of day is then no",
    "later than this one.")),
  scale = field("choice", "whether large figures are shown in thousands or millions",
                default = "ones", choices = c("ones", "thousands", "millions"), value = "WORD",
                more = paste(
    "Headings say so, and figures that stay below one of them are shown as they are. Files, and",
    "the statement itself, hold the figures as they are."))
)

#' A statement: figures by period and attributes
#'
#' Asks a [ledger()] for measures by any grain and any attributes. Every figure is worked out from
#' entries over its own group and days, so totals at every grain agree to the cent, and averages and
#' ratios are those of the sums. Rows are in order of period, then of the attributes.
#'
#' @param x A [ledger()].
#' @eval field_params("statement")
#'
#' @section Measures:
#' Each takes a condition of its own, `total(fare, where = channel == "web")`. Nothing but these
#' calls is ever evaluated; the value of a variable is put in with `!!`. Missing values are left out
#' of a measure and counted in a note.
#' \tabular{ll}{
#'   `total(x)`, `entries()` \tab sum of an amount; number of entries \cr
#'   `per_cent(a / b)` \tab a ratio of measures as per cent, with "%" in its heading \cr
#'   `average(x)`, `middle(x)` \tab mean and median of the amounts \cr
#'   `smallest(x)`, `largest(x)` \tab of the amounts; missing where there are none \cr
#'   `distinct(x)` \tab number of different members (of an attribute, or amounts, or days) \cr
#'   `newcomers(x)` \tab members seen in the days whose first entry ever in the ledger, whatever the
#'     conditions, is in them too \cr
#'   `returning(x)` \tab members seen in the days and before them, so that `distinct` is `newcomers`
#'     and `returning` \cr
#'   `lapsed(x)` \tab members seen in the period before and not in the row's days; needs `per` \cr
#'   `balance(x)` \tab latest amount on or before the row's last day, also from before the span (of
#'     several on one day, the last in the source); `balance(x, each = y)` adds up the latest of
#'     each y \cr
#'   `active()` \tab entries open on the row's last day: begun by then and not ended (`until` of
#'     [ledger()]); open on the day they end too, or with `last_day = FALSE` not
#' }
#' A row's figure is that of its own group and days; a ratio is that of the sums. Balances and what
#' is active are as of the row's last day, so they need no entry in the span; with one of them,
#' groups that had entries before the span have rows too.
#'
#' @section Conditions:
#' A name is that of a column, between backticks where it is no name of R's, or of a calendar part.
#' The value of a variable is put in with `!!`: `fare > !!least`. Ordered factors compare by their
#' levels, dates as days, other text by its bytes. Text whose values are all days, or days with
#' times, written year first compares with a day by its day: `seen_at <= "2026-09-17"` holds for
#' all of that day. `has_text()` overlooks the case of letters by Unicode's simple case folding, in
#' every locale alike.
#'
#' @section Calendar parts:
#' What a day is within its week, month or year is an attribute too, in `by`, in conditions and in
#' figures: `by = c("weekday", "month of year")`, `where = working_day == "day off"`. The days are
#' those of the statement's date basis. Members are in the order of the calendar.
#' \tabular{ll}{
#'   `weekday` \tab Monday to Sunday, from the day on which weeks start \cr
#'   `working_day` \tab "working day" or "day off", by [ledger_calendar()] \cr
#'   `day_of_month`, `week_of_year`, `hour` \tab numbers; the hour where the dates have times \cr
#'   `month_of_year`, `quarter_of_year` \tab January to December, Q1 to Q4 \cr
#'   `fiscal_month_of_year`, `fiscal_quarter_of_year`, `fiscal_week_of_year` \tab the same of the
#'     fiscal year
#' }
#' A column of the source of that very name goes before it; then case and spaces fold, in every
#' field that takes attributes, so that "Month of year" is `month_of_year` where no column is called
#' so. Of a table of fiscal periods that begins within a year, places in that year are those that
#' its labels number (P08 2025); without numbers they are unknown, and what needs them is refused.
#'
#' @section Worked-out columns:
#' Where a measure or a condition takes a column, it also takes what is worked out of columns, entry
#' by entry: `total(quantity * price)`, `where = fare / passengers > 20`. See [work_out()].
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
#' Totals and counts take one pass over the columns needed, of the days asked for and those that
#' windows reach back to, into a cube of days and groups: 8 bytes a figure, day and group, or a
#' figure and entry where that is less. The other measures take 8 to 16 bytes an entry that counts,
#' and one pass along the days for each list of windows, however much these overlap; medians also
#' sort. A ledger keeps what was worked out, so that a question asked again is free: what the newest
#' statement and its verbs use, and up to 256 MB of older ones
#' (`options(rollingledger.cache_bytes=)`, 0 for nothing), what was not used for longest going
#' first.
#' A statement that is saved in a file holds its question and its rows, and no entries; see
#' [give_ledger()].
#'
#' @section Spans without entries:
#' A span within the ledger's days that holds no entry is zero, with a note; one beyond them is
#' refused, with the ledger's first and last day. `partial = "drop"` leaves out periods that are not
#' over, and spans that the as-of day cuts, and says which; "year to date" is asked for up to a day,
#' so it stays.
#'
#' @section Order of steps:
#' Days are worked out first, from the ledger and the as-of day alone; conditions (`where`) are
#' applied to the entries of those days. So a condition that leaves no entry in the last week
#' changes no date.
#'
#' @section Look-backs:
#' "last 8 weeks" and "latest 8 weeks" start on a whole week. A span that starts inside a period of
#' `per`, such as "trailing 60 days" by month, keeps its days: its first period is marked as
#' partial, and a note says which phrase would start on a whole one.
#'
#' @return A `statement`, a tibble with one row per period (or span) and group: `period` (text
#'   label, such as 2026-09, or that of the span), `from` and `to` (Dates: the days really covered),
#'   `complete` (logical: whether the period is covered from its first to its last day), the
#'   attributes (as in the source), and one column of doubles per measure. A total of no entries is
#'   0, an average or a ratio without a base is missing. It keeps how it was made, so
#'   [add_running()], [figure_trend()] and the rest need nothing else. With `by`, rows without
#'   entries are left out, with a message, where there would be more than 1,000,000 rows
#'   (`options(rollingledger.zero_rows=)`); `list_all = TRUE` keeps them.
#'
#' @section Errors:
#' `rollingledger_error_column` for an unknown column or date basis, `rollingledger_error_measure`
#' for an unknown measure, function or condition, `rollingledger_error_overflow` where exact sums
#' could overflow, `rollingledger_error_choice` for a misspelt grain, `rollingledger_error_span` for
#' a span that is not understood or holds no entries.
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
#' statement(fares, spans = c("month to date", "month to date, 1 year back", "FYTD"),
#'           income = total(fare))
#' statement(fares, span = "every Q3", income = total(fare), trips = entries())
#'
#' # Weekdays by quarter, and a price per head worked out ticket by ticket
#' statement(fares, by = c("weekday", "quarter of year"), span = "2025", income = total(fare)) |>
#'   cross_table("quarter_of_year")
#' statement(fares, span = "last month", per_head = average(fare / passengers))
#'
#' # The same on another date basis, by one word
#' statement(fares, per = "month", span = "2026-07/..", on = "booked", income = total(fare))
#' @include question-fields.R calendar-periods.R
statement <- with_fields("statement", function(x, per, by, ..., span, spans, on, where, list_all,
                                               partial, totals, anchor, as_of, known,
                                               scale) {
  check_not_measures(match.call(expand.dots = FALSE))
  check_ledger_object(x)
  asked <- asked_fields("statement")
  names(asked)[names(asked) == "..."] <- "measures"
  answer_statement(x, asked, rlang::current_env())
})

row_columns <- c("period", "from", "to", "complete")

# The statement that a record asks for, of entries that are the same all the while.
answer_statement <- function(x, asked, call = caller_env()) {
  force(call)
  consistent(x, function() answered_statement(x, asked, call))
}

answered_statement <- function(x, asked, call) {
  question <- new_question(source_facts(x)$given, asked)
  plan <- plan_of(x, asked, call)
  plan$id <- rlang::hash(list(question[["statement"]], plan$as_of))
  x <- plan_ledger(plan)
  consistent(x, function() {
    answering_for(x, plan$id)
    s <- new_statement(plan, statement_rows(plan, call))
    attr(s, "question") <- question
    with_rows_seen(s)
  })
}

# How a statement is worked out: what was asked, read; the days it means; and the handle of its
# ledger. list(handle, per, by, on, where, measures, slots, asked, list_all, partial, totals,
# anchor, scale, as_of, known, calendar, first, last, files, spans, empty, anchors, id).
plan_of <- function(x, asked, call) {
  given <- filled_fields("statement", asked[setdiff(names(asked), "measures")], call = call)
  known <- if (!is.null(given$known)) one_day(given$known, "known", call)
  if (!is.null(known)) x <- ledger_known(x, known, call)
  facts <- source_facts(x)
  by <- if (length(given$by) > 0) attributes_meant(given$by, source_column_names(x))
  on <- check_basis(given$on, facts, call)
  check_grain_of_months(given$per, on, facts, call)
  texts <- asked$measures %||% c(entries = "entries()")
  calendar_by <- setdiff(intersect(by, names(calendar_parts)), source_column_names(x))
  x <- ledger_asked(x, c(texts, given$where), by, on, call)
  check_attributes(by, x, call)
  as_of <- statement_as_of(given$as_of, facts, call, known)
  spans <- asked_spans(given, by, facts$calendar, call)
  where <- text_condition(given$where, x, call)
  plan <- list(
    handle = ledger_handle(x), per = given$per, by = by, on = on, where = where, asked = spans,
    as_of = as_of, measures = read_measures(texts, x, c(row_columns, by), call),
    list_all = given$list_all, partial = given$partial, totals = given$totals,
    anchor = given$anchor, scale = given$scale, calendar = facts$calendar,
    first = facts$dates[[on]]$first, last = facts$dates[[on]]$last, files = facts$files
  )
  plan$calendar_by <- calendar_by
  plan$seen <- facts$seen
  plan$version <- if (!is.null(facts$seen)) facts$version
  plan$known <- known
  plan$slots <- measure_slots(plan$measures)
  check_totals(plan, call)
  check_currencies(plan, call)
  # Days come from the ledger and the as-of day alone, before any condition is looked at.
  plan$spans <- spans_as_of(plan, as_of, call)
  plan$empty <- check_spans_hold_entries(plan, call)
  plan$spans <- shown_spans(plan, plan$spans)
  if (plan$anchor == "group") plan$anchors <- group_anchors(plan)
  plan$stretches <- plan_stretches(plan)
  plan
}

# The ledger of a statement, or an error that says how to bring the two together.
plan_ledger <- function(plan, call = NULL) {
  x <- ledger_behind(plan$handle)
  if (!is.null(x)) return(x)
  refuse("statement", c("The statement comes from a file, and its ledger is not with it.",
                        i = "Give the ledger again: s <- give_ledger(s, x)."),
         call = call %||% called_frame())
}

has_ledger <- function(plan) !is.null(ledger_behind(plan$handle))

# What is asked of the ledger for some of the plan's attributes.
plan_ask <- function(plan, by = plan$by) {
  new_ask(plan$on, by, plan$where, plan$slots, finer = plan$by, stretches = plan$stretches)
}

plan_members <- function(plan, name) source_members(plan_ledger(plan), name)

# A measure without a name lands in the first free place, such as `per` or `by`; one that is called
# as an argument lands in that one.
check_not_measures <- function(called, call = caller_env()) {
  measured <- c(names(measure_functions), names(called[["..."]]))
  for (arg in setdiff(names(called)[-1], c("...", "where"))) {
    expr <- called[[arg]]
    known <- c(names(measure_functions), arithmetic_ops, "per_cent", "(")
    if (!is.call(expr) || !called_name(expr) %in% known || !any(all.names(expr) %in% measured)) next
    refuse_measure(c(sprintf("The measure `%s` stands in the place of `%s`.", code_text(expr), arg),
                     i = sprintf(
                       paste0("Give it a name that is neither `%s` nor the start of it, such as ",
                              "figure = %s."),
                                 arg, code_text(expr))), call = call)
  }
}

check_attributes <- function(by, x, call = caller_env()) {
  if (is.null(by)) return(invisible())
  if (!is.character(by) || anyNA(by) || anyDuplicated(by)) {
    refuse("choice", "{by} must name different columns, such as c(\"route\", \"channel\").",
           arg = "by", call = call)
  }
  there <- source_column_names(x)
  for (name in by) {
    if (name %in% row_columns) {
      refuse("choice",
             c(sprintf("{by} cannot use the column `%s`: a statement has a column of that name.",
                       name),
               i = "Rename it in the source."), arg = "by", call = call)
    }
    if (!name %in% c(there, source_facts(x)$left_out)) {
      refuse_column(name, there, "attribute", call = call)
    }
    source_column(x, name, call)
  }
}

check_basis <- function(on, facts, call = caller_env()) {
  known <- names(facts$dates)
  if (is.null(on)) return(known[1])
  if (!is.character(on) || length(on) != 1 || !on %in% known) {
    refuse_column(as.character(on)[1], known, "date basis", call = call)
  }
  if (!is.finite(facts$dates[[on]]$first)) {
    refuse("date", sprintf("No entry has a day on the date basis `%s` up to the as-of day.", on),
           call = call)
  }
  on
}

# Of entries by month it is not known on which days they were.
check_grain_of_months <- function(per, on, facts, call) {
  if (!facts$dates[[on]]$months || !isTRUE(per %in% c("day", "week", "fiscal week"))) return()
  refuse("choice", c(sprintf("`%s` holds months, so there is nothing by %s.",
                             facts$dates[[on]]$column, per),
                     i = "Say {per = \"month\"}, or a longer grain."), arg = "per", call = call)
}

statement_as_of <- function(as_of, facts, call = caller_env(), known = NULL) {
  if (is.null(as_of)) return(min(facts$as_of, known))
  day <- one_day(as_of, "as_of", call)
  if (day > facts$as_of) {
    refuse("choice", c(sprintf("{as_of} is %s, after the ledger's own as-of day, %s.",
                               day_text(day), day_text(facts$as_of)),
                       i = paste0("Entries dated later were set aside when the ledger was built; ",
                                  "build it with a later as-of day.")),
           arg = "as_of", call = call)
  }
  day
}

# The table of a plan and its rows.
new_statement <- function(plan, rows) {
  rows <- with_totals(plan, rows)
  columns <- lapply(stats::setNames(nm = names(plan$measures)), measure_column, plan = plan,
                    kind = "measure")
  figures <- lapply(columns, column_values, plan = plan, rows = rows)
  columns <- Map(with_decimals_shown, columns, figures)
  rows$values <- row_attributes(plan, rows)
  shown <- c(list(period = rows$period, from = as_date(rows$from), to = as_date(rows$to)),
             rows$values)
  frame <- new_table(
    c(shown[1:3], list(complete = rows$complete), rows$values, figures),
    nrow = length(rows$group), class = "statement"
  )
  plan$notes <- calculation_name(c(rows$note, span_notes(plan), basis_notes(plan),
                                   measure_notes(plan)))
  keep_rows(plan, shown, figures, plain_rows(rows))
  attr(frame, "plan") <- plan
  attr(frame, "columns") <- columns
  frame
}
