skip_if_not_installed("openxlsx")
skip_if_not_installed("readxl")

book_of <- function(s, ..., env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ".xlsx", .local_envir = env)
  write_workbook(s, path, ...)
  path
}

# What another reader finds on a sheet, as a plain data frame.
read_sheet <- function(path, sheet) as.data.frame(readxl::read_excel(path, sheet, na = ""))

# The statement as it should be read back.
as_read <- function(s) {
  out <- as.data.frame(s)
  out$complete <- ifelse(out$complete, "yes", "part")
  for (name in names(out)) {
    if (inherits(out[[name]], "Date")) out[[name]] <- as.POSIXct(format(out[[name]]), tz = "UTC")
    if (is.character(out[[name]])) out[[name]][is.na(out[[name]])] <- "(missing)"
  }
  out
}

test_that("the sheet reads back equal, cell by cell, with another reader", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare),
                 trips = entries(), mean_fare = average(fare)) |>
    add_rolling(income, over = "3 months") |> add_change(income, from = "1 year back")
  back <- read_sheet(book_of(s, subtotals = FALSE), "Statement")
  expect_identical(nrow(back), nrow(s))
  wanted <- as_read(s)
  for (i in seq_along(wanted)) expect_equal(back[[i]], wanted[[i]], tolerance = 1e-15,
                                            info = names(wanted)[i])
  expect_identical(names(back)[1:6], c("Period", "From", "To", "Complete", "Route", "Income (EUR)"))
})

test_that("a sheet per value holds its rows and subtotals from entries; the last one the whole", {
  s <- statement(demo_ledger(), by = c("channel", "route"), span = "2026", income = total(fare),
                 riders = distinct(account))
  path <- book_of(s, sheet_per = "route")
  expect_identical(readxl::excel_sheets(path), c("About", sort(unique(demo_fares$route)), "(all)"))
  whole <- statement(demo_ledger(), by = c("route", "channel"), span = "2026", income = total(fare),
                     riders = distinct(account), totals = "by")
  for (route in c(unique(demo_fares$route), "(all)")) {
    back <- read_sheet(path, route)
    wanted <- whole[whole$route == route, ]
    expect_equal(back[["Income (EUR)"]], wanted$income, info = route)
    expect_equal(back$Riders, wanted$riders, info = route)
    expect_identical(back$Channel, wanted$channel)
  }
  # Subtotals of members are not the sum of the rows.
  oysterby <- read_sheet(path, "Oysterby")
  expect_lt(oysterby$Riders[5], sum(oysterby$Riders[1:4]))
})

test_that("text that looks like a formula stays text, missing values are empty, markup is harmless",
          {
  names <- c("=1+1", "+44", "-x", "@home", "<b>&\"", "caf\u00e9 \U0001F6A2", NA, "", "a\x01b",
             " lead")
  table <- data.frame(day = as.Date("2026-01-01") + 0:9, quay = names, fare = c(1:9, NA))
  s <- statement(ledger(table, on = "day"), by = "quay", income = total(fare),
                 mean_fare = average(fare))
  path <- book_of(s)
  back <- suppressWarnings(
    as.data.frame(readxl::read_excel(path, "Statement", na = "", trim_ws = FALSE)))
  expect_setequal(setdiff(back$Quay, NA),
                  c("=1+1", "+44", "-x", "@home", "<b>&\"", "caf\u00e9 \U0001F6A2", "(missing)",
                    "(empty)", "a\ufffdb", " lead", "(all)"))
  expect_true(is.na(back[["Mean fare"]][which(back$Quay == " lead")]))
  folder <- withr::local_tempdir()
  sheet <- paste(
    readLines(utils::unzip(path, "xl/worksheets/sheet2.xml", exdir = folder), warn = FALSE),
    collapse = "")
  expect_no_match(sheet, "<f>")
})

