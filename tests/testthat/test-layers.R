# The layers, top to bottom: a function may call its own layer and those below, nothing above.
layers <- list("cli", c("report", "explore"), "figure", "brief", "statement", "window", "source", "measure", "ledger", "span", "calendar", "core")

test_that("no call runs upward", {
  sources <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(sources))
  place <- rep(seq_along(layers), lengths(layers))
  names(place) <- unlist(layers)
  files <- setdiff(list.files(sources, "[.]R$"), c("RcppExports.R", "data.R", "rollingledger-package.R"))
  prefix <- sub("-.*", "", files)
  expect_true(all(prefix %in% names(place)), info = paste(files[!prefix %in% names(place)], collapse = " "))
  code <- lapply(file.path(sources, files), parse)
  defined <- unlist(Map(function(expressions, where) {
    names <- vapply(expressions, function(e) if (is.call(e) && identical(e[[1]], quote(`<-`)) && is.symbol(e[[2]])) as.character(e[[2]]) else "", "")
    stats::setNames(rep(place[[where]], sum(nzchar(names))), names[nzchar(names)])
  }, code, prefix))
  expect_gt(length(defined), 150)
  expect_identical(names(defined)[duplicated(names(defined))], character())
  upward <- unlist(Map(function(expressions, where, file) {
    used <- intersect(all.names(as.call(c(quote(`{`), as.list(expressions)))), names(defined))
    up <- used[defined[used] < place[[where]]]
    if (length(up) > 0) paste(file, "uses", up)
  }, code, prefix, files))
  # `source-file.R` holds a method of ledger(), whose generic is below it.
  expect_identical(unname(upward), NULL)
})

test_that("nothing below the interface touches what only the interface needs", {
  sources <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(sources))
  low <- list.files(sources, "^(statement|window|measure|source|ledger|span|calendar|core)-.*[.]R$", full.names = TRUE)
  for (file in low) expect_no_match(readLines(file), "ggplot2::|htmltools::|optparse::|shiny::", info = basename(file))
})

test_that("loading the package loads nothing heavy", {
  loaded <- system2("Rscript", c("-e", shQuote("loadNamespace('rollingledger'); cat(loadedNamespaces())")), stdout = TRUE,
                    env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep)))
  for (heavy in c("ggplot2", "data.table", "htmltools", "optparse", "shiny")) expect_no_match(loaded, heavy)
})
