# rolling-ledger statement

statement_options <- function() {
  c(list(
      cli_option("--across", "put side by side: span, period or an attribute", "WORD"),
      cli_switch("--lines", "with --across: a line per figure down the page"),
      cli_option("--reconcile", "CSV to reconcile the first figure with", "FILE"),
      cli_option("--key", "with --reconcile: COLUMN of both, or KEY=COLUMN such as period=received_on; may be repeated", "KEY", many = TRUE),
      cli_option("--value", "with --reconcile: its column of amounts", "COLUMN"),
      cli_option("--tolerance", "with --reconcile: differences that still match [0]", "NUMBER")
    ), row_options(), verb_options(), drawing_options(), ledger_options(), figure_options(), calendar_options(), hand_over_options())
}

# Which rows a statement has.
row_options <- function() {
  list(
    cli_option("--per", "grain: day, week, month, quarter, year, or 'fiscal week', 'fiscal month', 'fiscal quarter', 'fiscal year'", "GRAIN"),
    cli_option("--span", "phrase such as 'last 12 months' or 2026-Q3; NAME=PHRASE, repeated, for a row each [all]", "PHRASE", many = TRUE),
    cli_option("--anchor", "hang relative spans on the ledger's as-of day or on each group's latest entry [ledger]", "WORD"),
    cli_option("--partial", "flag or drop periods that are not wholly covered [flag]", "WORD"),
    cli_option("--totals", "rows of totals over attributes (by), periods (period), both or none [none]", "WORD")
  )
}

# What is added to the figures.
verb_options <- function() {
  list(
    cli_option("--running", "measure to add a running figure of; may be repeated", "MEASURE", many = TRUE),
    cli_option("--since", "where running figures start: start, 'fiscal year', year, quarter, month, week, ... [start]", "UNIT"),
    cli_option("--rolling", "measure to add a rolling figure of; may be repeated", "MEASURE", many = TRUE),
    cli_option("--over", "lengths of rolling figures: '30 days', '3 months', ...; may be repeated [30 days]", "LENGTH", many = TRUE),
    cli_option("--stat", "of each unit of rolling figures: average, smallest, largest; or total [total]", "WORD"),
    cli_option("--change", "measure to compare with earlier days; may be repeated", "MEASURE", many = TRUE),
    cli_option("--from", "what changes are from: 'period before', 'N units back' or a phrase [period before]", "WHEN"),
    cli_option("--share", "measure to add a share of, in per cent of all groups in the row's days; may be repeated", "MEASURE", many = TRUE),
    cli_option("--per-day", "measure to add the average per working day of; may be repeated", "MEASURE", many = TRUE),
    cli_option("--target", "MEASURE=FILE: a CSV of targets by period and attributes", "TARGET", many = TRUE),
    cli_option("--rank", "measure to rank by", "MEASURE"),
    cli_option("--within", "what is ranked together: period, span or an attribute [period]", "WORD"),
    cli_option("--keep", "ranks to keep", "NUMBER"),
    cli_option("--rest", "with --keep: name of a row for all others", "TEXT")
  )
}

# What is worked out, and of which entries.
figure_options <- function() {
  list(
    cli_option("--by", "attribute to group by; may be repeated, or A,B", "COLUMN", many = TRUE),
    cli_option("--measure", "NAME=EXPRESSION, such as 'income=total(fare)'; may be repeated [entries()]", "MEASURE", many = TRUE),
    cli_option("--where",
               "condition on entries, such as 'channel == \"web\" & fare > 0'; of several all must hold", "CONDITION", many = TRUE),
    cli_switch("--list-all", "keep members without entries, with zero")
  )
}

