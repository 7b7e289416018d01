test_that("combinations are told apart by their parts, and so are their labels", {
  columns <- list(c("a", "a, b", "a", NA, "NA"), c("b, c", "c", "b, c", "x", "x"))
  told <- rollingledger:::number_rows(columns, 5)
  expect_identical(told$number, c(1L, 2L, 1L, 3L, 4L))
  labels <- rollingledger:::labels_told_apart(columns, 5)
  expect_identical(match(labels, unique(labels)), told$number)
})

test_that("members whose names run together are two in figures", {
  table <- data.frame(day = as.Date("2026-01-15") + c(0, 0, 31, 31),
                      a = c("x", "x, y", "x", "x, y"), b = c("y, z", "z", "y, z", "z"),
                      fare = c(1, 10, 2, 20))
  x <- ledger(table, on = "day", as_of = "2026-02-28")
  s <- statement(x, per = "month", by = c("a", "b"), income = total(fare))
  expect_identical(nlevels(figure_trend(s)$data$series), 2L)
  odd <- data.frame(day = as.Date("2026-01-15"), route = c(NA, "(missing)", "NA", ""),
                    fare = c(1, 2, 4, 8))
  p <- figure_columns(statement(ledger(odd, on = "day"), by = "route", income = total(fare)))
  expect_setequal(
    p$data$value[match(c("(missing)", "\"(missing)\"", "NA", "(empty)"),
                       as.character(p$data$place_label))], c(1, 2, 4, 8))
})

test_that("the rest of a ranking holds a missing member, \"NA\" and \"\" apart", {
  months <- as.Date(c("2026-01-05", "2026-02-05"))
  table <- data.frame(day = rep(months, each = 3), route = rep(c(NA, "NA", "B"), 2), parent = "p",
                      fare = c(100, 10, 1, 10, 100, 1))
  ask <- function(table, ...) {
    s <- statement(ledger(table, on = "day", as_of = "2026-02-28"), per = "month",
                   income = total(fare), ...)
    s <- add_rank(s, income, within = if ("parent" %in% names(s)) "parent" else "period", keep = 1,
                  rest = "Others", missing = "ranked")
    s$income[s$route %in% "Others"]
  }
  expect_identical(ask(table, by = "route"), c(11, 11))
  expect_identical(ask(table, by = c("parent", "route")), c(11, 11))
  table$route[is.na(table$route)] <- ""
  expect_identical(ask(table, by = "route"), c(11, 11))
  table$fare[4:6] <- NA  # no leader: all of them are left over
  s <- statement(ledger(table, on = "day", as_of = "2026-02-28"), per = "month", by = "route",
                 n = entries(), mean_fare = average(fare)) |>
                   add_rank(mean_fare, keep = 1, rest = "Others")
  expect_identical(s$n[s$route == "Others"], c(2, 3))
})

test_that("a period in two spans is two periods, in every table and figure", {
  x <- ledger(data.frame(day = as.Date("2024-01-01") + 0:800, route = c("A", "B", "B"), fare = 1),
              on = "day")
  s <- statement(x, per = "year", by = "route", span = "every 11-15/01-15", income = total(fare))
  right <- sum(s$income)
  expect_identical(right, 15 * 3 + 47 * 2)
  for (down in c("groups", "figures")) {
    table <- cross_table(s, "period", down = down)
    expect_identical(length(attr(table, "columns")), 5L)
    expect_identical(sum(unlist(unclass(table)[names(attr(table, "columns"))])), right)
  }
  ranked <- add_rank(s, income, keep = 1, rest = "Others")
  expect_identical(sum(ranked$income), right)
  expect_identical(as.vector(table(add_rank(s, income)$income_rank)), c(5L, 5L))
  all <- statement(x, per = "year", span = "every 11-15/01-15", income = total(fare))
  expect_identical(length(unique(figure_columns(all)$data$place)), 5L)
  expect_match(figure_columns(all)$data$period, "2025 (15 Nov to 31 Dec 2025)", all = FALSE,
               fixed = TRUE)
  book <- withr::local_tempfile(fileext = ".xlsx")
  write_workbook(s, book)
  skip_if_not_installed("readxl")
  sheet <- readxl::read_excel(book, 2)
  expect_equal(sum(sheet$Income[sheet$Route == "(all)"]), right)
  expect_refused(entries_behind(all, period = "2025"), "Tell it by its days", "choice")
  expect_identical(nrow(entries_behind(all, period = "1 to 15 Jan 2025")), 15L)
})

