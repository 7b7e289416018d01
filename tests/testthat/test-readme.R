test_that("the README shows what its calls print", {
  readme <- testthat::test_path("..", "..", "README.md")
  skip_if_not(file.exists(readme))
  lines <- readLines(readme)
  fences <- grep("^```", lines)
  block <- function(i) lines[(fences[i] + 1):(fences[i + 1] - 1)]
  env <- new.env()
  for (start in which(lines[fences] == "```r")) {
    expect_identical(
      utils::capture.output(print(withVisible(eval(parse(text = block(start)), env))$value)),
      block(start + 2))
  }
})
