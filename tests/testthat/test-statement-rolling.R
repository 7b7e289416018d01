# First day of the window of n units that ends on `to`, worked out in base R.
window_start <- function(to, n, unit) {
  if (unit == "day") return(to - n + 1)
  if (unit == "week") return(to - 7 * n + 1)
  months <- n * c(month = 1, quarter = 3, year = 12)[[unit]]
  ends_month <- format(to + 1, "%d") == "01"
  first <- as.Date(format(to, "%Y-%m-01"))
  target <- seq(first, by = sprintf("-%d months", months), length.out = 2)[2]
  last <- seq(target, by = "month", length.out = 2)[2] - 1
  if (ends_month) last + 1 else min(target + as.integer(format(to, "%d")) - 1, last) + 1
}

test_that("rolling figures equal the slow reference over days of the calendar", {
  for (seed in seq_len(rounds(15, 40))) {
    table <- random_fares(seed)
    x <- suppressMessages(ledger(table, on = c(sailed = "sailed_on"), calendar = april))
    per <- c("day", "week", "month", "quarter", "fiscal year")[seed %% 5 + 1]
    s <- statement(x, per = per, by = "route", income = total(fare), trips = entries(),
                   mean_fare = average(fare), yield = income / trips)
    unit <- c("day", "week", "month", "quarter", "year")[seed %% 4 + 1]
    n <- seed %% 7 + 1
    over <- sprintf("%d %ss", n, unit)
    s <- s |> add_rolling(income, over, short = "keep", name = "a") |>
      add_rolling(trips, over, short = "keep", name = "b") |>
      add_rolling(mean_fare, over, short = "keep", name = "c") |>
        add_rolling(yield, over, name = "d") |>
      add_rolling(trips, over, stat = "average", short = "keep", name = "e")
    starts <- do.call(c, lapply(s$to, window_start, n = n, unit = unit))
    slow <- reference_rows(s, table, by = "route", from = starts)
    expect_equal(s$a, unname(slow[, "total"]), tolerance = 1e-9, info = seed)
    expect_identical(s$b, unname(slow[, "entries"]), info = seed)
    expect_equal(s$c, unname(slow[, "average"]), tolerance = 1e-9, info = seed)
    # Units before the ledger's first day are not there to be divided by.
    there <- vapply(s$to,
                    function(to) sum(
                      vapply(seq_len(n) - 1, function(k) if (k == 0)
                        TRUE else window_start(to, k, unit) - 1 >= min(table$sailed_on), TRUE)), 0)
    expect_equal(s$e, unname(slow[, "entries"]) / there, info = seed)
    short <- starts < min(table$sailed_on)
    expect_true(all(is.na(s$d[short])), info = seed)
    ratio <- as.double(ifelse(slow[, "entries"] == 0, NA, slow[, "total"] / slow[, "entries"]))
    expect_equal(s$d[!short], ratio[!short], tolerance = 1e-9, info = seed)
  }
})

test_that("a rolling figure does not depend on the grain or the span it is shown in", {
  x <- demo_ledger()
  lengths <- c("30 days", "3 months", "1 year", "2 fiscal quarters")
  columns <- paste0("income_rolling_", gsub(" ", "_", lengths))
  daily <- statement(x, per = "day", income = total(fare)) |>
    add_rolling(income, lengths, short = "keep")
  for (per in c("week", "month", "fiscal quarter")) for (span in c(
    "all", "last 5 months", "every Q3")) {
    s <- statement(x, per = per, span = span, income = total(fare)) |>
      add_rolling(income, lengths, short = "keep")
    for (column in columns) expect_identical(s[[column]], daily[[column]][match(s$to, daily$to)],
                                             info = paste(per, span, column))
  }
  # Three whole months, up to the end of any month.
  monthly <- statement(x, per = "month", partial = "drop", income = total(fare)) |>
    add_rolling(income, "3 months")
  expect_equal(monthly$income_rolling_3_months[-(1:2)], monthly$income[-(1:2)] +
               monthly$income[2:43] + monthly$income[1:42], tolerance = 1e-12)
  expect_identical(is.na(monthly$income_rolling_3_months), seq_len(44) < 3)
})

