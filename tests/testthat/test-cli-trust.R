# What a nightly job relies on: nothing said twice is lost, nothing is written half, and the exit
# status tells what happened. Some of it needs real processes.

fares_file <- function(env = parent.frame()) csv_file(fares_csv, env = env)

ask <- function(..., file = fares_file()) {
  command("statement", file, "--on", "sailed", "--measure", "income=total(fare)", ...)
}

# The command as a process of its own: list(out, said, status).
run_process <- function(args, env = character(), folder = ".", stdout = TRUE) {
  script <- system.file("exec", "rolling-ledger", package = "rollingledger")
  said <- withr::local_tempfile()
  libraries <- paste0("R_LIBS=", paste(normalizePath(.libPaths()), collapse = .Platform$path.sep))
  withr::with_dir(folder, {
    out <- suppressWarnings(system2(script, shQuote(args), stdout = stdout, stderr = said,
                                    env = c(libraries, env)))
  })
  status <- if (is.character(out)) attr(out, "status") %||% 0L else out
  list(out = out, said = readLines(said, warn = FALSE, encoding = "UTF-8"), status = status)
}

test_that("options of one value are refused when repeated, and conditions all hold", {
  for (command in c("statement", "compare", "members", "entries", "reconcile", "check", "run")) {
    for (option in rollingledger:::cli_commands[[command]]$options()) {
      if (option$many) next
      twice <- if (option$switch) c(option$flag, option$flag)
               else c(option$flag, "x", paste0(option$flag, "=x"))
      got <- command(command, "a.csv", twice)
      expect_identical(got$status, 2L)
      expect_match(got$said[1], sprintf("`%s` is given twice", option$flag), fixed = TRUE)
    }
  }
  expect_match(ask("--unit", "fare=EUR", "--unit", "fare=USD")$said,
               "`--unit` says twice what `fare` is", all = FALSE)
  both <- ask("--where", "fare > 0", "--where", "route == 'Oysterby' | fare > 100")
  expect_match(both$out, "^all\\*? +10.10", all = FALSE)
})

test_that("options that do nothing, and values that are missing, are refused", {
  refused <- function(says, ...) {
    got <- ask(...)
    expect_identical(got$status, 2L, info = says)
    expect_match(got$said, says, all = FALSE, fixed = TRUE)
    expect_identical(got$out, character())
  }
  refused("`--list-all` does nothing without `--by`", "--list-all")
  refused("`--anchor group` does nothing without `--by`", "--anchor", "group")
  refused("`--lines` does nothing without `--across`", "--lines")
  refused("`--overwrite` goes with `--out FILE`", "--overwrite")
  refused("`--category` goes with `--save FILE`", "--category", "x")
  refused("`--keep` goes with `--rank`", "--keep", "2")
  refused("`--direction` goes with `--sort`", "--direction", "up")
  # The rows of a file have an order of their own.
  expect_match(ask("--order", "up")$said, "`--order` is for databases", all = FALSE, fixed = TRUE)
  refused("`--fiscal-label` does nothing", "--fiscal-label", "start")
  refused("`--year-end` belongs to a fiscal year of weeks", "--year-end", "last Friday")
  refused("`--rows` applies to tables printed as text", "--rows", "3", "--format", "csv")
  refused("`--wide` applies to tables printed as text", "--wide", "--format", "json")
  refused("`--title` goes with `--out`", "--title", "x")
  refused("the name of a file tells its format", "--format", "csv", "--out",
          tempfile(fileext = ".csv"))
  refused("`--rows` takes a whole number or all", "--rows", "2.5")
  refused("`--format` must be one of csv, tsv, json and text", "--format", "xml")
  refused("`--wide` takes no value", "--wide=yes")
  refused("`--span` needs a value", "--span")
  refused("is not an option: options begin with two dashes", "-x")
  refused("There is no option `--spam`", "--spam", "x")
  refused("`--per` must be one of", "--per", "--by")
})

test_that("the call is checked before any file is read", {
  for (wrong in list(c("--per", "mnth"), c("--span", "last mnth"), c("--where", "fare <"),
                     c("--measure", "x=totl(fare)"), c("--measure", "x=system('ls')"),
                     c("--running", "incme"), c("--rank", "income", "--keep", "two"),
                     c("--as-of", "2026-02-30"), c("--known", "soon"), c("--totals", "all"),
                     c("--fiscal-start", "Mai"), c("--pattern", "4-4-4"), c("--out", "a.doc"),
                     c("--save", "a.txt"), c("--unit", "EUR"), c("--lookup", "x"))) {
    got <- ask(wrong, file = "there-is-no-such-file.csv")
    expect_identical(got$status, 2L, info = paste(wrong, collapse = " "))
    expect_no_match(got$said, "does not exist", info = paste(wrong, collapse = " "))
  }
  expect_identical(ask(file = "there-is-no-such-file.csv")$status, 1L)
})

