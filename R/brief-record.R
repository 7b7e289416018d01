# From the tree of a brief to the records that questions are: the same lists that a statement made
# in R keeps, which one interpreter answers.

# Values of a verb's keys as its fields take them; `folder` is where tables are read from.
verb_record <- function(verb, tree, folder) {
  fields <- fields_of(verb)
  out <- lapply(stats::setNames(nm = names(tree)), function(name) {
    field_name <- if (name == dots_name(verb) && "..." %in% names(fields)) "..." else name
    field_record(fields[[field_name]], tree[[name]], folder)
  })
  out[!vapply(out, is.null, TRUE)]
}

field_record <- function(one, value, folder) {
  many <- function(x) unlist(x, use.names = FALSE)
  # Names alone, without those that unlist() makes of several.
  named <- function(x) {
    if (!is.list(x) || !is.null(names(x))) return(unlist(x))
    unlist(lapply(x, function(one) if (is.list(one)) unlist(one) else one))
  }
  switch(one$kind,
    number = as.numeric(value),
    flag = unname(flag_words[lower_text(value)]),
    columns = , attributes = , texts = , choices = many(value),
    measures = , named_code = unlist(value),
    condition = joined_conditions(many(value)),
    phrases = , pairs = , phrase = named(value),
    table = table_value(value, folder),
    other = number_or_flag(value),
    value
  )
}

# A table as questions tell it: one number, or its file.
table_value <- function(text, folder = NULL) {
  if (is_plain_number(text)) return(as.numeric(text))
  list(file = if (is.null(folder)) text else path_below(folder, text))
}

# What is checked by a function of its own may be a number, a flag or a text.
number_or_flag <- function(text) {
  if (all(is_plain_number(text))) return(as.numeric(text))
  if (all(lower_text(text) %in% names(flag_words))) unname(flag_words[lower_text(text)]) else text
}

# Several conditions as one that asks for all of them, in the words of questions.
joined_conditions <- function(texts) {
  if (length(texts) > 1) texts <- paste0("(", texts, ")", collapse = " & ")
  condition_text(rlang::quo(!!texts))
}

# Measures in the words of questions.
measure_record <- function(texts) as.list(measure_texts(as.list(texts)))

# The arguments of statement() that a part of a brief gives.
statement_record <- function(tree, folder) {
  if (identical(names(tree$span), "by grain")) tree$span <- tree$span[[1]]
  asked <- verb_record("statement", tree[setdiff(names(tree), "steps")], folder)
  asked$measures <- measure_record(asked$measures)
  asked
}

step_records <- function(steps, folder) {
  lapply(steps, function(step) {
    verb <- names(step)
    record <- c(list(verb = verb), verb_record(verb, step[[1]], folder))
    if (verb == "work_out") record[-1] <- lapply(record[-1], as.list)
    record
  })
}

# What a part of a brief shows, as a question tells it: list(show, its arguments, draw, of).
show_record <- function(verb, tree, folder) {
  own <- c("of", "heading", "file", "size", "row_of")
  c(list(show = verb), verb_record(verb, tree[setdiff(names(tree), own)], folder),
    if (!is.null(tree$row_of)) list(of = tree$row_of))
}
