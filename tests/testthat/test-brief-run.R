# Briefs that are run: the shipped ones, those made of random questions, and what they ask for.

# The same questions in R, as a statement or a comparison each.
same_in_r <- list(
  "board-page" = function() {
    x <- suppressMessages(ledger(file.path(demo_tables(), "fares.csv.gz"), amounts = "fare",
                                 on = c(sailed = "sailed_on", booked = "booked_on"),
                                 units = c(fare = "EUR"), calendar = april))
    list(
      "so far" = statement(x, span = "month to date", income = total(fare), trips = entries(),
                           riders = distinct(account)) |>
        add_change(income, "1 year back") |> add_change(trips, "1 year back") |>
        add_change(riders, "1 year back"),
      monthly = statement(x, per = "month", span = "FY2026/..", income = total(fare),
                          trips = entries(), yield = income / trips) |>
        add_running(income, since = "fiscal year"),
      "by route" = statement(x, per = "month", by = "route", span = "FY2026/..",
                             income = total(fare)),
      routes = statement(x, by = "route", span = "fiscal year to date", income = total(fare)) |>
        add_change(income, "1 year back"))
  },
  "daily-flash" = function() {
    x <- sailed_fares()
    list(
      "month to date" = statement(x, span = "month to date", income = total(fare),
                                  trips = entries()) |>
        add_change(income, "1 year back") |> add_change(trips, "1 year back"),
      days = statement(x, per = "day", span = "latest 7 days", income = total(fare),
                       trips = entries()) |>
        add_rolling(income, "7 days") |> add_running(income, since = "month"))
  },
  "leaders-per-week" = function() {
    list(leaders = statement(sailed_fares(), per = "week", by = "route", span = "last 8 weeks",
                             income = total(fare), trips = entries()) |>
           add_rank(income, keep = 3, rest = "All other routes") |> sort_rows(income))
  },
  "new-and-lost-accounts" = function() {
    x <- suppressMessages(add_attributes(sailed_fares(), file.path(demo_tables(),
                                                                   "accounts.csv.gz"), "account"))
    list(
      accounts = compare_members(x, "account", "last month", "last month, 1 year back", by = "kind",
                                 income = total(fare), trips = entries()),
      counts = statement(x, per = "month", by = "kind", span = "last 12 months",
                         riders = distinct(account), gone = lapsed(account)))
  },
  "passes-open" = function() {
    x <- ledger(file.path(demo_tables(), "passes.csv.gz"), on = c(started = "from_on"),
                until = "until_on", as_of = "2026-09-17")
    list(open = statement(x, per = "day", by = "route", span = "latest 7 days", open = active(),
                          totals = "by"))
  },
  "morning-look" = function() {
    x <- suppressMessages(ledger(file.path(demo_tables(), "fares.csv.gz"), amounts = "fare",
                                 on = c(sailed = "sailed_on"), units = c(fare = "EUR"),
                                 calendar = april))
    list(week = stands_out(x, per = "week", by = c("route", "channel"),
                           span = "latest finished week", income = total(fare),
                           trips = entries(), riders = distinct(account)),
         days = stands_out(x, per = "day", by = "route", span = "latest finished 7 days",
                           income = total(fare), trips = entries()))
  },
  "why-the-month-differs" = function() {
    x <- suppressMessages(ledger(file.path(demo_tables(), "fares.csv.gz"), amounts = "fare",
                                 on = c(sailed = "sailed_on"), units = c(fare = "EUR"),
                                 calendar = april))
    ask <- function(...) why_changed(x, "last month", "last month, 1 year back", ...)
    list(who = ask(income = total(fare)),
         how = ask(by = c("route", "fare_class"), volume = "passengers", income = total(fare)),
         accounts = ask(accounts = distinct(account)))
  },
  "where-the-month-lands" = function() {
    x <- suppressMessages(ledger(file.path(demo_tables(), "fares.csv.gz"), amounts = "fare",
                                 on = c(sailed = "sailed_on"), units = c(fare = "EUR"),
                                 calendar = april))
    list(
      months = statement(x, per = "month", span = "latest 12 months", income = total(fare),
                         trips = entries()) |> add_expected(income) |> add_expected(trips),
      routes = statement(x, per = "month", by = "route", span = "this month", totals = "by",
                         income = total(fare)) |> add_expected(income),
      year = statement(x, per = "fiscal year", span = "latest 3 fiscal years",
                       income = total(fare)) |> add_expected(income))
  },
  "bank-tie-out" = function() {
    x <- suppressMessages(ledger(file.path(demo_tables(), "fares.csv.gz"), amounts = "fare",
                                 on = c(booked = "booked_on"), units = c(fare = "EUR")))
    list(booked = statement(x, per = "day", income = total(fare)))
  }
)

