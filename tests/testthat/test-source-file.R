plain <- c("ticket,sailed_on,account,fare", "1,2026-01-01,000123,1.10", "2,2026-01-02,000045,",
           "3,2026-02-01,,3.30")

test_that("csv, tsv and their compressed forms give the same figures", {
  for (ending in c(".csv", ".tsv", ".csv.gz", ".tsv.gz")) {
    lines <- if (grepl("tsv", ending)) gsub(",", "\t", plain) else plain
    x <- ledger(csv_file(lines, ending), on = "sailed_on")
    s <- statement(x, per = "month", income = total(fare), entries = entries())
    expect_identical(s$income, c(1.1, 3.3))
    expect_identical(s$entries, c(2, 1))
  }
})

test_that("codes keep leading zeros and an empty field is missing", {
  x <- ledger(csv_file(plain), on = "sailed_on")
  expect_identical(statement(x, by = "account")$account, c("000045", "000123", NA))
  x <- ledger(csv_file(c("day,code", "2026-01-01,17", "2026-01-01,9")), on = "day", codes = "code")
  expect_identical(statement(x, by = "code")$code, c("17", "9"))
  # NA is missing in every column alike, in quotes or not; what else is missing may be said.
  x <- ledger(csv_file(
    c("day,country,fare", "2026-01-01,NA,NA", "2026-01-01,,-", "2026-01-01,\"NA\",\"n/a\"",
      "2026-01-01,DE,2")), on = "day")
  s <- statement(x, by = "country", trips = entries(), fares = entries(where = !is_missing(fare)))
  expect_identical(s$country, c("DE", NA))
  expect_identical(c(s$trips, s$fares), c(1, 3, 1, 0))
  x <- ledger(csv_file(c("day,country", "2026-01-01,NA", "2026-01-01,")), on = "day", missing = "")
  expect_identical(statement(x, by = "country")$country, c("NA", NA))
})

test_that("a few unreadable amounts are set aside; codes are never taken for amounts", {
  lines <- c("day,fare,berth", sprintf("2026-01-%02d,%d.5,0%d", 1:28, 1:28, 1:28),
             "2026-02-01,see note,12")
  # Mostly numbers stay text until they are said to be amounts: no row is set aside for them.
  x <- ledger(csv_file(lines), on = "day")
  expect_identical(nrow(set_aside(x)), 0L)
  expect_refused(statement(x, income = total(fare)),
                 "1 of its values is not a number, such as \"see note\" in line 30", "measure")
  x <- ledger(csv_file(lines), on = "day", amounts = "fare")
  expect_identical(set_aside(x)[c("row", "value")], tibble::tibble(row = 30L, value = "see note"))
  expect_identical(statement(x, income = total(fare))$income, sum(1:28 + 0.5))
  expect_refused(statement(x, sum_of_berths = total(berth)), "`berth` holds text", "measure")
  mixed <- c("day,fare", "2026-01-01,1", "2026-01-02,x", "2026-01-03,2")
  x <- ledger(csv_file(mixed), on = "day")
  expect_refused(statement(x, i = total(fare)), "say `amounts = \"fare\"`", "measure")
  x <- ledger(csv_file(mixed), on = "day", amounts = "fare")
  expect_identical(statement(x, i = total(fare))$i, 3)
})

test_that("the demo file holds the demo table and its five bad rows", {
  x <- ledger(demo_csv(), on = c(sailed = "sailed_on", booked = "booked_on"), calendar = april,
              amounts = "fare")
  expect_identical(sort(set_aside(x)$reason),
                   sort(c("no date", "unreadable date", "unreadable amount",
                          rep("dated after the as-of day", 2))))
  a <- statement(x, per = "fiscal quarter", by = c("route", "channel"), income = total(fare),
                 trips = entries())
  b <- statement(demo_ledger(), per = "fiscal quarter", by = c("route", "channel"),
                 income = total(fare), trips = entries())
  expect_identical(as.data.frame(a), as.data.frame(b), ignore_attr = TRUE)
})

test_that("date-times in files count as in tables", {
  lines <- c("at", "2026-03-01T23:30:00-05:00", "2026-03-01T23:30:00-05:00")
  expect_identical(statement(ledger(csv_file(lines), on = "at"))$from, as.Date("2026-03-01"))
  expect_identical(statement(ledger(csv_file(lines), on = "at", time_zone = "UTC"))$from,
                   as.Date("2026-03-02"))
  expect_identical(statement(ledger(csv_file(c("at", "2026-03-01 23:30:00")), on = "at"))$from,
                   as.Date("2026-03-01"))
  expect_refused(ledger(csv_file(c("day", "03/04/2026")), on = "day"),
                 "day first or month first", "date")
  x <- ledger(csv_file(c("day", "03/04/2026")), on = "day", date_format = "%d/%m/%Y")
  expect_identical(statement(x)$from, as.Date("2026-04-03"))
})

