# One table, many writers: a result as a table that is handed over. What is written of it, and how,
# is for table-workbook.R and table-plain.R to say.

# list(title, about, table, heads, decimals): what the rows are, in lines; the table with a heading
# for each column; and decimals by name of the columns that are figures.
as_shown_table <- function(x) {
  table <- as.data.frame(tibble::as_tibble(x))
  is_figure <- vapply(table, function(column) is.numeric(column) && !is.object(column), TRUE)
  decimals <- shown_decimals(x)
  about <- about_rows(x)
  list(title = about[1], about = about[-1], table = table,
       heads = stats::setNames(shown_heads(x), names(table)),
       decimals = decimals[intersect(names(decimals), names(table)[is_figure])])
}

#' @rawNamespace
#' S3method(shown_heads, default)
#' S3method(shown_heads, cross_table)
NULL

# The headings of the columns; those of a cross table hold the days.
shown_heads <- function(x) UseMethod("shown_heads")
shown_heads.default <- function(x) names(x)
shown_heads.cross_table <- function(x) heading_names(x)

#' @rawNamespace
#' S3method(shown_decimals, default)
#' S3method(shown_decimals, statement)
#' S3method(shown_decimals, cross_table)
#' S3method(shown_decimals, entries_behind)
#' S3method(shown_decimals, reconciliation)
#' S3method(shown_decimals, known_comparison)
NULL

# Decimals of the columns that are figures, by name.
shown_decimals <- function(x) UseMethod("shown_decimals")
shown_decimals.default <- function(x) NULL
shown_decimals.statement <- function(x) lapply(columns_of(x), function(one) one$decimals)
shown_decimals.cross_table <- function(x) lapply(columns_of(x), function(one) max(one$decimals))
shown_decimals.entries_behind <- function(x) attr(x, "decimals")
shown_decimals.reconciliation <- function(x) {
  columns <- c("here", "there", "difference")
  stats::setNames(rep(list(attr(x, "facts")$decimals), 3), columns)
}
shown_decimals.known_comparison <- function(x) {
  each <- lapply(names(statement_info(x)$measures), function(name) {
    columns <- paste0(name, c("_known", "_later", "_difference"))
    stats::setNames(rep(list(columns_of(x)[[name]]$decimals), 3), columns)
  })
  c(unlist(each, recursive = FALSE), list(late = 0L))
}

#' @rawNamespace
#' S3method(about_rows, default)
#' S3method(about_rows, entries_behind)
#' S3method(about_rows, known_comparison)
#' S3method(about_rows, cross_table)
#' S3method(about_rows, reconciliation)
NULL

# What the rows are, in lines: as they are printed, without the rows.
about_rows <- function(x) UseMethod("about_rows")
about_rows.default <- function(x) "Rows"
about_rows.entries_behind <- function(x) attr(x, "says")
about_rows.known_comparison <- function(x) attr(x, "says")
about_rows.cross_table <- function(x) {
  plan <- statement_info(x)
  c(attr(x, "subject"), paste(plan$on, spans_text(plan)), as_of_text(plan), attr(x, "notes"))
}
about_rows.reconciliation <- function(x) {
  facts <- attr(x, "facts")
  sums <- reconciled_sums(x)
  money <- function(values) number_text(values, max(facts$decimals, 2))
  c(sprintf("%s here against %s there, %s", facts$name, facts$value, facts$days),
    sprintf("%s: %s, here %s, there %s, difference %s", sums$result,
            vapply(sums$cells, count_text, "", one = "cell"), money(sums$here), money(sums$there),
            money(sums$difference)), facts$notes)
}

is_day_column <- function(values) inherits(values, "Date")
