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

test_that("every exported name and table stands in one topic of the site's index", {
  file <- testthat::test_path("..", "..", "_pkgdown.yml")
  skip_if_not(file.exists(file))
  site <- yaml::read_yaml(file)
  topics <- unlist(lapply(site$reference, function(topic) topic$contents))
  expect_identical(topics[duplicated(topics)], character())
  pages <- tools::Rd_db("rollingledger")
  aliases <- lapply(pages, function(page) {
    unlist(page[vapply(page, function(part) attr(part, "Rd_tag"), "") == "\\alias"])
  })
  listed <- unlist(aliases[vapply(aliases, function(own) any(own %in% topics), TRUE)])
  listed <- c(listed, grep("^demo_", unlist(aliases), value = TRUE))
  expect_true("starts_with(\"demo_\")" %in% topics)
  expect_identical(setdiff(getNamespaceExports("rollingledger"), listed), character())
  # A page stands once, and each topic is a page.
  met <- vapply(aliases, function(own) sum(own %in% topics), 1)
  expect_identical(names(met)[met > 1], character())
  known <- c(unlist(aliases), "starts_with(\"demo_\")")
  expect_identical(setdiff(topics, known), character())
  # Every vignette stands in the list of articles.
  articles <- unlist(lapply(site$articles, function(part) part$contents))
  vignettes <- sub("[.]Rmd$", "", list.files(testthat::test_path("..", "..", "vignettes"),
                                             "[.]Rmd$"))
  expect_setequal(articles, vignettes)
})

test_that("where a page sends to a section, that is there", {
  pages <- tools::Rd_db("rollingledger")
  sections <- lapply(pages, function(page) {
    tags <- vapply(page, function(part) attr(part, "Rd_tag"), "")
    trimws(vapply(page[tags == "\\section"], function(part) paste(unlist(part[[1]]), collapse = ""),
                  ""))
  })
  names(sections) <- sub("[.]Rd$", "", names(sections))
  sent <- 0
  for (name in names(pages)) {
    text <- gsub("\\s+", " ", paste(unlist(pages[[name]]), collapse = ""))
    expect_no_match(text, "see below", info = name)
    named <- regmatches(text, gregexpr("[Ss]ee (the section )?[A-Z][A-Za-z -]*? below", text))[[1]]
    for (one in named) {
      expect_true(gsub("^[Ss]ee (the section )?| below$", "", one) %in%
                    sections[[sub("[.]Rd$", "", name)]], info = paste(name, one))
    }
    pattern <- "the section ([A-Z][A-Za-z ]*?) of ([a-z_]+)\\(\\)"
    for (one in regmatches(text, gregexpr(pattern, text, perl = TRUE))[[1]]) {
      parts <- regmatches(one, regexec(pattern, one, perl = TRUE))[[1]]
      expect_true(parts[2] %in% sections[[parts[3]]], info = paste(name, one))
      sent <- sent + 1
    }
  }
  expect_gt(sent, 5)
})

test_that("every option that is read is told of in one place, or is the package's own", {
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder))
  lines <- unlist(lapply(list.files(folder, full.names = TRUE), readLines))
  read <- unlist(regmatches(lines, gregexpr("getOption\\(\"rollingledger[.][a-z_]+", lines)))
  read <- unique(sub(".*rollingledger[.]", "", read))
  help <- paste(unlist(tools::Rd_db("rollingledger")[["rollingledger-package.Rd"]]), collapse = " ")
  told <- unique(sub("rollingledger[.]", "", regmatches(
    help, gregexpr("rollingledger[.][a-z_]+", help))[[1]]))
  inner <- c("flags", "reader", "explore_begin", "progress_file", "plain_tables")
  # The maintainers' address is none.
  expect_setequal(c(setdiff(told, "example"), inner), read)
})
