test_that("the files and functions that docs/architecture.md speaks of are there", {
  page <- testthat::test_path("..", "..", "docs", "architecture.md")
  skip_if_not(file.exists(page))
  text <- readLines(page)
  root <- testthat::test_path("..", "..")
  there <- list.files(root, recursive = TRUE)
  named <- unique(unlist(regmatches(text, gregexpr("[A-Za-z/_-]+[.](R|h|cpp|md)\\b", text))))
  expect_gt(length(named), 35)
  lost <- named[!vapply(
    named, function(file) any(there == file | endsWith(there, paste0("/", file))), TRUE)]
  expect_identical(lost, character())
  functions <- unique(unlist(regmatches(text, gregexpr("`[a-z_]+\\(", text))))
  functions <- gsub("`|\\(", "", functions)
  expect_gt(length(functions), 20)
  known <- c(ls(asNamespace("rollingledger"), all.names = TRUE), "expect_source_contract")
  expect_identical(setdiff(functions, known), character())
  # A page, and a recipe for each kind of thing.
  expect_lt(length(text), 110)
  for (recipe in c("A measure", "A verb", "A source", "A figure")) expect_match(
    text, paste0("[*][*]", recipe), all = FALSE)
  # Every layer of the drawing has files, and every file a layer of the drawing.
  prefixes <- unique(
    sub("-.*", "",
        setdiff(list.files(file.path(root, "R"), "[.]R$"),
                c("RcppExports.R", "data.R", "rollingledger-package.R"))))
  for (prefix in prefixes) expect_match(text, paste0("\\b", prefix, "-[*]"), all = FALSE,
                                        info = prefix)
})
