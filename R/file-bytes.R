# The bytes of a file: whole, unpacked and, for text, in UTF-8.

# list(path, file, name, temporary, says): where its bytes can be read as they are, and the name
# without endings of packing; `temporary` files are to be removed.
whole_file <- function(path, call) {
  whole <- list(path = path, file = path, name = path, temporary = NULL, says = NULL)
  if (path == "-") whole <- taken_from_input(whole, call)
  if (file.size(whole$file) == 0)
    refuse("source", sprintf("The file %s is empty.", path), call = call)
  packed <- lower_text(tools::file_ext(path))
  first <- readBin(whole$file, "raw", 4)
  is_gz <- identical(first[1:2], as.raw(c(0x1f, 0x8b)))
  if (packed == "gz") whole$name <- tools::file_path_sans_ext(path)
  if (packed == "gz" && !is_gz) {
    tell(sprintf("%s is not compressed, whatever its name says, and was read as it is.", path))
    # Readers go by the name too.
    whole$file <- in_temporary(all_bytes(whole$file), path, call)
    whole$temporary <- c(whole$temporary, whole$file)
  }
  other <- if (identical(first[1:3], charToRaw("BZh"))) bzfile
           else if (identical(first, as.raw(c(0xfd, 0x37, 0x7a, 0x58)))) xzfile
  if (packed %in% c("bz2", "xz") && !is.null(other)) whole$name <- tools::file_path_sans_ext(path)
  if (is_gz || !is.null(other)) {
    out <- unpacked(whole$file, path, other %||% gzfile, call)
    whole$temporary <- c(whole$temporary, out)
    whole$file <- out
    if (file.size(out) == 0)
      refuse("source", sprintf("The file %s is empty once unpacked.", path), call = call)
  }
  if (packed == "zip") whole <- taken_from_zip(whole, call)
  whole
}

# What comes in on standard input.
taken_from_input <- function(whole, call) {
  out <- tempfile("input")
  whole$temporary <- out
  input <- file("stdin", "rb")
  to <- file(out, "wb")
  on.exit({
    close(input)
    close(to)
  })
  while (length(bytes <- readBin(input, "raw", 2^20)) > 0) writeBin(bytes, to)
  close(to)
  on.exit(close(input))
  if (file.size(out) == 0)
    refuse("source", "Nothing came in on standard input.", call = call)
  whole$file <- out
  whole
}

# The one table in a zipped folder.
taken_from_zip <- function(whole, call) {
  problem <- function(e) {
    refuse("source", c(sprintf("The file %s cannot be unpacked: %s", whole$path,
                               conditionMessage(e)), i = "Fetch it again."), call = call)
  }
  inside <- tryCatch(utils::unzip(whole$file, list = TRUE), error = problem, warning = problem)
  endings <- unlist(lapply(file_kinds(), function(kind) kind$endings))
  tables <- inside[lower_text(tools::file_ext(inside$Name)) %in% endings &
                     !grepl("(^|/)([.]|__MACOSX)", inside$Name), ]
  if (nrow(tables) != 1) {
    refuse("source",
           c(sprintf("The file %s holds %s, and one is needed.", whole$path,
                     if (nrow(tables) == 0) "no table" else count_text(nrow(tables), "table")),
             i = if (nrow(inside) > 0) sprintf("In it are %s.", listed(inside$Name, most = 5))),
           call = call)
  }
  folder <- tempfile("zip")
  dir.create(folder)
  out <- file.path(folder, basename(tables$Name))
  tryCatch(utils::unzip(whole$file, tables$Name, exdir = folder, junkpaths = TRUE),
           error = problem, warning = problem)
  check_unpacked(out, tables$Length, whole$path, call)
  whole$temporary <- c(whole$temporary, out)
  whole$file <- out
  whole$name <- basename(tables$Name)
  whole
}

