skip_if_not_installed("knitr")

test_that("a statement is a table in a document, with its days, units, totals and notes", {
  s <- statement(few_ledger(units = c(fare = "EUR")), per = "month", by = "route",
                 income = total(fare), totals = "by")
  text <- strsplit(as.character(knitr::knit_print(s)), "\n")[[1]]
  rows <- grep("^\\|(\\*\\*)?2026", text, value = TRUE)
  expect_length(rows, nrow(s))
  cells <- strsplit(rows, "|", fixed = TRUE)
  expect_identical(vapply(cells, function(row) gsub("[*\\\\ ]", "", row[4]), ""),
                   formatC(s$income, format = "f", digits = 2))
  expect_match(text, "^Table: By month and route, sailed 30 Jan to 10 Apr 2026", all = FALSE)
  expect_match(text, "^\\|Period .*\\|Route .*\\| Income \\(EUR\\)\\|$", all = FALSE)
  expect_identical(grepl("**", rows, fixed = TRUE), s$route %in% "(all)")
})

test_that("members with marks of their own stay themselves, and long statements say what is hidden",
          {
  table <- data.frame(day = as.Date("2026-01-01") + 0:1, quay = c("a|b*c_d", "<i>"), fare = 1)
  s <- statement(ledger(table, on = "day"), by = "quay", income = total(fare))
  expect_match(as.character(knitr::knit_print(s)), "|a&#124;b\\*c\\_d |", fixed = TRUE)
  long <- statement(demo_ledger(), per = "day", income = total(fare))
  expect_match(as.character(knitr::knit_print(long, list(rollingledger.rows = 10))),
               "1,346 rows more, not shown", fixed = TRUE)
  cross <- cross_table(statement(few_ledger(), per = "month", by = "route", income = total(fare)),
                       across = "period")
  expect_match(as.character(knitr::knit_print(cross)), "\\|Oysterby +\\|.*10.10")
})

test_that("the monthly document knits to a page with tables and figures", {
  skip_if_not_installed("rmarkdown")
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  source <- rmarkdown::draft("month.Rmd", template = "monthly_statement", package = "rollingledger",
                             edit = FALSE)
  if (!rmarkdown::pandoc_available("2.0")) {
    text <- readLines(knitr::knit(source, quiet = TRUE))
    expect_no_match(text, "^(##|#>) Error")
    skip("no pandoc for the rest")
  }
  page <- xml2::read_html(rmarkdown::render(source, quiet = TRUE), encoding = "UTF-8")
  tables <- xml2::xml_find_all(page, "//table")
  expect_gte(length(tables), 4)
  s <- statement(demo_ledger(), per = "month", span = "fiscal year to date", income = total(fare))
  months <- xml2::xml_text(xml2::xml_find_all(tables[[2]], ".//tbody/tr/td[2]"))
  expect_identical(as.numeric(gsub(",", "", months)), s$income)
  expect_length(xml2::xml_find_all(page, "//img[starts-with(@src, 'data:image/png')]"), 3)
})
