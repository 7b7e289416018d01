test_that("the answer to a statement's question is the statement, also by way of JSON and YAML", {
  skip_if_not_installed("yaml")
  met <- c(statements = 0, verbs = 0, refused = 0, tables = 0)
  kinds <- character()
  seeds <- rounds(10, 60)
  for (seed in seq_len(seeds)) {
    made <- random_ledger(seed)
    for (try in 1:20) {
      args <- random_statement(made$kind)
      asked <- asked_at_random(made$x, args, random_verbs(args))
      if (is.null(asked)) {
        met["refused"] <- met[["refused"]] + 1
        next
      }
      q <- question(asked$s)
      expect_true(identical(suppressMessages(answer(q, made$x)), asked$s), info = paste(seed, try))
      again <- jsonlite::fromJSON(jsonlite::toJSON(q, auto_unbox = TRUE, digits = NA),
                                  simplifyVector = try %% 2 == 0)
      expect_true(identical(own("as_question")(again), q), info = paste(seed, try, "JSON"))
      if (try %% 4 == 0) {
        expect_true(identical(own("as_question")(yaml::yaml.load(yaml::as.yaml(q, precision = 17))),
                              q), info = paste(seed, try, "YAML"))
        table <- cross_table(asked$s, if (is.null(args$per)) "span" else "period",
                             down = one_of_these("groups", "figures"))
        expect_true(identical(suppressMessages(answer(question(table), made$x)), table),
                    info = paste(seed, try, "cross table"))
        met["tables"] <- met[["tables"]] + 1
      }
      met[c("statements", "verbs")] <- met[c("statements", "verbs")] + c(1, length(asked$verbs))
      kinds <- union(kinds,
                     c(vapply(asked$verbs, function(verb) verb$fun, ""),
                       if ("route" %in% args$by) made$kind))
    }
  }
  expect_gt(met[["statements"]], 13 * seeds)
  expect_gt(met[["verbs"]], 8 * seeds)
  expect_gt(met[["tables"]], 2.5 * seeds)
  expect_setequal(kinds,
                  c(member_kinds,
                    paste0("add_",
                           c("running", "rolling", "change", "share", "per_day", "rank",
                             "target"))))
})

test_that("a question keeps what was asked as it was asked", {
  x <- few_ledger()
  most <- 5
  s <- statement(x, per = "month", span = "2026", income = total(fare, where = fare < !!most),
                 trips = "entries( )", per_trip = income/trips) |>
    add_rolling(income, over = c("2 months", "30 days"), short = "keep") |>
    add_change("income", from = "1 month back") |>
    add_running(trips)
  q <- question(s)
  expect_identical(q$statement,
                   list(per = "month",
                        measures = list(income = "total(fare, where = fare < 5)",
                                        trips = "entries()", per_trip = "income / trips"),
                        span = "2026"))
  expect_identical(q$steps,
                   list(list(verb = "add_rolling", m = "income", over = c("2 months", "30 days"),
                             short = "keep"),
                        list(verb = "add_change", m = "income", from = "1 month back"),
                        list(verb = "add_running", m = "trips")))
  expect_identical(q$ledger[c("data", "on")], list(data = NULL, on = NULL)[0] |>
                   c(q$ledger[c("data", "on")]))
  expect_match(format(q), "over: 2 months and 30 days", all = FALSE)
  expect_match(format(q), "income: total(fare, where = fare < 5)", fixed = TRUE, all = FALSE)
  long <- paste0("c(", paste(sprintf("\"route %03d\"", 1:200), collapse = ", "), ")")
  s <- suppressMessages(statement(x, trips = entries(), where = !!paste("!(route %in%", long, ")")))
  expect_identical(question(s)$statement$where, sprintf("!(route %%in%% %s)", long))
  expect_match(statement(x, where = !!as.Date("2026-02-01") < booked_on) |> format(),
               "Where \"2026-02-01\" < booked_on", all = FALSE)
})

test_that("phrases mean the days that they mean when the question is asked again", {
  early <- few_fares()[1:4, ]
  s <- statement(ledger(early, on = "sailed_on"), span = "latest month", income = total(fare))
  late <- answer(question(s), ledger(few_fares()[1:5, ], on = "sailed_on"))
  expect_identical(as.character(s$from), "2026-02-01")
  expect_identical(as.character(late$from), "2026-03-01")
})