# A compressed file is unpacked into a temporary one; `opened` is gzfile, bzfile or xzfile.
unpacked <- function(file, path, opened, call) {
  out <- tempfile("unpacked")
  from <- opened(file, "rb")
  to <- file(out, "wb")
  done <- FALSE
  on.exit({
    close(from)
    if (!done) {
      close(to)
      unlink(out)
    }
  })
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
  tryCatch(close(to), error = problem, warning = problem)
  done <- TRUE
  check_unpacked(out, size, path, call)
  whole <- if (identical(opened, gzfile)) gz_is_whole(file, size)
           else packed_is_whole(file, opened)
  if (!whole) {
    unlink(out)
    refuse("source",
           c(sprintf("The file %s is cut off or damaged: it does not unpack to its end.", path),
             i = "Fetch it again."), call = call)
  }
  out
}

# R unpacks what was cut off without a word. The last bytes of .xz are "YZ"; what begins with the
# mark of .bz2 can be unpacked in memory only where it is whole: the file, and each of several that
# were joined.
packed_is_whole <- function(file, opened) {
  bytes <- readBin(file, "raw", file.size(file))
  if (identical(opened, xzfile)) return(identical(utils::tail(bytes, 2), charToRaw("YZ")))
  starts <- unlist(grepRaw("BZh[1-9]1AY&SY", bytes, all = TRUE))
  ends <- c(starts[-1] - 1L, length(bytes))
  is_whole <- function(from, to) {
    !is.null(tryCatch(memDecompress(bytes[from:to], "bzip2"), error = function(e) NULL,
                      warning = function(w) NULL))
  }
  length(starts) > 0 && all(mapply(is_whole, starts, ends))
}

# What counts is what is on the disk, not what was handed over to it.
check_unpacked <- function(file, size, path, call) {
  held <- file.size(file)
  if (!is.na(held) && held == size) return(invisible())
  unlink(file)
  refuse("source",
         c(sprintf("The file %s cannot be unpacked: %s of %s bytes could be kept in %s.", path,
                   number_text(if (is.na(held)) 0 else held), number_text(size), dirname(file)),
           i = "Is the disk full? Another folder is named by the environment variable TMPDIR."),
         call = call)
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
  part <- tempfile("member")
  on.exit(unlink(part))
  for (at in rev(utils::tail(starts[starts > 1], 5))) {
    writeBin(bytes[at:n], part)
    if (unpacked_bytes(part) %% 2^32 == stated) return(TRUE)
  }
  FALSE
}

# How many bytes a file unpacks to, a stretch at a time.
unpacked_bytes <- function(file) {
  con <- gzfile(file, "rb")
  on.exit(close(con))
  size <- 0
  tryCatch(while ((n <- length(readBin(con, "raw", 2^22))) > 0) size <- size + n,
           error = function(e) NULL, warning = function(w) NULL)
  size
}

# ---- text ----------------------------------------------------------------------

# The file as UTF-8 with lines that end in a line feed: list(file, temporary, says). What is UTF-8
# already is not copied.
text_in_utf8 <- function(file, path, encoding, call) {
  encoding <- encoding %||% encoding_of(file, path, call)
  if (is.null(encoding) || upper_text(encoding) %in% c("UTF-8", "UTF8")) {
    check_plain_text(file, path, call)
    if (!has_old_line_ends(file)) return(list(file = file))
    return(list(file = in_temporary(in_lines(all_bytes(file)), path, call), copied = TRUE))
  }
  if (!upper_text(encoding) %in% upper_text(iconvlist())) {
    refuse("choice", c(sprintf("There is no encoding \"%s\".", encoding),
                       i = nearest_hint(encoding, common_encodings),
                       i = sprintf("Common ones are %s.", listed(common_encodings))),
           arg = "encoding", call = call)
  }
  bytes <- iconv(list(all_bytes(file)), encoding, "UTF-8", toRaw = TRUE)[[1]]
  if (is.null(bytes)) {
    refuse("source", c(sprintf(
      "The file %s cannot be read as %s: it holds bytes that are not valid in it.", path, encoding),
                       i = "Say another {encoding =}, or save it as text in UTF-8."), call = call)
  }
  out <- in_temporary(in_lines(bytes), path, call)
  known <- core_survey_bytes(out)
  if (known$nul_line > 0 || !known$valid) {
    unlink(out)
    refuse("source", c(sprintf("The file %s is not plain text in %s.", path, encoding),
                       i = "It may be damaged, or hold something else; or say its {encoding =}."),
           call = call)
  }
  list(file = out, copied = TRUE, says = paste("encoding", encoding))
}

