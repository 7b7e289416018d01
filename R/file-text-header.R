# Where the table in a text begins: its separator, its header, and what stands above it.

# The file without the lines that are to be skipped, and with the column names that are stated as
# its header: list(file, copy, shift, apart); `shift` is how many lines further down its lines stand
# in the file itself.
as_stated <- function(file, path, ask, call) {
  if (ask$skip == 0 && is.null(ask$named))
    return(list(file = file, shift = 0, apart = no_lines_apart()))
  bytes <- all_bytes(file)
  ends <- which(bytes == as.raw(0x0a))
  if (ask$skip > length(ends)) {
    refuse("choice", sprintf("{skip} is %s, and %s has %s.", number_text(ask$skip), path,
                             count_text(length(ends), "line")), arg = "skip", call = call)
  }
  from <- if (ask$skip > 0) ends[ask$skip] else 0
  skipped <- if (ask$skip > 0) strsplit(rawToChar(bytes[seq_len(from)]), "\r?\n")[[1]]
  filled <- which(nzchar(trimws(skipped)))
  rest <- utils::tail(bytes, length(bytes) - from)
  copy <- tempfile("stated")
  writeBin(rest, copy)
  if (!is.null(ask$named)) {
    separator <- ask$separator %||% separator_of(copy, 0, path, call)
    records <- core_first_records(copy, separator, records_looked_at, 0)
    if (length(records$fields) > 0 && usual_count(records$fields) != length(ask$named)) {
      refuse("choice", sprintf("{column_names} are %s, and the rows of %s have %s.",
                               number_text(length(ask$named)), path,
                               count_text(usual_count(records$fields), "field")),
             arg = "column_names", call = call)
    }
    names <- sprintf("\"%s\"", gsub("\"", "\"\"", enc2utf8(ask$named), fixed = TRUE))
    writeBin(c(charToRaw(paste0(paste(names, collapse = separator), "\n")), rest), copy)
  }
  list(file = copy, copy = copy, shift = ask$skip - !is.null(ask$named),
       apart = data.frame(line = as.integer(filled), reason = rep("skipped line", length(filled)),
                          value = vapply(trimws(skipped[filled]), shortened_text, "", most = 80L,
                                         USE.NAMES = FALSE)))
}

# list(separator, names, from, line, header_ends, apart, says): the header begins at a byte and a
# line and ends on the line `header_ends`.
text_shape <- function(file, path, ask, stated, call) {
  begins <- if (identical(readBin(file, "raw", 3), as.raw(c(0xef, 0xbb, 0xbf)))) 3 else 0
  found <- stated_in_first_line(file, begins)
  separator <- ask$separator %||% found$separator %||% separator_of(file, begins, path, call)
  first <- core_first_records(file, separator, records_looked_at, found$from %||% begins)
  if (!is.null(found)) first$line <- first$line + 1
  first$line <- first$line + stated$shift
  if (length(first$text) == 0)
    refuse("source", sprintf("The file %s holds no line with text.", path), call = call)
  check_not_by_place(first, path, call)
  breaks <- vapply(first$text, breaks_in, 0)
  first <- even_records(first)
  at <- if (is.null(ask$named)) header_place(first, path, separator, call) else 1L
  named <- trimws(first$text[[at]])
  names <- names_by_place(named)
  list(separator = separator, names = names, unnamed = !nzchar(named), from = first$from[at],
       line = first$line[at], shown = first$text[-seq_len(at)],
       header_ends = first$line[at] + breaks[at],
       apart = rbind(stated$apart, lines_apart(first, seq_len(at - 1), "title line")),
       says = says_of_names(named, names))
}

# Columns that stand below each other by spaces alone.
check_not_by_place <- function(first, path, call) {
  if (any(first$fields > 1) || length(first$text) < 2) return(invisible())
  lines <- utils::head(unlist(first$text), 20)
  if (!all(grepl("[^ ] {2,}[^ ]", lines))) return(invisible())
  refuse("source", c(sprintf("The columns of %s are separated by spaces, which is not supported.",
                             path),
                     i = "Save it with commas, semicolons or tabs between the fields."),
         call = call)
}

