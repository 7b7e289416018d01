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
  shape$zero_first <- rows$zero_first
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
# all of them: so it is where a name is not that of a column, which an error is about to tell.
columns_spoken_of <- function(columns, spoken) {
  if (is.null(spoken) || !all(spoken$names %in% columns)) return(NULL)
  said <- paste(spoken$texts, collapse = "\n")
  wanted <- columns[vapply(columns, grepl, TRUE, x = said, fixed = TRUE)]
  if (length(wanted) > 0) wanted
}

# ---- the columns ------------------------------------------------------------------

# Columns as data.table reads them: whole numbers, numbers, days as 2026-01-31, TRUE and FALSE, and
# text for all that is not one of them throughout.
fields_read <- function(file, skip, shape, path, as_text, select, marks, call) {
  # Other marks are looked for where they make a column text.
  marks <- intersect(c("", "NA"), c(marks, upper_text(marks)))
  table <- read_whole(path, call, data.table::fread(
    file, sep = shape$separator, dec = ".", header = FALSE, skip = skip, na.strings = marks,
    # It takes days as 2026-01-31 for text where zeros are kept.
    blank.lines.skip = TRUE, fill = shape$fill, keepLeadingZeros = shape$zero_first,
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
    if (inherits(values, "IDate")) return(any(unclass(values) < first_plain_day, na.rm = TRUE))
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

first_plain_day <- as.integer(as.Date("1000-01-01"))

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
