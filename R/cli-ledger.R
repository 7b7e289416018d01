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

# The one FILE of a call and its options, as a ledger; rows set aside are told.
cli_ledger <- function(parsed, command) {
  o <- parsed$options
  if (length(parsed$args) != 1) {
    refuse_call(c(sprintf("`%s` takes one FILE, not %d.", command, length(parsed$args)),
                  i = sprintf("See rolling-ledger %s --help.", command)))
  }
  if (is.null(o$on)) {
    refuse_call(c("`--on` is missing: which column holds the date that counts?",
                  i = "For example --on sailed_on."))
  }
  named_pairs(o$unit, "--unit")
  lookups <- named_pairs(o$lookup, "--lookup")
  calendar <- cli_calendar(o)
  x <- in_words_of_options(c("ledger", "ledger_calendar"), {
    rlang::exec(ledger, parsed$args, !!!typed_fields(o, "ledger"), calendar = calendar)
  })
  cli_report_aside(x)
  for (key in names(lookups)) x <- add_attributes(x, lookups[[key]], key)
  x
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
  cli_say(sprintf("%s of %s set aside:", number_text(nrow(aside)),
                  count_text(source_facts(x)$counts$read, "entry", "entries")))
  some <- utils::head(aside, 5)
  cli_say(sprintf("  row %s: %s in %s%s", number_text(some$row), some$reason, some$column,
                  ifelse(is.na(some$value), "", sprintf(" (\"%s\")", some$value))))
  if (nrow(aside) > 5) cli_say(sprintf("  and %s more", number_text(nrow(aside) - 5)))
  cli_say("")
}
