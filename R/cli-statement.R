# rolling-ledger statement

statement_options <- function() {
  c(list(
      cli_option("--across", "put side by side: span, period or an attribute", "WORD"),
      cli_switch("--lines", "with --across: a line per figure down the page"),
      cli_option("--reconcile", "CSV to reconcile the first figure with", "FILE"),
      cli_option("--key", "with --reconcile: COLUMN of both, or KEY=COLUMN such as period=received_on; may be repeated", "KEY", many = TRUE),
      cli_option("--value", "with --reconcile: its column of amounts", "COLUMN"),
      cli_option("--tolerance", "with --reconcile: differences that still match [0]", "NUMBER")
    ), row_options(), verb_options(), ledger_options(), figure_options(), calendar_options(), hand_over_options())
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
    cli_option("--where", "condition on entries, such as 'channel == \"web\" & fare > 0'", "CONDITION"),
    cli_switch("--list-all", "keep members without entries, with zero")
  )
}

hand_over_options <- function() {
  list(
    cli_option("--out", "write to FILE, by its ending: .csv .tsv .html .png .svg .pdf", "FILE"),
    cli_option("--title", "title of the page or figure", "TEXT"),
    cli_switch("--overwrite", "replace FILE if it exists")
  )
}

cli_statement <- function(parsed) {
  o <- parsed$options
  plain <- is.null(o$across) && is.null(o$reconcile)
  cli_check_out(o, if (plain) c("csv", "tsv", "html", "png", "svg", "pdf") else c("csv", "tsv"))
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
                 where = !!o$where, list_all = o$list_all, partial = o$partial %||% "flag", totals = o$totals %||% "none", anchor = o$anchor %||% "ledger")
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
cli_check_out <- function(o, kinds) {
  if (is.null(o$out)) return(invisible())
  tryCatch({
    file_kind(o$out, kinds)
    check_target(o$out, o$overwrite)
  }, rollingledger_error_file = function(e) refuse_call(c(e$message, e$body)))
}

cli_hand_over <- function(s, o) {
  if (is.null(o$out)) return(print(s))
  switch(tolower(tools::file_ext(o$out)),
    csv = , tsv = write_statement(s, o$out, overwrite = o$overwrite),
    html = write_report(s, file = o$out, title = o$title %||% paste("Statement of", attr(s, "plan")$x$source), overwrite = o$overwrite),
    write_figure(figure_trend(s, title = o$title), o$out, o$overwrite)
  )
  cli_say("Wrote ", o$out)
}
