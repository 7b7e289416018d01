test_that("a bridge stands on its lines, and joins them", {
  x <- demo_ledger()
  w <- why_changed(x, "2026-02", "2026-01", income = total(fare), by = c("route", "fare_class"),
                   volume = "passengers")
  for (arrange in c("lying", "standing")) {
    p <- figure_bridge(w, arrange = arrange)
    points <- p$data
    expect_identical(points$line, w$line)
    expect_equal(points$value, w$amount)
    steps <- points$kind != "end"
    expect_equal((points$high - points$low)[steps], w$amount[steps])
    # Each begins where the one before ended; the last one ends where now stands.
    expect_equal(points$low[steps][-1], points$high[steps][-sum(steps)])
    expect_equal(points$low[steps][1], w$amount[1])
    expect_equal(points$high[max(which(steps))], w$amount[nrow(w)])
    expect_identical(points$kind[points$part == "days"], "fall")
    expect_match(points$label[points$part == "days"], "-7,425.56 (-9.6 %)", fixed = TRUE)
    expect_true(all(grepl("^[+]", points$label[points$kind == "rise"])))
    expect_match(ggplot2::get_alt_text(p), "number of days -7,425.56")
    expect_no_error(ggplot2::ggplot_build(p))
  }
  expect_match(figure_bridge(w)$labels$caption, "The axis begins at 64,000")
  # From zero where the steps are large.
  few <- why_changed(x, "2026-07", "2026-02", income = total(fare), by = "route")
  expect_true(all(figure_bridge(few)$data$low[c(1, nrow(few))] == 0))
  expect_identical(answer(question(figure_bridge(w)), x)$data, figure_bridge(w)$data)
  brief <- withr::local_tempfile(fileext = ".yml")
  y <- suppressMessages(ledger(demo_csv(), on = c(sailed = "sailed_on"), amounts = "fare"))
  p <- figure_bridge(why_changed(y, "2026-02", "2026-01", income = total(fare)))
  save_brief(p, brief)
  expect_match(paste(readLines(brief), collapse = "\n"), "figure_bridge:\n    of: income")
  run <- suppressMessages(run_brief(brief, from = dirname(demo_csv())))
  expect_identical(run$shown[[1]]$data, p$data)
  expect_match(paste(brief_as_code(brief), collapse = "\n"), "figure_bridge\\(")
  expect_identical(ggplot2::autoplot(w)$data, figure_bridge(w)$data)
})

test_that("what is no explanation has no bridge", {
  x <- demo_ledger()
  expect_refused(figure_bridge(statement(x, income = total(fare))), "why_changed", "choice")
  many <- why_changed(x, "2026-07", "2025-07", income = total(fare), by = "account", keep = 20)
  expect_refused(figure_bridge(many), "3 to 15 bars", "choice")
})

test_that("a bridge of any change can be drawn", {
  for (i in seq_len(rounds(8, 40))) {
    made <- random_change(i)
    w <- tryCatch(suppressMessages(why_changed(
      ledger(made$table, on = "sailed_on"), span_phrase(made$now), span_phrase(made$before),
      income = total(fare), by = "route")), rollingledger_error_span = function(e) NULL)
    if (is.null(w)) next
    for (arrange in c("lying", "standing")) {
      p <- figure_bridge(w, arrange = arrange)
      expect_no_error(ggplot2::ggplotGrob(p))
      expect_true(all(is.finite(p$data$low)), info = paste("seed", i))
    }
  }
})
