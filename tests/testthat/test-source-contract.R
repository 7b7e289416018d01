test_that("a ledger in memory answers the narrow questions of a source", {
  skip_if_not_installed("bit64")
  met <- 0
  for (seed in seq_len(rounds(4, 12))) {
    table <- random_fares(seed)
    x <- suppressMessages(
      ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
             as_of = max(table$sailed_on)))
    met <- met + expect_source_contract(x, table)
  }
  expect_true(all(met > rounds(16, 50)), info = paste(names(met), met, collapse = ", "))
})

test_that("so does one of a file, and one to which entries were appended", {
  skip_if_not_installed("bit64")
  table <- random_fares(24)
  file <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(table, file)
  on <- c(sailed = "sailed_on", booked = "booked_on")
  x <- suppressMessages(ledger(file, on = on, until = "until_on", codes = "account"))
  expect_source_contract(x, table, 3)
  half <- seq_len(nrow(table) %/% 2)
  y <- suppressMessages(ledger(table[half, ], on = on, until = "until_on") |>
                        append_entries(table[-half, ]))
  expect_source_contract(y, table, 6)
})

test_that("lists of rows that a source sends are those of the entries", {
  for (seed in seq_len(rounds(3, 8))) {
    table <- random_fares(seed)
    x <- suppressMessages(
      ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
             as_of = max(table$sailed_on)))
    ask <- own("new_ask")("sailed", "route", NULL, list(own("entry_count")))
    groups <- own("groups_by")(x, "route")
    days <- as.integer(table$sailed_on)
    windows <- random_windows(groups, days)
    n <- nrow(table)
    mixed <- sample(n)
    routes <- own("members_found")(groups$members$route, table$route)
    keys <- list(
      list(kind = "code32", data = routes[mixed], members = seq_along(groups$members$route$values)))
    numbered <- own("core_groups")(keys, n, 1L)
    accounts <- own("source_members")(x, "account")
    codes <- own("members_found")(accounts, table$account)
    codes[is.na(table$account)] <- -1L
    ask_rows <- function(what, at) {
      distinct <- what == "distinct"
      own("core_lists_of_rows")(days[at],
                                if (identical(at, mixed)) numbered
                                else own("core_groups")(list(
                                  list(kind = "code32", data = routes[at],
                                       members = keys[[1]]$members)), n, 1L),
                                what, if (distinct) numeric() else table$fare[at],
                                if (distinct) codes[at] else integer(), length(accounts$values),
                                min(days), max(days), 1L)
    }
    for (what in c("distinct", "smallest", "largest", "middle", "latest")) {
      # The last of a day is that of the source's order.
      lists <- ask_rows(what, if (what == "latest") seq_len(n) else mixed)
      slot <- list(what = what, column = if (what == "distinct") "account" else "fare",
                   where = NULL)
      direct <- own("values_in_windows")(x, ask, slot, windows)
      again <- own("core_list_values")(lists, what, windows$group, windows$from, windows$to,
                                        integer(), 1L)
      expect_equal(again, direct, info = what)
    }
  }
})

test_that("cost follows the days asked for", {
  n <- 6e5
  set.seed(4)
  table <- data.frame(day = as.Date("2023-01-01") + sample(900, n, TRUE),
                      account = sample(50000, n, TRUE), fare = round(stats::runif(n, 1, 90), 2))
  x <- ledger(table, on = "day")
  s <- statement(x, per = "month", by = "account", span = "2024-03", income = total(fare))
  # The days of all cells that are kept, by day or by stretch.
  looked <- function() {
    kept <- lapply(as.list(own("ledger_cache")(x)$items), function(item) item$value)
    runs <- c(kept, unlist(lapply(kept, function(value) {
      if (is.list(value)) lapply(value, function(run) if (is.list(run)) run$value)
    }), recursive = FALSE))
    cells <- Filter(function(value) is.list(value) && !is.null(value$keys), runs)
    unname(unique(lapply(cells[order(vapply(cells, function(one) one$from, 0L))], function(one) {
      as.Date(c(one$from, one$to), origin = "1970-01-01")
    })))
  }
  march <- as.Date(c("2024-03-01", "2024-03-31"))
  expect_identical(looked(), list(march))
  s <- add_change(s, income, from = "1 month back")
  expect_identical(looked(), list(as.Date(c("2024-02-01", "2024-02-29")), march))
  expect_equal(sum(s$income_before),
               sum(table$fare[format(table$day, "%Y-%m") == "2024-02" &
                              table$account %in% s$account]))
  all <- statement(x, per = "month", by = "account", income = total(fare))
  expect_identical(s$income,
                   all$income[all$period == "2024-03"][match(
                     s$account, all$account[all$period == "2024-03"])])
})

