test_that("statement prints the table on standard output and what was set aside on standard error",
          {
  r <- command("statement", csv_file(fares_csv), "--on", "sailed", "--on", "booked", "--per",
               "month", "--by", "route",
               "--measure", "income=total(fare)", "--measure", "trips=entries()", "--running",
               "income", "--since", "year")
  expect_identical(r$status, 0L)
  x <- suppressMessages(ledger(csv_file(fares_csv), on = c("sailed", "booked")))
  s <- add_running(
    statement(x, per = "month", by = "route", income = total(fare), trips = entries()), income,
    since = "year")
  expect_identical(r$out, format(s))
  expect_identical(r$said[1:2],
                   c("1 of 5 entries set aside:", "  line 5: unreadable date in sailed (\"x\")"))
})

test_that("every option reaches the statement", {
  lines <- sub("2026-0([1-4])-([0-9]{2})", "\\2/0\\1/2026", fares_csv[c(1:4, 6)])
  r <- command("statement", csv_file(lines), "--on", "s=sailed", "--per", "fiscal year",
               "--measure", "total(fare)", "--date-format=%d/%m/%Y",
               "--fiscal-start", "October", "--fiscal-label", "start", "--where",
               "fare > 0 & route != 'None'", "--unit", "fare=EUR", "--code", "booked")
  expect_identical(r$status, 0L)
  expect_match(r$out, "FY2025\\* +37.35", all = FALSE)
  expect_match(r$out, "fare_total \\(EUR\\)", all = FALSE)
  expect_match(r$out[1], "s 30 Jan to 10 Apr 2026")
  r <- command("statement", csv_file(fares_csv), "--on=sailed,booked", "--use", "booked",
               "--per=week", "--week-start=Sunday", "--span=2026-01",
               "--partial=drop", "--as-of=2026-04-09")
  expect_match(r$out[1], "By week, booked 4 to 31 Jan 2026, as of 9 Apr 2026")
  expect_identical(r$status, 0L)
})

test_that("rolling figures and changes can be added", {
  file <- csv_file(fares_csv)
  r <- command("statement", file, "--on", "sailed", "--per", "month", "--measure",
               "income=total(fare)", "--rolling", "income", "--over", "2 months,40 days",
               "--change", "income", "--from", "1 month back", "--share", "income")
  x <- suppressMessages(ledger(file, on = "sailed"))
  s <- statement(x, per = "month", income = total(fare)) |>
    add_rolling(income, c("2 months", "40 days")) |> add_change(income, "1 month back") |>
      add_share(income)
  expect_identical(r$out, format(s))
})

test_that("--out writes by the ending and leaves standard output alone", {
  folder <- withr::local_tempdir()
  for (ending in c("csv", "tsv", "html", "png", "svg", "pdf")) {
    out <- file.path(folder, paste0("a.", ending))
    r <- command("statement", csv_file(fares_csv), "--on", "sailed", "--per", "month", "--measure",
                 "income=total(fare)", "--out", out,
                 if (!ending %in% c("csv", "tsv")) c("--title", "Fares"))
    expect_identical(r$status, 0L)
    expect_identical(r$out, character())
    expect_identical(r$said[length(r$said)], paste("Wrote", out))
    expect_true(file.size(out) > 100)
  }
  again <- c("statement", csv_file(fares_csv), "--on", "sailed", "--out",
             file.path(folder, "a.csv"))
  expect_identical(command(again)$status, 2L)
  expect_identical(command(again, "--overwrite")$status, 0L)
  expect_identical(list.files(folder, "part"), character())
})

