# The page's scripts without a browser (tests/page): each of its tests is one here.

test_that("the page's scripts do what they say, without a browser", {
  folder <- test_path("..", "page")
  node <- Sys.which("node")
  jsdom <- test_path("..", "..", ".build", "node", "node_modules", "jsdom")
  if (!nzchar(node) || !dir.exists(jsdom))
    skip("no Node.js with jsdom: run `make .build/setup-test`")
  files <- list.files(folder, "[.]test[.]cjs$", full.names = TRUE)
  said <- suppressWarnings(system2(node, c("--test", "--test-reporter=tap", files), stdout = TRUE,
                                   stderr = TRUE))
  told <- grep("^ *(not )?ok [0-9]+ - ", said, value = TRUE)
  expect_gte(length(told), 23)
  for (one in told) {
    at <- match(one, said)
    expect(startsWith(one, "ok"), paste(said[at + 0:20], collapse = "\n"))
  }
  expect_match(paste(said, collapse = "\n"), "# fail 0", fixed = TRUE)
})
