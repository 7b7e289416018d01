all_grains <- c("day", "week", "month", "quarter", "year", "fiscal month", "fiscal quarter",
                "fiscal year")

test_that("the demo's totals are the same cents at every grain, on both bases, by any attributes", {
  x <- demo_ledger()
  cents <- sum(round(demo_fares$fare * 100))
  for (grain in all_grains) for (on in c("sailed", "booked")) {
    s <- statement(x, per = grain, on = on, income = total(fare))
    expect_identical(sum(round(s$income * 100)), cents, info = paste(grain, on))
  }
  for (by in list("route", c("route", "channel"), c("account", "fare_class"))) {
    s <- statement(x, per = "fiscal quarter", by = by, income = total(fare))
    expect_identical(sum(round(s$income * 100)), cents)
  }
})

test_that("control totals equal a separate sum over the file", {
  con <- gzfile(demo_csv())
  lines <- readLines(con)
  close(con)
  fields <- do.call(rbind, strsplit(lines[-1], ",", fixed = TRUE))
  colnames(fields) <- strsplit(lines[1], ",")[[1]]
  day <- as.Date(fields[, "sailed_on"], "%Y-%m-%d")
  fare <- suppressWarnings(as.numeric(fields[, "fare"]))
  good <- !is.na(day) & day <= as.Date("2026-09-17") & !is.na(fare)
  x <- ledger(demo_csv(), on = c(sailed = "sailed_on"), amounts = "fare")
  control <- control_totals(
    statement(x, per = "week", by = "route", income = total(fare), trips = entries()))
  expect_equal(control$statement[1], sum(fare[good]), tolerance = 1e-12)
  expect_identical(round(control$statement[1] * 100), sum(round(fare[good] * 100)))
  expect_identical(control$statement[2], as.double(sum(good)))
  expect_identical(control$difference, c(0, 0))
  in_2025 <- good & format(day, "%Y") == "2025"
  by_month <- tapply(round(fare[in_2025] * 100), format(day[in_2025], "%Y-%m"), sum)
  s <- statement(x, per = "month", span = "2025", income = total(fare))
  expect_identical(round(s$income * 100), as.vector(by_month))
})

test_that("random ledgers equal the slow reference, for every grain, basis and grouping", {
  for (seed in seq_len(rounds(20, 60))) {
    table <- random_fares(seed)
    calendar <- ledger_calendar(fiscal_start = sample(12, 1), week_start = sample(7, 1))
    x <- ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), calendar = calendar,
                as_of = "2030-01-01")
    by <- list(NULL, "route", c("route", "channel"))[[sample(3, 1)]]
    on <- sample(c("sailed", "booked"), 1)
    s <- statement(x, per = sample(all_grains[-1], 1), by = by, on = on, list_all = TRUE,
                   total = total(fare), entries = entries(), average = average(fare),
                   as_of = max(table$sailed_on))
    expected <- reference_rows(s, table, paste0(on, "_on"), by %||% character())
    for (figure in colnames(expected)) expect_equal(
      s[[figure]], unname(expected[, figure]), info = paste(seed, figure), tolerance = 1e-9)
    expect_equal(sum(s$total), sum(table$fare, na.rm = TRUE), tolerance = 1e-9)
    periods <- unique(as.data.frame(s)[c("from", "to")])
    expect_true(all(periods$from[-1] == periods$to[-nrow(periods)] + 1))  # every day once, in order
  }
})

test_that("many groups give what few give: dense and sparse agree", {
  x <- demo_ledger()
  facts <- function(s) cells_facts(s)
  many <- statement(x, per = "day", by = c("account", "route"), income = total(fare),
                    trips = entries())
  few <- statement(x, per = "day", by = "route", income = total(fare), trips = entries())
  expect_false(facts(many)$dense)
  expect_true(facts(few)$dense)
  few <- few[few$trips > 0, ]
  added <- aggregate(cbind(income, trips) ~ route + period, as.data.frame(many), sum)
  expect_equal(added$income, few$income)
  expect_identical(added$trips, few$trips)
})

test_that("a million groups are done in memory that follows the entries", {
  n <- 1e6
  table <- data.frame(day = as.Date("2024-01-01") + (seq_len(n) * 7) %% 700, account = seq_len(n),
                      fare = 1.25)
  x <- ledger(table, on = "day")
  withr::local_options(rlib_message_verbosity = "verbose")
  expect_message(s <- statement(x, per = "month", by = "account", income = total(fare)),
                 "Rows without entries are left out",
                 class = "rollingledger_message")
  expect_identical(nrow(s), as.integer(n))
  expect_identical(sum(s$income), 1.25 * n)
  bytes <- cells_facts(s)$bytes
  expect_lt(bytes, 60 * n)
  expect_match(format(s, rows = 2), "list_all = TRUE keeps them", all = FALSE)
  expect_refused(statement(x, per = "day", by = "account", list_all = TRUE),
                 "would have 694,000,000 rows", "choice")
})

test_that("leaving out rows without entries changes no figure of the others", {
  x <- demo_ledger()
  whole <- statement(x, per = "week", by = c("route", "channel"), where = fare > 60,
                     income = total(fare), trips = entries())
  withr::local_options(rollingledger.zero_rows = 100)
  kept <- statement(x, per = "week", by = c("route", "channel"), where = fare > 60,
                    income = total(fare), trips = entries())
  expect_lt(nrow(kept), nrow(whole))
  expect_identical(as.data.frame(kept), as.data.frame(whole[whole$trips > 0, ]), ignore_attr = TRUE)
})

