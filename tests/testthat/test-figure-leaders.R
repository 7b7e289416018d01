# Three routes over two months, that can be led by hand.
led_table <- function() {
  data.frame(day = as.Date(rep(c("2026-01-10", "2026-02-10"), each = 4)),
             route = rep(c("Oysterby", "Wickholm", "Gull Rock", "Tern Head"), 2),
             fare = c(40, 30, 20, 10, 5, 50, 20, 60),
             account = c("a", "b", "c", "a", "a", "a", "b", "c"))
}
led <- function(...) statement(ledger(led_table(), on = "day", as_of = "2026-02-28"), per = "month",
                               by = "route", ...)

test_that("leaders are piled by rank in front of the total, the rest on top", {
  p <- figure_leaders(led(income = total(fare)), keep = 2, rest = "Others")
  expect_identical(as.character(p$data$series),
                   c("Oysterby", "Wickholm", "Others", "Tern Head", "Wickholm", "Others"))
  expect_identical(p$data$value, c(40, 30, 30, 60, 50, 25))
  expect_identical(p$data$low, c(0, 40, 70, 0, 60, 110))
  expect_identical(p$data$high, c(40, 70, 100, 60, 110, 135))
  whole <- p$layers[[1]]$data
  expect_identical(whole$value, c(100, 135))
  expect_match(p$labels$caption, "3 routes appear though 2 are kept: the leaders change.",
               fixed = TRUE)
  expect_match(p$labels$title, "the leading 2 of each month")
  expect_no_warning(ggplot2::ggplot_build(p))
})

test_that("figures that do not add up stand side by side, in front of the figure of all", {
  p <- figure_leaders(led(riders = distinct(account)), keep = 3, rest = NULL)
  expect_true(all(p$data$low == 0))
  expect_identical(p$data$high, p$data$value)
  expect_identical(p$layers[[1]]$data$value, c(3, 3))  # not the sum of the routes'
  expect_match(p$labels$caption, "share a rank")
})

test_that("the pale total is the statement without the attribute, whatever the measure", {
  for (m in list(rlang::quo(total(fare)), rlang::quo(distinct(account)),
                 rlang::quo(average(fare)))) {
    s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", figure = !!m)
    p <- figure_leaders(s, keep = 2, rest = NULL)
    all <- statement(demo_ledger(), per = "month", span = "2026", figure = !!m)
    expect_equal(p$layers[[1]]$data$value, all$figure, tolerance = 1e-12)
    expect_equal(tapply(p$data$value, p$data$period, max)[all$period],
                 tapply(s$figure, s$period, max)[all$period])
  }
})

test_that("parts carry their names where all fit, so that grey can be read", {
  names_of <- function(p) unlist(unname(
    lapply(Filter(function(layer) inherits(layer$geom, "GeomText"), p$layers),
           function(layer) layer$data$text)))
  p <- figure_leaders(led(income = total(fare)), keep = 2, rest = "Others")
  expect_identical(names_of(p), as.character(p$data$series[p$data$complete]))
  long <- statement(demo_ledger(), per = "week", by = "route", span = "2025", income = total(fare))
  expect_null(names_of(figure_leaders(long)))
})

test_that("a statement already ranked is drawn as it is", {
  s <- led(income = total(fare)) |> add_rank(income, keep = 1, rest = "All other routes")
  p <- figure_leaders(s)
  expect_identical(p$data$value, c(40, 60, 60, 75))
  expect_identical(as.character(p$data$series),
                   c("Oysterby", "All other routes", "Tern Head", "All other routes"))
  expect_refused(figure_leaders(s, income), "ranked already", "choice")
})

test_that("panels rank within their member", {
  s <- statement(demo_ledger(), per = "quarter", by = c("channel", "route"), span = "2025",
                 income = total(fare))
  p <- figure_leaders(s, keep = 1, rest = NULL, panels = "channel")
  best <- stats::aggregate(income ~ period + channel, s, max)
  got <- merge(best,
               data.frame(period = p$data$period, channel = as.character(p$data$panel),
                          value = p$data$value))
  expect_identical(nrow(got), nrow(best))
  expect_identical(got$value, got$income)
  whole <- p$layers[[1]]$data
  all <- statement(demo_ledger(), per = "quarter", by = "channel", span = "2025",
                   income = total(fare))
  expect_identical(whole$value[order(whole$period, whole$panel)],
                   all$income[order(all$period, all$channel)])
})

test_that("leaders need periods and one attribute", {
  expect_refused(figure_leaders(statement(demo_ledger(), by = "route", income = total(fare))),
                 "needs periods", "choice")
  expect_refused(figure_leaders(statement(demo_ledger(), per = "year", income = total(fare))),
                 "nothing to rank", "choice")
  expect_refused(figure_leaders(
        statement(demo_ledger(), per = "year", by = c("route", "channel"), income = total(fare)),
        rest = NULL), "one attribute", "choice")
})
