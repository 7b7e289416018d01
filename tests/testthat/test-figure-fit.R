test_that("texts are shortened in the middle, and stay apart", {
  shorten <- rollingledger:::shorten_texts
  wide <- rollingledger:::text_pixels
  long <- paste("the ferry across the sound", c("before noon", "after noon"),
                "and back by the outer islands")
  short <- shorten(c(long, "Gull"), 140, 10)
  expect_true(all(wide(short, 10) <= 140 + 1))
  expect_match(short[1:2], "...", fixed = TRUE)
  expect_identical(short[3], "Gull")
  expect_length(unique(short), 3)
  folded <- rollingledger:::fit_texts(long, 200, 10)
  expect_true(all(wide(unlist(strsplit(folded, "\n")), 10) <= 200))
  expect_identical(gsub("\n", " ", rollingledger:::fold_texts(long, 90, 10)), long)
})

test_that("values above a million are told in millions and billions", {
  told <- rollingledger:::axis_values
  expect_identical(told(c(0, 5e5)), c("0", "500,000"))
  expect_identical(told(c(0, 5e5, 1e6)), c("0", "0.5 million", "1.0 million"))
  expect_identical(told(c(-2e9, 0, NA)), c("-2 billion", "0", NA))
})

test_that("no text leaves a figure or stands on another, at any size, with names of any length", {
  sizes <- list(c(1280, 800), c(900, 504), c(390, 600))
  for (i in c(3, 5, 1, 2, 4, 6)[seq_len(rounds(2, 6))]) {
    size <- sizes[[(i - 1) %% 3 + 1]]
    expect_identical(figures_at(size[1], size[2], long = i > 3), NULL)
  }
  expect_identical(text_faults(data.frame(label = c("a", "b"), left = c(0, 4), right = c(9, 30),
                                          bottom = 0, top = 9), 20, 20),
                   c("beyond the picture: b", "a on b"))
})

test_that("the same holds in other fonts", {
  skip_on_cran()
  skip_if(!nzchar(Sys.which("fc-list")), "fonts cannot be listed")
  if (!rounds(FALSE, TRUE)) return(expect_true(TRUE))
  fonts <- c("Lato", "DejaVu Serif", "DejaVu Sans Mono")[seq_len(if (all_rounds()) 3 else 1)]
  held <- system2("fc-list", c(":", "family"), stdout = TRUE)
  met <- 0
  for (font in fonts) {
    if (!any(grepl(font, held, fixed = TRUE))) next
    settings <- withr::local_tempfile(fileext = ".conf")
    writeLines(c(
      "<?xml version=\"1.0\"?><fontconfig><dir>/usr/share/fonts</dir>",
      sprintf("<cachedir>%s</cachedir>", withr::local_tempdir()),
      "<match target=\"pattern\"><edit name=\"family\" mode=\"assign\" binding=\"strong\">",
      sprintf("<string>%s</string></edit></match></fontconfig>", font)), settings)
    code <- c(sprintf(".libPaths(%s)", paste(deparse(.libPaths()), collapse = "")),
              "suppressMessages(library(rollingledger))",
              sprintf("source('%s')", normalizePath(test_path("helper-figures.R"))),
              "cat(rollingledger:::text_pixels('Gull Rock', 10), '\\n')",
              "for (size in list(c(900, 504), c(390, 600)))",
              "  writeLines(as.character(figures_at(size[1], size[2], TRUE)))")
    script <- withr::local_tempfile(lines = code, fileext = ".R")
    said <- processx::run(file.path(R.home("bin"), "Rscript"), script,
                          env = c("current", FONTCONFIG_FILE = settings))
    lines <- strsplit(trimws(said$stdout), "\n")[[1]]
    expect_identical(lines[-1], character(), info = font)
    met <- c(met, as.numeric(lines[1]))
  }
  # Each is a font of its own.
  expect_identical(anyDuplicated(met), 0L)
  expect_gt(length(met), 1)
})