test_that("every period of the span is there for every group, with zero", {
  s <- statement(few_ledger(), per = "month", by = "channel", income = total(fare))
  expect_identical(s$channel, rep(c("quay", "web"), 4))
  expect_identical(s$income[s$period == "2026-03"], c(0.2, 0))
  s <- statement(few_ledger(), per = "day", span = "2026-02")
  expect_identical(nrow(s), 28L)
})

test_that("conditions limit the sums; list_all keeps the list", {
  x <- few_ledger()
  s <- statement(x, by = "route", where = channel == "web", income = total(fare))
  expect_identical(s$route, c("Oysterby", "Wickholm"))
  s <- statement(x, by = "route", where = channel == "web", income = total(fare), list_all = TRUE)
  expect_identical(s$route, c("", "Oysterby", "Wickholm", NA))
  expect_identical(s$income, c(0, 5.2, 7, 0))
  s <- statement(x, by = c("route", "channel"), where = fare > 1e6, list_all = TRUE)
  expect_identical(nrow(s), 5L)  # the combinations that the ledger holds
  none <- statement(x, per = "month", by = "route", where = fare > 1e6)
  expect_identical(nrow(none), 0L)
  expect_match(format(none), "No rows", all = FALSE)
  expect_identical(statement(x, where = fare > 1e6)$entries, 0)
})

test_that("members of rows set aside are no members", {
  table <- few_fares()
  table$route[1] <- "Nowhere"
  table$sailed_on[1] <- NA
  s <- statement(ledger(table, on = "sailed_on"), by = "route", list_all = TRUE)
  expect_false("Nowhere" %in% s$route)
})

test_that("partial periods are marked or dropped, at both ends of a span", {
  x <- demo_ledger()
  s <- statement(x, per = "month", span = "2026-06-10/..", income = total(fare))
  expect_identical(s$complete, c(FALSE, TRUE, TRUE, FALSE))
  expect_identical(as.character(s$from[1]), "2026-06-10")
  expect_identical(as.character(s$to[4]), "2026-09-17")
  s <- statement(x, per = "month", span = "2026-06-10/..", income = total(fare), partial = "drop")
  expect_identical(s$period, c("2026-07", "2026-08"))
  for (grain in c("week", "month", "quarter", "year", "fiscal year")) {
    last <- statement(x, per = grain)
    expect_false(last$complete[nrow(last)], info = grain)
  }
})

test_that("figures do not depend on threads", {
  set.seed(4)
  n <- 250000
  table <- data.frame(day = as.Date("2024-01-01") + sample(500, n, TRUE),
                      route = sample(letters[1:6], n, TRUE), fare = round(stats::runif(n), 3),
                      fuel = stats::runif(n))
  run <- function(threads) {
    withr::local_options(rollingledger.threads = threads)
    as.data.frame(
      statement(ledger(table, on = "day"), per = "week", by = "route", a = total(fare),
                b = total(fuel), c = average(fare, where = fuel > 0.5)))
  }
  expect_identical(run(1), run(2), ignore_attr = TRUE)
})

test_that("forked processes go on where threads were used before", {
  skip_on_os("windows")
  n <- 250000
  withr::local_options(rollingledger.threads = 2)
  x <- ledger(data.frame(day = as.Date("2024-01-01") + seq_len(n) %% 300, fare = 0.25), on = "day")
  ask <- function(i) sum(statement(x, per = "month", income = total(fare))$income)
  expect_identical(ask(0), n / 4)
  jobs <- lapply(1:2, function(i) parallel::mcparallel(ask(i)))
  answers <- parallel::mccollect(jobs, wait = FALSE, timeout = 30)
  if (length(answers) < 2)
    answers <- c(answers,
                 parallel::mccollect(
                   jobs[!vapply(jobs, function(j) as.character(j$pid), "") %in% names(answers)],
                   wait = FALSE, timeout = 30))
  tools::pskill(vapply(jobs, function(j) j$pid, 0L))
  expect_identical(unname(unlist(answers)), rep(n / 4, 2))
})

test_that("sums of cents are exact", {
  set.seed(8)
  cents <- sample(-10000000:10000000, 1e6, TRUE)
  x <- ledger(data.frame(day = as.Date("2026-01-01"), fare = cents / 100), on = "day")
  expect_identical(statement(x, income = total(fare))$income, sum(as.numeric(cents)) / 100)
})

test_that("wrong questions are refused", {
  x <- few_ledger()
  expect_refused(statement(x, per = "mnth"), "Did you mean `month`", "choice")
  expect_error(statement(x, per = c("day", "week")), class = "rollingledger_error_choice")
  expect_refused(statement(x, by = "rout"), "Did you mean `route`", "column")
  expect_refused(statement(x, by = c("route", "route")), "different columns", "choice")
  expect_refused(statement(x, on = "saild"), "Did you mean `sailed`", "column")
  expect_refused(statement(x, list_all = NA), "`list_all` must be TRUE or FALSE", "choice")
  expect_refused(statement(x, partial = "hide"), "`partial` must be one of", "choice")
  expect_refused(statement(few_fares()), "must be a ledger", "choice")
  expect_refused(
    statement(ledger(transform(few_fares(), period = 1), on = "sailed_on"), by = "period"),
                 "Rename it", "choice")
})

test_that("the errors' texts stay clear", {
  x <- few_ledger()
  expect_snapshot(error = TRUE, {
    statement(x, per = "mnth")
    statement(x, per = "month", income = sum(fare))
    statement(x, per = "month", income = total(fair))
    statement(x, span = "2019")
    statement(x, span = "last week or so")
    ledger(few_fares(), on = "fare")
    ledger(data.frame(day = "03/04/2026"), on = "day")
  })
})
