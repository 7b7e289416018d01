# A question as data: a record of what was asked, as it was asked, in texts, numbers and flags. It
# survives JSON and YAML. answer() works it out again; a phrase such as "last month" then means the
# days that it means then.
#
#   ledger     label, on, and how the ledger was made: the arguments given, and its steps
#   statement  the arguments of statement() that were given; measures as named texts
#   steps      list(verb, ...) in the order in which they were taken
#   show       list(show, ...): cross tables, comparisons, figures, tiles, pages

# From the record of a ledger and what was asked of it.
new_question <- function(made, asked) as_question(list(ledger = made, statement = asked))

#' The question behind a result
#'
#' What a statement, a table made of one, a figure, tiles or a page was asked for: a record that can
#' be printed, kept in a file, and answered again by [answer()], next week or from another ledger.
#' It holds what was asked as it was asked: phrases and not days, texts of expressions, the
#' arguments that were given. Rows that were cut away or put in another order by hand are no part of
#' it.
#'
#' @param x A [statement()], [cross_table()], [compare_spans()], [compare_members()],
#'   [entries_behind()], [reconcile()], [report_tiles()] or a figure; or a list of these, of
#'   headings and of texts, as the parts of a page ([write_report()]).
#' @param ... Not used.
#' @return A `ledger_question`, a list of texts, numbers and flags: `ledger` (how the ledger was
#'   made), `statement` (the arguments that were given), `steps` (the verbs, in order) and `show`
#'   (what was made of it). It goes to JSON or YAML and back as it is:
#'   `jsonlite::toJSON(question(s), auto_unbox = TRUE, digits = NA)`, `yaml::as.yaml(question(s))`.
#'   Tables that were given by hand are told by their name, and must be given again.
#' @section Errors:
#' `rollingledger_error_question` for what no question stands behind.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' s <- statement(fares, per = "month", span = "last 3 months", income = total(fare)) |>
#'   add_change(income, from = "1 year back")
#' question(s)
#' identical(answer(question(s), fares), s)
question <- function(x, ...) UseMethod("question")

#' @export
question.default <- function(x, ...) {
  own <- attr(x, "question")
  if (!is.null(own)) return(own)
  refuse("question", sprintf("There is no question behind %s.", kind_text(x)))
}

#' @export
question.list <- function(x, ...) {
  own <- attr(x, "question")
  if (!is.null(own)) return(own)
  parts <- Map(page_part_record, x, names(x) %||% rep("", length(x)))
  as_question(list(show = list(list(show = "page", content = unname(parts)))))
}

# A part of a page: a text, a heading or the question of something made.
page_part_record <- function(part, name) {
  own <- if (inherits(part, "report_heading")) list(heading = part$text, level = part$level)
         else if (is.character(part)) list(text = part)
         else list(question = unclass(question(part)))
  if (nzchar(name)) own$name <- name
  own
}

# ---- tables that are given ---------------------------------------------------

# A table as it is asked for: one number, the path of a file, or a table under the name by which it
# was given.
given_table <- function(value, expr) {
  if (is.numeric(value) && !is.data.frame(value)) return(value)
  if (rlang::is_string(value)) return(list(file = value))
  list(by_hand = if (is.symbol(expr)) as.character(expr) else "table", table = value)
}

table_given <- function(given, call = caller_env()) {
  if (!is.list(given)) return(given)
  if (!is.null(given$file)) return(read_table_file(given$file, call = call))
  given$table
}

# Its record: a table by hand is told by its name and columns.
table_record <- function(given) {
  if (is.list(given) && is.data.frame(given$table)) {
    given$columns <- names(given$table)
    given$rows <- nrow(given$table)
  }
  if (is.list(given)) given$table <- NULL
  given
}

# The table that a record speaks of, out of those given again.
table_again <- function(given, tables, call) {
  if (!is.list(given) || is.null(given$by_hand)) return(given)
  found <- tables[[given$by_hand]]
  if (is.null(found)) {
    refuse("question", c(
      sprintf("The question needs the table `%s` again, which was given by hand.", given$by_hand),
      i = sprintf("Say answer(question, x, tables = list(%s = ...)); it had %s: %s.",
                  name_text(given$by_hand), count_text(given$rows %||% 0, "row"),
                  listed(given$columns))
    ), call = call)
  }
  lost <- setdiff(unlist(given$columns), names(found))
  if (length(lost) > 0) {
    refuse_column(lost[1], names(found), where = sprintf("the table `%s`", given$by_hand),
                  call = call)
  }
  given$table <- found
  given
}

# ---- the record --------------------------------------------------------------

question_with_step <- function(question, verb, asked) {
  if (is.null(question)) return(NULL)
  step <- plain_record(c(list(verb = verb), asked))
  question$steps <- c(question$steps, list(in_order_of_fields(step, verb)))
  question
}

# The result with the question behind it: that of what it was made of, and what was made of it.
with_show <- function(out, question, show, asked) {
  if (is.null(question)) return(out)
  record <- in_order_of_fields(plain_record(c(list(show = show), asked)), show)
  # What is made of a comparison follows it.
  question$show <- c(comparison_of(question)[!show %in% verbs_of("ledger")], list(record))
  attr(out, "question") <- question
  out
}

# The record of the comparison that a question begins with, in a list; NULL where it has none.
comparison_of <- function(question) {
  first <- if (length(question$show) > 0) question$show[[1]]$show
  if (isTRUE(first %in% verbs_of("ledger"))) question$show[1]
}

