# One table in many dialects, read back without a word said about the dialect.

dialect_at_random <- function() {
  separator <- sample(c(",", ";", "\t", "|"), 1)
  decimal <- sample(c(".", ","), 1)
  list(separator = separator, decimal = decimal,
       thousands = sample(setdiff(c("", ",", ".", " ", "'"), decimal), 1),
       quotes = sample(c(TRUE, FALSE), 1),
       encoding = sample(c("UTF-8", "UTF-8 with mark", "UTF-16LE", "windows-1252"), 1),
       ends = sample(c("\n", "\r\n", "\r"), 1),
       dates = sample(c("%Y-%m-%d", "%d.%m.%Y", "%m/%d/%Y", "%d %b %Y", "%Y/%m/%d", "%Y%m%d",
                        "%d/%m/%y", "%y-%m-%d", "%B %d, %Y"), 1),
       missing = sample(c("", "NA", "N/A", "null", "-"), 1), titles = sample(0:2, 1))
}

in_dialect <- function(table, d) {
  amount <- formatC(abs(table$amount), format = "f", digits = 2, big.mark = d$thousands,
                    decimal.mark = d$decimal)
  amount <- ifelse(table$amount < 0, paste0("-", amount), amount)
  columns <- list(format(table$day, d$dates), table$place, amount)
  columns[-1] <- lapply(columns[-1], function(text) ifelse(is.na(text) | text == "NA", d$missing,
                                                           text))
  columns[[3]][is.na(table$amount)] <- d$missing
  quote <- function(text) {
    needs <- d$quotes | grepl("[\"\n]", text) | grepl(d$separator, text, fixed = TRUE)
    ifelse(needs, paste0("\"", gsub("\"", "\"\"", text, fixed = TRUE), "\""), text)
  }
  lines <- do.call(paste, c(lapply(columns, quote), sep = d$separator))
  lines <- c(c("Saltmarsh Ferries", "Takings")[seq_len(d$titles)],
             paste(quote(c("day", "place", "amount")), collapse = d$separator), lines)
  bytes <- charToRaw(paste0(paste(enc2utf8(lines), collapse = d$ends), d$ends))
  switch(d$encoding, "UTF-8" = bytes, "UTF-8 with mark" = c(as.raw(c(0xef, 0xbb, 0xbf)), bytes),
         "UTF-16LE" = c(as.raw(c(0xff, 0xfe)),
                        iconv(list(bytes), "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]]),
         iconv(list(bytes), "UTF-8", d$encoding, toRaw = TRUE)[[1]])
}

test_that("random tables in random dialects are read back as they were", {
  set.seed(31)
  path <- withr::local_tempfile(fileext = ".csv")
  met <- character()
  for (try in seq_len(rounds(50, 150))) {
    n <- sample(30:60, 1)
    table <- data.frame(
      day = as.Date("2025-01-01") + sample(600, n, TRUE),
      place = sample(c("Oysterby", "Z\u00fcrich, See", "Quay \"7\"", "a\u00e9", NA), n, TRUE),
      amount = round(stats::rnorm(n, 0, 3000), 2))
    # Days beyond the 12th prove the order, amounts of all sizes the marks.
    table$day[1:2] <- as.Date(c("2025-03-25", "2025-04-28"))
    table$amount[1:4] <- c(0.5, 1234.56, -1000000.25, NA)
    d <- dialect_at_random()
    writeBin(in_dialect(table, d), path)
    said <- paste(names(d), d, sep = "=", collapse = " ")
    x <- tryCatch(suppressMessages(ledger(path, on = "day")), rollingledger_error_date = identity)
    if (inherits(x, "error")) {
      # Years of two digits may stand first as well: then the remedy that is told works.
      expect_match(d$dates, "%y", info = said)
      expect_match(conditionMessage(x), sprintf("`date_format = \"%s\"`", d$dates), fixed = TRUE)
      x <- suppressMessages(ledger(path, on = "day", date_format = d$dates))
      met <- c(met, "asked")
    }
    s <- statement(x, per = "day", by = "place", amt = total(amount), n = entries())
    expected <- statement(ledger(table, on = "day"), per = "day", by = "place", amt = total(amount),
                          n = entries())
    expect_identical(as.data.frame(s), as.data.frame(expected), info = said)
    expect_identical(nrow(set_aside(x)), d$titles, info = said)
    met <- c(met, paste(names(d), d))
  }
  expect_gt(length(unique(met)), rounds(16, 32))
})

test_that("several files are one ledger, and a month sent twice is told", {
  withr::local_options(rlib_message_verbosity = "verbose")
  folder <- withr::local_tempdir()
  write <- function(name, lines) written(folder, name, lines)
  write("2026-01.csv", day_file("2026-01-03,5", "2026-01-31,7"))
  write("2026-02.csv", c("amount,day", "6.50,2026-02-01", "x,2026-02-02"))
  expect_message(x <- ledger(folder, on = "day", amounts = "amount"), "1 of 4 entries set aside")
  s <- statement(x, by = "file", amt = total(amount))
  expect_identical(s$file, c("2026-01.csv", "2026-02.csv"))
  expect_identical(s$amt, c(12, 6.5))
  expect_identical(set_aside(x)[c("row", "file")],
                   tibble::tibble(row = 3L, file = "2026-02.csv"))
  write("2026-01 (1).csv", day_file("2026-01-03,5", "2026-01-31,7"))
  expect_message(ledger(file.path(folder, "2026-01*.csv"), on = "day"),
                 "2 of 2 rows in 2026-01.csv stand in 2026-01 \\(1\\).csv too")
  write("other.csv", c("day,sum", "2026-01-03,5"))
  expect_refused(ledger(folder, on = "day"), "not of one layout: .*other.csv lacks .*`amount`",
                 "source")
})

test_that("workbooks, Parquet and zipped tables are read with their kinds of cells", {
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  withr::local_options(rlib_message_verbosity = "verbose")
  folder <- withr::local_tempdir()
  table <- data.frame(day = as.Date("2026-01-30") + 0:2, code = c("007", "08", NA),
                      amount = c(1.5, NA, -2.25), mixed = c("5", "x", "6"))
  total_of <- function(path, ...) {
    x <- suppressMessages(ledger(path, on = "day", ...))
    list(sum = statement(x, amt = total(amount))$amt, by = statement(x, by = "code")$code, x = x)
  }
  book <- openxlsx::createWorkbook()
  openxlsx::addWorksheet(book, "Notes")
  openxlsx::writeData(book, "Notes", "nothing here")
  openxlsx::addWorksheet(book, "Takings")
  openxlsx::writeData(book, "Takings", "Saltmarsh Ferries")
  openxlsx::writeData(book, "Takings", table, startRow = 3, startCol = 2)
  openxlsx::writeData(book, "Takings", data.frame("Total", NA, -0.75), startRow = 7, startCol = 2,
                      colNames = FALSE)
  xlsx <- file.path(folder, "takings.xlsx")
  openxlsx::saveWorkbook(book, xlsx)
  expect_refused(ledger(xlsx, on = "day", sheet = "Taking"), "Did you mean `Takings`", "choice")
  got <- total_of(xlsx, sheet = "Takings")
  expect_identical(got$sum, -0.75)
  expect_identical(got$by, c("007", "08", NA))
  expect_identical(set_aside(got$x)[c("row", "reason")],
                   tibble::tibble(row = c(1L, 7L), reason = c("title line", "total line")))
  expect_identical(total_of(xlsx, sheet = 2, cells = "B3:E6")$sum, -0.75)
  renamed <- file.path(folder, "export.csv")
  file.copy(xlsx, renamed)
  expect_message(x <- ledger(renamed, on = "day", sheet = 2), "is a workbook, whatever its name")
  skip_if_not_installed("nanoparquet")
  parquet <- file.path(folder, "takings.parquet")
  nanoparquet::write_parquet(table, parquet)
  expect_identical(total_of(parquet)$sum, -0.75)
  skip_if_not_installed("readODS")
  ods <- file.path(folder, "takings.ods")
  readODS::write_ods(table, ods)
  expect_identical(total_of(ods)$sum, -0.75)
})
