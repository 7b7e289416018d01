# Files of kinds and writings that exports come in, each read as what it is or refused with why.

held_in <- function(lines, ending, encoding = NULL, env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ending, .local_envir = env)
  bytes <- if (is.raw(lines)) lines else charToRaw(paste0(enc2utf8(lines), "\n", collapse = ""))
  if (!is.null(encoding)) bytes <- iconv(list(bytes), "UTF-8", encoding, toRaw = TRUE)[[1]]
  writeBin(bytes, path)
  path
}
sum_of <- function(path, ...) {
  statement(suppressMessages(ledger(path, on = "day", ...)), s = total(amount))$s
}
plain <- c("day,amount", "2026-01-01,10", "2026-01-02,20")

test_that("what the web saves as a workbook is read as the page or the text that it is", {
  skip_if_not_installed("xml2")
  page <- paste0("<html><body><table><tr><td>menu</td></tr></table><table><tr><th>day</th>",
                 "<th>amount</th></tr><tr><td>2026-01-01</td><td>1.234,50</td></tr>",
                 "<tr><td>2026-01-02</td><td>20,00</td></tr></table></body></html>")
  expect_identical(sum_of(held_in(page, ".xls")), 1254.5)
  expect_identical(sum_of(held_in(gsub(",", "\t", plain), ".xls")), 30)
  expect_refused(sum_of(held_in("<html><body>none</body></html>", ".html")), "holds no table",
                 "source")
})

test_that("files packed otherwise are unpacked, and what was cut off is said", {
  for (kind in c("bzip2", "xz")) {
    ending <- c(bzip2 = ".csv.bz2", xz = ".csv.xz")[[kind]]
    path <- withr::local_tempfile(fileext = ending)
    con <- if (kind == "xz") xzfile(path, "w") else bzfile(path, "w")
    writeLines(plain, con)
    close(con)
    expect_identical(sum_of(path), 30)
    cut <- utils::head(readBin(path, "raw", 1e5), -6)
    expect_refused(sum_of(held_in(cut, ending)), "cut off or damaged|cannot be unpacked", "source")
  }
  # Two members joined, the last cut off.
  whole <- memCompress(charToRaw(paste(rep(paste(plain, collapse = "\n"), 500), collapse = "\n")),
                       "gzip")
  member <- function(lines) {
    path <- withr::local_tempfile(fileext = ".gz")
    con <- gzfile(path, "w")
    writeLines(lines, con)
    close(con)
    readBin(path, "raw", 1e6)
  }
  two <- c(member(plain), utils::head(member(sprintf("2026-01-03,%d", 1:5000)), -200))
  spent <- system.time(expect_refused(sum_of(held_in(two, ".csv.gz")), "cut off or damaged",
                                      "source"))
  expect_lt(spent[["elapsed"]], 20)
  expect_identical(sum_of(held_in(c(member(plain), member("2026-01-03,5")), ".csv.gz")), 35)
})

test_that("encodings and separators of old exports are read or named", {
  lines <- c("day,amount,place", "2026-01-01,10,Z\u00fcrich", "2026-01-02,20,K\u00f6ln")
  expect_identical(sum_of(held_in(lines, ".csv", "UTF-32LE")), 30)
  expect_refused(sum_of(held_in(lines, ".csv", "CP850")), "CP850", "source")
  # Dashes and apostrophes between letters are of Windows-1252.
  signs <- c("day,amount,place", "2026-01-01,30,Oysterby\u2013Wickholm O\u2018Neil it\u2019s")
  expect_identical(sum_of(held_in(signs, ".csv", "windows-1252")), 30)
  x <- ledger(held_in(lines, ".csv", "CP850"), on = "day", encoding = "CP850")
  expect_identical(statement(x, by = "place", n = entries())$place, c("K\u00f6ln", "Z\u00fcrich"))
  expect_identical(sum_of(held_in(gsub(",", "~", plain), ".txt")), 30)
  expect_refused(sum_of(held_in(c("day         amount", "2026-01-01  10"), ".txt")),
                 "are separated by spaces", "source")
})

test_that("JSON as services give it is read, and what is odd is said", {
  withr::local_options(rlib_message_verbosity = "verbose")
  rows <- '[{"day":"2026-01-01","amount":10,"of":{"a":1}},{"day":"2026-01-02","amount":20}]'
  path <- held_in(sprintf('{"count":2,"data":%s}', rows), ".json")
  expect_identical(sum_of(path), 30)
  expect_match(paste(format(check_ledger(path)), collapse = " "), "the table under `data`")
  path <- held_in(c('{"day":"2026-01-01","amount":10,"amount":11}',
                    '{"day":"2026-01-02","amount":20}'), ".json")
  expect_message(ledger(path, on = "day"), "The key `amount` stands twice in 1 object")
  path <- held_in(sprintf('{"a":%s,"b":%s}', rows, rows), ".json")
  expect_refused(sum_of(path), "holds 2 tables: a and b", "source")
})

