# Errors by kind. Each says what was given, what would be right and where; the class is
# `rollingledger_error_<kind>` so that callers can tell them apart.

refuse <- function(kind, message, ..., call = caller_env()) {
  message <- words_for_reader(message)
  abort(message, class = c(paste0("rollingledger_error_", kind), "rollingledger_error"), ...,
        call = call)
}

# Something to be known that is no error, in the words of refuse().
tell <- function(message, ...) {
  inform(words_for_reader(message), class = c(..., "rollingledger_message"))
}

# No message repeats what may be a password: in an address of whatever kind, or beside its name.
without_passwords <- function(text) {
  text <- gsub("\\b(password|pwd|passwd)(\\s*=\\s*)('[^']*'|\"[^\"]*\"|[^ ,;&\"']+)",
               "\\1\\2...", text, ignore.case = TRUE)
  gsub("(//[^:/@[:space:]]*):[^@[:space:]]*@", "\\1:...@", text)
}

# Arguments in messages stand in braces, {time_zone} or {time_zone =}, and are named as the reader
# met them: `time_zone =` in R, `--time-zone` on the command line, `time_zone:` in a brief. What
# else is said to one who writes R has other words for the others, or none (reader_words()).
words_for_reader <- function(message) {
  if (any(grepl("@|pass|pwd", message, ignore.case = TRUE)))
    message[] <- without_passwords(message)
  if (any(grepl(own_mark, message, fixed = TRUE))) message[] <- calculation_name(message)
  message <- reader_words(message)
  flags <- getOption("rollingledger.flags")
  for (i in seq_along(message)) {
    repeat {
      at <- regexec(argument_in_braces, message[[i]], perl = TRUE)
      found <- regmatches(message[[i]], at)[[1]]
      if (length(found) == 0) break
      said <- named_argument(found[2], trimws(found[3]), flags)
      message[[i]] <- sub(found[1], said, message[[i]], fixed = TRUE)
    }
  }
  message
}

argument_in_braces <- "\\{([a-z][a-z_0-9]*)( =[^{}]*)?\\}"

# Who reads: "R", "command", "brief" or "page".
message_reader <- function() {
  getOption("rollingledger.reader") %||%
    (if (is.null(getOption("rollingledger.flags"))) "R" else "command")
}

# "`time_zone = \"UTC\"`", "`--time-zone UTC`" or "`time_zone: UTC`".
named_argument <- function(name, rest, flags) {
  reader <- message_reader()
  known <- flags[[name]] %||% switch(reader, command = paste0("--", gsub("_", "-", name)),
                                     page = gsub("_", " ", name))
  if (is.null(known)) return(paste0("`", name, if (nzchar(rest)) paste0(" ", rest), "`"))
  text <- trimws(sub("^=", "", rest))
  value <- gsub("\"", "", text, fixed = TRUE)
  # A text stands as it is typed.
  if (reader == "command" && grepl("^\"[^\"]+\"$", text)) value <- shell_word(value)
  if (value == "TRUE" && reader != "brief") value <- ""
  if (reader == "page") return(trimws(paste(known, value)))
  paste0("`", known, if (nzchar(value)) paste0(" ", value), "`")
}

# Words for those who write no R: calls of verbs are told by their names, lists as they are typed,
# and what only R can do is not said.
reader_words <- function(message) {
  if (message_reader() == "R") return(message)
  hints <- (names(message) %||% rep("", length(message))) %in% c("i", "x")
  message <- message[!(hints & grepl(only_in_r, message, perl = TRUE))]
  message[] <- gsub("such as c\\(([^()]*)\\)", "such as \\1", message)
  message[] <- gsub(" or c\\([^()]*\\)", "", message)
  verbs <- gregexpr("`?add_([a-z_]+)\\([^()]*\\)`?", message)
  regmatches(message, verbs) <- lapply(regmatches(message, verbs), function(calls) {
    verb <- gsub("_", "-", sub("^`?add_([a-z_]+).*", "\\1", calls))
    switch(message_reader(), command = sprintf("`--%s`", verb),
           brief = sprintf("`add_%s`", gsub("-", "_", verb)), sprintf("\"%s\"", verb))
  })
  message
}

# Calls and marks of R alone.
only_in_r <- paste0("!!|\\b(answer|give_ledger|statement|ledger|cross_table|compare_spans|",
                    "run_brief|reconcile|as[.][A-Za-z]+|options|print|library|data[.]frame|",
                    "set_aside|ledger_calendar|brief_as_code|question)\\(")