test_that(
  paste0("windows follow fiscal calendars, spans and each group's own days; days without entries ",
         "are exactly zero"), {
  x <- ledger(demo_fares, on = c(sailed = "sailed_on"),
              calendar = ledger_calendar("Feb", pattern = "4-5-4", year_end = "last Saturday"))
  s <- statement(x, per = "fiscal month", partial = "drop", income = total(fare)) |>
    add_rolling(income, "3 fiscal months")
  whole <- 3:nrow(s)
  expect_equal(s$income_rolling_3_fiscal_months[whole],
               s$income[whole] + s$income[whole - 1] + s$income[whole - 2], tolerance = 1e-12)
  table <- data.frame(day = as.Date(c("2026-01-01", "2026-01-02", "2026-03-01")),
                      route = c("a", "a", "b"), fare = c(0.1, 0.2, 0.3))
  t <- statement(ledger(table, on = "day"), per = "day", income = total(fare)) |>
    add_rolling(income, "5 days", short = "keep")
  expect_identical(t$income_rolling_5_days[10:50], rep(0, 41))
  own <- statement(ledger(table, on = "day"), by = "route", span = "this day", anchor = "group",
                   income = total(fare)) |> add_rolling(income, "2 days")
  expect_identical(own$income_rolling_2_days, c(0.3, 0.3))
})

test_that("short windows are told, and what cannot roll is refused", {
  s <- statement(few_ledger(), per = "month", income = total(fare), mean_fare = average(fare))
  kept <- format(add_rolling(s, income, "45 days", short = "keep"), width = 200)
  expect_match(kept, "^2026-01\\* .*30.35~$", all = FALSE)
  expect_match(kept, "windows before 15 Mar 2026 .*are short", all = FALSE)
  blank <- format(add_rolling(s, income, "45 days"), width = 200)
  expect_match(blank,
               "windows before 15 Mar 2026 reach back before the ledger's first day and are blank",
               all = FALSE)
  expect_false(any(grepl("reach back", format(add_rolling(s[3, ], income, "5 days")))))
  expect_refused(add_rolling(s, incom), "Did you mean `income`", "measure")
  expect_refused(add_rolling(s, mean_fare, stat = "average"), "does not add up", "measure")
  expect_refused(add_rolling(s, income, "30 dyas"),
                 "The length \"30 dyas\" is not understood", "choice")
  expect_error(add_rolling(s, income, "3 months, 1 year back"),
               class = "rollingledger_error_choice")
  expect_refused(add_rolling(s, income, 30), "`over` must be text", "choice")
  expect_refused(add_rolling(s, income, c("2 days", "3 days"), name = "a"),
                 "2 texts, one for each length", "choice")
  expect_refused(add_rolling(add_rolling(s, income), income), "is taken", "measure")
})

test_that("short windows hold the units there are, and their note and marks are right to the day", {
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:150, fare = 10), on = "day")  # to 31 May
  by_month <- statement(x, per = "month", income = total(fare)) |>
    add_rolling(income, "3 months", stat = "smallest", short = "keep", name = "low") |>
    add_rolling(income, "3 months", stat = "average", short = "keep", name = "mean")
  expect_identical(by_month$low, c(310, 280, 280, 280, 300))
  expect_equal(by_month$mean, c(310, 295, 300, 890 / 3, 920 / 3))
  for (unit in c("3 months", "2 months", "5 weeks", "1 quarter", "40 days")) {
    s <- statement(x, per = "day", income = total(fare)) |>
      add_rolling(income, unit, short = "blank", name = "blank") |>
        add_rolling(income, unit, short = "keep", name = "keep")
    short <- is.na(s$blank)
    cells <- rollingledger:::as_shown_table(s)$fields$keep$text(seq_len(nrow(s)))
    expect_identical(grepl("~", cells), short, info = unit)
    said <- sub(".*windows before (.*) reach back.*", "\\1",
                grep("^blank: windows before", format(s, width = 200), value = TRUE))
    expect_identical(said,
                     rollingledger:::day_text(
                       rollingledger:::day_numbers(s$to[match(FALSE, short)])), info = unit)
  }
  # A window that is full on the last day of a month may be short on days after it.
  expect_identical(
    is.na((statement(x, per = "day", span = "2026-03-29/2026-04-02", income = total(fare)) |>
           add_rolling(income, "3 months"))$income_rolling_3_months),
    c(TRUE, TRUE, FALSE, FALSE, FALSE))
})

test_that("the average of a ratio of levels keeps all of its decimals", {
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:4, a = c(1, 2, 3, 4, 5), b = 1000),
              on = "day")
  s <- statement(x, per = "day", span = "2026-01-05", part = balance(a) / balance(b)) |>
    add_rolling(part, "5 days", stat = "average")
  expect_equal(s$part_rolling_5_days_average, 0.003)
})
