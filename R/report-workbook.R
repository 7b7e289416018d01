describe_verb("write_workbook", asked_of = "result",
  file = file_field("xlsx"),
  sheet_per = field("choice", "with {file} .xlsx, an attribute with a sheet for each of its values",
                    value = "COLUMN", choices = function(plan) plan$by, more = paste(
    "One of the statement's attributes; without one there is one sheet.")),
  subtotals = field("flag", "rows of totals by the leading attributes, set apart", default = TRUE,
                    option = "without-subtotals",
                    off = "with --out .xlsx: no rows of totals by the leading attributes",
                    more = paste(
    "TRUE (the default) adds them where the statement can have them: of the whole statement, after",
    "the rows of each member of all attributes but the last. They are worked out from entries, not",
    "added up. A ranking's rows keep their order.")),
  title = field("text", "title of the page, figure or cover", value = "TEXT",
                more = "Made from the statement by default."),
  shared = list(write_statement = "overwrite")
)

#' Write a workbook
#'
#' A workbook of Office Open XML (ISO/IEC 29500) with a cover sheet (title, days, as-of day, source,
#' entries used and set aside, measures, notes, control totals) and one sheet per value of an
#' attribute, or one for all. Numbers are numbers and days are dates, with formats; headings stay in
#' sight; text stays text, whatever it begins with.
#'
#' @param s A [statement()].
#' @eval field_params("write_workbook")
#' @return `file`, invisibly. Sheets are called after the values, made safe and unique (at most 31
#'   characters, no brackets, colons, asterisks, question marks or slashes); the cover lists them.
#'   Columns are those of the statement, with headings in words and units; `complete` is "yes" or
#'   "part"; a missing value is an empty cell. With `sheet_per` a last sheet "(all)" holds the
#'   totals of all values.
#' @section Errors:
#' `rollingledger_error_choice` where `sheet_per` is no attribute, there are more than 200 sheets or
#' more rows than a sheet holds (1,048,576); `rollingledger_error_file` as for [write_statement()].
#' The package openxlsx must be installed.
#' @source Names of sheets: ISO/IEC 29500-1, 18.2.19, and what spreadsheet programs accept.
#' @export
#' @examplesIf requireNamespace("openxlsx", quietly = TRUE)
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' file <- tempfile(fileext = ".xlsx")
#' statement(fares, by = c("route", "channel"), span = "2026", income = total(fare),
#'           trips = entries()) |>
#'   write_workbook(file, sheet_per = "route")
#' @include table-plain.R
write_workbook <- with_fields("write_workbook", function(s, file, sheet_per, subtotals, title,
                                                         overwrite) {
  if (inherits(s, other_tables)) {
    return(write_other_workbook(s, file, sheet_per, title, overwrite))
  }
  check_statement(s)
  # the writer of workbooks goes by them
  rlang::local_options(OutDec = ".", scipen = 100, digits = 15)
  file_kind(file, file_endings("write_workbook"))
  check_target(file, overwrite, inputs = files_behind(s))
  one_flag(subtotals, "subtotals")
  rlang::check_installed("openxlsx", reason = "to write workbooks.")
  by <- statement_info(s)$by
  if (!is.null(sheet_per)) {
    if (length(by) == 0)
      refuse("choice",
             c("Sheets are per value of an attribute, and the statement has none.",
               i = "Name it in {by}."), arg = "sheet_per")
    sheet_per <- one_of(attributes_of_plan(sheet_per, statement_info(s)), by, "sheet_per")
  }
  without <- NULL
  whole <- s
  if (subtotals) {
    without <- no_subtotals_because(s)
    if (is.null(without)) s <- with_subtotals(s, c(sheet_per, setdiff(by, sheet_per)))
    if (identical(without, "it has them already")) without <- NULL
  }
  sheets <- workbook_sheets(s, sheet_per)
  if (max(lengths(sheets$rows)) > most_sheet_rows)
    refuse("choice", "A sheet holds at most 1,048,575 rows below its heading.",
           i = "Write .csv or .parquet, or take {sheet_per}.", arg = "s")
  book <- new_workbook()
  styles <- workbook_styles()
  cover_sheet(book, whole, sheets, title %||% page_heading(s), styles, without)
  progress <- progress_steps(length(sheets$name), "Writing sheets")
  on.exit(progress$done())
  columns <- sheet_columns(s, sheet_per)
  kinds <- ifelse(total_rows(s), "total", ifelse(s$complete, "plain", "part"))
  for (i in seq_along(sheets$name)) {
    statement_sheet(book, sheets$name[i], columns, sheets$rows[[i]], kinds, styles)
    progress$step()
  }
  write_whole(file, overwrite, function(path) openxlsx::saveWorkbook(book, path, overwrite = TRUE))
})

