measured <- function(seed, ..., measures = every_measure) {
  table <- random_fares(seed)
  x <- suppressMessages(
    ledger(table, on = c(sailed = "sailed_on"), until = "until_on",
           calendar = some_fiscal_calendar(seed)))
  list(table = table, x = x, s = suppressMessages(statement(x, ..., !!!measures)))
}

first_day_before <- function(s, per, calendar) {
  one_back <- function(from) span(sprintf("this %s, 1 %s back", per, per), calendar,
                                  as_of = from)$from
  starts <- unique(s$from)
  do.call(c, lapply(starts, one_back))[match(s$from, starts)]
}

test_that("every measure equals the slow way, at every grain, calendar and with totals", {
  grains <- c("day", "week", "month", "quarter", "year", "fiscal week", "fiscal month",
              "fiscal quarter", "fiscal year")
  for (seed in seq_len(rounds(18, 90))) {
    per <- grains[seed %% 9 + 1]
    if (per == "day" && seed %% 2 == 0) per <- "month"
    # The latest reading of all groups is no total.
    asked <- every_measure[if (seed %% 3 == 0) names(every_measure)
                           else setdiff(names(every_measure), "reading")]
    made <- measured(seed, per = per, by = c("route", "channel")[seq_len(seed %% 3)],
                     totals = if (seed %% 3 == 0) "none" else "by", measures = asked)
    s <- made$s
    rows <- if (nrow(s) > 60) s[sort(sample(nrow(s), 60)), ] else s
    before <- first_day_before(rows, per, made$x$calendar)
    slow <- reference_rows(rows, made$table, by = c("route", "channel")[seq_len(seed %% 3)],
                           before = before, measures = every_measure)
    for (name in names(asked)) expect_equal(rows[[name]], unname(slow[, name]), tolerance = 1e-9,
                                            info = paste(seed, per, name))
  }
})

test_that("every measure equals the slow way in rolling and running windows and in earlier days", {
  for (seed in 100 + seq_len(rounds(9, 40))) {
    made <- measured(seed, per = c("week", "month", "fiscal quarter")[seed %% 3 + 1], by = "route")
    s <- made$s
    flows <- setdiff(names(every_measure), c("reading", "readings", "open", "open_short", "lost"))
    for (name in flows) {
      s <- add_rolling(s, !!name, "20 days", short = "keep", name = paste0("r_", name))
      s <- add_running(s, !!name, since = "year", name = paste0("u_", name))
    }
    for (name in c("reading", "open")) s <- add_change(
      s, !!name, "1 year back", name = paste0("c_", name))
    s <- add_rolling(s, lost, "20 days", short = "keep", name = "r_lost")
    rolled <- reference_rows(s, made$table, by = "route", from = s$to - 19, before = s$to - 39,
                             measures = every_measure)
    run <- reference_rows(s, made$table, by = "route", from = as.Date(format(s$to, "%Y-01-01")),
                          measures = every_measure)
    for (name in c(flows, "lost")) expect_equal(s[[paste0("r_", name)]], unname(rolled[, name]),
                                                tolerance = 1e-9, info = paste(seed, name))
    for (name in flows) expect_equal(s[[paste0("u_", name)]], unname(run[, name]), tolerance = 1e-9,
                                     info = paste(seed, name))
    expect_equal(s$c_open_change, s$open - s$c_open_before)
  }
})

test_that("figures do not depend on the order of rows, on threads, or on the grain", {
  for (seed in 200 + seq_len(rounds(6, 15))) {
    table <- random_fares(seed)
    # of several readings on one day the last in the source counts
    table <- table[!duplicated(table[c("sailed_on", "account")]), ]
    ask <- function(table, per = "month") {
      x <- suppressMessages(ledger(table, on = c(sailed = "sailed_on"), until = "until_on"))
      s <- statement(x, per = per, by = "route", !!!every_measure)
      s[setdiff(names(s), "reading")]
    }
    a <- tibble::as_tibble(ask(table))
    expect_identical(tibble::as_tibble(ask(table[sample(nrow(table)), ])), a, info = seed)
    withr::with_options(list(rollingledger.threads = 3),
                        expect_identical(tibble::as_tibble(ask(table)), a, info = seed))
    withr::with_options(list(rollingledger.cache_bytes = 0),
                        expect_identical(tibble::as_tibble(ask(table)), a, info = seed))
    x <- suppressMessages(ledger(table, on = c(sailed = "sailed_on"), until = "until_on"))
    rolled <- function(per) {
      s <- statement(x, per = per, riders = distinct(account), high = largest(fare),
                     new = newcomers(account), span = "all")
      s <- s |> add_rolling(riders, "25 days", short = "keep") |>
        add_rolling(high, "25 days", short = "keep") |> add_rolling(new, "25 days", short = "keep")
      s[c("to", grep("rolling", names(s), value = TRUE))]
    }
    daily <- rolled("day")
    monthly <- rolled("month")
    for (name in names(monthly)[-1]) expect_identical(
      monthly[[name]], daily[[name]][match(monthly$to, daily$to)], info = paste(seed, name))
  }
})