# A list as a question in its one form, whether it comes from R, JSON or YAML.
as_question <- function(record, call = caller_env()) {
  if (!is.list(record) || is.data.frame(record)) {
    refuse("question", sprintf("A question is a list, as question() gives it, not %s.",
                               kind_text(record)), call = call)
  }
  unknown <- setdiff(names(record), question_parts)
  if (length(unknown) > 0) {
    refuse("question", c(sprintf("A question has no part `%s`.", unknown[1]),
                         i = sprintf("Its parts are: %s.", listed(question_parts))), call = call)
  }
  parts <- lapply(stats::setNames(nm = question_parts), function(part) {
    plain_record(record[[part]]) %||% list()
  })
  parts["statement"] <- list(in_order_of_fields(parts[["statement"]], "statement"))
  parts$steps <- lapply(parts$steps, function(step) in_order_of_fields(step, step$verb))
  parts$show <- lapply(parts$show, function(show) in_order_of_fields(show, show$show))
  structure(parts, class = c("ledger_question", "list"))
}

# The parts of a record in the order of the verb's fields.
in_order_of_fields <- function(record, verb) {
  if (!is.list(record) || !rlang::is_string(verb)) return(record)
  fields <- names(fields_of(verb))
  measured <- verb_table[[verb]]$of == "ledger"
  fields[fields == "..."] <- if (isTRUE(measured)) "measures" else "draw"
  at <- match(names(record), c("verb", "show", fields))
  record[order(at, na.last = TRUE)]
}

question_parts <- c("ledger", "statement", "steps", "show")

# Texts, numbers and flags in their one form: numbers are doubles, several of one kind are a vector,
# several named ones a list, and what is nothing is not there.
plain_record <- function(x) {
  x <- if (inherits(x, "ledger_span")) span_list(x)
       else if (is.data.frame(x)) rows_of_records(x)
       else if (inherits(x, "Date")) iso_day(day_numbers(x))
       else if (is.factor(x)) as.character(x)
       else if (is.list(x) && is.data.frame(x$table)) table_record(x)
       else x
  if (is.null(x) || length(x) == 0) return(NULL)
  if (!is.list(x)) {
    if (!is.null(names(x))) return(plain_record(named_records(x)))
    if (is.character(x)) return(unname(enc2utf8(as.vector(x))))
    return(if (is.numeric(x)) as.double(x) else as.vector(x))
  }
  x <- lapply(unclass(x), plain_record)
  x <- x[!vapply(x, is.null, TRUE)]
  if (length(x) == 0) return(NULL)
  alike <- is.null(names(x)) && all(lengths(x) == 1) && !any(vapply(x, is.list, TRUE)) &&
    length(unique(vapply(x, typeof, ""))) == 1
  if (alike) unlist(x) else x
}

# Records that a reader of JSON made a table of: what is missing in a row was not there.
rows_of_records <- function(table) {
  lapply(seq_len(nrow(table)), function(i) {
    row <- lapply(unclass(table), function(column) {
      if (is.data.frame(column)) rows_of_records(column[i, , drop = FALSE])[[1]] else column[[i]]
    })
    absent <- vapply(row, function(value) {
      length(value) == 0 || is.atomic(value) && length(value) == 1 && is.na(value)
    }, TRUE)
    row[!absent]
  })
}

# Named values, of which some may have no name: list(value, name) each, as JSON keeps no such names.
named_records <- function(x) {
  if (all(nzchar(names(x))) && !anyDuplicated(names(x))) return(as.list(x))
  unname(Map(function(value, name) c(list(value = value), if (nzchar(name)) list(name = name)),
             as.list(x), names(x)))
}

# And back.
named_values <- function(x) {
  if (!is.list(x)) return(x)
  if (!is.null(names(x))) return(unlist(x))
  values <- vapply(x, function(one) as.character(one$value), "")
  named <- vapply(x, function(one) one$name %||% "", "")
  if (any(nzchar(named))) stats::setNames(values, named) else values
}

# A span made by span(), as lists of texts and flags, one for each.
span_list <- function(made) {
  lapply(seq_len(nrow(made)), function(i) {
    row <- list(label = made$label[i], from = iso_day(day_numbers(made$from[i])),
                to = iso_day(day_numbers(made$to[i])), complete = made$complete[i],
                phrase = made$phrase[i], note = made$note[i])
    row[!vapply(row, is.na, TRUE)]
  })
}

# ---- print -------------------------------------------------------------------

#' @export
format.ledger_question <- function(x, ...) {
  part <- function(heading, lines) if (length(lines) > 0) c(heading, paste0("  ", lines))
  c("Question",
    part("of the ledger", record_lines(x[["ledger"]])),
    part("statement", record_lines(x[["statement"]])),
    unlist(lapply(x$steps, function(step) part(step$verb, record_lines(step[-1])))),
    unlist(lapply(x$show,
                  function(show) part(paste("shown as", show$show), record_lines(show[-1])))))
}

#' @export
print.ledger_question <- function(x, ...) {
  show_lines(format(x))
  invisible(x)
}

# "per: month", nested ones set in.
record_lines <- function(x) {
  unlist(lapply(seq_along(x), function(i) {
    name <- names(x)[i]
    label <- if (is.null(name) || !nzchar(name)) "-" else paste0(name, ":")
    if (!is.list(x[[i]]))
      return(paste(label, listed(record_values(x[[i]]), most = 20, last = "and")))
    inner <- record_lines(x[[i]])
    if (label == "-") c(paste("-", inner[1]), paste0("  ", inner[-1])[length(inner) > 1])
    else c(label, paste0("  ", inner))
  }))
}

record_values <- function(x) if (is.logical(x)) ifelse(x, "yes", "no") else plain_text(x)
