test_that("ranks within each period, with ties of every kind, as base R has them", {
  for (seed in 1:30) {
    table <- random_fares(seed)
    table$fare <- round(table$fare / 20)
    x <- suppressMessages(ledger(table, on = "sailed_on"))
    s <- statement(x, per = "month", by = c("route", "channel"), income = total(fare),
                   mean_fare = average(fare))
    ranked <- s |> add_rank(income, missing = "ranked") |>
      add_rank(income, ties = "dense", name = "dense", missing = "ranked") |>
      add_rank(income, ties = "order", name = "placed", missing = "ranked") |>
      add_rank(mean_fare, first = "smallest", name = "least", missing = "ranked") |>
        add_rank(income, within = "route", name = "in_route", missing = "ranked") |>
        add_rank(income, name = "lost_last")
    base <- function(values, group, ...) stats::ave(
      values, group, FUN = function(v) rank(v, na.last = "keep", ...))
    expect_identical(ranked$income_rank, base(-s$income, s$period, ties.method = "min"),
                     info = seed)
    expect_identical(ranked$placed, base(-s$income, s$period, ties.method = "first"), info = seed)
    expect_identical(ranked$dense,
                     stats::ave(-s$income, s$period, FUN = function(v) match(v, sort(unique(v)))),
                     info = seed)
    expect_identical(ranked$least, base(s$mean_fare, s$period, ties.method = "min"), info = seed)
    expect_identical(ranked$in_route,
                     base(-s$income, paste(s$period, s$route), ties.method = "min"), info = seed)
    # A member that is missing comes after all others.
    lost <- is.na(s$route) | is.na(s$channel)
    expect_identical(ranked$lost_last, base(-s$income + 1e9 * lost, s$period, ties.method = "min"),
                     info = seed)
  }
  spanned <- statement(demo_ledger(), per = "month", by = "route", span = "2026",
                       income = total(fare)) |> add_rank(income, within = "span")
  whole <- statement(demo_ledger(), by = "route", span = "2026", income = total(fare)) |>
    add_rank(income)
  expect_identical(spanned$income_rank, whole$income_rank[match(spanned$route, whole$route)])
})

test_that("the rest is worked out from its entries, in every column, whichever verb came first", {
  x <- demo_ledger()
  ask <- function(...) statement(x, per = "month", by = "route", span = "latest 5 months",
                                 income = total(fare), riders = distinct(account),
                                 mid = middle(fare),
                                 new = newcomers(account), old = returning(account),
                                 lost = lapsed(account), ...)
  s <- ask() |> add_running(income, since = "year") |> add_rolling(riders, "45 days") |>
    add_change(riders, "1 year back") |>
    add_rolling(income, "10 days", stat = "largest") |> add_share(riders) |>
      add_rank(income, keep = 2, rest = "Others")
  later <- ask() |> add_rank(income, keep = 2, rest = "Others") |>
    add_running(income, since = "year") |> add_rolling(riders, "45 days") |>
      add_change(riders, "1 year back") |>
    add_rolling(income, "10 days", stat = "largest") |> add_share(riders)
  expect_identical(as.data.frame(later)[names(s)], as.data.frame(s))
  expect_identical(sum(s$route == "Others"), 5L)
  expect_identical(which(s$route == "Others"), 3L * 1:5)
  for (i in which(s$route == "Others")) {
    kept <- s$route[s$period == s$period[i] & s$route != "Others"]
    table <- demo_fares[!demo_fares$route %in% kept, ]
    held <- function(from, to) table[table$sailed_on >= from & table$sailed_on <= to, ]
    now <- held(s$from[i], s$to[i])
    expect_equal(s$income[i], sum(now$fare))
    expect_identical(s$riders[i], as.double(length(unique(now$account))))
    expect_identical(s$mid[i], stats::median(now$fare))
    before <- held(seq(s$from[i], by = "-1 month", length.out = 2)[2], s$from[i] - 1)
    expect_identical(s$lost[i], as.double(length(setdiff(before$account, now$account))))
    expect_equal(s$income_running[i], sum(held(as.Date("2026-01-01"), s$to[i])$fare))
    expect_identical(s$riders_rolling_45_days[i],
                     as.double(length(unique(held(s$to[i] - 44, s$to[i])$account))))
    days <- seq(s$to[i] - 9, s$to[i], by = 1)
    expect_equal(s$income_rolling_10_days_largest[i],
                 max(vapply(seq_along(days), function(d) sum(held(days[d], days[d])$fare), 0)))
    behind <- entries_behind(s, row = i, figure = income_running)
    expect_equal(sum(behind$fare), s$income_running[i])
  }
  expect_identical(s$riders, s$new + s$old)
})

test_that("the rest of each member of another attribute, of missing members, and of totals", {
  x <- few_ledger()
  s <- statement(x, by = c("channel", "route"), income = total(fare), totals = "by") |>
    add_rank(income, within = "channel", keep = 1, rest = "Others")
  expect_identical(s$route,
                   c("Wickholm", "Others", "(all)", "Wickholm", "Others", "(all)", "(all)"))
  expect_identical(s$income, c(20.25, 8.2, 28.45, 7, 5.2, 12.2, 40.65))
  expect_identical(s$income_rank, c(1, NA, NA, 1, NA, NA, NA))
  lead <- statement(x, by = "route", trips = entries()) |>
    add_rank(trips, first = "smallest", ties = "order", keep = 2, rest = "Others",
             missing = "ranked")
  # a missing member that leads is not among the others
  expect_identical(lead$route, c("", NA, "Others"))
  expect_identical(lead$trips, c(1, 1, 6))
})

