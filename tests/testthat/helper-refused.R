# What must be refused: with a message that says so, as an error of its kind.
expect_refused <- function(call, says, kind, ...) {
  expect_error(call, says, class = paste0("rollingledger_error_", kind), ...)
}
