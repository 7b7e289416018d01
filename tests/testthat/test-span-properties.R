# Random phrases in random calendars.

some_calendars <- list(
  april, ledger_calendar("October", "start", "Sunday", weeks = "january"),
  ledger_calendar(weeks = "whole"),
  ledger_calendar("February", pattern = "4-5-4", year_end = "last Saturday"),
  ledger_calendar("July", pattern = "4-4-5", year_end = "nearest Sunday", week_53 = 6,
                  week_start = "Monday")
)
some_units <- c("day", "week", "month", "quarter", "year", "fiscal week", "fiscal month",
                "fiscal quarter", "fiscal year")
pick <- function(x) x[sample.int(length(x), 1)]

random_phrase <- function(as_of) {
  unit <- pick(some_units)
  point <- function() format(as_of - sample(900, 1),
                             pick(c("%Y", "%Y-%m", "%Y-%m-%d", "%G-W%V", "FY%Y", "FY%Y-M%m",
                                    "%B %Y")))
  base <- pick(c(
    paste("this", unit), paste(unit, "to date"),
    paste(c("last", "latest", "latest finished", "trailing"), sample(40, 1), paste0(unit, "s")),
    point(), paste0(point(), "/.."), "every Q2", "every W53", "every May", "every 12-20/01-06",
    "every fiscal Q4", "every fiscal W53"
  ))
  every <- if (!grepl("every|[.][.]", base) && stats::runif(1) < 0.2)
    pick(c(", every year", ", every fiscal year"))
  paste0(base, if (stats::runif(1) < 0.5) sprintf(", %d %ss back", sample(3, 1), pick(some_units)),
         every)
}

days_or_refusal <- function(phrase, calendar, as_of) {
  tryCatch(span(phrase, calendar, as_of = as_of, first = as_of - 1500),
           rollingledger_error_span = function(e) NULL)
}

test_that("a phrase that is resolved, printed and read again means the same days", {
  set.seed(31)
  kept <- 0
  for (i in seq_len(rounds(120, 600))) {
    calendar <- pick(some_calendars)[[1]]
    as_of <- as.Date("2018-01-01") + sample(4000, 1)
    s <- days_or_refusal(random_phrase(as_of), calendar, as_of)
    if (is.null(s)) next
    kept <- kept + 1
    printed <- sub("^.*?: ", "", sub(" = .*| *, as of .*", "", format(s)[1]))
    again <- span(if (nrow(s) > 1) s$phrase[1] else printed, calendar, as_of = as_of,
                  first = as_of - 1500)
    expect_identical(again[c("from", "to", "complete")], s[c("from", "to", "complete")],
                     info = s$phrase[1])
    expect_identical(again$phrase, s$phrase)
    # Labels of spans that recur are phrases too.
    row <- sample(nrow(s), 1)
    if (nrow(s) > 1) {
      named <- span(s$label[row], calendar, as_of = as_of)
      expect_identical(c(named$from, named$to), c(s$from[row], s$to[row]), info = s$label[row])
    }
  }
  expect_gt(kept, rounds(60, 300))
})

test_that(
  "spans to date, latest, trailing and last never pass the as-of day, and end where they say", {
  set.seed(32)
  for (i in seq_len(rounds(40, 150))) {
    calendar <- pick(some_calendars)[[1]]
    as_of <- as.Date("2018-01-01") + sample(4000, 1)
    unit <- pick(some_units)
    n <- sample(30, 1)
    days <- function(phrase) span(phrase, calendar, as_of = as_of)
    current <- days(paste("this", unit))
    expect_true(current$from <= as_of && current$to >= as_of)
    expect_identical(c(days(paste(unit, "to date"))$from, days(paste(unit, "to date"))$to),
                     c(current$from, as_of))
    last <- days(sprintf("last %d %ss", n, unit))
    expect_identical(last$to, current$from - 1)
    expect_true(last$complete)
    latest <- days(sprintf("latest %d %ss", n + 1, unit))
    expect_identical(c(latest$from, latest$to), c(last$from, as_of))
    trailing <- days(sprintf("trailing %d %ss", n, unit))
    expect_true(trailing$to == as_of && trailing$from <= as_of)
    finished <- days(paste("latest finished", unit))
    expect_identical(finished$to, if (current$to == as_of) as_of else current$from - 1)
    back <- days(sprintf("%s to date, %d %ss back", unit, n, unit))
    expect_true(back$to < as_of &&
                back$to <= days(sprintf("this %s, %d %ss back", unit, n, unit))$to)
  }
})

