# Every example of the language, worked out by hand for three as-of days: a leap day (a Thursday, in
# 2024-W09), the last day of a year (a Tuesday, in 2025-W01), and a Thursday in 2026-W38. The fiscal
# year starts on 1 April; the first day is 1 January 2021. Of phrases that recur, the newest span
# and how many there are.

# A line that is set in goes on from the one above.
by_hand <- "
phrase; 2024-02-29; 2024-12-31; 2026-09-17
this month; 2024-02-01 2024-02-29; 2024-12-01 2024-12-31; 2026-09-01 2026-09-30
month to date; 2024-02-01 2024-02-29; 2024-12-01 2024-12-31; 2026-09-01 2026-09-17
this fiscal quarter; 2024-01-01 2024-03-31; 2024-10-01 2024-12-31; 2026-07-01 2026-09-30
fiscal year to date; 2023-04-01 2024-02-29; 2024-04-01 2024-12-31; 2026-04-01 2026-09-17
last month; 2024-01-01 2024-01-31; 2024-11-01 2024-11-30; 2026-08-01 2026-08-31
last 12 months; 2023-02-01 2024-01-31; 2023-12-01 2024-11-30; 2025-09-01 2026-08-31
last 2 fiscal quarters; 2023-07-01 2023-12-31; 2024-04-01 2024-09-30; 2026-01-01 2026-06-30
latest finished week; 2024-02-19 2024-02-25; 2024-12-23 2024-12-29; 2026-09-07 2026-09-13
latest 4 weeks; 2024-02-05 2024-02-29; 2024-12-09 2024-12-31; 2026-08-24 2026-09-17
latest 12 months; 2023-03-01 2024-02-29; 2024-01-01 2024-12-31; 2025-10-01 2026-09-17
trailing 30 days; 2024-01-31 2024-02-29; 2024-12-02 2024-12-31; 2026-08-19 2026-09-17
trailing 3 months; 2023-12-01 2024-02-29; 2024-10-01 2024-12-31; 2026-06-18 2026-09-17
2026-08-31; 2026-08-31 2026-08-31; 2026-08-31 2026-08-31; 2026-08-31 2026-08-31
2026-W35; 2026-08-24 2026-08-30; 2026-08-24 2026-08-30; 2026-08-24 2026-08-30
2026-08; 2026-08-01 2026-08-31; 2026-08-01 2026-08-31; 2026-08-01 2026-08-31
2026-Q3; 2026-07-01 2026-09-30; 2026-07-01 2026-09-30; 2026-07-01 2026-09-30
2026; 2026-01-01 2026-12-31; 2026-01-01 2026-12-31; 2026-01-01 2026-12-31
FY2026-M06; 2025-09-01 2025-09-30; 2025-09-01 2025-09-30; 2025-09-01 2025-09-30
FY2026-Q2; 2025-07-01 2025-09-30; 2025-07-01 2025-09-30; 2025-07-01 2025-09-30
FY2026-W10; 2025-06-02 2025-06-08; 2025-06-02 2025-06-08; 2025-06-02 2025-06-08
FY2026; 2025-04-01 2026-03-31; 2025-04-01 2026-03-31; 2025-04-01 2026-03-31
Q3; 2023-07-01 2023-09-30; 2024-07-01 2024-09-30; 2026-07-01 2026-09-30
2024-W01/2024-02; 2024-01-01 2024-02-29; 2024-01-01 2024-02-29; 2024-01-01 2024-02-29
2024-01/..; 2024-01-01 2024-02-29; 2024-01-01 2024-12-31; 2024-01-01 2026-09-17
all; 2021-01-01 2024-02-29; 2021-01-01 2024-12-31; 2021-01-01 2026-09-17
month to date, 1 year back; 2023-02-01 2023-02-28; 2023-12-01 2023-12-31; 2025-09-01 2025-09-17
last month, 1 year back; 2023-01-01 2023-01-31; 2023-11-01 2023-11-30; 2025-08-01 2025-08-31
same month last year; 2023-02-01 2023-02-28; 2023-12-01 2023-12-31; 2025-09-01 2025-09-30
week to date, 1 year back; 2023-02-27 2023-03-02; 2024-01-01 2024-01-02; 2025-09-15 2025-09-18
last 4 weeks, 4 weeks back; 2024-01-01 2024-01-28; 2024-11-04 2024-12-01; 2026-07-20 2026-08-16
fiscal year to date, 1 fiscal year back; 2022-04-01 2023-02-28;
  2023-04-01 2023-12-31; 2025-04-01 2025-09-17
