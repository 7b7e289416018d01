#' @include question-fields.R
NULL

# The interpreter. A verb asked of a statement is a step: its name and its arguments as they were
# given. Whether it comes from R, from the command line or from a record, it is taken here.

# What each verb does: list(add, needs), add(s, plan, args, call) giving the statement with more.
verb_actions <- new.env(parent = emptyenv())

register_verb <- function(verb, add, needs = row_columns) {
  assign(verb, list(add = add, needs = needs), envir = verb_actions)
}

# The verb whose function calls this, as a step that is taken.
take_verb_step <- function(verb, frame = caller_env()) {
  take_step(get("s", envir = frame), verb, asked_fields(verb, frame), frame)
}

take_step <- function(s, verb, asked, call = caller_env(), tables = list()) {
  force(call)
  check_statement(s, needs = verb_actions[[verb]]$needs, own = FALSE, call = call)
  x <- plan_ledger(attr(s, "plan"))
  consistent(x, function() add_step_to(s, x, verb, asked, call, tables), attr(s, "plan")$id)
}

add_step_to <- function(s, x, verb, asked, call, tables) {
  action <- verb_actions[[verb]]
  s <- as_of_now(s, x, tables, call)
  check_statement(s, needs = action$needs, call = call)
  plan <- attr(s, "plan")
  refuse_after_ahead(verb, plan, call)
  asked$m <- if (fields_of(verb)$m$kind == "column") one_figure_column(s, verb, asked$m, call)
             else statement_measure(s, asked$m, call)
  args <- filled_fields(verb, asked, plan, call)
  question <- attr(s, "question")
  s <- action$add(s, plan, args, call)
  answering_for(x, attr(s, "plan")$id)
  attr(s, "question") <- question_with_step(question, verb, asked)
  with_rows_seen(s)
}

# ---- entries that change ---------------------------------------------------------

# What tells the rows of a statement as it was worked out, where its entries may change.
with_rows_seen <- function(s) {
  if (is.null(attr(s, "plan")$seen)) return(s)
  attr(s, "plan")$rows_seen <- rows_seen(s)
  s
}

rows_seen <- function(s) rlang::hash(unclass(s)[c("period", "from", "to", attr(s, "plan")$by)])

# A statement whose entries have changed since is worked out again, so that what is added is of the
# same entries as what is there.
as_of_now <- function(s, x, tables, call) {
  plan <- attr(s, "plan")
  facts <- source_facts(x)
  if (identical(plan$seen, facts$seen)) return(s)
  if (!identical(plan$rows_seen, rows_seen(s))) {
    refuse("statement", c(
      entries_changed(plan, facts),
      i = paste("Its rows were cut or put in another order by hand since: ask the question again,",
                "by answer(question(s), x).")), call = call)
  }
  tell(paste(entries_changed(plan, facts), "It is worked out again."))
  question <- attr(s, "question")
  again <- answer_statement(x, asked_again(question$statement), call)
  for (step in question$steps) again <- answered_step(again, step, tables, call)
  attr(again, "question") <- question
  again
}

# An engine that stores the same rows anew says no more than that they may be others.
entries_changed <- function(plan, facts) {
  if (identical(plan$version, facts$version)) {
    return(sprintf("The entries may have changed since the statement was made (%s then and now).",
                   plan$version))
  }
  sprintf("The entries have changed since the statement was made (%s then, %s now).", plan$version,
          facts$version)
}

# A statement that still has the columns that are needed; the user may have taken some away.
check_statement <- function(s, needs = row_columns, own = TRUE, call = caller_env()) {
  if (!inherits(s, "statement") || is.null(attr(s, "plan"))) {
    refuse("choice", sprintf("{s} must be a statement, made by `statement()`, not %s.",
                             kind_text(s)), arg = "s", call = call)
  }
  lost <- setdiff(c(needs, attr(s, "plan")$by), names(s))
  if (length(lost) > 0) {
    refuse("statement", c(sprintf("The statement has lost its column `%s`.", lost[1]),
                          i = "Take columns away last, once figures are added, drawn and written."),
           call = call)
  }
  # All of it is of the same entries, where these may change.
  if (own && has_ledger(attr(s, "plan"))) hold_entries(plan_ledger(attr(s, "plan")), caller_env())
  problem <- if (own) foreign_rows(s)
  if (!is.null(problem)) {
    refuse_if_changed(s, call)
    refuse("statement",
           c(problem,
             i = paste0("Ask one statement for all of it, or join finished tables as plain ones, ",
                        "by as_tibble().")),
           call = call)
  }
}

# Figures that are no more those of the entries because these have changed.
refuse_if_changed <- function(s, call) {
  plan <- attr(s, "plan")
  if (is.null(plan$seen)) return(invisible())
  facts <- source_facts(plan_ledger(plan))
  if (identical(plan$seen, facts$seen)) return(invisible())
  refuse("statement", c(entries_changed(plan, facts),
                        i = "Ask the question again: answer(question(s), x)."), call = call)
}

# The name of a measure of the statement.
statement_measure <- function(s, name, call = caller_env()) {
  known <- names(attr(s, "plan")$measures)
  if (!rlang::is_string(name)) {
    refuse_measure(sprintf("{m} must be the name of one measure of the statement: %s.",
                           listed(known)), call = call)
  }
  if (!name %in% known) {
    refuse_measure(c(sprintf("The statement has no measure `%s`.", name),
                     i = nearest_hint(name, known), i = sprintf("It has: %s.", listed(known))),
                   given = name, call = call)
  }
  name
}

# The name of one column of figures.
one_figure_column <- function(s, verb, name, call = caller_env()) {
  also <- fields_of(verb)$m$choices
  also <- if (!is.null(also)) also(attr(s, "plan"))
  if (rlang::is_string(name)) {
    return(if (name %in% also) name else chosen_columns(s, name, call, also))
  }
  refuse_measure(sprintf("{m} must be the name of one column of figures%s.",
                         if (is.null(also)) "" else " or attribute"), call = call)
}

# Names of columns of figures; all of them where none is given.
chosen_columns <- function(s, names, call = caller_env(), also = NULL) {
  known <- intersect(names(attr(s, "columns")), names(s))
  if (length(names) == 0) return(known)
  for (name in names) {
    if (!name %in% known) {
      refuse_measure(c(sprintf("The statement has no column of figures `%s`.", name),
                       i = nearest_hint(name, c(known, also)),
                     i = sprintf("It has: %s.", listed(c(known, also)))),
                     given = name, call = call)
    }
  }
  names
}

# The one figure that a quosure names, or the first.
chosen_column <- function(s, quo, call = caller_env()) {
  if (rlang::quo_is_null(quo)) return(chosen_columns(s, NULL)[1])
  chosen_columns(s, column_names(list(quo)), call)
}

new_column_name <- function(s, name, call = caller_env()) {
  if (!rlang::is_string(name) || !nzchar(name)) {
    refuse("choice", "{name} must be one text.", arg = "name", call = call)
  }
  if (name %in% names(s)) {
    refuse_measure(c(sprintf("The name `%s` is taken: the statement has such a column.", name),
                     i = "Give another with {name =}."), call = call)
  }
  name
}

new_column_names <- function(s, names, call) {
  vapply(names, new_column_name, "", s = s, call = call, USE.NAMES = FALSE)
}
