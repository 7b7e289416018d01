# rolling-ledger check

check_options <- function() {
  options_once(c(
    field_options("check_ledger"),
    list(cli_switch("--all", "show every line of what is odd, and every column"),
         cli_option("--set-aside", "write the rows that were set aside to FILE (.csv, .tsv, ...)",
                    "FILE"),
         cli_option("--out", "write the first look as a page to FILE.html", "FILE"),
         cli_switch("--overwrite", "replace a file that is there")),
    ledger_options(), calendar_options()
  ))
}

cli_check <- function(parsed) {
  o <- parsed$options
  if (length(parsed$args) == 0) {
    refuse_call(c("`check` takes a FILE, or several of one layout.",
                  i = "See rolling-ledger check --help."))
  }
  cli_check_out(parsed, "html")
  if (!is.null(o$set_aside)) {
    aside <- parsed
    aside$options$out <- o$set_aside
    cli_check_out(aside, file_endings("write_statement"))
  }
  calendar <- cli_calendar(o)
  in_words_of_options("ledger", {
    asked <- c(typed_fields(o, "ledger"), list(calendar = calendar))
    made <- ledger_to_check(parsed$args, asked, call = NULL)
    x <- made$ledger
    lookups <- named_pairs(o$lookup, "--lookup")
    for (key in names(lookups)) x <- add_attributes(x, lookups[[key]], key)
    look <- checked_ledger(x, split_commas(o$key), made$could_be, NULL)
    writeLines(format(look, all = o$all))
    if (!is.null(o$set_aside)) {
      write_plain_table(look$set_aside, o$set_aside, o$overwrite)
      cli_say("Wrote ", o$set_aside)
    }
    if (!is.null(o$out)) {
      write_report(look, file = o$out, title = paste("First look at", source_facts(x)$label),
                   overwrite = o$overwrite)
      cli_say("Wrote ", o$out)
    }
  })
}
