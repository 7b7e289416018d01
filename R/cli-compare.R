# rolling-ledger compare

compare_options <- function() {
  c(list(
      cli_option("--span", "phrase to compare, or NAME=PHRASE", "PHRASE"),
      cli_option("--members", "attribute whose members are listed as new, kept or lost", "COLUMN"),
      cli_option("--against", "phrase to compare it with, or NAME=PHRASE ['1 year back' of --span]", "PHRASE")
    ), ledger_options(), figure_options(), calendar_options(), hand_over_options())
}

cli_compare <- function(parsed) {
  o <- parsed$options
  if (is.null(o$span)) refuse_call(c("`--span` is missing: which span is to be compared?", i = "For example --span 'month to date'."))
  cli_check_out(parsed, file_endings)
  against <- o$against %||% paste0(sub("^[^=]*=", "", o$span), ", 1 year back")
  x <- cli_ledger(parsed, "compare")
  spans <- list(named_pairs(o$span), named_pairs(against))
  measures <- as.list(named_pairs(o$measure))
  compared <- if (is.null(o$members)) {
    compare_spans(x, spans[[1]], spans[[2]], by = split_commas(o$by), !!!measures, on = o$use,
                  where = !!cli_where(o), list_all = o$list_all)
  } else {
    compare_members(x, o$members, spans[[1]], spans[[2]], by = split_commas(o$by), !!!measures,
                    on = o$use, where = !!cli_where(o))
  }
  cli_hand_over(compared, o)
}