# A table that is no statement has one sheet of rows.
write_other_workbook <- function(s, file, sheet_per, title, overwrite, call = caller_env()) {
  if (!is.null(sheet_per))
    refuse("choice", "{sheet_per} applies to statements: other tables have one sheet of rows.",
           arg = "sheet_per", call = call)
  file_kind(file, file_endings("write_workbook"), call)
  check_target(file, overwrite, inputs = files_behind(s), call = call)
  write_table_workbook(s, file, title, overwrite, call)
}

# list(name, value, rows): the rows of each sheet, in the order of the statement.
workbook_sheets <- function(s, sheet_per, call = caller_env()) {
  if (is.null(sheet_per))
    return(list(name = "Statement", value = "all", rows = list(seq_len(nrow(s)))))
  plan <- statement_info(s)
  values <- s[[sheet_per]]
  each <- unique(values)
  each <- each[order(ranks_of_ledger(s, sheet_per, each))]
  # Totals of all, and what a ranking left over, come last.
  text <- plain_text(each)
  each <- each[order(match(text, c(plan$rest$label, total_members(plan)), nomatch = 0L))]
  if (length(each) > 200) {
    refuse("choice",
           c(sprintf("`%s` has %s values, too many for a sheet each (at most 200).", sheet_per,
                     number_text(length(each))),
             i = "Take another attribute or a condition."), arg = "sheet_per", call = call)
  }
  rows <- unname(split(seq_len(nrow(s)), match(values, each)))
  list(name = sheet_names(member_text(each)), value = member_text(each), rows = rows)
}

# Names that every program accepts, no two the same whatever the case, none that of the cover.
sheet_names <- function(values) {
  safe <- gsub("[]*:?/\\\\[]|[[:cntrl:]]", "-", values)
  safe <- trimws(gsub("^'+|'+$", "", safe))
  safe[safe == ""] <- "-"
  taken <- c("about", "history")
  for (i in seq_along(safe)) {
    own <- shortened(safe[i], 31)
    k <- 1
    while (lower_text(own) %in% taken) {
      k <- k + 1
      own <- paste0(shortened(safe[i], 31 - nchar(k) - 3), " (", k, ")")
    }
    taken <- c(taken, lower_text(own))
    safe[i] <- own
  }
  safe
}

# Cut to a length in the units that spreadsheets count, never within a character.
shortened <- function(text, most) {
  while (sum(1L + (utf8ToInt(text) > 0xFFFFL)) > most) text <- substr(text, 1, nchar(text) - 1)
  trimws(text, "right")
}

# The columns of a statement's sheets: the attribute that has sheets before the others.
sheet_columns <- function(s, sheet_per) {
  shown <- intersect(c(row_columns, sheet_per, setdiff(statement_info(s)$by, sheet_per),
                       names(columns_of(s))), names(s))
  lapply(as_shown_table(s)$fields[shown], function(column) {
    column$file <- if (!column$is_figure) heading_text(column$name)
                   else paste0(column$words[1],
                               if (!is.null(column$unit)) sprintf(" (%s)", column$unit))
    column
  })
}

