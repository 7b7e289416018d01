test_that("entries behind any cell sum to it", {
  cells <- 0
  for (seed in seq_len(rounds(6, 18))) {
    table <- random_fares(seed)
    x <- suppressMessages(
      ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
             calendar = some_fiscal_calendar(seed)))
    s <- statement(x, per = c("week", "month")[seed %% 2 + 1], by = c("route", "channel"),
                   on = c("sailed", "booked")[seed %% 3 %/% 2 + 1], where = account != "003",
                   income = total(fare), riders = distinct(account), new = newcomers(account),
                   old = returning(account), lost = lapsed(account), open = active(),
                   yield = total(fare, where = fare > 0) / entries(), totals = "both")
    if (nrow(s) == 0) next
    s <- s |> add_running(income, since = "year") |>
      add_rolling(income, "20 days", short = "keep") |> add_change(income) |>
        add_rank(income, within = "route", keep = 1, rest = "Rest")
    for (i in sample(nrow(s), min(6, nrow(s)))) {
      cells <- cells + 1
      behind <- function(figure) entries_behind(s, row = i, figure = !!figure)
      for (figure in c("income", "income_running", "income_rolling_20_days", "income_before")) {
        e <- behind(figure)
        if (!is.na(s[[figure]][i]))
          expect_equal(sum(e$fare), s[[figure]][i], tolerance = 1e-9, info = paste(seed, i, figure))
        expect_identical(e$fare, table$fare[e$row])
        expect_false(is.unsorted(e[[c("sailed_on", "booked_on")[seed %% 3 %/% 2 + 1]]]))
      }
      for (figure in c("riders", "new", "old", "lost")) {
        if (!is.na(s[[figure]][i]))
          expect_identical(as.double(length(unique(behind(figure)$account))), s[[figure]][i],
                           info = paste(seed, i, figure))
      }
      expect_identical(as.double(nrow(behind("open"))), s$open[i])
    }
  }
  expect_gt(cells, rounds(12, 40))
})

test_that("a row is told by its values, and the entries say their days and conditions", {
  x <- few_ledger()
  s <- statement(x, per = "month", by = "route", where = channel == "web", income = total(fare),
                 mean_fare = average(fare)) |> add_change(income) |> add_target(income, 5)
  e <- entries_behind(s, period = "2026-02", route = "Oysterby")
  expect_identical(e$row, 3:4)
  expect_identical(e$fare, c(-5, 0.1))
  expect_identical(names(e), c("row", "sailed_on", "fare",
                               setdiff(names(few_fares()), c("sailed_on", "fare"))))
  expect_identical(attr(e, "days"), as.Date(c("2026-02-01", "2026-02-28")))
  expect_identical(attr(e, "value"), -4.9)
  shown <- format(e, width = 100)
  expect_match(shown[1], "2 entries behind income of 2026-02, Oysterby: sailed 1 to 28 Feb 2026")
  expect_match(shown, "Where channel == \"web\"", all = FALSE)
  expect_match(shown, "The figure is -4.90", all = FALSE)
  missing <- entries_behind(statement(x, by = "route"), route = NA)
  expect_identical(missing$fare, 0.2)
  # one row needs no telling
  expect_identical(nrow(entries_behind(statement(x), figure = entries)), 8L)
  expect_refused(entries_behind(s, route = "Oysterby"), "Say also which period", "choice")
  expect_refused(entries_behind(s, period = "2027-01"),
                 "There is no row with period 2027-01", "choice")
  expect_refused(entries_behind(s, month = "2026-02"),
                 "Rows are identified by period and route", "choice")
  expect_refused(entries_behind(s, row = 99), "from 1 to", "choice")
  expect_refused(entries_behind(s, row = 1, figure = income_change),
                 "Ask for figure = income or figure = income_before", "measure")
  expect_refused(entries_behind(s, row = 1, figure = income_target),
                 "comes from a target", "measure")
  expect_refused(entries_behind(s, row = 1, figure = incom), "Did you mean `income`", "measure")
})

test_that("the latest readings behind a balance", {
  x <- ledger(demo_fuel, on = "read_on")
  s <- statement(x, per = "month", litres = balance(litres, each = vessel), last = balance(litres))
  e <- entries_behind(s, period = "2025-08", figure = litres)
  expect_identical(sort(e$vessel), c("Curlew", "Sandpiper"))
  expect_equal(sum(e$litres), s$litres[s$period == "2025-08"])
  expect_identical(entries_behind(s, period = "2025-08", figure = last)$litres,
                   s$last[s$period == "2025-08"])
})

test_that(
  "rows answer to what was asked, to the label and to the days; what lapsed is told by its days", {
  x <- demo_ledger()
  s <- statement(x, spans = c("fiscal year to date", now = "month to date"), income = total(fare))
  rows <- function(...) nrow(entries_behind(s, ...))
  expect_identical(rows(period = "FYTD"), rows(row = 1))
  expect_identical(rows(period = "1 Apr to 17 Sep 2026"), rows(row = 1))
  expect_identical(rows(period = "MTD"), rows(period = "now"))
  m <- statement(x, per = "month", span = "2026", lost = lapsed(account))
  expect_identical(nrow(entries_behind(m, period = "August 2026")),
                   nrow(entries_behind(m, period = "2026-08")))
  expect_match(format(entries_behind(m, period = "2026-08"), width = 200)[1],
               "sailed 1 to 31 Jul 2026, not seen in 1 to 31 Aug 2026", fixed = TRUE)
  expect_refused(entries_behind(m, period = "2020"), "There is no row", "choice")
})

test_that("a statement of rows that are not its own is refused", {
  x <- demo_ledger()
  ask <- function(...) statement(x, per = "month", by = "route", income = total(fare), ...)
  a <- ask(span = "2025")
  b <- ask(span = "2025", where = channel == "web")
  refused <- function(s, message) {
    expect_error(add_running(s, income), message, class = "rollingledger_error_statement")
    expect_error(figure_trend(s), message, class = "rollingledger_error_statement")
    expect_match(format(s)[1], "Not one statement any more")
  }
  refused(rbind(a, ask(span = "2026")), "Row 73 is not a row of the statement")
  refused(rbind(a[1:10, ], b[11:20, ]), "holds other figures")
  refused(rbind(a, a[1, ]), "Row 73 stands in the statement twice")
  changed <- a
  changed$income <- changed$income / 1000
  refused(changed, "holds other figures")
  joined <- rbind(a[40:60, ], a[3:1, ])
  expect_identical(add_running(joined, income)$income_running,
                   add_running(a, income)$income_running[c(40:60, 3:1)])
})

test_that("a measure that lands in an argument is told so", {
  x <- few_ledger()
  for (call in list(quote(statement(x, per = "month", on = total(fare))),
                    quote(statement(x = total(fare), x)),
                    quote(statement(x, span = total(fare) / entries())),
                    quote(compare_spans(x, "2026-01", "2026-02", on = total(fare))),
                    quote(compare_members(x, "route", "2026-01", "2026-02",
                                          as_of = total(fare))))) {
    expect_refused(eval(call), "stands in the place of", "measure")
  }
})
