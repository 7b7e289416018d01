# rolling-ledger ask

ask_options <- function() {
  options_once(c(
    in_group("What is asked", list(
      cli_option("--targets", paste(
        "NAME=FILE: a table that the sentence may name, as in 'against the target NAME'; may be",
        "repeated"), "TABLE", many = TRUE),
      cli_switch("--show-record", "print the record of the question instead of its answer"),
      cli_switch("--show-command", "print the command line that asks the same"),
      cli_option("--size", "of a figure in pixels (96 an inch), WIDTHxHEIGHT [1280x800]", "SIZE"),
      cli_option("--title", "of a page", "TEXT"))),
    ledger_options(), calendar_options(), output_options(c(table_endings(), figure_endings))))
}

cli_ask <- function(parsed) {
  o <- parsed$options
  typed <- sentence_typed(parsed)
  parsed$args <- typed$args
  if (length(parsed$args) > 0 && is.null(o$on)) refuse_without_date(parsed)
  record <- cli_ledger_record(parsed, "ask")
  tables <- named_pairs(o$targets, "--targets")
  if (is.null(typed$sentence)) check_line_by_line(o)
  endings <- c(table_endings(), figure_endings)
  check_output_options(parsed, endings, inputs = c(record$file, unname(tables)))
  asked_of <- rlang::env(record = record, x = ledger_as_read(record), tables = tables,
                         options = o, told = FALSE)
  if (is.null(typed$sentence)) return(ask_line_by_line(asked_of))
  ask_once(asked_of, typed$sentence)
  0L
}

# list(args, sentence): the last of what was typed is the sentence, unless it is a file.
sentence_typed <- function(parsed) {
  args <- setdiff(parsed$args, parsed$options$source)
  last <- args[length(args)]
  alone <- length(args) == 1 && is.null(parsed$options$source)
  if (length(args) == 0 || alone || file.exists(last) || dir.exists(last))
    return(list(args = parsed$args))
  list(args = c(args[-length(args)], parsed$options$source), sentence = last)
}

# Answers come one after the other, on standard output.
check_line_by_line <- function(o) {
  for (flag in c(out = "--out", save = "--save")) {
    if (!is.null(o[[sub("--", "", flag)]]))
      refuse_call(sprintf("`%s` goes with one sentence, which follows the files.", flag))
  }
}

# One sentence answered; the question, for a sentence that changes it.
ask_once <- function(asked_of, sentence, before = NULL) {
  o <- asked_of$options
  names <- sentence_names(asked_of$x, base::names(asked_of$tables))
  asked <- asked_in_words(sentence, names, before, NULL)
  question <- question_of_files(asked$question, asked_of$tables)
  show <- if (length(question$show) > 0) question$show[[1]]
  ledger_verb <- isTRUE(show$show %in% verbs_of("ledger"))
  part <- if (ledger_verb) list(show = question$show[1])
          else list(statement = question[["statement"]], steps = question$steps)
  looks <- if (ledger_verb) question$show[-1] else question$show
  if (o$show_record) {
    show_lines(format(question))
    return(asked$question)
  }
  if (o$show_command) {
    show_lines(command_of_looks(asked_of$record, part, looks))
    return(asked$question)
  }
  read_amounts_asked(asked_of, part)
  question$ledger <- source_facts(asked_of$x)$given
  verbs <- c("statement", vapply(c(part$steps, part$show), function(one) one$verb %||% one$show,
                                 ""))
  s <- in_words_of_options(verbs, answer(c(list(ledger = question$ledger), part), asked_of$x))
  item <- item_of_looks(looks, o)
  thing <- in_words_of_options(verbs, item_result(item, list(s = s)))
  say_understood(c(said_of_answer(s, asked$question, names), asked$notes), o)
  hand_over(thing, item, o)
  code_or_brief(list(ledger = question$ledger, statements = list(s = part), items = list(item)), o)
  asked$question
}

# Text that is now added up or compared is read again, as amounts.
read_amounts_asked <- function(asked_of, part) {
  x <- asked_of$x
  measured <- Filter(function(name) {
    source_column(x, name)$holds == "text" && is_mostly_numbers(x, name)
  }, intersect(measured_names(texts_of_parts(list(part))), source_column_names(x)))
  if (length(measured) > 0) {
    asked_of$record$amounts <- union(asked_of$record$amounts, measured)
    asked_of$x <- ledger_as_read(asked_of$record)
  } else if (asked_of$told) return(invisible())
  # Rows set aside are told once, and again where more of them are.
  cli_report_aside(asked_of$x)
  asked_of$told <- TRUE
}

ledger_as_read <- function(record) {
  in_words_of_options(c("ledger", "ledger_calendar"), ledger_of_record(record, call = NULL))
}

# Tables that the sentence names are files.
question_of_files <- function(question, tables) {
  question$steps <- lapply(question$steps, function(step) {
    name <- if (is.list(step$targets)) step$targets$by_hand
    if (!is.null(name)) step$targets <- list(file = tables[[name]])
    step
  })
  question
}

