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
  switch(one$kind,
    number = as.numeric(value),
    flag = unname(flag_words[lower_text(value)]),
    columns = , attributes = , texts = , choices = many(value),
    measures = , named_code = unlist(value),
    condition = joined_conditions(many(value)),
    phrases = , pairs = if (is.list(value) && !is.null(names(value))) unlist(value)
                        else many(value),
    phrase = if (is.list(value)) unlist(value) else value,
    table = if (is_plain_number(value)) as.numeric(value)
            else list(file = path_below(folder, value)),
    other = if (is_plain_number(value)) as.numeric(value)
            else if (lower_text(value) %in% names(flag_words))
              unname(flag_words[lower_text(value)])
            else value,
    value
  )
}

# Several conditions as one that asks for all of them.
joined_conditions <- function(texts) {
  if (length(texts) < 2) return(texts)
  paste0("(", texts, ")", collapse = " & ")
}

# The arguments of statement() that a part of a brief gives.
statement_record <- function(tree, folder) {
  asked <- verb_record("statement", tree[setdiff(names(tree), "steps")], folder)
  asked$measures <- as.list(measure_texts(as.list(asked$measures)))
  if (!is.null(asked$where)) asked$where <- condition_text(rlang::quo(!!asked$where))
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
