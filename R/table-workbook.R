# A table as a sheet of a workbook: numbers are numbers and days are days, with formats; text stays
# text, whatever it begins with. report-workbook.R makes workbooks of statements of these.

# Tables that are no statements: cross tables, comparisons, entries, reconciliations and rows set
# aside. One sheet of rows, and one that says what they are.
write_table_workbook <- function(s, file, title, overwrite, call = caller_env()) {
  rlang::local_options(OutDec = ".", scipen = 100, digits = 15)
  rlang::check_installed("openxlsx", reason = "to write workbooks.")
  table <- as_shown_table(s)
  if (table$rows > most_sheet_rows)
    refuse("choice", c("A sheet holds at most 1,048,575 rows below its heading.",
                       i = "Write .csv or .parquet."), arg = "s", call = call)
  book <- new_workbook()
  styles <- workbook_styles()
  about_sheet(book, title %||% table$name, c(if (!is.null(title)) table$name, table$about), styles)
  table_sheet(book, "Rows", table$fields, seq_len(table$rows), rep("plain", table$rows), 1, styles)
  write_whole(file, overwrite, function(path) {
    openxlsx::saveWorkbook(book, path, overwrite = TRUE)
  }, call)
}

most_sheet_rows <- 1048575

new_workbook <- function() {
  book <- openxlsx::createWorkbook(creator = "Rolling Ledger")
  openxlsx::modifyBaseFont(book, fontSize = 11, fontName = "Calibri")
  book
}

about_sheet <- function(book, title, lines, styles) {
  openxlsx::addWorksheet(book, "About", gridLines = FALSE)
  last <- sprintf("Made with Rolling Ledger %s.", utils::packageVersion("rollingledger"))
  openxlsx::writeData(book, "About", cell_text(c(title, lines, "", last)), colNames = FALSE)
  openxlsx::addStyle(book, "About", styles$title, 1, 1)
  openxlsx::addStyle(book, "About", styles$quiet, length(lines) + 3, 1)
  openxlsx::setColWidths(book, "About", 1, 44)
}

# Some rows of a table's columns; their kinds ("plain", "part", "total") have styles of their own.
# What stands before the column `first` stays in sight.
table_sheet <- function(book, name, columns, rows, kinds, first, styles) {
  columns <- lapply(unname(columns), function(column) {
    column$values <- column$values[rows]
    column
  })
  kinds <- kinds[rows]
  figures <- vapply(columns, function(column) column$is_figure && !is.null(column$decimals), TRUE)
  values <- Map(sheet_values, columns, figures)
  heads <- cell_text(vapply(columns, function(column) column$file, ""))
  openxlsx::addWorksheet(book, name, gridLines = FALSE, orientation = "landscape")
  openxlsx::writeData(book, name, as.data.frame(as.list(heads)), colNames = FALSE)
  cells <- new_table(stats::setNames(values, seq_along(values)), nrow = length(rows))
  if (length(rows) > 0)
    openxlsx::writeData(book, name, as.data.frame(cells), startRow = 2, colNames = FALSE,
                        keepNA = FALSE)
  add <- function(style, at, cols) if (length(at) > 0 && length(cols) > 0)
    openxlsx::addStyle(book, name, style, at, cols, gridExpand = TRUE)
  add(styles$head, 1, which(!figures))
  add(styles$number_head, 1, which(figures))
  formats <- mapply(function(column, own, is_figure) {
    if (is_figure) cell_format(max(column$decimals)) else if (is_day_column(own)) "yyyy-mm-dd"
    else "TEXT"
  }, columns, values, figures)
  # One style per format and kind of row: adding them on top of each other takes minutes for long
  # sheets.
  for (format in unique(formats)) {
    for (kind in c("plain", "part", "total"))
      add(cell_style(format, kind), which(kinds == kind) + 1, which(formats == format))
  }
  openxlsx::freezePane(book, name, firstActiveRow = 2, firstActiveCol = first)
  openxlsx::setColWidths(book, name, seq_along(columns),
                         mapply(sheet_width, columns, values, figures, heads))
}

# A column as a sheet holds it. Numbers that are no figures are names, and written in digits.
sheet_values <- function(column, is_figure) {
  values <- column$values
  if (is_figure) return(replace(as.double(values), !is.finite(values), NA))
  if (column$name == "complete" && is.logical(values)) return(ifelse(values, "yes", "part"))
  values <- sheet_days(values)
  if (is_day_column(values)) values else cell_text(member_text(values))
}

# Workbooks know no days before March 1900.
sheet_days <- function(values) {
  early <- is_day_column(values) && any(values < as.Date("1900-03-01"), na.rm = TRUE)
  if (early) plain_text(values) else values
}

# Wide enough for numbers and dates; long text is not cut by what stands beside it.
sheet_width <- function(column, values, is_figure, head) {
  text <- if (is_figure)
    number_text(range(c(0, values), na.rm = TRUE), max(column$decimals))
          else if (is_day_column(values)) "2026-09-17"
          else utils::head(values, 5000)
  longest <- max(nchar(c(text, ""), type = "width"), na.rm = TRUE)
  words <- max(nchar(strsplit(head, " ")[[1]], type = "width"), 0)
  min(60, max(longest, words, min(nchar(head), 16)) + 3)
}

workbook_styles <- function() {
  style <- openxlsx::createStyle
  list(
    title = style(fontSize = 16, textDecoration = "bold", fontColour = figure_ink),
    quiet = style(fontColour = figure_quiet),
    part = style(textDecoration = "bold", fontColour = figure_ink),
    head = style(textDecoration = "bold", fgFill = "#E9EEF1", border = "Bottom",
                 borderColour = figure_quiet, wrapText = TRUE, valign = "bottom"),
    number_head = style(textDecoration = "bold", fgFill = "#E9EEF1", border = "Bottom",
                        borderColour = figure_quiet, wrapText = TRUE, valign = "bottom",
                        halign = "right"),
    date = style(numFmt = "yyyy-mm-dd", halign = "left")
  )
}

# A cell of a plain row, of a partial period or of a total.
cell_style <- function(format, kind) {
  side <- if (format == "yyyy-mm-dd") "left"
  switch(kind,
    plain = openxlsx::createStyle(numFmt = format, halign = side),
    part = openxlsx::createStyle(numFmt = format, halign = side, textDecoration = "italic"),
    total = openxlsx::createStyle(numFmt = format, halign = side, textDecoration = "bold",
                                  fgFill = "#F1F4F6", border = "Top", borderColour = figure_quiet)
  )
}

# A number format with as many decimals as the figure has.
cell_format <- function(decimals) paste0("#,##0",
                                           if (decimals > 0) paste0(".", strrep("0", decimals)))

# Characters that XML has no place for are written as the mark of an unknown one. How a member is
# called that is missing or empty is for member_text() to say.
cell_text <- function(text) {
  out <- gsub("[\x01-\x08\x0b\x0c\x0e-\x1f]", "\ufffd", enc2utf8(text))
  substr(out, 1, 32767)
}
