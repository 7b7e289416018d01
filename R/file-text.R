# Tables in text: separated fields (RFC 4180 and its kin), with whatever stands above and below
# them. Where the table begins and which lines are no rows is found here; its columns are read by
# data.table.

separators <- c(comma = ",", semicolon = ";", tab = "\t", pipe = "|")

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
  shape <- text_shape(text$file, whole$path, ask, call)
  check_text_columns(shape$names, whole$path, ask, call)
  rows <- rows_surveyed(text$file, whole$path, shape, call)
  from <- list(file = text$file, skip = shape$header_ends)
  if (length(rows$cut$from) > 0) {
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
  list(table = table, apart = rbind(shape$apart, rows$apart),
       numbering = list(word = "line", at = rows$lines),
       says = c(if (shape$separator != ",") paste0(separator_name(shape$separator), "s"),
                text$says, shape$says),
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

# list(separator, names, from, line, header_ends, apart, says): the header begins at a byte and a
# line and ends on the line `header_ends`.
text_shape <- function(file, path, ask, call) {
  begins <- if (identical(readBin(file, "raw", 3), as.raw(c(0xef, 0xbb, 0xbf)))) 3 else 0
  found <- stated_in_first_line(file, begins)
  separator <- ask$separator %||% found$separator %||% separator_of(file, begins, path, call)
  first <- core_first_records(file, separator, records_looked_at, found$from %||% begins)
  if (!is.null(found)) first$line <- first$line + 1
  if (length(first$text) == 0)
    refuse("source", sprintf("The file %s holds no line with text.", path), call = call)
  at <- header_place(first, path, separator, call)
  names <- names_by_place(trimws(first$text[[at]]))
  unnamed <- which(!nzchar(trimws(first$text[[at]])))
  above <- seq_len(at - 1)
  list(separator = separator, names = names, from = first$from[at], line = first$line[at],
       shown = first$text[-seq_len(at)],
       header_ends = first$line[at] + breaks_in(first$text[[at]]),
       apart = lines_apart(first, above, "title line"),
       says = if (length(unnamed) > 0)
         sprintf("no name above column %s, called %s", listed(unnamed), listed(names[unnamed])))
}

records_looked_at <- 200L

# A column without a name goes by its place.
names_by_place <- function(names) {
  ifelse(nzchar(names), names, sprintf("column_%d", seq_along(names)))
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
# headers, and totals after the last entry.
rows_surveyed <- function(file, path, shape, call) {
  known <- core_survey_records(file, shape$separator, shape$from, shape$line, core_threads())
  if (known$records < 2) refuse("source", sprintf("There are no rows in %s.", path), call = call)
  totals <- total_lines(known, shape, file)
  odd <- known$odd - sum(known$last$fields[totals] != length(shape$names))
  if (odd > 0 && !known$loose) {
    refuse("source",
           c(sprintf("The file %s cannot be read whole: line %s has %s, and the header has %s.",
                     path, number_text(known$odd_ones$line[1]),
                     count_text(known$odd_ones$fields[1], "field"),
                     number_text(length(shape$names))),
             i = quotes_hint(shape$separator)), call = call)
  }
  apart <- rbind(lines_apart(known$like_header, seq_along(known$like_header$line),
                             "repeated header"),
                 lines_apart(known$last, totals, "total line"))
  cut <- list(from = c(known$like_header$from, known$last$from[totals]),
              to = c(known$like_header$to, known$last$to[totals]))
  in_order <- order(cut$from)
  count <- known$records - 1 - length(cut$from)
  if (count == 0) refuse("source", sprintf("There are no rows in %s.", path), call = call)
  lines <- if (known$has_breaks || known$has_blanks || nrow(apart) > 0) {
    every <- core_record_lines(file, shape$separator, shape$from, shape$line, known$records - 1)
    every[!every %in% apart$line]
  } else as.integer(shape$header_ends + 1)
  list(count = count, lines = lines, apart = apart, cut = lapply(cut, `[`, in_order),
       loose = known$loose, loose_line = known$loose_line, has_quotes = known$has_quotes)
}

quotes_hint <- function(separator) {
  sprintf("A %s within a field needs quotes around the field.", separator_name(separator))
}

# Which of the last records of a file are totals, beside those that come first.
total_lines <- function(known, shape, file) {
  rows <- core_first_records(file, shape$separator, records_looked_at, shape$from)
  which_are_totals(known$last$text, rows$text[-1], length(shape$names))
}

# Numbers of the last rows that are totals: those that begin with such a word and leave columns
# empty that hold something in the rows before.
which_are_totals <- function(last, rows, width) {
  totals <- integer()
  rows <- lapply(rows[lengths(rows) == width], trimws)
  for (i in rev(seq_along(last))) {
    fields <- trimws(last[[i]])
    filled <- fields[nzchar(fields)]
    if (length(filled) == 0 || !grepl(total_words, filled[1], ignore.case = TRUE)) break
    usual <- Filter(function(row) !identical(row, fields), rows)
    lacks <- length(fields) < width || length(usual) > 0 &&
      any(vapply(which(!nzchar(fields)), function(k) {
        all(vapply(usual, function(row) nzchar(row[k]), TRUE))
      }, TRUE))
    if (!lacks) break
    totals <- c(i, totals)
  }
  totals
}

total_words <- paste0("^(grand |sub|sub-)?(totals?|sum|sums|summe|gesamt|gesamtsumme|endsumme|",
                      "total g[e\u00e9]n[e\u00e9]ral|totaal|totale|suma|soma|somme|razem)\\b")

without_lines <- function(file, shape, cut, path, call) {
  out <- tempfile("rows")
  # The header goes as well.
  header <- core_first_records(file, shape$separator, 1L, shape$from)
  size <- core_copy_without(file, out, shape$from, c(header$from, cut$from), c(header$to, cut$to))
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
    blank.lines.skip = TRUE, keepLeadingZeros = TRUE, integer64 = "character", tz = "",
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
    scale$decimals <= 3L && !point_proved(shape$shown, match(name, shape$names))
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
point_proved <- function(shown, k) {
  known <- core_survey_numbers(unlist(lapply(shown, function(fields) {
    if (length(fields) >= k) trimws(fields[k])
  })), FALSE)
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