every Q3; 2023-07-01 2023-09-30 3; 2024-07-01 2024-09-30 4; 2026-07-01 2026-09-30 6
every February; 2024-02-01 2024-02-29 4; 2024-02-01 2024-02-29 4; 2026-02-01 2026-02-28 6
every W01; 2024-01-01 2024-01-07 4; 2024-12-30 2025-01-05 5; 2025-12-29 2026-01-04 6
every 11-15/01-15; 2023-11-15 2024-01-15 4; 2024-11-15 2025-01-15 5; 2025-11-15 2026-01-15 6
month to date, every year; 2024-02-01 2024-02-29 4; 2024-12-01 2024-12-31 4; 2026-09-01 2026-09-17 6
last fiscal quarter, every fiscal year; 2023-10-01 2023-12-31 3;
  2024-07-01 2024-09-30 4; 2026-04-01 2026-06-30 6
"
by_hand <- utils::read.table(text = gsub(";\n  ", ";", by_hand, fixed = TRUE), header = TRUE,
                             sep = ";", strip.white = TRUE, colClasses = "character",
                             check.names = FALSE)

days_as_of <- function(phrase, as_of) {
  s <- span(phrase, april, as_of = as_of, first = "2021-01-01")
  n <- nrow(s)
  paste0(s$from[n], " ", s$to[n], if (grepl("every", phrase)) paste0(" ", n))
}

test_that("every example means the days worked out by hand", {
  expect_identical(by_hand$phrase,
                   unlist(lapply(rollingledger:::span_examples, names), use.names = FALSE))
  for (as_of in names(by_hand)[-1]) for (i in seq_len(nrow(by_hand))) {
    expect_identical(days_as_of(by_hand$phrase[i], as_of), by_hand[[as_of]][i],
                     info = paste(by_hand$phrase[i], as_of))
  }
})

test_that("the help page shows each example with its days", {
  page <- paste(unlist(tools::Rd_db("rollingledger")[["span.Rd"]]), collapse = " ")
  for (i in seq_len(nrow(by_hand))) expect_true(grepl(by_hand$phrase[i], page, fixed = TRUE),
                                                info = by_hand$phrase[i])
  expect_match(page, "18 Jun to 17 Sep 2026", fixed = TRUE)
})

test_that("the same wish in other words is the same phrase", {
  same <- list(
    "month to date" = c("MTD", "mtd", " Month  TO date ", "monthtodate", "m to date",
                        "latest month"),
    "last 3 months" = c("last 3m", "LAST 3 mos", "last3months", "last 03 months"),
    "last month, 1 year back" = c("last month 1 year back", "1 year back, last month",
                                  "last month,1y back", "last mth, 12 months back",
                                  "last 1 month, 4 quarters back"),
    "2026-09" = c("September 2026", "sep 2026", "SEPT2026", "2026 - 09", "Sep2026"),
    "2026-Q3" = c("Q3 2026", "q32026", "Q3", "q 3"), "fiscal Q2" = "FY2027-Q2",
    "2026-09-06/2026-09-12" = c("6 Sep 2026 to 12 Sep 2026", "6 September 2026/12sep2026"),
    "2026-W35" = c("week 35 2026", "wk 35 2026", "W35 2026", "week 35", "w 35"),
    "2025-W53" = character(), "August" = c("2026-08", "aug"), "2025-12" = "December",
    "2026-W01" = "week 1", "2025-W49" = c("week 49", "week 49 2025"),
    "this month, 1 year back" = c("same month last year", "SAME MONTH LAST YR"),
    "this week, 1 year back" = "same week last year",
    "this fiscal quarter, 1 fiscal year back" = "same fiscal quarter last fiscal year",
    "2026-Q3, 1 year back" = "Q3, 1 year back",
    "this day" = c("today", "trailing 1 day", "latest day"),
    "last day" = c("yesterday"),
    "fiscal quarter to date" = c("FQTD", "fq to date", "fiscalquarter to date"),
    "2026-01/2026-03" = c("Jan 2026 to Mar 2026", "2026-01 / 2026-03"),
    "month to date, every year" = c("every year, MTD", "MTD every yr"),
    "last 2 weeks, 1 year back, 1 week back" = c(
      "last 2 weeks, 1 week back, 1 year back", "1 wk back last 2w 1 y back")
  )
  for (phrase in names(same)) for (other in same[[phrase]]) {
    a <- span(phrase, april, as_of = "2026-09-17")
    b <- span(other, april, as_of = "2026-09-17")
    expect_identical(b[c("from", "to")], a[c("from", "to")], info = other)
  }
})
