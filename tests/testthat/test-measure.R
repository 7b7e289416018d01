test_that("figures of a small ledger, by hand", {
  x <- few_ledger()
  s <- statement(x, per = "month", income = total(fare), trips = entries(),
                 mean_fare = average(fare),
                 web = total(fare, where = channel == "web"), yield = income / trips,
                 twice = -2 * (income - 1) + 0.5)
  expect_identical(s$period, c("2026-01", "2026-02", "2026-03", "2026-04"))
  expect_identical(s$income, c(30.35, -4.9, 0.2, 15))
  expect_identical(s$trips, c(2, 2, 1, 3))
  expect_identical(s$mean_fare, c(30.35 / 2, -2.45, 0.2, 7.5))  # a missing fare is not in the base
  expect_identical(s$web, c(10.1, -4.9, 0, 7))
  expect_identical(s$yield, c(30.35 / 2, -2.45, 0.2, 5))
  expect_equal(s$twice, -2 * (s$income - 1) + 0.5)
})

test_that("nothing is infinite: a ratio without a base is missing, a total of nothing is zero", {
  x <- few_ledger()
  s <- statement(x, per = "week", income = total(fare), mean_fare = average(fare),
                 share = income / total(fare, where = channel == "none"))
  empty <- statement(x, per = "week")$entries == 0
  expect_true(any(empty))
  expect_true(all(s$income[empty] == 0))
  expect_true(all(is.na(s$mean_fare[empty])))
  expect_true(all(is.na(s$share)))
})

test_that("measures come as code, as text or by their own names", {
  x <- few_ledger()
  expect_identical(statement(x, NULL, NULL, "total(fare) / entries()")[[5]],
                   statement(x, y = total(fare) / entries())$y)
  expect_named(statement(x, NULL, NULL, total(fare), entries(), average(fare)),
               c("period", "from", "to", "complete", "fare_total", "entries", "fare_average"))
  expect_named(statement(x), c("period", "from", "to", "complete", "entries"))
  name <- "quay"
  expect_identical(statement(x, n = entries(where = channel == !!name))$n, 3)
})

test_that("nothing but known calls is read, and nothing is ever run", {
  x <- few_ledger()
  mark <- withr::local_tempfile()
  refused <- function(...) expect_error(statement(x, ...), class = "rollingledger_error_measure")
  refused(a = system(paste("touch", !!mark)))
  refused(a = file.create(!!mark))
  refused(a = total(fare, where = file.create(!!mark)))
  refused(a = total((function() file.create(!!mark))()))
  refused(a = "file.create('x')")
  refused(where = file.create(!!mark))
  refused(where = channel == file.create(!!mark))
  refused(where = "route == {file.create('x')}")
  refused(a = base::sum(fare))
  refused(a = total(fare)^2)
  refused(a = if (TRUE) total(fare))
  refused(a = x$fare)
  expect_false(file.exists(mark))
})

test_that("refusals name the nearest word", {
  x <- few_ledger()
  expect_error(statement(x, a = totl(fare)), "Did you mean `total`")
  expect_error(statement(x, a = sum(fare)), "Did you mean `total\\(\\)`")
  expect_refused(statement(x, a = total(fair)), "Did you mean `fare`", "column")
  expect_error(statement(x, a = fare), "say what to make of it, such as total\\(fare\\)")
  expect_error(statement(x, income = total(fare), a = incom * 2), "Did you mean `income`")
  expect_error(statement(x, a = total(route)), "`route` holds text")
  expect_error(statement(x, a = total(sailed_on)), "holds dates")
  expect_error(statement(x, a = total()), "is not a call of total\\(\\)")
  expect_error(statement(x, a = total(fare, fare)), "is not a call of total\\(\\)")
  expect_error(statement(x, a = total(fare, were = TRUE)), "is not a call of total\\(\\)")
  expect_error(statement(x, a = total(sqrt(fare))), "takes a column, or what is worked out")
  expect_error(statement(x, a = entries(fare)), "is not a call of entries\\(\\)")
  expect_error(statement(x, total(fare)),
               "Give it a name that is neither `per` nor the start of it")
  expect_error(statement(x, "month", entries()), "in the place of `by`")
  expect_error(statement(x, a = "total(fare"), "cannot be read as a measure")
  expect_error(statement(x, a = entries(), a = entries()), "`a` is taken")
  expect_error(statement(x, by = "route", route = entries()), "`route` is taken")
  expect_error(statement(x, period = entries()), "`period` is taken")
})

test_that("sums that could overflow are refused, never wrapped", {
  table <- data.frame(day = as.Date("2026-01-01"), fare = rep(2e15, 5000))
  expect_refused(statement(ledger(table, on = "day"), a = total(fare)),
                 "would overflow", "overflow")
  expect_identical(statement(ledger(table[1:4000, ], on = "day"), a = total(fare))$a, 8e18)
  expect_identical(statement(ledger(table, on = "day"))$entries, 5000)  # other measures go on
})

test_that("missing amounts are counted and said, not spread", {
  s <- statement(few_ledger(), per = "month", income = total(fare), mean_fare = average(fare))
  expect_false(anyNA(s$income))
  expect_match(format(s), "1 entry without a fare is left out of it", all = FALSE)
  quiet <- statement(few_ledger(), span = "2026-01", income = total(fare))
  expect_no_match(format(quiet), "without a fare")
})