test_that("status 2: the call is wrong; 1: the data or the question is", {
  file <- csv_file(fares_csv)
  ends <- function(status, message, ...) {
    r <- command(...)
    expect_identical(r$status, status, info = message)
    expect_match(paste(r$said, collapse = " "), message)
    expect_identical(r$out, character())
  }
  ends(2L, "no command `statment`.*Did you mean `statement`", "statment")
  ends(2L, "takes a FILE, or several", "statement", "--on", "sailed")
  ends(2L, "`--on` is missing", "statement", file)
  ends(2L, "--pre.*Did you mean `--per`", "statement", file, "--on", "sailed", "--pre", "month")
  ends(2L, "`--per` needs a value", "statement", file, "--on", "sailed", "--per")
  ends(2L, "must end in", "statement", file, "--on", "sailed", "--out", "a.doc")
  ends(2L, "NAME=VALUE", "statement", file, "--on", "sailed", "--unit", "EUR")
  ends(2L, "takes no arguments", "demo", "here")
  ends(1L, "does not exist", "statement", "nowhere.csv", "--on", "sailed")
  ends(2L, "Did you mean `month`", "statement", file, "--on", "sailed", "--per", "mnth")
  ends(1L, "Did you mean `fare`", "statement", file, "--on", "sailed", "--measure", "total(fair)")
  ends(1L, "runs from 30 Jan 2026", "statement", file, "--on", "sailed", "--span", "2019")
})

test_that("help explains every command and option", {
  expect_match(command()$out, "Usage: rolling-ledger COMMAND", all = FALSE)
  expect_identical(command("--help")$out, command()$out)
  help <- paste(command("statement", "--help")$out, collapse = "\n")
  for (flag in c("--on", "--per", "--by", "--measure", "--span", "--where", "--running", "--since",
                 "--out", "--as-of", "--fiscal-start")) {
    expect_match(help, paste0("  ", flag, " "), fixed = TRUE)
  }
  expect_match(command("demo", "--help")$out, "--dir", all = FALSE)
  expect_match(command("--version")$out, "rolling-ledger [0-9.]+")
})

test_that("the command itself runs, in a time zone and a locale far away", {
  script <- system.file("exec", "rolling-ledger", package = "rollingledger")
  env <- c(paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep)), "TZ=Asia/Kolkata",
           "LC_ALL=de_DE.UTF-8")
  run <- function(...) {
    said <- withr::local_tempfile()
    out <- suppressWarnings(
      system2("Rscript", c(script, shQuote(c(...))), stdout = TRUE, stderr = said, env = env))
    list(out = out, status = attr(out, "status") %||% 0L, said = readLines(said, warn = FALSE))
  }
  expect_match(run("--help")$out, "Commands:", all = FALSE)
  r <- run("statement", csv_file(fares_csv), "--on", "sailed", "--per", "month", "--measure",
           "income=total(fare)")
  expect_identical(r$out[2:6],
                   c("period    income", "2026-01*   30.35", "2026-02    -5.00", "2026-03     0.00",
                     "2026-04*    7.00"))
  expect_identical(run("statement", "nowhere.csv", "--on", "x")$status, 1L)
  expect_identical(run("nothing")$status, 2L)
})

test_that(
  "demo writes the tables, the statement, the figure and the page, and prints the statement", {
  folder <- file.path(withr::local_tempdir(), "out")
  r <- command("demo", "--dir", folder)
  expect_identical(r$status, 0L)
  book <- if (rlang::is_installed("openxlsx")) "routes.xlsx"
  expect_setequal(list.files(folder),
                  c("briefs", "report.html", book, "statement.csv", "tables", "trend.png"))
  expect_length(list.files(file.path(folder, "briefs"), "yml$"), 9)
  expect_length(list.files(file.path(folder, "tables")), 6)
  expect_match(r$out[1],
               "By month, sailed 1 Apr 2025 to 17 Sep 2026, as of 17 Sep 2026, 1 period partial")
  expect_match(r$said[1], "5 of 150,005 entries set aside")
  written <- utils::read.csv(file.path(folder, "statement.csv"))
  expect_identical(round(sum(written$income) * 100),
                   sum(round(demo_fares$fare[demo_fares$sailed_on >= "2025-04-01"] * 100)))
  expect_identical(command("demo", "--dir", folder)$status, 0L)  # again
})

