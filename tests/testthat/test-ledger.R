test_that("entries read are used or set aside, whatever is wrong with them", {
  table <- data.frame(
    sailed_on = c("2026-01-01", "", "2026-02-30", "2026-03-01", "2090-01-01", NA, "2026-04-01"),
    fare = c("1.5", "2", "3", "three", "5", "6", NA)
  )
  x <- ledger(table, on = "sailed_on", amounts = "fare")
  aside <- set_aside(x)
  expect_identical(aside$row, 2:6)
  expect_identical(aside$reason,
                   c("no date", "unreadable date", "unreadable amount", "dated after the as-of day",
                     "no date"))
  expect_identical(aside$value, c(NA, "2026-02-30", "three", "2090-01-01", NA))
  expect_true(all(aside$kept_out_of == "every figure"))
  s <- statement(x, income = total(fare), entries = entries())
  expect_identical(c(s$income, s$entries), c(1.5, 2))
  expect_match(format(x), "7 read = 2 used \\+ 5 set aside", all = FALSE)
})

test_that("a message says what was set aside, and none where nothing was", {
  withr::local_options(rlib_message_verbosity = "verbose")
  table <- data.frame(day = c("2026-01-01", "2026-02-30", "2090-01-01", "", NA))
  expect_message(ledger(table, on = "day"),
                 paste0("4 of 5 entries set aside: no date (2), dated after the as-of day (1) ",
                        "and unreadable date (1)"),
                 fixed = TRUE, class = "rollingledger_message")
  expect_no_message(few_ledger())
})

test_that("random bad rows never break the balance", {
  for (seed in 1:20) {
    table <- random_fares(seed)
    table$sailed_on <- as.character(table$sailed_on)
    table$sailed_on[sample(nrow(table), nrow(table) %/% 3)] <- sample(
      c(NA, "", "2020-02-30", "soon", "2099-01-01"), 1)
    x <- ledger(table, on = "sailed_on")
    s <- statement(x)
    expect_identical(s$entries + nrow(set_aside(x)), as.double(nrow(table)))
  }
})

test_that("another date basis is kept apart only where it is missing", {
  x <- few_ledger()
  expect_identical(set_aside(x)$kept_out_of, "booked")
  expect_identical(statement(x)$entries, 8)
  expect_identical(statement(x, on = "booked")$entries, 7)
  expect_match(format(x), "1 entry without", all = FALSE)
})

test_that("a day after the as-of day on another basis counts when its time has come", {
  table <- data.frame(booked = as.Date("2026-01-01") + 0:9,
                      sails = as.Date("2026-01-01") + c(0:4, 25:29), fare = 1)
  x <- ledger(table, on = c("booked", "sails"))
  expect_identical(set_aside(x)$kept_out_of, rep("sails", 5))
  expect_identical(set_aside(x)$reason, rep("dated after the as-of day", 5))
  s <- statement(x, per = "day", on = "sails", income = total(fare))
  expect_identical(c(nrow(s), sum(s$income)), c(10, 5))  # up to the as-of day
  expect_identical(control_totals(s)$difference, 0)
  expect_identical(statement(x, where = sails > "2026-01-10")$entries, 5)
  later <- ledger(table, on = c("booked", "sails"), as_of = "2026-01-31")
  expect_identical(statement(later, on = "sails")$entries, 10)
})

test_that("the as-of day is the newest entry's, never later than today, or as told", {
  today <- Sys.Date()
  x <- ledger(data.frame(day = today + c(-3, 0, 1)), on = "day")
  expect_identical(statement(x)$to, today)
  expect_identical(set_aside(x)$reason, "dated after the as-of day")
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:1, fare = c(1, Inf)), on = "day")
  expect_identical(statement(x)$to, as.Date("2026-01-01"))  # the later entry is not used
  x <- few_ledger(as_of = "2026-02-28")
  expect_identical(nrow(set_aside(x)), 4L)
  expect_identical(statement(x)$entries, 4)
  x <- few_ledger(as_of = as.Date("2026-05-31"))
  expect_identical(statement(x, per = "month")$period[5], "2026-05")
  expect_refused(few_ledger(as_of = "soon"), "`as_of` must be a day", "choice")
  expect_error(statement(few_ledger(), as_of = "2027-01-01"), "after the ledger's own as-of day")
})

test_that("order of rows, class of columns and class of table change no figure", {
  table <- few_fares()
  expected <- as.data.frame(
    statement(few_ledger(), per = "month", by = c("route", "channel"), income = total(fare)))
  same <- function(changed) {
    x <- ledger(changed, on = c(sailed = "sailed_on"), calendar = april)
    got <- as.data.frame(
      statement(x, per = "month", by = c("route", "channel"), income = total(fare)))
    got$route <- as.character(got$route)
    expect_equal(got, expected, ignore_attr = TRUE)
  }
  same(table[8:1, ])
  same(transform(table, sailed_on = as.character(sailed_on)))
  same(transform(table, sailed_on = structure(as.integer(sailed_on), class = "Date")))
  same(transform(table, sailed_on = as.POSIXct(paste(sailed_on, "23:30"), tz = "Asia/Kolkata")))
  same(transform(table, route = factor(route, levels = c("", "Oysterby", "Wickholm"))))
  same(tibble::as_tibble(table))
  same(data.table::as.data.table(table))
})

