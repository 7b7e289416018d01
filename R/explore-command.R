# A question as a command line, where one line can ask it.

# Text of the call: of a ledger's record, a part (list(statement, steps) or list(show)) and what is
# shown of it.
command_line <- function(record, part, look, args = list()) {
  if (is.null(record$file)) {
    refuse("choice", c("A command line needs files, and this ledger was made of a data frame.",
                       i = "The R code asks the same."), call = NULL)
  }
  # What does nothing without groups is refused there.
  if (is.null(part[["statement"]]$by)) part[["statement"]]$list_all <- NULL
  part$steps <- steps_apart(part$steps)
  asked <- walk_asked(part, command_grammar)
  words <- c("rolling-ledger", asked[1], shell_word(record$file),
             walk_ledger(record, command_grammar), asked[-1], look_typed(look, args))
  folded_command(words)
}

# What is typed after several of one kind is for all of them: the ones before say what they go by.
steps_apart <- function(steps) {
  said <- function(step) setdiff(names(step), c("verb", "m", "targets"))
  for (i in rev(seq_along(steps))[-1]) {
    step <- steps[[i]]
    after <- steps[[i + 1L]]
    if (after$verb != step$verb || length(said(step)) > 0) next
    if (length(setdiff(said(after), "name")) == 0) next
    defaults <- lapply(fields_of(step$verb), function(one) one$default)
    own <- names(Filter(Negate(is.null), defaults))[1]
    steps[[i]][[own]] <- defaults[[own]]
  }
  steps
}

command_grammar <- list(
  files = "a command line",
  value = function(name, one, value, verb) {
    own <- if (name == dots_name(verb) && "..." %in% names(fields_of(verb))) "..." else name
    flag <- field_flags(verb)[own]
    if (is.na(flag))
      refuse("choice", sprintf("`%s` has no option of the command.", name), call = NULL)
    value_typed(unname(flag), one, value)
  },
  step = function(verb, said, step) {
    if (verb %in% ledger_steps) return(ledger_step_typed(step))
    flag <- names(step_flags())[step_flags() == verb]
    if (verb != "add_target") return(c(flag, shell_word(list_word(step$m)), unlist(said("m"))))
    told <- said(c("m", "targets"))
    target <- if (is.list(step$targets)) step$targets$file else digits_text(step$targets)
    c(flag, shell_word(paste0(name_of_pair(step$m), "=", target)), unlist(told))
  },
  made = function(record, said, calendar, steps) {
    # Options of columns are worked out before lookups are joined.
    verbs <- vapply(record$steps, function(step) step$verb, "")
    if (is.unsorted(match(verbs, c("work_out", "add_attributes")), na.rm = TRUE)) {
      refuse("choice", c(paste("A command line works columns out before it brings others in, and",
                               "here it is the other way round."),
                         i = "Keep the question as a brief, and run that."), call = NULL)
    }
    unlist(c(said, calendar, steps), use.names = FALSE)
  },
  asked = function(verb, said, steps, record) {
    command <- switch(verb, statement = "statement", why_changed = "why",
                      stands_out = "unusual",
                      compare_members = "members", "compare")
    c(command, unlist(c(said, steps),
                                                                  use.names = FALSE))
  })

ledger_step_typed <- function(step) {
  if (step$verb == "work_out")
    return(value_typed(unname(field_flags("ledger")["columns"]),
                       fields_of("ledger")["columns"][[1]],
                       unlist(step["columns"][[1]])))
  if (step$verb == "add_attributes" && !is.null(step$table$file)) {
    key <- named_values(step$key)
    both <- if (is.null(names(key))) key else paste0(names(key), ":", key)
    if (length(key) == 1)
      return(c("--lookup", shell_word(paste0(name_of_pair(both), "=", step$table$file))))
  }
  refuse("choice", c(sprintf("%s() of the ledger has no option of the command.", step$verb),
                     i = "Keep the question as a brief, and run that."), call = NULL)
}

value_typed <- function(flag, one, value) {
  if (one$kind == "flag") return(if (!identical(value, one$default %||% FALSE)) flag)
  if (is.list(value) && !is.null(value$file)) return(c(flag, shell_word(value$file)))
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

look_typed <- function(look, args) {
  if (startsWith(look, "figure_")) {
    drawn <- args$draw %||% args$m
    own <- args[setdiff(names(args), c("draw", "m"))]
    kind <- sub("^figure_", "", look)
    return(c("--figure", kind, if (!is.null(drawn)) c("--draw", shell_word(paste(list_word(
      as.character(unlist(drawn))), collapse = ","))),
      unlist(walk_fields(look, own, command_grammar)), "--out", paste0(kind, ".png")))
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
