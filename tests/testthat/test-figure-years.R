test_that("years lie over each other by month, with every value of the statement", {
  s <- statement(demo_ledger(), per = "month", income = total(fare))
  p <- figure_years(s)
  expect_identical(p$data$value, s$income)
  expect_identical(as.character(p$data$series), substr(s$period, 1, 4))
  expect_identical(p$data$place, as.double(substr(s$period, 6, 7)))
  expect_identical(p$labels$title, "Income: years laid over each other by month")
  expect_no_warning(ggplot2::ggplot_build(p))
})

test_that("days stand below the same day of other years, leap years or not", {
  s <- statement(demo_ledger(), per = "day", span = "2023-01/2026-03", trips = entries())
  p <- figure_years(s)
  on <- function(day) p$data$place[p$data$from == as.Date(day)]
  expect_identical(
    c(on("2023-03-01"), on("2024-03-01"), on("2025-12-31"), on("2024-12-31"), on("2024-02-29"),
      on("2023-02-28")), c(61, 61, 366, 366, 60, 59))
  fiscal <- figure_years(s, year = "fiscal")
  on <- function(day) fiscal$data$place[fiscal$data$from == as.Date(day)]
  expect_identical(c(on("2023-04-01"), on("2024-04-01"), on("2024-03-31"), on("2025-03-31")),
                   c(1, 1, 366, 366))
  expect_identical(levels(fiscal$data$series), c("FY2023", "FY2024", "FY2025", "FY2026"))
})

test_that("weeks and fiscal periods stand by their numbers", {
  weeks <- figure_years(statement(demo_ledger(), per = "week", trips = entries()))
  expect_identical(sprintf("%s-W%02d", weeks$data$series, as.integer(weeks$data$place)),
                   weeks$data$period)
  months <- figure_years(statement(demo_ledger(), per = "fiscal month", trips = entries()))
  expect_identical(sprintf("%s-M%02d", months$data$series, as.integer(months$data$place)),
                   months$data$period)
  retail <- ledger(demo_fares, on = c(sailed = "sailed_on"),
                   calendar = ledger_calendar("Feb", pattern = "4-4-5", year_end = "last Saturday"))
  quarters <- figure_years(statement(retail, per = "fiscal quarter", trips = entries()))
  expect_identical(sprintf("%s-Q%d", quarters$data$series, as.integer(quarters$data$place)),
                   quarters$data$period)
  expect_no_warning(ggplot2::ggplot_build(quarters))
  days <- figure_years(statement(retail, per = "day", span = "2025", trips = entries()),
                       year = "fiscal")
  expect_no_warning(ggplot2::ggplot_build(days))
})

test_that("the newest year stands out, whatever the rows' order", {
  s <- statement(demo_ledger(), per = "quarter", income = total(fare))
  p <- figure_years(s[rev(seq_len(nrow(s))), ])
  expect_identical(levels(p$data$series), c("2023", "2024", "2025", "2026"))
  expect_identical(p$scales$get_scales("colour")$palette(1)[["2026"]], ledger_colours(1))
})

test_that("panels and running totals draw; what has no years to lay is refused", {
  by <- statement(demo_ledger(), per = "month", by = "channel", income = total(fare))
  expect_no_warning(ggplot2::ggplot_build(figure_years(by, panels = "channel", average = TRUE)))
  running <- add_running(statement(demo_ledger(), per = "day", income = total(fare)), income,
                         since = "year")
  expect_identical(figure_years(running, income_running)$data$value, running$income_running)
  refused <- function(...) expect_error(figure_years(...), class = "rollingledger_error_choice")
  refused(by)
  refused(statement(demo_ledger(), per = "year", income = total(fare)))
  refused(statement(demo_ledger(), per = "week", income = total(fare)), year = "fiscal")
  refused(statement(demo_ledger(), per = "fiscal month", income = total(fare)), year = "calendar")
  refused(statement(demo_ledger(), income = total(fare)))
})
