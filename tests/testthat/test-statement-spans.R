test_that("spans are rows, in the order given, equal to the entries of their days", {
  x <- demo_ledger()
  spans <- c("month to date", before = "month to date, 1 year back", "FQTD", "every Q3",
             winter = "every 12-01/02-28")
  s <- statement(x, by = "route", spans = spans, income = total(fare), trips = entries(),
                 mean_fare = average(fare))
  resolved <- span(spans, x)
  expect_identical(unique(s$period), resolved$label)
  expect_identical(unique(s$period)[1:4],
                   c("month to date", "before", "fiscal quarter to date", "2023-Q3"))
  expect_identical(unique(s[c("period", "from")])$from, pmax(resolved$from, as.Date("2023-01-01")))
  slow <- reference_rows(s, demo_fares, by = "route")
  expect_equal(s$income, unname(slow[, "total"]), tolerance = 1e-12)
  expect_identical(s$trips, unname(slow[, "entries"]))
  expect_equal(s$mean_fare, unname(slow[, "average"]), tolerance = 1e-12)
  expect_identical(unique(s[c("period", "complete")])$complete,
                   c(FALSE, FALSE, FALSE, TRUE, TRUE, TRUE, FALSE, FALSE, TRUE, TRUE, TRUE))
})

test_that(
  "a recurring span gives as many rows as spans, or its own periods; per adds up to the span", {
  x <- demo_ledger()
  whole <- statement(x, span = "every Q3", income = total(fare), trips = entries())
  expect_identical(whole$period, c("2023-Q3", "2024-Q3", "2025-Q3", "2026-Q3"))
  for (grain in c("day", "week", "month", "fiscal month")) {
    parts <- statement(x, per = grain, span = "every Q3", income = total(fare), trips = entries())
    quarter <- findInterval(parts$from, whole$from)
    expect_equal(unname(c(tapply(parts$income, quarter, sum))), whole$income, tolerance = 1e-12)
    expect_identical(unname(c(tapply(parts$trips, quarter, sum))), whole$trips)
    expect_true(all(control_totals(parts)$difference == 0))
    running <- add_running(parts, income)
    expect_equal(running$income_running[!duplicated(quarter, fromLast = TRUE)], whole$income,
                 tolerance = 1e-12)
  }
  expect_true(all(control_totals(whole)$difference == 0))
  expect_refused(statement(x, per = "month", span = "trailing 400 days, every year"),
                 "overlap, so a month would stand in two", "span")
  overlapping <- statement(x, by = "channel", span = "trailing 400 days, every year",
                           income = total(fare))
  expect_true(all(control_totals(overlapping)$difference == 0))
})

test_that("random phrases equal the slow reference, with the days that span() tells", {
  set.seed(41)
  phrases <- c("month to date", "last 3 months", "trailing 45 days", "latest 5 weeks",
               "week to date, 3 weeks back", "QTD, 1 year back", "every W02",
               "last 2 quarters, 1 quarter back", "FYTD", "month to date, every year", "all",
               "../2024-01", "every 11-15/01-15", "this fiscal quarter")
  rows <- 0
  for (seed in seq_len(rounds(25, 100))) {
    table <- random_fares(seed)
    x <- suppressMessages(ledger(table, on = "sailed_on", calendar = some_fiscal_calendar(seed)))
    asked <- unique(sample(phrases, 3))
    s <- tryCatch(
      statement(x, by = "route", spans = asked, income = total(fare), trips = entries(),
                list_all = TRUE),
                  rollingledger_error_span = function(e) NULL)
    if (is.null(s)) next
    rows <- rows + nrow(s)
    slow <- reference_rows(s, table, by = "route")
    expect_equal(s$income, unname(slow[, "total"]), tolerance = 1e-9, info = seed)
    expect_identical(s$trips, unname(slow[, "entries"]), info = seed)
    days <- span(asked, x)
    expect_identical(unique(s[c("period", "to")])$to, pmin(days$to, max(table$sailed_on)))
  }
  expect_gt(rows, 2 * rounds(25, 100))
})

