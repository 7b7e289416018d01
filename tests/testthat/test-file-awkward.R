test_that("each awkward file gives its figures, or the one refusal", {
  withr::local_options(rlib_message_verbosity = "verbose")
  folder <- withr::local_tempdir()
  seen <- c(figures = 0, refusals = 0)
  for (one in awkward_files()) {
    path <- written(folder, one$name, one$lines, one$encoding, one$ends)
    said <- character()
    figure <- function() {
      x <- rlang::inject(ledger(path, on = one$on, !!!one$args))
      s <- statement(x, amt = total(amount))
      list(value = s$amt, ledger = x)
    }
    got <- withCallingHandlers(
      tryCatch(figure(), rollingledger_error = function(e) conditionMessage(e)),
      message = function(m) {
        said <<- c(said, conditionMessage(m))
        rlang::cnd_muffle(m)
      })
    if (!is.null(one$refused)) {
      seen[["refusals"]] <- seen[["refusals"]] + 1
      expect_match(if (is.character(got)) got else "was not refused", one$refused, info = one$name)
      next
    }
    seen[["figures"]] <- seen[["figures"]] + 1
    expect_false(is.character(got), info = paste(one$name, if (is.character(got)) got))
    if (is.character(got)) next
    expect_identical(got$value, one$figure, info = one$name)
    if (!is.null(one$says)) expect_match(paste(said, collapse = " "), one$says, info = one$name)
    if (!is.null(one$read))
      expect_match(paste(format(got$ledger), collapse = " "), one$read, info = one$name)
    expect_identical(as.double(set_aside(got$ledger)$row), as.double(one$aside), info = one$name)
    counts <- got$ledger[c("read", "used")]
    kept_out <- if (is.null(got$ledger$kept)) 0 else got$ledger$kept$of - counts$used
    expect_equal(counts$read, counts$used + kept_out + nrow(set_aside(got$ledger)),
                 info = one$name)
  }
  expect_true(all(seen > 14))
})

test_that("files that are none are told as what they are", {
  folder <- withr::local_tempdir()
  expect_refused(ledger(file.path(folder, "none.csv"), on = "day"), "does not exist", "source")
  expect_refused(ledger(folder, on = "day"), "is a folder without a table", "source")
  path <- written(folder, "table.csv", day_file("2026-01-03,5"))
  expect_refused(ledger(file.path(folder, "tabel.csv"), on = "day"), "Did you mean `table.csv`",
                 "source")
  expect_refused(ledger(file.path(folder, "*.tsv"), on = "day"), "No file goes by the pattern",
                 "source")
  expect_refused(ledger(c(path, path), on = "day"), "is named twice", "source")
  odd <- written(folder, "odd.export", day_file("2026-01-03,5"))
  expect_refused(ledger(odd, on = "day"), "is not known from its name", "source")
  expect_identical(statement(ledger(odd, on = "day", format = "text"), s = total(amount))$s, 5)
  if (Sys.info()[["user"]] != "root") {
    Sys.chmod(path, "000")
    expect_refused(ledger(path, on = "day"), "may not be read", "source")
  }
  expect_refused(ledger(path, on = "day", encoding = "utf9"), "There is no encoding", "choice")
  expect_refused(ledger(path, on = "day", separator = "dot"), "must be one of", "choice")
  expect_refused(ledger(path, on = "day", number_format = "1_234"), "must be one of", "choice")
})

test_that("a temporary folder that is full loses nothing", {
  # What is written is compared with what is on the disk, here with one byte less.
  file <- withr::local_tempfile()
  writeBin(raw(10), file)
  expect_error(rollingledger:::check_unpacked(file, 11, "fares.csv.gz", NULL),
               "10 of 11 bytes could be kept in .*TMPDIR")
  expect_false(file.exists(file))
})

test_that("random bytes are a table or refused, never a crash", {
  set.seed(21)
  path <- withr::local_tempfile(fileext = ".csv")
  kinds <- character()
  for (i in 1:60) {
    bytes <- switch(i %% 3 + 1, as.raw(sample(0:255, 1e5, TRUE)),
                    as.raw(sample(c(1:127, 10, 44, 34), 20000, TRUE)),
                    charToRaw(paste(sample(c("2026-01-01", "5", ",", "\n", "\"", ";", "x"), 3000,
                                           TRUE), collapse = "")))
    writeBin(bytes, path)
    got <- suppressMessages(tryCatch({
      x <- ledger(path, on = "day")
      "read"
    }, rollingledger_error = function(e) class(e)[1]))
    kinds <- c(kinds, got)
  }
  expect_length(kinds, 60)
  expect_true("rollingledger_error_source" %in% kinds)
})
