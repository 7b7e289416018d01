test_that("the README shows what its call prints", {
  readme <- testthat::test_path("..", "..", "README.md")
  skip_if_not(file.exists(readme))
  lines <- readLines(readme)
  fences <- grep("^```", lines)
  start <- which(lines[fences] == "```r")
  block <- function(i) lines[(fences[i] + 1):(fences[i + 1] - 1)]
  expect_identical(utils::capture.output(withVisible(eval(parse(text = block(start)), new.env()))$value |> print()), block(start + 2))
})
