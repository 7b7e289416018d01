fares_by <- function(by, ...) statement(demo_ledger(), per = "month", by = by, span = "2025-10/..",
                                        income = total(fare), ...)
layer_kind <- function(p, kind) Filter(function(layer) inherits(layer$geom, kind), p$layers)
expect_draws <- function(p) expect_no_warning(ggplot2::ggplot_build(p))

test_that("stacked columns reach the total of all, to the cent", {
  p <- figure_columns(fares_by("channel"), arrange = "stacked")
  tops <- tapply(p$data$high, p$data$period, max)
  whole <- fares_by(NULL)
  expect_equal(as.vector(tops[whole$period]), whole$income, tolerance = 1e-12)
  expect_identical(p$data$value, fares_by("channel")$income)
  expect_equal(p$data$high - p$data$low, p$data$value)
  expect_draws(p)
})

test_that("negative parts are stacked below zero", {
  s <- statement(demo_ledger(), per = "quarter", by = "route", span = "2025",
                 refunds = total(fare, where = fare < 0))
  p <- figure_columns(s, arrange = "stacked")
  expect_true(all(p$data$high <= 0))
  expect_equal(as.vector(tapply(p$data$high, p$data$period, min)),
               as.vector(tapply(s$refunds, s$period, sum)))
})

test_that("what does not add up is not stacked", {
  s <- fares_by("route", riders = distinct(account), yield = income / entries())
  expect_refused(figure_columns(s, riders, arrange = "stacked"), "do not add up", "choice")
  expect_refused(figure_columns(s, yield, arrange = "stacked"), "side by side", "choice")
  expect_draws(figure_columns(s, riders))
  # The best day of each route is no part of the best day of all; averages over days are.
  best <- add_rolling(s, income, over = "7 days", stat = "largest") |>
    add_rolling(income, over = "7 days", stat = "average")
  expect_refused(figure_columns(best, income_rolling_7_days_largest, arrange = "stacked"),
                 "do not add up", "choice")
  expect_draws(figure_columns(best, income_rolling_7_days_average, arrange = "stacked"))
})

test_that("the partial period alone is pale with a dashed edge, and the caption names it", {
  p <- figure_columns(fares_by(NULL))
  boxes <- layer_kind(p, "GeomRect")
  pale <- Filter(function(layer) identical(layer$aes_params$alpha, 0.35), boxes)[[1]]
  expect_identical(pale$data$period, "2026-09")
  expect_null(p$labels$caption)
  expect_identical(key_of(p), c("Part of a period: 2026-09 covers 1 to 17 Sep 2026",
                                "The same days a year back, 1 to 17 Sep 2025"))
  mark <- layer_kind(p, "GeomPoint")[[1]]$data
  expect_equal(mark$value,
               sum(demo_fares$fare[demo_fares$sailed_on >= as.Date("2025-09-01") &
                                   demo_fares$sailed_on <= as.Date("2025-09-17")]))
  expect_identical(p$labels$title, "Income by month, 73,394.50 EUR from 1 to 17 Sep 2026")
})

test_that("columns stand in order of time and carry their values, apart from each other", {
  s <- fares_by("channel", where = channel %in% c("web", "quay"))
  p <- figure_columns(s[rev(seq_len(nrow(s))), ])
  expect_identical(unname(tapply(round(p$data$place), p$data$period, mean))[1:12], as.numeric(1:12),
                   ignore_attr = TRUE)
  one <- figure_columns(statement(demo_ledger(), per = "quarter", span = "2025", trips = entries()))
  text <- layer_kind(one, "GeomText")[[1]]$data$text
  expect_identical(text, formatC(one$data$value, format = "d", big.mark = ","))
})

test_that("members lie below each other, the largest first, spans beside each other", {
  s <- statement(demo_ledger(), by = "route",
                 spans = c(now = "month to date", before = "month to date, 1 year back"),
                 income = total(fare))
  p <- figure_columns(s)
  now <- s[s$period == "now", ]
  axis <- p$scales$get_scales("y")
  expect_identical(unname(axis$labels)[order(-axis$breaks)], now$route[order(-now$income)])
  expect_identical(levels(p$data$series), c("now", "before"))
  expect_identical(p$labels$caption, "now: 1 to 17 Sep 2026; before: 1 to 17 Sep 2025.")
  single <- figure_columns(
    statement(demo_ledger(), by = "route", span = "2025", income = total(fare)), average = TRUE)
  expect_equal(layer_kind(single, "GeomVline")[[1]]$data$value, mean(single$data$value))
  expect_draws(p)
  expect_draws(single)
})

