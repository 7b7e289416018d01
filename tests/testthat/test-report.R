page_of <- function(..., env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ".html", .local_envir = env)
  write_report(..., file = path)
  path
}
texts <- function(nodes) xml2::xml_text(nodes)

test_that("the page's table is the statement, and its control totals tie", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "FY2027", income = total(fare), trips = entries()) |>
    add_running(income, since = "fiscal year")
  page <- xml2::read_html(page_of(s, title = "Fares & <more>"))
  rows <- xml2::xml_find_all(page, "//div[@class='table']//tbody/tr")
  expect_length(rows, nrow(s))
  cells <- matrix(texts(xml2::xml_find_all(rows, "./td")), ncol = 5, byrow = TRUE)
  expect_identical(trimws(sub("\\*", "", cells[, 1])), s$period)
  expect_identical(cells[, 2], s$route)
  expect_identical(as.numeric(gsub(",", "", cells[, 3])), s$income)
  expect_identical(as.numeric(gsub(",", "", cells[, 5])), s$income_running)
  expect_identical(grepl("partial", xml2::xml_attr(rows, "class")), !s$complete)
  expect_identical(texts(xml2::xml_find_first(page, "//h1")), "Fares & <more>")
  control <- texts(xml2::xml_find_all(page, "//div[@class='control']//tbody//td"))
  expect_identical(control[3], "ties")
  expect_identical(control[1], formatC(sum(s$income), format = "f", digits = 2, big.mark = ","))
  foot <- texts(xml2::xml_find_first(page, "//footer"))
  expect_match(foot, "150,000 entries read = 150,000 used + 0 set aside", fixed = TRUE)
  expect_match(foot, "income = total(fare)", fixed = TRUE)
})

test_that("the page is whole by itself and well made", {
  path <- page_of("Whole" = statement(few_ledger(), income = total(fare)), "Monthly" = statement(few_ledger(), per = "month", income = total(fare)))
  text <- paste(readLines(path), collapse = "\n")
  expect_match(text, "^<!DOCTYPE html>\n<html lang=\"en\">")
  expect_no_match(text, "(src|href)=\"(http|//|/|file)")
  expect_no_match(text, "@import|url\\(")
  page <- xml2::read_html(path)
  expect_identical(texts(xml2::xml_find_all(page, "//h2")), c("Whole", "Monthly"))
  images <- xml2::xml_find_all(page, "//img")
  expect_length(images, 1)
  expect_match(xml2::xml_attr(images, "src"), "^data:image/png;base64,iVBOR")
  expect_match(xml2::xml_attr(images, "alt"), "Line chart: Income by month. Sailed 30 Jan to 10 Apr 2026.*Latest: Income 15.00 in 2026-04")
  # Every element that is opened is closed: strict XML parsing of the body, void elements closed first.
  strict <- gsub("<(meta|img)([^>]*?)/?>", "<\\1\\2/>", sub("<!DOCTYPE html>", "", text))
  expect_no_error(xml2::read_xml(strict))
})

test_that("members with marks of their own stay text", {
  table <- data.frame(day = as.Date("2026-01-01"), quay = c("<b>North</b> & \"old\"", "caf\u00e9"), fare = 1)
  page <- xml2::read_html(page_of(statement(ledger(table, on = "day"), by = "quay", n = total(fare))), encoding = "UTF-8")
  expect_identical(texts(xml2::xml_find_all(page, "//tbody/tr/td[2]"))[1:2], c("<b>North</b> & \"old\"", "caf\u00e9"))
})

test_that("a difference in the control totals is said", {
  s <- statement(few_ledger(), per = "month", income = total(fare))
  expect_match(paste(readLines(page_of(s[-2, ])), collapse = ""), "differs by 4.90")
})

test_that("files: csv and tsv read back equal, nothing is overwritten unasked, nothing half written", {
  s <- statement(few_ledger(), per = "month", by = "route", income = total(fare), mean_fare = average(fare))
  for (ending in c(".csv", ".tsv")) {
    path <- withr::local_tempfile(fileext = ending)
    write_statement(s, path)
    back <- data.table::fread(path, data.table = FALSE, na.strings = "")
    expect_identical(names(back), names(s))
    expect_identical(back$income, s$income)
    expect_equal(back$mean_fare, s$mean_fare, tolerance = 1e-14)
    expect_identical(as.Date(back$to), s$to)
    expect_error(write_statement(s, path), "exists already", class = "rollingledger_error_file")
    expect_no_error(write_statement(s, path, overwrite = TRUE))
  }
  folder <- withr::local_tempdir()
  expect_error(write_statement(s, file.path(folder, "a.doc")), "must end in .csv or .tsv", class = "rollingledger_error_file")
  expect_error(write_statement(s, file.path(folder, "no", "a.csv")), "folder .* does not exist", class = "rollingledger_error_file")
  expect_error(rollingledger:::write_whole(file.path(folder, "a.csv"), FALSE, function(path) { writeLines("half", path); stop("no") }))
  expect_length(list.files(folder), 0)
  expect_error(write_report(demo_fuel, file = file.path(folder, "a.html")), "must be a statement", class = "rollingledger_error_choice")
  expect_error(write_report(file = file.path(folder, "a.html")), "at least one statement", class = "rollingledger_error_choice")
})

test_that("figures are written as png, svg and pdf", {
  p <- figure_trend(statement(few_ledger(), per = "month", income = total(fare)))
  starts <- list(png = as.raw(c(0x89, 0x50)), svg = charToRaw("<?"), pdf = charToRaw("%P"))
  for (kind in names(starts)) {
    path <- withr::local_tempfile(fileext = paste0(".", kind))
    rollingledger:::write_figure(p, path)
    expect_identical(readBin(path, "raw", 2), starts[[kind]])
  }
})
