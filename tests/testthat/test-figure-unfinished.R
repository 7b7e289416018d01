monthly_routes <- function(...) statement(demo_ledger(), per = "month", by = "route", span = "2026",
                                          income = total(fare), ...)
marks_of <- function(p) {
  points <- Filter(function(layer) inherits(layer$geom, "GeomPoint") &&
                   identical(layer$aes_params$shape, 18), p$layers)
  if (length(points) == 0) return(NULL)
  points[[1]]$data
}
same_days <- demo_fares[demo_fares$sailed_on >= as.Date("2025-09-01") &
                        demo_fares$sailed_on <= as.Date("2025-09-17"), ]

test_that(
  "an unfinished period stands beside the same days of a year back, in every figure of periods", {
  by_route <- tapply(same_days$fare, same_days$route, sum)
  for (p in list(figure_trend(monthly_routes()), figure_trend(monthly_routes(), panels = "route"),
                 figure_columns(monthly_routes()),
                 figure_columns(monthly_routes(), panels = "route"),
                 figure_years(monthly_routes(), panels = "route"))) {
    marks <- marks_of(p)
    member <- if (any(marks$series %in% names(by_route))) marks$series else marks$panel
    told <- match(names(by_route), member)
    # One panel of lines has those of the three that lead.
    expect_identical(sum(is.na(told)), if (inherits(p$facet, "FacetNull") && !is.null(p$data$at))
      3L else 0L)
    expect_equal(marks$value[told], ifelse(is.na(told), NA, as.vector(by_route)))
    expect_match(key_of(p)[2], "The same days a year back, 1 to 17 Sep 2025", fixed = TRUE)
    expect_match(ggplot2::get_alt_text(p), "1 to 17 Sep 2025|Latest")
    expect_no_error(ggplot2::ggplot_build(p))
  }
  for (p in list(figure_columns(monthly_routes(), arrange = "stacked"),
                 figure_leaders(monthly_routes()),
                 figure_leaders(monthly_routes() |> add_rank(income, keep = 2)))) {
    expect_equal(marks_of(p)$value, sum(same_days$fare))
    expect_no_error(ggplot2::ggplot_build(p))
  }
})

test_that("no line reaches an unfinished period; where all is whole nothing is marked", {
  for (p in list(figure_trend(monthly_routes()),
                 figure_years(monthly_routes(), panels = "route"))) {
    lines <- Filter(function(layer) inherits(layer$geom, "GeomSegment") &&
                    layer$aes_params$linetype %in% c("solid", "22"), p$layers)
    ends <- unlist(lapply(lines, function(layer) layer$data$next_value))
    expect_false(any(ends %in% p$data$value[!p$data$over]))
    expect_true(any(ends %in% p$data$value[p$data$over]))
  }
  for (whole in list(monthly_routes(partial = "drop"), monthly_routes(as_of = "2026-08-31"))) {
    expect_null(marks_of(figure_trend(whole)))
    expect_null(marks_of(figure_columns(whole)))
    expect_null(marks_of(figure_leaders(whole)))
  }
})

test_that("levels are told by the day they are true of", {
  s <- statement(ledger(demo_passes, on = c(begins = "from_on"), until = "until_on"), per = "month",
                 span = "latest 3 months", open = active())
  expect_match(ggplot2::get_alt_text(figure_trend(s)), "Latest: [0-9,]+ on [0-9]+ [A-Z][a-z]+ 2026")
})

test_that("where a period should end is drawn apart from what is there", {
  x <- demo_ledger()
  s <- statement(x, per = "month", span = "latest 4 months", income = total(fare)) |>
    add_expected(income)
  bare <- statement(x, per = "month", span = "latest 4 months", income = total(fare))
  for (draw in list(figure_columns, figure_trend)) {
    p <- draw(s, income)
    expect_identical(p$data$value, draw(bare, income)$data$value)
    expect_match(ggplot2::get_alt_text(p),
                 "Expected at the end of it: 133,157.65 EUR (126,095.46 to 140,219.85)",
                 fixed = TRUE)
    expect_no_match(ggplot2::get_alt_text(draw(bare, income)), "Expected")
    layers <- lapply(p$layers, function(layer) layer$data)
    marked <- Filter(function(data) is.data.frame(data) && "expected" %in% names(data), layers)
    expect_equal(unique(unlist(lapply(marked, function(data) data$expected))), 133157.65)
    expect_no_error(ggplot2::ggplotGrob(p))
  }
  # What is over, or has no such column, has no outline; a pile has none either.
  over <- statement(x, per = "month", span = "last 3 months", income = total(fare)) |>
    add_expected(income)
  expect_no_match(ggplot2::get_alt_text(figure_columns(over, income)), "Expected")
  by <- statement(x, per = "month", by = "route", span = "latest 3 months",
                  income = total(fare)) |> add_expected(income)
  expect_no_error(ggplot2::ggplotGrob(figure_columns(by, income, arrange = "stacked")))
  expect_match(ggplot2::get_alt_text(figure_trend(by, income)), "Tern Head 44,443.98 EUR")
  tiles <- report_tiles(s, income)
  expect_identical(tiles$expected, "expected 133,157.65 EUR (126,095.46 to 140,219.85)")
  expect_output(print(tiles), "expected 133,157.65")
  expect_match(as.character(own("page_tiles")(tiles)), "Expected 133,157.65", fixed = TRUE)
  expect_identical(report_tiles(bare, income)$expected, "")
})
