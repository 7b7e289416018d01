# Workbooks of tables that are no statements: cross tables, comparisons, entries, reconciliations
# and rows set aside. One sheet of rows, and one that says what they are.

write_table_workbook <- function(s, file, title, overwrite, call = caller_env()) {
  rlang::local_options(OutDec = ".", scipen = 100, digits = 15)
  rlang::check_installed("openxlsx", reason = "to write workbooks.")
  made <- as_shown_table(s)
  if (nrow(made$table) > 1048575)
    refuse("choice", c("A sheet holds at most 1,048,575 rows below its heading.",
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
    else if (is_day_column(table[[name]])) "yyyy-mm-dd"
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
  values <- sheet_days(values)
  if (is_day_column(values)) return(values)
  if (!is.numeric(values) || !is_figure) return(cell_text(member_text(values)))
  values[!is.finite(values)] <- NA
  values
}

# Workbooks know no days before March 1900.
sheet_days <- function(values) {
  early <- is_day_column(values) && any(values < as.Date("1900-03-01"), na.rm = TRUE)
  if (early) plain_text(values) else values
}
