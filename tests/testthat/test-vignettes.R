test_that("vignettes knit, and stop only where they mean to", {
  skip_if_not_installed("knitr")
  sources <- normalizePath(
    list.files(testthat::test_path("..", "..", "vignettes"), "[.]Rmd$", full.names = TRUE))
  skip_if(length(sources) == 0)
  withr::local_dir(withr::local_tempdir())  # figures are written beside
  for (source in sources) {
    lines <- readLines(source)
    out <- withr::local_tempfile(fileext = ".md")
    withr::with_options(list(width = 90), knitr::knit(source, out, quiet = TRUE, envir = new.env()))
    text <- readLines(out)
    expect_identical(sum(grepl("^#> Error", text)), sum(grepl("error = TRUE", lines)),
                     info = source)
    expect_false(any(grepl("Warning", text)), info = source)
  }
})
