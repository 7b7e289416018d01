bytes_of <- function(x) length(serialize(x, NULL))

test_that("a saved statement holds its question and rows and no entries, whatever the ledger", {
  met <- 0
  for (n in c(500, 150000)) {
    x <- ledger(demo_fares[seq_len(n), ], on = c(sailed = "sailed_on"))
    s <- statement(x, per = "month", span = "latest 45 months", income = total(fare),
                   riders = distinct(account), open = middle(fare)) |>
      add_running(income) |> add_rolling(riders, "3 months") |>
        add_change(income, from = "1 year back")
    by <- statement(x, per = "month", by = "account", income = total(fare)) |>
      add_rank(income, keep = 3, rest = "Others")
    for (made in list(s, by, cross_table(s, "period"),
                      compare_spans(x, "2023-01", "2023-02", by = "route", income = total(fare)))) {
      expect_lt(bytes_of(made), 1e5 + bytes_of(tibble::as_tibble(made)))
      expect_lt(bytes_of(question(made)), 1e4)
      met <- met + 1
    }
  }
  expect_identical(met, 8)
})

test_that("a figure, a page and a plain table hold no entries", {
  made <- lapply(c(2000, 150000), function(n) {
    # The same few figures from a small and a large ledger.
    table <- demo_fares[seq_len(2000), ]
    table <- table[rep(seq_len(2000), length.out = n), ]
    table$fare <- ave(table$fare, seq_len(n) > 2000,
                      FUN = function(fare) if (n > 2000 && length(fare) > 2000) 0 * fare else fare)
    x <- ledger(table, on = c(sailed = "sailed_on"))
    s <- statement(x, per = "month", by = "route", income = total(fare)) |>
      add_change(income, from = "1 month back")
    file <- withr::local_tempfile(fileext = ".html")
    write_report("By month" = s, figure_trend(s), file = file)
    list(trend = figure_trend(s), leaders = figure_leaders(s), columns = figure_columns(s),
         tiles = report_tiles(s), table = as.data.frame(s),
         plain = tibble::as_tibble(s), behind = entries_behind(s, row = 1), page = readLines(file))
  })
  for (name in c("trend", "leaders", "columns", "tiles", "table", "plain")) {
    sizes <- vapply(made, function(one) bytes_of(one[[name]]), 0)
    expect_lt(diff(sizes), 5000)
  }
  expect_lt(sum(nchar(made[[2]]$page)), 1.2 * sum(nchar(made[[1]]$page)))
})

test_that("another process answers verbs on a saved statement once the ledger is given", {
  folder <- withr::local_tempdir()
  x <- few_ledger()
  s <- statement(x, per = "month", by = "route", income = total(fare), trips = entries(),
                 totals = "both") |> add_rank(income, keep = 1, rest = "Others")
  saveRDS(s, file.path(folder, "s.rds"))
  saveRDS(x, file.path(folder, "x.rds"))
  code <- c("library(rollingledger)", sprintf("setwd(%s)", deparse(folder)),
            "s <- readRDS('s.rds')",
            "said <- tryCatch(add_running(s, income), error = conditionMessage)",
            "x <- readRDS('x.rds')",
            "again <- give_ledger(s, x) |> add_running(income) |> add_share(income)",
            paste0("saveRDS(list(said = said, rows = as.data.frame(again), printed = format(s), ",
                   "entries = nrow(entries_behind(again, row = 1))), 'out.rds')"))
  script <- file.path(folder, "again.R")
  writeLines(code, script)
  status <- system2("Rscript", script,
                    env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep)),
                    stdout = FALSE, stderr = FALSE)
  expect_identical(status, 0L)
  out <- readRDS(file.path(folder, "out.rds"))
  here <- s |> add_running(income) |> add_share(income)
  expect_identical(out$rows, as.data.frame(here))
  expect_identical(out$entries, nrow(entries_behind(here, row = 1)))
  expect_match(out$said, "its ledger is not with it")
  expect_match(out$said, "give_ledger")
  expect_identical(out$printed[-length(out$printed)], format(s))
  expect_match(out$printed[length(out$printed)], "without its ledger")
})