test_that("columns of the source may be called as ours are", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:5, account = c("a", "b"), fare = 1,
                      amount = 2)
  for (name in c("result", "here", "difference", "line", "standing", "set_order", "entries_of_day",
                 "row", "first day account", "numbers of", "level 1")) table[[name]] <- c(
                   "p", "q", "q")
  x <- ledger(table, on = "day")
  for (name in setdiff(names(table), c("day", "fare", "amount", "account"))) {
    s <- statement(x, by = c(name, "account"), income = total(fare), new = newcomers(account),
                   seen = distinct(account))
    expect_identical(sum(s$income), 6, info = name)
    lines <- cross_table(s, name, down = "figures")
    expect_false(anyDuplicated(names(lines)) > 0, info = name)
    expect_identical(dim(entries_behind(s, row = 1))[2], length(table) + 1L, info = name)
    moved <- compare_members(x, name, "2026-01-04/2026-01-06", "2026-01-01/2026-01-03",
                             income = total(fare))
    expect_false(anyDuplicated(names(moved)) > 0, info = name)
    r <- reconcile(statement(x, by = name, income = total(fare)),
                   stats::setNames(data.frame(c("p", "q"), c(2, 4)), c(name, "amount")), by = name)
    expect_identical(r$result, c("matched", "matched"), info = name)
    named <- stats::setNames(list("total(fare)", "entries()"), c(name, "income"))
    expect_identical(sum(statement(x, by = "account", !!!named)[[name]]), 6, info = name)
    book <- withr::local_tempfile(fileext = ".xlsx")
    expect_no_error(write_workbook(s, book))
    expect_no_error(
      ggplot2::ggplot_build(
        figure_days(statement(x, per = "day", by = name, income = total(fare)), panels = name)))
  }
  expect_refused(ledger(table, on = c("every figure" = "day")), "cannot be called", "date")
})

test_that("the code makes no key by pasting text", {
  sources <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(sources))
  code <- unlist(lapply(list.files(sources, "[.]R$", full.names = TRUE), readLines))
  taking_keys <- "(match|unique|duplicated|split|tapply|tabulate|table|ave)"
  pasting <- paste0("(^|[^._a-z])", taking_keys, "\\((do[.]call\\()?paste",
                    "|key <- (do[.]call\\()?paste")
  pasted <- grep(pasting, code, value = TRUE)
  expect_identical(pasted, character())
})

test_that("random rows are told apart as their values written out are", {
  set.seed(12)
  for (try in seq_len(rounds(20, 60))) {
    n <- sample(c(0, 1, 7, 400), 1)
    columns <- list(sample(c(NA, -3:3, .Machine$integer.max), n, TRUE),
                    sample(c(TRUE, FALSE, NA), n, TRUE), sample(c("a", "A", NA, ""), n, TRUE),
                    factor(sample(c("x", "y"), n, TRUE)), sample(c(0.5, NaN, 1), n, TRUE),
                    sample(1e6, n, TRUE))[sample(6, sample(0:5, 1))]
    if (try %% 2 == 0) columns <- lapply(columns, sort, na.last = TRUE)
    told <- rollingledger:::number_rows(columns, n)
    text <- lapply(columns, function(column) ifelse(is.na(column), "missing", dQuote(column)))
    written <- if (length(text) == 0) rep("", n) else do.call(paste, text)
    expect_identical(told$number, match(written, unique(written)))
    expect_identical(told$first, which(!duplicated(written)))
    expect_identical(told$count, length(unique(written)))
  }
  expect_error(rollingledger:::core_told_apart(list(1:3, 1:2), 3), "one for each row")
})
