test_that(
  "every help page of a function says what comes out, what is refused, and shows an example", {
  pages <- tools::Rd_db("rollingledger")
  for (file in setdiff(names(pages),
                       c("rollingledger-package.Rd", grep("^demo_", names(pages), value = TRUE)))) {
    tags <- vapply(pages[[file]], function(part) attr(part, "Rd_tag"), "")
    expect_true(all(c("\\value", "\\examples", "\\arguments") %in% tags), info = file)
    sections <- vapply(pages[[file]][tags == "\\section"],
                       function(part) paste(unlist(part[[1]]), collapse = ""), "")
    expect_true("Errors" %in% sections, info = file)
  }
  for (file in grep("^demo_", names(pages), value = TRUE)) {
    table <- get(sub(".Rd$", "", file))
    text <- paste(unlist(pages[[file]]), collapse = " ")
    for (column in names(table)) expect_match(text, column, info = file)
  }
})

test_that("what is exported is documented", {
  documented <- unlist(lapply(tools::Rd_db("rollingledger"), function(page) {
    unlist(page[vapply(page, function(part) attr(part, "Rd_tag"), "") == "\\alias"])
  }))
  expect_setequal(setdiff(getNamespaceExports("rollingledger"), documented), character())
})

test_that("the demo data are small", {
  size <- sum(file.size(
    list.files(system.file("extdata", package = "rollingledger"), full.names = TRUE)))
  data <- testthat::test_path("..", "..", "data")
  if (dir.exists(data)) size <- size + sum(file.size(list.files(data, full.names = TRUE)))
  expect_lt(size, 4e6)
})
