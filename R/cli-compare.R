# rolling-ledger compare, rolling-ledger members

compare_options <- function() {
  options_once(c(in_group("What is asked", compared_options("compare_spans")),
                 in_group("Instead of two spans, what changed since a day", not_needed(
                   field_options("compare_known", only = c("day1", "day2", "per")))),
                 ledger_options(), calendar_options(), output_options()))
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
    option$help <- paste(option_help(option), "[the same, 1 year back]")
    option
  })
}

cli_compare <- function(parsed) {
  since <- !is.null(parsed$options$known)
  part <- if (since) known_part(parsed) else compared_part(parsed, "compare_spans")
  cli_answer(parsed, part, command = "compare")
}

# What changed since a day.
known_part <- function(parsed) {
  o <- parsed$options
  if (is.null(o$known_later)) {
    refuse_call(c("`--known` needs `--known-later`: the later day that it is compared with.",
                  i = "For example --known 2026-08-31 --known-later 2026-09-17."))
  }
  for (flag in flags_typed(o, c("--against", "--list-all", "--statement-as-of"))) {
    refuse_call(sprintf("`%s` does not go with `--known`.", flag))
  }
  list(show = list(c(list(show = "compare_known"), typed_statement(o, verb = "compare_known"))))
}

cli_members <- function(parsed) {
  if (is.null(parsed$options$member)) {
    refuse_call(c("`--member` is missing: whose members are to be compared?",
                  i = "For example --member account."))
  }
  cli_answer(parsed, compared_part(parsed, "compare_members"), command = "members")
}

compared_part <- function(parsed, verb) {
  o <- parsed$options
  for (flag in flags_typed(o, c("--known-later", if (verb == "compare_spans") "--per"))) {
    refuse_call(sprintf("`%s` goes with `--known`.", flag))
  }
  if (is.null(o$span)) {
    refuse_call(c("`--span` is missing: which span is to be compared?",
                  i = "For example --span 'month to date'."))
  }
  if (is.null(o$against)) o$against <- paste0(sub("^[^=]*=", "", o$span), ", 1 year back")
  asked <- typed_statement(o, verb = verb)
  list(show = list(c(list(show = verb), asked)))
}
