# From the table of fields to the options of a command, and from what was typed back to the
# arguments of verbs. A verb that is added to the table has its options here without further work.

# ---- options -----------------------------------------------------------------

# Options for fields of a verb. `many` lets each be given more than once; `with` is the option that
# they go with.
field_options <- function(verb, leave = character(), many = FALSE, with = NULL, only = NULL) {
  fields <- fields_of(verb)
  fields <- fields[setdiff(only %||% names(fields), leave)]
  flags <- field_flags(verb)
  lapply(intersect(names(fields), names(flags)), function(name) {
    one <- fields[[name]]
    # Put together where help is asked for alone.
    help <- function() paste0(if (!is.null(with)) sprintf("with %s: ", with),
                              field_help(one, flags))
    if (one$kind == "flag") return(cli_switch(flags[[name]], one$off %||% help))
    option <- cli_option(flags[[name]], help, one$value %||% "VALUE", many || one$many,
                         needed = one$needed && is.null(with))
    # What could stand there, for completion.
    option$kind <- one$kind
    option$choices <- if (is.character(one$choices)) one$choices
    option
  })
}

# "how weeks are numbered: iso, january or whole [iso]"
field_help <- function(one, flags) {
  rlang::local_options(rollingledger.flags = as.list(flags))
  choices <- if (is.character(one$choices)) sprintf(" (%s)", listed(one$choices, 20, "or"))
  default <- one$default
  shown <- if (is.character(default) && length(default) == 1) sprintf(" [%s]", default)
           else if (is.numeric(default)) sprintf(" [%s]", digits_text(default))
  again <- if (one$many) "; may be repeated"
  words_for_reader(paste0(one$help, choices, again, shown))
}

# One option for each flag, where several verbs share it.
options_once <- function(options) {
  flags <- vapply(options, function(o) o$flag, "")
  options[!duplicated(flags)]
}

# The options of all of them: each that starts a verb, followed by those that go with it.
step_options <- function() {
  verbs <- step_flags()
  options <- lapply(names(verbs), function(flag) {
    start <- fields_of(verbs[[flag]])$m
    begins <- cli_option(flag, paste0(start$help, "; may be repeated"), start$value, many = TRUE)
    begins$kind <- if (verbs[[flag]] != "add_target") start$kind
    c(list(begins),
      field_options(verbs[[flag]], leave = c("m", "name"), many = TRUE, with = flag))
  })
  name <- cli_option("--name", "name of what the option before it adds", "NAME", many = TRUE)
  in_group("What is added to the statement",
           options_once(c(unlist(options, recursive = FALSE), list(name))))
}

# ---- what was typed ----------------------------------------------------------

# Steps from the options in the order in which they were typed: list(verb, m, ...) each. What goes
# with a verb is for those of its kind that were typed last, one after the other; typed before any,
# for all that come. A name is for the last one alone.
typed_steps <- function(typed) {
  verbs <- step_flags()
  known <- c(names(verbs), unlist(lapply(verbs, field_flags)))
  steps <- list()
  waiting <- list()
  before <- ""
  run <- 0
  for (option in Filter(function(one) one$flag %in% known, typed)) {
    verb <- if (option$flag %in% names(verbs)) verbs[[option$flag]]
    if (is.null(verb)) {
      at <- steps_meant(steps, option$flag)
      if (length(at) == 0) waiting <- c(waiting, list(option))
      for (i in at) steps[[i]] <- step_with(steps[[i]], option)
    } else {
      if (before != option$flag) run <- run + 1
      steps <- c(steps, started_steps(verb, option$value, run))
    }
    before <- option$flag
  }
  for (option in waiting) {
    at <- which(vapply(steps, takes_flag, TRUE, flag = option$flag))
    if (length(at) == 0) refuse_idle(option$flag, verbs)
    for (i in at) steps[[i]] <- step_with(steps[[i]], option, keep = TRUE)
  }
  lapply(steps, function(step) step[names(step) != "run"])
}

refuse_idle <- function(flag, verbs) {
  goes <- names(verbs)[vapply(verbs, function(verb) flag %in% field_flags(verb), TRUE)]
  refuse_call(sprintf("`%s` goes with %s, which is not there.", flag,
                      listed(sprintf("`%s`", goes), last = "or")))
}

# New steps of one kind: "income,trips" are two; a target is MEASURE=FILE.
started_steps <- function(verb, value, run) {
  if (verb != "add_target") {
    return(lapply(split_commas(value), function(m) list(verb = verb, m = m, run = run)))
  }
  targets <- named_pairs(value, "--target")
  Map(function(file, m) {
    list(verb = verb, m = m, run = run, targets = table_value(file))
  }, unname(targets), names(targets), USE.NAMES = FALSE)
}

takes_flag <- function(step, flag) flag %in% field_flags(step$verb)

# Numbers of the steps that an option is for.
steps_meant <- function(steps, flag) {
  takes <- which(vapply(steps, takes_flag, TRUE, flag = flag))
  if (length(takes) == 0) return(takes)
  last <- takes[length(takes)]
  if (flag == "--name") return(last)
  runs <- vapply(steps, function(step) step$run, 0)
  takes[runs[takes] == runs[last]]
}

