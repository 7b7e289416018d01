digits_text <- rollingledger:::digits_text

test_that("digits give the very number back, without a power of ten, whatever R's options", {
  set.seed(4)
  numbers <- c(100000, 1e5 + 0.1, 12345678901234.57, 0.1, 1 / 3, 1e-7, 2^53, 1e22, -2.5, 0, -0, NA,
               10^runif(300, -20, 20) * sample(c(-1, 1), 300, TRUE), round(rnorm(300, 0, 1e6), 2))
  for (scipen in c(-20, 0, 20)) {
    text <- withr::with_options(list(scipen = scipen, digits = 3, OutDec = ","),
                                digits_text(numbers))
    expect_identical(as.numeric(text), numbers)
    expect_no_match(text[!is.na(text)], "e|,")
  }
  expect_identical(digits_text(c(100000, 12345678901234.57, 1e-7, -0)),
                   c("100000", "12345678901234.57", "0.0000001", "0"))
})

test_that("what is printed, drawn and written does not follow R's options", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare),
                 yield = average(fare), where = fare < 100000) |>
    add_change(income) |> add_rank(income, keep = 2, rest = "Others")
  file <- withr::local_tempfile(fileext = ".csv")
  json <- withr::local_tempfile(fileext = ".json")
  page <- withr::local_tempfile(fileext = ".html")
  ask <- function() {
    write_statement(s, file, overwrite = TRUE)
    write_statement(s, json, overwrite = TRUE)
    write_report(s, report_tiles(s, income), file = page, overwrite = TRUE)
    p <- figure_columns(
      statement(demo_ledger(), per = "month", span = "2026", income = total(fare)))
    axis <- p$scales$get_scales("y")$labels(c(0, 1e5, 2.5))
    c(format(s), format(entries_behind(s, row = 1)), readLines(file), readLines(json),
      readLines(page), p$labels$title, ggplot2::get_alt_text(p), axis)
  }
  plain <- ask()
  expect_identical(withr::with_options(list(scipen = -10, digits = 4, OutDec = ","), ask()), plain)
  expect_match(plain, "Where fare < 100000", all = FALSE, fixed = TRUE)
})

test_that("identifiers are written in digits everywhere, and large ones are told apart", {
  ids <- c("9007199254740992", "9007199254740993", "9007199254740994", "-9007199254740993")
  table <- data.frame(day = as.Date("2026-01-01") + 0:3, customer = c(100000, 12474, 100000, 7),
                      fare = c(1, 2, 4, 8))
  table$ticket <- bit64::as.integer64(ids)
  x <- ledger(table, on = "day")
  expect_identical(statement(x, n = distinct(ticket))$n, 4)
  s <- statement(x, by = "ticket", income = total(fare))
  expect_identical(s$income[match(ids, s$ticket)], c(1, 2, 4, 8))
  expect_identical(
    statement(x, n = entries(where = ticket == "9007199254740993"),
              m = entries(where = ticket %in% c("9007199254740992", "-9007199254740993")))[c(
                "n", "m")] |> unlist(use.names = FALSE), c(1, 2))
  s <- statement(x, by = "customer", income = total(fare))
  expect_match(format(s), " 100000 +5$", all = FALSE)
  expect_identical(names(cross_table(statement(x, by = "customer"), "customer")),
                   c("7", "12474", "100000"))
  expect_match(format(entries_behind(s, customer = 12474)),
               "^ *2 +2026-01-02 +2 +12474 +9007199254740993", all = FALSE)
  named <- suppressMessages(
    add_attributes(x, data.frame(customer = c("100000", "7"), name = c("Ann", "Bo")), "customer"))
  expect_identical(statement(named, by = "name", income = total(fare))$income, c(5, 8, 2))
  again <- suppressMessages(
    add_attributes(x,
                   data.frame(ticket = bit64::as.integer64(ids[1:2]), kind = c("a", "b"),
                              big = bit64::as.integer64(ids[2:1])), "ticket"))
  expect_identical(statement(again, by = c("kind", "big"), income = total(fare))$big,
                   c("9007199254740993", "9007199254740992", NA))
  r <- reconcile(s, data.frame(customer = c("100000", "12474", "7"), amount = c(5, 2, 8)),
                 by = "customer")
  expect_identical(r$result, rep("matched", 3))
  file <- withr::local_tempfile(fileext = ".csv")
  write_statement(s, file)
  expect_match(readLines(file), ",100000,5$", all = FALSE)
})

test_that("words: several of a thing, and one", {
  plural <- rollingledger:::plural_text
  expect_identical(
    vapply(c("route", "Country", "day", "branch", "class", "passengers", "bus"), plural, "",
           USE.NAMES = FALSE),
    c("routes", "Countries", "days", "branches", "classes", "passengers", "buses"))
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:1, amt = c(1, NA)), on = "day")
  expect_match(format(statement(x, income = total(amt))),
               "1 entry without an amt is left out of it", all = FALSE)
  expect_identical(rollingledger:::member_text(c("a", "", NA, "(missing)", "NA")),
                   c("a", "(empty)", "(missing)", "\"(missing)\"", "NA"))
})
