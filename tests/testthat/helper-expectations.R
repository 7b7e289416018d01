# What is alike at once needs no comparison part by part, which takes a thousand times as long.
expect_identical <- function(object, expected, info = NULL, ...) {
  asked <- rlang::enquo(object)
  object <- rlang::eval_tidy(asked)
  if (identical(object, expected)) return(invisible(testthat::succeed()))
  testthat::expect_identical(object, expected, info = info, label = rlang::as_label(asked), ...)
}
expect_equal <- function(object, expected, ..., info = NULL) {
  asked <- rlang::enquo(object)
  object <- rlang::eval_tidy(asked)
  if (identical(object, expected)) return(invisible(testthat::succeed()))
  testthat::expect_equal(object, expected, ..., info = info, label = rlang::as_label(asked))
}

# The words of a figure's key of marks.
key_of <- function(p) gsub("\n", " ", unname(p$scales$get_scales("shape")$labels))
