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
  made <- prepared_run(brief, values, folder, NULL, FALSE, NULL, call, there = FALSE)
  tree <- made$brief$tree
  new_ledger_code(c("library(rollingledger)", "", brief_ledger_code(made), "",
                    part_codes(made), show_codes(tree, made)))
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

brief_ledger_code <- function(made) {
  tree <- made$brief$tree$ledger
  record <- verb_record("ledger", tree[setdiff(names(tree), c("file", "steps", "calendar"))],
                        made$folder)
  measured <- measured_names(unname(brief_measures(made$statements)))
  record <- c(list(file = made$files), record)
  record$calendar <- if (!is.null(tree$calendar))
    verb_record("ledger_calendar", tree$calendar, made$folder)
  record$steps <- step_records(tree$steps, made$folder)
  code <- ledger_code(record)
  c(if (length(measured) > 0)
      sprintf("# %s must be numbers: give amounts = where a file writes text among them.",
              listed(measured, 20)), code)
}

part_codes <- function(made) {
  unlist(Map(function(part, name) c(asked_code(part, name), ""), made$statements,
             names(made$statements)), use.names = FALSE)
}

show_codes <- function(tree, made) {
  show <- tree$show %||% lapply(names(made$statements), function(name) list(table = list(of = name)))
  unlist(lapply(show, function(item) written_code(item, shown_code(item, made), made)))
}

# The code of one thing shown.
shown_code <- function(item, made) {
  what <- names(item)
  own <- item[[1]]
  if (what == "heading") return(call_code("report_heading", value_text(own)))
  if (what == "text") return(value_text(own))
  of <- name_text(own$of %||% names(made$statements)[1])
  if (what == "table") of else show_code(show_record(what, own, made$folder), of)
}

# And of the file that it goes to.
written_code <- function(item, code, made) {
  what <- names(item)
  own <- item[[1]]
  if (what == "page") {
    parts <- vapply(own$content, function(part) {
      said <- shown_code(part, made)
      heading <- if (is.list(part[[1]])) part[[1]]$heading
      if (is.null(heading)) said else paste(name_text(heading), "=", said)
    }, "")
    if (is.null(own$file)) return(call_code("list", parts))
    title <- own$title %||% made$brief$tree$name
    return(call_code("write_report", c(parts, paste("file =", value_text(own$file)),
                                       paste("title =", value_text(title)))))
  }
  if (is.null(own$file)) return(code)
  file <- value_text(own$file)
  switch(lower_text(tools::file_ext(own$file)),
    html = , htm = call_code("write_report", c(code, paste("file =", file))),
    xlsx = call_code("write_workbook", c(code, file, verb_arguments(
      "write_workbook", own[intersect(names(own), c("sheet_per", "subtotals", "title"))]))),
    png = , svg = , pdf = call_code("ggplot2::ggsave", c(file, code)),
    call_code("write_statement", c(code, file))
  )
}
