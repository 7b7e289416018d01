# Files that leave the house: the kind follows from the ending; a file is written whole or not at
# all, and never over another one unless that is asked for.

#' Write a statement to a file for loading elsewhere
#'
#' @param s A [statement()], or a table made of one by [cross_table()], [compare_spans()] or [compare_members()], whose headings
#'   then hold the days; what [reconcile()] or [entries_behind()] gave.
#' @param file Text of length one: a path that ends in `.csv`, `.tsv`, `.json` or `.parquet`.
#'   * CSV and TSV: dates as ISO 8601, numbers with a decimal point and no thousands separators, missing values as empty fields.
#'   * JSON: an array with an object per row; dates as ISO 8601 text, missing values as null, numbers with all their digits.
#'   * Parquet: dates as dates, numbers as doubles, TRUE and FALSE as such, everything else as text. Needs the package nanoparquet.
#' @param overwrite TRUE replaces an existing file.
#' @return `file`, invisibly. It is written whole or not at all.
#' @section Errors:
#' `rollingledger_error_file` for an ending that is not known, a folder that does not exist, or a file
#' that exists already.
#' @source JSON: RFC 8259. Dates: ISO 8601.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' file <- tempfile(fileext = ".csv")
#' statement(fares, per = "year", income = total(fare)) |> write_statement(file)
#' readLines(file)
write_statement <- function(s, file, overwrite = FALSE) {
  if (!inherits(s, c("cross_table", "reconciliation", "entries_behind"))) check_statement(s, needs = character())
  kind <- file_kind(file, c("csv", "tsv", "json", "parquet"))
  check_target(file, overwrite)
  if (kind == "parquet") rlang::check_installed("nanoparquet", reason = "to write Parquet files.")
  table <- as.data.frame(s)
  if (inherits(s, "cross_table")) names(table) <- heading_names(s)
  write_whole(file, overwrite, function(path) {
    switch(kind,
      json = write_json_rows(table, path),
      parquet = nanoparquet::write_parquet(parquet_table(table), path),
      data.table::fwrite(table, path, sep = if (kind == "csv") "," else "\t", na = "", dateTimeAs = "ISO")
    )
  })
}

# Numbers are written with as few digits as give them back.
write_json_rows <- function(table, path) {
  quoted <- function(text) {
    each <- unique(text)
    vapply(each, function(one) as.character(jsonlite::toJSON(one, auto_unbox = TRUE, na = "null")), "", USE.NAMES = FALSE)[match(text, each)]
  }
  cells <- lapply(table, function(column) {
    if (is.numeric(column) && !is.object(column)) {
      text <- sprintf("%.15g", column)
      inexact <- which(is.finite(column) & suppressWarnings(as.numeric(text)) != column)
      text[inexact] <- sprintf("%.17g", column[inexact])
      ifelse(is.finite(column), text, "null")
    } else if (is.logical(column)) ifelse(is.na(column), "null", tolower(column)) else quoted(enc2utf8(plain_text(column)))
  })
  rows <- if (nrow(table) > 0) paste0("{", do.call(paste, c(Map(function(key, values) paste0(key, ":", values), quoted(names(table)), unname(cells)), sep = ",")), "}")
  con <- file(path, "wb")
  on.exit(close(con))
  writeLines(enc2utf8(paste0("[", paste(rows, collapse = ",\n"), "]")), con, useBytes = TRUE)
}

# Attributes of any kind as text, so that a column has one type in every file.
parquet_table <- function(table) {
  table[] <- lapply(table, function(column) if (is.numeric(column) && !is.object(column)) as.double(column) else if (inherits(column, "Date") || is.logical(column)) column else plain_text(column))
  table
}

# Headings of a cross table in one line: "month to date (1 to 17 Sep 2026): income (EUR)".
heading_names <- function(s) {
  known <- attr(s, "columns")
  vapply(names(s), function(name) {
    lines <- known[[name]]$lines
    if (is.null(lines) || lines[1] == "") return(if (is.null(lines)) name else gsub("_", " ", name))
    paste0(lines[1], if (nzchar(lines[2])) sprintf(" (%s)", lines[2]), if (nzchar(lines[3])) paste0(": ", lines[3]))
  }, "", USE.NAMES = FALSE)
}

file_kind <- function(file, kinds, call = caller_env()) {
  if (!rlang::is_string(file)) refuse("file", "`file` must be one path.", call = call)
  kind <- tolower(tools::file_ext(file))
  if (!kind %in% kinds) {
    refuse("file", c(sprintf("The kind of file is not known from the name %s.", basename(file)),
                     i = sprintf("It must end in %s.", listed(paste0(".", kinds), last = "or"))), file = file, call = call)
  }
  kind
}

check_target <- function(file, overwrite, call = caller_env()) {
  one_flag(overwrite, "overwrite", call)
  if (!dir.exists(dirname(file))) {
    refuse("file", sprintf("The folder %s does not exist.", dirname(file)), file = file, call = call)
  }
  if (file.exists(file) && !overwrite) {
    refuse("file", c(sprintf("The file %s exists already.", file),
                     i = "Choose another name, or say `overwrite = TRUE` (`--overwrite` on the command line)."), file = file, call = call)
  }
}

# `write` is given a path beside the target, so that the last step is a rename.
write_whole <- function(file, overwrite, write, call = caller_env()) {
  check_target(file, overwrite, call)
  beside <- tempfile("part-", dirname(file), paste0(".", tools::file_ext(file)))
  on.exit(unlink(beside))
  write(beside)
  if (!file.rename(beside, file)) refuse("file", sprintf("The file %s cannot be written.", file), file = file, call = call)
  invisible(file)
}

# A figure as a file, at the size in which it was made to be looked at.
write_figure <- function(figure, file, overwrite = FALSE, width = 1280, height = 800, scale = 1) {
  kind <- file_kind(file, c("png", "svg", "pdf"))
  write_whole(file, overwrite, function(path) {
    inches <- c(width, height) / 96
    switch(kind,
      png = grDevices::png(path, width * scale, height * scale, res = 96 * scale,
                           type = if (capabilities("cairo")) "cairo" else getOption("bitmapType")),
      svg = grDevices::svg(path, inches[1], inches[2]),
      # Cairo has letters of every alphabet.
      pdf = if (capabilities("cairo")) grDevices::cairo_pdf(path, inches[1], inches[2]) else grDevices::pdf(path, inches[1], inches[2])
    )
    on.exit(grDevices::dev.off())
    print(figure)
  })
}
