# How a file becomes a ledger: options that commands share.

calendar_options <- function() field_options("ledger_calendar")

cli_calendar <- function(o) {
  in_words_of_options("ledger_calendar", {
    rlang::exec(ledger_calendar, !!!typed_fields(o, "ledger_calendar"))
  })
}

ledger_options <- function() {
  c(field_options("ledger"), list(
    cli_option("--lookup",
               "KEY=FILE: a CSV whose columns are joined to the entries by KEY; may be repeated",
               "LOOKUP", many = TRUE)
  ))
}

# The FILE of a call, or several of one layout, and its options, as a ledger; rows set aside are
# told. What the measures of the call add up is read as amounts.
cli_ledger <- function(parsed, command) {
  o <- parsed$options
  if (length(parsed$args) == 0) {
    refuse_call(c(sprintf("`%s` takes a FILE, or several of one layout.", command),
                  i = sprintf("See rolling-ledger %s --help.", command)))
  }
  if (is.null(o$on)) refuse_without_date(parsed)
  named_pairs(o$unit, "--unit")
  lookups <- named_pairs(o$lookup, "--lookup")
  calendar <- cli_calendar(o)
  x <- in_words_of_options(c("ledger", "ledger_calendar"), {
    asked <- typed_fields(o, "ledger")
    given <- utils::modifyList(lapply(fields_of("ledger"), function(one) one$default),
                               c(asked, list(calendar = calendar)))
    ledger_of_files(parsed$args, given, c(asked, list(calendar = calendar)),
                    measured = measured_names(named_pairs(o$measure)), call = NULL)
  })
  cli_report_aside(x)
  for (key in names(lookups)) x <- add_attributes(x, lookups[[key]], key)
  x
}

# Names of columns in measures, as far as their text can be read.
measured_names <- function(texts) {
  expressions <- lapply(texts, function(text) {
    tryCatch(text_expression(text), error = function(e) NULL)
  })
  unique(unlist(lapply(expressions, amounts_named)))
}

# The call lacks its date column: those that could be it are named.
refuse_without_date <- function(parsed) {
  o <- parsed$options
  could_be <- in_words_of_options("ledger", {
    given <- typed_fields(o, "ledger")
    could_be_text(read_table_files(parsed$args, file_ask_of(given, NULL), NULL)$table)
  })
  refuse_call(c("`--on` is missing: which column holds the date that counts?", i = could_be))
}

split_commas <- function(x) if (!is.null(x)) trimws(unlist(strsplit(x, ",", fixed = TRUE)))

# c("income=total(fare)") as c(income = "total(fare)"). Without `flag` the name may be left out;
# a comparison's == is no name.
named_pairs <- function(x, flag = NULL) {
  if (is.null(x)) return(NULL)
  named <- grepl("^[A-Za-z.][A-Za-z0-9._ ]*\\s*=[^=]", x)
  if (!is.null(flag) && !all(named))
    refuse_call(sprintf("`%s` takes NAME=VALUE, not \"%s\".", flag, x[!named][1]))
  values <- trimws(ifelse(named, sub("^[^=]*=", "", x), x))
  stats::setNames(values, ifelse(named, trimws(sub("=.*$", "", x)), ""))
}

cli_report_aside <- function(x) {
  aside <- source_set_aside(x)
  aside <- aside[aside$kept_out_of == "every figure", ]
  if (nrow(aside) == 0) return(invisible())
  facts <- source_facts(x)
  cli_say(sprintf("%s of %s set aside:", number_text(nrow(aside)),
                  count_text(facts$counts$read, "entry", "entries")))
  some <- utils::head(aside, 5)
  cli_say(sprintf("  %s%s %s: %s%s%s", if ("file" %in% names(some)) paste0(some$file, ", ") else "",
                  facts$rows_are, number_text(some$row), some$reason,
                  ifelse(is.na(some$column), "", paste(" in", some$column)),
                  ifelse(is.na(some$value), "", sprintf(" (\"%s\")", some$value))))
  if (nrow(aside) > 5) {
    cli_say(sprintf("  and %s more; `rolling-ledger check FILE --set-aside OTHER` lists them",
                    number_text(nrow(aside) - 5)))
  }
  cli_say("")
}
