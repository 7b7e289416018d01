between_ends <- function(w) w[!w$part %in% c("before", "now"), ]
amount_of <- function(w, part) w$amount[match(part, w$part)]

# What holds for every explanation, in cents or what the decimals are.
expect_adds_up <- function(w, tolerance = 1e-6) {
  lines <- between_ends(w)
  change <- w$amount[nrow(w)] - w$amount[1]
  expect_equal(sum(lines$amount), change, tolerance = tolerance)
  known <- lines$per_cent[!is.na(lines$per_cent)]
  if (length(known) > 0) expect_equal(sum(known), w$per_cent[nrow(w)], tolerance = 1e-6)
  decimals <- attr(w, "columns")[[1]]$decimals
  expect_equal(w$amount, round(w$amount, decimals), tolerance = 1e-9)
  if ("beyond_alike" %in% names(w)) {
    expect_equal(sum(attr(w, "members")$beyond_alike), 0)
  }
}

test_that("the change of July on the demo, by route", {
  x <- demo_ledger()
  w <- why_changed(x, now = "2026-07", before = "2025-07", income = total(fare))
  expect_identical(w$line, c("before", "Tern Head", "Gull Rock", "Heron Isle", "Oysterby",
                             "Wickholm", "Marram Bay", "now"))
  expect_equal(w$amount, c(161686.75, 21172.15, 4029.80, 2763.80, -901.20, 129.60, 116.75,
                           188997.65))
  expect_equal(w$beyond_alike[2:3], c(14526.51, -2236.95))
  expect_equal(c(w$before[2], w$now[2]), c(39343.70, 60515.85))
  looked <- attr(w, "attributes")
  expect_identical(looked$attribute[1], "route")
  expect_identical(looked$stands_out, c(TRUE, FALSE, FALSE, FALSE))
  expect_equal(looked$moved[match(c("route", "channel", "fare_class", "account"),
                                  looked$attribute)],
               c(14527, 8571, 4031, 117251), tolerance = 1e-4)
  expect_equal(looked$by_chance, c(5172, 4233, 3099, 118578), tolerance = 0.1)
  expect_identical(attr(w, "drivers")$member, "Tern Head")
  expect_adds_up(w)
  # The same seed deals the same days, and leaves others' draws alone.
  set.seed(4)
  a <- stats::runif(1)
  set.seed(4)
  expect_identical(why_changed(x, "2026-07", "2025-07", income = total(fare)), w)
  expect_identical(stats::runif(1), a)
  expect_false(identical(attr(why_changed(x, "2026-07", "2025-07", income = total(fare), seed = 2),
                              "attributes")$by_chance, looked$by_chance))
})

test_that("volume, mix and price of the demo", {
  x <- demo_ledger()
  ask <- function(...) why_changed(x, "2026-07", "2025-07", income = total(fare),
                                   by = c("route", "fare_class"), volume = "passengers", ...)
  w <- ask(credit_notes = "within")
  expect_equal(amount_of(w, c("volume", "mix", "price")), c(14884.18, 4434.65, 7992.07))
  expect_equal(amount_of(ask(credit_notes = "within", unlike_goods = TRUE), c("quantity", "price")),
               c(19318.83, 7992.07))
  apart <- ask()
  found <- reference_volume(demo_fares, c("2026-07-01", "2026-07-31"),
                            c("2025-07-01", "2025-07-31"), c("route", "fare_class"))
  expect_equal(amount_of(apart, names(found)), unname(round(found, 2)), tolerance = 1e-9)
  members <- attr(apart, "members")
  for (part in c("volume", "mix", "price", "new", "lost")) {
    expect_equal(sum(members[[part]]), amount_of(apart, part))
  }
})

test_that("days and their kinds, on the demo", {
  x <- demo_ledger()
  days <- function(now, before, ...) {
    w <- why_changed(x, now, before, income = total(fare), days = "apart", ...)
    expect_adds_up(w)
    top <- amount_of(w, c("days", "kinds"))
    c(w$amount[nrow(w)] - w$amount[1], top, w$amount[nrow(w)] - w$amount[1] - sum(top))
  }
  expect_equal(days("2026-02", "2026-01"), c(-8162.70, -7425.56, -1134.45, 397.31))
  expect_equal(days("2026-08", "2025-08"), c(13618.10, 0, -2329.56, 15947.66))
  expect_equal(days("2026-09-01/2026-09-17", "2026-07"),
               c(-115603.15, -72815.26, -4427.93, -38359.96))
  # By default where the number of days differs.
  expect_true("days" %in% why_changed(x, "2026-02", "2026-01", income = total(fare))$part)
  expect_false("days" %in% why_changed(x, "2026-08", "2025-08", income = total(fare))$part)
})

