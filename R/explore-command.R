# A question as a command line, where one line can ask it.

# Text of the call: of a ledger's record, a part (list(statement, steps) or list(show)) and what is
# shown of it.
command_line <- function(record, part, look, args = list()) {
  if (is.null(record$file)) {
    refuse("choice", c("A command line needs files, and this ledger was made of a data frame.",
                       i = "The R code asks the same."), call = NULL)
  }
  compares <- length(part$show) > 0
  asked <- if (compares)
    verb_typed("compare_spans", part$show[[1]][setdiff(names(part$show[[1]]), "show")])
  else c(verb_typed("statement", part[["statement"]]),
         unlist(lapply(part$steps, step_typed), use.names = FALSE))
  words <- c("rolling-ledger", if (compares) "compare" else "statement", shell_word(record$file),
             ledger_typed(record), asked, look_typed(look, args))
  folded_command(words)
}

ledger_typed <- function(record) {
  own <- record[setdiff(names(record), c("file", "data", "calendar", "steps"))]
  c(verb_typed("ledger", own), verb_typed("ledger_calendar", record$calendar),
    unlist(lapply(record$steps, ledger_step_typed), use.names = FALSE))
}

ledger_step_typed <- function(step) {
  if (step$verb == "add_attributes" && !is.null(step$table$file)) {
    key <- named_values(step$key)
    both <- if (is.null(names(key))) key else paste0(names(key), ":", key)
    if (length(key) == 1)
      return(c("--lookup", shell_word(paste0(name_of_pair(both), "=", step$table$file))))
  }
  refuse("choice", c(sprintf("%s() of the ledger has no option of the command.", step$verb),
                     i = "Keep the question as a brief, and run that."), call = NULL)
}

# Flags and values of a verb's arguments.
verb_typed <- function(verb, args) {
  fields <- fields_of(verb)
  flags <- field_flags(verb)
  unlist(lapply(names(args), function(name) {
    own <- if (name == dots_name(verb) && "..." %in% names(fields)) "..." else name
    one <- fields[[own]]
    if (!own %in% names(flags)) {
      refuse("choice", sprintf("`%s` has no option of the command.", name), call = NULL)
    }
    value_typed(flags[[own]], one, args[[name]])
  }), use.names = FALSE)
}

value_typed <- function(flag, one, value) {
  if (one$kind == "flag") return(if (!identical(value, one$default %||% FALSE)) flag)
  if (is.list(value) && !is.null(value$file)) return(c(flag, shell_word(value$file)))
  if (is.list(value) && !is.null(value$by_hand)) {
    refuse("choice", sprintf("The table `%s` was given by hand; a command line needs a file.",
                             value$by_hand), call = NULL)
  }
  value <- named_values(value)
  if (!is.null(names(value))) {
    named <- paste0(name_of_pair(names(value)), "=", plain_text(value))
    pairs <- ifelse(nzchar(names(value)), named, plain_text(value))
    return(as.vector(rbind(flag, shell_word(pairs))))
  }
  text <- if (is.numeric(value)) digits_text(value) else plain_text(value)
  several <- one$kind %in% c("attributes", "columns", "texts", "choices")
  if (several) text <- paste(list_word(text), collapse = ",")
  as.vector(rbind(flag, shell_word(text)))
}

step_typed <- function(step) {
  flag <- names(step_flags())[step_flags() == step$verb]
  args <- step[setdiff(names(step), c("verb", "m"))]
  if (step$verb == "add_target") {
    target <- if (is.list(step$targets)) step$targets$file else digits_text(step$targets)
    if (is.null(target)) {
      refuse("choice", "The table was given by hand; a command line needs a file.", call = NULL)
    }
    return(c(flag, shell_word(paste0(name_of_pair(step$m), "=", target)),
             verb_typed(step$verb, args[names(args) != "targets"])))
  }
  c(flag, shell_word(list_word(step$m)), verb_typed(step$verb, args))
}

look_typed <- function(look, args) {
  if (startsWith(look, "figure_")) {
    drawn <- args$draw %||% args$m
    own <- args[setdiff(names(args), c("draw", "m"))]
    kind <- sub("^figure_", "", look)
    return(c("--figure", kind, if (!is.null(drawn)) c("--draw", shell_word(paste(list_word(
      as.character(unlist(drawn))), collapse = ","))), verb_typed(look, own),
      "--out", paste0(kind, ".png")))
  }
  if (look == "cross_table") {
    c("--across", shell_word(args$across),
      if (!is.null(args$draw)) c("--draw", shell_word(paste(list_word(as.character(unlist(
        args$draw))), collapse = ","))), if (identical(args$down, "figures")) "--lines")
  }
}

# What has a comma or quotes stands in double quotes where commas part values.
list_word <- function(text) {
  ifelse(grepl("[,\"`]", text), paste0("\"", gsub("\"", "\"\"", text, fixed = TRUE), "\""), text)
}

# A name before "=".
name_of_pair <- function(name) {
  ifelse(grepl("[=()<>!\"'`&|+*/,]|^\\s|\\s$", name),
         paste0("\"", gsub("\"", "\"\"", name, fixed = TRUE), "\""), name)
}

folded_command <- function(words) {
  lines <- character()
  now <- words[1]
  for (word in words[-1]) {
    if (nchar(now) + nchar(word) > 94 && startsWith(word, "--")) {
      lines <- c(lines, paste0(now, " \\"))
      now <- paste0("  ", word)
    } else now <- paste(now, word)
  }
  paste(c(lines, now), collapse = "\n")
}
