# rolling-ledger statement

statement_options <- function() {
  options_once(c(
    row_options(), step_options(),
    list(cli_option("--across", "put side by side: span, period or an attribute", "WORD"),
         cli_switch("--lines", "with --across: a line per figure down the page")),
    field_options("reconcile", leave = "figure"), drawing_options(), ledger_options(),
    calendar_options(), hand_over_options()
  ))
}

# Which rows a statement has, of which measures.
row_options <- function() field_options("statement")

# How it is drawn, and how a workbook is cut.
drawing_options <- function() {
  kinds <- paste(names(figure_kinds()), collapse = ", ")
  c(list(cli_option("--figure", sprintf(paste0("with --out .png .svg .pdf or .html, the figure ",
                                               "to draw: %s [what suits the statement]"),
                                        kinds), "KIND")),
    list(cli_option("--draw",
                    "column of figures to draw, or to put across; may be repeated [the first]",
                    "COLUMN", many = TRUE)),
    figure_options(),
    list(cli_option("--size", "of a figure in pixels (96 an inch), WIDTHxHEIGHT [1280x800]",
                    "SIZE")),
    field_options("write_workbook", leave = c("file", shared_by_files)))
}

# The options of all kinds of figures, those that verbs have too under a name of their own.
figure_options <- function() {
  options <- lapply(figure_verbs(), field_options)
  options_once(unlist(unname(options), recursive = FALSE))
}

figure_verbs <- function() grep("^figure_", verbs_of("statement"), value = TRUE)

figure_flags <- function() unlist(lapply(figure_verbs(), field_flags), use.names = FALSE)

hand_over_options <- function() {
  dotted <- function(endings) paste0(".", endings, collapse = " ")
  help <- sprintf("write to FILE, by its ending: %s, of statements also %s",
                  dotted(table_endings()),
                  dotted(statement_endings()))
  fields <- setdiff(names(fields_of("write_workbook")), shared_by_files)
  c(list(cli_option("--out", help, "FILE")), field_options("write_workbook", leave = fields))
}

# What files of every kind are asked for.
shared_by_files <- c("title", "overwrite")

cli_statement <- function(parsed) {
  o <- parsed$options
  plain <- is.null(o$across) && is.null(o$reconcile)
  cli_check_out(parsed, c(table_endings(), if (plain) statement_endings()))
  cli_check_drawing(o)
  steps <- typed_steps(parsed$typed)
  reconciling <- typed_fields(o, "reconcile", leave = "figure")
  s <- cli_made_statement(parsed, "statement", steps)
  if (!is.null(o$reconcile)) {
    s <- in_words_of_options("reconcile", rlang::exec(reconcile, s, !!!reconciling))
  } else if (!is.null(o$across)) {
    s <- in_words_of_options("cross_table", {
      cross_table(s, o$across, !!!split_commas(o$draw), down = if (o$lines) "figures" else "groups")
    })
  }
  cli_hand_over(s, o)
}

# The statement that the options ask for, with all that its steps add to it.
cli_made_statement <- function(parsed, command, steps) {
  o <- parsed$options
  x <- cli_ledger(parsed, command)
  asked <- c(cli_asked(o, leave = c("span", "spans")), cli_asked_spans(o))
  s <- in_words_of_options("statement", answer_statement(x, Filter(Negate(is.null), asked), NULL))
  for (step in steps) {
    s <- in_words_of_options(step$verb, answered_step(s, step, list(), NULL))
  }
  s
}

# The arguments of a statement that were typed: conditions as one that asks for all of them.
cli_asked <- function(o, leave) {
  asked <- typed_fields(o, "statement", leave = c(leave, "...", "where"))
  measures <- measure_texts(as.list(named_pairs(o$measure)))
  where <- condition_text(rlang::quo(!!cli_where(o)))
  if (is.null(o$measure)) measures <- NULL
  c(asked, list(measures = measures, where = where))
}

# Tables of every kind can be written as these; statements as these too.
table_endings <- function() c(file_endings("write_statement"), "html")
statement_endings <- function() c(file_endings("write_workbook"), figure_endings)

# Options of figures and workbooks go with the files they are for.
cli_check_drawing <- function(o) {
  ending <- if (is.null(o$out)) "" else lower_text(tools::file_ext(o$out))
  drawn <- ending %in% c("png", "svg", "pdf", "html")
  # What goes across in a table may be named by --draw too; a title is a page's as well.
  elsewhere <- c("--title", if (!is.null(o$across)) "--draw")
  flags <- setdiff(c("--figure", figure_flags(), "--size"), elsewhere)
  for (flag in if (!drawn) flags_typed(o, flags)) {
    refuse_call(sprintf("`%s` goes with `--out` FILE that ends in .png, .svg, .pdf or .html.",
                        flag))
  }
  of_workbooks <- field_flags("write_workbook")[c("sheet_per", "subtotals")]
  for (flag in if (ending != "xlsx") flags_typed(o, of_workbooks)) {
    refuse_call(sprintf("`%s` goes with `--out` FILE that ends in .xlsx.", flag))
  }
  if (!is.null(o$size) && ending == "html")
    refuse_call("`--size` is of a figure in a file of its own: .png, .svg or .pdf.")
  kinds <- names(figure_kinds())
  if (!is.null(o$figure) && !o$figure %in% kinds) {
    refuse_call(c(sprintf("There is no figure \"%s\".", o$figure),
                  i = nearest_hint(o$figure, kinds), i = sprintf("There are: %s.", listed(kinds))))
  }
  cli_size(o$size)
}

