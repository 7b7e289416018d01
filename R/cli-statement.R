# rolling-ledger statement

statement_options <- function() {
  list(
    cli_option("--on", "date column, or NAME=COLUMN; the first is the default, more may follow", "COLUMN", many = TRUE),
    cli_option("--use", "which date basis counts, where --on names several", "NAME"),
    cli_option("--per", "grain: day, week, month, quarter, year, or 'fiscal month', 'fiscal quarter', 'fiscal year'", "GRAIN"),
    cli_option("--by", "attribute to group by; may be repeated, or A,B", "COLUMN", many = TRUE),
    cli_option("--measure", "NAME=EXPRESSION, such as 'income=total(fare)'; may be repeated [entries()]", "MEASURE", many = TRUE),
    cli_option("--span", "all, a point (2026, 2026-08, 2026-W35, FY2027-Q2, ...) or FROM/TO [all]", "SPAN"),
    cli_option("--where", "condition on entries, such as 'channel == \"web\" & fare > 0'", "CONDITION"),
    cli_option("--running", "measure to add a running figure of; may be repeated", "MEASURE", many = TRUE),
    cli_option("--since", "where running figures start: start, 'fiscal year', year, quarter, month, week, ... [start]", "UNIT"),
    cli_switch("--list-all", "keep members without entries, with zero"),
    cli_option("--partial", "flag or drop periods that are not wholly covered [flag]", "WORD"),
    cli_option("--as-of", "the day up to which entries count, such as 2026-08-31", "DAY"),
    cli_option("--fiscal-start", "month in which the fiscal year starts [January]", "MONTH"),
    cli_option("--fiscal-label", "name fiscal years by their end or their start [end]", "WORD"),
    cli_option("--week-start", "weekday on which weeks start [Monday]", "WEEKDAY"),
    cli_option("--date-format", "how dates are written, such as %d/%m/%Y", "FORMAT"),
    cli_option("--time-zone", "time zone of date-times, such as UTC", "ZONE"),
    cli_option("--amount", "column that must be numbers; other rows are set aside; may be repeated", "COLUMN", many = TRUE),
    cli_option("--code", "column to keep as text; may be repeated", "COLUMN", many = TRUE),
    cli_option("--unit", "COLUMN=UNIT, such as fare=EUR; may be repeated", "UNIT", many = TRUE),
    cli_option("--out", "write to FILE, by its ending: .csv .tsv .html .png .svg .pdf", "FILE"),
    cli_option("--title", "title of the page or figure", "TEXT"),
    cli_switch("--overwrite", "replace FILE if it exists")
  )
}

cli_statement <- function(parsed) {
  o <- parsed$options
  if (length(parsed$args) != 1) {
    refuse_call(c(sprintf("`statement` takes one FILE, not %d.", length(parsed$args)), i = "See rolling-ledger statement --help."))
  }
  if (is.null(o$on)) {
    refuse_call(c("`--on` is missing: which column holds the date that counts?", i = "For example --on sailed_on."))
  }
  if (!is.null(o$out)) cli_check_out(o)
  x <- ledger(
    parsed$args, on = named_pairs(split_commas(o$on)), as_of = o$as_of, units = named_pairs(o$unit, "--unit"),
    amounts = split_commas(o$amount), codes = split_commas(o$code), date_format = o$date_format, time_zone = o$time_zone,
    calendar = ledger_calendar(o$fiscal_start %||% "January", o$fiscal_label %||% "end", o$week_start %||% "Monday")
  )
  cli_report_aside(x)
  measures <- as.list(named_pairs(o$measure))
  s <- statement(x, per = o$per, by = split_commas(o$by), !!!measures, span = o$span %||% "all", on = o$use,
                 where = !!o$where, list_all = o$list_all, partial = o$partial %||% "flag")
  for (m in split_commas(o$running)) s <- add_running(s, !!m, since = o$since %||% "start")
  cli_hand_over(s, o)
}

split_commas <- function(x) if (!is.null(x)) trimws(unlist(strsplit(x, ",", fixed = TRUE)))

# c("income=total(fare)") as c(income = "total(fare)"). Without `flag` the name may be left out;
# a comparison's == is no name.
named_pairs <- function(x, flag = NULL) {
  if (is.null(x)) return(NULL)
  named <- grepl("^[A-Za-z.][A-Za-z0-9._]*\\s*=[^=]", x)
  if (!is.null(flag) && !all(named)) refuse_call(sprintf("`%s` takes NAME=VALUE, not \"%s\".", flag, x[!named][1]))
  values <- trimws(ifelse(named, sub("^[^=]*=", "", x), x))
  stats::setNames(values, ifelse(named, trimws(sub("=.*$", "", x)), ""))
}

cli_kinds <- c("csv", "tsv", "html", "png", "svg", "pdf")

# A wrong target is told before any work is done.
cli_check_out <- function(o) {
  tryCatch({
    file_kind(o$out, cli_kinds)
    check_target(o$out, o$overwrite)
  }, rollingledger_error_file = function(e) refuse_call(c(e$message, e$body)))
}

cli_report_aside <- function(x) {
  aside <- x$aside[x$aside$kept_out_of == "every figure", ]
  if (nrow(aside) == 0) return(invisible())
  cli_say(sprintf("%s of %s set aside:", number_text(nrow(aside)), count_text(x$read, "entry", "entries")))
  some <- utils::head(aside, 5)
  cli_say(sprintf("  row %s: %s in %s%s", number_text(some$row), some$reason, some$column,
                  ifelse(is.na(some$value), "", sprintf(" (\"%s\")", some$value))))
  if (nrow(aside) > 5) cli_say(sprintf("  and %s more", number_text(nrow(aside) - 5)))
  cli_say("")
}

cli_hand_over <- function(s, o) {
  if (is.null(o$out)) return(print(s))
  switch(file_kind(o$out, cli_kinds),
    csv = , tsv = write_statement(s, o$out, o$overwrite),
    html = write_report(s, file = o$out, title = o$title %||% paste("Statement of", attr(s, "plan")$x$source), overwrite = o$overwrite),
    write_figure(figure_trend(s, title = o$title), o$out, o$overwrite)
  )
  cli_say("Wrote ", o$out)
}
