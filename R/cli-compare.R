# rolling-ledger compare, rolling-ledger members

compare_options <- function() {
  options_once(c(in_group("What is asked", compared_options("compare_spans")), ledger_options(),
                 calendar_options(), output_options()))
}

members_options <- function() {
  options_once(c(in_group("What is asked", compared_options("compare_members")), ledger_options(),
                 calendar_options(), output_options()))
}

# The span that is compared with need not be said.
compared_options <- function(verb) {
  lapply(field_options(verb), function(option) {
    if (option$flag != "--against") return(option)
    option$needed <- FALSE
    option$help <- paste(option$help, "[the same, 1 year back]")
    option
  })
}

cli_compare <- function(parsed) cli_answer(parsed, compared_part(parsed, "compare_spans"),
                                           command = "compare")

cli_members <- function(parsed) {
  if (is.null(parsed$options$member)) {
    refuse_call(c("`--member` is missing: whose members are to be compared?",
                  i = "For example --member account."))
  }
  cli_answer(parsed, compared_part(parsed, "compare_members"), command = "members")
}

compared_part <- function(parsed, verb) {
  o <- parsed$options
  if (is.null(o$span)) {
    refuse_call(c("`--span` is missing: which span is to be compared?",
                  i = "For example --span 'month to date'."))
  }
  if (is.null(o$against)) o$against <- paste0(sub("^[^=]*=", "", o$span), ", 1 year back")
  asked <- typed_statement(o, verb = verb)
  list(show = list(c(list(show = verb), asked)))
}
