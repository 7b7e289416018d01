count <- function(x, where) statement(x, n = entries(where = !!rlang::enexpr(where)))$n

test_that("conditions equal base R's, missing values never being true", {
  table <- few_fares()
  x <- ledger(table, on = "sailed_on")
  n <- function(keep) as.double(sum(keep, na.rm = TRUE))
  expect_identical(count(x, where = fare > 0.1), n(table$fare > 0.1))
  expect_identical(count(x, where = fare >= 0.1 & fare <= 8),
                   n(table$fare >= 0.1 & table$fare <= 8))
  expect_identical(count(x, where = 7 < fare), n(table$fare > 7))
  expect_identical(count(x, where = fare != 8), n(table$fare != 8))
  expect_identical(count(x, where = !(fare < 8)), n(table$fare >= 8))
  expect_identical(count(x, where = fare == -5 | fare == 0.2), 2)
  expect_identical(count(x, where = fare %in% c(-5, 0.2, 99)), 2)
  expect_identical(count(x, where = fare %in% 7:8), 2)
  expect_identical(count(x, where = is_missing(fare)), 1)
  expect_identical(count(x, where = route == "Oysterby"), 4)
  expect_identical(count(x, where = route != "Oysterby"), n(table$route != "Oysterby"))
  expect_identical(count(x, where = !route == "Oysterby"), n(table$route != "Oysterby"))
  expect_identical(count(x, where = route %in% c("Oysterby", "Wickholm") & channel == "web"), 5)
  expect_identical(count(x, where = is_missing(route)), 1)
  expect_identical(count(x, where = route == ""), 1)
  expect_identical(count(x, where = has_text(route, "OYSTER")), 4)
  expect_identical(count(x, where = route >= "P"), 2)
  expect_identical(count(x, where = sailed_on >= "2026-02-01" & sailed_on <= "2026-03-31"), 3)
  expect_identical(count(x, where = booked_on < "2026-02-01"), 3)
  day <- as.Date("2026-04-01")
  expect_identical(count(x, where = sailed_on == !!day), 2)
  expect_identical(count(x, where = TRUE), 8)
  expect_identical(count(x, where = FALSE), 0)
  expect_identical(count(x, where = "fare > 0.1 & channel == 'web'"), 2)
})

test_that("codes are compared in their own order, TRUE and FALSE stand alone", {
  table <- data.frame(day = as.Date("2026-01-01"), code = sprintf("%04d", 3995:4205),
                      refund = rep(c(TRUE, FALSE, NA), length.out = 211))
  x <- ledger(table, on = "day")
  expect_identical(count(x, where = code >= "4000" & code <= "4199"), 200)
  expect_identical(count(x, where = refund), 71)
  expect_identical(count(x, where = !refund), 70)
})

test_that("a condition of the statement and one of a measure hold together", {
  x <- few_ledger()
  s <- statement(x, where = fare > 0, all = entries(), web = entries(where = channel == "web"))
  expect_identical(c(s$all, s$web), c(6, 3))
  expect_match(format(s), "Where fare > 0", all = FALSE)
})

test_that("a member that no entry has is said, with the nearest one", {
  withr::local_options(rlib_message_verbosity = "verbose")
  x <- few_ledger()
  expect_message(statement(x, where = route == "Oysterbi"),
                 "No entry has route \"Oysterbi\". Did you mean `Oysterby`?", fixed = TRUE)
  expect_message(statement(x, n = entries(where = route %in% c("A", "Wickholm", "B"))),
                 "No entry has route \"A\" or \"B\".", fixed = TRUE)
  expect_no_message(statement(x, where = route >= "P" & route != "Wickholm"))
})

test_that("conditions that cannot be meant are refused", {
  x <- few_ledger()
  refused <- function(message, ...) expect_error(
    statement(x, ...), message, class = "rollingledger_error_measure")
  refused("holds numbers", where = fare == "8")
  refused("holds text", where = route == 8)
  refused("holds dates", where = sailed_on > "lately")
  refused("missing value, which is never true", where = route == NA)
  refused("Use %in% for several", where = fare == c(1, 2))
  refused("not a value", where = fare > route)
  refused("`route` alone is not a condition", where = route)
  refused("is not a column", where = substr(route, 1, 2) == "Oy")
  refused("not known in a condition", where = startsWith(route, "Oy"))
  refused("is not a condition", where = 5)
  expect_refused(statement(x, where = rout == "x"), "Did you mean `route`", "column")
  expect_refused(statement(x, where = fare == limit), "write !!limit", "measure")
})