# What a statement is called in code.
code_name <- function(name) make.names(gsub("[^[:alnum:]]+", "_", name))

sailed_fares <- function() {
  suppressMessages(ledger(file.path(demo_tables(), "fares.csv.gz"), amounts = "fare",
                          on = c(sailed = "sailed_on"), units = c(fare = "EUR")))
}

test_that("each shipped brief gives the figures of the same question in R", {
  briefs <- list_briefs()
  expect_identical(sort(sub("[.]yml$", "", basename(briefs$file))), sort(names(same_in_r)))
  expect_true(all(is.na(briefs$problem)))
  for (name in names(same_in_r)) {
    run <- suppressMessages(run_brief(shipped_brief(name), from = demo_tables()))
    wanted <- same_in_r[[name]]()
    expect_identical(names(run$statements), names(wanted))
    for (part in names(wanted)) {
      expect_identical(as.data.frame(run$statements[[part]]), as.data.frame(wanted[[part]]),
                       info = paste(name, part))
      expect_identical(format(run$statements[[part]]), format(wanted[[part]]))
    }
    # And through the command, each thing that it shows as a table.
    got <- command("run", shipped_brief(name), "--from", demo_tables())
    # What does not tie to the bank ends as reconcile does.
    expect_identical(got$status, if (name == "bank-tie-out") 3L else 0L, info = name)
    for (i in seq_along(run$shown)) {
      if (!inherits(run$shown[[i]], c("statement", "cross_table", "reconciliation",
                                       "explained_change", "unusual"))) next
      expect_true(all(format(run$shown[[i]], rows = Inf) %in% got$out), info = paste(name, i))
    }
  }
})

test_that("files are written below the folder, whole, with a record, and only where asked", {
  folder <- withr::local_tempdir()
  nothing <- suppressMessages(run_brief(shipped_brief("leaders-per-week"), from = demo_tables()))
  expect_null(nothing$files)
  run <- suppressMessages(run_brief(shipped_brief("leaders-per-week"), top = 2, weeks = "last week",
                                    out = folder, from = demo_tables()))
  expect_setequal(list.files(folder, all.files = TRUE, no.. = TRUE),
                  c("leaders.csv", "leaders.png", "leaders-per-week.record.json"))
  expect_setequal(basename(run$files), list.files(folder))
  expect_identical(utils::read.csv(file.path(folder, "leaders.csv"))$income,
                   run$statements$leaders$income)
  expect_identical(sum(!is.na(run$statements$leaders$income_rank)), 2L)
  # A folder that is not there is made, in one that is.
  new <- file.path(folder, "new")
  expect_identical(command("run", shipped_brief("leaders-per-week"), "--from", demo_tables(),
                           "--out", new, "--quiet")$status, 0L)
  expect_length(list.files(new), 3)
  expect_identical(command("run", shipped_brief("leaders-per-week"), "--from", demo_tables(),
                           "--out", file.path(folder, "a", "b"))$status, 2L)
  again <- command("run", shipped_brief("leaders-per-week"), "--from", demo_tables(), "--out",
                   folder)
  expect_identical(again$status, 2L)
  expect_match(again$said, "exists already", all = FALSE)
  expect_identical(command("run", shipped_brief("leaders-per-week"), "--from", demo_tables(),
                           "--out", folder, "--overwrite", "--quiet")$out, character())
})

