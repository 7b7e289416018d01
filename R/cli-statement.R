# rolling-ledger statement

statement_options <- function() {
  options_once(c(
    row_options(), ledger_options(), step_options(),
    in_group("Put side by side", list(
      cli_option("--across", "what goes across: span, period or an attribute", "WORD"),
      cli_switch("--lines", "with --across: a line per figure down the page"))),
    in_group("What is added to the statement", list(cli_option(
      "--back-test", "instead of rows, what would have been expected before of MEASURE, and came",
      "MEASURE"))),
    drawing_options(), calendar_options(),
    output_options(c(table_endings(), figure_endings))
  ))
}

# Which rows a statement has, of which measures.
row_options <- function() in_group("What is asked", field_options("statement"))

# How it is drawn, and how a workbook is cut.
drawing_options <- function() {
  kinds <- paste(names(figure_kinds()), collapse = ", ")
  in_group("Figures, pages and workbooks (with --out)", c(
    list(cli_option("--figure", sprintf(paste0("the figure to draw, with .png .svg .pdf or .html: ",
                                               "%s [what suits the statement]"), kinds), "KIND"),
         cli_option("--draw",
                    "column of figures to draw, or to put across; may be repeated [the first]",
                    "COLUMN", many = TRUE)),
    figure_options(),
    list(cli_option("--size", "of a figure in pixels (96 an inch), WIDTHxHEIGHT [1280x800]",
                    "SIZE")),
    field_options("write_workbook", leave = c("file", "overwrite"))))
}

# The options of all kinds of figures, those that verbs have too under a name of their own.
figure_options <- function() {
  options <- lapply(figure_verbs(), field_options)
  options_once(unlist(unname(options), recursive = FALSE))
}

figure_verbs <- function() grep("^figure_", verbs_of("statement"), value = TRUE)

figure_flags <- function() unlist(lapply(figure_verbs(), field_flags), use.names = FALSE)

cli_statement <- function(parsed) {
  o <- parsed$options
  check_drawing(o)
  part <- cli_part(parsed)
  endings <- c(table_endings(), if (is.null(o$across)) figure_endings)
  cli_answer(parsed, part, function(s) statement_item(s, o), "statement", endings)
}

# list(statement, steps) of a call.
cli_part <- function(parsed) {
  o <- parsed$options
  statement <- c(typed_statement(o, leave = c("span", "spans")), typed_spans(o))
  steps <- typed_steps(parsed$typed)
  check_step_measures(steps, statement$measures)
  check_idle_rows(o)
  list(statement = statement, steps = steps)
}

# The arguments of statement() that were typed, as a record.
typed_statement <- function(o, leave = character(), verb = "statement") {
  asked <- typed_fields(o, verb, leave = c(leave, "..."))
  if (!is.null(o$measure)) {
    typed <- typed_fields(o, "statement", only = "...")
    asked$measures <- as_call_problem(measure_record(typed[["..."]]))
  }
  asked
}

# One phrase without a name is the span, and phrases by grain are one; others are spans of their
# own.
typed_spans <- function(o) {
  if (is.null(o$span)) return(NULL)
  phrases <- typed_fields(o, "statement", only = "span")$span
  if (length(phrases) == 1 && is.null(names(phrases))) return(list(span = phrases[[1]]))
  # Each for a grain of its own: the one of --per counts.
  if (!is.null(o$per) && is_by_grain(phrases)) return(list(span = phrases))
  list(spans = phrases)
}

# What is added to measures must be added to those there are.
check_step_measures <- function(steps, measures) {
  known <- names(measures %||% list(entries = "entries()"))
  if (any(!nzchar(known))) return(invisible())
  for (step in steps) {
    if (step$m %in% known || step$verb == "sort_rows") next
    flag <- names(step_flags())[step_flags() == step$verb]
    refuse_call(c(sprintf("`%s` names `%s`, which is not a measure of the call.", flag, step$m),
                  i = nearest_hint(step$m, known), i = sprintf("There are: %s.", listed(known))))
  }
}

# Options that would do nothing are refused.
check_idle_rows <- function(o) {
  if (!is.null(o$back_test)) for (flag in c(figure = "--figure", across = "--across")) {
    if (!is.null(o[[sub("--", "", flag)]]))
      refuse_call(sprintf("`--back-test` has a table and a figure of its own, without `%s`.", flag))
  }
  idle <- function(flag, needs) refuse_call(sprintf("`%s` does nothing without `%s`.", flag, needs))
  if (o$list_all && is.null(o$by)) idle("--list-all", "--by")
  if (identical(o$anchor, "group") && is.null(o$by)) idle("--anchor group", "--by")
  if (isTRUE(o$lines) && is.null(o$across)) idle("--lines", "--across")
}