test_that("a condition that empties the last week changes no date", {
  x <- demo_ledger()
  last_week <- span("latest finished week", x)
  early <- sprintf("sailed_on < \"%s\"", last_week$from - 30)
  for (phrase in c("latest finished week", "last week", "week to date", "month to date",
                   "latest 4 weeks", "month to date, every year")) {
    plain <- statement(x, span = phrase, income = total(fare),
                       trips = entries(where = channel == "web"))
    emptied <- statement(x, span = phrase, where = !!early, income = total(fare),
                         trips = entries(where = channel == "web"))
    expect_identical(emptied[c("period", "from", "to", "complete")],
                     plain[c("period", "from", "to", "complete")], ignore_attr = TRUE,
                     info = phrase)
    expect_identical(emptied$trips[nrow(emptied)], 0)
    # The heading speaks of the same days as the rows.
    expect_identical(format(emptied)[1], format(plain)[1])
    days <- span(phrase, x)
    expect_identical(plain$to, days$to)
  }
  weekly <- statement(x, per = "week", span = "latest 4 weeks", where = !!early, trips = entries())
  expect_identical(weekly$period, statement(x, per = "week", span = "latest 4 weeks")$period)
  subtitle <- figure_trend(weekly)$labels$subtitle
  expect_match(subtitle, "24 Aug to 17 Sep 2026 (latest 4 weeks), as of 17 Sep 2026", fixed = TRUE)
})

test_that("relative spans may hang on each group's own latest entry", {
  table <- data.frame(sailed_on = as.Date("2026-01-01") + c(0:200, 0:100, 5:9),
                      route = rep(c("Oysterby", "Wickholm", "Tern Head"), c(201, 101, 5)),
                      channel = "web", fare = 1:307)
  x <- ledger(table, on = c(sailed = "sailed_on"))
  latest <- tapply(table$sailed_on, table$route, max)
  for (phrase in c("month to date", "last 2 weeks", "trailing 10 days", "this month")) {
    s <- statement(x, by = "route", spans = c(phrase, "2026-01"), anchor = "group",
                   income = total(fare), trips = entries())
    slow <- reference_rows(s, table, by = "route")
    expect_identical(s$income, unname(slow[, "total"]))
    expect_identical(s$trips, unname(slow[, "entries"]))
    for (route in s$route[s$period == phrase]) {
      own <- span(phrase, x, as_of = as.Date(latest[[route]], "1970-01-01"))
      row <- s[s$period == phrase & s$route == route, ]
      expect_identical(c(row$from, row$to),
                       c(max(own$from, min(table$sailed_on)), min(own$to, max(table$sailed_on))),
                       info = paste(phrase, route))
    }
    expect_true(all(s$complete[s$period == "2026-01"]))
  }
  s <- statement(x, per = "month", by = "route", span = "latest 2 months", anchor = "group",
                 where = channel == "quay" | fare > 0, income = total(fare)) |>
    add_running(income)
  expect_identical(s$period, c("2026-01", "2026-03", "2026-04", "2026-06", "2026-07"))
  expect_identical(s$route, c("Tern Head", "Wickholm", "Wickholm", "Oysterby", "Oysterby"))
  expect_identical(s$income_running[3], sum(s$income[2:3]))
  expect_match(format(s, width = 200)[1],
               "latest 2 months up to each route's own latest entry, as of 10 Jan to 20 Jul 2026")
  expect_match(figure_trend(s)$labels$subtitle, "each route's own latest entry")
  # What conditions leave over does not move the anchor.
  few <- statement(x, by = "route", span = "month to date", anchor = "group",
                   where = fare == 1 | route != "Oysterby", trips = entries(), list_all = TRUE)
  expect_identical(few$to[few$route == "Oysterby"], as.Date("2026-07-20"))
  expect_refused(control_totals(s), "own latest entry", "choice")
  expect_refused(statement(x, span = "MTD", anchor = "group"), "needs groups", "choice")
  expect_refused(statement(x, by = "route", span = "2026-01", anchor = "group"),
                 "\"2026-01\" is not one", "choice")
})

test_that("missing amounts are counted once, whatever the spans", {
  x <- few_ledger()
  expect_match(
    tail(format(statement(x, spans = c("2026-04", "all", "FY2027"), income = total(fare))), 1),
    "^1 entry without a fare")
  s <- statement(x, by = "route", span = "trailing 90 days", anchor = "group", income = total(fare))
  expect_match(tail(format(s), 1), "^1 entry without a fare")
})

test_that("look-backs start on a whole period, or say which phrase would", {
  x <- demo_ledger()
  for (unit in c("week", "month", "quarter", "fiscal month")) for (kind in c("last", "latest")) {
    s <- statement(x, per = unit, span = sprintf("%s 6 %ss", kind, unit))
    expect_identical(nrow(s), 6L)
    expect_true(all(s$complete[1:5]))
    expect_identical(s$complete[6], kind == "last")
    dropped <- statement(x, per = unit, span = sprintf("%s 6 %ss", kind, unit), partial = "drop")
    expect_identical(nrow(dropped), if (kind == "last") 6L else 5L)
  }
  cut <- statement(x, per = "month", span = "trailing 60 days")
  expect_identical(cut$complete, c(FALSE, TRUE, FALSE))
  expect_match(format(cut, width = 200),
               paste0("The span starts inside 2026-07; \"latest 3 months\" would start on its ",
                      "first day, 1 Jul 2026."), fixed = TRUE, all = FALSE)
  whole <- statement(x, per = "month", span = "latest 3 months")
  expect_identical(whole$from[1], as.Date("2026-07-01"))
  expect_false(any(grepl("starts inside", format(whole))))
  expect_identical(nrow(statement(x, span = "every Q3", partial = "drop")), 3L)
})

