# Files that leave the house: the kind follows from the ending; a file is written whole or not at
# all, and never over another one unless that is asked for.

describe_verb("write_statement", asked_of = "result",
  file = file_field(c("csv", "tsv", "json", "parquet")),
  overwrite = field("flag", "replace the file if it exists", default = FALSE)
)

#' Write a statement to a file for loading elsewhere
#'
#' @param s A [statement()], or a table made of one by [cross_table()], [compare_spans()] or
#'   [compare_members()], whose days then have columns of their own; what [reconcile()] or
#'   [entries_behind()] gave.
#' @eval field_params("write_statement")
#' @return `file`, invisibly. It is written whole or not at all: what cannot be written to its end
#' leaves the file that was there.
#' @section Kinds of files:
#' * CSV and TSV: dates as ISO 8601, numbers with a decimal point, all their digits, no thousands
#'   separators and no powers of ten, whatever R's options; missing values as empty fields.
#' * JSON: an array with an object per row; dates as ISO 8601 text, missing values as null, numbers
#'   with all their digits.
#' * Parquet: dates as dates, numbers as doubles, TRUE and FALSE as such, everything else as text.
#'   Needs the package nanoparquet.
#' @section Errors:
#' `rollingledger_error_file` for an ending that is not known, a folder that does not exist, a file
#' that exists already or that the ledger was read from, or a disk that is full.
#' @source JSON: RFC 8259. CSV: RFC 4180. Dates: ISO 8601.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' file <- tempfile(fileext = ".csv")
#' statement(fares, per = "year", income = total(fare)) |> write_statement(file)
#' readLines(file)
#' @include question-fields.R
write_statement <- with_fields("write_statement", function(s, file, overwrite) {
  if (!inherits(s, other_tables))
    check_statement(s, needs = character(), own = FALSE)
  kind <- file_kind(file, file_endings("write_statement"))
  check_target(file, overwrite, inputs = files_behind(s))
  if (kind == "parquet") rlang::check_installed("nanoparquet", reason = "to write Parquet files.")
  write_plain_table(plain_frame(s), file, overwrite)
  invisible(file)
})

# Files that were read for a result: entries, and tables beside them.
files_behind <- function(x) {
  asked <- question_behind(x)
  ledger <- if (inherits(x, "ledger_check")) source_facts(x$ledger)
  given <- asked$ledger %||% ledger$given
  c(statement_info(x)$files, ledger$files, unlist(given$file),
    tables_read(given, asked[c("statement", "steps")], asked$show))
}

# The table of a result, without how it was made.
plain_frame <- function(s) {
  across <- days_in_files(s)
  table <- as.data.frame(strip_statement(s))
  stats::setNames(as.data.frame(c(unclass(table), across), optional = TRUE),
                  c(file_heads(s), names(across)))
}

# The lines of a table as CSV, TSV or JSON.
plain_lines <- function(s, format) {
  table <- plain_frame(s)
  if (format == "json") return(json_lines(table))
  path <- tempfile(fileext = paste0(".", format))
  on.exit(unlink(path))
  write_fields(table, path, if (format == "csv") "," else "\t")
  readLines(path, encoding = "UTF-8", warn = FALSE)
}

# A table that no verb made, to a file of any kind.
write_plain_table <- function(table, file, overwrite) {
  kind <- file_kind(file, c(file_endings("write_statement"), "xlsx"))
  if (kind == "xlsx") return(write_table_workbook(table, file, NULL, overwrite))
  write_whole(file, overwrite, function(path) {
    switch(kind,
      json = write_json_rows(table, path),
      parquet = nanoparquet::write_parquet(parquet_table(table), path),
      write_fields(table, path, if (kind == "csv") "," else "\t")
    )
  })
}

# Fields as text of ours, so that numbers have all their digits and days four of the year; quoted
# where they must be (RFC 4180).
write_fields <- function(table, path, sep) {
  table[] <- lapply(table, function(column) if (is.logical(column)) column else plain_text(column))
  data.table::fwrite(table, path, sep = sep, na = "", quote = "auto")
}

write_json_rows <- function(table, path) {
  write_bytes(paste0(paste(json_lines(table), collapse = "\n"), "\n"), path)
}

json_lines <- function(table) {
  quoted <- function(text) {
    each <- unique(text)
    vapply(each, function(one) as.character(jsonlite::toJSON(one, auto_unbox = TRUE, na = "null")),
           "", USE.NAMES = FALSE)[match(text, each)]
  }
  cells <- lapply(table, function(column) {
    if (is.numeric(column) && !is.object(column)) {
      ifelse(is.finite(column), digits_text(column), "null")
    } else if (is.logical(column)) ifelse(is.na(column), "null", lower_text(column))
           else quoted(enc2utf8(plain_text(column)))
  })
  rows <- if (nrow(table) > 0)
    paste0("{", do.call(paste,
                        c(Map(function(key, values) paste0(key, ":", values), quoted(names(table)),
                              unname(cells)), sep = ",")), "}")
  text <- paste0("[", paste(enc2utf8(as.character(rows)), collapse = ",\n"), "]")
  strsplit(text, "\n", fixed = TRUE)[[1]]
}

# Attributes of any kind as text, so that a column has one type in every file.
parquet_table <- function(table) {
  table[] <- lapply(table, function(column) {
    if (is_day_column(column) || is.logical(column)) return(column)
    if (is.numeric(column) && !is.object(column)) as.double(column) else plain_text(column)
  })
  table
}

# A figure as a file, at the size in which it was made to be looked at.
write_figure <- function(figure, file, overwrite = FALSE, width = 1280, height = 800, scale = 1) {
  kind <- file_kind(file, figure_endings)
  force(figure)  # what cannot be drawn says so itself
  check_target(file, overwrite, inputs = files_behind(figure))
  write_whole(file, overwrite, function(path) {
    inches <- c(width, height) / 96
    switch(kind,
      png = grDevices::png(path, width * scale, height * scale, res = 96 * scale,
                           type = if (capabilities("cairo")) "cairo" else getOption("bitmapType")),
      svg = grDevices::svg(path, inches[1], inches[2]),
      # Cairo has letters of every alphabet.
      pdf = if (capabilities("cairo")) grDevices::cairo_pdf(path, inches[1], inches[2])
            else grDevices::pdf(path, inches[1], inches[2])
    )
    tryCatch(print(figure), finally = grDevices::dev.off())
  })
}

# The command starts without the packages that R attaches, to answer at once. Others count on them
# when they draw and write.
attach_usual_packages <- function() {
  usual <- c("methods", "stats", "graphics", "grDevices", "utils")
  for (name in setdiff(usual, sub("^package:", "", search()))) attachNamespace(name)
}
