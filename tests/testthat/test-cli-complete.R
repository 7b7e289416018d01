complete <- function(...) command("complete", "--", ...)$out

test_that("commands, options, choices, columns and members are completed", {
  file <- csv_file(fares_csv)
  expect_true(all(c("statement", "run", "briefs") %in% complete("")))
  expect_identical(complete("stat"), "statement")
  expect_true(all(c("--per", "--partial") %in% complete("statement", file, "--p")))
  expect_identical(complete("statement", file, "--per", "fiscal w"), "fiscal week")
  expect_identical(complete("statement", file, "--by", "ro"), "route")
  expect_identical(complete("statement", file, "--by", "route,fa"), "route,fare")
  expect_identical(complete("entries", file, "--of", "route=O"), "route=Oysterby")
  expect_identical(complete("statement", file, "--where", "route == \"W"), "route == \"Wickholm\"")
  expect_identical(complete("statement", file, "--measure", "income=total(fa"),
                   "income=total(fare)")
  expect_identical(complete("statement", file, "--measure", "income=total(fare)", "--rank", ""),
                   "income")
  expect_true("last month" %in% complete("statement", file, "--span", "last"))
  # File names are left to the shell; what cannot be is quiet.
  expect_identical(complete("statement", "fa"), character())
  expect_identical(complete("statement", "nowhere.csv", "--by", "r"), character())
  expect_identical(complete("nothing", ""), character())
})

test_that("bash completes words with spaces, quotes and signs, and runs nothing", {
  skip_on_os("windows")
  skip_if_not(nzchar(Sys.which("bash")))
  file <- csv_file(fares_csv)
  folder <- withr::local_tempdir()
  script <- system.file("exec", "rolling-ledger", package = "rollingledger")
  file.symlink(script, file.path(folder, "rolling-ledger"))
  shell <- system.file("shell", "rolling-ledger.bash", package = "rollingledger")
  ask <- function(...) {
    words <- c("rolling-ledger", ...)
    lines <- c(sprintf("source %s; PATH=%s:$PATH", shQuote(shell), shQuote(folder)),
               sprintf("COMP_LINE=%s", shQuote(gsub(" ([=:]) ", "\\1", paste(words,
                                                                            collapse = " ")))),
               "COMP_POINT=${#COMP_LINE}",
               sprintf("COMP_WORDS=(%s); COMP_CWORD=%d", paste(shQuote(words), collapse = " "),
                       length(words) - 1L),
               "compopt() { :; }; _rolling_ledger; printf '%s\\n' \"${COMPREPLY[@]}\"")
    system2("bash", c("-c", shQuote(paste(lines, collapse = "\n"))), stdout = TRUE,
            env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep)))
  }
  expect_identical(ask("statement", file, "--per", "fiscal\\ w"), "fiscal\\ week")
  expect_identical(ask("entries", file, "--of", "route", "=", "O"), "Oysterby")
  expect_identical(ask("statement", file, "--where", "'route == \"O"), "route == \"Oysterby\"")
  pwned <- file.path(folder, "pwned")
  ask("statement", sprintf("$(touch %s)", pwned), "--per", "")
  ask("statement", sprintf("x); touch %s; (", pwned), "--per", "")
  expect_false(file.exists(pwned))
})

test_that("help explains every option in groups, with examples that work, and the manual has all", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  expect_identical(command("demo")$status, 0L)
  thin_fares(file.path(folder, "demo-output", "tables"))
  manual <- paste(readLines(system.file("shell", "rolling-ledger.1", package = "rollingledger")),
                  collapse = "\n")
  expect_identical(manual, paste(rollingledger:::manual_page(), collapse = "\n"))
  for (name in setdiff(rollingledger:::shown_commands(), c("help", "demo"))) {
    help <- command(name, "--help")$out
    expect_lte(max(nchar(help[!grepl("^  rolling-ledger", help)])), 100)
    for (option in rollingledger:::cli_commands[[name]]$options()) {
      expect_true(any(startsWith(trimws(help), option$flag)), info = paste(name, option$flag))
      expect_match(manual, gsub("-", "\\-", option$flag, fixed = TRUE), fixed = TRUE)
    }
    for (call in rollingledger:::example_calls(name)) {
      expect_true(paste0("  ", call) %in% help)
      # A page goes on until it is ended; its own tests open it.
      if (name == "explore") next
      words <- scan(text = call, what = "", quiet = TRUE, quote = "'")
      expect_true(command(words[-1])$status %in% c(0L, 3L), info = call)
    }
  }
  statement <- command("statement", "--help")$out
  expect_match(statement[1], "Usage: rolling-ledger statement FILE... --on COLUMN [options]",
               fixed = TRUE)
  expect_lt(grep("^Needed:", statement), grep("^What is asked:", statement))
  for (topic in c("measures", "conditions", "columns", "spans", "statement"))
    expect_gt(length(command("help", topic)$out), 5)
  expect_match(command("help", "measurs")$said, "Did you mean `measures`", all = FALSE)
})