test_that("-- ends options, and values may begin with a dash", {
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  writeLines(fares_csv, "--on.csv")
  got <- command("statement", "--on", "sailed", "--measure", "income=total(fare)", "--", "--on.csv")
  expect_identical(got$out, ask()$out)
  less <- ask("--where", "-fare > 0")
  expect_match(less$out, "^all\\*? +-5.00", all = FALSE)
  expect_identical(ask("--where=-fare > 0")$out, less$out)
})

test_that("names in any script, with commas, spaces, quotes and signs", {
  odd <- c("Umsätze", "日本語", "a, b", "it's \"so\"", "x = y", "a.b c")
  fares <- data.frame(sailed = as.Date("2026-01-01") + 0:3, fare = 1:4)
  for (name in odd) fares[[name]] <- c("p", "q", "p", "q")
  file <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(fares, file)
  quoted <- function(name) paste0("\"", gsub("\"", "\"\"", name, fixed = TRUE), "\"")
  for (name in odd) {
    got <- command("statement", file, "--on", "sailed", "--by", quoted(name), "--measure",
                   paste0(quoted(name), " n=total(fare)"), "--format", "csv")
    if (got$status != 0L) got <- command("statement", file, "--on", "sailed", "--by", quoted(name),
                                         "--measure", paste0(quoted(paste(name, "n")),
                                                             "=total(fare)"), "--format", "csv")
    expect_identical(got$status, 0L, info = name)
    table <- utils::read.csv(text = got$out, check.names = FALSE, encoding = "UTF-8")
    expect_identical(table[[name]], c("p", "q"), info = name)
    expect_identical(table[[paste(name, "n")]], c(4L, 6L), info = name)
  }
  two <- command("statement", file, "--on", "sailed", "--by", "\"a, b\",Umsätze", "--measure",
                 "Summe=total(fare)", "--where", "`日本語` == 'p'")
  expect_match(two$out, "^p +p +4$", all = FALSE)
})

test_that("arguments are UTF-8 in any locale, and the folder's profile and options do nothing", {
  folder <- withr::local_tempdir()
  writeLines(c("options(OutDec = ',', scipen = -10, digits = 3); stop('the profile ran')"),
             file.path(folder, ".Rprofile"))
  writeLines(c("R_DEFAULT_PACKAGES=NULL", "R_LIBS=/nowhere", "LINES=3"),
             file.path(folder, ".Renviron"))
  writeLines(enc2utf8(c("sailed,route,fare", "2026-01-01,日本語,123456.5", "2026-01-02,Ærø,2")),
             file.path(folder, "a.csv"), useBytes = TRUE)
  args <- c("statement", "a.csv", "--on", "sailed", "--by", "route", "--measure",
            "Umsätze=total(fare)", "--where", "route == '日本語'")
  here <- run_process(args, folder = folder)
  expect_identical(here$status, 0L)
  cron <- run_process(args, c("LC_ALL=C", "TZ=UTC"), folder)
  expect_identical(cron$status, 0L)
  Encoding(cron$out) <- Encoding(here$out) <- "UTF-8"
  expect_identical(cron$out, here$out)
  expect_match(here$out, "日本語 +123,456.5", all = FALSE)
  expect_match(here$out, "Umsätze", all = FALSE)
})

test_that("R options never change a text or a figure", {
  args <- list(c("--per", "month"), c("--per", "month", "--format", "csv"),
               c("--per", "month", "--format", "json"), c("--span", "2026-01", "--by", "route"))
  plain <- lapply(args, function(more) ask(more)$out)
  withr::local_options(OutDec = ",", scipen = -20, digits = 3, width = 30,
                       rollingledger.rows = 1, stringsAsFactors = TRUE)
  expect_identical(lapply(args, function(more) ask(more)$out), plain)
})

test_that("numbers of machine-readable text are whole decimal digits in every table", {
  file <- csv_file(c("sailed,account,fare", "2026-01-01,12345678901234567,1e15",
                     "2026-01-02,77,0.000001", "2026-02-01,77,123456789.25"))
  calls <- list(c("statement", "--per", "month"),
                c("statement", "--per", "month", "--by", "account"),
                c("statement", "--per", "month", "--across", "period"),
                c("compare", "--span", "2026-01", "--against", "2026-02"),
                c("members", "--member", "account", "--span", "2026-01", "--against", "2026-02"),
                c("entries", "--of", "period=all"))
  for (call in calls) for (format in c("csv", "tsv", "json")) {
    got <- command(call[1], file, "--on", "sailed", "--measure", "income=total(fare)", call[-1],
                   "--format", format)
    expect_identical(got$status, 0L)
    expect_no_match(got$out, "[0-9]e[+-]?[0-9]", info = paste(call, format, collapse = " "))
    out <- withr::local_tempfile(fileext = paste0(".", format))
    command(call[1], file, "--on", "sailed", "--measure", "income=total(fare)", call[-1],
            "--out", out)
    expect_identical(readLines(out, encoding = "UTF-8"), got$out)
  }
})

