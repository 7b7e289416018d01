# rolling-ledger entries

entries_options <- function() {
  options_once(c(
    list(cli_option("--of", "what tells the row: period=2026-08, ATTRIBUTE=MEMBER; may be repeated",
                    "KEY=VALUE", many = TRUE)),
    field_options("entries_behind"), row_options(), step_options(), ledger_options(),
    calendar_options(), hand_over_options()
  ))
}

cli_entries <- function(parsed) {
  o <- parsed$options
  cli_check_out(parsed, table_endings())
  args <- typed_fields(o, "entries_behind")
  s <- cli_made_statement(parsed, "entries", typed_steps(parsed$typed))
  told <- named_pairs(o$of, "--of")
  cli_hand_over(in_words_of_options("entries_behind", {
    entries_behind(s, !!!as.list(told), figure = !!args$figure, row = args$row)
  }), o)
}
