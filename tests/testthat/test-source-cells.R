# A table of sums by day is asked as the entries are that it was made of.

cells_of <- function(table, by) {
  day <- if (is.null(table$day)) table$sailed_on else table$day
  key <- do.call(paste, c(list(day), lapply(by, function(name) table[[name]]), sep = "\r"))
  first <- !duplicated(key)
  of <- match(key, key[first])
  sums <- function(values) as.vector(tapply(values, factor(of, seq_len(sum(first))), sum))
  out <- table[first, c("sailed_on", by), drop = FALSE]
  out$fare <- round(sums(ifelse(is.na(table$fare), 0, table$fare)), 2)
  out$tickets <- as.integer(sums(rep(1L, nrow(table))))
  out$fares <- as.integer(sums(as.integer(!is.na(table$fare))))
  out
}

questions_of_cells <- list(
  "totals" = function(x) statement(x, per = "month", by = "route", income = total(fare),
                                   trips = entries(), mean = average(fare), totals = "both"),
  "verbs" = function(x) {
    statement(x, per = "week", by = "route", income = total(fare), span = "latest 6 weeks") |>
      add_running(income, since = "year") |> add_rolling(income, over = "30 days") |>
      add_change(income, from = "1 year back") |> add_rank(income, keep = 2, rest = "Others") |>
      add_share(income)
  },
  "conditions and attributes" = function(x) {
    keep_entries(x, channel != "web" | is_missing(channel)) |>
      statement(per = "quarter", by = c("route", "channel"), income = total(fare),
                ways = distinct(channel), new = newcomers(route), list_all = TRUE,
                gull = total(fare, where = has_text(route, "u")))
  },
  "text worked out and parts" = function(x) {
    work_out(x, first = upper_case(first_letters(route, 1))) |>
      statement(by = c("first", "weekday"), income = total(fare), n = entries())
  },
  "spans" = function(x) compare_spans(x, "this month", "last month", by = "channel",
                                      income = total(fare), trips = entries()),
  "across" = function(x) {
    statement(x, per = "month", by = "route", income = total(fare)) |> cross_table("period")
  }
)

# Notes of what is missing are told; the numbers of rows are not part of the figures.
test_that("sums by day answer as the entries they are of, on every engine", {
  set.seed(11)
  table <- data.frame(
    sailed_on = as.Date("2025-06-01") + sample(0:300, 3000, TRUE),
    route = sample(c("Gull Rock", "Tern Head", "Oysterby", NA), 3000, TRUE),
    channel = sample(c("web", "desk", NA), 3000, TRUE),
    fare = round(stats::rnorm(3000, 20, 30), 2))
  table$fare[sample(3000, 40)] <- NA
  x <- ledger(table, on = "sailed_on")
  each_engine(function(at, engine) {
    at$put(cells_of(table, c("route", "channel")), "fares_by_day")
    y <- ledger_cells(at$con, table = "fares_by_day", on = "sailed_on", entries = "tickets",
                      counts = c(fare = "fares"))
    expect_identical(own("source_facts")(y)$counts$used, nrow(table), info = engine)
    expect_false(any(c("tickets", "fares") %in% own("source_column_names")(y)))
    for (name in names(questions_of_cells)) {
      a <- suppressMessages(questions_of_cells[[name]](x))
      b <- suppressMessages(questions_of_cells[[name]](y))
      expect_equal(as.data.frame(b), as.data.frame(a), tolerance = 1e-12,
                   info = paste(engine, name))
      if (inherits(a, "statement")) {
        expect_identical(attr(b, "plan")$notes, attr(a, "plan")$notes, info = paste(engine, name))
        expect_equal(control_totals(b), control_totals(a), info = paste(engine, name))
      }
    }
    # An answer of its record is the same.
    s <- questions_of_cells$totals(y)
    expect_equal(as.data.frame(answer(question(s), y)), as.data.frame(s), info = engine)
    at$close()
  })
})

test_that("what needs single entries is refused in plain words", {
  skip_if_not_installed("RSQLite")
  con <- withr::local_db_connection(DBI::dbConnect(RSQLite::SQLite(), ":memory:"))
  table <- data.frame(sailed_on = as.Date("2026-01-01") + 0:9, route = rep(c("a", "b"), 5),
                      channel = "web", fare = 1:10)
  DBI::dbWriteTable(con, "days", dates_as_text(cells_of(table, c("route", "channel"))))
  x <- ledger_cells(con, table = "days", on = "sailed_on", entries = "tickets")
  s <- statement(x, per = "week", by = "route", income = total(fare))
  refused <- list(
    quote(statement(x, a = smallest(fare))), quote(statement(x, a = largest(fare))),
    quote(statement(x, a = middle(fare))), quote(statement(x, a = balance(fare))),
    quote(statement(x, a = distinct(fare))), quote(statement(x, a = total(fare), where = fare > 3)),
    quote(statement(x, a = total(fare, where = is_missing(fare)))),
    quote(statement(x, by = "fare", n = entries())), quote(work_out(x, twice = fare * 2)),
    quote(work_out(x, size = band(fare, 10))), quote(entries_behind(s, row = 1)),
    quote(keep_entries(x, fare > 2)), quote(statement(x, a = average(fare))),
    quote(statement(x, a = total(fare * 2))), quote(check_ledger(x)))
  for (one in refused) {
    said <- expect_error(eval(one), class = "rollingledger_error_cells", info = deparse(one))
    expect_match(conditionMessage(said), "needs single entries|needs to know", info = deparse(one))
  }
  wrong <- function(..., about) {
    said <- expect_error(ledger_cells(con, table = "days", on = "sailed_on", ...),
                         class = "rollingledger_error")
    expect_match(conditionMessage(said), about)
  }
  wrong(entries = "ticket", about = "tickets")
  wrong(entries = "route", about = "whole-number columns")
  wrong(entries = 1, about = "name of one column|names of columns")
  wrong(entries = "tickets", counts = c(fair = "fares"), about = "fair")
  wrong(entries = "tickets", until = "sailed_on", about = "date basis|single entries")
  expect_error(ledger(demo_fares, on = "sailed_on", counts = c(entries = "passengers")))
  file <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(table, file, row.names = FALSE)
  expect_error(ledger(file, on = "sailed_on", counts = c(entries = "fare")), "left in place")
})