# A step with the value of an option; `keep` leaves it what it has.
step_with <- function(step, option, keep = FALSE) {
  flags <- field_flags(step$verb)
  name <- names(flags)[flags == option$flag]
  one <- fields_of(step$verb)[[name]]
  has <- !is.null(step[[name]])
  if (has && keep) return(step)
  if (has && !one$many) {
    refuse_call(sprintf("`%s` is given twice; it takes one value.", option$flag))
  }
  step[[name]] <- c(step[[name]], typed_value(option$value, one, option$flag))
  step
}

# What was typed as the kind of value that a field takes, once it is checked.
typed_value <- function(text, one, flag) {
  if (is.null(text)) return(NULL)
  value <- switch(one$kind,
    pairs = typed_pairs(text, one$many, flag),
    measures = , named_code = named_pairs(text, if (one$kind == "named_code") flag),
    phrase = , phrases = named_pairs(text),
    # Nothing between quotes is a text too.
    texts = if (identical(text, "")) "" else split_commas(text),
    attributes = , columns = , choices = split_commas(text),
    text
  )
  check_typed(value, one, flag)
  switch(one$kind,
    number = as.numeric(value),
    table = table_value(value),
    phrase = if (identical(names(value), "")) unname(value) else value,
    condition = joined_conditions(value),
    other = number_or_flag(value),
    value
  )
}

# Holds what was typed against the field's schema, which briefs follow too.
check_typed <- function(value, one, flag) {
  schema <- field_schema(one)
  if (one$kind %in% c("table", "other", "choice") && !is.character(one$choices)) return(value)
  problems <- unlist(lapply(unname(value), schema_problems, schema = single_schema(schema)),
                     recursive = FALSE)
  if (length(problems) == 0) return(value)
  says <- problems[[1]]$says
  if (grepl("^must ", says)) says <- sprintf("`%s` %s", flag, says)
  else if (flag != "--span") says <- sprintf("`%s`: %s", flag, says)
  refuse_call(c(says, as_hints(problems[[1]]$hint)))
}

# The schema of one value out of those that may be several or named.
single_schema <- function(schema) {
  repeat {
    inner <- if (!is.null(schema$anyOf))
      Filter(function(one) !identical(one$holds, "placeholder"), schema$anyOf)
    inner <- utils::tail(inner, 1)[1][[1]] %||% schema$items %||%
      if (is.list(schema$additionalProperties)) schema$additionalProperties
    if (is.null(inner)) return(schema)
    schema <- inner
  }
}

# Without any names there are none. What is not said several times may have commas of its own, as
# 1,234.56 does: there a comma parts only what has a name.
typed_pairs <- function(text, many, flag) {
  pieces <- unlist(lapply(text, split_pieces))
  if (!many && length(pieces) > 1 && !all(grepl(pair_name, pieces, perl = TRUE))) pieces <- text
  pairs <- named_pairs(pieces)
  values <- vapply(pairs, unquoted, "")
  # Days of several years may have one name.
  twice <- names(values)[duplicated(names(values)) & nzchar(names(values))]
  if (length(twice) > 0 && flag != "--holiday")
    refuse_call(sprintf("`%s` says twice what `%s` is.", flag, twice[1]))
  if (all(names(pairs) == "")) unname(values) else values
}

# As split_commas(), with the quotes left, that stand around a name or a value alone.
split_pieces <- function(text) {
  if (!grepl(",", text, fixed = TRUE)) return(text)
  pieces <- regmatches(text, gregexpr("(?:\"(?:[^\"]|\"\")*\"|`[^`]*`|[^,\"`])+|[\"`]", text,
                                      perl = TRUE))[[1]]
  trimws(pieces)
}

# Those of some flags that were typed.
flags_typed <- function(o, flags) {
  flags <- unique(flags)
  values <- o[option_name(flags)]
  flags[!vapply(values, function(value) is.null(value) || isFALSE(value), TRUE)]
}

# The arguments of a verb's fields that were typed, by name.
typed_fields <- function(o, verb, leave = character(), only = NULL) {
  fields <- fields_of(verb)
  flags <- field_flags(verb)
  names <- setdiff(intersect(only %||% names(fields), names(flags)), leave)
  values <- lapply(stats::setNames(nm = names), function(name) {
    value <- o[[option_name(flags[[name]])]]
    if (isFALSE(value)) NULL else if (isTRUE(value)) !isTRUE(fields[[name]]$default)
    else typed_value(value, fields[[name]], flags[[name]])
  })
  Filter(Negate(is.null), values)
}

# Evaluates a call of a verb, whose arguments messages name by their options.
in_words_of_options <- function(verbs, expr) {
  rlang::local_options(rollingledger.flags = words_of_options(verbs))
  expr
}

# How the arguments of some verbs, and those of a statement and its ledger, are typed.
words_of_options <- function(verbs = NULL) {
  flags <- unlist(lapply(c(verbs, "statement", "ledger", "ledger_calendar"), field_flags))
  as.list(flags[!duplicated(names(flags))])
}

# Whatever is refused here is wrong with the call.
as_call_problem <- function(expr) {
  tryCatch(expr, rollingledger_error = function(e) {
    if (inherits(e, "rollingledger_error_call")) stop(e)
    abort(c(rlang::cnd_header(e), e$body), call = NULL,
          class = c("rollingledger_error_call", "rollingledger_error"))
  })
}