test_that("comparisons, members, entries, reconciliations, figures, tiles and pages are questions",
          {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = "route", span = "last 2 months", income = total(fare),
                 trips = entries())
  same <- function(made, ...) expect_identical(answer(question(made), x, ...), made)
  same(compare_spans(x, "month to date", c(then = "month to date, 1 year back"), by = "route",
                     income = total(fare)))
  same(compare_members(x, "account", "2026-08", "2026-07", income = total(fare),
                       where = channel == "web"))
  same(entries_behind(s, period = "2026-08", route = "Oysterby", figure = trips))
  same(entries_behind(s, row = 2))
  same(report_tiles(
    add_change(statement(x, span = "month to date", income = total(fare)), income,
               from = "1 year back"), income))
  daily <- statement(x, per = "day", span = "2026-08", income = total(fare))
  same(reconcile(daily, demo_deposits, by = c(period = "received_on")),
       tables = list(demo_deposits = demo_deposits))
  expect_refused(
    answer(question(reconcile(daily, demo_deposits, by = c(period = "received_on"))), x),
                 "needs the table `demo_deposits` again", "question")
  for (p in list(figure_trend(s, income, panels = "route", average = TRUE),
                 figure_columns(s, trips, arrange = "stacked"),
                 figure_leaders(s, keep = 2, title = "Leaders"),
                 figure_days(daily, gap = 0.2),
                 figure_change(statement(x, span = "2026", income = total(fare)),
                               in_per_cent = TRUE))) {
    q <- question(p)
    again <- answer(
      jsonlite::fromJSON(jsonlite::toJSON(q, auto_unbox = TRUE, digits = NA),
                         simplifyVector = FALSE), x)
    expect_identical(again$data, p$data)
    expect_identical(again$labels$title, p$labels$title)
    expect_identical(question(again), q)
  }
  parts <- list("By route" = s, report_heading("More", 2), "A line of text.",
                figure_trend(s, income))
  page <- answer(question(parts), x)
  expect_identical(names(page), c("By route", "", "", ""))
  expect_identical(page[[1]], s)
  expect_identical(page[2:3], unname(parts[2:3]) |> stats::setNames(c("", "")))
  file <- withr::local_tempfile(fileext = ".html")
  write_report(!!!page, file = file)
  expect_true(file.size(file) > 10000)
})

test_that(
  "a ledger of files is built again from the question, with its lookup, conditions and calendar", {
  folder <- withr::local_tempdir()
  fares <- file.path(folder, "fares.csv")
  data.table::fwrite(utils::head(demo_fares, 3000)[c("sailed_on", "account", "channel", "fare")],
                     fares)
  accounts <- file.path(folder, "accounts.csv")
  data.table::fwrite(demo_accounts, accounts)
  periods <- file.path(folder, "periods.csv")
  data.table::fwrite(
    data.frame(from = as.Date("2019-12-30") + 28 * 0:120, to = as.Date("2019-12-30") +
               28 * 1:121 - 1, label = sprintf("P%03d", 1:121)), periods)
  x <- suppressMessages(
    ledger(fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"), codes = "account",
           where = fare > 0,
           calendar = ledger_calendar(periods = periods, holidays = c(Founding = "2023-01-02"))) |>
                          add_attributes(accounts, "account") |> keep_entries(channel == "web"))
  s <- statement(x, per = "fiscal month", by = "kind", income = total(fare)) |> add_per_day(income)
  again <- suppressMessages(
    answer(jsonlite::fromJSON(jsonlite::toJSON(question(s), auto_unbox = TRUE, digits = NA))))
  expect_identical(as.data.frame(again), as.data.frame(s))
  expect_identical(question(again), question(s))
  grown <- suppressMessages(
    append_entries(x, demo_fares[1:2, c("sailed_on", "account", "channel", "fare")]))
  expect_refused(suppressMessages(answer(question(statement(grown, income = total(fare))))),
                 "Entries were appended", "question")
  expect_refused(answer(question(statement(few_ledger(), income = total(fare)))),
                 "made of a table", "question")
})

test_that("what is no question is refused, with what would be right", {
  x <- few_ledger()
  q <- question(statement(x, per = "month", income = total(fare)))
  refused <- function(q, message, class = "question") expect_error(
    answer(q, x), message, class = paste0("rollingledger_error_", class))
  with_part <- function(q, part) {
    q[names(part)] <- part
    q
  }
  refused("last month", "A question is a list")
  refused(list(statment = list()), "has no part `statment`")
  refused(with_part(q, list(steps = list(list(verb = "add_runing", m = "income")))),
          "Did you mean `add_running`")
  refused(with_part(q,
                    list(steps = list(list(verb = "add_running", m = "income", sicne = "year")))),
          "Did you mean `since`")
  refused(with_part(q,
                    list(steps = list(list(verb = "add_running", m = "income", since = "yaer")))),
          "Did you mean `year`", "choice")
  refused(with_part(q,
                    list(statement = list(per = "month",
                                          measures = list(income = "system(\"ls\")")))),
          "not known in a measure", "measure")
  refused(with_part(q, list(show = list(list(show = "write_report")))), "nothing to show called")
  expect_refused(question(1:3), "There is no question behind numbers", "question")
})