test_that("numbers that count from a day are asked for, and read as said", {
  days <- as.Date(c("2026-01-01", "2026-03-31"))
  counted <- list("days since 1899-12-30" = as.numeric(days) + 25569,
                  "days since 1904-01-01" = as.numeric(days) + 24107,
                  "seconds since 1970-01-01" = as.numeric(days) * 86400,
                  "milliseconds since 1970-01-01" = as.numeric(days) * 86400000)
  for (format in names(counted)) {
    lines <- c("day,amount", sprintf("%.0f,1", counted[[format]]))
    path <- held_in(lines, ".csv")
    said <- sprintf("`date_format = \"%s\"` reads the first, %.0f, as 1 Jan 2026", format,
                    counted[[format]][1])
    expect_refused(sum_of(path), said, "date")
    s <- statement(ledger(path, on = "day", date_format = format), per = "day", n = entries())
    expect_identical(s$period[s$n > 0], c("2026-01-01", "2026-03-31"))
    s <- statement(ledger(data.frame(day = counted[[format]]), on = "day", date_format = format),
                   per = "day", n = entries())
    expect_identical(s$period[s$n > 0], c("2026-01-01", "2026-03-31"))
  }
  # A part of a day is its time.
  x <- ledger(data.frame(day = 46023.75), on = "day", date_format = "days since 1899-12-30")
  expect_identical(statement(x, by = "hour", n = entries())$hour, 18)
  path <- held_in(c("day,amount", "260101,1", "260331,2"), ".csv")
  expect_refused(sum_of(path), "%y%m%d", "date")
  expect_identical(sum_of(path, date_format = "%y%m%d"), 3)
})

test_that("a month with its header alone is no refusal, and names and lines can be stated", {
  withr::local_options(rlib_message_verbosity = "verbose")
  folder <- withr::local_tempdir()
  writeLines(plain, file.path(folder, "a.csv"))
  writeLines(plain[1], file.path(folder, "b.csv"))
  expect_message(x <- ledger(folder, on = "day"), "No rows in b.csv, which is left out")
  expect_identical(statement(x, s = total(amount))$s, 30)
  unlink(file.path(folder, "a.csv"))
  expect_refused(ledger(folder, on = "day"), "no rows", "source")
})

test_that("texts at the start and the end of members are found, whatever the case", {
  table <- data.frame(day = as.Date("2026-01-01"), account = c("A1-x", "a1-y", "B1-X", NA, "xa1"))
  x <- ledger(table, on = "day")
  count <- function(where) statement(x, n = !!sprintf("entries(where = %s)", where))$n
  expect_identical(count("starts_with(account, \"a1\")"), 2)
  expect_identical(count("ends_with(account, \"x\")"), 2)
  expect_identical(count("!starts_with(account, \"a1\")"), 2)
  expect_refused(count("starts_with(day, \"2026\")"), "looks for a piece of text", "measure")
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "t", transform(table, day = as.character(day)))
  y <- ledger(con, table = "t", on = "day")
  expect_identical(statement(y, n = entries(where = ends_with(account, "X")))$n, 2)
})

test_that("what is almost a number has a hint of its own", {
  hint <- function(values, ...) {
    path <- held_in(c("day;amount", paste0("2026-01-01;", values)), ".csv")
    expect_refused(sum_of(path), ..., "measure")
  }
  hint(c("1", "n.a.", "2"), "say `missing = \"n.a.\"`")
  hint(c("1", "5.00 CR"), "CR and DR")
  hint(c("1,23,456", "2,00,000"), "groups of two digits")
  expect_identical(sum_of(held_in(c("day;amount", "2026-01-01;CA$5.50"), ".csv")), 5.5)
  # A second table further down is no part of the first.
  two <- c("day,amount,n", paste0("2026-01-0", 1:9, ",5,1"), "route,fares,sold",
           paste0("2026-02-0", 1:9, ",7,2"))
  expect_refused(sum_of(held_in(two, ".csv")), "seems to hold a second table: line 11", "source")
})

