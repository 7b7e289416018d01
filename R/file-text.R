# Tables in text: separated fields (RFC 4180 and its kin), with whatever stands above and below
# them. Where the table begins and which lines are no rows is found here; its columns are read by
# data.table.

separators <- c(comma = ",", semicolon = ";", tab = "\t", pipe = "|", tilde = "~")

stated_separator <- function(given, call) {
  if (is.null(given)) return(NULL)
  if (rlang::is_string(given) && given %in% separators) return(given)
  separators[[one_of(given, names(separators), "separator", call)]]
}

separator_name <- function(separator) names(separators)[separators == separator]

read_text_file <- function(whole, ask, call) {
  text <- text_in_utf8(whole$file, whole$path, ask$encoding, call)
  temporary <- if (isTRUE(text$copied)) text$file
  on.exit(unlink(temporary))
  stated <- as_stated(text$file, whole$path, ask, call)
  temporary <- c(temporary, stated$copy)
  text$file <- stated$file
  shape <- text_shape(text$file, whole$path, ask, stated, call)
  check_text_columns(shape$names, whole$path, ask, call)
  rows <- rows_surveyed(text$file, whole$path, shape, call)
  shape$fill <- rows$short
  from <- list(file = text$file, skip = shape$header_ends - stated$shift)
  if (nrow(rows$cut) > 0) {
    from <- list(file = without_lines(text$file, shape, rows$cut, whole$path, call), skip = 0)
    temporary <- c(temporary, from$file)
  }
  # One of several files may be asked for its text again, once the others are known.
  copied <- length(c(temporary, whole$temporary)) > 0
  kept <- if (ask$several && copied) all_bytes(from$file)
  read <- function(as_text = NULL, select = NULL, file = from$file) {
    fields_read(file, from$skip, shape, whole$path, as_text, select, ask$missing, call)
  }
  wanted <- columns_spoken_of(shape$names, ask$spoken)
  table <- read(as_text = if (is.null(wanted)) ask$as_text else intersect(ask$as_text, wanted),
                select = wanted)
  check_all_rows(table, rows, whole$path, call)
  table <- doubtful_as_text(table, read, ask, shape)
  if (rows$has_quotes) table <- with_single_quotes(table)
  said <- unnamed_columns(table, shape)
  table <- table[setdiff(names(table), said$empty)]
  list(table = table, apart = rbind(shape$apart, rows$apart),
       numbering = list(word = "line", at = rows$lines),
       says = c(if (shape$separator != ",") paste0(separator_name(shape$separator), "s"),
                text$says, said$says, shape$says),
       as_text = function(name) {
         file <- from$file
         if (!is.null(kept)) {
           file <- tempfile("again")
           on.exit(unlink(file))
           writeBin(kept, file)
         }
         with_single_quotes(read(as_text = name, select = name, file = file))[[name]]
       })
}

# The columns that a question speaks of, where it is known what it asks: list(texts, names). NULL is
# all of them: so it is where a name is none of a column, which an error is about to tell.
columns_spoken_of <- function(columns, spoken) {
  if (is.null(spoken) || !all(spoken$names %in% columns)) return(NULL)
  said <- paste(spoken$texts, collapse = "\n")
  wanted <- columns[vapply(columns, grepl, TRUE, x = said, fixed = TRUE)]
  if (length(wanted) > 0) wanted
}

# ---- where the table begins ------------------------------------------------------

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
  refuse("source", c(sprintf("The columns of %s stand apart by spaces, which is not read.", path),
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

# Columns without a name: those without a value are none, the others are told.
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
                     path, number_text(first$line[line]),
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
            path, if (at == 1) "its first line" else paste("line", number_text(first$line[at])),
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

# ---- the rows ------------------------------------------------------------------

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
                     path, number_text(odd$line), count_text(odd$fields, "field"),
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
       short = odd$short)
}

# What the lines are that have another count of fields than the header, by their places among the
# first of them: list(lines, stray, ends, refused, line, fields). `lines` go whole: those of spaces,
# and `stray` ones with a single field of words, such as a footer or the mark of a page. `ends` are
# separators after the last field of a line, which go alone. `short` says whether lines lack fields
# of columns without a name only, from `named` on. What is none of these is refused.
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
                         "read as they stand."), path, number_text(rows$loose_line)))
    }
    return(invisible())
  }
  if (rows$loose) {
    refuse("source",
           c(sprintf("The file %s cannot be read whole: a quote on line %s is not closed.", path,
                     number_text(rows$loose_line)),
             i = "A quote within a field is written twice, and the field stands in quotes."),
           call = call)
  }
  refuse("source",
         c(sprintf("The file %s cannot be read whole: %s of %s lines below the header were read.",
                   path, number_text(nrow(table)), number_text(rows$count)),
           i = "Look for lines with too many or too few fields."), call = call)
}