test_that("a span made by span() is taken as it is", {
  x <- demo_ledger()
  made <- span(c(summer = "every Q3", "month to date"), x)
  s <- statement(x, spans = made, trips = entries())
  expect_identical(s$period, made$label)
  expect_identical(
    s$trips, statement(x, spans = c(summer = "every Q3", "month to date"), trips = entries())$trips)
  expect_match(format(statement(x, span = span("last month", x)))[1],
               "sailed 1 to 31 Aug 2026 (last month)", fixed = TRUE)
})

test_that("spans that cannot be shown are refused, and empty ones are said", {
  x <- few_ledger()
  expect_refused(statement(x, span = "MTD", spans = "YTD"), "`span` or `spans`, not both", "choice")
  expect_refused(statement(x, per = "month", spans = "YTD"), "`per` has no place", "choice")
  expect_refused(statement(x, spans = c("MTD", "month to date")),
                 "Two spans have the label \"month to date\"", "span")
  expect_refused(statement(x, spans = c("MTD", old = "2019")),
                 "no entries in 1 Jan to 31 Dec 2019 \\(span \"old\"\\)", "span")
  expect_error(statement(x, spans = character()), class = "rollingledger_error_span")
  expect_error(statement(x, spans = 3), class = "rollingledger_error_span")
  s <- statement(x, spans = c("MTD", quiet = "2026-02-10/2026-02-20"), trips = entries())
  expect_identical(s$trips, c(3, 0))
  expect_match(format(s), "There are no entries in 10 to 20 Feb 2026 (quiet).", fixed = TRUE,
               all = FALSE)
})

test_that("a statement without rows goes through every verb and prints", {
  x <- few_ledger()
  for (s in list(
    statement(x, per = "month", by = "route", where = fare > 500, income = total(fare)),
    statement(x, by = "route", spans = c("MTD", "2026-01"), where = fare > 500,
              income = total(fare)),
    statement(x, by = "route", span = "MTD", anchor = "group", where = fare > 500,
              income = total(fare))
  )) {
    expect_identical(nrow(s), 0L)
    all <- s |> add_running(income) |> add_rolling(income, "3 months") |>
      add_change(income, "1 year back") |> add_share(income)
    expect_match(format(all), "No rows", all = FALSE)
    expect_match(format(cross_table(all, if (is.null(attr(s, "plan")$per)) "span" else "period")),
                 "No rows", all = FALSE)
    expect_identical(dim(all), c(0L, 12L))
  }
  t <- compare_spans(x, "MTD", "2026-01", by = "route", where = fare > 500, income = total(fare))
  expect_identical(dim(t), c(0L, 5L))
  expect_identical(statement(x, span = "2026-04", partial = "drop")$from, as.Date(character()))
})

test_that("a statement whose groups have no day of their own spans has no rows", {
  x <- ledger(data.frame(day = as.Date("2026-05-21"), route = "A", fare = 1), on = "day",
              as_of = "2026-08-04")
  ask <- function(...) statement(x, per = "month", by = "route", span = "last quarter",
                                 list_all = TRUE, income = total(fare), ...)
  expect_identical(nrow(ask()), 2L)
  s <- ask(anchor = "group")  # the quarter before that of 21 May, which is before the first day
  expect_identical(nrow(s), 0L)
  expect_match(format(s), "No rows", all = FALSE)
})

test_that("periods that are dropped are in no total, heading, share or note", {
  # to 17 April
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:106, route = rep_len(c("A", "B"), 107),
                         fare = 10), on = "day")
  s <- statement(x, per = "month", by = "route", span = "2026-02/..", partial = "drop",
                 totals = "both", income = total(fare))
  all <- s$income[s$period == "(all)" & s$route == "(all)"]
  expect_identical(all, sum(s$income[s$period != "(all)" & s$route == "(all)"]))
  expect_identical(all, 590)
  expect_true(all(s$complete))
  shown <- format(s)
  expect_match(shown[1], "1 Feb to 31 Mar 2026")
  expect_no_match(shown, "partial|Apr 2026, as")
  expect_identical(sum(control_totals(s)$statement), 590)
  expect_identical(control_totals(s)$difference, 0)
  share <- add_share(
    statement(x, per = "month", by = "route", span = "2026-02/..", partial = "drop",
              income = total(fare)), income, of = "span")
  expect_equal(sum(share$income_share), 100)
  spans <- statement(x, spans = c(all = "2026-03", part = "2026-04"), partial = "drop",
                     income = total(fare))
  expect_identical(spans$period, "all")
  expect_match(format(statement(x, per = "month", totals = "period", income = total(fare)))[1],
               ", 1 period partial$")
})