test_that("quoted fields keep commas, quotes and line ends", {
  lines <- c("day,quay,fare", "2026-01-01,\"North, \"\"old\"\"\",1", "2026-01-01,\"two",
             "lines\",2")
  x <- ledger(csv_file(lines), on = "day")
  expect_identical(statement(x, by = "quay", fare_total = total(fare))$fare_total, c(1, 2))
})

test_that("files that cannot be used whole are refused", {
  is_source_error <- function(file, message) expect_error(
    ledger(file, on = "day"), message, class = "rollingledger_error_source")
  is_source_error("nowhere.csv", "does not exist")
  is_source_error(csv_file(plain, ".export"), "is not known from its name")
  is_source_error(csv_file(character()), "is empty")
  is_source_error(csv_file(c("2026-01-01,5", "2026-01-02,6")),
                  "has no header: its first line holds \"2026-01-01\"")
  is_source_error(csv_file(c(",,", "2026-01-01,1,2")), "has no header: line 2 holds")
  is_source_error(csv_file(c("day,fare", "2026-01-01,1", "2026-01-02,2,3,4", "2026-01-03,3")),
                  "cannot be read whole")
  is_source_error(csv_file("day,fare"), "no rows")
  expect_refused(ledger(csv_file(plain), on = "sailed"), "Did you mean `sailed_on`", "column")
  expect_refused(ledger(csv_file(plain), on = "sailed_on", codes = "acount"),
                 "Did you mean `account`", "column")
  broken <- csv_file(plain, ".csv.gz")
  writeBin(readBin(broken, "raw", 1e4)[1:40], broken)
  expect_refused(ledger(broken, on = "sailed_on"), "cut off or damaged", "source")
  half <- withr::local_tempfile(fileext = ".csv.gz")
  writeBin(readBin(demo_csv(), "raw", 900000), half)
  expect_refused(ledger(half, on = "sailed_on"), "cut off or damaged", "source")
  joined <- csv_file(plain, ".csv.gz")
  writeBin(c(readBin(joined, "raw", 1e5),
             readBin(csv_file("4,2026-02-02,1,1", ".csv.gz"), "raw", 1e5)), joined)
  expect_identical(statement(ledger(joined, on = "sailed_on"))$entries, 4)
})

test_that("no line is lost, no quote doubled, no zero byte swallowed", {
  loose <- csv_file(c("day,fare", "2026-01-01,2,", "2026-01-02,3"))
  expect_identical(statement(ledger(loose, on = "day"), fare = total(fare))$fare, 5)
  expect_refused(
    ledger(csv_file(c("day,fare", "2026-01-01,2", "2026-01-02,3,4", "2026-01-03,5")), on = "day"),
                 "line 3 has 3 fields", "source")
  expect_refused(ledger(csv_file(c("day,fare", "2026-01-01,2", "2026-01-02")), on = "day"),
                 "line 3 has 1 field,", "source")
  quoted <- csv_file(
    c("day,\"the \"\"fare\"\"\",note", "2026-01-01,2,\"a \"\"b\"\", c\"", "2026-01-02,3,\"two",
      "lines\"", "2026-01-03,4,\"\"\"\""))
  x <- ledger(quoted, on = "day")
  expect_identical(c(x$read, x$used), c(3L, 3L))
  expect_identical(statement(x, by = "note")$note, c("\"", "a \"b\", c", "two\nlines"))
  expect_true("the \"fare\"" %in% names(x$columns))
  zero <- withr::local_tempfile(fileext = ".csv")
  writeBin(c(charToRaw("day,fare\n2026-01-01,5"), as.raw(0), charToRaw("6\n")), zero)
  expect_refused(ledger(zero, on = "day"), "line 2 holds a zero byte", "source")
  # What is written is read again as it was.
  table <- data.frame(day = as.Date("2026-01-01") + 0:3,
                      note = c("say \"so\"", "a,b", "c\nd", "\"\""),
                      fare = c(100000, 12345678901234.57, 0.1, 1 / 3))
  s <- statement(ledger(table, on = "day"), per = "day", by = "note", mean_fare = average(fare),
                 where = !is_missing(fare))
  file <- withr::local_tempfile(fileext = ".csv")
  write_statement(s, file)
  read <- rollingledger:::read_table_file(file)
  expect_identical(read$note, s$note)
  expect_identical(as.double(read$mean_fare), s$mean_fare)
})