test_that("many periods have labels that begin quarters or years", {
  p <- figure_columns(statement(demo_ledger(), per = "month", income = total(fare)))
  labels <- p$scales$get_scales("x")$labels
  expect_lt(length(labels), 20)
  expect_true(all(grepl("-(01|04|07|10)$", labels)))
})

test_that("targets are strokes at the statement's own, and values leave them room", {
  s <- fares_by(NULL) |>
    add_target(income, data.frame(month = unique(fares_by(NULL)$period), target = 1e5 + 1:12))
  p <- figure_columns(s)
  strokes <- layer_kind(p, "GeomSegment")[[2]]$data
  expect_identical(strokes$value, s$income_target)
  expect_identical(layer_kind(p, "GeomText")[[1]]$mapping$y, 0)
  expect_draws(p)
})

test_that("a pile is held against the targets of its parts, and cut rankings say so", {
  s <- fares_by("channel")
  targets <- data.frame(month = s$period, channel = s$channel, target = seq_len(nrow(s)) * 1000)
  p <- figure_columns(add_target(s, income, targets), arrange = "stacked")
  strokes <- layer_kind(p, "GeomSegment")[[2]]$data
  expect_equal(as.vector(tapply(strokes$value, strokes$period, unique)),
               as.vector(tapply(targets$target, targets$month, sum)))
  cut <- figure_columns(add_rank(s, income, keep = 2), arrange = "stacked")
  expect_match(cut$labels$caption, "Only the first 2 by income of each month are drawn.",
               fixed = TRUE)
  expect_null(figure_columns(add_rank(s, income, keep = 2, rest = "Others"),
                             arrange = "stacked")$labels$caption)
})

test_that("too many members side by side, or nothing at all, is refused", {
  many <- statement(demo_ledger(), per = "year", by = c("route", "channel"), income = total(fare))
  expect_refused(figure_columns(many), "24 members side by side", "choice")
  expect_draws(figure_columns(many, arrange = "stacked"))
  expect_draws(figure_columns(many, panels = "route"))
  expect_refused(figure_columns(fares_by("route", where = fare > 1e6)), "no rows", "choice")
  expect_refused(figure_columns(fares_by(NULL), arrange = "pile"), "must be", "choice")
})

test_that("totals of a statement are no columns", {
  with <- figure_columns(fares_by("channel", totals = "both"), arrange = "stacked")
  without <- figure_columns(fares_by("channel"), arrange = "stacked")
  expect_identical(with$data$value, without$data$value)
})

test_that("a member of many has one colour wherever it appears, and the largest always their own", {
  colours <- function(accounts) {
    s <- statement(demo_ledger(), per = "year", by = "account", where = account %in% !!accounts,
                   income = total(fare))
    figure_columns(s)$scales$get_scales("fill")$palette(1)
  }
  counts <- sort(table(demo_fares$account), decreasing = TRUE)
  # Of ties the first place is not sure, so only clear leaders are asked for.
  top <- names(counts)[1:3]
  a <- colours(c(top, names(counts)[100]))
  b <- colours(c(top[2:3], names(counts)[50:52]))
  expect_identical(a[top[2:3]], b[top[2:3]])
  expect_identical(anyDuplicated(unname(b)), 0L)
})

test_that("members with an order of their own, such as weekdays, keep it down the side", {
  s <- statement(demo_ledger(), by = "weekday", span = "2025", income = total(fare)) |>
    add_change(income, from = "1 year back")
  weekdays <- as.character(s$weekday)
  places <- unique(figure_columns(s)$data[c("place_label", "place")])
  expect_identical(places$place_label[order(-places$place)], weekdays)
  places <- unique(figure_change(s)$data[c("label_of", "place")])
  expect_identical(places$label_of[order(-places$place)], weekdays)
})
