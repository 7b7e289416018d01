test_that("spans side by side hold the figures of the statement, with their days in the headings", {
  x <- demo_ledger()
  spans <- c("month to date", before = "month to date, 1 year back")
  s <- statement(x, by = "route", spans = spans, income = total(fare), trips = entries())
  t <- cross_table(s, "span")
  expect_s3_class(t, "cross_table")
  expect_identical(names(t),
                   c("route", "month to date: income", "month to date: trips", "before: income",
                     "before: trips"))
  for (label in c("month to date", "before")) {
    expect_identical(t[[paste0(label, ": income")]], s$income[s$period == label])
    expect_identical(t$route, s$route[s$period == label])
  }
  printed <- format(t)
  expect_match(printed, "1 to 17 Sep 2026 +1 to 17 Sep 2025", all = FALSE)
  expect_match(printed, "month to date +before", all = FALSE)
  one <- cross_table(s, "span", trips)
  expect_identical(names(one), c("route", "month to date", "before"))
  expect_identical(as.data.frame(one),
                   data.frame(route = t$route, "month to date" = t[[3]], before = t[[5]],
                              check.names = FALSE))
})

test_that("every shape ties to its statement: periods, attributes, several attributes, gaps", {
  x <- demo_ledger()
  s <- statement(x, per = "quarter", by = c("route", "channel"), span = "2025/..",
                 income = total(fare), trips = entries())
  for (across in c("period", "route", "channel")) {
    t <- cross_table(s, across, income)
    down <- setdiff(c("period", "route", "channel"), across)
    for (i in sample(nrow(s), 40)) {
      row <- t[[down[1]]] == s[[down[1]]][i] & t[[down[2]]] == s[[down[2]]][i]
      expect_identical(t[[s[[across]][i]]][row], s$income[i])
    }
    expect_equal(sum(as.matrix(as.data.frame(t)[sort(unique(s[[across]]))])), sum(s$income),
                 tolerance = 1e-12)
  }
  # A row that was taken out leaves a cell without a value.
  cut <- cross_table(s[-1, ], "period", income)
  expect_identical(is.na(cut[["2025-Q1"]]), seq_len(24) == 24)
  expect_match(format(cross_table(s, "channel", income)), "2026-Q3\\*", all = FALSE)
  expect_match(format(cross_table(s, "channel", income)),
               "^\\* 2026-Q3 covers 1 Jul to 17 Sep 2026", all = FALSE)
  running <- add_running(s, income, since = "year")
  expect_identical(names(cross_table(running, "period", income_running))[3:4],
                   c("2025-Q1", "2025-Q2"))
})

test_that("a wide table is folded into blocks and hides nothing", {
  x <- demo_ledger()
  s <- statement(x, by = "route",
                 spans = c("MTD", "QTD", "YTD", "FQTD", "FYTD", "MTD, 1 year back"),
                 income = total(fare), trips = entries())
  printed <- format(cross_table(s), width = 80)
  expect_true(all(nchar(printed[-1]) <= 80))
  expect_identical(sum(grepl("^route ", printed)), 3L)
  for (value in rollingledger:::number_text(s$income, 2)) expect_true(
    any(grepl(value, printed, fixed = TRUE)))
  expect_snapshot(
    print(cross_table(
      statement(x, spans = c("MTD", "MTD, 1 year back", "FYTD"), income = total(fare),
                trips = entries()))))
  expect_snapshot(
    print(cross_table(
      statement(x, per = "quarter", by = "channel", span = "2026", income = total(fare)),
      "period")))
})

test_that("missing and empty members have names of their own across", {
  s <- statement(few_ledger(), per = "month", by = "route", trips = entries())
  t <- cross_table(s, "route")
  expect_identical(names(t)[5:8], c("(empty)", "Oysterby", "Wickholm", "(missing)"))
  expect_identical(sum(t[["(missing)"]]), 1)
})

test_that("members that are called like columns, or like each other, stay apart", {
  table <- data.frame(day = as.Date("2026-01-01"), route = c("a", "a", "a"),
                      kind = c("route", "(missing)", NA))
  t <- cross_table(statement(ledger(table, on = "day"), by = c("route", "kind"), trips = entries()),
                   "kind")
  expect_identical(ncol(t), 4L)
  expect_false(anyDuplicated(names(t)) > 0)
  expect_identical(t$route, "a")
})

