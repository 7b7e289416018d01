# From the clauses of a sentence to the record of its question: list(question, notes), `notes`
# saying what was left to a default.

question_of_clauses <- function(clauses, names) {
  said <- list(clauses = clauses, names = names, notes = character())
  said$measures <- list()
  said$statement <- statement_of_clauses(clauses)
  said$where <- where_of_clauses(clauses)
  kept_out <- if (!is.null(said$where)) missing_not_kept(said$where, names)
  days <- days_of_clauses(clauses)
  asked <- clauses_of(clauses, "questions")
  if (length(asked) > 1)
    problem_at(asked[[2]], sprintf("One sentence asks one question, and this asks %s of them.",
                                   number_text(length(asked))))
  said$notes <- c(days_moved_on(days$told, names), kept_out)
  said <- with_measures_said(said, asked)
  verb <- if (length(asked) > 0) asked[[1]]$verb
          else if (length(days$second) > 0 && is.null(said$statement[["per"]])) "compare_spans"
          else "statement"
  if (verb == "statement") statement_question(said, days)
  else question_of_ledger(said, days, verb, if (length(asked) > 0) asked[[1]])
}

clauses_of <- function(clauses, section) {
  Filter(function(one) one$section == section, clauses)
}

problem_at <- function(clause, message, hint = NULL) {
  sentence_problem(message, hint = hint, from = clause$from, to = clause$to)
}

# Fields of statement(), each said once; columns to group by add up.
statement_of_clauses <- function(clauses) {
  out <- list()
  for (one in clauses_of(clauses, "statement")) {
    for (field in names(one$args)) {
      value <- plain_argument("statement", field, one$args[[field]])
      if (field == "by" && !is.null(out$by)) {
        out$by <- unique(c(out$by, value))
        next
      }
      if (!is.null(out[[field]]) && !identical(out[[field]], value)) {
        problem_at(one, sprintf("The sentence says two things of %s: %s and %s.",
                                as.list(fields_said)[[field]] %||% gsub("_", " ", field),
                                listed(out[[field]]), listed(value)))
      }
      out[[field]] <- value
    }
  }
  out
}

fields_said <- c(per = "its grain", on = "its date basis", as_of = "its as-of day")

# "yes" of a flag, numbers of numbers.
plain_argument <- function(verb, field, value) {
  kind <- fields_of(verb)[[field]]$kind
  if (identical(kind, "flag") && is.character(value)) return(value == "yes")
  value
}

# All conditions together, as one expression; NULL without any.
where_of_clauses <- function(clauses) {
  conditions <- lapply(clauses_of(clauses, "condition"), function(one) one$args$where)
  if (length(conditions) == 0) return(NULL)
  if (length(conditions) == 1 && !is.null(attr(conditions[[1]], "text"))) return(conditions[[1]])
  all_conditions(conditions)
}

# Several conditions as one that asks for all of them, without brackets where none are needed.
all_conditions <- function(exprs) {
  Reduce(function(a, b) call("&", a, b),
         unlist(lapply(exprs, conditions_joined), recursive = FALSE))
}

# list(span, spans, by_grain, second) of phrases.
days_of_clauses <- function(clauses) {
  out <- list(span = list(), by_grain = list(), second = list())
  for (one in clauses_of(clauses, "days")) {
    phrase <- as.vector(one$args$span)
    out$told <- c(out$told, list(list(phrase = phrase, days = attr(one$args$span, "told"))))
    if (one$verb == "span_of_grain") out$by_grain[[one$args$per]] <- phrase
    else out[[one$verb]] <- c(out[[one$verb]], list(list(phrase = phrase, clause = one)))
  }
  out
}

# Notes of phrases whose days are others than those that are told beside them.
days_moved_on <- function(told, names) {
  out <- lapply(Filter(function(one) !is.null(one$days), told), function(one) {
    days <- tryCatch({
      spans <- resolve_phrase(one$phrase, "", names$calendar, names$facts$as_of,
                              names$facts$dates[[1]]$first)
      # Of the ledger's days, as a statement shows them.
      from <- pmax(spans$from, names$facts$dates[[1]]$first, na.rm = TRUE)
      listed(days_text(from, pmin(spans$to, names$facts$as_of)), most = 4)
    }, error = function(e) NULL)
    same <- is.null(days) || identical(key_of_text(days), key_of_text(one$days))
    if (!same) sprintf("%s means %s now, not %s as is told beside it.", one$phrase, days, one$days)
  })
  as.character(unlist(out))
}