test_that("ratios, averages and members that come and go, on the demo", {
  x <- demo_ledger()
  w <- why_changed(x, "2026-07", "2025-07", fare = total(fare) / total(passengers),
                   by = c("route", "fare_class"))
  expect_equal(amount_of(w, c("rate", "mix")), c(1.00, 0.55))
  found <- reference_ratio(demo_fares, c("2026-07-01", "2026-07-31"),
                           c("2025-07-01", "2025-07-31"), c("route", "fare_class"))
  expect_equal(unname(found[c("rate", "mix")]), c(0.9958, 0.5531), tolerance = 1e-4)
  expect_adds_up(w)
  average <- why_changed(x, "2026-07", "2025-07", fare = average(fare), by = "route")
  table <- transform(demo_fares, one = 1)
  found <- reference_ratio(table, c("2026-07-01", "2026-07-31"), c("2025-07-01", "2025-07-31"),
                           "route", bottom = "one")
  expect_equal(amount_of(average, c("rate", "mix")), unname(found[1:2]), tolerance = 0.01)
  met <- why_changed(x, "2026-07", "2025-07", accounts = distinct(account))
  expect_equal(met$amount, c(2407, 0, 1194, -1087, 2514))
  expect_match(attr(met, "sentences"), "1,320 stayed", all = FALSE)
})

test_that("lines add up, are those of the slow way, and forth and back are each other's negative", {
  for (i in seq_len(rounds(40, 300))) {
    made <- random_change(i)
    x <- ledger(made$table, on = "sailed_on")
    now <- span_phrase(made$now)
    before <- span_phrase(made$before)
    info <- paste("seed", i, now, before)
    days <- sample(c("apart", "beside"), 1)
    asked <- function(a, b, ...) {
      tryCatch(suppressMessages(why_changed(x, a, b, income = total(fare), keep = 2, days = days,
                                            depth = 0, ...)),
               rollingledger_error_span = function(e) NULL)
    }
    w <- asked(now, before, by = "account")
    back <- asked(before, now, by = "account")
    expect_identical(is.null(w), is.null(back), info = info)
    if (is.null(w)) next
    expect_adds_up(w)
    decimals <- attr(w, "columns")[[1]]$decimals
    expect_lte(max(abs(w$amount[c(1, nrow(w))] - c(
      sum_of(made$table, "fare", in_span(made$table, made$before)),
      sum_of(made$table, "fare", in_span(made$table, made$now))))), 0.501 * 10^-decimals,
      label = info)
    # By name, as the order is that of the sizes.
    lines <- between_ends(w)
    turned <- between_ends(back)
    expect_equal(lines$amount, -turned$amount[match(lines$line, turned$line)], info = info)
    expect_equal(sum(attr(w, "members")$change), sum(lines$amount[lines$part %in%
                                                                    c("member", "rest")]))
    if (days == "apart") {
      found <- reference_calendar(made$table, made$now, made$before)
      expect_lte(max(abs(amount_of(w, c("days", "kinds")) - c(found$days, found$kinds))),
                 1.01 * 10^-decimals)
    }
    v <- asked(now, before, by = c("route", "channel"), volume = "passengers")
    expect_adds_up(v)
    turned <- asked(before, now, by = c("route", "channel"), volume = "passengers")
    swap <- c("volume", "mix", "price", "lost", "new", "other")
    expect_equal(amount_of(v, c("volume", "mix", "price", "new", "lost", "other")),
                 -amount_of(turned, swap), info = info)
    if (days == "beside") {
      found <- reference_volume(made$table, made$now, made$before, c("route", "channel"))
      decimals <- attr(v, "columns")[[1]]$decimals
      expect_lte(max(abs(amount_of(v, names(found)) - found)), 1.01 * 10^-decimals, label = info)
    }
    members <- attr(v, "members")
    for (part in c("volume", "mix", "price", "new", "lost")) {
      expect_equal(sum(members[[part]]), amount_of(v, part), info = info)
    }
  }
})

