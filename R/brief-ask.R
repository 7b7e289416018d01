# Values that a brief asks for at each run. In its texts they stand as <name>.

placeholder <- "<([A-Za-z][A-Za-z0-9_]*)>"

placeholders <- function(text) {
  found <- regmatches(text, gregexpr(placeholder, text))[[1]]
  substr(found, 2L, nchar(found) - 1L)
}

# The values of a run, by name: those given, then what is asked at a terminal, then defaults. Each a
# vector of texts or numbers, NULL where it may be left out and was.
asked_values <- function(brief, given, call = caller_env(), terminal = NULL) {
  asks <- brief$tree$ask
  unknown <- setdiff(names(given) %||% rep("", length(given)), names(asks))
  if (length(unknown) > 0) {
    wrong <- unknown[1]
    refuse("brief", c(sprintf("%s does not ask for a value %s.", basename(brief$file),
                              if (nzchar(wrong)) sprintf("`%s`", wrong) else "without a name"),
                      i = nearest_hint(wrong, names(asks)),
                      i = if (length(asks) > 0) sprintf("It asks for: %s.", listed(names(asks)))
                          else "It asks for none."), call = call)
  }
  values <- list()
  missed <- character()
  for (name in names(asks)) {
    ask <- asks[[name]]
    value <- given[[name]]
    needed <- identical(ask$default, "ask")
    if (is.null(value) && needed && !is.null(terminal)) value <- terminal(name, ask)
    if (is.null(value) && needed) {
      missed <- c(missed, name)
      next
    }
    if (is.null(value)) value <- unlist(ask$default)
    values[name] <- list(checked_value(value, ask, name, brief, call))
  }
  if (length(missed) > 0) {
    refuse("brief", c(
      sprintf("%s asks for %s.", basename(brief$file),
              listed(vapply(missed, function(name) asked_words(name, asks[[name]]), ""))),
      i = sprintf("Give %s.", in_words_of_run(missed))), call = call)
  }
  values
}

# "`month` (a span phrase: the month to report)"
asked_words <- function(name, ask) {
  kind <- switch(ask$kind, phrase = "a span phrase", day = "a day", number = "a number",
                 choice = paste("one of", listed(unlist(ask$choices), 20, "or")),
                 member = sprintf("one of the members of %s", ask$of), text = "a text")
  sprintf("`%s` (%s%s)", name, kind, if (is.null(ask$says)) "" else paste0(": ", ask$says))
}

# How the reader gives a value.
in_words_of_run <- function(names) {
  if (message_reader() != "command") {
    return(sprintf("run_brief(..., %s)", paste0(names, " = ...", collapse = ", ")))
  }
  paste0("--value '", names, "=...'", collapse = " ")
}

# One value as its kind takes it.
checked_value <- function(value, ask, name, brief, call) {
  refuse_value <- function(problem, hint = NULL) {
    refuse("brief", c(sprintf("%s: `%s` %s", basename(brief$file), name, problem), i = hint),
           call = call)
  }
  if (inherits(value, "Date")) value <- iso_day(day_numbers(value))
  if (is.null(value)) return(NULL)
  if (!is.atomic(value) || length(value) == 0 || anyNA(value))
    refuse_value("must be a text or a number.")
  if (length(value) > 1 && !flag_of(ask$many))
    refuse_value(sprintf("takes one value, not %s.", number_text(length(value))))
  text <- plain_text(value)
  for (one in text) {
    switch(ask$kind,
      day = if (is.na(core_iso_days(one)))
        refuse_value(sprintf("must be a day such as 2026-09-17, not \"%s\".", one)),
      number = if (!is_plain_number(one))
        refuse_value(sprintf("must be a number, not \"%s\".", one)),
      phrase = check_asked_phrase(one, brief, refuse_value),
      choice = if (!one %in% unlist(ask$choices))
        refuse_value(sprintf("must be one of %s, not \"%s\".",
                             listed(unlist(ask$choices), 20, "or"), one),
                     nearest_hint(one, unlist(ask$choices))),
      NULL
    )
  }
  if (ask$kind == "number") as.numeric(text) else text
}

check_asked_phrase <- function(text, brief, refuse_value) {
  problem <- read_phrase(text, brief$calendar %||% ledger_calendar())$problem
  if (is.null(problem)) return(invisible())
  told <- tryCatch(refuse_phrase(text, problem, brief$calendar %||% ledger_calendar(), NULL),
                   rollingledger_error = function(e) e)
  refuse_value(sprintf("must be a span phrase: %s", rlang::cnd_header(told)), unname(told$body))
}

flag_of <- function(text) !is.null(text) && isTRUE(unname(flag_words[lower_text(text)]))

# The values asked for of members, held against the ledger.
check_members <- function(brief, values, x, call) {
  for (name in names(values)) {
    ask <- brief$tree$ask[[name]]
    if (ask$kind != "member" || is.null(values[[name]])) next
    in_brief(brief, c("ask", name, "of"), {
      if (!ask$of %in% source_column_names(x))
        refuse_column(ask$of, source_column_names(x), "attribute", call = call)
    })
    members <- plain_text(source_members(x, ask$of)$text)
    lost <- setdiff(values[[name]], members)
    if (length(lost) == 0) next
    refuse("brief", c(sprintf("%s: `%s` must be a member of %s, not \"%s\".", basename(brief$file),
                              name, ask$of, lost[1]),
                      i = nearest_hint(lost[1], members),
                      i = sprintf("Its members: %s.", listed(members, 20))), call = call)
  }
}

# ---- values put into texts ---------------------------------------------------

