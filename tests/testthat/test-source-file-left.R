# Files that stay where they are.

with_duckdb <- function(env = parent.frame()) {
  withr::local_options(rollingledger.duckdb_library = duckdb_here(), .local_envir = env)
}

test_that("text and Parquet left where they are give the figures of memory", {
  with_duckdb()
  fares <- as.data.frame(demo_fares)
  fares <- fares[fares$sailed_on > as.Date("2026-06-01"), ]
  asked <- list(on = c(sailed = "sailed_on", booked = "booked_on"), units = c(fare = "EUR"),
                calendar = ledger_calendar(fiscal_start = "April"))
  csv <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(fares, csv)
  # What a file in memory would be read as.
  x <- do.call(ledger, c(list(csv), asked))
  skip_if_not_installed("nanoparquet")
  parquet <- withr::local_tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(fares, parquet)
  for (file in c(csv, parquet)) {
    y <- do.call(ledger, c(list(file, hold = FALSE), asked))
    for (name in setdiff(names(questions_of_ledgers), c("a phrase", "a first look"))) {
      question <- questions_of_ledgers[[name]]
      expect_equal(plainly(question, y), plainly(question, x),
                   info = paste(name, tools::file_ext(file)), tolerance = 1e-12)
    }
    s <- statement(y, per = "month", by = "route", income = total(fare))
    # Files that stand still are not looked at again: what follows is worked out of the same cells.
    before <- y$engine$sent[[1]]
    s <- add_running(s, income) |> add_share(income)
    expect_identical(y$engine$sent[[1]], before)
    behind <- entries_behind(s, row = 1)
    expect_equal(sum(behind$fare), s$income[1])
    # Its folder goes with it.
    folder <- y$engine$folder
    expect_true(dir.exists(folder))
    rm(y, s, behind)
    gc()
    expect_false(dir.exists(folder))
  }
})

test_that("several files are one ledger, and a file that changes is looked at again", {
  with_duckdb()
  withr::local_options(rlib_message_verbosity = "verbose")
  folder <- withr::local_tempdir()
  write <- function(name, lines) writeLines(lines, file.path(folder, name))
  write("2026-01.csv", c("day,code,fare", "2026-01-30,007,1.25", "2026-01-31,,-0.5"))
  write("2026-02.csv", c("day,code,fare", "2026-02-01,010,n/a", "2026-02-02,007,3"))
  y <- ledger(file.path(folder, "*.csv"), hold = FALSE, on = "day")
  s <- statement(y, by = "code", a = total(fare), n = entries())
  expect_identical(s$code, c("007", "010", NA))
  expect_identical(s$a, c(4.25, 0, -0.5))
  expect_identical(statement(y, by = "file", a = total(fare))$a, c(0.75, 3))
  s <- statement(y, a = total(fare))
  write("2026-02.csv", c("day,code,fare", "2026-02-01,010,100", "2026-02-02,007,3"))
  expect_message(after <- add_share(s, a, of = "span"), "have changed since")
  expect_identical(after$a, 103.75)
  # More decimals than before would be rounded: they are told.
  write("2026-02.csv", c("day,code,fare", "2026-02-01,010,100.125", "2026-02-02,007,3"))
  expect_error(suppressMessages(statement(y, a = total(fare))), "or their types, have changed",
               class = "rollingledger_error_source")
  expect_identical(statement(ledger(file.path(folder, "*.csv"), hold = FALSE, on = "day"),
                             a = total(fare))$a, 103.875)
  # A line that does not fit is an error, never left out.
  write("2026-02.csv", c("day,code,fare", "2026-02-01,010,100,7,8"))
  expect_error(suppressMessages(statement(y, a = total(fare))),
               class = "rollingledger_error_source")
})

test_that("the engine opens nothing but what it was asked for, and keeps to its room", {
  with_duckdb()
  file <- csv_file(c("day,fare", "2026-01-01,1", "2026-01-02,2"))
  other <- csv_file(c("secret", "42"))
  y <- ledger(file, hold = FALSE, on = "day")
  ask <- function(sql) own("engine_rows")(y$engine, sql)
  expect_error(ask(sprintf("SELECT * FROM read_csv('%s')", other)),
               "ermission|not allowed|disabled")
  out <- tempfile(fileext = ".csv")
  expect_error(own("engine_run")(y$engine, sprintf("COPY (SELECT 1) TO '%s'", out)))
  expect_false(file.exists(out))
  expect_error(own("engine_run")(y$engine, "SET enable_external_access = true"), "locked")
  # Without memory and without room on disk: an error that says so.
  wide <- withr::local_tempfile(fileext = ".csv")
  n <- 4e5
  people <- data.frame(day = "2026-01-01", who = sprintf("%040d", sample(n)), fare = 1)
  data.table::fwrite(people, wide)
  withr::local_options(rollingledger.engine_memory = "40MB", rollingledger.engine_disk = "1MB")
  expect_error({
    z <- ledger(wide, hold = FALSE, on = "day")
    statement(z, by = "who", a = total(fare))
  }, "emory|disk|space|size", class = "rollingledger_error_source")
})

test_that("what is not known of files left in place is refused before they are read", {
  file <- csv_file(c("day,fare", "2026-01-01,1"))
  expect_error(ledger(file, hold = FALSE, on = "day", number_format = "1.234,56"), "hold = TRUE",
               class = "rollingledger_error_choice")
  expect_error(ledger(tempfile(fileext = ".xlsx"), hold = FALSE, on = "day"),
               class = "rollingledger_error_source")
  withr::local_options(rollingledger.duckdb_library = "/nowhere/libduckdb.so")
  skip_if_not_installed("adbcdrivermanager")
  expect_error(ledger(file, hold = FALSE, on = "day"), "There is no library",
               class = "rollingledger_error_source")
})

