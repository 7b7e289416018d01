# What figures tell in labels, in words and by their marks, held against the statement.

test_that("no label turns a value into zero", {
  short <- own("short_numbers")
  changes <- own("short_changes")
  set.seed(8)
  for (i in seq_len(rounds(100, 400))) {
    values <- signif(stats::rnorm(sample(6, 1)) * 10^sample(-6:8, 1), 3) *
      10^sample(0:3, 1)
    if (i %% 5 == 0) values <- c(values, 0)
    said <- short(values)
    number <- as.numeric(gsub("[, kM]", "", said))
    expect_identical(number == 0, values == 0, info = paste(values, said, collapse = "; "))
    expect_identical(sign(number), sign(values))
    signed <- changes(values)
    expect_false(any(grepl("^[+-]0([.]0*)?( [kM])?$", signed)))
    expect_identical(startsWith(signed, "+"), values > 0)
  }
  expect_identical(short(c(-0.37, 0)), c("-0.4", "0.0"))
  expect_identical(short(c(12.40, 1120000)), c("12", "1,120,000"))
  expect_identical(short(c(120000, 1120000)), c("120.0 k", "1,120.0 k"))
  axis <- own("axis_numbers")
  for (breaks in list(c(0, 1e-5, 2e-5), c(0, 0.00025, 5e-4), c(0, 0.5, 1), c(1e6, 2e6))) {
    expect_false(anyDuplicated(axis(breaks)) > 0, info = paste(breaks, collapse = " "))
  }
})

test_that("small figures are shown in print, tiles and columns", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:3, rate = c(1, 2, 3, 4) / 3e5)
  s <- statement(ledger(table, on = "day"), per = "day", a = total(rate),
                 third = average(rate) / 3)
  expect_false(any(grepl(" 0[.]0+( |$)", format(s))))
  expect_false(grepl("^0[.]0+$", report_tiles(s[1, ], a)$value))
})

# Values that words tell, as numbers.
numbers_told <- function(text) {
  found <- regmatches(text, gregexpr("-?[0-9][0-9,]*([.][0-9]+)?(?= EUR)", text, perl = TRUE))[[1]]
  as.numeric(gsub(",", "", found))
}

test_that("words for those who do not see say each row by its own name", {
  x <- demo_ledger()
  s <- statement(x, by = "route", spans = c("month to date", "month to date, 1 year back"),
                 income = total(fare))
  words <- ggplot2::get_alt_text(figure_columns(s))
  told <- numbers_told(sub(".*Values: ", "", words))
  expect_identical(told, s$income)
  for (i in seq_len(nrow(s))) expect_match(words, paste0(s$route[i], " ", s$period[i], " "),
                                           fixed = TRUE)
})

test_that("an unfinished last period is said, and earlier days speak of the same members", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "latest 3 months", income = total(fare))
  for (figure in list(figure_trend(s), figure_columns(s))) {
    words <- ggplot2::get_alt_text(figure)
    expect_match(words, "in 2026-09 (part of it, 1 to 17 Sep 2026)", fixed = TRUE)
    latest <- sub(".*Latest: (.*?)[.] The same.*", "\\1", words, perl = TRUE)
    back <- sub(".*The same days a year back, [^:]*: ", "", words)
    names <- function(text) regmatches(text, gregexpr("(Gull|Heron|Marram|Oyster|Tern|Wick)", text))
    expect_identical(names(latest), names(back))
    expect_setequal(numbers_told(latest), s$income[s$period == "2026-09"])
  }
})

test_that("a calendar of running figures counts no days as days with entries", {
  table <- data.frame(day = as.Date("2026-01-01") + c(0, 20, 47), fare = c(1, 2, 4))
  s <- statement(ledger(table, on = "day"), per = "day", a = total(fare)) |>
    add_running(a) |> add_rolling(a, over = "7 days")
  plain <- ggplot2::get_alt_text(figure_days(s, a))
  expect_match(plain, "3 days with entries, 45 without")
  running <- figure_days(s, a_running)
  expect_match(ggplot2::get_alt_text(running), "48 days with a figure, 0 without")
  expect_false("no entries" %in% running$data$state)
  rolling <- figure_days(s, a_rolling_7_days)
  expect_match(ggplot2::get_alt_text(rolling), "42 days with a figure, 6 without")
  expect_true("no figure" %in% rolling$data$state)
})

test_that("marks are told with the days that their figure covers, and changes as changes", {
  s <- statement(demo_ledger(), per = "month", span = "2026-06/2026-08", income = total(fare)) |>
    add_change(income, from = "period before") |> add_running(income, since = "year")
  drawn <- rollingledger:::drawn_figure(figure_change(s, income), s, 900, 500)$marks
  before <- grep("income before", drawn$says, value = TRUE)
  expect_match(before, "^2026-06: income before 137,459.35 EUR, 1 to 31 May 2026$", all = FALSE)
  expect_match(drawn$says, "2026-06: income change [+]38,299.75 EUR, .* against 1 to 31 May 2026",
               all = FALSE)
  running <- rollingledger:::drawn_figure(figure_trend(s, income_running), s, 900, 500)$marks
  expect_match(running$says, "^2026-08: income running .*, 1 Jan to 31 Aug 2026$", all = FALSE)
})

test_that("members stand in the ledger's order, beside totals and in figures", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:29, n = c(1:20, 1:10), f = 1)
  x <- ledger(table, on = "day")
  heads <- function(s) setdiff(own("cross_heads")(s, "n")$label, "(all)")
  s <- statement(x, by = "n", f = total(f), totals = "by")
  expect_identical(heads(s), as.character(1:20))
  days <- statement(x, by = "day_of_month", f = total(f))
  expect_identical(unique(figure_columns(days)$data$place_label), as.character(1:30))
  expect_identical(order(-figure_columns(days)$data$place), seq_len(30))
})

test_that("a member has one colour in all figures of a ledger, however many there are", {
  set.seed(3)
  table <- data.frame(day = as.Date("2026-01-01") + sample(0:80, 900, TRUE),
                      place = sample(sprintf("Quay %02d", 1:12), 900, TRUE,
                                     prob = seq(1, 3, length.out = 12)))
  table$fare <- stats::rexp(900)
  x <- ledger(table, on = "day")
  seen <- list()
  for (span in c("2026-01", "2026-02", "2026-03", "all")) {
    s <- statement(x, per = "month", by = "place", span = span, a = total(fare)) |>
      add_rank(a, keep = 4)
    series <- own("figure_series")(own("figure_points")(own("drawn_statement")(s, "A"), "a"),
                                   own("drawn_statement")(s, "A"))
    colours <- series$colours[series$named]
    for (name in names(colours)) seen[[name]] <- unique(c(seen[[name]], colours[[name]]))
  }
  expect_true(all(lengths(seen) == 1))
  expect_identical(anyDuplicated(unlist(seen)), 0L)
})

test_that("a year that begins with the ledger says so", {
  begun <- function(x, ...) figure_years(statement(x, per = "month", income = total(fare), ...),
                                         year = "fiscal")$labels$caption
  x <- ledger(demo_fares, on = c(sailed = "sailed_on"),
              calendar = ledger_calendar(fiscal_start = "April"))
  expect_identical(begun(x), "FY2023 begins with the ledger, on 1 Jan 2023.")
  # Not where the year is whole, or where the span begins later than the ledger.
  expect_null(begun(x, span = "2023-04/.."))
  whole <- ledger(demo_fares, on = c(sailed = "sailed_on"))
  expect_null(figure_years(statement(whole, per = "month", income = total(fare)))$labels$caption)
  expect_null(begun(x, span = "2023-02/.."))
})
