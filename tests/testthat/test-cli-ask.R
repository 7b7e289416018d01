# rolling-ledger ask: one sentence, or line after line.

test_that("a sentence on the command line is the statement, after the sentence as understood", {
  file <- csv_file(fares_csv)
  got <- command("ask", file, "fare each month by route, against 1 year back", "--on", "sailed",
                 "--amount", "fare")
  expect_identical(got$status, 0L)
  expect_match(got$out[1], "^Fare by route, each month")
  plain <- command("statement", file, "--on", "sailed", "--amount", "fare", "--per", "month",
                   "--by", "route", "--measure", "fare=total(fare)", "--change", "fare", "--from",
                   "1 year back")
  expect_identical(utils::tail(got$out, length(plain$out)), plain$out)
  # In files of figures the sentence goes to messages.
  csv <- command("ask", file, "fare by route", "--on", "sailed", "--format", "csv")
  expect_match(csv$out[1], "^period,from,to,complete,route,fare$")
  expect_match(csv$said, "^Fare by route", all = FALSE)
})

test_that("its record, command line, code and brief are one option away", {
  file <- csv_file(fares_csv)
  ask <- function(...) command("ask", file, "fare each month by route", "--on", "sailed", ...)
  expect_match(ask("--show-record")$out, "per: month", all = FALSE)
  expect_match(paste(ask("--show-command")$out, collapse = " "), paste0(
    "rolling-ledger statement .*--per month --by route .*--measure 'fare=total\\(fare\\)'"))
  expect_match(paste(ask("--show-code")$out, collapse = " "), "per = \"month\"", fixed = TRUE)
  brief <- withr::local_tempfile(fileext = ".yml", tmpdir = dirname(file))
  expect_identical(ask("--save", brief)$status, 0L)
  expect_match(readLines(brief), "per: month", all = FALSE)
})

test_that("what is wrong is told with its status, and a figure goes to a file", {
  file <- csv_file(fares_csv)
  bad <- command("ask", file, "fare by rout", "--on", "sailed")
  expect_identical(bad$status, 1L)
  expect_match(bad$said, "Did you mean `route`", all = FALSE)
  figure <- command("ask", file, "fare each month, as a trend", "--on", "sailed")
  expect_identical(figure$status, 1L)
  expect_match(figure$said, "Say --out FILE.png", all = FALSE)
  picture <- withr::local_tempfile(fileext = ".png")
  expect_identical(command("ask", file, "fare each month, as a trend", "--on", "sailed", "--out",
                           picture)$status, 0L)
  expect_gt(file.size(picture), 1000)
  expect_match(command("ask", file, "fare")$said, "`--on` is missing", all = FALSE)
  # Answers to many sentences go to standard output.
  many <- command("ask", file, "--on", "sailed", "--out", picture)
  expect_identical(many$status, 2L)
  expect_match(many$said, "goes with one sentence", all = FALSE)
})

test_that("lines from a pipe are answered one after the other, and may change what was asked", {
  file <- csv_file(fares_csv)
  line <- function(texts) {
    at <- 0
    function() {
      at <<- at + 1
      if (at <= length(texts)) texts[at]
    }
  }
  texts <- c("fare by route", "# a remark", "", "and entries", "by rout", "each month instead",
             "help", "end", "never read")
  parsed <- own("cli_parse")(own("ask_options")(), "ask", c(file, "--on", "sailed", "--amount",
                                                            "fare"))
  record <- own("cli_ledger_record")(parsed, "ask")
  asked_of <- rlang::env(record = record, x = own("ledger_as_read")(record), tables = NULL,
                         options = parsed$options, told = TRUE)
  said <- withr::local_tempfile()
  con <- file(said, "w")
  sink(con, type = "message")
  out <- tryCatch(utils::capture.output(
    status <- own("ask_line_by_line")(asked_of, FALSE, line(texts))), finally = {
      sink(type = "message")
      close(con)
    })
  # A line was refused.
  expect_identical(status, 1L)
  expect_identical(sum(startsWith(out, "> ")), 6L)
  expect_match(out, "^Fare and entries by route \\[all", all = FALSE)
  expect_match(out, "^Fare and entries by route, each month", all = FALSE)
  expect_match(readLines(said), "Did you mean `route`", all = FALSE)
  expect_match(out, "number of accounts", all = FALSE)
})
