# What commands that ask a question have in common: the call is checked, the question put as a
# record, answered, and handed over: printed, written to a file, kept as a brief or told as code.

# list(ledger, part, show): the record of a call. `part` is list(statement, steps), or list(show)
# for a comparison; `item` makes the thing that is shown of the answer.
cli_answer <- function(parsed, part, item = function(s) list(what = "table", of = "s"),
                       command, endings = table_endings(), beside = NULL) {
  o <- parsed$options
  if (length(parsed$args) > 0 && is.null(o$on)) refuse_without_date(parsed)
  record <- cli_ledger_record(parsed, command)
  check_output_options(parsed, endings, inputs = c(cli_inputs(record, part), beside))
  verbs <- c(vapply(part$steps, function(step) step$verb, ""),
             vapply(part$show, function(show) show$show, ""), "statement")
  # Entries are shown with all they hold; targets may speak of columns that the call does not.
  whole <- command == "entries" || any(c("add_target", "compare_known") %in% verbs) ||
    any(vapply(part$show, looks_at_all, TRUE))
  x <- cli_ledger(record, part, whole)
  s <- in_words_of_options(verbs, answer(c(list(ledger = source_facts(x)$given), part), x))
  made <- item(s)
  verb <- made$record$show %||% made$content[[1]]$record$show
  thing <- in_words_of_options(c(verb, verbs), item_result(made, list(s = s)))
  hand_over(thing, made, o)
  code_or_brief(list(ledger = source_facts(x)$given, statements = list(s = part),
                     items = list(made)), o)
}

# An explanation looks among all attributes, where none are named.
looks_at_all <- function(show) show$show == "why_changed" && is.null(show$by)

# The options of a figure that a command has of its own.
own_figure_options <- function(verb, leave = character()) {
  in_group("The figure (with --out FILE that ends in .png, .svg or .pdf)", c(
    field_options(verb, leave = leave),
    list(cli_option("--size", "of a figure in pixels (96 an inch), WIDTHxHEIGHT [1280x800]",
                    "SIZE"))))
}

# The ending of the file that such a command writes, "" without one; options of the figure need one
# that is drawn.
own_figure_ending <- function(o, verb, leave = character()) {
  ending <- if (is.null(o$out) || o$out == "-") "" else lower_text(tools::file_ext(o$out))
  own <- field_flags(verb)
  flags <- c("--size", unname(own[setdiff(names(own), leave)]))
  for (flag in if (!ending %in% c(figure_endings, "html")) flags_typed(o, flags)) {
    refuse_call(sprintf("`%s` goes with `--out` FILE that ends in .png, .svg, .pdf or .html.",
                        flag))
  }
  rlang::local_options(rollingledger.flags = list(size = "--size"))
  as_call_problem(figure_size(o$size))
  ending
}

# Files that a call reads.
cli_inputs <- function(record, part) {
  c(record$file, tables_read(record, part, NULL))
}

# ---- what comes out ----------------------------------------------------------

output_options <- function(endings = table_endings()) {
  in_group("What comes out", c(list(
    cli_option("--out", sprintf("write to FILE, by its ending: %s; - is standard output",
                                paste0(".", endings, collapse = " ")), "FILE"),
    cli_switch("--overwrite", "with --out or --save: replace the file if it exists"),
    cli_option("--format", "to standard output as csv, tsv, json or text [text]", "FORMAT"),
    cli_option("--rows", "rows to print: a number, or all [what fits a terminal]", "NUMBER"),
    cli_switch("--wide", "print lines as long as they are: nothing folded, no name cut"),
    cli_option("--save", "keep the question as a brief, FILE.yml, to run again", "FILE"),
    cli_option("--category", "with --save: what the brief is listed under", "TEXT"),
    cli_switch("--show-code", "print the R code of the call instead of its answer"))))
}

stream_formats <- c("csv", "tsv", "json", "text")