refuse_column <- function(name, known, what = "column", where = "the ledger", call = caller_env()) {
  refuse("column", c(
    sprintf("There is no %s `%s` in %s.", what, name, where),
    i = nearest_hint(name, known),
    i = if (length(known) > 0) sprintf("It has: %s.", listed(known))
  ), given = name, known = known, call = call)
}

refuse_measure <- function(message, ..., call = caller_env()) {
  refuse("measure", message, ..., call = call)
}

# One of a few words, or an error that lists them.
one_of <- function(given, choices, arg, call = caller_env()) {
  if (identical(given, choices)) return(choices[[1]])
  if (!is.character(given) || length(given) != 1 || is.na(given) || !given %in% choices) {
    shown <- if (is.character(given) && length(given) == 1) sprintf("not \"%s\"", given)
             else "one text"
    refuse("choice", c(
      sprintf("{%s} must be one of %s, %s.", arg, listed(dQuote(choices, FALSE), most = 20), shown),
      i = if (is.character(given) && length(given) == 1) nearest_hint(given, choices)
    ), arg = arg, given = given, choices = choices, call = call)
  }
  given
}

# One or several of a few words.
some_of <- function(given, choices, arg, call = caller_env()) {
  if (!is.character(given) || length(given) == 0 || anyDuplicated(given))
    return(one_of(given, choices, arg, call))
  for (one in given) one_of(one, choices, arg, call = call)
  given
}

one_flag <- function(given, arg, call = caller_env()) {
  if (!is.logical(given) || length(given) != 1 || is.na(given)) {
    refuse("choice", sprintf("{%s} must be TRUE or FALSE.", arg), arg = arg, given = given,
           call = call)
  }
  given
}

letters_of <- function(x) vapply(strsplit(lower_text(x), ""),
                                 function(l) paste(sort(l), collapse = ""), "")

nearest_hint <- function(name, known) {
  known <- known[!is.na(known) & nzchar(known)]
  if (length(known) == 0 || is.na(name)) return(NULL)
  distance <- utils::adist(name, known, ignore.case = TRUE)[1, ]
  near <- known[distance == min(distance)]
  # Of equally near names the one with the same letters: two letters are often exchanged.
  near <- near[which.min(utils::adist(letters_of(name), letters_of(near)))]
  # A short word is near to too much: there one letter may differ, or two stand exchanged.
  reach <- if (nchar(name) < 4) 1 else max(2, nchar(name) %/% 3)
  close_enough <- min(distance) <= reach || letters_of(name) == letters_of(near)
  contained <- known[grepl(lower_text(name), lower_text(known), fixed = TRUE)]
  if (!close_enough && length(contained) > 0 && nchar(name) > 2) {
    near <- contained[[1]]
    close_enough <- TRUE
  }
  if (close_enough) sprintf("Did you mean `%s`?", near)
}

# What the core refuses, as an error of ours in the name of the function that was called.
from_core <- function(expr) {
  withCallingHandlers(expr, `C++Error` = function(e) {
    refuse("core", sub("[.]?$", ".", heading_first(conditionMessage(e))), call = called_frame())
  })
}

# The frame of the exported function that the user called.
called_frame <- function() {
  known <- getNamespaceExports(topenv())
  for (i in seq_len(sys.nframe())) {
    name <- sys.call(i)[[1]]
    if (is.symbol(name) && as.character(name) %in% known) return(sys.frame(i))
  }
  NULL
}

# Entries are numbered by whole numbers of 32 bits.
check_entry_limit <- function(entries, call = caller_env()) {
  if (entries <= .Machine$integer.max) return(invisible())
  refuse("source", c(sprintf("%s entries are more than a ledger in memory holds (at most %s).",
                             number_text(entries), number_text(.Machine$integer.max)),
                     i = paste0("Take the entries of fewer years, or fewer columns, or add them ",
                                "up by day first.")), call = call)
}

check_names_once <- function(names, label, call = caller_env()) {
  twice <- names[duplicated(names)]
  if (length(twice) == 0) return(invisible())
  refuse("source", c(sprintf("The column name `%s` stands more than once in %s.", twice[1], label),
                     i = "Give each column a name of its own."), call = call)
}

# Hints of a message, which may be none.
as_hints <- function(texts) if (length(texts) > 0) stats::setNames(texts, rep("i", length(texts)))
