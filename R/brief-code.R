#' The R calls of a brief
#'
#' What would be typed in R for a brief, to go on from it by hand. Values that are asked for stand
#' as given, or with their defaults.
#'
#' @param file The path of a brief ([run_brief()]).
#' @param ... Values for what it asks for, by name.
#' @param from The folder below which its tables stand; the brief's own folder by default.
#' @return Text, a line of code for each element, of class `ledger_code`; printing it shows the
#'   code. Run, it gives the figures that [run_brief()] gives.
#' @section Errors:
#' `rollingledger_error_brief` as for [run_brief()].
#' @export
#' @examples
#' briefs <- system.file("briefs", package = "rollingledger")
#' brief_as_code(file.path(briefs, "leaders-per-week.yml"), from = "tables")
brief_as_code <- function(file, ..., from = NULL) {
  call <- rlang::current_env()
  brief <- read_brief(file, call)
  values <- asked_values(brief, list(...), call)
  folder <- from %||% dirname(brief$file)
  run_code(prepared_run(brief, values, folder, NULL, call, there = FALSE,
                         hosts = hosts_of_brief(brief)))
}

# The code of a run that is prepared.
run_code <- function(made) {
  title <- made$brief$tree$name
  made <- with_code_names(made)
  new_ledger_code(c("library(rollingledger)", "", brief_ledger_code(made), "",
                    part_codes(made$statements),
                    vapply(made$items, item_code, "", title = title)))
}

new_ledger_code <- function(text) {
  structure(unlist(strsplit(paste(text, collapse = "\n"), "\n", fixed = TRUE)),
            class = "ledger_code")
}

#' @export
print.ledger_code <- function(x, ...) {
  writeLines(unclass(x))
  invisible(x)
}

# Statements by names that R takes without quotes.
with_code_names <- function(made) {
  names <- names(made$statements)
  plain <- make.unique(make.names(gsub("[^[:alnum:]]+", "_", names)), sep = "_")
  names(made$statements) <- plain
  renamed <- function(item) {
    if (!is.null(item$of)) item$of <- plain[match(item$of, names)]
    item$content <- lapply(item$content, renamed)
    item
  }
  made$items <- lapply(made$items, renamed)
  made
}

brief_ledger_code <- function(made) {
  measured <- measured_names(texts_of_parts(made$statements))
  # What is added up is read as numbers, as briefs and the command do.
  made$record$amounts <- union(made$record$amounts, measured)
  ledger_code(made$record)
}

part_codes <- function(statements) {
  unlist(Map(function(part, name) c(asked_code(part, name), ""), statements, names(statements)),
         use.names = FALSE)
}
