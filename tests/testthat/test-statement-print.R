test_that("a statement prints its days and what is partial, in line", {
  s <- statement(few_ledger(units = c(fare = "EUR")), per = "month", by = "route",
                 income = total(fare), trips = entries(), mean_fare = average(fare),
                 where = channel == "web" | fare < 10)
  expect_snapshot(add_running(s, income, since = "fiscal year"))
  expect_snapshot(statement(few_ledger()))
})

test_that("never more rows than asked for, the newest kept", {
  s <- statement(demo_ledger(), per = "day", income = total(fare))
  lines <- format(s, rows = 8)
  expect_match(lines[5], "^\\(8 of 1,356 rows; all with print\\(x, rows = Inf\\)\\)$")
  expect_match(lines[length(lines)], "^2026-09-17")
  expect_length(format(s), 1 + 1 + 20 + 1)
  withr::local_envvar(LINES = "16")
  expect_length(format(s), 13)
  withr::local_options(rollingledger.rows = 5)
  expect_length(format(s), 8)
  expect_length(format(s, rows = Inf), 2 + nrow(s))
  expect_refused(print(s, rows = "all"), "must be a count", "choice")
})

test_that("columns that do not fit go on below, with what tells the rows", {
  s <- statement(demo_ledger(), per = "year", income = total(fare),
                 a_long_name_for_trips = entries(), mean_fare = average(fare))
  lines <- format(s, width = 50)
  expect_true(all(nchar(lines[2:6]) <= 50))
  expect_match(lines, "^period +mean_fare", all = FALSE)
  expect_identical(sum(grepl("^2024 ", lines)), 2L)
  expect_length(grep("^2024 ", format(s, width = 100)), 1)
  expect_identical(format(s, width = Inf)[1:6], format(s, width = 200)[1:6])
})

test_that("missing and empty members have a name, zero has no sign", {
  s <- statement(few_ledger(), by = "route", income = total(fare), n = 0 * -1 * entries())
  expect_match(format(s), "\\(missing\\)", all = FALSE)
  expect_match(format(s), "\\(empty\\)", all = FALSE)
  expect_no_match(format(s), "-0")
})

test_that("a statement whose columns were taken away still prints", {
  s <- statement(few_ledger(), per = "month", income = total(fare))
  expect_output(print(s["income"]), "income")
})

test_that("long names are cut in the middle, as far as they still differ", {
  long <- paste0("The very long name of a landing stage ", c("north", "south"), " of the harbour")
  fares <- few_fares()
  fares$route <- rep(c(long, "Oysterby"), length.out = nrow(fares))
  s <- statement(ledger(fares, on = "sailed_on"), per = "month", by = "route", income = total(fare))
  lines <- format(s, width = 60)
  expect_lte(max(nchar(lines[-1])), 62)
  expect_match(lines, "^2026-[0-9*]+ +The very.*[.][.][.].*harbour +", all = FALSE)
  text <- rollingledger:::cut_in_middle(c(long, "Oysterby"), 20)
  expect_identical(length(unique(text)), 3L)
  expect_match(format(s, width = Inf), long[1], all = FALSE, fixed = TRUE)
})

test_that("control characters of data are shown, never sent", {
  odd <- c("\u001b[31mred", "two\nlines", "bell\a", "\u009b5m")
  fares <- few_fares()
  fares$route <- rep(odd, length.out = nrow(fares))
  s <- statement(ledger(fares, on = "sailed_on"), by = "route", trips = entries())
  shown <- utils::capture.output(print(s))
  codes <- utf8ToInt(paste(shown, collapse = ""))
  expect_identical(codes[codes < 32 | codes >= 127 & codes < 160], integer())
  for (mark in c("u001b[31mred", "two\\u000alines", "bell\\u0007", "u009b5m")) {
    expect_match(shown, mark, fixed = TRUE, all = FALSE)
  }
})
