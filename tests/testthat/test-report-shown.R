# One rule for how values are shown and written, whatever the form.

test_that("missing, empty and a member called like a mark are told apart in every form", {
  quays <- c("(missing)", NA, "", "(empty)", "x")
  table <- data.frame(day = as.Date("2026-01-01") + 0:4, quay = quays, fare = 1:5)
  x <- ledger(table, on = "day")
  s <- statement(x, by = "quay", a = total(fare))
  shown <- c("\"(missing)\"", "(missing)", "(empty)", "\"(empty)\"", "x")
  printed <- utils::capture.output(print(s))
  for (text in shown) expect_true(any(startsWith(printed, paste0(text, " "))), info = text)
  skip_if_not_installed("readxl")
  behind <- entries_behind(statement(x, a = total(fare)), row = 1)
  for (made in list(s, cross_table(s, "span"), behind)) {
    path <- withr::local_tempfile(fileext = ".xlsx")
    write_workbook(made, path)
    sheets <- setdiff(readxl::excel_sheets(path), "About")
    cells <- unlist(readxl::read_excel(path, sheets[1], col_names = FALSE, na = "",
                                       .name_repair = "minimal"))
    expect_true(all(shown %in% cells), info = class(made)[1])
  }
})

test_that("what is shown as no change is coloured as none, in every table", {
  shown <- own("shown_change")
  for (decimals in 0:3) {
    values <- c(0, 0.4, -0.4, 0.04, -0.04, 0.004, -0.004, 5, -5, NA)
    zero <- is.na(values) | round(values, decimals) == 0
    change <- shown(values, decimals)
    expect_identical(change$class == "", zero)
    expect_identical(startsWith(change$text, "= "), !is.na(values) & zero)
    expect_false(any(grepl("[+-]0([.]0*)?$", change$text)))
  }
  table <- data.frame(day = as.Date("2026-01-01") + c(0, 31), fare = c(10000, 10000.3))
  s <- statement(ledger(table, on = "day"), per = "month", a = total(fare)) |>
    add_change(a, from = "1 month back")
  page <- withr::local_tempfile(fileext = ".html")
  suppressMessages(write_report(s, file = page))
  html <- paste(readLines(page, warn = FALSE), collapse = "\n")
  expect_true(grepl("class=\"number\">= 0.0<", html, fixed = TRUE))
  expect_true(grepl("class=\"number up\">\u25b2 +0.3<", html, fixed = TRUE))
})

test_that("files hold decimals as they are, of sums, differences and targets alike", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:1, a = c(10000.1, 0.09), b = c(5500.2, 5.8))
  x <- ledger(table, on = "day")
  s <- statement(x, per = "month", net = total(a) + total(b), less = total(a) - total(b),
                 twice = total(a) * 2, fare = total(a)) |>
    add_target(fare, data.frame(period = "2026-01", target = 9999.87))
  file <- withr::local_tempfile(fileext = ".csv")
  write_statement(s, file)
  text <- readLines(file)[2]
  expect_match(text, ",15506.19,4494.19,20000.38,10000.19,9999.87,0.32,")
  json <- withr::local_tempfile(fileext = ".json")
  write_statement(s, json)
  expect_match(readLines(json)[1], "\"net\":15506.19,\"less\":4494.19,\"twice\":20000.38")
})

test_that("a figure is no per cent of a target that is not above zero", {
  table <- data.frame(day = as.Date("2026-01-01") + c(0, 31), fare = c(-225, 50))
  s <- statement(ledger(table, on = "day"), per = "month", a = total(fare)) |>
    add_target(a, data.frame(period = c("2026-01", "2026-02"), target = c(-100, 0)))
  expect_identical(s$a_target_pct, c(NA_real_, NA))
  expect_identical(s$a_over_target, c(-125, 50))
  tile <- report_tiles(s[1, ], a)
  expect_identical(tile$target, "-125 against the target, -100")
})

test_that("bytes that are no text are no other member", {
  withr::local_options(rlib_message_verbosity = "verbose")
  table <- data.frame(day = as.Date("2026-01-01") + 0:2, m = c("caf\xe9", "caf<e9>", "x"),
                      f = c(1, 2, 4))
  for (members in list(table$m, factor(table$m, unique(table$m)))) {
    table$m <- members
    expect_message(x <- ledger(table, on = "day"), "read as Latin-1",
                   class = "rollingledger_message")
    s <- statement(x, by = "m", a = total(f))
    expect_setequal(as.character(s$m), c("caf\u00e9", "caf<e9>", "x"))
    expect_identical(s$a[as.character(s$m) == "caf<e9>"], 2)
  }
})
