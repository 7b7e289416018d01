#' Statements in R Markdown
#'
#' In a knitted document a statement, and a table made of one, is a proper table with its days as
#' caption, units in the headings, totals in bold and its notes below. The chunk option
#' `rollingledger.rows`, or the R option of that name, says how many rows at most (60); `render =
#' knitr::normal_print` in a chunk prints them as at the console. `rmarkdown::draft("month.Rmd",
#' template = "monthly_statement", package = "rollingledger")` starts a document for a month.
#'
#' @param x A [statement()] or a table made of one, such as by [cross_table()].
#' @param options The options of the chunk.
#' @param ... Not used.
#' @return Text that knitr puts into the document as it is.
#' @section Errors:
#' `rollingledger_error_choice` where the rows are not a count.
#' @name knit_statement
#' @exportS3Method knitr::knit_print
#' @examplesIf requireNamespace("knitr", quietly = TRUE)
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' cat(knitr::knit_print(statement(fares, per = "year", income = total(fare))))
knit_print.statement <- function(x, options = list(), ...) {
  if (is.null(statement_info(x)) || !all(row_columns %in% names(x)) || !is.null(foreign_rows(x)))
    return(knitr::knit_print(tibble::as_tibble(strip_statement(x)), options, ...))
  knit_shown(as_shown_table(x), options)
}

#' @rdname knit_statement
#' @exportS3Method knitr::knit_print
knit_print.explained_change <- function(x, options = list(), ...) {
  if (is.null(attr(x, "facts")))
    return(knitr::knit_print(tibble::as_tibble(strip_statement(x)), options, ...))
  knit_shown(as_shown_table(x), options)
}

#' @rdname knit_statement
#' @exportS3Method knitr::knit_print
knit_print.cross_table <- function(x, options = list(), ...) {
  if (is.null(statement_info(x)))
    return(knitr::knit_print(tibble::as_tibble(strip_statement(x)), options, ...))
  knit_shown(as_shown_table(x), options)
}

knit_shown <- function(table, options) {
  rows <- options$rollingledger.rows %||% getOption("rollingledger.rows") %||% 60
  knit_table(table, shown_rows(table$rows, rows, table$periods))
}

knit_table <- function(table, shown) {
  at <- c(shown$head, shown$tail)
  bold <- grepl("total", table$kinds)[at]
  columns <- unname(lapply(seen_columns(table), column_on_page))
  cells <- lapply(columns, function(column) {
    text <- safe_markdown(column$text[at])
    ifelse(bold & nzchar(text), paste0("**", text, "**"), text)
  })
  heads <- vapply(columns, function(column) {
    # A unit stands in brackets; the lines of a cross table's heading follow each other.
    lines <- safe_markdown(column$heading)
    if (length(lines) == 2 && nchar(lines[2]) <= 6) sprintf("%s (%s)", lines[1], lines[2])
    else paste(lines, collapse = ", ")
  }, "")
  align <- vapply(columns, function(column) if (isTRUE(startsWith(column$class[1], "number"))) "r"
                                            else "l", "")
  made <- knitr::kable(stats::setNames(as.data.frame(cells, stringsAsFactors = FALSE), heads),
                        format = "pipe", align = align, col.names = heads,
                        caption = safe_markdown(table$title), escape = FALSE)
  hidden <- if (shown$hidden > 0) sprintf("%s more, not shown.", count_text(shown$hidden, "row"))
  # A blank line parts the table from what stands around it.
  knitr::asis_output(
    paste0("\n\n", if (length(table$says) > 0) paste0(
             paste(safe_markdown(table$says), collapse = " "), "\n\n"),
           paste(made, collapse = "\n"), "\n\n",
           paste(safe_markdown(c(hidden, table$words)), collapse = "  \n"), "\n\n"))
}

# Text that stays itself in a table of a document; knitr sees to the bars between cells.
safe_markdown <- function(text) {
  if (length(text) == 0) return(character())
  gsub("\n", " ", gsub("([\\\\`*_{}\\[\\]<>#$~^@])", "\\\\\\1", text, perl = TRUE), fixed = TRUE)
}