# How it is drawn, and how a workbook is cut.
drawing_options <- function() {
  list(
    cli_option("--figure", sprintf("with --out .png .svg .pdf or .html, the figure to draw: %s [what suits the statement]", paste(names(figure_kinds()), collapse = ", ")), "KIND"),
    cli_option("--draw", "column of figures to draw; may be repeated [the first]", "COLUMN", many = TRUE),
    cli_option("--panels", "a small panel for each member of this attribute", "COLUMN"),
    cli_switch("--average", "with figures of trends, columns and years: a line at the average"),
    cli_option("--size", "of a figure in pixels (96 an inch), WIDTHxHEIGHT [1280x800]", "SIZE"),
    cli_option("--sheet-per", "with --out .xlsx, an attribute with a sheet for each of its values", "COLUMN")
  )
}

hand_over_options <- function() {
  list(
    cli_option("--out", "write to FILE, by its ending: .csv .tsv .json .parquet .html, of statements also .xlsx .png .svg .pdf", "FILE"),
    cli_option("--title", "title of the page or figure", "TEXT"),
    cli_switch("--overwrite", "replace FILE if it exists")
  )
}

cli_statement <- function(parsed) {
  o <- parsed$options
  plain <- is.null(o$across) && is.null(o$reconcile)
  cli_check_out(parsed, if (plain) c(file_endings, "xlsx", "png", "svg", "pdf") else file_endings)
  cli_check_drawing(o)
  numbers <- cli_numbers(o)
  s <- cli_made_statement(parsed, "statement", numbers)
  if (!is.null(o$reconcile)) {
    keys <- named_pairs(split_commas(o$key))
    if (!is.null(keys)) keys <- stats::setNames(keys, ifelse(names(keys) == "", keys, names(keys)))
    s <- reconcile(s, read_table_file(o$reconcile), by = keys, value = o$value, tolerance = numbers$tolerance %||% 0)
  } else if (!is.null(o$across)) {
    s <- cross_table(s, o$across, down = if (o$lines) "figures" else "groups")
  }
  cli_hand_over(s, o)
}

# The statement that the options ask for, with all that they add to it.
cli_made_statement <- function(parsed, command, numbers) {
  o <- parsed$options
  x <- cli_ledger(parsed, command)
  asked <- cli_asked_spans(o)
  s <- statement(x, per = o$per, by = split_commas(o$by), !!!as.list(named_pairs(o$measure)), span = asked$span, spans = asked$spans, on = o$use,
                 where = !!cli_where(o), list_all = o$list_all, partial = o$partial %||% "flag", totals = o$totals %||% "none", anchor = o$anchor %||% "ledger")
  for (m in split_commas(o$running)) s <- add_running(s, !!m, since = o$since %||% "start")
  for (m in split_commas(o$rolling)) s <- add_rolling(s, !!m, over = split_commas(o$over) %||% "30 days", stat = o$stat %||% "total")
  for (m in split_commas(o$change)) s <- add_change(s, !!m, from = o$from %||% "period before")
  for (m in split_commas(o$share)) s <- add_share(s, !!m)
  for (m in split_commas(o$per_day)) s <- add_per_day(s, !!m)
  targets <- named_pairs(o$target, "--target")
  for (m in names(targets)) s <- add_target(s, !!m, read_table_file(targets[[m]]))
  if (!is.null(o$rank)) s <- add_rank(s, !!o$rank, within = o$within %||% "period", keep = numbers$keep, rest = o$rest)
  else if (!is.null(o$keep) || !is.null(o$rest) || !is.null(o$within)) refuse_call("`--keep`, `--rest` and `--within` go with `--rank`.")
  s
}

# Tables of every kind can be written as these.
file_endings <- c("csv", "tsv", "json", "parquet", "html")

