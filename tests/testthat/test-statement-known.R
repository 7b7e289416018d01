# Figures as they were known on a day, against a slow way: the entries entered by then, alone.

late_fares <- function() {
  data.frame(
    sailed_on = as.Date(c("2026-01-05", "2026-01-20", "2026-01-20", "2026-02-03", "2026-02-10",
                          "2026-03-01", "2026-01-31", "2026-02-10")),
    entered_on = as.Date(c("2026-01-05", "2026-01-21", "2026-02-02", "2026-02-03", "2026-03-05",
                           "2026-03-01", NA, "2026-03-06")),
    route = c("Oysterby", "Wickholm", "Oysterby", "Oysterby", "Wickholm", "Oysterby", "Wickholm",
              "Tern Head"),
    account = c("a", "b", "a", "c", "d", "a", "e", "f"),
    fare = c(10, 20, -3, 7, 5, 4, 100, 1.5))
}

late_ledger <- function(table = late_fares()) {
  ledger(table, on = c(sailed = "sailed_on", entered = "entered_on"))
}

test_that("a statement as known on a day is that of the entries entered by then", {
  x <- late_ledger()
  s <- statement(x, per = "month", income = total(fare), trips = entries(), known = "2026-02-15")
  expect_identical(s$period, c("2026-01", "2026-02"))
  expect_identical(s$income, c(27, 7))
  expect_match(paste(format(s), collapse = " "), "as of 15 Feb 2026, +as known on 15 Feb 2026")
  # By a later day January is what it was, and what has no day of entering was never known.
  later <- statement(x, per = "month", income = total(fare), known = "2026-12-31")
  expect_identical(later$income, c(27, 13.5, 4))
  expect_identical(answer(question(s), x), s)
  expect_refused(statement(few_ledger(), known = "2026-02-15"), "needs a date basis called", "date")
  expect_refused(statement(x, known = "soon"), "must be a day", "choice")
  expect_refused(statement(x, known = "2025-01-01"), "No entry passes", "source")
})

test_that("random ledgers as known on random days are those without what came later", {
  met <- 0
  for (seed in seq_len(rounds(15, 60))) {
    table <- random_fares(seed)
    table$entered_on <- table$sailed_on + sample(-3:20, nrow(table), TRUE)
    table$entered_on[stats::runif(nrow(table)) < 0.1] <- NA
    days <- table$entered_on[!is.na(table$entered_on)]
    if (length(days) == 0) next
    day <- days[sample.int(length(days), 1)]
    then <- table[!is.na(table$entered_on) & table$entered_on <= day, ]
    x <- suppressMessages(ledger(table, on = c(sailed = "sailed_on", entered = "entered_on")))
    as_of <- min(max(table$sailed_on), day)
    alone <- tryCatch(suppressMessages(
      ledger(then, on = c(sailed = "sailed_on", entered = "entered_on"), as_of = max(
        then$sailed_on, as_of))), error = function(e) NULL)
    if (is.null(alone)) next
    ask <- function(x, ...) tryCatch({
      statement(x, per = "month", by = "route", income = total(fare), trips = entries(),
                riders = distinct(account), new = newcomers(account), as_of = as_of, ...) |>
        add_running(income) |> add_rolling(trips, "20 days") |> as.data.frame()
    }, rollingledger_error = function(e) class(e)[1])
    a <- ask(x, known = day)
    b <- ask(alone)
    if (!is.data.frame(a) || !is.data.frame(b)) {
      expect_identical(a, b, info = seed)
      next
    }
    met <- met + nrow(a)
    expect_equal(a, b, info = seed)
  }
  expect_gt(met, rounds(22, 100))
})

