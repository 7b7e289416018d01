# What a reader gets: as much as a terminal holds, all of it in a pipe, and no column left out.

ask <- function(...) command("statement", csv_file(fares_csv), "--on", "sailed", "--measure",
                             "income=total(fare)", ...)

test_that("a pipe gets all rows, folded to a width or as long as they are", {
  days <- c("--per", "day", "--running", "income", "--rolling", "income", "--over",
            "2 days,3 days,4 days")
  withr::local_envvar(COLUMNS = "70")
  folded <- ask(days)
  rows <- rollingledger:::count_text(length(grep("^2026-02-1[0-9]", folded$out)), "row")
  expect_identical(rows, "20 rows")
  expect_lte(max(nchar(folded$out)), 70)
  wide <- ask(days, "--wide")
  expect_length(grep("^2026-02-1[0-9]", wide$out), 10)
  expect_gt(max(nchar(wide$out)), 70)
  some <- ask(days, "--rows", "4")
  expect_match(some$out, "^\\(4 of 71 rows; all with --rows all\\)$", all = FALSE)
  expect_identical(ask(days, "--rows", "all")$out, folded$out)
  # Each column stands somewhere.
  for (name in c("income_running", paste0("income_rolling_", 2:4, "_days")))
    expect_match(folded$out, name, all = FALSE)
})

test_that("one span stands in the heading alone, what a question is about comes first", {
  span <- ask("--by", "route", "--span", "2026-01")
  expect_match(span$out[1], "By route, sailed 30 to 31 Jan 2026, as of", fixed = TRUE)
  expect_identical(span$out[2], "route     income")
  entries <- command("entries", csv_file(fares_csv), "--on", "sailed", "--measure",
                     "n=distinct(route)", "--of", "period=all")
  expect_match(entries$out, "^row +sailed +route +booked +fare", all = FALSE)
})

test_that("- is standard output, and what is printed has no file beside it", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  plain <- ask("--per", "month")
  expect_identical(ask("--per", "month", "--out", "-")$out, plain$out)
  csv <- ask("--per", "month", "--out", "-", "--format", "csv")
  expect_identical(utils::read.csv(text = csv$out)$income, c(30.35, -5, 0, 7))
  expect_identical(list.files(folder), character())
})

test_that("a terminal gets what fits it, with the way to see all", {
  skip_on_os("windows")
  skip_if_not(nzchar(Sys.which("script")), "no `script` to make a terminal with")
  file <- csv_file(c("day,route,fare", paste0(as.Date("2026-01-01") + 0:199, ",Oysterby,1")))
  rolling <- system.file("exec", "rolling-ledger", package = "rollingledger")
  shown <- function(lines, columns, ...) {
    call <- paste(c(shQuote(rolling), "statement", shQuote(file), "--on day --per day --by route",
                    "--measure 'income=total(fare)'", ...), collapse = " ")
    out <- system2("script", c("-qec", shQuote(call), "/dev/null"), stdout = TRUE, stderr = TRUE,
                   env = c(sprintf("LINES=%d", lines), sprintf("COLUMNS=%d", columns),
                           paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))))
    # The terminal's cursor is switched on again at the end.
    out <- sub("\r$", "", out)
    out[out != "\033[?25h"]
  }
  plain <- shown(24, 80)
  expect_lt(length(plain), 24)
  expect_match(plain, "^\\([0-9]+ of 200 rows; all with --rows all\\)$", all = FALSE)
  expect_match(plain[length(plain)], "^2026-07-19")
  narrow <- shown(24, 50, "--running income --rolling income --over '2 days,30 days'")
  # Three rows at least, in each of the blocks.
  expect_lt(length(narrow), 30)
  expect_lte(max(nchar(narrow)), 50)
  expect_gt(length(shown(24, 80, "--rows all")), 200)
})

test_that("values that are missing are asked for at a terminal", {
  folder <- brief_folder()
  brief <- write_brief(folder, with_line("    default: Oysterby", "    default: ask"))
  read <- rollingledger:::read_brief(brief)
  asked <- character()
  values <- rollingledger:::asked_values(read, list(), NULL, terminal = function(name, ask) {
    asked <<- c(asked, rollingledger:::asked_words(name, ask))
    "Wickholm"
  })
  expect_identical(asked, "`route` (one of the members of route)")
  expect_identical(values, list(route = "Wickholm", days = "all"))
})
