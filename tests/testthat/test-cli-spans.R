test_that("spans explains phrases without a ledger, in any calendar", {
  r <- command("spans", "MTD, 1 year back", "now=last 3 months", "--as-of", "2026-09-17")
  expect_identical(r$out,
                   c("month to date, 1 year back = 1 to 17 Sep 2025 (17 days), as of 17 Sep 2026",
                     "now: last 3 months = 1 Jun to 31 Aug 2026 (92 days), as of 17 Sep 2026"))
  expect_identical(r$status, 0L)
  expect_identical(r$said, character())
  expect_match(command("spans", "month", "to", "date", "--as-of=2026-09-17")$out,
               "^month to date = 1 to 17 Sep 2026")
  expect_match(
    command("spans", "FYTD", "--as-of", "2026-09-17", "--pattern", "4-5-4", "--year-end",
            "last Saturday", "--fiscal-start", "Feb", "--week-53", "1")$out,
               "1 Feb to 17 Sep 2026")
  periods <- csv_file(
    c("from,to,label,year", "2026-01-01,2026-01-31,P1 2026,FY2026",
      "2026-02-01,2026-12-31,P2 2026,FY2026"))
  expect_match(
    command("spans", "this fiscal month", "--as-of", "2026-09-17", "--periods", periods)$out,
    "1 Feb to 31 Dec 2026 \\(334 days, 105 to come\\)")
  expect_match(command("spans", "2026-W01", "--weeks", "january", "--week-start", "Sunday")$out,
               "28 Dec 2025 to 3 Jan 2026")
  expect_length(
    command("spans", "every Q3", "--first", "2024-01-01", "--as-of", "2026-09-17", "--holiday",
            "2026-12-25")$out, 4)
})

test_that("spans --list shows every example with its days, on one screen", {
  r <- command("spans", "--list", "--as-of", "2024-02-29", "--fiscal-start", "April")
  expect_identical(r$status, 0L)
  expect_lte(length(r$out), 45)
  expect_lte(max(nchar(r$out)), 131)
  for (phrase in unlist(lapply(rollingledger:::span_examples, names))) expect_identical(
    sum(startsWith(trimws(r$out), paste0(phrase, "  "))), 1L, info = phrase)
  expect_match(r$out, "month to date, 1 year back +.*1 to 28 Feb 2023", all = FALSE)
  expect_match(r$out[1], "as of 29 Feb 2024, a Thursday")
  weeks <- command("spans", "--list", "--as-of", "2024-02-29", "--fiscal-start", "Feb", "--pattern",
                   "4-4-5", "--year-end", "nearest Sat")
  expect_identical(weeks$status, 0L)
  periods <- csv_file(
    c("from,to,label,quarter,year", "2026-01-01,2026-12-31,P1 2026,T1 2026,Y2026"))
  tabled <- command("spans", "--list", "--as-of", "2026-05-05", "--periods", periods)
  expect_identical(tabled$status, 0L)
  expect_match(tabled$out, "fiscal year to date .* 1 Jan to 5 May 2026", all = FALSE)
  expect_match(tabled$out, "FY2026-M06 .*not in the calendar's table", all = FALSE)
})

test_that("a phrase that is not understood ends with status 1, a wrong call with 2", {
  r <- command("spans", "lsat 3 months")
  expect_identical(r$status, 1L)
  expect_match(r$said, "not understood at \"lsat\"", all = FALSE)
  expect_match(r$said, "\\^\\^\\^\\^$", all = FALSE)
  expect_identical(command("spans")$status, 2L)
  expect_identical(command("spans", "--list", "MTD")$status, 2L)
  expect_identical(command("spans", "--list", "--as-of", "soon")$status, 2L)
  expect_identical(command("spans", "MTD", "--periods", "none.csv")$status, 1L)
  expect_identical(command("spans", "MTD", "--weeks", "odd")$status, 2L)
})

test_that("statement takes spans by name, side by side too, and compare two of them", {
  file <- csv_file(fares_csv)
  x <- suppressMessages(ledger(file, on = "sailed"))
  asked <- c("statement", file, "--on", "sailed", "--by", "route", "--measure",
             "income=total(fare)", "--span", "2026-01", "--span", "this one=MTD")
  s <- statement(x, by = "route", spans = c("2026-01", "this one" = "MTD"), income = total(fare))
  expect_identical(command(asked)$out, format(s))
  expect_identical(command(asked, "--across", "span")$out, format(cross_table(s)))
  out <- withr::local_tempfile(fileext = ".csv")
  expect_identical(command(asked, "--across", "span", "--out", out)$status, 0L)
  expect_identical(names(utils::read.csv(out, check.names = FALSE))[3],
                   "this one: income")
  expect_identical(command(asked, "--across", "span", "--out", "x.png")$status, 2L)
  periods <- csv_file(
    c("from,to,label", "2026-01-01,2026-02-15,P1 2026", "2026-02-16,2026-12-31,P2 2026"))
  expect_match(command("statement", file, "--on", "sailed", "--periods", periods)$out[1],
               "^Whole span")
  expect_match(
    command("statement", file, "--on", "sailed", "--periods", periods, "--per", "fiscal month")$out,
    "^P1 2026\\* +3$", all = FALSE)
  anchored <- command("statement", file, "--on", "sailed", "--by", "route", "--span", "MTD",
                      "--anchor", "group")
  expect_match(anchored$out[1], "each route's own latest entry")
  r <- command("compare", file, "--on", "sailed", "--measure", "income=total(fare)", "--span",
               "now=2026-04", "--against", "2026-01")
  expect_identical(r$out,
                   format(compare_spans(x, c(now = "2026-04"), "2026-01", income = total(fare))))
  expect_identical(command("compare", file, "--on", "sailed")$status, 2L)
  expect_match(command("compare", file, "--on", "sailed", "--span", "MTD")$said,
               "There are no entries in 1 to 10 Apr 2025", all = FALSE)
})