test_that("ordered factors compare by their levels, also once entries were appended", {
  sizes <- c("low", "medium", "high")
  table <- data.frame(day = as.Date("2026-01-01") + 0:2,
                      size = factor(sizes, levels = sizes, ordered = TRUE), fare = c(1, 10, 100))
  x <- ledger(table, on = "day")
  total_where <- function(x, where) statement(x, where = !!rlang::enexpr(where),
                                              income = total(fare))$income
  expect_identical(total_where(x, size >= "medium"), 110)
  expect_identical(total_where(x, "medium" > size), 1)
  expect_identical(statement(x, a = entries(where = size > "low" & size < "high"))$a, 1)
  expect_refused(total_where(x, size > "mdium"),
                 "not one of its levels.*Did you mean `medium`", "measure")
  more <- data.frame(day = as.Date("2026-01-04"), size = "huge", fare = 1000)
  expect_refused(append_entries(x, more), "whose place in the order is not known", "source")
  more$size <- factor("huge", levels = c("low", "medium", "huge", "high"), ordered = TRUE)
  y <- append_entries(x, more)
  expect_identical(total_where(y, size >= "medium"), 1110)
  expect_identical(total_where(y, size >= "high"), 100)
  expect_identical(as.character(statement(y, by = "size")$size), c("low", "medium", "huge", "high"))
})

test_that("text is folded by one rule in every locale, and days held as text compare as days", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:2,
                      town = c("Z\u00fcrich", "Bern", "Z\u00dcRICH"),
                      seen = as.POSIXct(c("2026-01-01 10:00", "2026-01-02 11:00", NA), tz = "UTC"),
                      told = c("03/04/2026", "12/01/2026", "05/06/2026"),
                      clear = c("13/04/2026 09:30", "12/01/2026 10:00", "05/06/2026 11:00"))
  x <- ledger(table, on = "day")
  counted <- function(where) statement(x, n = entries(where = !!rlang::enexpr(where)))$n
  for (locale in c("C", "C.UTF-8")) withr::with_locale(
    c(LC_CTYPE = locale), expect_identical(counted(has_text(town, "Z\u00dcR")), 2))
  expect_identical(counted(has_text(town, "a\\E.")), 0)
  expect_identical(
    c(counted(seen <= "2026-01-01"), counted(seen == "2026-01-02"),
      counted(seen > "2026-01-01 09:00"), counted(seen %in% c("2026-01-01", "2026-01-03"))),
    c(1, 1, 2, 1))
  expect_refused(counted(seen > "1.1.2026"), "holds days", "measure")
  expect_refused(counted(told > "01/02/2026"), "\"03/04/2026\" is 3 Apr 2026 or 4 Mar 2026",
                 "measure")
  # Where the order of day and month is proved, text compares as days.
  expect_identical(c(counted(clear > "2026-02-01"), counted(clear == "2026-04-13"),
                     counted(clear <= "2026-01-12")), c(2, 1, 1))
  expect_refused(counted(clear > "01/02/2026"), "holds days", "measure")
  expect_identical(counted(told == "03/04/2026"), 1)
})

test_that("conditions that would run out of room are refused", {
  x <- few_ledger()
  expect_refused(statement(x, where = fare %in% 1:2e9), "more than 1,000,000 values", "measure")
  expect_refused(statement(x, where = fare %in% 1:NA),
                 "no run of whole numbers|not a run|not a value", "measure")
  for (bars in c(3000, 100000)) {
    expect_refused(statement(x, where = !!paste(rep("fare == 1", bars), collapse = " | ")),
                   "calls within each other|cannot be read", "measure")
  }
  expect_refused(statement(x, income = !!paste(rep("total(fare)", 3000), collapse = " + ")),
                 "calls within each other", "measure")
  expect_identical(
    statement(x, n = entries(
      where = !!Reduce(function(a, b) call("|", a, b), rep(list(quote(fare == 7)), 100))))$n, 1)
})
