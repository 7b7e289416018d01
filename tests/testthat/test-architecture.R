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
  expect_lt(length(text), 220)
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

test_that("what a statement knows is what is listed, there and in docs/architecture.md", {
  x <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"))
  kinds <- c(names(own("statement_fields")), names(own("column_fields")))
  met <- character()
  for (question in questions_of_ledgers) {
    s <- tryCatch(question(x), rollingledger_error = function(e) NULL)
    if (is.null(own("statement_info")(s))) next
    expect_identical(setdiff(names(attr(s, "plan")), names(own("statement_fields"))), character())
    columns <- unlist(lapply(unname(attr(s, "columns")), names))
    expect_identical(setdiff(columns, names(own("column_fields"))), character())
    met <- union(met, c(names(attr(s, "plan")), columns))
  }
  expect_gt(length(met), 25)
  page <- testthat::test_path("..", "..", "docs", "architecture.md")
  skip_if_not(file.exists(page))
  text <- readLines(page)
  from <- which(text == "## What a statement knows")
  text <- text[seq.int(from, which(startsWith(text, "## ") & seq_along(text) > from)[1] - 1)]
  listed <- regmatches(text, regexec("^[|] `([a-z_]+)` [|]", text))
  expect_identical(unlist(lapply(listed, function(one) one[2][length(one) > 1])), kinds)
})

test_that("nothing above the statements reads one but by what it says of itself", {
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder))
  above <- list.files(folder, "^(figure|report|table|run|cli|brief|explore|check)-",
                      full.names = TRUE)
  expect_gt(length(above), 60)
  for (file in above) {
    expect_no_match(readLines(file), "attr\\([^)]*\"(plan|columns|question)\"", info = file)
  }
})

test_that("docs/architecture.md lists all options of R that the package reads or sets", {
  root <- testthat::test_path("..", "..")
  page <- file.path(root, "docs", "architecture.md")
  skip_if_not(file.exists(page))
  code <- unlist(lapply(list.files(file.path(root, "R"), full.names = TRUE), readLines))
  code <- code[!grepl("^ *#", code)]
  used <- unlist(regmatches(code, gregexpr(paste0("(getOption\\(\"|options\\(|, )rollingledger",
                                                  "[.][a-z_]+(?=\"| =)"), code, perl = TRUE)))
  used <- unique(sub(".*(rollingledger[.])", "\\1", used))
  listed <- regmatches(readLines(page), regexec("^[|] `(rollingledger[.][a-z_]+)` [|]",
                                                readLines(page)))
  listed <- unlist(lapply(listed, function(one) one[2][length(one) > 1]))
  expect_gt(length(used), 10)
  expect_setequal(listed, used)
})