statement_sheet <- function(book, name, columns, rows, kinds, styles) {
  figures <- vapply(columns, function(column) column$is_figure, TRUE)
  table_sheet(book, name, columns, rows, kinds, min(which(figures), length(columns)), styles)
  if (length(rows) > 0)
    openxlsx::pageSetup(book, name, orientation = "landscape", fitToWidth = TRUE,
                        fitToHeight = FALSE, printTitleRows = 1)
}

# What the workbook is of, and proof of its totals.
cover_sheet <- function(book, s, sheets, title, styles, without) {
  openxlsx::addWorksheet(book, "About", gridLines = FALSE)
  plan <- statement_info(s)
  made <- made_from(s)
  row <- 1
  put <- function(values, style = NULL, col = 1) {
    if (length(values) == 0) return(invisible())
    openxlsx::writeData(book, "About", cell_text(values), startRow = row, startCol = col,
                        colNames = FALSE)
    if (!is.null(style))
      openxlsx::addStyle(book, "About", style, seq.int(row, length.out = length(values)), col,
                         gridExpand = TRUE)
    row <<- row + length(values)
  }
  part <- function(heading, values) {
    if (length(values) == 0) return(invisible())
    row <<- row + 1
    put(heading, styles$part)
    put(values)
  }
  put(title, styles$title)
  put(paste0(figure_subtitle(s), if (!is.null(plan$per)) partial_words(s)), styles$quiet)
  part("Days", sprintf("%s: %s", plan$spans$label,
                       mapply(days_text, plan$spans$from, plan$spans$to)))
  part("Source", c(made$source, made$kept, made$set_aside))
  part("Measures", made$measures)
  part("Notes",
       c(plain_notes(s, statement_footer(s, marks = !is_one_span(s))),
         if (!is.null(without)) sprintf("No rows of subtotals: %s.", without)))
  control <- if (is.null(plan$anchors)) control_totals(s)
  if (!is.null(control) && nrow(control) > 0) {
    cover_controls(book, s, control, row + 1, styles)
    row <- row + nrow(control) + 3
  }
  if (length(sheets$name) > 1)
    part("Sheets",
         ifelse(sheets$name == sheets$value, sheets$name,
                sprintf("%s: %s", sheets$name, sheets$value)))
  row <- row + 1
  put(sprintf("Made with Rolling Ledger %s.", utils::packageVersion("rollingledger")), styles$quiet)
  openxlsx::setColWidths(book, "About", 1:6, c(44, 14, 14, 20, 24, 16))
  openxlsx::pageSetup(book, "About", orientation = "landscape", fitToWidth = TRUE,
                      fitToHeight = FALSE)
}

# Control totals as rows of the cover.
cover_controls <- function(book, s, control, row, styles) {
  openxlsx::writeData(book, "About", "Control totals", startRow = row)
  openxlsx::addStyle(book, "About", styles$part, row, 1)
  heads <- c("Measure", "From", "To", "Sum of the rows", "Straight from the entries", "Difference")
  openxlsx::writeData(book, "About", as.data.frame(as.list(heads)), startRow = row + 1,
                      colNames = FALSE)
  openxlsx::addStyle(book, "About", styles$head, row + 1, 1:3, gridExpand = TRUE)
  openxlsx::addStyle(book, "About", styles$number_head, row + 1, 4:6, gridExpand = TRUE)
  shown <- as.data.frame(control)
  early <- control$from < as.Date("1900-03-01")
  if (any(early)) shown[c("from", "to")] <- lapply(shown[c("from", "to")], plain_text)
  openxlsx::writeData(book, "About", shown, startRow = row + 2, colNames = FALSE)
  for (i in seq_len(nrow(control))) {
    decimals <- held_decimals(columns_of(s)[[control$measure[i]]])
    openxlsx::addStyle(book, "About", styles$date, row + 1 + i, 2:3, gridExpand = TRUE)
    openxlsx::addStyle(book, "About", openxlsx::createStyle(numFmt = cell_format(decimals)),
                       row + 1 + i, 4:6, gridExpand = TRUE)
  }
}