# The tree with the values of a run in the place of <name>, by the schema: in code they stand in
# quotes, elsewhere as they are. What is nothing but a value that was left out is not there.
with_values <- function(value, schema, values) {
  if (!is.null(schema[["$ref"]])) schema <- schema_referred()
  if (!is.null(schema$anyOf)) {
    fits <- vapply(schema$anyOf, shape_fits, TRUE, value = value)
    if (rlang::is_string(value) && is_whole_placeholder(value, values)) {
      inner <- text_with_values(value, schema$anyOf[[which(fits)[1]]]$holds, values)
      return(if (length(inner) > 1) as.list(inner) else inner)
    }
    return(if (any(fits)) with_values(value, schema$anyOf[[which(fits)[1]]], values) else value)
  }
  if (is.list(value) && !is.null(names(value))) {
    out <- lapply(stats::setNames(nm = names(value)), function(key) {
      inner <- schema$properties[[key]] %||%
        if (is.list(schema$additionalProperties)) schema$additionalProperties
      with_values(value[[key]], inner, values)
    })
    return(out[!vapply(out, is.null, TRUE)])
  }
  if (is.list(value)) {
    out <- lapply(value, function(one) {
      made <- with_values(one, schema$items, values)
      if (is.atomic(made)) as.list(made) else list(made)
    })
    return(unlist(out, recursive = FALSE) %||% list())
  }
  text_with_values(value, schema$holds, values)
}

is_whole_placeholder <- function(text, values) {
  grepl(paste0("^", placeholder, "$"), text) && placeholders(text) %in% names(values)
}

text_with_values <- function(text, holds, values) {
  if (!rlang::is_string(text) || is.na(text)) return(text)
  in_code <- !is.null(holds) && holds %in% c("expression", "condition")
  if (!in_code && is_whole_placeholder(text, values)) {
    return(if (!is.null(values[[placeholders(text)]])) plain_text(values[[placeholders(text)]]))
  }
  named <- intersect(placeholders(text), names(values))
  if (length(named) == 0) return(text)
  if (!in_code) return(words_with_values(text, values))
  if (any(vapply(values[named], is.null, TRUE))) return(without_condition(text, named))
  code_with_values(text, values[named])
}

# All places at once: what a value holds is never looked into again.
words_with_values <- function(text, values) {
  at <- gregexpr(placeholder, text)
  regmatches(text, at) <- lapply(regmatches(text, at), function(found) {
    vapply(found, function(one) {
      name <- substr(one, 2L, nchar(one) - 1L)
      if (name %in% names(values)) listed(values[[name]], most = 20) else one
    }, "", USE.NAMES = FALSE)
  })
  text
}

# Code is read first, with names of our own in the places; then values take these, as values. Within
# quotes they are part of the text that stands there.
code_with_values <- function(text, values) {
  mark <- "value_of_"
  while (grepl(mark, text, fixed = TRUE)) mark <- paste0(mark, "_")
  known <- gsub(sprintf("<(%s)>", paste(names(values), collapse = "|")),
                sprintf("`%s\\1`", mark), text)
  expr <- tryCatch(text_expression(known), error = function(e) NULL)
  # What cannot be read is told by what reads it, as it stands.
  if (is.null(expr)) return(text)
  expression_text(with_values_for(expr, stats::setNames(values, paste0(mark, names(values)))))
}

with_values_for <- function(expr, values) {
  if (is.symbol(expr)) {
    value <- values[[as.character(expr)]]
    return(if (is.null(value)) expr else text_expression(value_text(value)))
  }
  if (rlang::is_string(expr)) {
    at <- gregexpr("`[^`]+`", expr)
    regmatches(expr, at) <- lapply(regmatches(expr, at), function(found) {
      vapply(found, function(one) {
        name <- gsub("`", "", one, fixed = TRUE)
        if (name %in% names(values)) listed(values[[name]], most = 20) else one
      }, "", USE.NAMES = FALSE)
    })
    return(expr)
  }
  if (!is.call(expr)) return(expr)
  as.call(lapply(as.list(expr), function(part) {
    if (rlang::is_missing(part)) part else with_values_for(part, values)
  }))
}

# A condition on a value that was left out is dropped, where it says nothing else.
without_condition <- function(text, named) {
  bare <- gsub(sprintf("<(%s)>", paste(named, collapse = "|")), "\"\"", text)
  expr <- tryCatch(text_expression(bare), error = function(e) NULL)
  simple <- c(comparisons, "%in%", names(text_calls))
  if (is.call(expr) && called_name(expr) %in% simple) return(NULL)
  refuse("brief", c(sprintf("\"%s\" names `%s`, which was left out.", shortened_text(text),
                            named[1]),
                    i = paste("Give it a default, or make the condition on it one of its own, in a",
                              "list of conditions.")), call = NULL)
}

# Places in texts that no value is asked for.
placeholder_problems <- function(value, asked, path = character()) {
  if (is.list(value)) {
    keys <- names(value) %||% as.character(seq_along(value))
    return(unlist(lapply(seq_along(value), function(i) {
      placeholder_problems(value[[i]], asked, c(path, keys[i]))
    }), recursive = FALSE))
  }
  if (!rlang::is_string(value) || is.na(value)) return(NULL)
  lost <- setdiff(placeholders(value), asked)
  if (length(lost) == 0) return(NULL)
  list(list(path = path, says = sprintf("speaks of <%s>, which is not asked for.", lost[1]),
            hint = nearest_hint(lost[1], asked) %||%
              sprintf("Values asked for: %s.", listed(asked, 20))))
}