test_that("what cannot stand across is refused", {
  s <- statement(few_ledger(), per = "month", by = "route", trips = entries())
  expect_refused(cross_table(s, "span"),
                 "`across` must be one of \"period\" and \"route\"", "choice")
  expect_error(cross_table(s, "channel"), class = "rollingledger_error_choice")
  expect_refused(cross_table(s, "period", tripz), "Did you mean `trips`", "measure")
  expect_refused(cross_table(few_fares()), "must be a statement", "choice")
})

test_that("a cross table is written with its headings in one line", {
  s <- statement(demo_ledger(), by = "route", spans = c("MTD", before = "MTD, 1 year back"),
                 income = total(fare))
  file <- withr::local_tempfile(fileext = ".csv")
  write_statement(cross_table(s), file)
  back <- utils::read.csv(file, check.names = FALSE)
  expect_identical(names(back),
                   c("route", "month to date: income (EUR)", "before: income (EUR)",
                     "month to date from", "month to date to", "before from", "before to"))
  expect_equal(back[[2]], s$income[1:6])
  expect_identical(unlist(unique(back[4:7]), use.names = FALSE),
                   c("2026-09-01", "2026-09-17", "2025-09-01", "2025-09-17"))
  # The headings of a comparison are the same whatever its days.
  heads <- lapply(c("2026-08", "2026-07"), function(span) {
    compared <- compare_spans(demo_ledger(), span, "2025-07", by = "route", income = total(fare))
    write_statement(compared, file, overwrite = TRUE)
    names(utils::read.csv(file, check.names = FALSE))
  })
  expect_identical(heads[[1]], heads[[2]])
  expect_identical(heads[[1]], c("route", "now: income (EUR)", "before: income (EUR)",
                                 "income difference", "income pct", "now from", "now to",
                                 "before from", "before to"))
})

test_that("figures down the page keep their decimals and units, with attributes and totals beside",
          {
  x <- ledger(few_fares(), on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
  s <- statement(x, per = "month", by = "channel", income = total(fare), trips = entries(),
                 totals = "both")
  lines <- cross_table(s, across = "period", down = "figures")
  expect_identical(names(lines),
                   c("channel", "line", "2026-01", "2026-02", "2026-03", "2026-04", "(all)"))
  expect_identical(lines$line, rep(c("income", "trips"), 3))
  expect_identical(lines$channel, rep(c("quay", "web", "(all)"), each = 2))
  for (i in seq_len(nrow(s))) {
    for (figure in c("income", "trips")) expect_identical(
      lines[[s$period[i]]][lines$channel == s$channel[i] & lines$line == figure], s[[figure]][i])
  }
  shown <- format(lines, width = 120)
  expect_match(shown, "^quay +income \\(EUR\\) +20.25", all = FALSE)
  expect_match(shown, "^quay +trips +1 ", all = FALSE)
  across <- cross_table(s, across = "channel")
  expect_identical(names(across)[ncol(across)], "(all): trips")
})

test_that("lines of a statement without rows are none, and are printed", {
  x <- few_ledger()
  for (per in list(NULL, "month")) {
    s <- statement(x, per = per, by = "route", where = fare > 1e6, income = total(fare))
    expect_identical(nrow(s), 0L)
    lines <- cross_table(s, if (is.null(per)) "span" else "period", down = "figures")
    expect_match(format(lines), "By ", all = FALSE)
    file <- withr::local_tempfile(fileext = ".html")
    write_report(lines, file = file)
    expect_true(file.exists(file))
  }
})

test_that("a member called as totals are stands across in its place", {
  table <- data.frame(sailed_on = as.Date("2026-01-01") + 0:2, route = c("b", "(all)", "#"),
                      fare = 1:3)
  s <- statement(ledger(table, on = c(sailed = "sailed_on")), per = "month", by = "route",
                 totals = "period", income = total(fare))
  expect_identical(utils::tail(names(cross_table(s, "route")), 3), c("#", "(all)", "b"))
})