# The answer begins with the sentence as it was understood.
say_understood <- function(lines, o) {
  as_text <- (o$format %||% "text") == "text" && (is.null(o$out) || o$out == "-") && !o$show_code
  lines <- folded_text(lines, getOption("width"))
  if (as_text) show_lines(c(lines, "")) else for (line in lines) cli_say(line)
}

# What is shown: the table, one look at it, or a page of the looks and the table.
item_of_looks <- function(looks, o) {
  table <- list(what = "table", of = "s")
  items <- lapply(looks, function(look) {
    list(what = look$show, of = "s", record = look,
         size = if (startsWith(look$show, "figure_")) o$size)
  })
  ending <- if (is.null(o$out) || o$out == "-") "" else lower_text(tools::file_ext(o$out))
  if (ending == "html") {
    items <- lapply(items, function(item) item[base::names(item) != "size"])
    return(list(what = "page", title = o$title, content = c(items, list(table))))
  }
  if (length(items) > 1) {
    refuse("sentence", c("The sentence is shown in several ways, which are a page.",
                         i = "Say --out FILE.html."), call = NULL)
  }
  drawn <- length(items) > 0 && startsWith(items[[1]]$what, "figure_")
  if (!drawn && ending %in% figure_endings) {
    refuse("sentence", c("The sentence asks for a table, which is no figure.",
                         i = "Say how it is drawn, such as `as a trend`."), call = NULL)
  }
  if (length(items) == 0) return(table)
  if (drawn && !ending %in% figure_endings && !o$show_code) {
    refuse("sentence", c("The sentence asks for a figure, which goes to a file.",
                         i = "Say --out FILE.png, or .svg, .pdf or .html."), call = NULL)
  }
  items[[1]]
}

command_of_looks <- function(record, part, looks) {
  look <- if (length(looks) == 1) looks[[1]]
  command_line(record, part, look$show %||% "table", look[base::names(look) != "show"])
}

# ---- line after line ---------------------------------------------------------

# Reads sentences from standard input, each answered; one may change the question before it. The
# exit status is 1 where standard input is no terminal and a line was refused.
ask_line_by_line <- function(asked_of, terminal = isatty(stdin()),
                             lines = line_reader(terminal, asked_of)) {
  if (terminal) show_lines(c(
    folded_text(entries_text(source_facts(asked_of$x)), getOption("width")),
    "Ask in a sentence; `help` shows some, an empty line ends.", ""))
  before <- NULL
  refused <- FALSE
  repeat {
    line <- lines()
    if (is.null(line) || terminal && !nzchar(trimws(line))) break
    line <- trimws(line)
    if (!nzchar(line) || startsWith(line, "#")) next
    if (!terminal) show_lines(paste(">", line))
    if (lower_text(line) %in% c("end", "quit", "exit")) break
    if (lower_text(line) == "help") {
      show_lines(sentence_examples_lines())
      next
    }
    before <- tryCatch(ask_once(asked_of, line, before), rollingledger_error = function(e) {
      refused <<- TRUE
      cli_failure(e, 1L)
      before
    })
    show_lines("")
  }
  if (refused && !terminal) 1L else 0L
}

# A function that gives the next line, NULL at the end. A terminal's lines are read with history
# and completion by the shell, where there is one that has them.
line_reader <- function(terminal, asked_of) {
  shell <- if (terminal && on_unix()) Sys.which("bash") else ""
  if (nzchar(shell)) return(shell_line_reader(shell, asked_of))
  input <- file("stdin", "r", encoding = "UTF-8")
  function() {
    if (terminal) cat("> ")
    line <- readLines(input, 1, warn = FALSE)
    if (length(line) == 0) {
      close(input)
      return(NULL)
    }
    enc2utf8(line)
  }
}

shell_line_reader <- function(shell, asked_of) {
  folder <- tempfile("ask")
  dir.create(folder, mode = "0700")
  words <- file.path(folder, "words")
  names <- sentence_names(asked_of$x, base::names(asked_of$tables))
  writeLines(sentence_phrases(names)$text, words, useBytes = TRUE)
  script <- system.file("sentence", "line.sh", package = "rollingledger")
  said <- file.path(folder, "line")
  function() {
    unlink(said)
    status <- system2(shell, shQuote(c(script, words, file.path(folder, "history"), said)))
    if (status != 0 || !file.exists(said)) return(NULL)
    enc2utf8(paste(readLines(said, encoding = "UTF-8", warn = FALSE), collapse = " "))
  }
}

# The examples, as `rolling-ledger help sentences` shows them.
sentence_examples_lines <- function() {
  known <- sentence_examples()
  width <- getOption("width")
  unlist(lapply(unique(known$heading), function(heading) {
    own <- known$heading == heading
    c(heading, unlist(Map(function(sentence, means) {
      c(folded_text(paste0("  ", sentence), width), paste0("      ", means))
    }, known$sentence[own], known$means[own]), use.names = FALSE))
  }))
}
