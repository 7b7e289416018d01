monthly <- function(...) statement(demo_ledger(), per = "month", span = "2025-10/..",
                                   income = total(fare), ...)

# Distance of colours as seen with a common kind of colour blindness: Machado, Oliveira and
# Fernandes (2009), full severity, compared in CIE Lab.
seen_distances <- function(colours) {
  kinds <- list(
    normal = diag(3),
    protan = matrix(
      c(0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116,
        1.051998), 3, byrow = TRUE),
    deutan = matrix(
      c(0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820, 0.042940, 0.968881),
      3, byrow = TRUE),
    tritan = matrix(
      c(1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367,
        0.303900), 3, byrow = TRUE)
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
  contrast <- own("contrast_of")
  expect_equal(contrast("#000000", "#FFFFFF"), 21)
  expect_true(all(contrast(ledger_colours(8), "white") >= 3))
  expect_true(all(contrast(own("text_colour")(ledger_colours(8)), "white") >= 4.5))
  # Ink is the one that stands out more, on any ground.
  for (ground in grDevices::rgb(stats::runif(50), stats::runif(50), stats::runif(50))) {
    ink <- own("ink_on")(ground)
    other <- setdiff(c("white", own("figure_ink")), ink)
    expect_gte(contrast(ground, ink), contrast(ground, other))
  }
  expect_error(ledger_colours(9), class = "rollingledger_error_choice")
})

test_that("what stands for opposites can be told in grey, and tints of days go from pale to dark", {
  lightness <- function(colours) grDevices::convertColor(
    t(grDevices::col2rgb(colours)) / 255, "sRGB", "Lab")[, 1]
  # now and before
  expect_gt(abs(diff(lightness(c(ledger_colours(1), rollingledger:::figure_rest)))), 25)
  # kept, lost, new
  expect_gt(min(stats::dist(lightness(ledger_colours(3)))), 10)
  tints <- rollingledger:::day_colours(c(0, 10, 20, 30, 40), ledger_colours(1))
  expect_true(all(diff(lightness(tints)) < -8))
  # below and above zero
  expect_true(all(seen_distances(c("#85111D", ledger_colours(1))) > 20))
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
  # With more than three lines the marks are of the leading three, and all are told below.
  expect_identical(key_of(p), c(
    "Part of a period: 2026-09 covers 1 to 17 Sep 2026",
    "The same days a year back, 1 to 17 Sep 2025 (the 3 leading; all below)"))
  expect_match(gsub("\n", " ", p$labels$caption),
               "^The same days a year back, 1 to 17 Sep 2025: Gull Rock 16,093.45 EUR, .*5,445.25")
  expect_identical(p$labels$y, "EUR")
  expect_no_error(ggplot2::ggplot_build(p))
})

layers_of <- function(p, kind) Filter(function(layer) inherits(layer$geom, kind), p$layers)

test_that(
  paste0("the line ends at the last whole period; the one that is not over stands apart, beside ",
         "the same days before"), {
  p <- figure_trend(monthly())
  solid <- Filter(function(layer) identical(layer$aes_params$linetype, "solid"),
                  layers_of(p, "GeomSegment"))[[1]]
  expect_identical(max(solid$data$to), as.Date("2026-08-01"))
  dashed <- Filter(function(layer) identical(layer$aes_params$linetype, "22"),
                   layers_of(p, "GeomSegment"))
  expect_true(all(vapply(dashed, function(layer) nrow(layer$data), 0L) == 0))
  mark <- Filter(function(layer) identical(layer$aes_params$shape, 18),
                 layers_of(p, "GeomPoint"))[[1]]$data
  expect_identical(mark$from, as.Date("2026-09-01"))
  expect_equal(mark$value,
               sum(demo_fares$fare[demo_fares$sailed_on >= as.Date("2025-09-01") &
                                   demo_fares$sailed_on <= as.Date("2025-09-17")]))
  # Without a year before it, the period before is the mark; with neither there is none.
  young <- ledger(demo_fares[demo_fares$sailed_on >= as.Date("2026-07-01"), ],
                  on = c(sailed = "sailed_on"))
  expect_identical(key_of(figure_trend(statement(young, per = "month", income = total(fare))))[2],
                   "The same days of the period before, 1 to 17 Aug 2026")
  expect_length(key_of(figure_trend(statement(young, per = "year", income = total(fare)))), 1)
  hollow <- Filter(function(layer) identical(layer$aes_params$shape, 21),
                   layers_of(p, "GeomPoint"))[[1]]
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
  gaps <- diff(sort(labels$height))
  # They stand at the last whole month, before what stands apart.
  expect_identical(unique(labels$at), as.Date("2026-08-01"))
  expect_gt(as.numeric(max(all$data$at)), as.numeric(as.Date("2026-09-10")))
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
  # a week without sailings
  draws(statement(x, per = "day", span = "2025-01", mean_fare = average(fare)))
  draws(statement(x, per = "month", span = "2026-02", by = "route", income = total(fare)))
  draws(statement(x, per = "day", by = "channel", income = total(fare)))
  draws(add_running(monthly(trips = entries()), income, since = "year"), income, "income_running")
})