test_that("what changes is said: leaders, and ranks that are shared", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", income = total(fare)) |> add_rank(income, keep = 3)
  appear <- length(unique(s$route))
  expect_gt(appear, 3)
  expect_match(format(s), sprintf("%d routes appear though 3 are kept: the leaders change", appear),
               all = FALSE)
  tied <- statement(few_ledger(), by = "channel", span = "2026-04-01", trips = entries()) |>
    add_rank(trips, keep = 1)
  expect_identical(tied$trips_rank, c(1, 1))
  expect_match(format(tied), "more than 1 is kept where some share a rank", all = FALSE)
})

test_that("every verb takes a statement without rows", {
  s <- statement(few_ledger(), per = "month", by = c("route", "channel"), span = "2026-02",
                 where = fare > 999, income = total(fare), totals = "both")
  expect_identical(nrow(s), 0L)
  s <- s |> add_share(income) |> add_running(income) |>
    add_rolling(income, "3 days", stat = "largest") |>
      add_rolling(income, "2 months", stat = "smallest") |>
    add_change(income) |> add_per_day(income) |> add_target(income, 4) |>
      add_rank(income, within = "route", keep = 2, rest = "Rest")
  expect_identical(nrow(s), 0L)
  expect_match(format(s), "No rows", all = FALSE)
})

test_that("rankings without sense are refused", {
  s <- statement(few_ledger(), per = "month", by = c("route", "channel"), income = total(fare))
  refused <- function(message, ...) expect_error(
    add_rank(s, income, ...), message, class = "rollingledger_error_choice")
  refused("must be a whole number from 1", keep = 0)
  refused("must be a whole number from 1", keep = 1.5)
  refused("say how many to keep", rest = "Others")
  refused("needs one attribute that is ranked", keep = 1, rest = "Others")
  refused("has a member called \"Oysterby\"", within = "channel", keep = 1, rest = "Oysterby")
  refused("must be one of", within = "rout")
  refused("must be one of", ties = "none")
  expect_refused(add_rank(statement(few_ledger(), per = "month", income = total(fare)), income),
                 "nothing to rank", "choice")
  expect_refused(
    add_rank(statement(few_ledger(), by = "route", income = total(fare)), income, within = "route"),
                 "leaves nothing to rank", "choice")
  once <- add_rank(s, income, within = "channel", keep = 1, rest = "Others")
  expect_refused(add_rank(once, income, within = "channel", keep = 1, rest = "More", name = "b"),
                 "already holds a rest", "choice")
})

test_that("a second ranking on a statement with a rest leaves nothing in no row", {
  s <- statement(demo_ledger(), by = "route", span = "2026", income = total(fare),
                 trips = entries()) |> add_rank(income, keep = 3, rest = "Others")
  expect_refused(add_rank(s, trips, keep = 1, name = "again"), "would be in no row", "choice")
  expect_identical(sum(add_rank(s, trips)$income),
                   sum(demo_fares$fare[format(demo_fares$sailed_on, "%Y") == "2026"]))
  expect_refused(figure_leaders(
        statement(demo_ledger(), per = "quarter", by = c("route", "channel"), span = "2026",
                  income = total(fare)) |>
        add_rank(income, within = "channel", keep = 2, rest = "Others"), panels = "route"),
                 "have no panels", "choice")
  expect_identical(
    nrow(add_rank(statement(demo_ledger(), by = "route"), entries, keep = 99999999999999)), 6L)
})

test_that("that the leaders change is said only where they do", {
  table <- data.frame(day = as.Date("2026-01-05") + c(0, 0, 0, 31, 31, 31),
                      route = c("A", "B", "C"), fare = c(9, 5, 5, 9, 5, 1))
  s <- statement(ledger(table, on = "day"), per = "month", by = "route", income = total(fare)) |>
    add_rank(income, keep = 2)
  expect_match(format(s), "more than 2 are kept where some share a rank", all = FALSE)
  expect_no_match(format(s), "the leaders change")
  # A month of fewer figures does not hide that others lead in the next.
  moved <- data.frame(day = as.Date("2026-01-05") + c(0, 0, 31, 62, 62),
                      route = c("A", "B", "A", "A", "C"), fare = 1)
  s <- statement(ledger(moved, on = "day"), per = "month", by = "route", price = average(fare)) |>
    add_rank(price, keep = 2)
  expect_match(format(s), "3 routes appear though 2 are kept: the leaders change", all = FALSE)
  tied <- transform(table, fare = c(9, 5, 5))
  s <- statement(ledger(tied, on = "day"), per = "month", by = "route", income = total(fare)) |>
    add_rank(income, keep = 2)
  expect_no_match(format(s), "the leaders change")
})

test_that("figures that differ in what arithmetic leaves alone are tied", {
  table <- data.frame(sailed_on = as.Date("2026-01-01"), route = rep(letters[1:6], each = 2),
                      fare = c(0.1, 0.2, 1.1, 2.2, 0.7, 0.1, 3, 4, 1.1, 1.3, 5, 1))
  x <- ledger(table, on = c(sailed = "sailed_on"))
  # The middle of two is half of their total.
  s <- statement(x, by = "route", half = middle(fare) / total(fare))
  expect_gt(length(unique(s$half)), 1)
  expect_identical(add_rank(s, half, ties = "dense")$half_rank, rep(1, 6))
  expect_identical(add_rank(s, half, ties = "order")$half_rank, as.double(1:6))
  expect_identical(sort_rows(s, half)$route, letters[1:6])
  # Exact amounts are told apart to their last digit.
  near <- data.frame(sailed_on = as.Date("2026-01-01"), route = c("a", "b"),
                     fare = c(12345678901234.51, 12345678901234.5))
  s <- statement(ledger(near, on = c(sailed = "sailed_on")), by = "route", income = total(fare))
  expect_identical(add_rank(s, income)$income_rank, c(1, 2))
})