test_that("lines to skip and the names of columns can be stated", {
  bare <- c("2026-01-01;10;a", "2026-01-02;20;b")
  names <- c("day", "amount", "place")
  expect_refused(sum_of(held_in(bare, ".csv")), "no header", "source")
  expect_identical(sum_of(held_in(bare, ".csv"), column_names = names), 30)
  path <- held_in(c("7;8;9", "x;y;z", "", bare, "2026-13-01;1;c"), ".csv")
  x <- suppressMessages(ledger(path, on = "day", skip = 3, column_names = names))
  expect_identical(statement(x, s = total(amount))$s, 30)
  aside <- set_aside(x)
  expect_identical(as.double(aside$row), c(1, 2, 6))
  expect_identical(aside$reason, c("skipped line", "skipped line", "unreadable date"))
  titled <- held_in(c("1;2;3", "4;5;6", "day;amount;place", bare), ".csv")
  expect_identical(sum_of(titled, skip = 2), 30)
  expect_refused(sum_of(held_in(bare, ".csv"), column_names = names[1:2]),
                 "`column_names` are 2, and the rows", "choice")
  expect_refused(sum_of(held_in(bare, ".csv"), skip = 99), "and .* has 2 lines", "choice")
  expect_refused(sum_of(held_in(bare, ".csv"), skip = -1), "must be a whole number", "choice")
  line <- utils::tail(format(check_ledger(path, skip = 3, column_names = names)), 1)
  expect_identical(sum(eval(parse(text = line))$total_amount), 30)
  skip_if_not_installed("readxl")
  skip_if_not_installed("openxlsx")
  book <- withr::local_tempfile(fileext = ".xlsx")
  openxlsx::write.xlsx(data.frame(as.Date("2026-01-01") + 0:1, c(10, 20)), book, colNames = FALSE)
  expect_identical(sum_of(book, column_names = names[1:2]), 30)
  expect_identical(sum_of(book, column_names = names[1:2], skip = 1), 20)
})

test_that("random bytes and cut files are refused, never an error of another kind", {
  set.seed(41)
  whole <- charToRaw(paste(c("Datum;Betrag", sprintf("%02d.01.2026;%d,50 \u20ac", 1:25, 1:25)),
                           collapse = "\n"))
  endings <- c(".csv", ".tsv", ".xlsx", ".xls", ".json", ".jsonl", ".csv.gz", ".csv.bz2", ".csv.xz",
               ".zip", ".html", ".parquet")
  kinds <- character()
  for (try in seq_len(rounds(30, 120))) {
    bytes <- switch(sample(4, 1), as.raw(sample(0:255, sample(3000, 1), TRUE)), {
      at <- sample(length(whole), 20)
      replace(whole, at, as.raw(sample(0:255, 20, TRUE)))
    }, utils::head(memCompress(whole, "gzip"), sample(10:150, 1)),
    utils::head(whole, sample(length(whole), 1)))
    path <- held_in(bytes, sample(endings, 1))
    got <- tryCatch({
      suppressMessages(suppressWarnings(check_ledger(path)))
      "read"
    }, rollingledger_error = function(e) "refused")
    kinds <- c(kinds, got)
    unlink(path)
  }
  expect_setequal(kinds, c("read", "refused"))
  deep <- held_in(paste0(strrep("[", 20000), strrep("]", 20000)), ".json")
  expect_refused(ledger(deep, on = "day"), "cannot be read", "source")
})

test_that("each of several packed files that were joined must be whole", {
  packed <- function(lines) memCompress(charToRaw(paste0(lines, "\n", collapse = "")), "bzip2")
  two <- c(packed(plain), packed(c("2026-01-03,5", "2026-01-04,7")))
  expect_identical(sum_of(held_in(two, ".csv.bz2")), 42)
  for (lost in c(1, 5, 20)) {
    expect_refused(sum_of(held_in(utils::head(two, -lost), ".csv.bz2")),
                   "cut off or damaged|cannot be unpacked", "source")
  }
})

test_that("a workbook in the XML of 2003 is refused as what it is", {
  xml <- paste0("<?xml version=\"1.0\"?><Workbook xmlns=\"urn:schemas-microsoft-com:office:",
                "spreadsheet\"><Worksheet/></Workbook>")
  expect_refused(sum_of(held_in(xml, ".xls")), "XML of 2003, which is not read", "source")
})

test_that("a key that stands twice is told in a long array too", {
  withr::local_options(rlib_message_verbosity = "verbose")
  rows <- sprintf("{\"day\": \"2026-01-01\", \"amount\": %d, \"note\": \"%s\"}", 1:60000,
                  strrep("x", 60))
  rows[3] <- "{\"day\": \"2026-01-01\", \"amount\": 3, \"amount\": 4, \"note\": \"\"}"
  path <- held_in(paste0("[", paste(rows, collapse = ",\n"), "]"), ".json")
  expect_gt(file.size(path), 5e6)
  expect_message(x <- ledger(path, on = "day"), "`amount` stands twice in 1 object")
  expect_identical(statement(x, s = total(amount))$s, 60000 * 60001 / 2)
})
