# Workbooks of tables that are no statements: cross tables, comparisons, entries, reconciliations
# and rows set aside. One sheet of rows, and one that says what they are.

# list(title, about, table, heads, decimals): the table of a result as a sheet shows it; `decimals`
# by column, for figures.
sheet_table <- function(s) {
  table <- as.data.frame(tibble::as_tibble(s))
  decimals <- sheet_decimals(s)
  is_figure <- vapply(table[intersect(names(decimals), names(table))], function(column) {
    is.numeric(column) && !is.object(column)
  }, TRUE)
  decimals <- decimals[names(which(is_figure))]
  heads <- if (inherits(s, "cross_table")) heading_names(s) else names(s)
  names(heads) <- names(table)
  about <- sheet_about(s)
  list(title = about[1], about = about[-1], table = table, heads = heads, decimals = decimals)
}

# Decimals of the columns that are figures, by name.
sheet_decimals <- function(s) {
  if (inherits(s, "cross_table"))
    return(lapply(columns_of(s), function(one) max(one$decimals)))
  if (inherits(s, "entries_behind")) return(attr(s, "decimals"))
  if (inherits(s, "known_comparison")) return(known_decimals(s))
  if (!inherits(s, "reconciliation")) return(NULL)
  columns <- c("here", "there", "difference")
  stats::setNames(rep(list(attr(s, "facts")$decimals), 3), columns)
}

# What the rows are, in lines: as they are printed, without the rows.
sheet_about <- function(s) {
  if (inherits(s, "cross_table")) {
    plan <- statement_info(s)
    return(c(attr(s, "subject"), paste(plan$on, spans_text(plan)), as_of_text(plan),
             attr(s, "notes")))
  }
  if (inherits(s, c("entries_behind", "known_comparison"))) return(attr(s, "says"))
  if (inherits(s, "reconciliation")) {
    facts <- attr(s, "facts")
    sums <- reconciled_sums(s)
    money <- function(values) number_text(values, max(facts$decimals, 2))
    return(c(sprintf("%s here against %s there, %s", facts$name, facts$value, facts$days),
             sprintf("%s: %s, here %s, there %s, difference %s", sums$result,
                     count_text_each(sums$cells, "cell"), money(sums$here), money(sums$there),
                     money(sums$difference)), facts$notes))
  }
  "Rows"
}

known_decimals <- function(s) {
  each <- lapply(names(statement_info(s)$measures), function(name) {
    columns <- paste0(name, c("_known", "_later", "_difference"))
    stats::setNames(rep(list(columns_of(s)[[name]]$decimals), 3), columns)
  })
  c(unlist(each, recursive = FALSE), list(late = 0L))
}

count_text_each <- function(n, one) vapply(n, count_text, "", one = one)

write_table_workbook <- function(s, file, title, overwrite, call = caller_env()) {
  rlang::local_options(OutDec = ".", scipen = 100, digits = 15)
  rlang::check_installed("openxlsx", reason = "to write workbooks.")
  made <- sheet_table(s)
  if (nrow(made$table) > 1048575)
    refuse("choice", c("A sheet holds at most 1,048,575 rows and a heading.",
                       i = "Write .csv or .parquet."), arg = "s", call = call)
  book <- openxlsx::createWorkbook(creator = "Rolling Ledger")
  openxlsx::modifyBaseFont(book, fontSize = 11, fontName = "Calibri")
  styles <- workbook_styles()
  about_sheet(book, title %||% made$title, c(if (!is.null(title)) made$title, made$about), styles)
  rows_sheet(book, made, styles)
  write_whole(file, overwrite, function(path) {
    openxlsx::saveWorkbook(book, path, overwrite = TRUE)
  }, call)
}

about_sheet <- function(book, title, lines, styles) {
  openxlsx::addWorksheet(book, "About", gridLines = FALSE)
  last <- sprintf("Made with Rolling Ledger %s.", utils::packageVersion("rollingledger"))
  openxlsx::writeData(book, "About", cell_text(c(title, lines, "", last)), colNames = FALSE)
  openxlsx::addStyle(book, "About", styles$title, 1, 1)
  openxlsx::addStyle(book, "About", styles$quiet, length(lines) + 3, 1)
  openxlsx::setColWidths(book, "About", 1, 44)
}

rows_sheet <- function(book, made, styles) {
  table <- made$table
  figures <- names(table) %in% names(made$decimals)
  for (name in names(table)) table[[name]] <- sheet_column(table[[name]],
                                                           name %in% names(made$decimals))
  openxlsx::addWorksheet(book, "Rows", gridLines = FALSE, orientation = "landscape")
  openxlsx::writeData(book, "Rows", as.data.frame(as.list(unname(cell_text(made$heads)))),
                      colNames = FALSE)
  if (nrow(table) > 0)
    openxlsx::writeData(book, "Rows", table, startRow = 2, colNames = FALSE, keepNA = FALSE)
  openxlsx::addStyle(book, "Rows", styles$head, 1, which(!figures))
  if (any(figures)) openxlsx::addStyle(book, "Rows", styles$number_head, 1, which(figures))
  formats <- vapply(names(table), function(name) {
    if (name %in% names(made$decimals)) cell_format(made$decimals[[name]])
    else if (inherits(table[[name]], "Date")) "yyyy-mm-dd"
    else if (is.numeric(table[[name]])) "0" else "TEXT"
  }, "")
  for (format in if (nrow(table) > 0) unique(formats)) {
    openxlsx::addStyle(book, "Rows", cell_style(format, "plain"), seq_len(nrow(table)) + 1,
                       which(formats == format), gridExpand = TRUE)
  }
  openxlsx::freezePane(book, "Rows", firstRow = TRUE)
  known <- lapply(made$decimals, function(decimals) list(decimals = decimals))
  openxlsx::setColWidths(book, "Rows", seq_along(table),
                         sheet_widths(table, made$heads, names(table), known))
}

# A column as a sheet holds it: numbers that are no amounts are written in digits, as names are.
sheet_column <- function(values, is_figure) {
  if (is.logical(values)) return(ifelse(is.na(values), NA, ifelse(values, "yes", "no")))
  if (inherits(values, "Date") && any(values < as.Date("1900-03-01"), na.rm = TRUE))
    values <- plain_text(values)
  if (is.numeric(values) && !inherits(values, "Date")) {
    if (!is_figure) return(member_text(values))
    values[!is.finite(values)] <- NA
    return(values)
  }
  if (inherits(values, "Date")) values else cell_text(member_text(values))
}