# Options of figures and workbooks go with the files they are for.
check_drawing <- function(o) {
  ending <- if (is.null(o$out)) "" else lower_text(tools::file_ext(o$out))
  drawn <- ending %in% c("png", "svg", "pdf", "html")
  # What goes across in a table may be named by --draw too; titles are of pages and workbooks as
  # well.
  elsewhere <- c(if (ending == "xlsx") "--title", if (!is.null(o$across)) "--draw")
  flags <- setdiff(c("--figure", figure_flags(), "--size"), elsewhere)
  for (flag in if (!drawn) flags_typed(o, flags)) {
    refuse_call(sprintf("`%s` goes with `--out` FILE that ends in .png, .svg, .pdf or .html.",
                        flag))
  }
  of_workbooks <- field_flags("write_workbook")[c("sheet_per", "subtotals")]
  for (flag in if (ending != "xlsx") flags_typed(o, of_workbooks)) {
    refuse_call(sprintf("`%s` goes with `--out` FILE that ends in .xlsx.", flag))
  }
  for (flag in if (!is.null(o$across)) flags_typed(o, of_workbooks)) {
    refuse_call(sprintf("`%s` applies to statements, not to comparisons.", flag))
  }
  if (!is.null(o$size) && ending == "html")
    refuse_call("`--size` applies to a figure in a file of its own: .png, .svg or .pdf.")
  kinds <- names(figure_kinds())
  if (!is.null(o$figure) && !o$figure %in% kinds) {
    refuse_call(c(sprintf("There is no figure \"%s\".", o$figure),
                  i = nearest_hint(o$figure, kinds), i = sprintf("There are: %s.", listed(kinds))))
  }
  rlang::local_options(rollingledger.flags = list(size = "--size"))
  as_call_problem(figure_size(o$size))
}

# What is shown of a statement: its table, a cross table, a figure, or a page of figure and table.
statement_item <- function(s, o) {
  ending <- if (is.null(o$out) || o$out == "-") "" else lower_text(tools::file_ext(o$out))
  table <- list(what = "table", of = "s")
  if (!is.null(o$back_test)) return(back_test_item(s, o, ending))
  if (!is.null(o$across)) {
    table <- list(what = "cross_table", of = "s",
                  record = c(list(show = "cross_table", across = o$across),
                             list(draw = split_commas(o$draw),
                                  down = if (o$lines) "figures")))
    table$record <- Filter(Negate(is.null), table$record)
  }
  if (ending %in% figure_endings) return(c(figure_item(s, o), list(size = o$size)))
  if (ending == "html") {
    figure <- if (is.null(o$across) && nrow(s) > 0) page_figure_item(s, o)
    if (!is.null(figure)) figure$heading <- page_heading(s)
    return(list(what = "page", title = o$title, content = Filter(Negate(is.null),
                                                                 list(figure, table))))
  }
  if (ending == "xlsx") table$title <- o$title
  if (ending == "xlsx" && is.null(o$across)) {
    table$book <- typed_fields(o, "write_workbook", only = c("sheet_per", "subtotals"))
  }
  table
}

# The tests of what is expected: a table, their figure, or a page of both.
back_test_item <- function(s, o, ending) {
  item <- function(verb) list(what = verb, of = "s", record = list(show = verb, m = o$back_test))
  figure <- item("figure_back_test")
  if (ending %in% figure_endings) return(c(figure, list(size = o$size)))
  if (ending != "html") return(item("back_test"))
  list(what = "page", title = o$title, content = list(figure, item("back_test")))
}

# The figure asked for, or the one that suits the statement.
figure_item <- function(s, o) {
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
  if (!is.null(drawn)) args[[if (several) "draw" else "m"]] <- drawn
  list(what = verb, of = "s", record = c(list(show = verb), args))
}

# A figure that was not asked for is left out where the statement has none that suits it.
page_figure_item <- function(s, o) {
  o["title"] <- list(NULL)  # it is the page's
  if (length(flags_typed(o, c("--figure", figure_flags()))) > 0) return(figure_item(s, o))
  tryCatch({
    item <- figure_item(s, o)
    item_result(item, list(s = s))
    item
  }, rollingledger_error = function(e) NULL)
}

page_title <- function(s) {
  if (has_parts(s)) s <- s[[length(s)]]
  plan <- statement_info(s)
  if (is.null(plan)) return("Statement")
  paste("Statement of", source_facts(plan_ledger(plan))$label)
}
