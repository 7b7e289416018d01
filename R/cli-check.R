# rolling-ledger check

check_options <- function() {
  options_once(c(
    in_group("Options", c(
      field_options("check_ledger"),
      list(cli_switch("--all", "show every line of what is odd, and every column"),
           cli_switch("--strict", "exit status 3 where anything odd was found"),
           cli_option("--set-aside", sprintf(
             "write the rows that were set aside to FILE: %s; - is standard output",
             paste0(".", aside_endings(), collapse = " ")), "FILE"),
           cli_option("--out", "write the first look as a page to FILE.html", "FILE"),
           cli_switch("--overwrite", "with --out or --set-aside: replace a file that is there")))),
    ledger_options(needed = FALSE), calendar_options()
  ))
}

aside_endings <- function() c(file_endings("write_statement"), "xlsx")

cli_check <- function(parsed) {
  o <- parsed$options
  if (length(parsed$args) == 0) {
    refuse_call(c("`check` takes a FILE, or several of one layout.",
                  i = "See rolling-ledger check --help."))
  }
  check_check_files(parsed)
  lookups <- lookup_steps(o$lookup)
  calendar <- cli_calendar(o)
  look <- in_words_of_options("ledger", {
    asked <- c(typed_fields(o, "ledger"), list(calendar = calendar))
    made <- ledger_to_check(parsed$args, asked, call = NULL)
    x <- made$ledger
    for (step in lookups) x <- ledger_step_again(x, step, list(), NULL)
    checked_ledger(x, split_commas(o$key), made$could_be, NULL)
  })
  if (identical(o$set_aside, "-")) {
    writeLines(plain_lines(look$set_aside, "csv"), useBytes = TRUE)
  } else {
    show_lines(format(look, all = o$all))
    if (!is.null(o$set_aside)) {
      write_plain_table(look$set_aside, o$set_aside, o$overwrite)
      cli_say("Wrote ", o$set_aside)
    }
  }
  if (!is.null(o$out)) {
    label <- source_facts(look$ledger)$label
    write_report(look, file = o$out, title = paste("First look at", label),
                 overwrite = o$overwrite)
    cli_say("Wrote ", o$out)
  }
  if (o$strict && length(unlist(odd_parts(look))) > 0) 3L else 0L
}

# Where to write is looked at before any file is read.
check_check_files <- function(parsed) {
  o <- parsed$options
  to_file <- !is.null(o$set_aside) && o$set_aside != "-"
  if (o$overwrite && is.null(o$out) && !to_file)
    refuse_call("`--overwrite` goes with `--out FILE` or `--set-aside FILE`.")
  as_call_problem({
    attach_usual_packages()
    rlang::local_options(rollingledger.flags = list(overwrite = "--overwrite"))
    inputs <- c(parsed$args, tables_read(list(
      calendar = typed_fields(o, "ledger_calendar"), steps = lookup_steps(o$lookup)), NULL, NULL))
    if (!is.null(o$out)) {
      file_kind(o$out, "html")
      check_target(o$out, o$overwrite, inputs = inputs)
    }
    if (to_file) {
      file_kind(o$set_aside, aside_endings())
      check_target(o$set_aside, o$overwrite, inputs = inputs)
      if (!is.null(o$out)) check_targets_apart(c(o$out, o$set_aside), NULL)
    }
  })
}