test_that("what changed since a day is told with the entries that came late", {
  x <- late_ledger()
  r <- compare_known(x, "2026-02-28", "2026-03-31", per = "month", by = "route",
                     income = total(fare), trips = entries())
  expect_identical(r$period, c("2026-02", "2026-02"))
  expect_identical(r$route, c("Tern Head", "Wickholm"))
  expect_identical(r$income_known, c(0, 0))
  expect_identical(r$income_later, c(1.5, 5))
  expect_identical(r$income_difference, c(1.5, 5))
  expect_identical(r$late, c(1L, 1L))
  expect_identical(attr(r, "entries")$row, c(8L, 5L))
  expect_match(format(r), "1 of 2 periods finished by 28 Feb 2026 changed", all = FALSE)
  whole <- compare_known(x, "2026-01-31", "2026-02-28", income = total(fare))
  expect_identical(whole$income_difference, -3)
  expect_identical(attr(whole, "entries")$fare, -3)
  none <- compare_known(x, "2026-03-10", "2026-03-20", income = total(fare))
  expect_identical(nrow(none), 0L)
  expect_match(format(none), "0 of 2 periods", all = FALSE)
  expect_identical(answer(question(r), x), r)
  expect_refused(compare_known(x, "2026-03-10", "2026-03-10"), "must be later", "choice")
  only <- compare_known(x, "2026-02-28", "2026-03-31", by = "route", income = total(fare),
                        where = route == "Wickholm")
  expect_identical(only$income_later, 5)
})

test_that("what a group without entries was known by is missing where it is no sum", {
  r <- compare_known(late_ledger(), "2026-02-28", "2026-03-31", per = "month", by = "route",
                     income = total(fare), mean = average(fare), top = largest(fare),
                     latest = balance(fare), share = total(fare) / entries())
  head <- r[r$period == "2026-02" & r$route == "Tern Head", ]
  expect_identical(head$income_known, 0)
  for (name in c("mean", "top", "latest", "share")) {
    expect_identical(head[[paste0(name, "_known")]], NA_real_)
    expect_identical(head[[paste0(name, "_difference")]], NA_real_)
    expect_identical(head[[paste0(name, "_later")]], 1.5)
  }
  # What was carried from before the period was known, though the period had no entries then.
  wickholm <- r[r$period == "2026-02" & r$route == "Wickholm", ]
  expect_identical(wickholm$latest_known, 20)
  expect_identical(wickholm$latest_later, 5)
})

test_that("differences of random ledgers are the sums of the late entries", {
  compared <- 0
  for (seed in seq_len(rounds(20, 80))) {
    table <- random_fares(seed)
    table$entered_on <- table$sailed_on + sample(0:40, nrow(table), TRUE)
    x <- suppressMessages(ledger(table, on = c(sailed = "sailed_on", entered = "entered_on")))
    days <- sort(sample(unique(table$entered_on), min(2, length(unique(table$entered_on)))))
    if (length(days) < 2) next
    r <- tryCatch(compare_known(x, days[1], days[2], per = "week", by = "route",
                                income = total(fare), trips = entries()),
                  rollingledger_error = function(e) NULL)
    if (is.null(r)) next
    entries <- attr(r, "entries")
    expect_equal(sum(r$trips_difference), nrow(entries))
    expect_equal(sum(r$income_difference), sum(entries$fare, na.rm = TRUE))
    expect_true(all(entries$entered_on > days[1] & entries$entered_on <= days[2]))
    expect_identical(sum(r$late), nrow(entries))
    compared <- compared + nrow(r)
  }
  expect_gt(compared, rounds(6, 30))
})

test_that("what came late of days before all that was known is of the same row", {
  table <- late_fares()
  table$entered_on[c(1, 2)] <- as.Date("2026-03-10")
  x <- late_ledger(table)
  r <- compare_known(x, "2026-03-02", "2026-03-20", by = "route", income = total(fare))
  january <- r[r$period == "2026-01", ]
  expect_identical(january$route, c("Oysterby", "Wickholm"))
  expect_identical(january$income_known, c(-3, 0))
  expect_identical(january$income_later, c(7, 20))
  expect_identical(unique(january$from), as.Date("2026-01-05"))
  expect_identical(january$late, c(1L, 1L))
  # Nothing at all was known of the span, or of anything, on the first day.
  only <- compare_known(x, "2026-02-28", "2026-03-20", span = "2026-01-05/2026-01-10",
                        per = "day", income = total(fare))
  expect_identical(c(only$income_known, only$income_later), c(0, 10))
  table$entered_on <- as.Date("2026-03-10") + seq_len(nrow(table))
  r <- compare_known(late_ledger(table), "2026-03-02", "2026-03-20", income = total(fare))
  expect_identical(r$income_known, c(0, 0))
})
