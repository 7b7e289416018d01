test_that("the demo's deposits: what differs, and totals that tie", {
  x <- ledger(demo_fares, on = c(booked = "booked_on"))
  s <- statement(x, per = "day", income = total(fare))
  r <- reconcile(s, demo_deposits, by = c(period = "received_on"), value = "amount")
  by_hand <- merge(stats::aggregate(fare ~ booked_on, demo_fares, sum), demo_deposits,
                   by.x = "booked_on", by.y = "received_on", all = TRUE)
  off <- by_hand[is.na(by_hand$amount) | abs(by_hand$fare - by_hand$amount) > 0.001, ]
  expect_identical(r$period[r$result != "matched"], as.character(off$booked_on))
  expect_identical(sort(r$result[r$result != "matched"]), c(rep("different", 4), "only here"))
  expect_equal(sum(r$here, na.rm = TRUE), sum(demo_fares$fare))
  expect_equal(sum(r$there, na.rm = TRUE), sum(demo_deposits$amount))
  expect_equal(sum(r$difference), sum(demo_fares$fare) - sum(demo_deposits$amount))
  shown <- format(r, width = 100)
  expect_match(shown, "^total +1,476 +4,793,853.50 +4,789,661.10 +4,192.40$", all = FALSE)
  near <- reconcile(s, demo_deposits, by = c(period = "received_on"), value = "amount",
                    tolerance = 40)
  expect_identical(sum(near$result == "different"), 1L)
  monthly <- reconcile(statement(x, per = "month", income = total(fare)), demo_deposits,
                       by = c(period = "received_on"), value = "amount")
  expect_equal(sum(monthly$difference), sum(r$difference))
})

test_that("keys, sides and repeated rows, by hand", {
  s <- statement(few_ledger(), per = "month", by = "route", income = total(fare))
  against <- data.frame(period = c("2026-01", "2026-01", "2026-01", "2027-01"),
                        route = c("Oysterby", "Wickholm", "Wickholm", "Oysterby"),
                        income = c(10.1, 20, 0.25, 4))
  r <- reconcile(s, against)
  cell <- function(period, route) r$result[r$period == period & r$route %in% route]
  expect_identical(cell("2026-01", "Oysterby"), "matched")
  expect_identical(cell("2026-01", "Wickholm"), "matched")
  expect_identical(cell("2027-01", "Oysterby"), "only there")
  expect_identical(cell("2026-02", "Oysterby"), "only here")
  expect_identical(cell("2026-02", "Wickholm"), "matched")  # nothing on either side
  expect_match(format(r), "1 row of the other table had a key that came before", all = FALSE)
  expect_true("Every cell matches." %in% format(reconcile(s, s)))
  refused <- function(..., message) expect_error(
    reconcile(...), message, class = "rollingledger_error_choice")
  refused(s, against, by = "period", message = "does not tell the rows of the statement apart")
  refused(s, against["income"], message = "Nothing says how the two go together")
  refused(s, against, value = "route", message = "must name the other table's column of amounts")
  refused(s, against, tolerance = -1, message = "not below zero")
  refused(s, 1:3, message = "must be a data frame")
  expect_refused(reconcile(s, "bank.csv"), "does not exist", "source")
  expect_refused(reconcile(s, against, by = c(period = "month")),
                 "There is no column `month`", "column")
})

test_that("totals are not counted twice, missing is not zero, and small differences differ", {
  x <- ledger(data.frame(day = as.Date("2026-01-05") + c(0, 31), route = c("A", "B"),
                         fare = c(20, 1)), on = "day", as_of = "2026-02-17")
  s <- statement(x, per = "month", by = "route", income = total(fare), totals = "both")
  bank <- data.frame(period = c("2026-01", "2026-02"), route = c("A", "B"), income = c(20, 1))
  r <- reconcile(s, bank)
  expect_identical(sum(r$here), 21)
  expect_identical(unique(r$result), "matched")
  expect_match(format(r, width = 200), "5 rows of totals are left out", all = FALSE)
  # Of a statement cut down to its totals, these are what is meant.
  only <- reconcile(s[s$route == "(all)", ],
                    data.frame(period = c("2026-01", "2026-02"), income = c(20, 1)), by = "period")
  expect_identical(only$result, c("matched", "matched"))
  expect_identical(
    reconcile(s[s$route == "(all)" & s$period == "(all)", ],
              data.frame(route = "(all)", income = 21), by = "route")$result, "matched")
  with_totals <- rbind(bank, data.frame(period = "(all)", route = "(all)", income = 21))
  expect_identical(sum(reconcile(s, with_totals)$there, na.rm = TRUE), 21)
  bank$income <- c(NA, 1.0000004)
  r <- reconcile(s, bank)
  expect_identical(r$result[!is.na(r$here) & r$here > 0], c("different", "different"))
  expect_identical(is.na(r$there[1]), TRUE)
  expect_match(format(r), "1 row of the other table has no amount", all = FALSE)
  expect_match(format(r), "-0.0000004", all = FALSE, fixed = TRUE)
  # What is only the rounding of doubles is no difference.
  many <- data.frame(period = "2026-01", income = rep(0.1, 30))
  y <- ledger(data.frame(day = as.Date("2026-01-05"), fare = rep(0.1, 30)), on = "day")
  expect_identical(reconcile(statement(y, per = "month", income = total(fare)), many)$result,
                   "matched")
})

test_that("days go to the rows that cover them, from a table or a file", {
  # to 17 February
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:47, fare = 1), on = "day")
  s <- statement(x, per = "month", income = total(fare))
  bank <- data.frame(received = as.Date("2026-01-01") + 0:70, amount = 1)
  ask <- function(bank) reconcile(s, bank, by = c(period = "received"), value = "amount")
  r <- ask(bank)
  expect_identical(r$result, c("matched", "matched", "only there", "only there"))
  expect_identical(r$there, c(31, 17, 11, 12))
  expect_match(r$period[3], "2026-02, not within 1 to 17 Feb 2026", fixed = TRUE)
  expect_match(format(r, width = 200),
               paste0("11 rows of the other table are on days of a period that the statement ",
                      "does not cover"), all = FALSE)
  expect_identical(tibble::as_tibble(ask(transform(bank, received = as.character(received)))),
                   tibble::as_tibble(r))
  demo <- command("reconcile", demo_csv(), "--on", "booked_on", "--per", "month", "--measure",
                  "income=total(fare)", "--against",
                  system.file("extdata", "deposits.csv.gz", package = "rollingledger"),
                  "--key", "period=received_on", "--value", "amount")
  expect_match(demo$out, "^matched +4[0-9] ", all = FALSE)
})

test_that("a statement without a row is tied: all is only there", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "last month", where = account == "000000",
                 fare = total(fare))
  expect_identical(nrow(s), 0L)
  r <- reconcile(s, demo_targets, by = c(period = "month", route = "route"), value = "target")
  expect_identical(nrow(r), nrow(demo_targets))
  expect_true(all(r$result == "only there"))
  expect_equal(sum(r$there), sum(demo_targets$target))
})
