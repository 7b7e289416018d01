# rolling-ledger reconcile: exit status 3 where cells differ.

reconcile_options <- function() {
  options_once(c(
    in_group("The other table", field_options("reconcile")), row_options(), ledger_options(),
    step_options(), calendar_options(), output_options()
  ))
}

cli_reconcile <- function(parsed) {
  o <- parsed$options
  if (is.null(o$against)) {
    refuse_call(c("`--against` is missing: which table is to be compared with?",
                  i = "For example --against bank.csv --key period=day --value amount."))
  }
  record <- c(list(show = "reconcile"), typed_fields(o, "reconcile"))
  different <- FALSE
  cli_answer(parsed, cli_part(parsed), function(s) {
    different <<- any(in_words_of_options("reconcile", {
      answered_show(s, record, list(), NULL)
    })$result != "matched")
    list(what = "reconcile", of = "s", record = record)
  }, "reconcile", beside = o$against)
  if (different) 3L else 0L
}
