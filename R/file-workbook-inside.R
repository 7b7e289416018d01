# What the common reader does not tell of a workbook (ISO/IEC 29500, SpreadsheetML): hidden sheets,
# formulas without a stored value, and the currencies of cell formats.

# list(hidden, parts, currencies, bytes, text): names of hidden sheets; where in the file each sheet
# stands; the currency of each cell format; and functions that give the bytes or the text of a part.
workbook_inside <- function(file, sheets) {
  sizes <- tryCatch(utils::unzip(file, list = TRUE), error = function(e) NULL)
  bytes <- function(part) tryCatch({
    con <- unz(file, part, "rb")
    on.exit(close(con))
    readBin(con, "raw", sizes$Length[match(part, sizes$Name)])
  }, error = function(e) raw(), warning = function(w) raw())
  text <- function(part) {
    out <- rawToChar(bytes(part))
    Encoding(out) <- "UTF-8"
    out
  }
  book <- text("xl/workbook.xml")
  tags <- regmatches(book, gregexpr("<(\\w+:)?sheet [^>]*>", book))[[1]]
  if (length(tags) != length(sheets)) return(NULL)
  links <- text("xl/_rels/workbook.xml.rels")
  links <- regmatches(links, gregexpr("<Relationship [^>]*>", links))[[1]]
  target <- sub("^/?(xl/)?", "xl/", tag_value(links, "Target"))
  parts <- target[match(tag_value(tags, "(\\w+:)?id"), tag_value(links, "Id"))]
  list(hidden = sheets[grepl("state=\"(hidden|veryHidden)\"", tags)],
       parts = stats::setNames(parts, sheets), currencies = currencies_of_formats(text),
       bytes = bytes, text = text)
}

tag_value <- function(tags, name) {
  found <- regmatches(tags, regexec(sprintf("[ ]%s=\"([^\"]*)\"", name), tags))
  vapply(found, function(one) if (length(one) > 0) one[length(one)] else NA_character_, "")
}

# The currency that each cell format shows, "" for none; NULL where there are fewer than two.
currencies_of_formats <- function(text) {
  styles <- text("xl/styles.xml")
  formats <- regmatches(styles, gregexpr("<numFmt [^>]*>", styles))[[1]]
  code <- gsub("&quot;", "\"", tag_value(formats, "formatCode"), fixed = TRUE)
  sign <- vapply(code, currency_of_format, "", USE.NAMES = FALSE)
  if (length(unique(sign[nzchar(sign)])) < 2) return(NULL)
  cells <- sub(".*<cellXfs[^>]*>(.*)</cellXfs>.*", "\\1", styles)
  used <- tag_value(regmatches(cells, gregexpr("<xf [^>]*>", cells))[[1]], "numFmtId")
  out <- sign[match(used, tag_value(formats, "numFmtId"))]
  ifelse(is.na(out), "", out)
}

# [$\u20ac-407], "EUR" and \u20ac in a format such as #,##0.00 \u20ac.
currency_of_format <- function(code) {
  marked <- regmatches(code, regexec("\\[\\$([^]-]+)[^]]*\\]", code))[[1]]
  shown <- if (length(marked) > 0) marked[2]
           else gsub("[][#0-9,.;@*_()? \"\\\\-]|Red|General|[dmyhs]+", "", sub(";.*", "", code))
  core_survey_numbers(paste(trimws(shown), "1"), TRUE)$unit
}

# For each of some columns, the currencies of its cells from a row on, where it has several.
marked_currencies <- function(inside, sheet, columns, row, range) {
  if (is.null(inside$currencies)) return(NULL)
  tags <- cell_tags(inside, sheet)
  style <- suppressWarnings(as.integer(tag_value(tags, "s"))) + 1L
  place <- cell_places(tag_value(tags, "r"))
  unit <- inside$currencies[style]
  first <- (range$from_column %||% 1) - 1L
  lapply(columns, function(k) {
    own <- which(place$column == k + first & place$row >= row & !is.na(unit))
    if (length(unique(unit[own][nzchar(unit[own])])) < 2) return(NULL)
    out <- rep("", max(place$row) - row + 1L)
    out[place$row[own] - row + 1L] <- unit[own]
    out
  })
}

cell_tags <- function(inside, sheet) {
  xml <- inside$text(inside$parts[[sheet]])
  regmatches(xml, gregexpr("<c [^>]*>", xml))[[1]]
}

# "B12" as its row and column.
cell_places <- function(names) {
  letters <- gsub("[0-9]", "", names)
  known <- unique(letters)
  column <- vapply(strsplit(known, ""), function(one) {
    Reduce(function(sum, letter) sum * 26 + match(letter, LETTERS), one, 0)
  }, 0)
  list(row = as.integer(gsub("[A-Z]", "", names)), column = column[match(letters, known)])
}

# Formulas without a stored value are no empty cells.
says_of_formulas <- function(inside, sheet, held) {
  if (!isTRUE(held$has_formulas)) return(NULL)
  xml <- inside$text(inside$parts[[sheet]])
  pattern <- "<c [^>]*><f[^>]*(/>|>[^<]*</f>)(<v */>|<v></v>)?</c>"
  found <- regmatches(xml, gregexpr(pattern, xml))[[1]]
  if (length(found) == 0) return(NULL)
  where <- tag_value(sub(">.*", ">", found), "r")
  said <- sprintf("%s without a stored value, such as %s, taken for missing",
                  count_text(length(found), "formula"), where[1])
  tell(sprintf("Sheet \"%s\": %s. Open and save the workbook once, and they are stored.", sheet,
               said), "rollingledger_message_formulas")
  said
}