test_that("ratios add up and are those of the slow way", {
  for (i in seq_len(rounds(30, 200))) {
    made <- random_change(i)
    made$table$passengers <- pmax(made$table$passengers, 0)
    x <- ledger(made$table, on = "sailed_on")
    w <- tryCatch(suppressMessages(
      why_changed(x, span_phrase(made$now), span_phrase(made$before),
                  fare = total(fare) / total(passengers), by = c("route", "channel"), depth = 0)),
      rollingledger_error_span = function(e) NULL, rollingledger_error_measure = function(e) NULL)
    if (is.null(w)) next
    expect_adds_up(w)
    found <- reference_ratio(made$table, made$now, made$before, c("route", "channel"))
    own <- amount_of(w, names(found))
    own[is.na(own)] <- 0
    expect_lte(max(abs(own - found)), 0.0101, label = paste("seed", i))
  }
})

test_that("newcomers, back and lapsed are those of sets", {
  for (i in seq_len(rounds(20, 100))) {
    made <- random_change(i)
    if (made$now[1] <= made$before[2]) made[c("now", "before")] <- made[c("before", "now")]
    if (made$now[1] <= made$before[2]) next
    table <- made$table
    x <- ledger(table, on = "sailed_on")
    w <- tryCatch(why_changed(x, span_phrase(made$now), span_phrase(made$before),
                              people = distinct(account, where = channel == "web")),
                  rollingledger_error_span = function(e) NULL)
    if (is.null(w)) next
    web <- table[table$channel == "web" & !is.na(table$account), ]
    now <- unique(web$account[in_span(web, made$now)])
    before <- unique(web$account[in_span(web, made$before)])
    ever <- tapply(table$sailed_on, table$account, min)
    came <- setdiff(now, before)
    new <- came[ever[came] >= as.integer(made$now[1])]
    expect_equal(w$amount, c(length(before), length(new), length(came) - length(new),
                             -length(setdiff(before, now)), length(now)))
    for (part in c("newcomers", "back", "lapsed")) {
      behind <- suppressMessages(entries_behind(w, line = part))
      expect_equal(length(unique(behind$account)), abs(amount_of(w, part)))
    }
  }
})

test_that("a line knows its entries, and they come to it", {
  for (i in seq_len(rounds(12, 60))) {
    made <- random_change(i)
    made$table$fare <- round(made$table$fare, 4)
    x <- ledger(made$table, on = "sailed_on")
    w <- tryCatch(suppressMessages(why_changed(x, span_phrase(made$now), span_phrase(made$before),
                                               income = total(fare), by = "route", keep = 2,
                                               days = "beside")),
                  rollingledger_error_span = function(e) NULL)
    if (is.null(w)) next
    for (row in seq_len(nrow(w))) {
      behind <- entries_behind(w, row = row)
      sign <- if (w$part[row] == "before") -1 else 1
      expect_equal(sign * attr(behind, "value"), w$amount[row], tolerance = 1e-6)
      expect_equal(sum(behind$counts), attr(behind, "value"), tolerance = 1e-6)
    }
    v <- suppressMessages(why_changed(x, span_phrase(made$now), span_phrase(made$before),
                                      income = total(fare), by = c("route", "channel"),
                                      volume = "passengers", days = "beside"))
    value <- function(part) attr(entries_behind(v, line = v$line[match(part, v$part)]), "value")
    for (part in c("new", "lost", "other")) {
      expect_equal(value(part), amount_of(v, part), tolerance = 1e-6, info = paste(i, part))
    }
    expect_equal(value("volume"), sum(amount_of(v, c("volume", "mix", "price"))),
                 tolerance = 1e-6)
  }
})

