# The calls of the gallery, of which pictures are made: each ends as it says that it does.

test_that("every command of the gallery ends as its picture needs", {
  gallery <- testthat::test_path("..", "..", "vignettes", "gallery.Rmd")
  skip_if_not(file.exists(gallery))
  lines <- readLines(gallery)
  withr::local_dir(withr::local_tempdir())
  file.copy(list.files(c(system.file("extdata", package = "rollingledger"),
                         system.file("briefs", package = "rollingledger")), full.names = TRUE), ".")
  starts <- grep("^terminal\\(", lines)
  expect_gt(length(starts), 10)
  for (at in starts) {
    end <- at + which(lines[-seq_len(at)] == "```")[1] - 1
    called <- as.list(parse(text = lines[at:end])[[1]])[-1]
    line <- called[[1]]
    words <- system2("sh", c("-c", shQuote(paste("for w in", sub("^rolling-ledger", "", line),
                                                 "; do printf '%s\\n' \"$w\"; done"))),
                     stdout = TRUE)
    got <- command(words)
    expect_identical(got$status, as.integer(if (is.null(called$status)) 0 else called$status),
                     info = paste(line, paste(got$said, collapse = "\n")))
    expect_false(any(grepl("no package called", c(got$out, got$said))))
  }
})