# ---- measures ----------------------------------------------------------------

# Adds `measures`, list(expr, name, given) each, and `steps` and `shows` whose measures are names.
with_measures_said <- function(said, asked) {
  own <- clauses_of(said$clauses, "measure")
  exprs <- lapply(own, function(one) one$args$measure)
  given <- vapply(own, function(one) one$args$name %||% NA_character_, "")
  for (one in asked) {
    if (is.null(one$args$measure)) next
    exprs <- c(exprs, list(one$args$measure))
    given <- c(given, NA)
  }
  # The same measure twice is one; a name that is given elsewhere is that measure.
  again <- vapply(exprs, function(expr) is.symbol(expr) && as.character(expr) %in% given, TRUE)
  exprs <- exprs[!(again & is.na(given))]
  given <- given[!(again & is.na(given))]
  twice <- duplicated(lapply(exprs, expression_text)) & is.na(given)
  said$measures <- list(exprs = exprs[!twice], given = given[!twice])
  said$measures <- named_measures(said$measures, said$statement$by)
  for (kind in c("steps", "looks")) {
    list_of <- list()
    for (one in clauses_of(said$clauses, kind)) {
      more <- arguments_resolved(said, one)
      said$measures <- more$measures
      list_of <- c(list_of, list(list(verb = one$verb, args = more$args, clause = one)))
    }
    said[[kind]] <- list_of
  }
  said
}

named_measures <- function(measures, by) {
  given <- ifelse(is.na(measures$given), "", measures$given)
  names <- measure_names_said(measures$exprs, given, c(row_columns, by))
  # An empty name, said in quotes, is that of a measure without one.
  names[!is.na(measures$given) & !nzchar(measures$given)] <- ""
  measures$names <- names
  measures
}

# A step or look whose measures and columns are names; one that is not there yet is added.
arguments_resolved <- function(said, clause) {
  measures <- said$measures
  resolve <- function(value) {
    if (is.character(value)) return(value)
    if (isTRUE(value$attribute)) return(value$name)
    name <- value$name
    if (name %in% measures$names) return(name)
    if (is.null(value$measure)) return(name)
    text <- expression_text(value$measure)
    at <- match(text, vapply(measures$exprs, expression_text, ""))
    if (!is.na(at) && nzchar(measures$names[at])) return(measures$names[at])
    if (is.symbol(value$measure)) return(as.character(value$measure))
    measures$exprs <<- c(measures$exprs, list(value$measure))
    measures$given <<- c(measures$given, NA)
    measures <<- named_measures(measures, said$statement$by)
    measures$names[length(measures$names)]
  }
  args <- clause$args
  for (field in intersect(c("m", "draw"), names(args))) {
    value <- args[[field]]
    many <- is.list(value) && is.null(names(value))
    args[[field]] <- if (many) vapply(value, resolve, "") else resolve(value)
  }
  for (field in setdiff(names(args), c("m", "draw", "targets")))
    args[[field]] <- plain_argument(clause$verb, field, args[[field]])
  list(measures = measures, args = args)
}

measures_record <- function(measures) {
  if (length(measures$exprs) == 0) return(NULL)
  texts <- vapply(measures$exprs, text_of_said, "")
  if (all(nzchar(measures$names))) return(as.list(stats::setNames(texts, measures$names)))
  stats::setNames(texts, measures$names)
}

# The text of an expression that was read, as it was written where that was code.
text_of_said <- function(expr) attr(expr, "text") %||% expression_text(expr)

# ---- a statement -------------------------------------------------------------

statement_question <- function(said, days) {
  record <- said$statement
  record$measures <- measures_record(said$measures)
  record$where <- if (!is.null(said$where)) text_of_said(said$where)
  record <- with_days_said(record, days)
  if (is.null(record$measures))
    said$notes <- c(said$notes, "No measure is said: the number of entries is given.")
  measures <- if (length(said$measures$names) > 0) said$measures$names else "entries"
  steps <- list()
  for (one in said$steps) steps <- c(steps, steps_said(one, measures))
  if (length(days$second) > 0) ask_against(days$second[[1]])
  shows <- lapply(said$looks, look_said, record = record)
  list(question = list(statement = record, steps = steps, show = shows), notes = said$notes)
}

# "each month, against last year": the days of each row a year back, or all of that year? It is
# asked.
ask_against <- function(second) {
  sentence_problem(
    sprintf("\"against %s\" has two meanings beside periods.", second$phrase),
    hint = c("For the days of each row so far back say for example `against 1 year back`.",
             sprintf("To hold every row against the one span say `held against %s`.",
                     second$phrase)),
    from = second$clause$from, to = second$clause$to)
}

