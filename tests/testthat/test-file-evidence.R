# What counts as evidence of how numbers and dates are written: their text, never a value that could
# be another.

amount_of <- function(lines, ..., ending = ".csv") {
  path <- withr::local_tempfile(fileext = ending)
  writeLines(lines, path)
  statement(suppressMessages(ledger(path, on = "day", ...)), s = total(amount))$s
}
days_with <- function(amounts, separator = ";") {
  c(paste0("day", separator, "amount"),
    paste0("2026-01-", sprintf("%02d", seq_along(amounts) + 9), separator, amounts))
}

days_of_many <- function(text) c("day;amount", paste0("2026-01-10;", text))

test_that("whole thousands are never taken for decimals, whatever the mark", {
  for (amounts in list(c("1.500", "2.500", "12.300"), c("700", "1.500"), c("-1.500", "2.250"),
                       c("1.500 EUR", "2.500 EUR"), c("1,500", "2,500", "12,300"))) {
    expect_refused(amount_of(days_with(amounts)), "could be", "measure")
    digits <- as.numeric(gsub("[^0-9-]", "", amounts))
    point <- grepl(".", amounts[2], fixed = TRUE)
    expect_identical(amount_of(days_with(amounts),
                               number_format = if (point) "1.234,56" else "1,234.56"), sum(digits))
    expect_identical(amount_of(days_with(amounts),
                               number_format = if (point) "1234.56" else "1234,56"),
                     sum(ifelse(grepl("[.,]", amounts), digits / 1000, digits)))
  }
  # One text is enough to prove the point: other digits after it than three, or more before it.
  for (one in c("2.5", "1234.500", "0.125", "3.1415"))
    expect_equal(amount_of(days_with(c("1.500", one))), 1.5 + as.numeric(one))
  # Proved beyond the first rows, which are looked at alone at first.
  many <- c(rep("1.500", 400), "2.25")
  lines <- c("day;amount", paste0("2026-01-10;", many))
  expect_identical(amount_of(lines), 600 + 2.25)
  expect_refused(amount_of(lines[-402]), "could be", "measure")
})

test_that("random whole thousands are asked for, and the remedy gives the truth", {
  set.seed(7)
  for (try in seq_len(rounds(15, 40))) {
    n <- sample(1:60, 1)
    truth <- sample(c(1:999, 1000:999999), n, TRUE) * sample(c(1, 1, -1), n, TRUE)
    mark <- sample(c(".", ","), 1)
    text <- formatC(truth, format = "d", big.mark = mark,
                    decimal.mark = if (mark == ".") "," else ".")
    got <- tryCatch(amount_of(days_of_many(text)), rollingledger_error = identity)
    marked <- grepl(mark, text, fixed = TRUE)
    # Two marks in one number prove it.
    if (!any(marked) || any(lengths(regmatches(text, gregexpr("[.,]", text))) > 1)) {
      expect_identical(got, sum(truth))
    } else {
      expect_s3_class(got, "rollingledger_error_measure")
      said <- regmatches(conditionMessage(got),
                         gregexpr("number_format = \"[^\"]+\"", conditionMessage(got)))[[1]]
      wanted <- if (mark == ".") "number_format = \"1.234,56\"" else "number_format = \"1,234.56\""
      expect_true(wanted %in% said)
      expect_identical(amount_of(days_of_many(text), number_format = if (mark == ".") "1.234,56"
                                 else "1,234.56"), sum(as.numeric(truth)))
    }
  }
})
test_that("a year of two digits may stand first", {
  read <- function(days, ...) {
    path <- withr::local_tempfile(fileext = ".csv")
    writeLines(c("day,amount", paste0(days, ",1")), path)
    statement(suppressMessages(ledger(path, on = "day", ...)), n = entries())$from
  }
  expect_refused(read("24-01-05"), "could be day first or year first", "date")
  expect_refused(read(c("26/03/31", "25/03/31")), "26 Mar 2031 or 31 Mar 2026", "date")
  expect_identical(read(c("26/03/31", "26/04/01"), date_format = "%y/%m/%d"),
                   as.Date("2026-03-31"))
  # Days that are none by any other order prove it.
  expect_identical(read(c("31.12.95", "30.11.95")), as.Date("1995-11-30"))
  expect_identical(read("24-1-5"), as.Date("2024-01-05"))
  # Where all orders give the same days there is nothing to ask.
  expect_identical(read("02/02/2026"), as.Date("2026-02-02"))
  expect_identical(read("1/31/26"), as.Date("2026-01-31"))
})

test_that("months have their names in seven languages", {
  texts <- c("31. M\u00e4rz 2026" = "2026-03-31", "3 d\u00e9c. 2025" = "2025-12-03",
             "1er f\u00e9vrier 2026" = "2026-02-01", "15 ago 2026" = "2026-08-15",
             "7 de mayo de 2026" = "2026-05-07", "5 maart 2026" = "2026-03-05",
             "9 luglio 2026" = "2026-07-09", "2 out. 2026" = "2026-10-02",
             "12 D\u00c9C 2025" = "2025-12-12", "28.Okt.2026" = "2026-10-28",
             "4 de mar\u00e7o de 2026" = "2026-03-04", "20260131140522" = "2026-01-31")
  for (text in names(texts)) {
    got <- statement(ledger(data.frame(day = text, amount = 1), on = "day"))$from
    expect_identical(got, as.Date(texts[[text]]), info = text)
  }
  expect_refused(ledger(data.frame(day = "3 Foo 2026"), on = "day"), "not a date", "date")
})