test_that("every table goes to every format", {
  skip_if_not_installed("openxlsx")
  file <- fares_file()
  bank <- csv_file(c("day,amount", "2026-01-30,10.10"))
  base <- c(file, "--on", "sailed=sailed,entered=booked", "--measure", "income=total(fare)")
  calls <- list(c("statement", base, "--per", "month"),
                c("statement", base, "--per", "month", "--across", "period"),
                c("compare", base, "--span", "2026-01", "--against", "2026-02"),
                c("compare", base, "--known", "2026-02-28", "--known-later", "2026-04-30"),
                c("members", base, "--member", "route", "--span", "2026-01", "--against",
                  "2026-02"),
                c("entries", base, "--of", "period=all"),
                c("reconcile", base, "--per", "day", "--against", bank, "--key", "period=day"))
  folder <- withr::local_tempdir()
  kinds <- c("csv", "tsv", "json", "xlsx", "html",
             if (rlang::is_installed("nanoparquet")) "parquet")
  for (i in seq_along(calls)) for (kind in kinds) {
    out <- file.path(folder, sprintf("%d.%s", i, kind))
    expect_true(command(calls[[i]], "--out", out)$status %in% c(0L, 3L), info = out)
    if (kind != "xlsx") next
    rows <- openxlsx::read.xlsx(out, 2)
    csv <- command(calls[[i]], "--format", "csv")$out
    expect_identical(nrow(rows), nrow(utils::read.csv(text = csv)), info = out)
    if (nrow(rows) > 0) expect_true(any(vapply(rows, is.numeric, TRUE)), info = out)
  }
  aside <- file.path(folder, "aside.xlsx")
  expect_identical(command("check", file, "--on", "sailed", "--set-aside", aside)$status, 0L)
  expect_identical(nrow(openxlsx::read.xlsx(aside, 2)), 1L)
})

test_that("exit status 3: checked and found different", {
  file <- fares_file()
  expect_identical(command("check", file, "--on", "sailed")$status, 0L)
  expect_identical(command("check", file, "--on", "sailed", "--strict")$status, 3L)
  clean <- csv_file(c("day,fare", paste0(as.Date("2026-01-01") + 0:27, ",", 5:6)))
  expect_identical(command("check", clean, "--on", "day", "--strict")$status, 0L)
})

test_that("a pipe that is closed is quiet, and a full standard output an error", {
  skip_on_os("windows")
  skip_if_not(file.exists("/dev/full"))
  file <- csv_file(c("day,fare", paste0(as.Date("2020-01-01") + 0:1999, ",1")))
  script <- shQuote(system.file("exec", "rolling-ledger", package = "rollingledger"))
  env <- paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))
  shell <- function(line) {
    suppressWarnings(system2("bash", c("-c", shQuote(line)), stdout = TRUE, stderr = TRUE,
                             env = env))
  }
  call <- paste(script, "statement", shQuote(file), "--on day --per day --format csv")
  piped <- shell(paste0(call, " | head -1; echo ${PIPESTATUS[0]}"))
  expect_identical(piped, c("period,from,to,complete,entries", "0"))
  full <- shell(paste0(call, " > /dev/full; echo $?"))
  expect_match(full, "standard output could not be written to its end", all = FALSE)
  expect_identical(full[length(full)], "1")
})

test_that("signals leave nothing behind, what was killed is tidied by the next run", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  script <- system.file("exec", "rolling-ledger", package = "rollingledger")
  out <- file.path(folder, "series")
  env <- paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))
  call <- paste("exec", shQuote(script), "run", shQuote(shipped_brief("leaders-per-week")),
                "--from", shQuote(system.file("extdata", package = "rollingledger")), "--each",
                "channel", "--out", shQuote(out), "--overwrite --quiet")
  # Each is stopped once its folder is being written.
  ended <- function(signal) {
    line <- sprintf(paste0("set -m; (%s) & p=$!; for i in $(seq 200); do ls -A %s | grep -q ",
                           "'^.rolling-ledger-' && break; sleep 0.05; done; kill -%s $p; wait $p; ",
                           "echo $?"), call, shQuote(folder), signal)
    said <- suppressWarnings(system2("bash", c("-c", shQuote(line)), stdout = TRUE, stderr = FALSE,
                                     env = env))
    as.integer(said[length(said)])
  }
  left <- function() list.files(folder, all.files = TRUE, no.. = TRUE)
  expect_identical(ended("INT"), 130L)
  expect_identical(left(), character())
  expect_identical(ended("TERM"), 143L)
  expect_identical(left(), character())
  expect_identical(ended("KILL"), 137L)
  expect_length(left(), 1)
  done <- suppressWarnings(system2("bash", c("-c", shQuote(call)), env = env))
  expect_identical(done, 0L)
  expect_identical(left(), "series")
  before <- readLines(file.path(out, "web", "leaders.csv"))
  expect_identical(ended("TERM"), 143L)
  expect_identical(left(), "series")
  expect_identical(readLines(file.path(out, "web", "leaders.csv")), before)
})

