# Tables of fiscal periods that begin within a year: places in it are those that labels tell.

# Months from April, of which the table has some from the `from`th of its first year on.
cut_periods <- function(from = 6, label = function(n, year) sprintf("P%02d %d", n, year),
                        years = 3) {
  first <- seq(as.Date("2024-04-01"), by = "month", length.out = 12 * years)
  last <- c(first[-1], as.Date("2024-04-01") + 365 * years) - 1
  n <- rep(1:12, years)
  year <- rep(2025 + seq_len(years) - 1, each = 12)
  table <- data.frame(from = first, to = last, label = label(n, year),
                      quarter = sprintf("FQ%d of %d", (n + 2) %/% 3, year),
                      year = sprintf("FY%d", year))
  table$to[nrow(table)] <- first[nrow(table)] + 30
  table[from:nrow(table), ]
}

daily_fares <- function(from = "2024-09-01", to = "2026-09-01") {
  day <- seq(as.Date(from), as.Date(to), by = "day")
  data.frame(day = day, fare = seq_along(day) %% 97)
}

test_that("labels with numbers give a cut year the places of a whole one", {
  whole <- ledger_calendar(periods = cut_periods(1))
  cut <- ledger_calendar(periods = cut_periods(6))
  x <- ledger(daily_fares(), on = "day", calendar = whole)
  y <- ledger(daily_fares(), on = "day", calendar = cut)
  same <- function(...) {
    expect_equal(as.data.frame(statement(y, ..., fares = total(fare))),
                 as.data.frame(statement(x, ..., fares = total(fare))), ignore_attr = TRUE)
  }
  same(by = "fiscal_month_of_year")
  same(by = "fiscal_quarter_of_year")
  same(per = "fiscal month", span = "every fiscal M05")
  changed <- function(x, ...) {
    as.data.frame(statement(x, per = "fiscal month", span = "P06 2026/P04 2027",
                            fares = total(fare)) |>
                    add_change(fares, from = "1 fiscal year back"))
  }
  expect_equal(changed(y), changed(x), ignore_attr = TRUE)
  expect_identical(span("P08 2026, 1 fiscal year back", cut, "2026-03-01")$from,
                   as.Date("2024-11-01"))
  expect_identical(span("P08 2026, 1 fiscal year back", cut, "2026-03-01")$from,
                   span("P08 2026, 1 fiscal year back", whole, "2026-03-01")$from)
  # One that would lie before the table is no other one.
  expect_refused(span("P02 2026, 1 fiscal year back", cut, "2026-03-01"), "outside it", "calendar")
  expect_identical(span("2025-11-10, 1 fiscal year back", cut, "2026-03-01")$from,
                   as.Date("2024-11-10"))
  years <- function(x) {
    s <- statement(x, per = "fiscal month", fares = total(fare))
    figure_years(s, fares, year = "fiscal")$data[c("period", "series", "place", "value")]
  }
  drawn <- years(x)
  expect_equal(years(y)[["place"]], drawn$place)
})

test_that("without numbers the places of a cut year are unknown, and said to be", {
  named <- function(n, year) sprintf("%s %d", month.abb[(n + 2) %% 12 + 1], year)
  cut <- ledger_calendar(periods = cut_periods(6, label = function(n, year)
    paste0("Month ", named(n, year), "x")))
  y <- ledger(daily_fares(), on = "day", calendar = cut)
  expect_refused(span("Month May 2026x, 1 fiscal year back", cut, "2026-06-01"),
                 "begins on 1 Sep 2024, within FY2025, so places in it are unknown", "calendar")
  expect_refused(statement(y, by = "fiscal_month_of_year"),
                 "`fiscal_month_of_year` of 1 Sep 2024 is unknown", "calendar")
  expect_refused(statement(y, a = entries(), where = fiscal_week_of_year < 5), "is unknown",
                 "calendar")
  # Later days have places, and what reaches back is refused.
  s <- statement(y, by = "fiscal_month_of_year", span = "FY2026", fares = total(fare))
  expect_identical(s$fiscal_month_of_year, as.numeric(1:12))
  expect_refused(add_change(s, fares, from = "1 fiscal year back"), "unknown", "calendar")
  s <- statement(y, per = "fiscal month", fares = total(fare))
  expect_refused(figure_years(s, fares, year = "fiscal"), "places in it are unknown", "calendar")
  expect_match(statement(y, per = "fiscal week", span = "2024-09-02/2024-09-15")$period,
               "FY2025, week from 2024-09-02", all = FALSE)
})

test_that("an entry outside the table is in the way of what asks for it alone", {
  table <- cut_periods(1, years = 2)
  y <- ledger(daily_fares("2024-03-25", "2026-03-01"), on = "day",
              calendar = ledger_calendar(periods = table))
  s <- statement(y, by = "fiscal_month_of_year", span = "FY2025", fares = total(fare))
  expect_identical(nrow(s), 12L)
  expect_refused(statement(y, by = "fiscal_month_of_year"), "of 25 Mar 2024 is unknown",
                 "calendar")
})

test_that("random tables cut anywhere agree with whole ones, or refuse", {
  set.seed(11)
  met <- c(same = 0, refused = 0)
  whole <- ledger_calendar(periods = cut_periods(1))
  for (from in 2:11) {
    numbered <- from %% 2 == 0
    table <- cut_periods(from, if (numbered) function(n, year) sprintf("%d-P%d", year, n)
                         else function(n, year) sprintf("%s of %d", LETTERS[n], year))
    cut <- ledger_calendar(periods = table)
    for (day in sample(seq(table$from[3], as.Date("2026-12-01"), by = "day"), 12)) {
      day <- as.Date(day, origin = "1970-01-01")
      for (phrase in c("fiscal month to date", "fiscal year to date", "last fiscal month",
                       "trailing 20 days", "last fiscal quarter")) {
        asked <- paste0(phrase, ", 1 fiscal year back")
        got <- tryCatch(span(asked, cut, day), rollingledger_error = function(e) NULL)
        if (is.null(got)) {
          met["refused"] <- met["refused"] + 1
          next
        }
        right <- span(asked, whole, day)
        # A year to date that begins before the table is cut by it.
        expect_true(identical(got$to, right$to) &&
                      (identical(got$from, right$from) || got$from == table$from[1]),
                    info = paste(from, day, asked))
        met["same"] <- met["same"] + 1
      }
    }
  }
  expect_true(all(met > 30))
})
