test_that("random text as span, measure or condition is understood or refused, never a crash", {
  x <- few_ledger()
  set.seed(5)
  pieces <- c("2026", "-", "W", "Q3", "/", "..", "FY", "all", " ", "total", "(", ")", "fare",
              "entries()", "+", "==", "\"web\"", "channel", "&", "!",
              "where", "=", ",", "c(", "1e9", "%in%", "`", "'", "\\", "\u00e9", "{", "}", "[[", "$",
              "::", "function(x)", "NULL", "NA", "-1", ";", "#")
  known <- function(call) {
    tryCatch({ force(call); TRUE }, rollingledger_error = function(e) nzchar(conditionMessage(e)),
             error = function(e) conditionMessage(e))
  }
  for (i in seq_len(rounds(60, 200))) {
    text <- paste(sample(pieces, sample(6, 1), TRUE), collapse = "")
    expect_true(known(statement(x, span = text)), info = text)
    expect_true(known(statement(x, a = !!text)), info = text)
    expect_true(known(statement(x, where = !!text)), info = text)
  }
})