# Options of figures and workbooks go with the files they are for.
cli_check_drawing <- function(o) {
  ending <- if (is.null(o$out)) "" else lower_text(tools::file_ext(o$out))
  drawn <- ending %in% c("png", "svg", "pdf", "html")
  for (name in c("figure", "draw", "panels", "size")) {
    if (!is.null(o[[name]]) && !drawn) refuse_call(sprintf("`--%s` goes with `--out` FILE that ends in .png, .svg, .pdf or .html.", name))
  }
  if (o$average && !drawn) refuse_call("`--average` goes with `--out` FILE that ends in .png, .svg, .pdf or .html.")
  if (!is.null(o$sheet_per) && ending != "xlsx") refuse_call("`--sheet-per` goes with `--out` FILE that ends in .xlsx.")
  if (!is.null(o$size) && ending == "html") refuse_call("`--size` is of a figure in a file of its own: .png, .svg or .pdf.")
  kinds <- names(figure_kinds())
  if (!is.null(o$figure) && !o$figure %in% kinds) {
    refuse_call(c(sprintf("There is no figure \"%s\".", o$figure), i = nearest_hint(o$figure, kinds), i = sprintf("There are: %s.", listed(kinds))))
  }
  cli_size(o$size)
}

cli_size <- function(text) {
  if (is.null(text)) return(c(1280, 800))
  size <- suppressWarnings(as.numeric(strsplit(text, "x", fixed = TRUE)[[1]]))
  if (length(size) != 2 || anyNA(size) || any(size < 200 | size > 10000)) {
    refuse_call(c(sprintf("`--size` \"%s\" is not understood.", text), i = "It is WIDTHxHEIGHT in pixels, each from 200 to 10000, such as 1280x800."))
  }
  size
}

# Options that are numbers.
cli_numbers <- function(o) {
  lapply(o[intersect(c("keep", "tolerance", "row"), names(Filter(Negate(is.null), o)))], function(text) {
    if (!is_plain_number(text)) refuse_call(sprintf("A number is wanted, not \"%s\".", text))
    as.numeric(text)
  })
}

# One phrase without a name is the span; others are spans of their own.
cli_asked_spans <- function(o) {
  phrases <- named_pairs(o$span)
  if (length(phrases) == 1 && names(phrases) == "") return(list(span = phrases[[1]]))
  list(span = "all", spans = phrases)
}

# A wrong target is told before any work is done.
cli_check_out <- function(parsed, kinds) {
  o <- parsed$options
  if (is.null(o$out)) return(invisible())
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
    xlsx = write_workbook(s, o$out, sheet_per = o$sheet_per, title = o$title, overwrite = o$overwrite),
    write_figure(cli_figure(s, o), o$out, o$overwrite, width = cli_size(o$size)[1], height = cli_size(o$size)[2])
  )
  cli_say("Wrote ", o$out)
}

# The figure asked for, or the one that suits the statement.
cli_figure <- function(s, o) {
  kind <- o$figure %||% suiting_figure(s)
  asked <- split_commas(o$draw)
  takes <- names(formals(figure_kinds()[[kind]]))
  args <- list()
  if (length(asked) > 0) {
    if ("..." %in% takes) args <- as.list(asked) else if (length(asked) == 1 && "m" %in% takes) args$m <- asked
    else refuse_call(sprintf("`--draw` does not go with the figure %s.", kind))
  }
  if (!is.null(o$panels)) args$panels <- o$panels
  if (isTRUE(o$average)) args$average <- TRUE
  wrong <- setdiff(names(args), c(takes, ""))
  if (length(wrong) > 0) refuse_call(sprintf("`--%s` does not go with the figure %s.", wrong[1], kind))
  args$title <- o$title
  rlang::exec(figure_kinds()[[kind]], s, !!!args)
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
  if (!is.null(o$figure) || !is.null(o$draw) || !is.null(o$panels) || isTRUE(o$average)) return(cli_figure(s, o))
  tryCatch(cli_figure(s, o), rollingledger_error = function(e) NULL)
}

page_title <- function(s) {
  plan <- attr(s, "plan")
  if (is.null(plan)) return("Statement")
  paste("Statement of", source_facts(plan_ledger(plan))$label)
}
