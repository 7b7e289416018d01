# Transport over HTTP, for engines that are asked so: each statement is a request of its own, with
# settings and an id by which it can be stopped; rows come back as lines of text.

# list(url, database, settings, seconds, headers); settings go along with each statement.
new_http_connection <- function(url, database, user, password, seconds) {
  headers <- c("X-ClickHouse-User" = user, "X-ClickHouse-Key" = password)
  con <- list(url = url, database = database, settings = character(), seconds = seconds,
              headers = headers[nzchar(headers)])
  structure(con, class = "http_connection")
}

http_transport <- list(
  rows = function(con, text, values) http_rows(con, text),
  run = function(con, text, values) http_rows(con, text),
  close = function(con) NULL
)

# Rows of a statement as columns by name. `settings` are for this one beside those of all.
http_rows <- function(con, text, settings = character()) {
  id <- new_query_id()
  path <- tempfile("rolling-ledger-rows-")
  on.exit(unlink(path))
  done <- FALSE
  # Stopped here, it must be stopped there as well; what stops it has its own request.
  on.exit(if (!done) stop_http_query(con, id), add = TRUE, after = FALSE)
  status <- http_sent(con, paste(text, "FORMAT TabSeparatedWithNamesAndTypes"), id, settings, path)
  done <- TRUE
  if (status != 200) stop(http_problem(path), call. = FALSE)
  rows_of_tabs(path)
}

# Sends a statement; the answer is written to a file. The answer's status is given back.
http_sent <- function(con, text, id, settings, path) {
  asked <- c(con$settings[setdiff(names(con$settings), names(settings))], settings,
             c(database = con$database, query_id = id))
  url <- sprintf("%s/?%s", con$url, paste0(names(asked), "=", curl::curl_escape(asked),
                                           collapse = "&"))
  body <- charToRaw(enc2utf8(text))
  handle <- curl::new_handle(post = TRUE, postfieldsize = length(body), postfields = body,
                             connecttimeout = 10, timeout = con$seconds + 30)
  curl::handle_setheaders(handle, .list = as.list(c(con$headers, Expect = "")))
  curl::curl_fetch_disk(url, path, handle = handle)$status_code
}

# Names of temporary files are told apart without touching the random numbers of the user.
new_query_id <- function() {
  sprintf("%s-%d", basename(tempfile("rolling-ledger-")), Sys.getpid())
}

stop_http_query <- function(con, id) {
  path <- tempfile("rolling-ledger-stop-")
  on.exit(unlink(path))
  con$seconds <- 5
  try(http_sent(con, sprintf("KILL QUERY WHERE query_id = '%s' ASYNC", id), new_query_id(),
                character(), path), silent = TRUE)
}

http_problem <- function(path) {
  said <- paste(readLines(path, n = 20, warn = FALSE, encoding = "UTF-8"), collapse = " ")
  if (nzchar(said)) said else "It gave no reason."
}

# ---- rows as text -----------------------------------------------------------------------

# Lines of values apart by tabs, after one of names and one of types; "\N" is a missing value and a
# backslash stands before what would else end a value.
rows_of_tabs <- function(path) {
  lines <- readLines(path, n = 3, warn = FALSE, encoding = "UTF-8")
  if (length(lines) < 2) return(list())
  head <- strsplit(lines[1:2], "\t", fixed = TRUE)
  names <- head[[1]]
  columns <- if (length(lines) == 2) {
    rep(list(character()), length(names))
  } else if (length(names) == 1) {
    # A line may be an empty text.
    list(replace_missing(readLines(path, warn = FALSE, encoding = "UTF-8")[-(1:2)]))
  } else {
    as.list(data.table::fread(path, sep = "\t", header = FALSE, skip = 2, quote = "",
                              na.strings = "\\N", colClasses = "character", encoding = "UTF-8",
                              strip.white = FALSE, data.table = FALSE, showProgress = FALSE,
                              nThread = 1L))
  }
  stats::setNames(Map(values_of_tabs, columns, head[[2]]), names)
}

replace_missing <- function(values) {
  values[values == "\\N"] <- NA
  values
}

values_of_tabs <- function(values, type) {
  type <- sub("^Nullable\\((.*)\\)$", "\\1", type)
  if (grepl("^(U?Int(8|16|32)|Float(32|64))$", type)) return(as.double(values))
  if (type == "Nothing") return(rep(NA, length(values)))
  if (grepl("^(U?Int|Decimal)", type)) {
    # Of these a double might lose digits.
    return(if (all(nchar(values) <= 15, na.rm = TRUE)) as.double(values) else values)
  }
  values <- unescaped(enc2utf8(values))
  if (type == "Bool") values == "true" else values
}

unescaped <- function(values) {
  at <- which(grepl("\\", values, fixed = TRUE))
  if (length(at) == 0) return(values)
  found <- gregexpr("(?s)\\\\.", values[at], perl = TRUE)
  marks <- c(t = "\t", n = "\n", r = "\r", b = "\b", f = "\f", "0" = "", a = "\a", v = "\v")
  texts <- values[at]
  regmatches(texts, found) <- lapply(regmatches(texts, found), function(pairs) {
    letter <- substring(pairs, 2)
    if ("0" %in% letter) stop("A text holds a byte of zero, which no text can.", call. = FALSE)
    ifelse(letter %in% names(marks), marks[letter], letter)
  })
  values[at] <- texts
  values
}
