# Tables in files: .csv and .tsv, plain or compressed, through data.table's reader. Nothing of a
# file is lost in silence: whatever the reader would skip is refused.

# `unstated_zone`: columns whose date-times are wanted as written, not moved to UTC.
read_table_file <- function(path, text_columns = NULL, unstated_zone = NULL, call = caller_env()) {
  sep <- file_separator(path, call)
  file <- unpacked(path, call)
  if (file != path) on.exit(unlink(file))
  if (file.size(file) == 0) refuse("source", sprintf("The file %s is empty.", path), call = call)
  lines <- check_lines(file, sep, path, call)
  known <- check_header(file, sep, path, call)
  for (name in text_columns) if (!name %in% known)
    refuse_column(name, known, where = basename(path), call = call)
  read <- function(...) {
    read_whole(path, call, data.table::fread(
      file, sep = sep, header = TRUE, na.strings = missing_marks, blank.lines.skip = TRUE,
      keepLeadingZeros = TRUE, integer64 = "character", tz = "",
      encoding = "UTF-8", nThread = core_threads(), data.table = FALSE,
      showProgress = on_terminal(), ...
    ))
  }
  as_text <- if (length(text_columns) > 0) list(character = unique(text_columns))
  table <- read(colClasses = as_text)
  moved <- Filter(function(name) inherits(table[[name]], "POSIXt"), intersect(unstated_zone, known))
  for (name in moved) table[[name]] <- read(select = name, colClasses = list(character = name))[[1]]
  if (!lines$loose && nrow(table) < lines$records - 1) {
    refuse("source",
           c(sprintf("The file %s cannot be read whole: %s of %s lines below the header were read.",
                     path, number_text(nrow(table)), number_text(lines$records - 1)),
                       i = "Look for lines with too many or too few fields."), call = call)
  }
  with_single_quotes(table)
}

# What stands for a missing value in a file, in every column alike; in quotes it is text.
missing_marks <- c("", "NA")

# Every line has as many fields as the header, and no zero bytes; whoever reads the columns would
# skip or join what has not.
check_lines <- function(file, sep, path, call) {
  lines <- core_survey_records(file, sep)
  if (lines$nul_line > 0) {
    refuse("source",
           c(sprintf("The file %s is no plain text: line %s holds a zero byte.", path,
                     number_text(lines$nul_line)),
                       i = "Save it as text in UTF-8; it may be damaged, or written as UTF-16."),
           call = call)
  }
  if (lines$odd_line > 0 && !lines$loose) {
    refuse("source",
           c(sprintf("The file %s cannot be read whole: line %s has %s, and the header has %s.",
                     path, number_text(lines$odd_line),
                               count_text(lines$odd_fields, "field"), number_text(lines$fields)),
                       i = sprintf("A %s within a field needs quotes around the field.",
                                   if (sep == ",") "comma" else "tab")), call = call)
  }
  lines
}

# Quotes within quotes are written twice (RFC 4180).
with_single_quotes <- function(table) {
  single <- function(text) gsub("\"\"", "\"", text, fixed = TRUE)
  for (name in names(table)) {
    if (is.character(table[[name]]) && any(grepl("\"\"", table[[name]], fixed = TRUE)))
      table[[name]] <- single(table[[name]])
  }
  names(table) <- single(names(table))
  table
}

file_separator <- function(path, call) {
  ending <- lower_text(sub("[.]gz$", "", basename(path), ignore.case = TRUE))
  sep <- if (grepl("[.]csv$", ending)) "," else if (grepl("[.]tsv$", ending)) "\t"
  if (is.null(sep)) {
    refuse("source", c(sprintf("The kind of the file %s is not known from its name.", path),
                       i = "Files must end in .csv or .tsv, or in .csv.gz or .tsv.gz."),
           call = call)
  }
  if (!file.exists(path) || dir.exists(path)) {
    near <- nearest_hint(basename(path), list.files(dirname(path)))
    refuse("source", c(sprintf("The file %s does not exist.", path), i = near,
                       i = sprintf("Looked in %s.",
                                   normalizePath(dirname(path), mustWork = FALSE))), call = call)
  }
  sep
}

