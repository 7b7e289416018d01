first_day <- function(values, ...) statement(ledger(data.frame(day = values), on = "day", ...))$from

test_that("date-times count on their day in the zone that is stated", {
  late <- as.POSIXct("2026-03-01 23:30:00", tz = "UTC")
  expect_identical(first_day(late), as.Date("2026-03-01"))
  expect_identical(first_day(late, time_zone = "Asia/Kolkata"), as.Date("2026-03-02"))
  attr(late, "tzone") <- "America/New_York"
  expect_identical(first_day(late), as.Date("2026-03-01"))
  # Without a zone it is the day that R prints.
  attr(late, "tzone") <- NULL
  withr::local_timezone("Asia/Kolkata")
  expect_identical(first_day(late), as.Date("2026-03-02"))
  expect_match(format(ledger(data.frame(day = late), on = "day")),
               "as R prints the date-times, which carry no time zone", all = FALSE)
  expect_refused(first_day(late, time_zone = "Europe/Lisbonne"),
                 "Did you mean `Europe/Lisbon`", "choice")
})

test_that("the session's own time zone changes nothing", {
  withr::local_timezone("Asia/Kolkata")
  expect_identical(first_day(as.POSIXct("2026-03-01 23:30:00", tz = "UTC")), as.Date("2026-03-01"))
  expect_identical(first_day("2026-03-01T23:30:00Z"), as.Date("2026-03-01"))
  expect_identical(sum(statement(demo_ledger(), per = "month", income = total(fare))$income),
                   sum(demo_fares$fare))
})

test_that("text date-times count as written unless another zone is asked for", {
  expect_identical(first_day("2026-03-01T23:30:00-05:00"), as.Date("2026-03-01"))
  expect_identical(first_day("2026-03-01T23:30:00-05:00", time_zone = "UTC"), as.Date("2026-03-02"))
  expect_identical(first_day("2026-03-01 23:30", time_zone = "UTC"), as.Date("2026-03-01"))
  expect_identical(first_day("2026-03-01T23:30Z", time_zone = "Asia/Kolkata"),
                   as.Date("2026-03-02"))
  expect_identical(first_day("2026-03-01 23:30"), as.Date("2026-03-01"))
  expect_match(format(ledger(data.frame(day = "2026-03-01 23:30"), on = "day")),
               "day: date-times on the day as written", all = FALSE)
})

test_that("dates that could be day or month first are refused with the way to say it", {
  expect_refused(first_day(c("03/04/2026", "05/06/2026")),
                 "Say `date_format = \"%d/%m/%Y\"` if the day comes first", "date")
  expect_error(first_day(c("03/04/2026", "05/06/2026")),
               "\"03/04/2026\" is 3 Apr 2026 or 4 Mar 2026")
  # Where a day beyond the 12th proves it, it is read.
  expect_identical(first_day(c("03/04/2026", "25/06/2026")), as.Date("2026-04-03"))
  expect_identical(first_day(c("3.4.26", "6.25.26")), as.Date("2026-03-04"))
  expect_refused(first_day(c("03/04/2026", "25/06/2026", "06/25/2026")),
                 "\"25/06/2026\" has the day first and \"06/25/2026\" has the month first", "date")
  expect_identical(first_day("03/04/2026", date_format = "%d/%m/%Y"), as.Date("2026-04-03"))
  expect_identical(first_day("03/04/2026", date_format = "%m/%d/%Y"), as.Date("2026-03-04"))
  expect_identical(first_day("20260304", date_format = "%Y%m%d"), as.Date("2026-03-04"))
})

test_that("a format must fit the whole text", {
  x <- ledger(data.frame(day = c("03/04/2026", "03/04/2026 x", "31/02/2026", "2026-04-03")),
              on = "day", date_format = "%d/%m/%Y")
  expect_identical(set_aside(x)$value, c("03/04/2026 x", "31/02/2026", "2026-04-03"))
  expect_refused(first_day("2026-04-03", date_format = "%d/%m/%Y"),
                 "none of its values can be read with", "date")
  expect_refused(first_day("2026-04-03", date_format = "iso"), "must be one text such as", "choice")
})

test_that("each basis may have a format of its own", {
  table <- data.frame(sailed = "03/04/2026", booked = "2026-01-01")
  x <- ledger(table, on = c("sailed", "booked"), date_format = c(sailed = "%d/%m/%Y"))
  expect_identical(statement(x, on = "booked")$from, as.Date("2026-01-01"))
  expect_error(ledger(table, on = c("sailed", "booked"), date_format = c(sold = "%d")),
               class = "rollingledger_error_column")
})

test_that("days outside years 1 to 9999 are set aside", {
  x <- ledger(data.frame(day = structure(c(0, 3e6, -8e5), class = "Date")), on = "day")
  expect_identical(nrow(set_aside(x)), 2L)
  expect_identical(set_aside(x)$reason, rep("unreadable date", 2))
})

test_that("months count on their first day, and nothing is told by days within them", {
  x <- ledger(data.frame(month = c("2026-01", "2026-02", "2026-02"), fare = 1:3), on = "month")
  expect_match(format(x), "month: months, each on its first day", all = FALSE)
  expect_match(format(x), "28 Feb 2026, a Saturday", all = FALSE)
  s <- statement(x, per = "month", income = total(fare))
  expect_identical(s$income, c(1, 5))
  expect_true(all(s$complete))
  expect_refused(statement(x, per = "week"), "holds months, so there is nothing by week", "choice")
  said <- ledger(data.frame(month = c("01/26", "02/26")), on = "month", date_format = "%m/%y")
  expect_identical(statement(said, per = "month")$entries, c(1, 1))
})

test_that("days in digits are read, from numbers and from text", {
  for (day in list(c(20260131, 20260201), c("20260131", "20260201"), c(20260131L, 20260201L))) {
    expect_identical(first_day(day), as.Date("2026-01-31"))
  }
  expect_refused(first_day(c(1, 2)), "is not a date: it holds numbers", "date")
  expect_refused(first_day(c(20260131, 20261331)), "is not a date: it holds numbers", "date")
})

test_that("what is missing is one list for dates, ends and amounts, and may be said", {
  table <- data.frame(day = c("2026-01-01", "n/a", "-"), fare = c("1", "NULL", "2"),
                      until_on = c("-", "2026-02-01", "2026-02-01"))
  x <- ledger(table, on = "day", until = "until_on", amounts = "fare")
  expect_identical(set_aside(x)$reason, rep("no date", 2))
  expect_identical(statement(x, open = active(), income = total(fare))$open, 1)
  x <- ledger(table, on = "day", until = "until_on", amounts = "fare", missing = c("-", "n/a"))
  expect_identical(set_aside(x)$reason, rep("no date", 2))
  expect_refused(ledger(data.frame(day = c("", "soon")), on = "day", missing = "soon"),
                 "none of its values", "date")
})
