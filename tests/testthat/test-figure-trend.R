monthly <- function(...) statement(demo_ledger(), per = "month", span = "2025-10/..", income = total(fare), ...)

# Distance of colours as seen with a common kind of colour blindness: Machado, Oliveira and
# Fernandes (2009), full severity, compared in CIE Lab.
seen_distances <- function(colours) {
  kinds <- list(
    normal = diag(3),
    protan = matrix(c(0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998), 3, byrow = TRUE),
    deutan = matrix(c(0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820, 0.042940, 0.968881), 3, byrow = TRUE),
    tritan = matrix(c(1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.303900), 3, byrow = TRUE)
  )
  rgb <- t(grDevices::col2rgb(colours)) / 255
  linear <- ifelse(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055)^2.4)
  vapply(kinds, function(kind) {
    seen <- pmin(pmax(linear %*% t(kind), 0), 1)
    back <- ifelse(seen <= 0.0031308, 12.92 * seen, 1.055 * seen^(1 / 2.4) - 0.055)
    min(stats::dist(grDevices::convertColor(back, "sRGB", "Lab")))
  }, 0)
}

test_that("the colours stay apart for the colour-blind and on white", {
  expect_true(all(seen_distances(ledger_colours(8)) > 20))
  expect_true(all(seen_distances(c("#1b9e77", "#1d9c70")) < 20))  # the measure can fail
  expect_true(all(seen_distances(c(ledger_colours(8), "#FFFFFF")) > 20))
  expect_error(ledger_colours(9), class = "rollingledger_error_choice")
})

test_that("a trend carries the statement's values, labels and dates", {
  s <- monthly(by = "route")
  p <- figure_trend(s)
  expect_s3_class(p, "ggplot")
  expect_identical(p$data$value, s$income)
  expect_identical(as.character(p$data$series), s$route)
  expect_identical(p$data$complete, s$complete)
  expect_identical(p$labels$title, "Income by month and route")
  expect_identical(p$labels$subtitle, "Sailed 1 Oct 2025 to 17 Sep 2026, as of 17 Sep 2026")
  expect_identical(p$labels$caption, "Dashed, hollow: 2026-09 covers 1 to 17 Sep 2026.")
  expect_identical(p$labels$y, "EUR")
  expect_no_error(ggplot2::ggplot_build(p))
})

layers_of <- function(p, kind) Filter(function(layer) inherits(layer$geom, kind), p$layers)

test_that("the partial period alone is dashed and hollow", {
  p <- figure_trend(monthly())
  segments <- layers_of(p, "GeomSegment")
  dashed <- Filter(function(layer) identical(layer$aes_params$linetype, "22"), segments)[[1]]
  expect_identical(dashed$data$to, as.Date("2026-09-01"))
  hollow <- Filter(function(layer) identical(layer$aes_params$shape, 21), layers_of(p, "GeomPoint"))[[1]]
  expect_identical(hollow$data$period, "2026-09")
  whole <- figure_trend(monthly(partial = "drop"))
  expect_null(whole$labels$caption)
})

test_that("a member has one colour in every figure, and names stand apart", {
  colour_of <- function(p, member) p$scales$get_scales("colour")$palette(1)[[member]]
  all <- figure_trend(monthly(by = "route"))
  some <- figure_trend(monthly(by = "route", where = route %in% c("Tern Head", "Wickholm")))
  expect_identical(colour_of(all, "Tern Head"), colour_of(some, "Tern Head"))
  labels <- layers_of(all, "GeomText")[[1]]$data
  expect_setequal(trimws(labels$label), unique(demo_fares$route))
  gaps <- diff(sort(labels$at))
  expect_true(all(gaps > 0.04 * diff(range(c(0, all$data$value)))))
})

test_that("labels are moved apart as little as it takes", {
  spread <- rollingledger:::spread_out
  expect_identical(spread(c(1, 5, 9), 2), c(1, 5, 9))
  expect_equal(spread(c(5, 5), 2), c(4, 6))
  expect_equal(spread(c(10, 0, 0.5), 2), c(10, -0.75, 1.25))
  set.seed(2)
  for (i in 1:50) {
    values <- stats::runif(sample(12, 1), 0, 10)
    moved <- spread(values, 1)
    expect_true(all(diff(sort(moved)) > 1 - 1e-9))
    expect_identical(order(moved), order(values))
  }
})

test_that("of many members the largest are named, and the caption says so", {
  s <- statement(demo_ledger(), per = "quarter", by = c("route", "channel"), income = total(fare))
  p <- figure_trend(s)
  expect_match(p$labels$caption, "The 7 largest of 24 are named; the others are pale.")
  expect_identical(nrow(layers_of(p, "GeomText")[[1]]$data), 7L)
})

test_that("negative values, zero, missing values, one period and years of days all draw", {
  x <- demo_ledger()
  draws <- function(s, ...) expect_no_error(ggplot2::ggplot_build(figure_trend(s, ...)))
  draws(statement(x, per = "week", refunds = total(fare, where = fare < 0)))
  draws(statement(x, per = "week", none = total(fare, where = fare > 1e6)))
  draws(statement(x, per = "day", span = "2025-01", mean_fare = average(fare)))  # a week without sailings
  draws(statement(x, per = "month", span = "2026-02", by = "route", income = total(fare)))
  draws(statement(x, per = "day", by = "channel", income = total(fare)))
  draws(add_running(monthly(trips = entries()), income, since = "year"), income, "income_running")
})

test_that("what cannot be drawn is refused", {
  expect_error(figure_trend(statement(demo_ledger(), income = total(fare))), "needs periods", class = "rollingledger_error_choice")
  expect_error(figure_trend(monthly(), incme), "Did you mean `income`", class = "rollingledger_error_measure")
  expect_error(figure_trend(monthly(by = "route", trips = entries()), income, trips), "one column", class = "rollingledger_error_choice")
  expect_error(figure_trend(monthly(where = fare > 1e6, by = "route")), "no rows", class = "rollingledger_error_choice")
  expect_error(figure_trend(monthly()[c("from", "to", "income")]), "lost its column `period`", class = "rollingledger_error_statement")
  expect_error(figure_trend(demo_fuel), "must be a statement", class = "rollingledger_error_choice")
})