# A wrong call is told before any work is done.
check_output_options <- function(parsed, endings, inputs = character()) {
  o <- parsed$options
  to_file <- !is.null(o$out) && o$out != "-"
  alone <- function(flag, what) refuse_call(sprintf("`%s` goes with %s.", flag, what))
  if (o$overwrite && !to_file && is.null(o$save)) alone("--overwrite", "`--out FILE`")
  if (!is.null(o$category) && is.null(o$save)) alone("--category", "`--save FILE`")
  if (!is.null(o$format)) {
    if (!o$format %in% stream_formats) {
      refuse_call(c(sprintf("`--format` must be one of %s, not \"%s\".", listed(stream_formats),
                            o$format), i = nearest_hint(o$format, stream_formats)))
    }
    if (to_file) refuse_call(
      "`--format` applies to standard output; the name of a file tells its format.")
  }
  as_text <- !to_file && (o$format %||% "text") == "text" && !o$show_code
  for (flag in flags_typed(o, c("--rows", "--wide"))) {
    if (!as_text) refuse_call(sprintf("`%s` applies to tables printed as text.", flag))
  }
  if (o$show_code && (!is.null(o$format))) alone("--format", "an answer, not with `--show-code`")
  cli_rows(o$rows)
  as_call_problem({
    if (to_file) {
      attach_usual_packages()
      rlang::local_options(rollingledger.flags = list(overwrite = "--overwrite"))
      file_kind(o$out, endings)
      check_target(o$out, o$overwrite, inputs = inputs)
      if (lower_text(tools::file_ext(o$out)) == "xlsx")
        rlang::check_installed("openxlsx", reason = "to write workbooks.")
    }
    if (!is.null(o$save)) {
      file_kind(o$save, c("yml", "yaml"))
      check_target(o$save, o$overwrite, inputs = inputs)
      if (to_file) check_targets_apart(c(o$out, o$save), NULL)
    }
  })
}

# Rows to print: all in a pipe, what fits a terminal, or what was asked for.
cli_rows <- function(text) {
  if (is.null(text)) return(NULL)
  if (text == "all") return(Inf)
  rows <- if (is_plain_number(text)) as.numeric(text) else NA
  if (is.na(rows) || rows < 0 || rows != round(rows))
    refuse_call(sprintf("`--rows` takes a whole number or all, not \"%s\".", text))
  rows
}

hand_over <- function(thing, item, o) {
  if (o$show_code) return(invisible())
  if (is.null(o$out) || o$out == "-") return(stream_out(thing, o))
  write_item(item, thing, o$out, o$title %||% page_title(thing), o$overwrite)
  cli_say("Wrote ", o$out)
}

# A table on standard output.
stream_out <- function(thing, o) {
  format <- o$format %||% "text"
  if (format != "text") return(writeLines(plain_lines(thing, format), useBytes = TRUE))
  width <- if (o$wide) Inf else getOption("width")
  rows <- cli_rows(o$rows)
  height <- if (is.null(rows) && isatty(stdout())) terminal_lines()
  if (is.null(height)) return(show_lines(format(thing, rows = rows %||% Inf, width = width)))
  # A folded table takes several lines for a row.
  rows <- max(3, height - 5)
  repeat {
    lines <- format(thing, rows = rows, width = width)
    if (length(lines) < height || rows <= 3) break
    rows <- max(3, min(rows - 1, floor(rows * (height - 1) / length(lines))))
  }
  show_lines(lines)
}

terminal_lines <- function() {
  given <- suppressWarnings(as.integer(Sys.getenv("LINES", "")))
  if (is.na(given)) given <- suppressWarnings(as.integer(terminal_size("lines")))
  if (is.na(given) || given < 1) 24L else given
}

# The question as a brief, or as code.
code_or_brief <- function(parts, o) {
  name <- statement_name(parts$statements$s)
  names(parts$statements) <- name
  renamed <- function(item) {
    if (!is.null(item$of)) item$of <- name
    if (!is.null(item$content)) item$content <- lapply(item$content, renamed)
    item$file <- item$file %||% if (!is.null(o$out) && o$out != "-") basename(o$out)
    item
  }
  inner <- function(item) {
    item <- renamed(item)
    if (!is.null(item$content))
      item$content <- lapply(item$content, function(part) part[names(part) != "file"])
    item
  }
  if (!is.null(o$save)) {
    own <- list(name = NULL, category = o$category, description = NULL)
    rlang::local_options(rollingledger.flags = list(from = "--from"))
    save_parts(c(parts[c("ledger", "statements")], list(items = lapply(parts$items, inner))),
               o$save, own, o$overwrite, NULL)
    cli_say("Wrote ", o$save)
  }
  if (o$show_code) {
    names(parts$statements) <- "s"
    items <- lapply(parts$items, function(item) {
      if (!is.null(o$out) && o$out != "-") item$file <- o$out
      item
    })
    code <- new_ledger_code(c(
      "library(rollingledger)", "", ledger_code(parts$ledger), "", part_codes(parts$statements),
      vapply(items, item_code, "", title = o$title %||% "Statement")))
    show_lines(unclass(code))
  }
}
