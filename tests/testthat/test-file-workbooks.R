# Workbooks as they come: sheets, typed cells, formulas, currencies by cell formats.

saved_book <- function(sheets, after = identity, hidden = character()) {
  path <- withr::local_tempfile(fileext = ".xlsx", .local_envir = teardown_env())
  wb <- openxlsx::createWorkbook()
  for (name in names(sheets)) {
    openxlsx::addWorksheet(wb, name, visible = !name %in% hidden)
    openxlsx::writeData(wb, name, sheets[[name]])
  }
  after(wb)
  openxlsx::saveWorkbook(wb, path, overwrite = TRUE)
  path
}
month <- function(day, amounts) {
  data.frame(day = as.Date(day) + seq_along(amounts) - 1, amount = amounts)
}
total_in <- function(path, ...) {
  statement(suppressMessages(ledger(path, on = "day", ...)), s = total(amount))$s
}

test_that("sheets of one layout are one table, hidden ones and notes are told", {
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  path <- saved_book(list(Old = month("2025-01-01", 99), Jan = month("2026-01-01", c(1, 2)),
                          Feb = month("2026-02-01", c(4, 8)), Notes = data.frame(text = "none")),
                     hidden = "Old")
  x <- suppressMessages(ledger(path, on = "day"))
  s <- statement(x, by = "sheet", s = total(amount))
  expect_identical(s$sheet, c("Feb", "Jan"))
  expect_identical(s$s, c(12, 3))
  expect_match(paste(format(x), collapse = " "), "2 sheets of one layout (\"Jan\" and \"Feb\")",
               fixed = TRUE)
  expect_match(gsub(" +", " ", paste(format(x), collapse = " ")),
               "not \"Old\" (hidden) and \"Notes\"", fixed = TRUE)
  expect_identical(total_in(path, sheet = "Jan"), 3)
  expect_identical(total_in(path, sheet = "Old"), 99)
  # Nearly alike: which is meant is asked.
  other <- month("2026-02-01", c(4, 8))
  names(other)[2] <- "sum"
  path <- saved_book(list(Jan = month("2026-01-01", c(1, 2)), Feb = other))
  expect_refused(total_in(path), "nearly alike, but for the column `amount`", "choice")
  expect_identical(total_in(path, sheet = "Jan"), 3)
})

test_that("number cells prove nothing of the text beside them", {
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  mixed <- function(texts) saved_book(list(A = month("2026-01-01", c(1500, 0, 2250.5, 0))),
                                      function(wb) {
    openxlsx::writeData(wb, 1, texts[1], startCol = 2, startRow = 3, colNames = FALSE)
    openxlsx::writeData(wb, 1, texts[2], startCol = 2, startRow = 5, colNames = FALSE)
  })
  path <- mixed(c("1.500", "2.250"))
  expect_refused(total_in(path), "such as \"1.500\", could be 1.5 or 1500", "measure")
  expect_identical(total_in(path, number_format = "1.234,56"), 1500 + 1500 + 2250.5 + 2250)
  expect_identical(total_in(path, number_format = "1234.56"), 1500 + 1.5 + 2250.5 + 2.25)
  expect_identical(total_in(mixed(c("1.500,50", "2.250"))), 1500 + 1500.5 + 2250.5 + 2250)
  # Dates and flags among numbers are not numbers.
  path <- saved_book(list(A = data.frame(day = as.Date("2026-01-01") + 0:2, amount = 1:3,
                                         code = c(7, 8, 9))), function(wb) {
    openxlsx::writeData(wb, 1, as.Date("2026-05-01"), startCol = 3, startRow = 3,
                        colNames = FALSE)
  })
  s <- statement(suppressMessages(ledger(path, on = "day")), by = "code", n = entries())
  expect_identical(s$code, c("2026-05-01", "7", "9"))
})

test_that("formulas without a value are said, and currencies of cell formats kept apart", {
  withr::local_options(rlib_message_verbosity = "verbose")
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  path <- saved_book(list(A = month("2026-01-01", c(1, 2, 4))), function(wb) {
    openxlsx::writeFormula(wb, 1, "1+1", startCol = 2, startRow = 3)
  })
  expect_message(x <- ledger(path, on = "day"), "1 formula without a stored value, such as B3")
  expect_identical(statement(x, s = total(amount))$s, 5)
  path <- saved_book(list(A = month("2026-01-01", c(1, 2, 4))), function(wb) {
    openxlsx::addStyle(wb, 1, openxlsx::createStyle(numFmt = "#,##0.00 \u20ac"), 2:3, 2)
    openxlsx::addStyle(wb, 1, openxlsx::createStyle(numFmt = "[$$-409]#,##0.00"), 4, 2)
  })
  expect_refused(total_in(path), "amounts in EUR and in \\$, which do not add up", "measure")
})
