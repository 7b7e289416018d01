test_that("the figure picked suits what the statement holds", {
  picks <- function(...) rollingledger:::suiting_figure(statement(demo_ledger(), ...))
  expect_identical(picks(per = "month", income = total(fare)), "trend")
  expect_identical(picks(per = "quarter", span = "2026-Q1/2026-Q2", income = total(fare)),
                   "columns")
  expect_identical(picks(by = "route", income = total(fare)), "columns")
  expect_identical(picks(per = "day", span = "2026", income = total(fare)), "days")
  expect_identical(picks(per = "day", span = "2026-02-01/2026-02-14", income = total(fare)),
                   "trend")
  expect_identical(picks(per = "month", fresh = newcomers(account), gone = lapsed(account)),
                   "members")
  s <- statement(demo_ledger(), per = "month", by = "route", span = "2026", income = total(fare))
  expect_identical(rollingledger:::suiting_figure(add_rank(s, income, keep = 2)), "leaders")
  expect_identical(rollingledger:::suiting_figure(add_rank(s, income)), "trend")
  expect_identical(
    rollingledger:::suiting_figure(
      add_change(statement(demo_ledger(), by = "route", income = total(fare), span = "2026"),
                 income, from = "1 year back")), "change")
  p <- ggplot2::autoplot(s, title = "Ours")
  expect_s3_class(p, "ggplot")
  expect_identical(p$labels$title, "Ours")
})

# Each figure on what is hard to draw: many long names, one member, one period, sixty periods,
# negative, zero and missing values.
hard_table <- function() {
  set.seed(5)
  n <- 4000
  data.frame(day = as.Date("2021-09-01") + sample(0:1840, n, TRUE),
             account = sprintf("%03d", sample(300, n, TRUE)),
             route = sample(
               sprintf("Charter no. %02d to the outer skerries and back, on %s", 1:23,
                       "school days only"), n, TRUE),
             fare = replace(round(stats::rnorm(n, 20, 30), 2), sample(n, 50), NA))
}

test_that("every figure draws the hard cases without a warning", {
  x <- ledger(hard_table(), on = "day")
  one <- sort(unique(hard_table()$route))[1]
  cases <- list(
    many = statement(x, per = "quarter", by = "route", income = total(fare)),
    sixty = statement(x, per = "month", income = total(fare)),
    one = statement(x, per = "month", by = "route", where = route == !!one, income = total(fare)),
    single = statement(x, per = "month", span = "2026-02", income = total(fare)),
    single_many = statement(x, per = "month", by = "route", span = "2026-02", income = total(fare)),
    negative = statement(x, per = "month", span = "2026", refunds = total(fare, where = fare < 0)),
    zero = statement(x, per = "month", span = "2026", none = total(fare, where = fare > 1e6)),
    missing = statement(x, per = "week", span = "2026",
                        mean_fare = average(fare, where = fare > 90)),
    whole = statement(x, income = total(fare)),
    members = statement(x, by = "route", income = total(fare)),
    days = statement(x, per = "day", span = "2026", income = total(fare, where = fare > 60)),
    people = statement(x, per = "month", new = newcomers(account), kept = returning(account),
                       lost = lapsed(account))
  )
  drawn <- 0
  kinds <- rollingledger:::figure_kinds()
  for (name in names(cases)) {
    for (kind in names(kinds)) {
      p <- tryCatch(kinds[[kind]](cases[[name]]), rollingledger_error = function(e) NULL)
      if (is.null(p)) next
      drawn <- drawn + 1
      expect_no_warning(ggplot2::ggplot_gtable(ggplot2::ggplot_build(p)))
      expect_true(nzchar(ggplot2::get_alt_text(p)), info = paste(name, kind))
    }
    expect_s3_class(ggplot2::autoplot(cases[[name]]), "ggplot")
  }
  expect_gte(drawn, 40)
})