test_that("what is dealt at random is not named, and what fell is found", {
  rounds <- c(rounds(60, 400), rounds(20, 100))
  july <- demo_fares$sailed_on >= as.Date("2026-07-01") &
    demo_fares$sailed_on <= as.Date("2026-07-31")
  june <- demo_fares$sailed_on >= as.Date("2026-05-31") &
    demo_fares$sailed_on <= as.Date("2026-06-30")
  table <- demo_fares[july | june, c("sailed_on", "fare")]
  set.seed(20)
  n <- nrow(table)
  dealt <- lapply(seq_len(rounds[1]), function(i) {
    sprintf("m%d", sample.int(sample(c(2, 10, 100), 1), n, TRUE))
  })
  names(dealt) <- sprintf("code%d", seq_along(dealt))
  x <- ledger(cbind(table, as.data.frame(dealt)), on = "sailed_on")
  named <- vapply(names(dealt), function(name) {
    w <- why_changed(x, "2026-07", "2026-05-31/2026-06-30", income = total(fare), by = name,
                     depth = 1)
    attr(w, "attributes")$stands_out
  }, TRUE)
  # Of few cases more may be named by chance.
  expect_lte(sum(named), if (all_rounds()) 0.05 * rounds[1]
             else stats::qbinom(0.999, rounds[1], 0.05))
  # A fall of 40 % of one member, between two real quarters.
  among <- c("route", "channel", "fare_class")
  found <- vapply(seq_len(rounds[2]), function(i) {
    name <- sample(among, 1)
    first <- as.Date("2023-03-01") + sample(0:1050, 1)
    own <- demo_fares[demo_fares$sailed_on >= first & demo_fares$sailed_on < first + 182, ]
    member <- sample(unique(own[[name]]), 1)
    fell <- own[[name]] == member & own$sailed_on >= first + 91
    own$fare[fell] <- round(0.6 * own$fare[fell], 2)
    w <- why_changed(ledger(own, on = "sailed_on"), span_phrase(first + c(91, 181)),
                     span_phrase(first + c(0, 90)), income = total(fare), by = among, depth = 1)
    looked <- attr(w, "attributes")
    looked$stands_out[looked$attribute == name]
  }, TRUE)
  expect_gte(mean(found), 0.85)
})

test_that("as much of a whole period counts as has come of one that is not over", {
  x <- demo_ledger()
  w <- why_changed(x, "this month", "1 year back", income = total(fare), depth = 0)
  same <- why_changed(x, "2026-09-01/2026-09-17", "2025-09-01/2025-09-17", income = total(fare),
                      depth = 0)
  expect_identical(w$amount, same$amount)
  s <- statement(x, span = "this month", income = total(fare)) |>
    add_change(income, from = "1 year back")
  expect_equal(c(w$amount[1], w$amount[nrow(w)]), c(s$income_before, s$income))
  expect_match(attr(w, "notes"), "as much of it as has come", all = FALSE)
  year <- why_changed(x, "this year", "2024", income = total(fare), depth = 0)
  before <- statement(x, per = "year", span = "this year", income = total(fare)) |>
    add_change(income, from = "2 years back")
  expect_equal(year$amount[1], before$income_before)
  # Of another kind, it is as it is.
  other <- why_changed(x, "this month", "2025", income = total(fare), depth = 0)
  expect_equal(other$amount[1], statement(x, span = "2025", income = total(fare))$income)
})

test_that("what cannot be explained is refused, with the reason", {
  x <- demo_ledger()
  ask <- function(...) why_changed(x, "2026-07", "2025-07", ...)
  expect_refused(ask(m = middle(fare)), "do not add up to that of all", "measure")
  expect_refused(ask(m = largest(fare)), "do not add up", "measure")
  expect_refused(ask(m = balance(fare)), "each = member", "measure")
  expect_refused(ask(m = newcomers(account)), "Ask for distinct", "measure")
  expect_refused(ask(m = total(fare), other = entries()), "One measure", "measure")
  expect_refused(ask(m = distinct(account) / entries()), "lines that add up", "measure")
  expect_refused(why_changed(x, "2025-07", "2026-07", a = distinct(account)), "later one", "span")
  expect_refused(why_changed(x, "2026-07", "2026-07", a = distinct(account)), "later one", "span")
  expect_refused(why_changed(x, "every Q3", "2025-07", a = total(fare)), "means", "span")
  expect_refused(ask(a = total(fare), volume = "pasengers"), "passengers", "column")
  expect_refused(ask(a = average(fare), volume = "passengers"), "go with a total", "choice")
  expect_refused(ask(a = total(fare), keep = -1), "whole number", "choice")
  expect_refused(ask(a = total(fare), by = "root"), "Did you mean `route`", "column")
  expect_refused(ask(a = total(fare) / total(fare, where = fare < 0), by = "route"), "below zero",
                 "measure")
  expect_refused(entries_behind(ask(a = total(fare)), line = "Nowhere"), "no line", "choice")
  # Few days, and days in both, tell nothing of chance.
  few <- why_changed(x, "2026-07-01/2026-07-06", "2025-07-01/2025-07-06", a = total(fare))
  expect_true(all(is.na(attr(few, "attributes")$p)))
  expect_match(attr(few, "sentences"), "fewer than 7 days", all = FALSE)
  both <- why_changed(x, "2026-07", "2026-06-15/2026-07-20", a = total(fare))
  expect_match(attr(both, "sentences"), "days in common", all = FALSE)
})