# The first records with as many fields as the rows have: without separators that end a line, where
# nothing stands behind them, and a header that lacks the name above row numbers with an empty one.
even_records <- function(first) {
  usual <- usual_count(first$fields)
  first$text <- lapply(first$text, function(fields) {
    more <- utils::tail(fields, -usual)
    if (length(more) > 0 && all(!nzchar(trimws(more)))) utils::head(fields, usual) else fields
  })
  first$fields <- lengths(first$text)
  short <- which(first$fields < usual & first$fields > 1)
  rows <- first$text[first$fields == usual]
  if (length(short) == 0 || length(rows) == 0 || short[1] > min(which(first$fields == usual)))
    return(first)
  at_place <- function(k) trimws(vapply(rows, function(fields) fields[k], ""))
  numbers <- suppressWarnings(as.numeric(at_place(1)))
  header <- first$text[[short[1]]]
  lacks <- usual - length(header)
  ends <- vapply(usual + 1L - seq_len(lacks), function(k) all(!nzchar(at_place(k))), TRUE)
  header <- if (all(ends)) c(header, rep("", lacks))
            else if (lacks == 1 && !anyNA(numbers) && all(diff(numbers) == 1)) c("", header)
  if (is.null(header)) return(first)
  first$text[[short[1]]] <- header
  first$fields[short[1]] <- usual
  first
}

# Columns without a name: those without a value are dropped, the others are told.
unnamed_columns <- function(table, shape) {
  at <- which(shape$unnamed & shape$names %in% names(table))
  empty <- vapply(shape$names[at], function(name) all(is.na(table[[name]])), TRUE)
  named <- at[!empty]
  list(empty = shape$names[at[empty]], says = if (length(named) > 0)
    sprintf("no name above column %s, called %s", listed(named), listed(shape$names[named])))
}

records_looked_at <- 200L

# A column without a name goes by its place; one of a name that stands there already by that name
# and a number.
names_by_place <- function(names) {
  names <- ifelse(nzchar(names), names, sprintf("column_%d", seq_along(names)))
  out <- names
  for (i in which(duplicated(names))) {
    number <- 2L
    while (sprintf("%s_%d", names[i], number) %in% c(names, out[seq_len(i - 1L)]))
      number <- number + 1L
    out[i] <- sprintf("%s_%d", names[i], number)
  }
  out
}

# What is said of columns whose names stood there before.
says_of_names <- function(given, names) {
  given <- trimws(given)
  changed <- which(nzchar(given) & given != names)
  if (length(changed) == 0) return(NULL)
  sprintf("a column `%s` stands there already: column %d is called `%s`", given[changed], changed,
          names[changed])
}

breaks_in <- function(fields) {
  sum(nchar(gsub("[^\n]", "", fields)))
}

lines_apart <- function(records, which, reason) {
  if (length(which) == 0) return(no_lines_apart())
  value <- vapply(records$text[which], function(fields) {
    shortened_text(paste(trimws(fields[nzchar(trimws(fields))]), collapse = " | "), 80L)
  }, "")
  data.frame(line = as.integer(records$line[which]), reason = rep(reason, length(which)),
             value = value)
}

# A first line such as sep=; says the separator, as some programs write it for others.
stated_in_first_line <- function(file, begins) {
  line <- readBin(file, "raw", begins + 8)
  line <- line[seq_along(line) > begins]
  end <- match(as.raw(0x0a), line)
  if (is.na(end) || any(line == 0)) return(NULL)
  text <- sub("\r?\n$", "", rawToChar(line[seq_len(end)]))
  if (!grepl("^sep=.$", text)) return(NULL)
  list(separator = substr(text, 5, 5), from = begins + end)
}

# The separator by which most of the first records have the same count of fields, of more than one.
# Of equally good ones the one with more fields.
separator_of <- function(file, begins, path, call) {
  scores <- vapply(separators, function(separator) {
    fields <- core_first_records(file, separator, records_looked_at, begins)$fields
    if (length(fields) == 0) return(0)
    usual <- usual_count(fields)
    if (usual < 2) 0 else mean(fields == usual) + min(usual, 99) / 1000
  }, 0)
  if (all(scores == 0)) "," else separators[[which.max(scores)]]
}