test_that("attributes of every kind group: text, factor, TRUE and FALSE, numbers, dates", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:3,
                      size = factor(c("van", "car", "van", NA), levels = c("van", "car", "lorry")),
                      paid = c(TRUE, NA, FALSE, TRUE), decks = c(2, 1.5, 2, NA),
                      due = as.Date("2026-02-01") + c(1, 0, 1, NA),
                      code = c("007", "7", "007", "\u00e9t\u00e9 \U1F6A2, \"x\""))
  x <- ledger(table, on = "day")
  groups <- function(by) statement(x, by = by)
  expect_identical(as.character(groups("size")$size), c("van", "car", NA))
  expect_identical(levels(groups("size")$size), c("van", "car", "lorry"))
  expect_identical(groups("paid")$paid, c(FALSE, TRUE, NA))
  expect_identical(groups("decks")$decks, c(1.5, 2, NA))
  expect_identical(groups("due")$due, as.Date(c("2026-02-01", "2026-02-02", NA)))
  expect_identical(groups("code")$code, c("007", "7", "\u00e9t\u00e9 \U1F6A2, \"x\""))
  expect_identical(groups("code")$entries, c(2, 1, 1))
})

test_that("one text in two encodings is one member", {
  latin <- "caf\xe9"
  Encoding(latin) <- "latin1"
  x <- ledger(data.frame(day = as.Date("2026-01-01"), quay = c(latin, "caf\u00e9")), on = "day")
  expect_identical(statement(x, by = "quay")$entries, 2)
})

test_that("infinite amounts are set aside, NaN is missing, whole numbers of 64 bits are exact", {
  x <- ledger(data.frame(day = as.Date("2026-01-01"), fare = c(1, Inf, -Inf, NaN)), on = "day")
  s <- statement(x, income = total(fare), entries = entries())
  expect_identical(c(s$income, s$entries), c(1, 2))
  expect_identical(set_aside(x)$reason, rep("unreadable amount", 2))
  big <- bit64::as.integer64(c("9007199254740993", "-9007199254740992", NA))
  x <- ledger(data.frame(day = as.Date("2026-01-01"), tons = big), on = "day")
  expect_identical(statement(x, tons = total(tons))$tons, 1)
})

test_that("wrong calls say what, where and what would be right", {
  table <- few_fares()
  expect_refused(ledger(table, on = "sailed"), "Did you mean `sailed_on`", "column")
  expect_refused(ledger(table, on = "fare"), "`fare` is not a date: it holds numbers", "date")
  expect_refused(ledger(table, on = "route"), "none of its values can be read as dates", "date")
  expect_refused(ledger(table, on = character()), "at least one column", "date")
  expect_refused(ledger(table, on = c(a = "sailed_on", a = "booked_on")), "name of its own", "date")
  expect_refused(ledger(table[0, ], on = "sailed_on"), "no rows", "source")
  expect_error(ledger(cbind(table, fare = 1), on = "sailed_on"), "`fare` stands more than once")
  expect_refused(ledger(transform(table, sailed_on = as.Date(NA)), on = "sailed_on"),
                 "No entry of .* can be used", "source")
  expect_refused(ledger(data.frame(day = Sys.Date() + 2), on = "day"),
                 "dated after the as-of day \\(1\\)", "source")
  expect_refused(ledger(table, on = "sailed_on", calendar = list()), "ledger_calendar", "choice")
  expect_refused(ledger(table, on = "sailed_on", units = c(fair = "EUR")),
                 "Did you mean `fare`", "column")
  expect_refused(ledger(table, on = "sailed_on", amounts = "booked_on"),
                 "cannot be amounts", "column")
  expect_refused(ledger(42, on = "x"), "cannot be built from numbers", "source")
  expect_refused(set_aside(table), "must be a ledger", "choice")
  listy <- ledger(data.frame(day = as.Date("2026-01-01"), crew = I(list(1:2))), on = "day")
  expect_refused(statement(listy, by = "crew"), "neither text, numbers nor dates", "column")
})

test_that("a ledger prints what it holds", {
  expect_snapshot(few_ledger(units = c(fare = "EUR")))
})

test_that("a saved and reopened ledger goes on", {
  x <- few_ledger()
  s <- statement(x, per = "month", income = total(fare))
  path <- withr::local_tempfile()
  saveRDS(x, path)
  again <- statement(readRDS(path), per = "month", income = total(fare))
  expect_identical(add_running(again, income)$income_running, add_running(s, income)$income_running)
})