test_that("balances that add up have lines of their members", {
  x <- ledger(demo_fuel, on = "read_on")
  w <- why_changed(x, "2026-08", "2026-07", fuel = balance(litres, each = vessel), by = "vessel")
  s <- statement(x, by = "vessel", spans = c("2026-08", "2026-07"),
                 fuel = balance(litres, each = vessel), totals = "by")
  expect_equal(w$amount[c(1, nrow(w))], rev(s$fuel[s$vessel == "(all)"]))
  expect_equal(sum(between_ends(w)$amount), diff(w$amount[c(1, nrow(w))]))
})

test_that("an explanation is a question like every other", {
  x <- demo_ledger()
  for (w in list(
    why_changed(x, "2026-07", "2025-07", income = total(fare), by = "weekday"),
    why_changed(x, c(this = "last month"), "1 year back", income = total(fare, where = fare > 0),
                where = channel == "web", by = c("route", "fare_class"), volume = "passengers"),
    why_changed(x, "2026-07", "2025-07", accounts = distinct(account)))) {
    expect_identical(answer(question(w), x), w)
    json <- jsonlite::toJSON(unclass(question(w)), auto_unbox = TRUE, digits = NA)
    expect_identical(answer(jsonlite::fromJSON(json), x), w)
    behind <- entries_behind(w, row = 2)
    expect_identical(question(behind)$show[[2]]$show, "entries_behind")
    expect_identical(answer(question(behind), x), behind)
  }
  worked <- work_out(x, sales = fare * 2)
  w <- why_changed(worked, "2026-07", "2025-07", income = total(sales))
  expect_equal(w$amount[2], 2 * 21172.15)
  looked_up <- add_attributes(x, demo_accounts, key = "account")
  w <- suppressMessages(why_changed(looked_up, "2026-07", "2025-07", income = total(fare),
                                    by = "kind"))
  expect_adds_up(w)
})

test_that("sentences say what the figures do, whatever their signs", {
  table <- data.frame(sailed_on = rep(as.Date("2026-01-05") + 0:55, each = 2),
                      route = c("a", "b"), fare = 5, passengers = 1)
  ask <- function(change, ...) {
    own <- table
    later <- own$sailed_on >= as.Date("2026-02-02")
    own[later, ] <- change(own[later, ])
    attr(why_changed(ledger(own, on = "sailed_on"), "2026-02-02/2026-03-01",
                     "2026-01-05/2026-02-01", income = total(fare), ...), "sentences")
  }
  scaled <- function(a, b) function(rows) {
    rows$fare <- rows$fare * ifelse(rows$route == "a", a, b)
    rows
  }
  expect_match(ask(scaled(1, 1))[1], "^Income is what it was in 5 Jan to 1 Feb 2026: 280[.]$")
  expect_match(ask(scaled(1, 1))[2], "No attribute stands out")
  expect_match(ask(scaled(3, 1))[1], "rose by 280 .100.0 %. against")
  expect_match(ask(scaled(3, 1))[2], "a .route. brought 280 of it")
  expect_match(ask(scaled(0.5, 1))[2], "a .route. lost 70.0 of it")
  expect_match(ask(scaled(4, 0.5))[2], "alone rose by 420.0, more than all together")
  expect_match(ask(scaled(-1, 1))[2], "not above zero")
  priced <- ask(scaled(2, 2), volume = "passengers", by = "route")
  expect_match(priced, "Higher prices explain [+]280[.]", all = FALSE)
  more <- ask(function(rows) transform(rows, passengers = 2, fare = fare * 2),
              volume = "passengers", by = "route")
  expect_match(more, "More passengers explain [+]280[.]", all = FALSE)
  fewer <- ask(function(rows) transform(rows, route = "a"), volume = "passengers", by = "route")
  expect_match(fewer, "lost members -140", all = FALSE)
})