# The count that most have; of equally frequent ones that of the first.
usual_count <- function(fields) {
  counts <- unique(fields)
  counts[which.max(tabulate(match(fields, counts)))]
}

# The number of the record that is the header: the first with the usual count of fields and names in
# them. What stands above it must be titles: lines with less in them.
header_place <- function(first, path, separator, call) {
  usual <- usual_count(first$fields)
  filled <- vapply(first$text, function(fields) sum(nzchar(trimws(fields))), 0L)
  names_enough <- first$fields == usual & filled >= max(1, min(usual, 2), usual / 2)
  at <- which(names_enough)[1]
  if (is.na(at)) at <- 1
  at <- fuller_header(first, at, filled, path)
  above <- seq_len(at - 1)
  problem <- names_problem(first, at, path)
  # A line that is as full as the others is no title, nor is one of several fields where the names
  # do not follow.
  not_titles <- above[filled[above] >= if (is.null(problem)) max(2, usual) else 2]
  if (length(not_titles) > 0) {
    line <- not_titles[1]
    refuse("source",
           c(sprintf("The file %s cannot be read whole: line %s has %s, and the others have %s.",
                     path, row_text(first$line[line]),
                     count_text(first$fields[line], "field"), number_text(usual)),
             i = if (line == 1) "It could be the column names, with one field too many or too few.",
             i = quotes_hint(separator)), call = call)
  }
  if (!is.null(problem)) refuse("source", problem, call = call)
  at
}

# A title may have as many fields as the rows, most of them empty. The header is the next record, of
# a few, with a name in each field and numbers or days below them.
fuller_header <- function(first, at, filled, path) {
  usual <- first$fields[at]
  if (filled[at] == usual) return(at)
  near <- seq_along(filled) > at & seq_along(filled) <= at + 15L
  full <- which(near & filled == usual & first$fields == usual)
  if (length(full) == 0 || any(filled[seq(at, full[1] - 1L)] >= usual)) return(at)
  names <- trimws(first$text[[full[1]]])
  all_text <- all(vapply(names, kind_of_texts, "") == "text") && !anyDuplicated(names)
  below <- first$text[seq_along(first$text) > full[1] & first$fields == usual]
  typed <- length(below) > 0 && any(vapply(below[[1]], kind_of_texts, "") %in% c("number", "day"))
  if (all_text && typed) full[1] else at
}

# Names differ from what stands below them. A number is no name, but that of a year may be one
# (2024, 2025, each a column), and a column may have none. NULL, or lines of a message.
names_problem <- function(first, at, path) {
  names <- trimws(first$text[[at]])
  below <- first$text[seq_along(first$text) > at & first$fields == first$fields[at]]
  below <- utils::head(below, 50)
  kinds <- vapply(seq_along(names), function(i) {
    kind_of_texts(vapply(below, function(fields) fields[i], ""))
  }, "")
  own <- vapply(names, kind_of_texts, "", USE.NAMES = FALSE)
  year <- grepl("^(19|20)[0-9]{2}$", names)
  holds_value <- own == "day" | own == "number" & !year
  named_differently <- any(own == "text" & kinds %in% c("number", "day")) ||
    any(own == "day" & kinds == "number")
  same_below <- holds_value & own == kinds
  if (any(own == "text") && !any(same_below & own == "day") &&
      (named_differently || !any(same_below))) return(NULL)
  if (any(own == "day" & kinds == "number") && !any(same_below)) return(NULL)
  shown <- which(holds_value)[1]
  if (is.na(shown) && any(own == "text" | year)) return(NULL)
  c(
    sprintf("The file %s has no header: %s holds %s where a column name should stand.",
            path, if (at == 1) "its first line" else paste("line", row_text(first$line[at])),
            if (is.na(shown)) "nothing" else sprintf("\"%s\"", names[shown])),
    i = "Put the column names in the first line."
  )
}

# "number", "day", "text" or "nothing".
kind_of_texts <- function(texts) {
  texts <- enc2utf8(texts[!is_missing_mark(texts, missing_marks)])
  if (length(texts) == 0) return("nothing")
  if (core_survey_numbers(texts, TRUE)$others == 0) return("number")
  if (core_survey_dates(texts)$others == 0) "day" else "text"
}
