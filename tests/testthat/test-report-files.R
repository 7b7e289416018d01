test_that("a file that cannot be written to its end leaves the one before as it was", {
  s <- statement(demo_ledger(), per = "day", by = "route", income = total(fare))
  small <- statement(demo_ledger(), per = "month", span = "2026", income = total(fare))
  folder <- withr::local_tempdir()
  saveRDS(list(s = tibble::as_tibble(s), small = small), file.path(folder, "s.rds"))
  code <- 'library(rollingledger)
    x <- ledger(demo_fares, on = c(sailed = "sailed_on"))
    s <- statement(x, per = "day", by = "route", income = total(fare))
    for (file in commandArgs(TRUE)) {
      said <- tryCatch({
        daily <- statement(x, per = "day", income = total(fare))
        switch(tools::file_ext(file), html = write_report(s, file = file, overwrite = TRUE),
               xlsx = write_workbook(s, file, overwrite = TRUE),
               png = rollingledger:::write_figure(figure_days(daily), file, overwrite = TRUE),
               write_statement(s, file, overwrite = TRUE))
        "written"
      }, error = function(e) paste(class(e)[1], conditionMessage(e)))
      writeLines(paste(tools::file_ext(file), gsub("\\n", " ", said)))
    }'
  script <- file.path(folder, "write.R")
  writeLines(code, script)
  endings <- c("csv", "tsv", "json", "html", "png", if (rlang::is_installed("openxlsx")) "xlsx",
               if (rlang::is_installed("nanoparquet")) "parquet")
  files <- file.path(folder, paste0("a.", endings))
  for (file in files) writeLines("the good file", file)
  # A limit on the size of files stands for a disk that is full: writing goes so far and no further.
  limited <- sprintf("trap '' XFSZ; ulimit -f 8; Rscript %s %s", shQuote(script),
                     paste(shQuote(files), collapse = " "))
  out <- suppressWarnings(
    system2("bash", c("-c", shQuote(limited)), stdout = TRUE, stderr = FALSE,
            env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))))
  expect_identical(sub(" .*", "", grep("^[a-z]+ ", out, value = TRUE)), endings)
  for (ending in endings) expect_match(grep(paste0("^", ending, " "), out, value = TRUE),
                                       "rollingledger_error_file .*could not be written to its end",
                                       info = ending)
  for (file in files) expect_identical(readLines(file), "the good file", info = file)
  expect_identical(list.files(folder, "^part-"), character())
})

test_that("a compressed file that cannot be unpacked to its end is refused", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "a.csv.gz")
  con <- gzfile(file, "w")
  writeLines(c("day,fare", sprintf("2026-01-%02d,%d", rep(1:28, 500), 1:14000)), con)
  close(con)
  code <- sprintf(
    paste0("x <- tryCatch(rollingledger::ledger('%s', on = 'day')$used, error = ",
           "conditionMessage); writeLines(as.character(x)[1])"), file)
  script <- file.path(folder, "read.R")
  writeLines(code, script)
  ask <- function(limit) suppressWarnings(
    system2("bash",
            c("-c", shQuote(sprintf("trap '' XFSZ; %s Rscript %s", limit, shQuote(script)))),
            stdout = TRUE, stderr = FALSE,
            env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))))
  expect_identical(ask(""), "14000")
  expect_match(ask("ulimit -f 32;"), "cannot be unpacked", all = FALSE)
})

test_that("what is read is never written over", {
  file <- csv_file(fares_csv)
  before <- readLines(file)
  s <- statement(suppressMessages(ledger(file, on = "sailed")), per = "month")
  expect_refused(write_statement(s, file, overwrite = TRUE),
                 "is read, so it cannot be written", "file")
  expect_identical(
    command("statement", file, "--on", "sailed", "--out", file, "--overwrite")$status, 2L)
  lookup <- csv_file(c("route,area", "Oysterby,north"))
  got <- command("statement", file, "--on", "sailed", "--lookup", paste0("route=", lookup), "--out",
                 lookup, "--overwrite")
  expect_match(got$said, "is read, so it cannot be written", all = FALSE)
  expect_identical(readLines(file), before)
})

test_that("days before the year 1000, and before workbooks, are written as they are", {
  x <- ledger(data.frame(day = as.Date(c("0987-03-04", "1850-01-01")), fare = 1), on = "day")
  s <- statement(x, spans = c(a = "0987-03-04", b = "1850-01-01"), income = total(fare))
  for (ending in c("csv", "json")) {
    file <- withr::local_tempfile(fileext = paste0(".", ending))
    write_statement(s, file)
    expect_match(readLines(file), "0987-03-04", all = FALSE)
  }
  skip_if_not_installed("readxl")
  book <- withr::local_tempfile(fileext = ".xlsx")
  write_workbook(s, book)
  sheet <- readxl::read_excel(book, 2)
  expect_identical(sheet$From, c("0987-03-04", "1850-01-01"))
  expect_match(unlist(suppressMessages(readxl::read_excel(book, 1, col_names = FALSE))),
               "0987-03-04", all = FALSE)
})

test_that("tiles show the latest of each group", {
  table <- data.frame(day = as.Date(c("2026-01-05", "2026-02-05")), route = c("A", "B"),
                      fare = c(1, 2))
  s <- statement(ledger(table, on = "day"), per = "month", by = "route", income = total(fare))
  tiles <- report_tiles(s[s$income > 0, ])
  expect_identical(sort(tiles$label), c("Income, A", "Income, B"))
})