test_that("each file of a folder is decided by itself", {
  folder <- withr::local_tempdir()
  write <- function(name, lines) writeLines(lines, file.path(folder, name))
  write("a.csv", days_with(c("1.234,50", "2,00")))
  write("b.csv", days_with(c("1,234.50", "3.00")))
  total_of <- function(...) statement(
    suppressMessages(ledger(folder, on = "day", ...)), s = total(amount))$s
  expect_identical(total_of(), 1236.5 + 1237.5)
  # A file that proves nothing is asked for, by its name; what is said counts for it alone.
  write("c.csv", days_with(c("1.500", "2.500")))
  expect_refused(total_of(amounts = "amount"),
                 "c.csv: The numbers in `amount`, such as \"1.500\", could be", "column")
  expect_refused(total_of(), "which tells the file", "measure")
  expect_identical(total_of(number_format = "1.234,56"), 1236.5 + 1237.5 + 4000)
  expect_identical(total_of(number_format = "1234.56"), 1236.5 + 1237.5 + 4)
  unlink(file.path(folder, c("a.csv", "b.csv", "c.csv")))
  write("a.csv", c("day;amount", "31/01/2026;1", "02/01/2026;2"))
  write("b.csv", c("day;amount", "01/31/2026;4", "01/02/2026;8"))
  s <- statement(suppressMessages(ledger(folder, on = "day")), per = "day", s = total(amount),
                 span = "2026-01")
  expect_identical(s$s[s$s > 0], c(10, 5))
  write("c.csv", c("day;amount", "03/01/2026;16"))
  expect_refused(ledger(folder, on = "day"), "c.csv: The dates in `day` could be", "date")
  s <- statement(suppressMessages(ledger(folder, on = "day", date_format = "%d/%m/%Y")),
                 per = "day", s = total(amount), span = "2026-01")
  expect_identical(s$s[s$s > 0], c(10, 16, 5))
})

test_that("a stated writing reads what fits, and the rest is set aside", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(days_with(c("1.234,50", "1,234.50", "7,25")), path)
  expect_refused(statement(ledger(path, on = "day"), s = total(amount)), "in several ways",
                 "measure")
  x <- suppressMessages(ledger(path, on = "day", number_format = "1.234,56", amounts = "amount"))
  expect_identical(statement(x, s = total(amount))$s, 1241.75)
  expect_identical(set_aside(x)$value, "1,234.50")
  writeLines(days_with(c("1,234.50", "7.25")), path)
  expect_refused(ledger(path, on = "day", number_format = "1.234,56", amounts = "amount"),
                 "No number in `amount` is written as \"1.234,56\"", "column")
})

test_that("columns are the same whether or not a file holds codes that begin with a zero", {
  set.seed(811)
  values <- list(function(n) format(as.Date("2026-01-01") + sample(400, n, TRUE)),
                 function(n) sprintf("2026-%d-%d", sample(12, n, TRUE), sample(9, n, TRUE)),
                 function(n) sample(c("7", "07", "12"), n, TRUE),
                 function(n) sample(c("7", "12", "\"3\""), n, TRUE),
                 function(n) sprintf("%.2f", sample(900, n, TRUE) / 100),
                 function(n) sample(c("12.5", "-0.5", "+7"), n, TRUE),
                 function(n) sample(c(" 012", "12", "NA"), n, TRUE),
                 function(n) sample(c("20260101", "20251231"), n, TRUE),
                 function(n) sample(c("09:30", "10:15"), n, TRUE),
                 function(n) paste(format(as.Date("2026-01-01") + sample(40, n, TRUE)), "08:00:00"))
  read <- function(lines) {
    path <- withr::local_tempfile(fileext = ".csv", lines = lines)
    whole <- function(values) if (inherits(values, "Date")) format(values) else values
    tryCatch(lapply(own("read_table_file")(path), whole), rollingledger_error = conditionMessage)
  }
  kept <- 0
  for (run in seq_len(rounds(40, 120))) {
    n <- sample(2:30, 1)
    table <- lapply(sample(values, 3), function(make) make(n))
    lines <- do.call(paste, c(table, sep = ","))
    with_zeros <- c("a,b,c,z", paste0(lines, ",01"))
    own_lines <- c("a,b,c,z", paste0(lines, ",x"))
    one <- read(own_lines)
    other <- read(with_zeros)
    if (is.list(one)) one$z <- other$z <- NULL
    if (is.list(one)) kept <- kept + 1
    expect_identical(one, if (is.list(other)) other else gsub("\\S*[.]csv", "", other))
  }
  expect_gt(kept, rounds(32, 100))
})

test_that("a column without a value in one of several files is that of the others", {
  values <- list(day = c("2026-12-31", "2026-11-30"), number = c("1.25", "3.5"), text = c("a", "b"),
                 whole = c("12", "7"), flag = c("TRUE", "FALSE"))
  for (name in names(values)) {
    folder <- withr::local_tempdir()
    writeLines(c("day,v", paste0("2026-10-11,", values[[name]])), file.path(folder, "b.csv"))
    writeLines(c("day,v", "2026-10-11,", "2026-10-12,"), file.path(folder, "a.csv"))
    table <- own("read_table_file")(folder)
    alone <- own("read_table_file")(file.path(folder, "b.csv"))
    expect_equal(table$v, c(alone$v[c(NA, NA)], alone$v), info = name)
  }
})