test_that("going back by units is the same as standing earlier, and returns by going forth", {
  back_and_forth <- 0
  set.seed(33)
  for (i in seq_len(rounds(40, 150))) {
    calendar <- pick(some_calendars)[[1]]
    as_of <- as.Date("2018-01-01") + sample(4000, 1)
    unit <- pick(some_units)
    n <- sample(8, 1)
    period <- days_or_refusal(sprintf("this %s, %d %ss back", unit, n, unit), calendar, as_of)
    expect_identical(days_or_refusal(paste("this", unit), calendar, period$from)[c("from", "to")],
                     period[c("from", "to")])
    expect_identical(days_or_refusal(sprintf("last %d %ss", n, unit), calendar, as_of)$from,
                     period$from)
    # Forth again, by moving the period itself.
    now <- rollingledger:::period_indexes(as.integer(as_of), unit, calendar)
    for (step in c("year", "fiscal year", unit)) {
      moved <- tryCatch(rollingledger:::move_period(now, unit, n, step, calendar),
                        rollingledger_error_span = function(e) NULL)
      if (is.null(moved) || !is.null(moved$note) || unit == "day") next
      back_and_forth <- back_and_forth + 1
      expect_identical(rollingledger:::move_period(moved$index, unit, -n, step, calendar)$index,
                       now, info = paste(unit, step))
    }
  }
  expect_gt(back_and_forth, rounds(5, 20))
})

test_that(
  paste0("trailing spans that end with a month start with one; there and back by months keeps ",
         "the day where it can"), {
  for (end in as.character(seq(as.Date("2023-02-01"), by = "month", length.out = 30) - 1)) {
    s <- span(c("trailing 1 month", "trailing 3 months", "trailing 2 years"), as_of = end)
    expect_identical(format(s$from, "%d"), rep("01", 3))
    expect_identical(s$from[1], as.Date(format(as.Date(end), "%Y-%m-01")))
  }
  expect_identical(span("trailing 12 months", as_of = "2024-02-29")$from, as.Date("2023-03-01"))
  expect_identical(span("month to date, 1 month back", as_of = "2026-03-31")$to,
                   as.Date("2026-02-28"))
  expect_identical(span("2024-02-29, 1 year back")$from, as.Date("2023-02-28"))
  expect_identical(span("2024-02-29, 4 years back")$from, as.Date("2020-02-29"))
})

test_that("week 53 goes back to week 52, and says so", {
  s <- span("2020-W53, 1 year back")
  expect_identical(c(s$from, s$to), as.Date(c("2019-12-23", "2019-12-29")))
  expect_match(s$note, "2019 has no week 53, so its week 52 is taken")
  expect_match(format(s)[2], "week 52 is taken")
  weeks <- span("this week, every year", as_of = "2021-01-02", first = "2017-02-01")
  expect_identical(weeks$label, c("2017-W52", "2018-W52", "2019-W52", "2020-W53"))
  expect_identical(is.na(weeks$note), c(FALSE, FALSE, FALSE, TRUE))
})

test_that("a fixed span repeats before and after its own year", {
  s <- span("2024-11-20/2024-12-05, every year", as_of = "2026-09-17", first = "2022-06-01")
  expect_identical(s$label, sprintf("%d-11-20/%d-12-05", 2022:2025, 2022:2025))
  expect_identical(span("2023-W01, every year", as_of = "2026-09-17", first = "2022-06-01")$label,
                   sprintf("%d-W01", 2023:2026))
})

test_that("random texts are read or refused at a word, each at once", {
  set.seed(34)
  pieces <- c(rollingledger:::known_words, "2026", "08", "-", "/", "..", ",", "W35", "Q3", "FY2027",
              "1", "99999999999", "xx", "\u00e9", "\U1F600", "'", "\"", "\\", "\n", "(", "%")
  texts <- vapply(1:40000,
                  function(i) paste(pieces[sample.int(length(pieces), sample.int(5, 1), TRUE)],
                                    collapse = if (i %% 3 == 0) "" else " "), "")
  texts[1:4] <- c("", " ", strrep("a", 1e5), strrep("1 year back ", 16))
  understood <- function(text) {
    tree <- rollingledger:::read_phrase(text, april)
    if (is.null(tree$problem)) !is.null(tree$base)
    else !is.null(tree$problem$message) || nzchar(tree$problem$expected[1])
  }
  halves <- parallel::mclapply(split(texts, rep(1:2, each = 20000)),
                               function(half) all(vapply(half, understood, TRUE)), mc.cores = 2)
  expect_identical(unname(unlist(halves)), c(TRUE, TRUE))
  slowest <- max(
    vapply(texts[1:200],
           function(text) system.time(rollingledger:::read_phrase(text, april),
                                      gcFirst = FALSE)[["elapsed"]], 0))
  expect_lt(slowest, 0.5)  # a hang, not a speed
  expect_refused(span("\xff\xfe"), "not readable text", "span")
})
