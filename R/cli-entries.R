# rolling-ledger entries

entries_options <- function() {
  c(list(
      cli_option("--of", "what tells the row: period=2026-08, ATTRIBUTE=MEMBER; may be repeated", "KEY=VALUE", many = TRUE),
      cli_option("--row", "number of the row instead", "NUMBER"),
      cli_option("--figure", "the figure, by the name of its column [the first measure]", "NAME")
    ), row_options(), verb_options(), ledger_options(), figure_options(), calendar_options(), hand_over_options())
}

cli_entries <- function(parsed) {
  o <- parsed$options
  cli_check_out(parsed, file_endings)
  numbers <- cli_numbers(o)
  s <- cli_made_statement(parsed, "entries", numbers)
  told <- named_pairs(o$of, "--of")
  cli_hand_over(entries_behind(s, !!!as.list(told), figure = !!o$figure, row = numbers$row), o)
}