test_that("distinct figures by hand, and their totals are not sums", {
  x <- demo_ledger()
  s <- statement(x, per = "quarter", by = "route", span = "2026", riders = distinct(account),
                 new = newcomers(account), old = returning(account), totals = "both")
  expect_identical(s$riders, s$new + s$old)
  cell <- s[s$period == "2026-Q1" & s$route == "(all)", ]
  held <- demo_fares[demo_fares$sailed_on >= as.Date("2026-01-01") &
                     demo_fares$sailed_on <= as.Date("2026-03-31"), ]
  expect_identical(cell$riders, as.double(length(unique(held$account))))
  routes <- s[s$period == "2026-Q1" & s$route != "(all)", ]
  expect_lt(cell$riders, sum(routes$riders))
  expect_identical(s$riders[nrow(s)],
                   as.double(length(
                     unique(demo_fares$account[demo_fares$sailed_on >= as.Date("2026-01-01")]))))
})

test_that(
  "what was open on a day, at both ends and in later days; what ends before it begins never was", {
  table <- data.frame(
    from = as.Date(c("2026-01-01", "2026-01-05", "2026-01-05", "2026-01-10", "2026-01-02")),
                      until = as.Date(
                        c("2026-01-05", NA, "2026-01-05", "2026-01-08", "9999-12-31")))
  x <- ledger(table, on = "from", until = "until", as_of = "2026-01-12")
  s <- statement(x, per = "day", held = active(), short = active(last_day = FALSE))
  expect_identical(s$held, c(1, 2, 2, 2, 4, 2, 2, 2, 2, 2, 2, 2))
  expect_identical(s$short, c(1, 2, 2, 2, 2, 2, 2, 2, 2, 2, 2, 2))
  expect_match(format(s, width = 200), "open up to and with the day they end", all = FALSE)
  expect_refused(statement(few_ledger(), open = active()),
                 "needs to know when entries end", "measure")
  expect_refused(statement(x, open = active(last_day = 2)), "must be TRUE", "measure")
  expect_refused(ledger(table, on = "from", until = "til"), "There is no column `til`", "column")
  file <- csv_file(c("from,until", "2026-01-01,2026-02-30", "2026-01-01,2026-01-09"))
  y <- suppressMessages(ledger(file, on = "from", until = "until"))
  expect_identical(set_aside(y)$value, "2026-02-30")
})

test_that(
  "a balance is carried forward, before the span's first day too, and refuses what has no meaning",
  {
  x <- ledger(demo_fuel, on = "read_on")
  s <- statement(x, per = "day", by = "vessel", span = "latest 10 days", litres = balance(litres))
  expect_false(anyNA(s$litres))
  for (i in seq_len(nrow(s))) {
    known <- demo_fuel[demo_fuel$vessel == s$vessel[i] & demo_fuel$read_on <= s$to[i], ]
    expect_identical(s$litres[i], known$litres[which.max(known$read_on)])
  }
  expect_refused(add_running(s, litres), "has no running total", "measure")
  expect_refused(add_rolling(s, litres), "has no total over days", "measure")
  averaged <- add_rolling(s, litres, "7 days", stat = "average") |>
    add_rolling(litres, "7 days", stat = "smallest")
  long <- statement(x, per = "day", by = "vessel", litres = balance(litres))
  for (i in seq_len(nrow(s))) {
    days <- long$litres[long$vessel == s$vessel[i] & long$to > s$to[i] - 7 & long$to <= s$to[i]]
    expect_equal(averaged$litres_rolling_7_days_average[i], mean(days))
    expect_identical(averaged$litres_rolling_7_days_smallest[i], min(days))
  }
  expect_refused(
    statement(x, per = "month", by = "vessel", litres = balance(litres), totals = "by"),
                 "each = vessel", "measure")
  t <- statement(x, per = "month", by = "vessel", litres = balance(litres, each = vessel),
                 totals = "by")
  sums <- tapply(t$litres[t$vessel != "(all)"], t$period[t$vessel != "(all)"], sum)
  expect_equal(t$litres[t$vessel == "(all)"], as.vector(sums))
})

