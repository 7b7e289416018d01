daily <- function(span, ..., x = demo_ledger(), by = NULL) statement(
  x, per = "day", by = by, span = span, income = total(fare), ...)

test_that("every day of the months stands once, at its weekday and week", {
  p <- figure_days(daily("2026-02/2026-03"))
  expect_identical(as.character(p$data$from),
                   as.character(seq(as.Date("2026-02-01"), as.Date("2026-03-31"), by = "day")))
  expect_identical(levels(p$data$block), c("February 2026", "March 2026"))
  # 1 February 2026 is a Sunday, 2 March a Monday.
  at <- function(day) unlist(p$data[p$data$from == as.Date(day), c("column", "row")],
                             use.names = FALSE)
  expect_identical(at("2026-02-01"), c(7, -1))
  expect_identical(at("2026-02-02"), c(1, -2))
  expect_identical(at("2026-03-02"), c(1, -2))
  expect_identical(p$data$value, daily("2026-02/2026-03")$income)
  sunday <- ledger(demo_fares, on = c(sailed = "sailed_on"),
                   calendar = ledger_calendar(week_start = "Sunday"))
  q <- figure_days(daily("2026-02", x = sunday))
  expect_identical(q$data$column[1:2], c(1, 2))
  expect_identical(q$scales$get_scales("x")$labels[1], "Su")
})

test_that("no entries, zero and outside look different, and the legend tells them", {
  table <- data.frame(day = as.Date(c("2026-02-03", "2026-02-05", "2026-02-05", "2026-02-09")),
                      fare = c(5, 4, -4, 7))
  x <- ledger(table, on = "day")
  s <- daily("2026-02-02/2026-02-09", x = x)
  p <- figure_days(s)
  state <- stats::setNames(p$data$state, as.character(p$data$from))
  expect_identical(
    unname(
      state[c("2026-02-02", "2026-02-04", "2026-02-03", "2026-02-05", "2026-02-09", "2026-02-10")]),
                   c("outside the span", "no entries", "figure", "zero", "figure",
                     "outside the span"))
  expect_identical(p$data$entries[p$data$from == as.Date("2026-02-05")], 2)
  marks <- Filter(function(layer) inherits(layer$geom, "GeomPoint"), p$layers)[[1]]$data
  expect_identical(sort(unique(marks$state)), c("no entries", "zero"))
  expect_no_warning(ggplot2::ggplot_build(p))
  storm <- figure_days(daily("2025-01"))
  expect_identical(sum(storm$data$state == "no entries"),
                   sum(daily("2025-01", n = entries())$n == 0))
})

test_that("years have weeks beside each other; classes of the legend hold every value", {
  p <- figure_days(daily("2024/2025"), layout = "years")
  expect_identical(levels(p$data$block), c("2024", "2025"))
  expect_identical(range(p$data$row), c(-7, -1))
  expect_true(max(p$data$column) <= 54)
  scale <- p$scales$get_scales("fill")
  expect_true(all(range(p$data$value, na.rm = TRUE) >= min(scale$breaks)) &&
              max(p$data$value, na.rm = TRUE) <= max(scale$breaks))
  # Tiles of one class have the colour of its class.
  colours <- ggplot2::layer_data(
    p, which(vapply(p$layers, function(l) "fill" %in% names(l$mapping), TRUE))[1])$fill
  expect_setequal(toupper(colours),
                  toupper(rollingledger:::day_colours(scale$breaks, ledger_colours(1)))[unique(
                    findInterval(p$data$value, scale$breaks, rightmost.closed = TRUE))])
})

test_that("values, round tiles, gaps and tints draw", {
  s <- daily("2026-08")
  p <- figure_days(s, values = TRUE, shape = "round", gap = 0.3, tint = "#85111D")
  text <- Filter(function(layer) inherits(layer$geom, "GeomText"), p$layers)[[1]]$data$text
  expect_identical(text, formatC(s$income, format = "f", digits = 0, big.mark = ","))
  expect_no_warning(ggplot2::ggplot_build(p))
  expect_no_warning(
    ggplot2::ggplot_build(figure_days(daily("2026", by = "channel"), panels = "channel")))
})

test_that("what a calendar cannot show is refused", {
  refused <- function(...) expect_error(figure_days(...), class = "rollingledger_error_choice")
  refused(statement(demo_ledger(), per = "week", income = total(fare)))
  refused(daily("2026-08", by = "route"))
  refused(daily("2026-08"), gap = 1)
  refused(daily("2026-08"), tint = "no colour")
  refused(daily("2023/2026"), layout = "months")
  refused(daily("2026-08"), shape = "star")
})
