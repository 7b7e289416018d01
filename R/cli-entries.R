# rolling-ledger entries

entries_options <- function() {
  of <- cli_option("--of", paste("what tells the row: period=2026-08, ATTRIBUTE=MEMBER; may be",
                                 "repeated"), "KEY=VALUE", many = TRUE)
  options_once(c(
    in_group("The figure", c(list(of), field_options("entries_behind"))), row_options(),
    ledger_options(), step_options(), calendar_options(), output_options()
  ))
}

cli_entries <- function(parsed) {
  o <- parsed$options
  told <- named_pairs(o$of, "--of")
  args <- typed_fields(o, "entries_behind")
  record <- c(list(show = "entries_behind"), args, list(of = as.list(told)))
  if (length(told) == 0) record$of <- NULL
  cli_answer(parsed, cli_part(parsed),
             function(s) list(what = "entries_behind", of = "s", record = record), "entries")
}