test_that("what a brief asks for is checked before any file is read", {
  folder <- brief_folder()
  brief <- write_brief(folder, good_brief)
  run <- function(...) command("run", brief, ...)
  expect_match(run()$out, "^2026-02 +Oysterby +-4.90 +2 +", all = FALSE)
  expect_match(run("--value", "days=2026-01", "--value", "route=Wickholm")$out,
               "Wickholm +20.25", all = FALSE)
  unlink(file.path(folder, "fares.csv"))
  refused <- function(says, ..., status = 2L) {
    got <- run(...)
    expect_identical(got$status, status, info = says)
    expect_match(paste(got$said, collapse = " "), says)
  }
  refused("`days` must be a span phrase.*Did you mean `month`", "--value", "days=last mnth")
  refused("does not ask for a value `day`.*Did you mean `days`", "--value", "day=all")
  refused("takes NAME=VALUE", "--value", "all")
  refused("`route` takes one value, not 2", "--value", "route=a", "--value", "route=b")
  expect_refused(run_brief(brief, "Oysterby"), "does not ask for a value without a name", "brief")
  asks <- write_brief(folder, with_line("    default: Oysterby", "    default: ask"), "b.yml")
  got <- command("run", asks)
  expect_identical(got$status, 2L)
  expect_match(paste(got$said, collapse = " "),
               "asks for `route` \\(one of the members of route\\).*--value 'route=...'")
  expect_refused(run_brief(asks), "Give run_brief\\(..., route = ...\\)", "brief")
})

test_that("values stand in quotes in conditions, whatever they hold", {
  folder <- withr::local_tempdir()
  odd <- c("Oysterby", "a\" | TRUE | route == \"b", "O'Dock", "<days>", "100", "naïve 日本")
  fares <- data.frame(sailed_on = as.Date("2026-01-01") + 0:11, route = rep(odd, 2), fare = 1:12)
  data.table::fwrite(fares, file.path(folder, "fares.csv"))
  brief <- write_brief(folder, good_brief)
  for (name in odd) {
    run <- run_brief(brief, route = name)
    expect_identical(unique(run$statements$monthly$route), name)
    expect_equal(sum(run$statements$monthly$income), sum(fares$fare[fares$route == name]))
  }
  expect_refused(run_brief(brief, route = "Dock"), "must be a member of route", "brief")
  # A list of values.
  several <- write_brief(folder, sub("route == <route>", "route %in% <route>",
                                     append(good_brief, "    many: yes", after = 10)), "c.yml")
  run <- run_brief(several, route = odd[1:3])
  expect_setequal(run$statements$monthly$route, odd[1:3])
  # A condition on a value that is left out is none; one that says more must not vanish.
  optional <- setdiff(good_brief, "    default: Oysterby")
  expect_length(unique(run_brief(write_brief(folder, optional, "d.yml"))$statements$monthly$route),
                6)
  both <- write_brief(folder, sub("where: route == <route>", "where: route == <route> & fare > 3",
                                  optional), "e.yml")
  expect_refused(run_brief(both), "which was left out", "brief")
  apart <- write_brief(folder, sub("where: route == <route>",
                                   "where: [route == <route>, fare > 3]", optional), "f.yml")
  expect_identical(sum(run_brief(apart)$statements$monthly$trips), 9)
})

test_that("a table that a brief reads is never written by it", {
  folder <- brief_folder()
  bank <- c("day,amount", "2026-01-30,10.10")
  writeLines(bank, file.path(folder, "bank.csv"))
  text <- c(good_brief[1:22], "- table: {of: monthly, file: %s}",
            "- reconcile: {of: monthly, against: bank.csv, by: {period: day}, value: amount}")
  for (name in c("fares.csv", "bank.csv")) {
    brief <- write_brief(folder, sprintf(sub("where: route == <route>", "", text), name))
    expect_refused(run_brief(brief, out = folder, overwrite = TRUE),
                   "is read, so it cannot be written", "file")
  }
  expect_identical(readLines(file.path(folder, "bank.csv")), bank)
})

test_that("a brief can be run on another ledger, or on other files", {
  folder <- brief_folder()
  brief <- write_brief(folder, good_brief)
  own <- run_brief(brief)
  x <- ledger(few_fares(), on = c(sailed = "sailed_on"))
  expect_identical(as.data.frame(run_brief(brief, ledger = x)$statements$monthly),
                   as.data.frame(own$statements$monthly))
  more <- csv_file(c("sailed_on,booked_on,route,channel,fare", "2026-04-11,,Oysterby,web,5"))
  both <- run_brief(brief, ledger = c(file.path(folder, "fares.csv"), more))
  expect_identical(sum(both$statements$monthly$trips), sum(own$statements$monthly$trips) + 1)
  got <- command("run", brief, file.path(folder, "fares.csv"), more)
  expect_identical(got$out, format(both$statements$monthly))
})

