# How files become a ledger: options that commands share, and the record they come to.

calendar_options <- function() in_group("The calendar", field_options("ledger_calendar"))

ledger_options <- function(needed = TRUE) {
  options <- c(field_options("ledger"), list(
    cli_option("--lookup", paste(
      "KEY=FILE: a table whose columns are joined to the entries by KEY, or KEY:THEIRS=FILE where",
      "it is called otherwise there; may be repeated"), "LOOKUP", many = TRUE),
    source_option()
  ))
  in_group("The entries", if (needed) options else not_needed(options))
}

source_option <- function() {
  cli_option("--source", paste(
    "a database instead of FILE: postgres://user@host/database, clickhouse://user@host/database,",
    "sqlite:///PATH or duckdb:///PATH, with ?table=NAME; passwords from PGPASSWORD, ~/.pgpass or",
    "CLICKHOUSE_PASSWORD"), "ADDRESS")
}

# The record of the ledger that a call asks for, as questions tell it.
cli_ledger_record <- function(parsed, command) {
  o <- parsed$options
  if (length(parsed$args) == 0) {
    refuse_call(c(sprintf("`%s` takes a FILE, or several of one layout.", command),
                  i = sprintf("See rolling-ledger %s --help.", command)))
  }
  named_pairs(o$unit, "--unit")
  calendar <- typed_fields(o, "ledger_calendar")
  check_typed_calendar(o, calendar)
  c(list(file = parsed$args), typed_fields(o, "ledger"),
    list(calendar = if (length(calendar) > 0) calendar, steps = lookup_steps(o$lookup)))
}

# Settings of the calendar that would do nothing, or contradict each other.
check_typed_calendar <- function(o, calendar) {
  in_words_of_options("ledger_calendar", as_call_problem({
    if (is.null(calendar$periods)) rlang::exec(ledger_calendar, !!!calendar)
  }))
  fiscal <- setdiff(names(calendar), "fiscal_label")
  if (!is.null(calendar$fiscal_label) && !any(c("fiscal_start", "pattern") %in% fiscal))
    refuse_call(c("`--fiscal-label` does nothing where fiscal years start in January.",
                  i = "Say --fiscal-start too."))
}

cli_calendar <- function(o) {
  calendar <- typed_fields(o, "ledger_calendar")
  check_typed_calendar(o, calendar)
  in_words_of_options("ledger_calendar", calendar_of_record(calendar, list(), NULL))
}

# Tables to be joined, as steps of a ledger.
lookup_steps <- function(typed) {
  lookups <- named_pairs(typed, "--lookup")
  lapply(seq_along(lookups), function(i) {
    key <- names(lookups)[i]
    both <- regmatches(key, regexec("^(.+):([^:]+)$", key))[[1]]
    list(verb = "add_attributes", table = list(file = lookups[[i]]),
         key = if (length(both) > 0) stats::setNames(both[3], both[2]) else key)
  })
}

# The ledger of a record; rows set aside are told. What measures and conditions
# take as amounts is read as such.
# `part` is what will be asked; where entries themselves are to be shown, all columns are needed.
cli_ledger <- function(record, part, whole = FALSE) {
  measured <- measured_names(texts_of_parts(list(part)))
  spoken <- if (!whole && length(record$steps) == 0) spoken_of(record, part)
  x <- in_words_of_options(c("ledger", "ledger_calendar"), {
    ledger_of_record(record, measured = measured, spoken = spoken, call = NULL)
  })
  cli_report_aside(x)
  x
}

# What a call speaks of: list(texts, names), all texts of its record, and those names in it that
# must be columns.
spoken_of <- function(record, part) {
  asked <- c(list(part$statement), part$show)
  expressions <- lapply(texts_of_parts(list(part)), function(text) {
    tryCatch(all.names(text_expression(text), functions = FALSE), error = function(e) text)
  })
  known <- unlist(lapply(asked, function(one) names(one$measures)))
  by <- unlist(lapply(asked, function(one) c(one$by, one$member)))
  names <- setdiff(c(unlist(expressions), by), c(known, names(calendar_parts)))
  own <- unlist(record[c("on", "until", "amounts", "codes")])
  list(texts = c(unlist(record), names(unlist(record)), unlist(asked), names),
       names = unique(c(names, own, names(record$units))))
}

# The call lacks its date column: those that could be it are named.
refuse_without_date <- function(parsed) {
  o <- parsed$options
  could_be <- in_words_of_options("ledger", {
    could_be_text(rows_to_look_at(parsed$args, typed_fields(o, "ledger"), NULL))
  })
  refuse_call(c("`--on` is missing: which column holds the date that counts?", i = could_be))
}

cli_report_aside <- function(x) {
  aside <- source_set_aside(x)
  aside <- aside[aside$kept_out_of == "every figure", ]
  if (nrow(aside) == 0) return(invisible())
  facts <- source_facts(x)
  cli_say(sprintf("%s of %s set aside:", number_text(nrow(aside)),
                  count_text(facts$counts$read, "entry", "entries")))
  some <- utils::head(aside, 5)
  cli_say(paste(sprintf(
    "  %s%s %s: %s%s%s", if ("file" %in% names(some)) paste0(some$file, ", ") else "",
    facts$rows_are, row_text(some$row), some$reason,
    ifelse(is.na(some$column), "", paste(" in", some$column)),
    ifelse(is.na(some$value), "", sprintf(" (\"%s\")", some$value))), collapse = "\n"))
  if (nrow(aside) > 5) {
    cli_say(sprintf("  and %s more; `rolling-ledger check FILE --set-aside OTHER` lists them",
                    number_text(nrow(aside) - 5)))
  }
  cli_say("")
}
