# The rows of a text: which lines are not rows, and whether as many were read as there are.

# All records: list(count, lines, apart, cut, loose). Lines that are no rows are cut out: further
# headers, totals after the last entry, and stray lines.
rows_surveyed <- function(file, path, shape, call) {
  width <- length(shape$names)
  known <- core_survey_records(file, shape$separator, shape$from, shape$line, width,
                               core_threads())
  if (known$records < 2) refuse_no_rows(path, call)
  totals <- total_lines(known, shape, file)
  odd <- odd_lines(known, width, max(which(!shape$unnamed), 1L),
                   c(known$last$from[totals], known$like_header$from))
  if (odd$refused > 0 && !known$loose) {
    refuse("source",
           c(sprintf("The file %s cannot be read whole: line %s has %s, and the header has %s.",
                     path, row_text(odd$line), count_text(odd$fields, "field"),
                     number_text(width)),
             i = quotes_hint(shape$separator)), call = call)
  }
  apart <- rbind(lines_apart(known$like_header, seq_along(known$like_header$line),
                             "repeated header"),
                 lines_apart(known$last, totals, "total line"),
                 lines_apart(known$odd_ones, odd$stray, "stray line"))
  cut <- data.frame(
    from = c(known$like_header$from, known$last$from[totals], known$odd_ones$from[odd$lines],
             odd$ends$from),
    to = c(known$like_header$to, known$last$to[totals], known$odd_ones$to[odd$lines],
           odd$ends$to))
  cut$whole <- !cut$from %in% odd$ends$from
  lost <- known$odd_ones$line[odd$lines]
  count <- known$records - 1 - sum(cut$whole)
  if (count == 0) refuse_no_rows(path, call)
  lines <- if (known$has_breaks || known$has_blanks || sum(cut$whole) > 0) {
    every <- core_record_lines(file, shape$separator, shape$from, shape$line, known$records - 1)
    every[!every %in% c(apart$line, lost)]
  } else as.integer(shape$header_ends + 1)
  list(count = count, lines = lines, apart = apart, cut = cut[order(cut$from), ],
       loose = known$loose, loose_line = known$loose_line, has_quotes = known$has_quotes,
       short = odd$short, zero_first = known$zero_first)
}

# What the lines are that have another count of fields than the header, by their places among the
# first of them: list(lines, stray, ends, refused, line, fields). `lines` go whole: those of spaces,
# and `stray` ones with a single field of words, such as a footer or the mark of a page. `ends` are
# separators after the last field of a line, which go alone. `short` says whether lines lack fields
# of columns without a name only, from `named` on. What fits none of these is refused.
odd_lines <- function(known, width, named, told) {
  ones <- known$odd_ones
  own <- which(!ones$from %in% told)
  filled <- lapply(ones$text, function(fields) which(nzchar(trimws(fields))))
  blank <- own[lengths(filled)[own] == 0]
  # The bytes of a record without quotes are those of its fields and of what separates them.
  ends <- own[vapply(own, function(i) {
    ones$fields[i] > width && length(filled[[i]]) > 0 && max(filled[[i]]) <= width &&
      ones$to[i] - ones$from[i] == sum(nchar(ones$text[[i]], "bytes")) + ones$fields[i] - 1
  }, TRUE)]
  more <- vapply(ends, function(i) {
    sum(nchar(utils::tail(ones$text[[i]], -width), "bytes")) + ones$fields[i] - width
  }, 0)
  words <- own[vapply(own, function(i) {
    ones$fields[i] == 1 && length(filled[[i]]) == 1 && width > 1 &&
      kind_of_texts(ones$text[[i]]) == "text"
  }, TRUE)]
  # Lines of which there are many are no strays.
  if (length(words) > 20 && length(words) * 20 > known$records) words <- integer()
  short <- own[ones$fields[own] < width & ones$fields[own] >= named & named > 1]
  wrong <- setdiff(own, c(blank, ends, words, short))
  beyond <- known$odd - length(ones$line)
  list(lines = c(blank, words), stray = words, short = length(short) > 0,
       ends = list(from = ones$to[ends] - more, to = ones$to[ends]),
       refused = length(wrong) + beyond,
       line = if (length(wrong) > 0) ones$line[wrong[1]] else utils::tail(ones$line, 1),
       fields = if (length(wrong) > 0) ones$fields[wrong[1]] else utils::tail(ones$fields, 1))
}

quotes_hint <- function(separator) {
  sprintf("A %s within a field needs quotes around the field.", separator_name(separator))
}

# Which of the last records of a file are totals with fewer fields than the rows have.
total_lines <- function(known, shape, file) {
  first <- vapply(known$last$text, function(fields) {
    c(Filter(nzchar, trimws(fields)), "")[1]
  }, "")
  short <- known$last$fields < length(shape$names) & is_total_word(first)
  # None before the last row.
  which(short & rev(cumsum(rev(!short)) == 0))
}

without_lines <- function(file, shape, cut, path, call) {
  out <- tempfile("rows")
  # The header goes as well.
  header <- core_first_records(file, shape$separator, 1L, shape$from)
  size <- core_copy_without(file, out, shape$from, c(header$from, cut$from), c(header$to, cut$to),
                            c(TRUE, cut$whole))
  check_unpacked(out, size, path, call)
  out
}

# Whether as many rows were read as there are.
check_all_rows <- function(table, rows, path, call) {
  if (nrow(table) == rows$count) {
    if (rows$loose) {
      tell(sprintf(paste("Some quotes in %s are not doubled or closed (line %s); the fields were",
                         "read as they stand."), path, row_text(rows$loose_line)))
    }
    return(invisible())
  }
  if (rows$loose) {
    refuse("source",
           c(sprintf("The file %s cannot be read whole: a quote on line %s is not closed.", path,
                     row_text(rows$loose_line)),
             i = "A quote within a field is written twice, and the field stands in quotes."),
           call = call)
  }
  refuse("source",
         c(sprintf("The file %s cannot be read whole: %s of %s lines below the header were read.",
                   path, number_text(nrow(table)), number_text(rows$count)),
           i = "Look for lines with too many or too few fields."), call = call)
}