test_that("random questions are saved as briefs, and give the same figures when run", {
  met <- character()
  for (seed in 1:24) {
    set.seed(seed)
    made <- random_ledger(seed)
    folder <- withr::local_tempdir()
    data.table::fwrite(made$table, file.path(folder, "fares.csv"))
    x <- tryCatch(suppressMessages(ledger(
      file.path(folder, "fares.csv"), on = c(sailed = "sailed_on", booked = "booked_on"),
      until = "until_on", amounts = "fare", calendar = april)), error = function(e) NULL)
    if (is.null(x)) next
    args <- random_statement("odd")
    asked <- tryCatch({
      s <- rlang::exec(statement, x, !!!args)
      for (verb in random_verbs(args)) s <- taken(s, verb)
      s
    }, rollingledger_error = function(e) NULL)
    if (is.null(asked)) next
    file <- file.path(folder, "saved.yml")
    save_brief(asked, file, category = "Saved", write = "out/of.csv")
    expect_identical(list_briefs(folder)$category, "Saved")
    run <- suppressMessages(run_brief(file))
    expect_identical(as.data.frame(run$statements[[1]]), as.data.frame(asked), info = seed)
    expect_identical(question(run$statements[[1]])[c("statement", "steps")],
                     question(asked)[c("statement", "steps")], info = seed)
    code <- brief_as_code(file)
    env <- new.env(parent = globalenv())
    dir.create(file.path(folder, "out"))
    withr::with_dir(folder, eval(parse(text = unclass(code)), env))
    expect_identical(as.data.frame(env[[code_name(names(run$statements))]]),
                     as.data.frame(asked), info = seed)
    expect_true(file.exists(file.path(folder, "out/of.csv")))
    met <- c(met, names(args), vapply(question(asked)$steps, function(step) step$verb, ""))
  }
  for (kind in c("per", "by", "totals", "where", "spans", "span", "add_change", "add_rolling",
                 "add_share", "add_target")) expect_true(kind %in% met, info = kind)
})

test_that("the code of each shipped brief runs, and gives what the brief gives", {
  for (file in list_briefs()$file) {
    code <- unclass(brief_as_code(file, from = demo_tables()))
    expect_match(code[1], "library(rollingledger)", fixed = TRUE)
    run <- suppressMessages(run_brief(file, from = demo_tables()))
    env <- new.env(parent = globalenv())
    folder <- withr::local_tempdir()
    withr::with_dir(folder, suppressMessages(eval(parse(text = code), env)))
    for (name in names(run$statements)) {
      expect_identical(as.data.frame(env[[code_name(name)]]), as.data.frame(run$statements[[name]]),
                       info = paste(basename(file), name))
    }
    expect_setequal(list.files(folder), rollingledger:::files_named(attr(run, "items")))
  }
})

test_that("pages, figures and comparisons are saved too", {
  folder <- brief_folder()
  x <- ledger(file.path(folder, "fares.csv"), on = c(sailed = "sailed_on"), calendar = april)
  s <- statement(x, per = "month", by = "route", income = total(fare)) |> add_running(income)
  so_far <- statement(x, span = "this year", income = total(fare)) |>
    add_change(income, "1 year back")
  page <- list(report_heading("Board"), "So far" = report_tiles(so_far), Trend = figure_trend(s), s,
               "Mind & <this>: \"April\" is not over.",
               cross_table(s, across = "period"),
               compare_spans(x, "2026-02", "2026-01", by = "route", income = total(fare)))
  file <- file.path(folder, "page.yml")
  save_brief(page, file, name = "Board: a page", description = "# not a comment", write = "b.html")
  out <- withr::local_tempdir()
  run <- run_brief(file, out = out)
  expect_length(run$statements, 3)
  parts <- run$shown[[1]]
  expect_identical(names(parts), c("", "So far", "Trend", "", "", "", ""))
  expect_identical(as.data.frame(parts[[4]]), as.data.frame(s))
  expect_identical(parts[[5]], page[[5]])
  expect_identical(as.data.frame(parts[[7]]), as.data.frame(page[[7]]))
  html <- readLines(file.path(out, "b.html"), encoding = "UTF-8")
  expect_match(html, "Board: a page", all = FALSE, fixed = TRUE)
  expect_refused(save_brief(statement(few_ledger()), file), "exists already", "file")
  expect_refused(save_brief(statement(few_ledger()), file.path(folder, "b.yml")),
                 "was given by hand; a brief needs a file", "brief")
  expect_refused(save_brief(s, file.path(folder, "b.txt")), "must end in .yml", "file")
  # Tables elsewhere: the folder is told.
  away <- withr::local_tempdir()
  withr::with_options(list(rlib_message_verbosity = "default"), {
    expect_message(save_brief(s, file.path(away, "a.yml")), "Its tables stand below")
  })
  again <- run_brief(file.path(away, "a.yml"), from = folder)
  expect_identical(as.data.frame(again$statements[[1]]), as.data.frame(s))
})

