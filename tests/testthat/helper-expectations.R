# What is alike at once needs no comparison part by part, which takes a thousand times as long.
expect_identical <- function(object, expected, info = NULL, ...) {
  if (identical(object, expected)) return(invisible(testthat::succeed()))
  testthat::expect_identical(object, expected, info = info,
                             label = paste(deparse(substitute(object)), collapse = " "), ...)
}
expect_equal <- function(object, expected, ..., info = NULL) {
  if (identical(object, expected)) return(invisible(testthat::succeed()))
  testthat::expect_equal(object, expected, ..., info = info,
                         label = paste(deparse(substitute(object)), collapse = " "))
}