cli_size <- function(text) {
  if (is.null(text)) return(c(1280, 800))
  size <- suppressWarnings(as.numeric(strsplit(text, "x", fixed = TRUE)[[1]]))
  if (length(size) != 2 || anyNA(size) || any(size < 200 | size > 10000)) {
    refuse_call(c(sprintf("`--size` \"%s\" is not understood.", text),
                  i = "It is WIDTHxHEIGHT in pixels, each from 200 to 10000, such as 1280x800."))
  }
  size
}

# One phrase without a name is the span; others are spans of their own.
cli_asked_spans <- function(o) {
  phrases <- named_pairs(o$span)
  if (length(phrases) == 1 && names(phrases) == "") return(list(span = phrases[[1]]))
  if (!is.null(phrases)) list(spans = phrase_records(phrases))
}

# A wrong target is told before any work is done.
cli_check_out <- function(parsed, kinds) {
  o <- parsed$options
  if (is.null(o$out)) return(invisible())
  attach_usual_packages()
  tryCatch({
    file_kind(o$out, kinds)
    check_target(o$out, o$overwrite, inputs = cli_inputs(parsed))
  }, rollingledger_error_file = function(e) refuse_call(c(e$message, e$body)))
}

# Files that a call reads.
cli_inputs <- function(parsed) {
  o <- parsed$options
  c(parsed$args, o$periods, o$reconcile, unname(named_pairs(o$lookup)),
    unname(named_pairs(o$target)))
}

# Several conditions as one that asks for all of them.
cli_where <- function(o) {
  if (length(o$where) < 2) return(o$where)
  paste0("(", o$where, ")", collapse = " & ")
}

cli_hand_over <- function(s, o) {
  if (is.null(o$out)) return(print(s))
  switch(lower_text(tools::file_ext(o$out)),
    csv = , tsv = , json = , parquet = write_statement(s, o$out, overwrite = o$overwrite),
    html = cli_page(s, o),
    xlsx = in_words_of_options("write_workbook", {
      rlang::exec(write_workbook, s, o$out, !!!typed_fields(o, "write_workbook", leave = "file"))
    }),
    write_figure(cli_figure(s, o), o$out, o$overwrite, width = cli_size(o$size)[1],
                 height = cli_size(o$size)[2])
  )
  cli_say("Wrote ", o$out)
}

# The figure asked for, or the one that suits the statement.
cli_figure <- function(s, o) {
  kind <- o$figure %||% suiting_figure(s)
  verb <- paste0("figure_", kind)
  others <- setdiff(figure_flags(), field_flags(verb))
  for (flag in flags_typed(o, others)) {
    refuse_call(sprintf("`%s` does not go with the figure %s.", flag, kind))
  }
  args <- typed_fields(o, verb, leave = c("...", "m"))
  drawn <- split_commas(o$draw)
  several <- "..." %in% names(fields_of(verb))
  if (!several && length(drawn) > 1) {
    refuse_call(sprintf("`--draw` names one column for the figure %s.", kind))
  }
  if (!several && length(drawn) == 1) args$m <- drawn
  in_words_of_options(verb, rlang::exec(figure_kinds()[[kind]], s, !!!args,
                                        !!!(if (several) as.list(drawn))))
}

# A page: of a statement its figure and its table, of other tables the table.
cli_page <- function(s, o) {
  title <- o$title %||% page_title(s)
  figure <- if (inherits(s, "statement") && nrow(s) > 0) cli_page_figure(s, o)
  parts <- Filter(Negate(is.null), list(figure, s))
  if (length(parts) == 2 && inherits(s, "statement")) names(parts) <- c(page_heading(s), "")
  write_report(!!!parts, file = o$out, title = title, overwrite = o$overwrite)
}

# A figure that was not asked for is left out where the statement has none that suits it.
cli_page_figure <- function(s, o) {
  o$title <- NULL  # it is the page's
  if (length(flags_typed(o, c("--figure", figure_flags()))) > 0) return(cli_figure(s, o))
  tryCatch(cli_figure(s, o), rollingledger_error = function(e) NULL)
}

page_title <- function(s) {
  plan <- attr(s, "plan")
  if (is.null(plan)) return("Statement")
  paste("Statement of", source_facts(plan_ledger(plan))$label)
}