test_that("what the core cannot take is refused at its border, in the caller's name", {
  x <- few_ledger()
  ask <- own("new_ask")("sailed", "route", NULL, list(own("entry_count")))
  windows <- function(group) list(group = group, from = 1L, to = 30000L)
  expect_refused(own("values_in_windows")(x, ask, own("entry_count"), windows(99L)),
                 "No such group", "core")
  numbered <- own("core_groups")(list(list(kind = "code32", data = 0:1, members = c("a", "b"))), 2,
                                 1L)
  expect_error(own("core_cube_of_cells")(1:3, numbered, list(c(1, 2, 3)), 0L, 1L, 3L, 1L),
               "other entries")
  expect_error(own("core_cube_of_cells")(1:2, numbered, list(c(1, 2, 3)), 0L, 1L, 3L, 1L),
               "another length")
  expect_error(own("core_cube_of_cells")(1:2, numbered, list(1:2), 0L, 1L, 3L, 1L), "another type")
  expect_error(own("core_groups")(list(list(kind = "code9", data = 0:1, members = "a")), 2, 1L),
               "unknown kind of column")
  expect_error(
    own("core_lists_of_rows")(1:2, numbered, "distinct", numeric(), c(0L, 7L), 3L, 1L, 2L, 1L),
    "no such member")
  expect_error(own("core_group_numbers")(numbered, list(0L, 1L)), "other attributes")
  expect_refused(own("check_entry_limit")(2^31), "2,147,483,648 entries are more than", "source")
  wide <- as.data.frame(
    lapply(stats::setNames(nm = paste0("a", 1:5)), function(name) sprintf("%05d", sample(20000))))
  wide$day <- as.Date("2026-01-01")
  many <- tryCatch(statement(ledger(wide, on = "day"), by = paste0("a", 1:5)), error = identity)
  expect_s3_class(many, "rollingledger_error_core")
  expect_match(conditionMessage(many), "too many combinations")
  expect_match(paste(deparse(conditionCall(many)), collapse = ""), "^statement")
})

test_that("every kind of question is answered alike by stretches of days", {
  fares <- as.data.frame(demo_fares)
  fares <- fares[fares$sailed_on > as.Date("2026-05-01"), ]
  asked <- list(on = c(sailed = "sailed_on", booked = "booked_on"), units = c(fare = "EUR"),
                calendar = ledger_calendar(fiscal_start = "April"))
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  days <- vapply(fares, inherits, TRUE, "Date")
  DBI::dbWriteTable(con, "fares", replace(fares, days, lapply(fares[days], as.character)))
  x <- do.call(ledger, c(list(fares), asked))
  names <- setdiff(names(questions_of_ledgers), c("a phrase", "a first look"))
  right <- lapply(stats::setNames(nm = names), function(name) {
    plainly(questions_of_ledgers[[name]], x)
  })
  local_stretches()
  for (y in list(do.call(ledger, c(list(fares), asked)),
                 do.call(ledger, c(list(con, table = "fares"), asked)))) {
    for (name in names) {
      expect_equal(plainly(questions_of_ledgers[[name]], y), right[[name]],
                   info = paste(name, class(y)[1]), tolerance = 1e-12)
    }
  }
})

test_that("what tests lower is put back", {
  expect_identical(own("most_cells_sent")(), 2e5)
  expect_identical(own("most_day_cells")(), 2^20)
})