test_that("a ledger that gives other days or figures is no ledger of a saved statement", {
  made <- function(table, ...) ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"),
                                      calendar = april, ...)
  again <- function(s) unserialize(serialize(s, NULL))
  s <- again(statement(few_ledger(), per = "month", by = "route", income = total(fare)))
  other <- few_fares()
  other$fare[1] <- 11
  refused <- function(s, x, message) expect_error(
    give_ledger(s, x), message, class = "rollingledger_error_statement")
  refused(s, made(other), "gives other figures.*holds other figures than the statement worked out")
  refused(s, made(few_fares(), as_of = "2026-04-20"), "as of another day")
  refused(s, made(few_fares()[-1, ]), "begins on another day")
  cut <- s[c(3, 1), ]
  expect_identical(as.data.frame(give_ledger(cut, few_ledger())), as.data.frame(cut))
  changed <- s
  changed$income[2] <- 1
  refused(changed, few_ledger(), "holds other figures")
  refused(s[c(1, 1), ], few_ledger(), "stands in the statement twice")
  odd <- s
  odd$to[1] <- odd$to[1] - 1
  refused(odd, few_ledger(), "Row 1 is not a row of the statement")
  for (verb in list(function(s) add_share(s, income), function(s) figure_trend(s),
                    function(s) entries_behind(s, row = 1), function(s) control_totals(s))) {
    expect_refused(verb(s), "its ledger is not with it", "statement")
  }
  file <- withr::local_tempfile(fileext = ".csv")
  write_statement(s, file)
  expect_identical(nrow(utils::read.csv(file)), nrow(s))
})

test_that("a cache counts its bytes, lets go of what was not used for longest, and is never saved",
          {
  x <- demo_ledger()
  cache <- own("ledger_cache")(x)
  empty <- bytes_of(x)
  for (by in c("route", "channel", "account", "fare_class")) statement(
    x, per = "day", by = by, income = total(fare), riders = distinct(account))
  items <- as.list(cache$items)
  expect_identical(cache$bytes, sum(vapply(items, function(item) item$bytes, 0)))
  expect_gt(cache$bytes, 1e6)
  expect_identical(cache$open, 0L)
  expect_lt(bytes_of(x) - empty, 500)
  withr::local_options(rollingledger.cache_bytes = 2e6)
  before <- vapply(items, function(item) item$tick, 0)
  s <- statement(x, per = "month", by = "route", income = total(fare))
  expect_lte(cache$bytes, 2e6)
  ids <- function() names(Filter(function(item) item$tick > cache$since, as.list(cache$items)))
  left <- names(cache$items)
  gone <- setdiff(names(before), left)
  expect_gt(length(gone), 0)
  kept <- intersect(names(before), left)
  if (length(kept) > 0)
    expect_gt(min(vapply(kept, function(key) cache$items[[key]]$tick, 0)), min(before[gone]))
  withr::local_options(rollingledger.cache_bytes = 0)
  again <- statement(x, per = "month", by = "route", income = total(fare)) |> add_running(income) |>
    add_rank(income, keep = 2, rest = "Others")
  # What the newest statement uses is there for its verbs, and goes with the next question.
  used <- names(cache$items)
  expect_gt(length(used), 0)
  expect_setequal(ids(), used)
  for (k in 1:3) add_rank(again, income, name = paste0("rank_", k))
  expect_identical(names(cache$items), used)
  add_rank(s, income)
  expect_setequal(ids(), names(cache$items))
  withr::local_options(rollingledger.cache_bytes = NULL)
  expect_identical(again, statement(x, per = "month", by = "route", income = total(fare)) |>
                   add_running(income) |> add_rank(income, keep = 2, rest = "Others"))
})

test_that("an answer leaves nothing behind once it is gone", {
  table <- demo_fares[1:500, ]
  answer <- function(above) {
    x <- ledger(table, on = c(sailed = "sailed_on"))
    statement(x, per = "month", by = "route", where = fare > !!above, income = total(fare)) |>
      add_running(income) |> add_rank(income)
    invisible()
  }
  cells <- function() {
    gc()
    gc()[["Ncells", "used"]]
  }
  for (i in 1:20) answer(i / 7)
  before <- cells()
  for (i in 1:40) answer(i / 77)
  # Each of its keys as a name of an environment took two cells that are never given back.
  expect_lt((cells() - before) / 40, 4)
})
