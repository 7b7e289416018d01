test_that("long work shows its progress on a terminal, and nothing elsewhere", {
  skip_on_os(c("windows", "mac"))
  skip_if(Sys.which("script") == "", "no pseudo terminal")
  withr::local_envvar(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))
  code <- withr::local_tempfile(fileext = ".R", lines = c(
    "options(cli.progress_show_after = 0)",
    "progress <- rollingledger:::progress_steps(40, 'Writing sheets')",
    "for (i in 1:40) { Sys.sleep(0.02); progress$step() }", "progress$done()", "cat('done')"
  ))
  call <- paste(shQuote(file.path(R.home("bin"), "Rscript")), shQuote(code))
  shown <- system2("script", c("-qec", shQuote(call), "/dev/null"), stdout = TRUE, stderr = TRUE)
  expect_match(paste(shown, collapse = " "), "Writing sheets")
  piped <- system(paste(call, "2>&1"), intern = TRUE)
  expect_identical(piped, "done")
})

test_that("work of one step has no progress to show", {
  progress <- rollingledger:::progress_steps(1, "Reading")
  expect_silent({
    progress$step()
    progress$done()
  })
})