with_days_said <- function(record, days) {
  phrases <- vapply(days$span, function(one) one$phrase, "")
  if (length(days$by_grain) > 0 && length(phrases) == 0) record[["span"]] <- unlist(days$by_grain)
  else if (length(phrases) == 1 && is.null(record$spans)) record[["span"]] <- phrases
  else if (length(phrases) > 0 && is.null(record$spans)) record$spans <- phrases
  else if (length(phrases) > 0)
    problem_at(days$span[[1]]$clause, "The sentence says its days twice.")
  record
}

# A step for each of the measures that it is of; ranks are by the first.
steps_said <- function(one, measures) {
  of <- one$args[["m"]]
  if (is.null(of)) of <- if (one$verb %in% c("add_rank", "sort_rows")) measures[1] else measures
  lapply(of, function(m) c(list(verb = one$verb, m = m), one$args[setdiff(names(one$args), "m")]))
}

look_said <- function(one, record) {
  out <- c(list(show = one$verb), one$args)
  if (one$verb != "cross_table" || !is.null(out$across)) return(out)
  # What goes across, where it is not said: the spans, the periods, or the last group.
  if (!is.null(record[["per"]])) out$across <- "period"
  else if (is.null(record$spans) && length(record[["by"]]) > 1)
    out$across <- record[["by"]][length(record[["by"]])]
  out
}

# ---- questions of a ledger ---------------------------------------------------

question_of_ledger <- function(said, days, verb, asked) {
  fields <- names(fields_of(verb))
  own <- asked$args[setdiff(names(asked$args), "measure")]
  record <- c(list(show = verb), said$statement, own)
  record$measures <- measures_record(said$measures)
  record$where <- if (!is.null(said$where)) text_of_said(said$where)
  record <- with_ends_said(record, verb, days, said)
  foreign <- setdiff(names(record), c("show", "measures", fields))
  if (length(foreign) > 0) {
    sentence_problem(sprintf("%s has no place where %s.", heading_first(gsub("_", " ", foreign[1])),
                             question_words(verb)))
  }
  shows <- lapply(said$looks, look_said, record = record)
  list(question = list(show = c(list(record), shows)), notes = said$notes)
}

question_words <- function(verb) {
  switch(verb, why_changed = "it is asked why a figure changed",
         stands_out = "it is asked what stands out",
         compare_spans = "two spans are compared",
         compare_members = "members are compared",
         compare_known = "two days' knowledge is compared")
}

# The two spans, by the names that the verb has for them; or the one.
with_ends_said <- function(record, verb, days, said) {
  phrases <- lapply(days$span, function(one) one$phrase)
  second <- lapply(days$second, function(one) one$phrase)
  back <- Filter(function(one) one$verb == "add_change" && is.null(one$args[["m"]]), said$steps)
  other <- setdiff(seq_along(said$steps), which(said$steps %in% back))
  if (length(other) > 0)
    problem_at(said$steps[[other[1]]]$clause,
               sprintf("Nothing can be added where %s.", question_words(verb)))
  one_span <- function(field) {
    if (length(phrases) > 1) problem_at(days$span[[2]]$clause, "The sentence says its days twice.")
    record[[field]] <<- if (length(phrases) > 0) phrases[[1]]
  }
  ends <- list(why_changed = c("now", "before"), compare_spans = c("a", "b"),
               compare_members = c("now", "before"))[[verb]]
  if (is.null(ends)) {
    one_span("span")
    if (length(second) + length(back) > 0)
      sentence_problem(sprintf("Nothing is held against other days where %s.",
                               question_words(verb)))
    return(record)
  }
  one_span(ends[1])
  if (length(back) > 0) {
    from <- back[[1]]$args$from
    second <- c(second, list(if (verb == "why_changed") from
                             else paste0(record[[ends[1]]], ", ", from)))
  }
  record[[ends[2]]] <- if (length(second) > 0) second[[1]]
  if (is.null(record[[ends[1]]])) {
    sentence_problem(sprintf("The days are missing: %s of which days.", question_words(verb)),
                     hint = "Say for example \"last month against last month, 1 year back\".")
  }
  if (is.null(record[[ends[2]]]) && verb != "why_changed") {
    sentence_problem("The days to hold it against are missing.",
                     hint = "Say for example \"against last month, 1 year back\".")
  }
  record
}
