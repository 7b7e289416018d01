test_that("now, before and the change are those of add_change()", {
  s <- statement(demo_ledger(), per = "month", span = "2026", income = total(fare))
  changed <- add_change(s, income, from = "1 year back")
  for (p in list(figure_change(s, from = "1 year back"), figure_change(changed))) {
    expect_identical(p$data$value[p$data$kind == "now"], changed$income)
    expect_identical(p$data$value[p$data$kind == "before"], changed$income_before)
    expect_identical(p$data$value[p$data$kind %in% c("up", "down")], changed$income_change)
    expect_identical(p$labels$title, "Income by month, against 1 year back")
    expect_match(p$labels$caption, "2026-09 with 1 to 17 Sep 2025")
    expect_no_warning(ggplot2::ggplot_build(p))
  }
  pct <- figure_change(changed, in_per_cent = TRUE)
  expect_identical(pct$data$value[pct$data$kind %in% c("up", "down")], changed$income_change_pct)
})

test_that("up and down have signs", {
  s <- statement(demo_ledger(), by = "route", span = "month to date", income = total(fare)) |>
    add_change(income, from = "1 year back")
  p <- figure_change(s)
  told <- p$data[p$data$kind %in% c("up", "down"), ]
  expect_identical(startsWith(told$label, "+"), s$income_change > 0)
  expect_identical(startsWith(told$label, "-"), s$income_change < 0)
  expect_identical(as.numeric(gsub("[+,]", "", told$label)), s$income_change)
  # The largest change stands at the top.
  expect_identical(told$label_of[order(-told$place)], s$route[order(-s$income_change)])
  expect_identical(p$labels$title, "Income by route, 1 to 17 Sep 2026 against 1 to 17 Sep 2025")
})

test_that("no base gives no change, and the caption says why", {
  s <- statement(demo_ledger(), per = "month", span = "2023-01/2023-03", income = total(fare))
  p <- figure_change(s, from = "1 year back")
  expect_true(all(is.na(p$data$value[p$data$kind == "before"])))
  expect_match(p$labels$caption, "reach back before the ledger's first day")
  expect_no_warning(ggplot2::ggplot_build(p))
})

test_that("what cannot be told apart is refused", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare))
  expect_refused(figure_change(s), "several members", "choice")
  many <- statement(demo_ledger(), by = "account", span = "2026", income = total(fare))
  expect_refused(figure_change(many, from = "1 year back"), "cannot be read", "choice")
  expect_error(figure_change(many, incom, from = "1 year back"),
               class = "rollingledger_error_measure")
})