test_that("inputs are never written, files keep their mode, links stay links", {
  skip_on_os("windows")
  folder <- withr::local_tempdir()
  file <- file.path(folder, "a.csv")
  writeLines(fares_csv, file)
  got <- command("statement", file, "--on", "sailed", "--out", file, "--overwrite")
  expect_identical(got$status, 2L)
  expect_match(got$said, "is read, so it cannot be written", all = FALSE)
  file.symlink(file, file.path(folder, "link.csv"))
  expect_identical(command("statement", file, "--on", "sailed", "--out",
                           file.path(folder, "link.csv"), "--overwrite")$status, 2L)
  expect_identical(readLines(file), fares_csv)
  for (other in c("--periods", "--lookup", "--target")) {
    value <- switch(other, "--periods" = file, "--lookup" = paste0("route=", file),
                    paste0("entries=", file))
    expect_identical(command("statement", fares_file(), "--on", "sailed", other, value, "--out",
                             file, "--overwrite")$status, 2L, info = other)
  }
  out <- file.path(folder, "out.csv")
  writeLines("old", out)
  Sys.chmod(out, "640", use_umask = FALSE)
  file.symlink("out.csv", file.path(folder, "to-out.csv"))
  expect_identical(command("statement", file, "--on", "sailed", "--out",
                           file.path(folder, "to-out.csv"), "--overwrite")$status, 0L)
  expect_identical(Sys.readlink(file.path(folder, "to-out.csv")), "out.csv")
  expect_identical(format(file.mode(out)), "640")
  expect_match(readLines(out)[1], "^period,")
})

test_that("of two runs at once that write a new file, one wins", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "a.csv")
  write <- function(text) rollingledger:::write_whole(file, FALSE, function(path) {
    # The other one comes first while this one is at work.
    if (text == "slow\n") write("fast\n")
    rollingledger:::write_bytes(text, path)
  })
  expect_refused(write("slow\n"), "it was written meanwhile", "file")
  expect_identical(readLines(file), "fast")
  expect_identical(list.files(folder, all.files = TRUE, no.. = TRUE), "a.csv")
})

test_that("a full disk leaves the file that was there", {
  skip_on_os(c("windows", "mac"))
  folder <- withr::local_tempdir()
  mounted <- suppressWarnings(system2("mount", c("-t", "tmpfs", "-o", "size=48k", "tmpfs", folder),
                                      stdout = FALSE, stderr = FALSE)) == 0
  if (mounted) withr::defer(system2("umount", folder))
  skip_if_not(mounted, "no tmpfs can be mounted; a file-size limit stands for it elsewhere")
  kinds <- c("csv", "tsv", "json", "html", "png", if (rlang::is_installed("openxlsx")) "xlsx")
  for (kind in kinds) {
    out <- file.path(folder, paste0("a.", kind))
    writeLines("good", out)
    got <- command("statement", demo_csv(), "--on", "sailed_on", "--per", "day", "--by", "route",
                   "--measure", "income=total(fare)", "--out", out, "--overwrite")
    expect_identical(got$status, 1L, info = kind)
    expect_match(got$said, "what was there before is as it was", all = FALSE, info = kind)
    expect_identical(readLines(out), "good", info = kind)
    unlink(out)
    expect_identical(list.files(folder, all.files = TRUE, no.. = TRUE), character(), info = kind)
  }
})

test_that("control characters in data never reach the terminal", {
  file <- csv_file(c("day,route,fare", "2026-01-01,\033[31mred\033[0m,1", "2026-01-02,ok,x\033[2J"))
  red <- "route == '\033[31mred\033[0m'"
  for (args in list(c("statement", file, "--on", "day", "--by", "route"),
                    c("statement", file, "--on", "day", "--measure", "a=total(fare)"),
                    c("check", file, "--on", "day", "--all"),
                    c("entries", file, "--on", "day", "--of", "period=all"),
                    c("statement", file, "--on", "day", "--where", red))) {
    got <- command(args)
    codes <- utf8ToInt(paste(c(got$out, got$said), collapse = ""))
    expect_identical(codes[codes < 32 | codes == 127], integer())
  }
})
