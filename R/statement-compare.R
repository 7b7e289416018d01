describe_verb("compare_spans", asked_of = "ledger",
  a = field("phrase", "the span that is compared", value = "PHRASE", option = "span",
            needed = TRUE,
            more = "A phrase as in [span()]; a name becomes the label: `c(now = \"FYTD\")`."),
  b = field("phrase", "the span that it is compared with", value = "PHRASE", option = "against",
            needed = TRUE, more = "The same."),
  shared = list(statement = c("by", "...", "on", "where", "list_all", "as_of", "scale"))
)

#' Compare any two spans
#'
#' Two spans side by side, whatever they are: the difference and the per cent. Set both to the same
#' phrase, and every difference is zero.
#'
#' @param x A [ledger()].
#' @eval field_params("compare_spans")
#'
#' @return A `cross_table`, a tibble with one row per group: the attributes, and for each measure
#'   four columns of doubles, named after it: `income_a`, `income_b`, `income_difference` (a less b)
#'   and `income_pct` (the difference in per cent of b, missing where b is zero or missing).
#'   Headings show the days of both spans; a note says where they differ in length.
#' @section Errors:
#' As for [statement()]; `rollingledger_error_span` where a phrase means several spans.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' compare_spans(fares, "month to date", "month to date, 1 year back", by = "route",
#'               income = total(fare), trips = entries())
#' compare_spans(fares, "2026-W08", "2025-W31", income = total(fare))
#' @include question-fields.R statement-.R
compare_spans <- with_fields("compare_spans", function(x, a, b, by, ..., on, where, list_all,
                                                       as_of, scale) {
  check_not_measures(match.call(expand.dots = FALSE))
  check_ledger_object(x)
  compared_spans(x, asked_as("compare_spans"), rlang::current_env())
})

# What a function with measures in its dots was asked for.
asked_as <- function(verb, frame = caller_env()) {
  asked <- asked_fields(verb, frame)
  names(asked)[names(asked) == "..."] <- "measures"
  asked
}

# The comparison that a record asks for.
compared_spans <- function(x, asked, call = caller_env()) {
  force(call)
  consistent(x, function() compare_these_spans(x, asked, call))
}

compare_these_spans <- function(x, asked, call) {
  spans <- two_spans(x, asked, call)
  rlang::local_options(rollingledger.zero_rows = Inf)  # two rows to a group are never too many
  own <- asked[setdiff(names(asked), c("a", "b", "member", "now", "before"))]
  own$spans <- phrase_records(spans)
  s <- answer_statement(x, own, call)
  plan <- attr(s, "plan")
  x <- plan_ledger(plan)
  plan$notes <- c(plan$notes, length_note(plan))
  attr(s, "plan") <- plan
  groups <- statement_groups(plan)
  figures <- function(tree, i) {
    windows <- new_windows(groups, plan$spans$from[i], plan$spans$to[i])
    window_values(tree, x, plan_ask(plan), windows)
  }
  measures <- names(plan$measures)
  compared <- lapply(measures, function(name) {
    tree <- plan$measures[[name]]
    compared_values(figures(tree, 1), figures(tree, 2), plan, name)
  })
  columns <- lapply(seq_along(measures), function(i) {
    known <- scaled_column(attr(s, "columns")[[measures[i]]],
                           unlist(compared[[i]][1:2], use.names = FALSE), plan)
    compared_columns(measures[i], plan, known, group = i, alone = length(measures) == 1)
  })
  table <- new_table(
    c(groups_values(groups_by(x, plan$by, FALSE), groups), unlist(compared, recursive = FALSE)),
    nrow = length(groups), class = "cross_table"
  )
  attr(table, "plan") <- plan
  attr(table, "subject") <- cross_subject(s, measures)
  attr(table, "days_across") <- days_across(c("now", "before"), as_date(plan$spans$from),
                                            as_date(plan$spans$to))
  attr(table, "notes") <- statement_footer(s, marks = FALSE)
  attr(table, "columns") <- unlist(columns, recursive = FALSE)
  with_show(table, new_question(source_facts(x)$given, NULL), "compare_spans", asked)
}

# The two phrases as spans of a statement, told apart by name where they are the same.
two_spans <- function(x, asked, call = caller_env()) {
  facts <- source_facts(x)
  on <- check_basis(asked$on, facts, call)
  as_of <- statement_as_of(asked$as_of, facts, call)
  spans <- unlist(lapply(c("a", "b"), function(arg) {
    phrase <- asked[[arg]]
    label <- single_span(phrase, arg, facts, on, as_of, call)$label
    stats::setNames(phrase[[1]], label)
  }))
  if (names(spans)[1] == names(spans)[2]) names(spans) <- paste0(names(spans), c(" (a)", " (b)"))
  spans
}

# What one phrase means, as resolve_phrase() has it, where it means one span.
single_span <- function(phrase, arg, facts, on, as_of, call) {
  if (!is.character(phrase) || length(phrase) != 1 || is.na(phrase)) {
    refuse("span", sprintf("{%s} must be one phrase, such as \"last month\".", arg), call = call)
  }
  days <- resolve_phrase(phrase[[1]], names(phrase) %||% "", facts$calendar, as_of,
                         facts$dates[[on]]$first, call)
  if (length(days$to) != 1) {
    refuse("span", c(sprintf("{%s} (\"%s\") means %s; two single spans can be compared.", arg,
                             phrase, count_text(length(days$to), "span")),
                     i = "Several spans go into `statement(spans = )` and `cross_table()`."),
           call = call)
  }
  days
}

compared_values <- function(a, b, plan, name) {
  change <- difference_of(a, b, plan, name)
  stats::setNames(list(a, b, change$difference, change$pct),
                  paste0(name, c("_a", "_b", "_difference", "_pct")))
}

# A measure that is alone is named by the title; in files the spans are called now and before,
# whatever their days.
compared_columns <- function(name, plan, known, group, alone) {
  spans <- plan$spans
  in_unit <- function(unit) paste0(name, if (!is.null(unit)) sprintf(" (%s)", unit))
  days <- span_text(spans$from, spans$to)
  column <- function(lines, heads, ...) utils::modifyList(
    c(known[c("decimals", "unit", "scale")], list(group = group, lines = lines, heads = heads)),
    list(...))
  of_span <- function(i) {
    column(c(spans$label[i], days[i], if (alone) "" else in_unit(known$unit_shown)),
           paste0(c("now: ", "before: ")[i], in_unit(known$unit)))
  }
  beside <- function(word) if (alone) c("", word, "") else c("", "", word)
  stats::setNames(list(
    of_span(1), of_span(2),
    column(beside("difference"), paste(name, "difference"), change = TRUE),
    column(beside("per cent"), paste(name, "pct"), decimals = 1, unit = "%", scale = 1,
           change = TRUE)
  ), paste0(name, c("_a", "_b", "_difference", "_pct")))
}

# Spans of unlike length compare unlike things, which the reader must know.
length_note <- function(plan) {
  days <- plan$spans$to - plan$spans$from + 1L
  if (days[1] == days[2]) return(NULL)
  sprintf("The spans differ in length: %s against %s.", count_text(days[1], "day"),
          count_text(days[2], "day"))
}
