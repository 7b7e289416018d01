# The manual page, from the same tables as help. tools/document.R writes it to inst/shell, and
# `make install` puts it beside the command.

manual_page <- function() {
  escaped <- function(text) {
    text <- gsub("\\", "\\e", text, fixed = TRUE)
    gsub("-", "\\-", sub("^([.'])", "\\\\&\\1", text), fixed = TRUE)
  }
  option <- function(o) {
    c(".TP", sprintf("\\fB%s\\fR%s", escaped(o$flag),
                     if (o$switch) "" else sprintf(" \\fI%s\\fR", escaped(o$value))),
      escaped(heading_first(option_help(o))))
  }
  of_command <- function(name) {
    command <- cli_commands[[name]]
    c(sprintf(".SS \"%s %s\"", escaped(name), escaped(command$takes)),
      escaped(heading_first(paste0(command$says, "."))),
      unlist(lapply(command$options(), option)),
      if (length(command$examples) > 0)
        c(".PP", "Examples:", ".PP", ".nf", paste0("  ", escaped(example_calls(name))), ".fi"))
  }
  listing <- function(lines) c(".nf", paste0("  ", escaped(lines)), ".fi")
  version <- utils::packageVersion("rollingledger")
  c(sprintf(".TH ROLLING\\-LEDGER 1 \"\" \"Rolling Ledger %s\"", version),
    ".SH NAME", "rolling\\-ledger \\- statements from dated transactions",
    ".SH SYNOPSIS", "\\fBrolling\\-ledger\\fR \\fICOMMAND\\fR [options]",
    ".SH DESCRIPTION",
    escaped(paste("Groups dated transactions by day, week, month, quarter or fiscal year, works",
                  "out running totals, rolling sums and comparisons, and hands the results over.",
                  "Tables go to standard output, messages to standard error.")),
    ".SH COMMANDS", unlist(lapply(shown_commands(), of_command)),
    ".SH MEASURES", listing(measure_lines()),
    ".SH CONDITIONS", listing(condition_lines()),
    ".SH \"EXIT STATUS\"",
    unlist(Map(function(status, says) c(".TP", sprintf("\\fB%s\\fR", status), escaped(says)),
               names(exit_says), exit_says)),
    ".SH FILES",
    escaped(paste("A folder's .Rprofile and .Renviron are not run. A file is written whole or not",
                  "at all; NAME.record.json is what a run of a brief leaves beside its files.")))
}

exit_says <- c("0" = "done", "1" = "the data or the question is wrong", "2" = "the call is wrong",
               "3" = "checked and found different (reconcile, check --strict, run --compare)",
               "130" = "interrupted")
