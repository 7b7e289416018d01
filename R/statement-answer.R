#' Answer a question
#'
#' Works out what a question asks for: the statement, its verbs in their order, and what was made of
#' it. `answer(question(s), x)` is identical to `s`. Phrases mean the days that they mean now: asked
#' of a ledger with more entries, "last month" is another one.
#'
#' @param question What [question()] gives, or the same as a plain list, as it comes back from JSON
#'   or YAML.
#' @param ledger A [ledger()]. NULL builds the one that the question tells, where that is one of
#'   files.
#' @param tables Named list of data frames: the tables that were given by hand (targets, lookups,
#'   what was reconciled with), by the names that the question has for them.
#' @return A [statement()], or what the question shows of it: a cross table, a comparison, a figure,
#'   tiles; for a page the list of its parts, as [write_report()] takes them.
#' @section Errors:
#' `rollingledger_error_question` for what is no question, or a table that must be given again;
#' others as for the verbs that are asked for.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' s <- statement(fares, per = "month", by = "route", span = "last 2 months",
#'                income = total(fare)) |>
#'   add_rank(income, keep = 2) |>
#'   add_target(income, demo_targets)
#' q <- question(s)
#' answer(q, fares, tables = list(demo_targets = demo_targets))
answer <- function(question, ledger = NULL, tables = list()) {
  question <- as_question(question)
  call <- rlang::current_env()
  page <- Filter(function(show) identical(show$show, "page"), question$show)
  if (length(page) > 0) return(answered_page(page[[1]], ledger, tables, call))
  x <- ledger %||% ledger_of_record(question$ledger, tables, call = call)
  check_ledger_object(x, "ledger", call)
  shows <- question$show
  first <- if (length(shows) > 0) shows[[1]]$show else ""
  if (first %in% names(asked_of_ledgers())) {
    s <- asked_of_ledgers()[[first]](x, asked_again(shows[[1]][-1]), call)
    return(if (length(shows) > 1) answered_show(s, shows[[2]], tables, call) else s)
  }
  s <- answer_statement(x, asked_again(question$statement), call)
  for (step in question$steps) s <- answered_step(s, step, tables, call)
  if (length(shows) == 0) return(s)
  out <- lapply(shows, function(show) answered_show(s, show, tables, call))
  if (length(out) == 1) out[[1]] else out
}

# What is asked of a ledger and not of a statement.
asked_of_ledgers <- function() {
  list(compare_spans = compared_spans, compare_members = compared_members,
       compare_known = compared_known, why_changed = explained_change,
       stands_out = unusual_figures)
}

answered_step <- function(s, step, tables, call) {
  verb <- step$verb
  if (!rlang::is_string(verb) || is.null(verb_actions[[verb]])) {
    refuse("question", c(sprintf("There is no verb \"%s\".", verb %||% ""),
                         i = nearest_hint(verb %||% "", ls(verb_actions))), call = call)
  }
  asked <- step[setdiff(names(step), "verb")]
  asked <- lapply(asked, table_again, tables = tables, call = call)
  take_step(s, verb, asked, call, tables)
}

# The arguments of a record, as the verbs take them.
asked_again <- function(asked) {
  if (!is.null(asked$measures)) asked$measures <- named_values(asked$measures)
  for (name in intersect(c("a", "b", "now", "before"), names(asked))) {
    asked[[name]] <- named_values(asked[[name]])
  }
  asked
}

# What is made of a statement, by the function of that name.
answered_show <- function(s, show, tables, call) {
  verb <- show$show
  known <- verb_table[[verb %||% ""]]
  shown_of <- c("statement", "explanation", "list")
  if (is.null(known) || !known$of %in% shown_of || !is.null(verb_actions[[verb]])) {
    refuse("question", sprintf("There is nothing to show called \"%s\".", verb %||% ""),
           call = call)
  }
  args <- show[setdiff(names(show), c("show", "draw", "of"))]
  args <- lapply(args, table_again, tables = tables, call = call)
  fields <- known$fields
  for (name in names(args)) {
    kind <- fields[[name]]$kind
    if (identical(kind, "pairs")) args[[name]] <- named_values(args[[name]])
    if (identical(kind, "table")) args[[name]] <- asked_table(args[[name]])
  }
  made <- rlang::exec(verb, s, !!!args, !!!as.list(show$draw), !!!as.list(show$of),
                      .env = topenv())
  # A table keeps the name by which it was first given.
  own <- attr(made, "question")
  if (!is.null(own)) {
    own$show <- c(comparison_of(own), list(show))
    attr(made, "question") <- own
  }
  made
}

