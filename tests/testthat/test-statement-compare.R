test_that("any two spans compare, by group, to the cent", {
  x <- demo_ledger()
  t <- compare_spans(x, c(now = "2026-W08"), "2025-W31", by = "route", income = total(fare),
                     trips = entries(), yield = income / trips)
  now <- statement(x, by = "route", span = "2026-W08", income = total(fare), trips = entries())
  then <- statement(x, by = "route", span = "2025-W31", income = total(fare), trips = entries())
  expect_identical(t$income_a, now$income)
  expect_identical(t$income_b, then$income)
  expect_identical(t$income_difference, round(now$income - then$income, 2))
  expect_equal(t$trips_pct, 100 * (now$trips / then$trips - 1))
  expect_equal(t$yield_difference, now$income / now$trips - then$income / then$trips)
  printed <- format(t)
  expect_match(printed, "16 to 22 Feb 2026 +28 Jul to 3 Aug 2025", all = FALSE)
  expect_match(printed, " now +2025-W31", all = FALSE)
})

test_that("a span compared with itself differs by zero, whatever it is", {
  x <- demo_ledger()
  for (phrase in c("month to date", "2025", "last 3 weeks", "trailing 30 days, 1 year back")) {
    t <- compare_spans(x, phrase, phrase, by = c("route", "channel"), income = total(fare),
                       trips = entries(), yield = income / trips)
    for (name in grep("_difference$|_pct$", names(t), value = TRUE)) expect_true(
      all(t[[name]] == 0 | is.na(t[[name]])), info = paste(phrase, name))
    expect_identical(t$income_a, t$income_b)
  }
})

test_that("no base gives a missing per cent, and unlike lengths are said", {
  x <- few_ledger()
  t <- compare_spans(x, "2026-04", "2026-02", by = "route", income = total(fare), trips = entries())
  expect_identical(t$trips_pct[t$route %in% c("", "Wickholm")], c(NA_real_, NA_real_))
  expect_identical(t$income_difference[t$route %in% "Oysterby"], 4.9)
  expect_equal(t$income_pct[t$route %in% "Oysterby"], 100)  # from -4.90 to 0.00: up
  expect_match(format(t), "The spans differ in length: 10 days against 28 days.", fixed = TRUE,
               all = FALSE)
  expect_error(compare_spans(x, "every Q1", "MTD"), NA)  # one Q1 there is
  expect_refused(compare_spans(demo_ledger(), "every Q1", "MTD"), "means 4 spans", "span")
  expect_refused(compare_spans(x, c("MTD", "YTD"), "MTD"), "`a` must be one phrase", "span")
  expect_refused(compare_spans(x, "MTD", "2019"), "The ledger runs from", "span")
})

test_that("groups stay side by side where a statement would leave out rows without entries", {
  table <- data.frame(day = as.Date(c("2026-01-05", "2026-02-05", "2026-02-06", "2026-01-07")),
                      route = c("a", "b", "c", "d"), fare = c(1, 2, 3, 4))
  x <- ledger(table, on = "day")
  whole <- compare_spans(x, "2026-01", "2026-02", by = "route", income = total(fare))
  withr::local_options(rollingledger.zero_rows = 3)
  sparse <- compare_spans(x, "2026-01", "2026-02", by = "route", income = total(fare))
  expect_identical(format(sparse), format(whole))
  expect_identical(as.data.frame(sparse), as.data.frame(whole))
  expect_identical(sparse$income_difference, c(1, -2, -3, 4))
})

test_that("an open span begins with the first day of its own date basis", {
  x <- few_ledger()
  whole <- compare_spans(x, "all", "2026-02", on = "booked", tickets = entries())
  expect_identical(whole$tickets_a, 7)
  # Its first day may be after the last one of the other basis.
  table <- few_fares()
  table$booked_on <- table$sailed_on - 60
  x <- ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"))
  early <- compare_spans(x, "all", "2025-12", on = "booked", as_of = "2026-01-15",
                         tickets = entries())
  expect_identical(c(early$tickets_a, early$tickets_b), c(4, 4))
})