# A path that can be read as it is: compressed files are unpacked into a temporary one.
unpacked <- function(path, call) {
  if (!grepl("[.]gz$", path, ignore.case = TRUE)) return(path)
  out <- tempfile(fileext = sub("[.]gz$", "", basename(path), ignore.case = TRUE))
  from <- gzfile(path, "rb")
  to <- file(out, "wb")
  on.exit({ close(from); if (!is.null(to)) close(to) })
  problem <- function(e) refuse(
    "source", sprintf("The file %s cannot be unpacked: %s", path, conditionMessage(e)), call = call)
  size <- 0
  tryCatch(
    while (length(bytes <- readBin(from, "raw", 2^24)) > 0) {
      writeBin(bytes, to)
      size <- size + length(bytes)
    },
    error = problem, warning = problem
  )
  close(to)
  to <- NULL
  if (file.size(out) != size) {
    refuse("source",
           c(sprintf("The file %s cannot be unpacked: %s of %s bytes could be kept in %s.", path,
                     number_text(file.size(out)), number_text(size), dirname(out)),
                       i = "Is the disk full?"), call = call)
  }
  if (!gz_is_whole(path, size)) {
    refuse("source",
           c(sprintf("The file %s is cut off or damaged: it does not unpack to the size it states.",
                     path),
             i = "Fetch it again."), call = call)
  }
  out
}

# R unpacks a file that was cut off without a word, so the size in its last four bytes (RFC 1952)
# is compared. A file of several members joined together states that of the last one only.
gz_is_whole <- function(path, unpacked_size) {
  bytes <- readBin(path, "raw", file.size(path))
  n <- length(bytes)
  if (n < 18) return(FALSE)
  stated <- sum(as.integer(bytes[n - 3:0]) * 256^(0:3))
  if (stated == unpacked_size %% 2^32) return(TRUE)
  starts <- which(bytes[seq_len(n - 2)] == 0x1f & bytes[2:(n - 1)] == 0x8b & bytes[3:n] == 0x08)
  for (at in rev(utils::tail(starts[starts > 1], 5))) {
    member <- tryCatch(memDecompress(bytes[at:n], "gzip"), error = function(e) NULL)
    if (!is.null(member) && length(member) %% 2^32 == stated) return(TRUE)
  }
  FALSE
}

# The column names of the first line; refused where that line looks like an entry.
check_header <- function(file, sep, path, call) {
  first <- read_whole(path, call, data.table::fread(
    file, sep = sep, header = FALSE, nrows = 1, blank.lines.skip = TRUE, colClasses = "character",
    encoding = "UTF-8", data.table = FALSE
  ))
  names <- trimws(gsub("\"\"", "\"", unlist(first, use.names = FALSE), fixed = TRUE))
  value_like <- is.na(names) | names == "" | is_plain_number(names) |
    !is.na(core_iso_days(as.character(names)))
  if (any(value_like)) {
    shown <- names[value_like][1]
    refuse("source", c(
      sprintf(
        "The file %s has no header: its first line holds %s where a column name should stand.",
        path,
              if (is.na(shown) || shown == "") "nothing" else sprintf("\"%s\"", shown)),
      i = "Put the column names in the first line."
    ), call = call)
  }
  names
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
  loose_quotes <- grepl("improper quoting", warned)
  if (any(loose_quotes)) {
    inform(sprintf(
      "Some quotes in %s are not doubled or closed; the fields were read as they stand.", path),
           class = "rollingledger_message")
  }
  if (any(!loose_quotes)) refuse_reading(warned[!loose_quotes][1])
  table
}

plain_number <- "^[-+]?([0-9]+([.][0-9]*)?|[.][0-9]+)([eE][-+]?[0-9]+)?$"

is_plain_number <- function(text) {
  plain <- grepl(plain_number, text)
  plain[plain] <- is.finite(as.numeric(text[plain]))
  plain
}