common_encodings <- c("UTF-8", "UTF-16", "UTF-32", "windows-1252", "CP850", "ISO-8859-1",
                      "ISO-8859-15",
                      "windows-1250", "windows-1251")

all_bytes <- function(file) readBin(file, "raw", file.size(file))

# The encoding that the bytes tell, NULL for UTF-8. What is not UTF-8 is taken for Windows-1252, of
# which Latin-1 is part, and that is said.
encoding_of <- function(file, path, call) {
  first <- readBin(file, "raw", 4000)
  if (identical(first[1:4], as.raw(c(0xff, 0xfe, 0, 0)))) return("UTF-32LE")
  if (identical(first[1:4], as.raw(c(0, 0, 0xfe, 0xff)))) return("UTF-32BE")
  if (identical(first[1:2], as.raw(c(0xff, 0xfe)))) return("UTF-16LE")
  if (identical(first[1:2], as.raw(c(0xfe, 0xff)))) return("UTF-16BE")
  zero <- which(first == 0)
  if (length(zero) * 3 > length(first) && length(first) > 3) {
    if (length(zero) * 3 > 2 * length(first)) {
      place <- unique(zero %% 4)
      if (setequal(place, c(2, 3, 0))) return("UTF-32LE")
      if (setequal(place, c(1, 2, 3))) return("UTF-32BE")
    }
    odd <- zero %% 2 == 1
    if (mean(odd) < 0.05) return("UTF-16LE")
    if (mean(odd) > 0.95) return("UTF-16BE")
  }
  known <- core_survey_bytes(file)
  if (known$nul_line > 0 || known$valid) return(NULL)
  bytes <- all_bytes(file)
  is_dos <- has_letters_of_dos(utils::head(bytes, 1e6))
  if (is_dos || is.null(iconv(list(bytes), "windows-1252", "UTF-8", toRaw = TRUE)[[1]])) {
    refuse("source", c(sprintf("The file %s is not plain text: line %s holds bytes of no letter.",
                               path, row_text(known$bad_line)),
                       i = if (is_dos)
                         "In {encoding = \"CP850\"} they would be letters: say it, or another.",
                       i = if (!is_dos) "It may be damaged; or say its {encoding =}."), call = call)
  }
  tell(sprintf(paste("%s is not UTF-8 (line %s) and was read as Windows-1252;",
                     "{encoding =} says otherwise."), path, row_text(known$bad_line)))
  "windows-1252"
}

# Bytes between letters that are signs in Windows-1252 and letters in the code page of DOS.
has_letters_of_dos <- function(bytes) {
  n <- length(bytes)
  if (n < 3) return(FALSE)
  is_letter <- bytes >= 0x41 & bytes <= 0x5a | bytes >= 0x61 & bytes <= 0x7a
  is_odd <- bytes %in% as.raw(c(0x81:0x84, 0x86:0x89, 0x8b, 0x8d, 0x90, 0x93:0x95, 0x98))
  any(is_odd[2:(n - 1)] & is_letter[1:(n - 2)] & is_letter[3:n])
}

check_plain_text <- function(file, path, call) {
  line <- core_survey_bytes(file)$nul_line
  if (line == 0) return(invisible())
  refuse("source",
         c(sprintf("The file %s is not plain text: line %s holds a zero byte.", path,
                   row_text(line)),
           i = "Save it as text in UTF-8; it may be damaged, or hold something else."),
         call = call)
}

# Lines that end in a carriage return alone.
has_old_line_ends <- function(file) {
  first <- readBin(file, "raw", 65536)
  any(first == 0x0d) && !any(first == 0x0a)
}

in_lines <- function(bytes) {
  if (any(bytes == 0x0d) && !any(bytes == 0x0a)) bytes[bytes == 0x0d] <- as.raw(0x0a)
  if (identical(utils::head(bytes, 3), as.raw(c(0xef, 0xbb, 0xbf)))) bytes <- bytes[-(1:3)]
  bytes
}

in_temporary <- function(bytes, path, call) {
  out <- tempfile("text")
  tryCatch(writeBin(bytes, out), error = function(e) NULL, warning = function(w) NULL)
  check_unpacked(out, length(bytes), path, call)
  out
}