test_that("the command asks databases and files in place as it asks files", {
  skip_if_not_installed("RSQLite")
  folder <- withr::local_tempdir()
  base <- file.path(folder, "ferry.db")
  con <- DBI::dbConnect(RSQLite::SQLite(), base)
  fares <- dates_as_text(as.data.frame(demo_fares)[1:5000, ])
  DBI::dbWriteTable(con, "fares", fares)
  DBI::dbDisconnect(con)
  csv <- file.path(folder, "fares.csv")
  data.table::fwrite(fares, csv)
  address <- sprintf("sqlite://%s?table=fares", base)
  asked <- c("--on", "sailed_on", "--per", "month", "--measure", "income=total(fare)")
  from_file <- command(c("statement", csv, asked))
  from_base <- command(c("statement", "--source", address, asked))
  expect_identical(from_base$status, 0L)
  # Entries that may change are told.
  expect_match(from_base$out, "Worked out from 5,000 entries", all = FALSE)
  expect_identical(head(from_base$out, -1), from_file$out)
  brief <- file.path(folder, "a.yml")
  expect_identical(command(c("statement", "--source", address, asked, "--save", brief))$status, 0L)
  expect_identical(command(c("run", brief))$out[1:3], from_file$out[1:3])
  expect_match(command(c("check", "--source", address))$out, "booked_on", all = FALSE)
  # A brief runs no SQL.
  lines <- readLines(brief)
  writeLines(sub("[?]table=fares", "?query=SELECT%20*%20FROM%20fares", lines), brief)
  expect_match(command(c("run", brief))$said, "holds no SQL", all = FALSE)
  of_query <- ledger(sprintf("sqlite://%s", base), query = "SELECT * FROM fares", on = "sailed_on")
  expect_error(save_brief(statement(of_query, n = entries()), file.path(folder, "b.yml")),
               "holds no SQL", class = "rollingledger_error_brief")
  writeLines(lines, brief)
  refused <- command(c("run", brief, "--from", withr::local_tempdir()))
  expect_identical(refused$status, 2L)
  expect_match(refused$said, "outside of the folder", all = FALSE)
  wrong <- command(c("statement", "--source", "postgres://a:secret@b/c?table=d", asked))
  expect_gt(wrong$status, 0L)
  expect_false(any(grepl("secret", c(wrong$out, wrong$said))))
})

test_that("marks of what is missing, and clocks, are those of memory", {
  with_duckdb()
  file <- csv_file(c("at,shop,amt", "2026-01-01 10:00,Na,1", "2026-01-02 25:00,x,2",
                     "2026-01-03 11:30,nA,3", "2026-01-04 23:59,NULL,4", "2026-01-05 12:61,N/a,5",
                     "2026-01-06 24:30,y,nOne"))
  x <- suppressMessages(ledger(file, on = "at"))
  y <- suppressMessages(ledger(file, on = "at", hold = FALSE))
  alike(x, y, by = "hour", n = "entries()")
  alike(x, y, by = "shop", n = "entries()")
  expect_identical(set_aside(y)$reason, set_aside(x)$reason)
  expect_identical(set_aside(y)$value, set_aside(x)$value)
})

test_that("whole thousands are asked for where files stay, as in memory", {
  with_duckdb()
  file <- csv_file(c("day,amount", "2026-01-01,1.500", "2026-01-02,12.300", "2026-01-03,700"))
  y <- ledger(file, on = "day", hold = FALSE)
  expect_refused(statement(y, s = total(amount)), "could be 1.5 or 1500", "measure")
  proved <- csv_file(c("day,amount", "2026-01-01,1.500", "2026-01-02,12.25"))
  y <- ledger(proved, on = "day", hold = FALSE)
  expect_identical(statement(y, s = total(amount))$s, 13.75)
})

test_that("a line that reads as totals is told, as it is an entry", {
  with_duckdb()
  lines <- c("day,route,fare", "2026-01-01,A,10", "2026-01-02,B,20", "2026-01-02,Total,30")
  withr::local_options(rlib_message_verbosity = "default")
  told <- function(lines) {
    path <- withr::local_tempfile(fileext = ".csv", lines = lines)
    testthat::capture_messages(x <- ledger(path, on = "day", hold = FALSE))
  }
  expect_match(told(lines), "`route` holds \"Total\", which reads as a line of totals",
               all = FALSE)
  for (word in c("Totalisator", "A total", "Sum\u00e9", "Subtot"))
    expect_false(any(grepl("line of totals", told(sub("Total", word, lines)))))
  for (word in c("grand total:", "SUMME", "Sub-Total A", "total g\u00e9n\u00e9ral"))
    expect_match(told(sub("Total", word, lines)), "line of totals", all = FALSE)
})

test_that("a file that is replaced is looked at, though it was said to stand still", {
  with_duckdb()
  file <- withr::local_tempfile(fileext = ".csv")
  put <- function(fare) {
    fresh <- paste0(file, ".new")
    rows <- sprintf("2026-08-0%d,Tern Head,%s", seq_along(fare), fare)
    writeLines(c("sailed_on,route,fare", rows), fresh)
    file.rename(fresh, file)
  }
  put(c("1.50", "2.25"))
  x <- ledger(file, on = "sailed_on", hold = FALSE, looks = "once")
  expect_identical(statement(x, income = total(fare))$income, 3.75)
  put(c("1.50", "2.25", "4.00"))
  expect_identical(statement(x, income = total(fare))$income, 7.75)
})