test_that("the cover tells days, source, measures and proof", {
  s <- statement(demo_ledger(), per = "month", span = "2026", income = total(fare),
                 trips = entries())
  cover <- suppressMessages(
    as.data.frame(
      readxl::read_excel(book_of(s, title = "Months of 2026"), "About", col_names = FALSE)))
  expect_identical(cover[1, 1], "Months of 2026")
  text <- cover[[1]]
  expect_true(any(grepl("^Sailed 1 Jan to 17 Sep 2026", text)))
  expect_true("2026: 1 Jan to 17 Sep 2026" %in% text)
  expect_true(any(grepl("150,000 entries read = 150,000 used + 0 set aside", text, fixed = TRUE)))
  expect_true("income = total(fare)" %in% text)
  control <- cover[match("income", text), ]
  expect_equal(as.numeric(control[4]), sum(s$income))
  expect_equal(as.numeric(control[5]), sum(s$income))
})

test_that("headings stay in sight, numbers and dates have formats, totals stand apart", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare))
  parts <- withr::local_tempdir()
  utils::unzip(book_of(s), exdir = parts)
  sheet <- xml2::xml_ns_strip(xml2::read_xml(file.path(parts, "xl/worksheets/sheet2.xml")))
  pane <- xml2::xml_find_first(sheet, "//pane")
  expect_identical(xml2::xml_attr(pane, "ySplit"), "1")
  styles <- xml2::xml_ns_strip(xml2::read_xml(file.path(parts, "xl/styles.xml")))
  expect_true(all(c("#,##0.00", "yyyy-mm-dd") %in%
                  xml2::xml_attr(xml2::xml_find_all(styles, "//numFmt"), "formatCode")))
  style_of <- function(cell) xml2::xml_attr(
    xml2::xml_find_first(sheet, sprintf("//c[@r='%s']", cell)), "s")
  expect_false(style_of("F2") == style_of("F8"))  # six routes, then their total
  expect_true(xml2::xml_length(xml2::xml_find_first(sheet, "//cols")) >= 6)
})

test_that("names of sheets are safe and unique", {
  given <- c("a/b", "a:b", "A-b", "", "'quoted'", strrep("x", 40), paste0(strrep("x", 40), "y"),
             "History", "about", "[1]", strrep("\U0001F6A2", 20))
  names <- rollingledger:::sheet_names(given)
  expect_identical(names[c(1, 3, 5)], c("a-b", "A-b (3)", "quoted"))
  expect_identical(anyDuplicated(tolower(names)), 0L)
  expect_true(all(vapply(names, function(n) sum(1 + (utf8ToInt(n) > 0xFFFF)), 0) <= 31))
  expect_false(any(grepl("[]*:?/\\\\[]", names)) || any(names == "") ||
               any(tolower(names) %in% c("about", "history")))
  table <- data.frame(day = as.Date("2026-01-01"), quay = given[-4], fare = 1)
  path <- book_of(statement(ledger(table, on = "day"), by = "quay", income = total(fare)),
                  sheet_per = "quay")
  expect_length(readxl::excel_sheets(path), length(given) + 1)
})

test_that("a wrong question, or a file in the way, is refused and nothing is lost", {
  s <- statement(few_ledger(), by = "route", income = total(fare))
  path <- book_of(s)
  before <- readBin(path, "raw", 1e6)
  expect_refused(write_workbook(s, path), "exists already", "file")
  expect_identical(readBin(path, "raw", 1e6), before)
  expect_refused(write_workbook(s, path, sheet_per = "channel", overwrite = TRUE),
                 "must be", "choice")
  expect_refused(
    write_workbook(statement(few_ledger(), income = total(fare)), path, sheet_per = "route",
        overwrite = TRUE), "has none", "choice")
  expect_refused(write_workbook(s, sub("xlsx$", "xls", path)), "must end in .xlsx", "file")
  many <- statement(demo_ledger(), by = "account", span = "2026", income = total(fare))
  expect_refused(write_workbook(many, path, sheet_per = "account", overwrite = TRUE),
                 "too many for a sheet each", "choice")
  expect_no_error(
    book_of(statement(few_ledger(), by = "route", income = total(fare), where = fare > 1e6)))
})