test_that("columns in one unit share a panel, others and those beside members have their own", {
  s <- monthly(trips = entries(), riders = distinct(account)) |>
    add_rolling(income, over = "2 months") |> add_running(income, since = "fiscal year")
  together <- figure_trend(s, income, income_running, income_rolling_2_months)
  expect_identical(levels(together$data$panel), "")
  expect_identical(levels(together$data$series),
                   c("Income", "Income, running since the fiscal year began",
                     "Income, rolling 2 months"))
  expect_identical(together$data$value[together$data$figure == "income_running"], s$income_running)
  apart <- figure_trend(s, income, trips, riders)
  expect_identical(levels(apart$data$panel), c("Income (EUR)", "Trips", "Riders"))
  expect_identical(split(apart$data$value, apart$data$panel),
                   list("Income (EUR)" = s$income, Trips = s$trips, Riders = s$riders))
  members <- figure_trend(monthly(by = "channel", trips = entries()), income, trips)
  expect_identical(levels(members$data$panel), c("Income (EUR)", "Trips"))
  expect_identical(levels(members$data$series), c("agent", "app", "quay", "web"))
  for (p in list(together, apart, members)) expect_no_warning(ggplot2::ggplot_build(p))
})

test_that("panels hold a member each, in its colour, with its own average", {
  s <- monthly(by = "route")
  p <- figure_trend(s, panels = "route", average = TRUE)
  expect_identical(levels(p$data$panel), sort(unique(s$route)))
  expect_identical(p$data$value, s$income)
  whole <- figure_trend(s)
  expect_identical(p$scales$get_scales("colour")$palette(1)[["Wickholm"]],
                   whole$scales$get_scales("colour")$palette(1)[["Wickholm"]])
  lines <- layers_of(p, "GeomHline")[[1]]$data
  expect_equal(lines$value, as.vector(tapply(s$income[s$complete], s$route[s$complete], mean)))
  expect_identical(lines$label[1],
                   paste("Average",
                         formatC(lines$value[1], format = "f", digits = 2, big.mark = ","), "EUR"))
  expect_refused(figure_trend(monthly(), panels = "route"), "has none", "choice")
  expect_refused(figure_trend(s, panels = "rout"), "must be", "choice")
  many <- statement(demo_ledger(), per = "year", by = "account", income = total(fare))
  expect_refused(figure_trend(many, panels = "account"), "too many for panels", "choice")
})

test_that("the average is of whole periods, and targets are the statement's or a number", {
  s <- monthly()
  p <- figure_trend(s, average = TRUE, target = 120000)
  lines <- lapply(layers_of(p, "GeomHline"), function(layer) layer$data)
  expect_equal(lines[[1]]$value, mean(s$income[s$complete]))
  expect_identical(lines[[2]]$label, "Target 120,000.00 EUR")
  own <- add_target(s, income, data.frame(month = s$period, target = seq_len(nrow(s)) * 1e4))
  strokes <- Filter(function(layer) "x" %in% names(layer$data),
                    layers_of(figure_trend(own), "GeomSegment"))[[1]]$data
  expect_identical(strokes$value, own$income_target)
  expect_length(
    Filter(function(layer) "x" %in% names(layer$data),
           layers_of(figure_trend(own, target = FALSE), "GeomSegment")), 0)
  expect_refused(figure_trend(s, target = TRUE), "no targets", "choice")
  expect_refused(figure_trend(s, target = "high"), "must be one number", "choice")
})

test_that("short windows look like partial periods, and the caption says so", {
  s <- statement(demo_ledger(), per = "month", span = "2023-01/2023-06", income = total(fare)) |>
    add_rolling(income, over = "3 months", short = "keep")
  p <- figure_trend(s, income_rolling_3_months)
  expect_identical(p$data$complete, c(FALSE, FALSE, TRUE, TRUE, TRUE, TRUE))
  expect_match(p$labels$caption, "are short, and drawn as partial")
})

test_that("the title of one figure tells its value to date; words can be replaced", {
  expect_identical(figure_trend(monthly())$labels$title,
                   "Income by month, 73,394.50 EUR from 1 to 17 Sep 2026")
  expect_identical(figure_trend(monthly(partial = "drop"))$labels$title, "Income by month")
  own <- figure_trend(monthly(), title = "Mine", subtitle = "Ours")
  expect_identical(c(own$labels$title, own$labels$subtitle), c("Mine", "Ours"))
  expect_match(ggplot2::get_alt_text(figure_trend(monthly())),
               paste0("^Line chart: .* Latest: 73,394.50 EUR in 2026-09 ",
                      "\\(part of it, 1 to 17 Sep 2026\\)\\. The same days a year ",
                      "back, 1 to 17 Sep 2025: 67,636.35 EUR\\.$"))
})

test_that("what cannot be drawn is refused", {
  expect_refused(figure_trend(statement(demo_ledger(), income = total(fare))),
                 "needs periods", "choice")
  expect_refused(figure_trend(monthly(), incme), "Did you mean `income`", "measure")
  expect_refused(
    figure_trend(monthly(by = "route", trips = entries()), income, trips, panels = "route"),
                 "share a unit", "choice")
  expect_refused(figure_trend(monthly(where = fare > 1e6, by = "route")), "no rows", "choice")
  expect_refused(figure_trend(monthly()[c("from", "to", "income")]),
                 "lost its column `period`", "statement")
  expect_refused(figure_trend(demo_fuel), "must be a statement", "choice")
})