test_that("how things stand is known on days and in spans without entries", {
  table <- data.frame(day = as.Date(c("2026-01-01", "2026-01-02", "2026-01-20")),
                      tank = c("a", "b", "a"), litres = c(5, 7, 6),
                      until = as.Date(c("2026-01-12", NA, NA)))
  x <- ledger(table, on = "day", until = "until", as_of = "2026-01-31")
  s <- statement(x, per = "day", by = "tank", span = "2026-01-12/2026-01-13",
                 litres = balance(litres), held = active())
  expect_identical(s$tank, c("a", "b", "a", "b"))
  expect_identical(s$litres, c(5, 7, 5, 7))
  expect_identical(s$held, c(1, 1, 0, 1))
  expect_identical(statement(x, span = "this day", held = active())$held, 2)
  expect_match(format(s), "There are no entries in 12 to 13 Jan 2026", all = FALSE)
  expect_identical(statement(x, span = "2026-01-12/2026-01-13", n = entries())$n, 0)
})

test_that("hostile values", {
  table <- data.frame(
    day = as.Date(c("0001-01-01", "2026-01-01", "2026-01-01", "2026-01-02", "2026-01-02")),
    name = c("a \"b\"", "x,y", "\U0001F6A2", "", NA),
    fare = c(1e15, 1e-9, NaN, -1e15, 3)
  )
  x <- ledger(table, on = "day")
  s <- statement(x, by = "name", n = entries(), income = total(fare), low = smallest(fare),
                 mid = middle(fare), d = distinct(fare))
  expect_identical(sum(s$n), 5)
  expect_identical(s$income[match(c("a \"b\"", "x,y", "\U0001F6A2", "", NA), s$name)],
                   c(1e15, 1e-9, 0, -1e15, 3))
  expect_identical(s$low[match("\U0001F6A2", s$name)], NA_real_)
  expect_identical(s$d, c(1, 1, 1, 1, 0)[match(s$name, c("a \"b\"", "x,y", "", NA, "\U0001F6A2"))])
  expect_identical(statement(x, mid = middle(fare), all = total(fare))$mid, mean(c(1e-9, 3)))
  expect_match(format(s), "\\(missing\\)", all = FALSE)
  expect_match(format(s), "\\(empty\\)", all = FALSE)
  late <- data.frame(day = as.Date(c("9999-12-30", "9999-12-31")),
                     until = as.Date(c("9999-12-31", NA)), fare = 1:2)
  y <- ledger(late, on = "day", until = "until", as_of = "9999-12-31")
  z <- statement(y, per = "day", open = active(), n = distinct(fare), last = balance(fare))
  expect_identical(z$open, c(1, 2))
  expect_identical(z$last, c(1, 2))
  inf <- suppressMessages(
    ledger(data.frame(day = as.Date("2026-01-01"), fare = c(Inf, 1)), on = "day"))
  expect_identical(set_aside(inf)$reason, "unreadable amount")
  one <- statement(ledger(data.frame(day = as.Date("2026-01-01"), account = "x"), on = "day"),
                   met = distinct(account), new = newcomers(account))
  expect_identical(c(one$met, one$new), c(1, 1))
})

test_that("ten million amounts add up to the last cent", {
  set.seed(6)
  cents <- sample.int(2e6L, 1e7, TRUE) - 1e6L
  day <- sample.int(900L, 1e7, TRUE)
  x <- ledger(data.frame(day = as.Date("2024-01-01") + day, fare = cents / 100), on = "day")
  expect_identical(statement(x, income = total(fare))$income, sum(as.double(cents)) / 100)
  daily <- statement(x, per = "day", income = total(fare)) |> add_running(income)
  sums <- as.double(rowsum(as.double(cents), day))
  expect_identical(daily$income, sums / 100)
  expect_identical(daily$income_running, cumsum(sums) / 100)
})

test_that("a million groups", {
  set.seed(5)
  n <- 1e6
  table <- data.frame(day = as.Date("2026-01-01") + rep(0:1, n / 2),
                      id = sprintf("%07d", seq_len(n)), cents = sample(-1e6:1e6, n, TRUE))
  table$fare <- table$cents / 100
  x <- ledger(table[c("day", "id", "fare")], on = "day")
  s <- statement(x, by = "id", income = total(fare), riders = distinct(id))
  expect_identical(nrow(s), as.integer(n))
  expect_identical(s$income, table$fare)
  expect_identical(unique(s$riders), 1)
  expect_identical(statement(x, income = total(fare))$income, sum(table$cents) / 100)
})

test_that("new calls are refused where they make no sense, and hints name the nearest", {
  x <- few_ledger()
  expect_error(statement(x, figure = median(fare)), "Did you mean `middle\\(\\)`")
  expect_refused(statement(x, figure = distinct(rout)), "Did you mean `route`", "column")
  expect_refused(statement(x, figure = smallest(route)), "needs numbers", "measure")
  expect_refused(statement(x, figure = total(fare, each = route)),
                 "is not a call of total", "measure")
  expect_refused(statement(x, figure = balance(fare, each = rout)),
                 "Did you mean `route`", "column")
  expect_refused(statement(x, figure = lapsed(route)), "need|none", "measure")
  expect_refused(add_running(statement(x, per = "month", gone = lapsed(route)), gone),
                 "have none", "measure")
})