test_that("periods in a span are those of the statement's grain, in every form of the question", {
  x <- demo_ledger()
  grains <- c("day", "week", "month", "quarter", "year", "fiscal week", "fiscal month",
              "fiscal quarter", "fiscal year")
  forms <- c("latest 2 %s", "last %s", "trailing 2 %s", "latest finished %s, 1 %s back",
             "last 2 %s, 1 year back", "this %s, 1 %s back, 1 year back")
  for (per in grains) for (form in forms) {
    said <- function(unit) gsub("%s", unit, form, fixed = TRUE)
    ask <- function(phrase) as.data.frame(statement(x, per = per, span = phrase,
                                                    fare = total(fare)))
    expect_identical(ask(said("period")), ask(said(per)), info = paste(per, form))
  }
  s <- statement(x, per = "week", span = "latest 3 periods", fare = total(fare))
  asked <- attr(s, "question")
  expect_identical(asked$statement$span, "latest 3 periods")
  expect_identical(as.data.frame(answer(asked, x)), as.data.frame(s))
  got <- command("statement", demo_csv(), "--on", "sailed_on", "--amount", "fare", "--per", "week",
                 "--span", "latest 3 periods", "--measure", "fare=total(fare)")
  expect_true(all(vapply(rollingledger:::number_text(s$fare, 2), function(text) {
    any(grepl(text, got$out, fixed = TRUE))
  }, TRUE)))
  read <- suppressMessages(ledger(demo_csv(), on = "sailed_on", amounts = "fare"))
  brief <- file.path(withr::local_tempdir(), "weeks.yml")
  suppressMessages(save_brief(statement(read, per = "week", span = "latest 3 periods",
                                        fare = total(fare)), brief))
  expect_true(any(grepl("span: latest 3 periods", readLines(brief), fixed = TRUE)))
  ran <- suppressMessages(run_brief(brief, from = dirname(demo_csv())))
  expect_identical(as.data.frame(ran$statements[[1]]), as.data.frame(s))
  for (expr in expression(statement(x, span = "latest 2 periods"), span("last 3 periods"),
                          statement(x, spans = c("last period", "this month")),
                          compare_spans(x, "last period", "last month"),
                          statement(x, span = "last month") |>
                            add_change(entries, from = "2 periods back")))
    expect_refused(eval(expr), "speaks of periods, and nothing here says which", "span")
  weekly <- statement(x, per = "week", span = "last 5 periods")
  expect_identical(as.data.frame(add_change(weekly, entries, from = "3 periods back")),
                   as.data.frame(add_change(weekly, entries, from = "3 weeks back")))
})

test_that("of phrases by grain that of the statement's own counts, whoever asks", {
  phrases <- c(week = "latest 5 weeks", month = "latest 3 months")
  x <- demo_ledger()
  for (per in names(phrases)) {
    s <- statement(x, per = per, span = phrases, income = total(fare))
    expect_identical(s$income, statement(x, per = per, span = phrases[[per]],
                                         income = total(fare))$income)
    expect_identical(answer(question(s), x)$income, s$income)
  }
  expect_refused(statement(x, per = "year", span = phrases), "no phrase for.*week and month",
                 "span")
  expect_refused(statement(x, span = phrases), "by grain, and the statement has none", "span")
  # A single named phrase is called so, and two that are no grains are no span.
  expect_identical(unique(statement(x, span = c(now = "last month"))$period), "now")
  expect_refused(statement(x, per = "month", span = c(a = "2026", month = "2025")), "one text",
                 "span")
  lines <- c("brief: 1", "name: By grain", "ledger: {file: fares.csv.gz, on: sailed_on}",
             "ask:", "  grain: {kind: choice, choices: [week, month, year], default: week}",
             "statements:", "  s:", "    per: <grain>", "    measures: {income: total(fare)}",
             "    span:", "      by grain: {week: latest 5 weeks, month: latest 3 months}")
  file <- withr::local_tempfile(lines = lines, fileext = ".yml")
  from <- system.file("extdata", package = "rollingledger")
  run <- function(grain) command("run", file, "--from", from, "--value", paste0("grain=", grain))
  expect_length(grep("^2026-W", run("week")$out), 5)
  expect_length(grep("^2026-0", run("month")$out), 3)
  # What is wrong is told in the words of the brief, whoever runs it.
  expect_match(paste(run("year")$said, collapse = " "),
               "`span:` has no phrase for `per: year`", fixed = TRUE)
})
