# rolling-ledger compare

compare_options <- function() {
  options_once(c(
    field_options("compare_spans"), field_options("compare_members"), ledger_options(),
    calendar_options(), hand_over_options()
  ))
}

cli_compare <- function(parsed) {
  o <- parsed$options
  if (is.null(o$span)) {
    refuse_call(c("`--span` is missing: which span is to be compared?",
                  i = "For example --span 'month to date'."))
  }
  cli_check_out(parsed, table_endings())
  against <- o$against %||% paste0(sub("^[^=]*=", "", o$span), ", 1 year back")
  spans <- list(named_pairs(o$span), named_pairs(against))
  x <- cli_ledger(parsed, "compare")
  asked <- cli_asked(o, leave = c("per", "span", "spans", "partial", "totals", "anchor"))
  asked <- Filter(Negate(is.null), asked)
  compared <- if (is.null(o$members)) {
    in_words_of_options("compare_spans", {
      compared_spans(x, c(list(a = spans[[1]], b = spans[[2]]), asked), NULL)
    })
  } else {
    in_words_of_options("compare_members", {
      compared_members(x, c(list(member = o$members, now = spans[[1]], before = spans[[2]]),
                            asked[setdiff(names(asked), "list_all")]), NULL)
    })
  }
  cli_hand_over(compared, o)
}