test_that("names of some spans and date bases alone are kept", {
  folder <- brief_folder()
  x <- ledger(file.path(folder, "fares.csv"), on = c(sailed = "sailed_on", "booked_on"))
  s <- statement(x, spans = c("this year", before = "2026-01", "2026-02"),
                 income = total(fare), on = "booked_on")
  file <- file.path(folder, "a.yml")
  save_brief(s, file)
  run <- run_brief(file)
  expect_identical(as.data.frame(run$statements[[1]]), as.data.frame(s))
  expect_identical(names(rollingledger:::source_facts(run$ledger)$dates),
                   c("sailed", "booked_on"))
})

test_that("any call of the command is kept as a brief and told as code that gives the same", {
  folder <- brief_folder()
  fares <- file.path(folder, "fares.csv")
  places <- file.path(folder, "places.csv")
  writeLines(c("code,region", "Oysterby,north", "Wickholm,south"), places)
  bank <- file.path(folder, "bank.csv")
  writeLines(c("day,amount", "2026-01-30,10.10", "2026-01-31,20.00"), bank)
  base <- c(fares, "--on", "sailed_on")
  calls <- list(
    c("statement", base, "--per", "month", "--by", "region", "--lookup",
      paste0("route:code=", places), "--measure", "Umsätze=total(fare)", "--where", "fare > 0",
      "--where", "channel == 'web' | fare > 7", "--running", "Umsätze", "--fiscal-start", "April",
      "--sort", "Umsätze", "--direction", "up"),
    c("statement", base, "--per", "month", "--measure", "income=total(fare)", "--across", "period",
      "--lines"),
    c("statement", base, "--span", "now=2026-02", "--span", "before=2026-01", "--measure",
      "income=total(fare)"),
    c("compare", base, "--span", "2026-02", "--against", "2026-01", "--by", "route"),
    c("members", base, "--member", "route", "--span", "2026-02", "--against", "2026-01"),
    c("entries", base, "--per", "month", "--of", "period=2026-01", "--measure", "a=total(fare)"),
    c("reconcile", base, "--per", "day", "--measure", "income=total(fare)", "--against", bank,
      "--key", "period=day"),
    c("compare", fares, "--on", "sailed=sailed_on,entered=booked_on", "--known", "2026-02-27",
      "--known-later", "2026-04-30", "--measure", "income=total(fare)")
  )
  for (i in seq_along(calls)) {
    brief <- file.path(folder, sprintf("call-%d.yml", i))
    got <- command(calls[[i]], "--save", brief)
    expect_true(got$status %in% c(0L, 3L), info = i)
    expect_identical(command("run", brief)$out, got$out, info = i)
    code <- command(calls[[i]], "--show-code")$out
    env <- new.env(parent = globalenv())
    code <- grep("^library", code, invert = TRUE, value = TRUE)
    shown <- utils::capture.output({
      made <- NULL
      for (expr in parse(text = code, keep.source = FALSE)) made <- eval(expr, env)
      print(made, rows = Inf)
    })
    expect_identical(shown, got$out, info = i)
  }
  idle <- command(calls[[1]], "--category", "x")
  expect_identical(idle$status, 2L)
})