test_that("a day that holds most of it is named", {
  table <- data.frame(sailed_on = rep(as.Date("2026-01-05") + 0:55, each = 4),
                      route = c("a", "b", "c", "d"), fare = 100)
  table$fare <- table$fare + seq_len(nrow(table)) %% 3
  later <- table$sailed_on >= as.Date("2026-02-02") & table$route == "a"
  table$fare[later] <- table$fare[later] + 30
  table$fare[table$route == "a" & table$sailed_on == as.Date("2026-02-10")] <- 2000
  w <- why_changed(ledger(table, on = "sailed_on"), "2026-02-02/2026-03-01",
                   "2026-01-05/2026-02-01", income = total(fare))
  driver <- attr(w, "drivers")
  expect_identical(driver$day, as.Date("2026-02-10"))
  expect_match(attr(w, "sentences"), "One day, 10 Feb 2026, holds", all = FALSE)
})

test_that("kinds of day count holidays apart", {
  table <- demo_fares[demo_fares$sailed_on >= as.Date("2026-01-01"), ]
  holidays <- as.Date(c("2026-05-01", "2026-05-25"))
  x <- ledger(table, on = "sailed_on", calendar = ledger_calendar(holidays = holidays))
  w <- why_changed(x, "2026-05", "2026-04", income = total(fare), depth = 0)
  found <- reference_calendar(table, c("2026-05-01", "2026-05-31"), c("2026-04-01", "2026-04-30"),
                              holidays = holidays)
  expect_equal(amount_of(w, c("days", "kinds")), c(found$days, found$kinds), tolerance = 1e-6)
  kinds <- attr(w, "kinds_of_day")
  expect_equal(kinds$now[kinds$kind == "holiday"], 2)
})

test_that("what only names the days, and days that are months, tell nothing of chance", {
  table <- demo_fares[demo_fares$sailed_on >= as.Date("2026-01-01"), ]
  table$month <- paste("month", format(table$sailed_on, "%m"))
  w <- why_changed(ledger(table, on = "sailed_on"), "2026-08", "2026-07", income = total(fare))
  looked <- attr(w, "attributes")
  expect_true(is.na(looked$p[looked$attribute == "month"]))
  expect_false(any(grepl("month", w$line)))
  expect_false(any(grepl("in .*month", attr(w, "sentences"))))
  table$month <- format(table$sailed_on, "%Y-%m")
  w <- why_changed(ledger(table, on = "month"), "2026-08", "2026-07", income = total(fare),
                   by = "route")
  expect_match(attr(w, "sentences"), "Its days are months", all = FALSE)
  expect_false("days" %in% w$part)
  expect_adds_up(w)
})

test_that("members that are called like lines, and none, have lines of their own", {
  table <- data.frame(sailed_on = as.Date("2026-01-01") + 0:58,
                      who = rep_len(c("before", "now", NA, "", "number of days"), 59), fare = 1:59)
  x <- ledger(table, on = "sailed_on")
  w <- why_changed(x, "2026-02", "2026-01", income = total(fare), by = "who")
  expect_identical(anyDuplicated(w$line), 0L)
  expect_true(all(c("\"before\"", "(missing)", "(empty)") %in% w$line))
  for (line in setdiff(w$line, c("number of days", "kinds of day"))) {
    own <- w$line == line
    behind <- entries_behind(w, line = line)
    if (w$part[own] == "member")
      expect_equal(attr(behind, "value"), w$now[own] - w$before[own], info = line)
  }
  known <- ledger(transform(demo_fares, entered = booked_on), on = c(sailed = "sailed_on",
                                                                     entered = "entered"))
  w <- why_changed(known, "2026-07", "2025-07", income = total(fare), known = "2026-07-15")
  s <- statement(known, spans = c("2026-07", "2025-07"), income = total(fare),
                 known = "2026-07-15")
  expect_equal(w$amount[nrow(w)], s$income[1])
  expect_match(attr(w, "notes"), "1 to 15 Jul 2025", all = FALSE)
})

test_that("keys and amounts are no attributes, codes are", {
  n <- 1.1e6
  table <- data.frame(sailed_on = as.Date("2026-01-01") + seq_len(n) %% 59,
                      key = sprintf("K%07d", seq_len(n)), quay = rep_len(c("A", "B", "C"), n),
                      code = rep_len(c("07", "11"), n),
                      text = rep_len(c("1.50", "2.25", "10"), n), fare = 1)
  x <- ledger(table, on = "sailed_on")
  w <- why_changed(x, "2026-02", "2026-01", income = total(fare), days = "beside")
  expect_setequal(attr(w, "attributes")$attribute, c("quay", "code"))
  expect_match(attr(w, "notes"), "Not looked at: key,", all = FALSE)
})
