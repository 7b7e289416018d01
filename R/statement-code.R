# The R calls of a question: what would be typed for it. Expressions stand as code, values in
# quotes.

# Lines for a ledger called `x`, by its record.
ledger_code <- function(record, name = "x") chained_code(name, walk_ledger(record, code_grammar()))

# Lines for what a question asks of the ledger `x`: a statement, or a comparison.
asked_code <- function(question, name = "s") chained_code(name, walk_asked(question,
                                                                           code_grammar()))

code_grammar <- function() {
  list(value = argument_code, step = step_code,
       made = function(record, said, calendar, steps) {
         source <- if (!is.null(record$file)) value_text(record$file) else name_text(record$data)
         if (!is.null(calendar))
           said <- c(said, paste("calendar =", call_code("ledger_calendar", unlist(calendar))))
         c(call_code("ledger", c(source, unlist(said))), unlist(steps))
       },
       asked = function(verb, said, steps, record) {
         said <- if (verb == "statement") statement_arguments(record) else unlist(said)
         c(call_code(verb, c("x", said)), unlist(steps))
       })
}

step_code <- function(verb, said, step) {
  told <- switch(verb,
    keep_entries = step$condition,
    work_out = named_code_text(named_values(step[[2]])),
    add_attributes = c(table_code(step$table), value_code(named_values(step$key))),
    append_entries = refuse("question",
                            "Entries that were appended to a ledger cannot be told as code.",
                            call = NULL),
    unlist(said()))
  call_code(verb, told)
}

# A measure that is called as an argument is, or begins, is named by `:=`, which is no argument;
# those before it are then said, so that it does not take their place.
statement_arguments <- function(asked) {
  before <- c("x", "per", "by")
  taken <- c(before, setdiff(names(fields_of("statement")), "..."))
  clash <- names(asked$measures) %in% taken |
    vapply(names(asked$measures) %||% "", function(name) any(startsWith(before, name)), TRUE)
  if (length(asked$measures) == 0 || !any(clash)) return(verb_arguments("statement", asked))
  own <- named_values(asked$measures)
  asked$measures <- NULL
  said <- verb_arguments("statement", asked)
  c(said, sprintf("%s = NULL", setdiff(c("per", "by"), names(asked))),
    sprintf("%s %s %s", name_text(names(own)), ifelse(clash, ":=", "="), own))
}

# What is made of the statement `s`.
show_code <- function(show, of = "s") {
  verb <- show$show
  args <- show[setdiff(names(show), c("show", "of"))]
  told <- if (!is.null(show$of))
    sprintf("%s = %s", name_text(names(show$of)), vapply(show$of, value_code, ""))
  call_code(verb, c(of, told, verb_arguments(verb, args)))
}

# "name = value" for each argument of a verb, as its fields are written.
verb_arguments <- function(verb, args) unlist(walk_fields(verb, args, code_grammar()),
                                              use.names = FALSE)

argument_code <- function(name, one, value, verb) {
  if (name == dots_name(verb) && "..." %in% names(fields_of(verb))) {
    if (name == "draw") return(name_text(unlist(value)))
    return(named_code_text(named_values(value)))
  }
  said <- switch(one$kind,
    measure = , column = name_text(value),
    measures = , named_code = sprintf("c(%s)", paste(named_code_text(named_values(value)),
                                                     collapse = ", ")),
    condition = value,
    table = table_code(value),
    value_code(named_values(value))
  )
  first <- names(fields_of(verb))[1] == name && one$needed && one$kind %in% c("measure", "column")
  if (first) said else paste(name_text(name), "=", said)
}

# Expressions by name; a name that the expression gives itself is left out.
named_code_text <- function(texts) {
  named <- names(texts) %||% rep("", length(texts))
  ifelse(nzchar(named), paste(name_text(named), "=", texts), texts)
}

# A value or several, with their names.
value_code <- function(value) {
  value <- unlist(value)
  if (is.null(names(value))) return(value_text(value))
  each <- vapply(unname(value), value_text, "", USE.NAMES = FALSE)
  said <- ifelse(nzchar(names(value)), paste(name_text(names(value)), "=", each), each)
  sprintf("c(%s)", paste(said, collapse = ", "))
}

table_code <- function(given) {
  if (!is.list(given)) return(value_code(given))
  if (!is.null(given$file)) value_code(given$file) else name_text(given$by_hand)
}

# A call on one line, or with its arguments set in where that is too long.
call_code <- function(fun, args) {
  line <- sprintf("%s(%s)", fun, paste(args, collapse = ", "))
  if (nchar(line, type = "width") <= 80) return(line)
  lines <- character()
  now <- ""
  for (arg in args) {
    longer <- if (nzchar(now)) paste0(now, ", ", arg) else arg
    if (nzchar(now) && nchar(longer, type = "width") > 78) {
      lines <- c(lines, paste0(now, ","))
      now <- arg
    } else now <- longer
  }
  paste0(fun, "(\n  ", paste(c(lines, now), collapse = "\n  "), "\n)")
}

# name <- first |> second |> ..., a line for each.
chained_code <- function(name, calls) {
  calls <- gsub("\n", "\n  ", calls, fixed = TRUE)
  calls[1] <- gsub("\n  ", "\n", calls[1], fixed = TRUE)
  paste0(name_text(name), " <- ", paste(calls, collapse = " |>\n  "))
}