# ---- the columns ------------------------------------------------------------------

# Columns as data.table reads them: whole numbers, numbers, days as 2026-01-31, TRUE and FALSE, and
# text for all that is none of them throughout.
fields_read <- function(file, skip, shape, path, as_text, select, marks, call) {
  # Other marks are looked for where they make a column text.
  marks <- intersect(c("", "NA"), c(marks, upper_text(marks)))
  table <- read_whole(path, call, data.table::fread(
    file, sep = shape$separator, dec = ".", header = FALSE, skip = skip, na.strings = marks,
    blank.lines.skip = TRUE, fill = shape$fill, keepLeadingZeros = TRUE,
    integer64 = "character", tz = "",
    encoding = "UTF-8", nThread = core_threads(), data.table = FALSE,
    showProgress = on_terminal(),
    colClasses = list(character = match(as_text, shape$names)),
    select = if (!is.null(select)) match(select, shape$names)
  ))
  names(table) <- select %||% shape$names
  table
}

# What data.table takes for numbers but may be something else is read as the text that stands there:
# digits that are too many for a number, 1.234 that may be a thousand and more, codes such as 12E3,
# and date-times, which count as written.
doubtful_as_text <- function(table, read, ask, shape) {
  shown <- shape$shown[lengths(shape$shown) == length(shape$names)]
  shown <- matrix(unlist(shown), ncol = length(shape$names), byrow = TRUE)
  doubtful <- vapply(names(table), function(name) {
    values <- table[[name]]
    if (inherits(values, "POSIXt")) return(TRUE)
    # 24-1-5 is a day of the year 24 to the reader.
    if (inherits(values, "IDate")) return(any(values < as.Date("1000-01-01"), na.rm = TRUE))
    # Without any value there may be what the reader alone takes for missing.
    if (is.logical(values))
      return(all(is.na(values)) && !"na" %in% lower_text(ask$missing))
    if (!is.double(values) || is.object(values)) return(FALSE)
    said <- stated_writing(ask, name)
    if (!is.null(said)) return(said >= 4L)
    scale <- core_amount_scale(values)
    if (!scale$exact || scale$decimals == 0L) return(TRUE)
    # Whole thousands, 1.500 and 12.300, look like decimals to the reader.
    scale$decimals <= 3L && !point_proved(shown[, match(name, shape$names)])
  }, TRUE)
  if (any(doubtful)) {
    names <- names(table)[doubtful]
    again <- read(as_text = names, select = names)
    for (name in names) {
      said <- stated_writing(ask, name)
      stays <- is.double(table[[name]]) && !is.object(table[[name]]) && is.null(said) &&
        same_numbers(again[[name]])
      if (!stays) table[[name]] <- again[[name]]
    }
  }
  table
}

# Whether the first rows prove that a point stands before the decimals: digits after it that are not
# three.
point_proved <- function(texts) {
  known <- core_survey_numbers(texts, FALSE)
  known$has_mark && !known$both
}

# Whether texts that were read as numbers are these numbers and nothing else.
same_numbers <- function(texts) {
  encoded <- core_encode_text(texts, core_threads())$members
  known <- core_survey_numbers(encoded, TRUE)
  known$others == 0 && !known$both && (known$digits <= 15 || keep_all_digits(encoded))
}

# Quotes within quotes are written twice (RFC 4180).
with_single_quotes <- function(table) {
  single <- function(text) gsub("\"\"", "\"", text, fixed = TRUE)
  for (name in names(table)) {
    if (is.character(table[[name]]) && any(grepl("\"\"", table[[name]], fixed = TRUE)))
      table[[name]] <- single(table[[name]])
  }
  table
}

# What the reader warns of (lines cut off or skipped) would lose entries, so it is an error.
read_whole <- function(path, call, expr) {
  warned <- character()
  refuse_reading <- function(message) {
    refuse("source", c(sprintf("The file %s cannot be read whole.", path), x = message),
           call = call)
  }
  table <- withCallingHandlers(
    tryCatch(expr, error = function(e) refuse_reading(conditionMessage(e))),
    warning = function(w) {
      warned <<- c(warned, conditionMessage(w))
      tryInvokeRestart("muffleWarning")
    }
  )
  # Loose quotes are told by check_all_rows().
  warned <- warned[!grepl("improper quoting", warned)]
  if (length(warned) > 0) refuse_reading(warned[1])
  table
}