test_that("an option given twice applies twice or is refused, also by its beginning", {
  file <- csv_file(fares_csv)
  ask <- function(...) command("statement", file, "--on", "sailed", "--measure",
                               "income=total(fare)", ...)
  both <- ask("--where", "fare > 0", "--where", "route == 'Oysterby' | fare > 100")
  expect_match(both$out, "^all\\*? +10.10", all = FALSE)
  for (twice in list(c("--per", "month", "--per", "day"), c("--per=month", "--per", "day"),
                     c("--as-of", "2026-03-01", "--as=2026-02-01"))) {
    got <- ask(twice)
    expect_identical(got$status, 2L)
    expect_match(got$said, "is given twice; it takes one value", all = FALSE)
  }
  compared <- command("compare", file, "--on", "sailed", "--span", "2026-01", "--span", "2026-02")
  expect_match(compared$said, "`--span` is given twice", all = FALSE)
  expect_identical(ask("--rank", "income", "--by", "route", "--keep", "99999999999999")$status, 0L)
})

test_that("a profile in the folder changes nothing", {
  script <- testthat::test_path("..", "..", "exec", "rolling-ledger")
  skip_if_not(file.exists(script))
  folder <- withr::local_tempdir()
  writeLines("options(OutDec = ',', scipen = -10); cat('from the profile\\n')",
             file.path(folder, ".Rprofile"))
  writeLines(fares_csv, file.path(folder, "a.csv"))
  ask <- function(where) {
    withr::local_dir(where)
    suppressWarnings(
      system2(normalizePath(script),
              c("statement", shQuote(file.path(folder, "a.csv")), "--on", "sailed", "--measure",
                "'income=total(fare)'"), stdout = TRUE, stderr = FALSE,
              env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))))
  }
  script <- normalizePath(script)
  expect_identical(ask(folder), ask(withr::local_tempdir()))
  expect_match(ask(folder), "32.35", all = FALSE, fixed = TRUE)
})

test_that("a table comes in on standard input, from several files, and as said", {
  file <- csv_file(c("day;amount", "31.01.2026;1,50", "01.02.2026;2,50"))
  args <- c("-", "--on", "day", "--per", "month", "--measure", "'sum=total(amount)'")
  out <- system2(system.file("exec", "rolling-ledger", package = "rollingledger"),
                 c("statement", args), stdin = file, stdout = TRUE,
                 env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep)))
  expect_match(out, "2026-02\\* +2.5", all = FALSE)
  said <- command("statement", file, "--on", "day", "--separator", "comma")
  expect_identical(said$status, 1L)
  two <- command("statement", file, csv_file(c("day;amount", "02.02.2026;4,00")), "--on", "day",
                 "--measure", "sum=total(amount)", "--column", "twice=amount * 2", "--measure",
                 "more=total(twice)", "--by", "weekday")
  expect_match(two$out, "Monday +4.0 +8", all = FALSE)
  # What a measure adds up is amounts, and its other rows are set aside.
  mostly <- csv_file(c("day,amount", "2026-01-01,5", "2026-01-02,C6"))
  r <- command("statement", mostly, "--on", "day", "--measure", "sum=total(amount)")
  expect_match(r$said, "line 3: unreadable amount in amount \\(\"C6\"\\)", all = FALSE)
  expect_match(r$out, "all +5", all = FALSE)
  # So is what a condition holds against a number.
  r <- command("statement", mostly, "--on", "day", "--where", "amount > 3")
  expect_match(r$said, "line 3: unreadable amount in amount", all = FALSE)
  expect_match(r$out, "all +1", all = FALSE)
  r <- command("statement", mostly, "--on", "day", "--where", "amount == 5")
  expect_match(paste(r$said, collapse = " "), "say `--amount amount`")
})
