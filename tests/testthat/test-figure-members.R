test_that("new on top of kept, lost below zero, counted by hand", {
  table <- data.frame(
    day = as.Date(c("2026-01-05", "2026-01-06", "2026-02-01", "2026-02-02", "2026-03-01")),
    account = c("a", "b", "b", "c", "a"))
  s <- statement(ledger(table, on = "day", as_of = "2026-03-31"), per = "month",
                 new = newcomers(account), kept = returning(account), lost = lapsed(account))
  p <- figure_members(s)
  of <- function(series) p$data[p$data$series == series, ]
  expect_identical(of("New")$value, c(2, 1, 0))
  expect_identical(of("Kept")$value, c(0, 1, 1))
  # What was lost in February is not known: January, before it, is not whole.
  expect_identical(of("Lost")$value, c(NA, NA, 2))
  expect_identical(of("New")$low, of("Kept")$high)
  expect_identical(of("Lost")$low, c(0, 0, -2))
  expect_identical(p$labels$title, "Accounts by month: new, kept and lost")
  expect_match(p$labels$caption, "Lost: seen in the period before, not in this one")
  labels <- p$scales$get_scales("y")$labels(c(-10, 0, 10))
  expect_identical(labels, c("10", "0", "10"))
  expect_no_warning(ggplot2::ggplot_build(p))
})

test_that("two measures are enough, and panels tell members of another attribute", {
  s <- statement(demo_ledger(), per = "quarter", by = "channel", span = "2025",
                 fresh = newcomers(account), again = returning(account))
  p <- figure_members(s, panels = "channel")
  expect_identical(p$data$value[p$data$series == "Again" & p$data$panel == "web"],
                   s$again[s$channel == "web"])
  expect_no_warning(ggplot2::ggplot_build(p))
  expect_refused(figure_members(s), "one column", "choice")
  expect_refused(figure_members(statement(demo_ledger(), per = "year", n = entries())),
                 "at least two", "choice")
  mixed <- statement(demo_ledger(), per = "year", fresh = newcomers(account),
                     again = returning(route))
  expect_refused(figure_members(mixed), "different columns", "choice")
})
