# Options that commands share: the calendar, the as-of day, and how a file becomes a ledger.

calendar_options <- function() {
  list(
    cli_option("--as-of", "the day up to which entries count, such as 2026-08-31", "DAY"),
    cli_option("--fiscal-start", "month in which the fiscal year starts [January]", "MONTH"),
    cli_option("--fiscal-label", "name fiscal years by their end or their start [end]", "WORD"),
    cli_option("--week-start", "weekday on which weeks start [Monday]", "WEEKDAY"),
    cli_option("--weeks", "number weeks by the rule iso, january (week 1 holds 1 January) or whole [iso]", "RULE"),
    cli_option("--pattern", "fiscal years of 52 or 53 weeks: 4-4-5, 4-5-4 or 5-4-4", "PATTERN"),
    cli_option("--year-end", "with --pattern: 'last Saturday' or 'nearest Saturday' (any weekday)", "RULE"),
    cli_option("--week-53", "with --pattern: fiscal month that gets the 53rd week [12]", "NUMBER"),
    cli_option("--periods", "CSV with from, to, label and perhaps quarter, year: a table of fiscal periods", "FILE"),
    cli_option("--holiday", "day without work, or NAME=DAY; may be repeated, or A,B", "DAY", many = TRUE)
  )
}

cli_calendar <- function(o) {
  holidays <- named_pairs(split_commas(o$holiday))
  ledger_calendar(
    o$fiscal_start %||% "January", o$fiscal_label %||% "end", o$week_start, o$weeks %||% "iso", o$pattern, o$year_end,
    o$week_53, if (!is.null(o$periods)) read_periods_file(o$periods), holidays
  )
}

read_periods_file <- function(file) {
  if (!file.exists(file)) refuse("source", sprintf("There is no file %s.", file), call = NULL)
  data.table::fread(file, colClasses = "character", data.table = FALSE, na.strings = "")
}

ledger_options <- function() {
  list(
    cli_option("--on", "date column, or NAME=COLUMN; the first is the default, more may follow", "COLUMN", many = TRUE),
    cli_option("--use", "which date basis counts, where --on names several", "NAME"),
    cli_option("--until", "column that says when entries end, for active()", "COLUMN"),
    cli_option("--lookup", "KEY=FILE: a CSV whose columns are joined to the entries by KEY; may be repeated", "LOOKUP", many = TRUE),
    cli_option("--date-format", "how dates are written, such as %d/%m/%Y", "FORMAT"),
    cli_option("--time-zone", "time zone of date-times, such as UTC", "ZONE"),
    cli_option("--amount", "column that must be numbers; other rows are set aside; may be repeated", "COLUMN", many = TRUE),
    cli_option("--code", "column to keep as text; may be repeated", "COLUMN", many = TRUE),
    cli_option("--unit", "COLUMN=UNIT, such as fare=EUR; may be repeated", "UNIT", many = TRUE)
  )
}

# The one FILE of a call and its options, as a ledger; rows set aside are told.
cli_ledger <- function(parsed, command) {
  o <- parsed$options
  if (length(parsed$args) != 1) {
    refuse_call(c(sprintf("`%s` takes one FILE, not %d.", command, length(parsed$args)), i = sprintf("See rolling-ledger %s --help.", command)))
  }
  if (is.null(o$on)) {
    refuse_call(c("`--on` is missing: which column holds the date that counts?", i = "For example --on sailed_on."))
  }
  x <- ledger(
    parsed$args, on = named_pairs(split_commas(o$on)), until = o$until, as_of = o$as_of, units = named_pairs(o$unit, "--unit"),
    amounts = split_commas(o$amount), codes = split_commas(o$code), date_format = o$date_format, time_zone = o$time_zone,
    calendar = cli_calendar(o)
  )
  cli_report_aside(x)
  lookups <- named_pairs(o$lookup, "--lookup")
  for (key in names(lookups)) x <- add_attributes(x, read_table_file(lookups[[key]]), key)
  x
}

split_commas <- function(x) if (!is.null(x)) trimws(unlist(strsplit(x, ",", fixed = TRUE)))

# c("income=total(fare)") as c(income = "total(fare)"). Without `flag` the name may be left out;
# a comparison's == is no name.
named_pairs <- function(x, flag = NULL) {
  if (is.null(x)) return(NULL)
  named <- grepl("^[A-Za-z.][A-Za-z0-9._ ]*\\s*=[^=]", x)
  if (!is.null(flag) && !all(named)) refuse_call(sprintf("`%s` takes NAME=VALUE, not \"%s\".", flag, x[!named][1]))
  values <- trimws(ifelse(named, sub("^[^=]*=", "", x), x))
  stats::setNames(values, ifelse(named, trimws(sub("=.*$", "", x)), ""))
}

cli_report_aside <- function(x) {
  aside <- source_set_aside(x)
  aside <- aside[aside$kept_out_of == "every figure", ]
  if (nrow(aside) == 0) return(invisible())
  cli_say(sprintf("%s of %s set aside:", number_text(nrow(aside)), count_text(source_facts(x)$counts$read, "entry", "entries")))
  some <- utils::head(aside, 5)
  cli_say(sprintf("  row %s: %s in %s%s", number_text(some$row), some$reason, some$column,
                  ifelse(is.na(some$value), "", sprintf(" (\"%s\")", some$value))))
  if (nrow(aside) > 5) cli_say(sprintf("  and %s more", number_text(nrow(aside) - 5)))
  cli_say("")
}