# A table given again, as the function takes it.
asked_table <- function(given) {
  if (is.list(given) && !is.data.frame(given)) given$file %||% given$table else given
}

# The parts of a page.
answered_page <- function(page, ledger, tables, call) {
  named <- vapply(page$content, function(part) part$name %||% "", "")
  parts <- lapply(page$content, function(part) {
    if (!is.null(part$heading)) {
      return(rlang::exec("report_heading", part$heading, part$level %||% 1, .env = topenv()))
    }
    if (!is.null(part$text)) part$text else answer(part$question, ledger, tables)
  })
  if (any(nzchar(named))) stats::setNames(parts, named) else parts
}

# ---- a ledger given again ----------------------------------------------------

#' Give a statement its ledger again
#'
#' A statement that was saved in a file (by `saveRDS()`, say) holds its question and its rows, and
#' no entries. It can be printed and written as it is; verbs and figures need the ledger, which this
#' gives it again, once it is sure that it is the same: that it gives the same days, rows and
#' figures.
#'
#' @param s A [statement()], as read from a file.
#' @param x The [ledger()] that it was asked of, or one made of the same entries.
#' @return The statement, as it was before it was saved.
#' @section Errors:
#' `rollingledger_error_statement` where the ledger gives other days, rows or figures: then ask the
#' question again, by `answer(question(s), x)`; `rollingledger_error_choice` where `s` is no
#' statement or `x` no ledger.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' s <- statement(fares, per = "month", span = "last 2 months", income = total(fare))
#' file <- tempfile(fileext = ".rds")
#' saveRDS(s, file)
#' again <- readRDS(file) |> give_ledger(fares)
#' add_change(again, income, from = "1 year back")
give_ledger <- function(s, x) {
  if (!inherits(s, "statement") || is.null(attr(s, "plan"))) {
    refuse("choice", sprintf("{s} must be a statement, not %s.", kind_text(s)), arg = "s")
  }
  check_ledger_object(x)
  call <- rlang::current_env()
  consistent(x, function() statement_of_ledger(s, x, call))
}

statement_of_ledger <- function(s, x, call) {
  again <- answer_statement(x, asked_again(attr(s, "question")$statement), call)
  plan <- attr(s, "plan")
  own <- c("per", "by", "on", "where", "measures", "as_of", "first", "last", "spans", "anchors")
  now <- attr(again, "plan")
  differs <- own[!mapply(identical, plan[own], now[own])]
  says <- c(as_of = "is as of another day", first = "begins on another day",
            last = "ends on another day")
  refuse_other <- function(problem) {
    refuse("statement", c(problem, i = "Ask the question again: answer(question(s), x)."),
           call = call)
  }
  if (length(differs) > 0) {
    told <- intersect(names(says), differs)
    refuse_other(sprintf("This is not the ledger that the statement was asked of: it %s.",
                         if (length(told) > 0) says[[told[1]]]
                         else "gives the question another meaning"))
  }
  plan[c("handle", "seen", "version")] <- now[c("handle", "seen", "version")]
  attr(s, "plan") <- plan
  problem <- rows_worked_out_otherwise(s, plan)
  if (!is.null(problem)) refuse_other(paste("This ledger gives other figures.", problem))
  shown <- unclass(s)
  keep_rows(plan, shown[c("period", "from", "to", plan$by)],
            shown[intersect(names(plan$measures), names(shown))], plain_rows(current_rows(s)))
  s
}
