test_that(
  paste0("totals by attribute, by period and both, at several levels, stand after what they are ",
         "the total of"), {
  x <- few_ledger()
  s <- statement(x, per = "month", by = c("channel", "route"), span = "2026-01/2026-02",
                 income = total(fare), trips = entries(), totals = "both")
  expect_identical(s$period, rep(c("2026-01", "2026-02", "(all)"), each = 5))
  expect_identical(s$channel, rep(c("quay", "quay", "web", "web", "(all)"), 3))
  expect_identical(s$route, rep(c("Wickholm", "(all)", "Oysterby", "(all)", "(all)"), 3))
  expect_identical(s$income,
                   c(20.25, 20.25, 10.1, 10.1, 30.35, 0, 0, -4.9, -4.9, -4.9, 20.25, 20.25, 5.2,
                     5.2, 25.45))
  expect_identical(s$trips[15], 4)
  expect_identical(s$from[11:15], rep(as.Date("2026-01-30"), 5))
  expect_identical(unique(statement(x, per = "month", by = "route", totals = "by")$period),
                   c("2026-01", "2026-02", "2026-03", "2026-04"))
  p <- statement(x, per = "month", span = "2026-01/2026-02", income = total(fare),
                 totals = "period")
  expect_identical(p$income, c(30.35, -4.9, 25.45))
})

test_that(
  "totals are those of coarser statements, for every measure, also of many spans and conditions", {
  rows <- 0
  for (seed in seq_len(rounds(10, 25))) {
    table <- random_fares(seed)
    x <- suppressMessages(
      ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
             calendar = some_fiscal_calendar(seed)))
    measures <- every_measure[setdiff(names(every_measure), "reading")]
    ask <- function(by, ...) suppressMessages(
      statement(x, per = c("week", "month", "quarter")[seed %% 3 + 1], by = by, !!!measures,
                on = c("sailed", "booked")[seed %% 2 + 1],
                where = channel == "web", ...))
    s <- ask(c("route", "channel"), totals = "by")
    if (nrow(s) == 0) next
    rows <- rows + nrow(s)
    routes <- ask("route")
    every <- ask(NULL)
    a <- s[s$channel == "(all)" & !s$route %in% "(all)", ]
    b <- s[s$route %in% "(all)", ]
    for (name in names(measures)) {
      expect_identical(a[[name]], routes[[name]], info = paste(seed, name))
      expect_identical(b[[name]], every[[name]][match(b$period, every$period)],
                       info = paste(seed, name))
    }
  }
  expect_gt(rows, 20 * rounds(10, 25))
})

test_that("verbs work on rows of totals", {
  x <- demo_ledger()
  added <- function(s) {
    s |> add_running(income, since = "fiscal year") |> add_rolling(riders, "30 days") |>
      add_change(riders, "1 year back") |> add_share(income) |> add_per_day(income)
  }
  s <- added(statement(x, per = "month", by = "route", span = "latest 14 months",
                       income = total(fare), riders = distinct(account), totals = "both"))
  every <- added(
    statement(x, per = "month", span = "latest 14 months", income = total(fare),
              riders = distinct(account)))
  rows <- s[s$route == "(all)" & s$period != "(all)", ]
  for (name in setdiff(names(every), "complete")) expect_identical(
    rows[[name]], every[[name]], info = name)
  whole <- s[nrow(s), ]
  span <- span("latest 14 months, 1 year back", x)
  held <- demo_fares$sailed_on >= span$from & demo_fares$sailed_on <= span$to
  expect_identical(whole$riders_before, as.double(length(unique(demo_fares$account[held]))))
  expect_identical(whole$income_share, 100)
  expect_identical(control_totals(s)$difference, c(0))
  ranked <- add_rank(s, income)
  expect_true(all(is.na(ranked$income_rank[ranked$route == "(all)"])))
  expect_identical(sort(ranked$income_rank[ranked$period == "(all)"]), as.double(1:6))
})

test_that("members of any kind go beside totals", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:3,
                      level = factor(c("low", "high", NA, "low"), levels = c("low", "high")),
                      open = c(TRUE, FALSE, TRUE, NA),
                      size = c(10, 2, 2, NA),
                      due = as.Date(c("2026-02-01", NA, "2026-02-01", "2026-03-01")))
  x <- ledger(table, on = "day")
  for (name in c("level", "open", "size", "due")) {
    plain <- statement(x, by = name, n = entries())
    s <- statement(x, by = name, n = entries(), totals = "by") |> add_share(n) |> add_running(n)
    expect_identical(s$n, c(plain$n, 4), info = name)
    expect_identical(as.character(s[[name]]), c(as.character(plain[[name]]), "(all)"), info = name)
    expect_identical(s$n_running, s$n)
    for (i in seq_len(nrow(s))) expect_identical(
      nrow(entries_behind(s, row = i)), as.integer(s$n[i]), info = name)
  }
  expect_identical(levels(statement(x, by = "level", n = entries(), totals = "by")$level),
                   c("low", "high", "(all)"))
})

test_that("totals that make no sense are refused", {
  x <- few_ledger()
  expect_refused(statement(x, per = "month", totals = "by"), "needs attributes", "choice")
  expect_refused(statement(x, by = "route", totals = "period"), "needs periods", "choice")
  expect_refused(statement(x, by = "route", totals = "all"), "must be one of", "choice")
  expect_refused(
    statement(x, by = "route", span = "month to date", anchor = "group", totals = "by"),
                 "have no totals", "choice")
  named <- ledger(data.frame(day = as.Date("2026-01-01"), route = "(all)"), on = "day")
  expect_refused(statement(named, by = "route", totals = "by"), "has a member called", "choice")
})
