test_that(
  "rows cut or put in another order between verbs keep their figures, whatever their members are", {
  met <- stats::setNames(numeric(length(member_kinds)), member_kinds)
  verbs_met <- character()
  for (seed in seq_len(rounds(20, 70))) {
    made <- random_ledger(seed)
    for (try in 1:4) {
      args <- random_statement(made$kind)
      if (!"route" %in% args$by) args$by <- "route"
      if (made$kind == "odd" && !is.null(args$totals)) next
      # A rank is among the rows there are.
      verbs <- Filter(function(verb) verb$fun != "add_rank", random_verbs(args, 3))
      asked <- asked_at_random(made$x, args, verbs)
      if (is.null(asked) || nrow(asked$s) < 2 || length(asked$verbs) == 0) next
      s <- suppressMessages(rlang::exec(statement, made$x, !!!args))
      at <- seq_len(nrow(s))
      for (verb in asked$verbs) {
        moved <- sample(nrow(s), sample(nrow(s), 1))
        at <- at[moved]
        s <- suppressMessages(taken(s[moved, ], verb))
      }
      figures <- names(attr(asked$s, "columns"))
      expect_identical(lapply(unclass(s)[figures], as.double),
                       lapply(unclass(asked$s)[figures], function(values) as.double(values)[at]),
                       info = paste(seed, try))
      met[made$kind] <- met[[made$kind]] + length(at)
      verbs_met <- union(verbs_met, vapply(asked$verbs, function(verb) verb$fun, ""))
    }
  }
  # Few rounds meet some kinds of members rarely.
  expect_true(all(met > if (rounds(20, 70) == 70) 20 else 0),
              info = paste(names(met), met, collapse = ", "))
  expect_setequal(verbs_met,
                  paste0("add_", c("running", "rolling", "change", "share", "per_day", "target")))
})

test_that("totals and rows of any members are those of the entries", {
  met <- stats::setNames(numeric(length(member_kinds)), member_kinds)
  for (seed in seq_len(rounds(12, 48))) {
    made <- random_ledger(seed)
    totals <- if (made$kind == "odd") "none" else "by"
    s <- tryCatch(
      suppressMessages(
        statement(made$x, per = "month", by = "route", income = total(fare), trips = entries(),
                  totals = totals)), rollingledger_error = function(e) NULL)
    if (is.null(s)) next
    route <- as.character(made$table$route)
    if (made$kind == "numbers") route <- own("plain_text")(made$table$route)
    for (i in seq_len(nrow(s))) {
      member <- own("plain_text")(s$route)[i]
      total <- totals == "by" && member %in% "(all)"
      held <- made$table$sailed_on >= s$from[i] & made$table$sailed_on <= s$to[i] &
        (total | route %in% member)
      expect_identical(s$trips[i], as.double(sum(held)), info = paste(seed, i))
      expect_equal(s$income[i], sum(made$table$fare[held], na.rm = TRUE), tolerance = 1e-9)
    }
    met[made$kind] <- met[[made$kind]] + nrow(s)
  }
  expect_true(all(met > 0), info = paste(names(met), met, collapse = ", "))
})

test_that("rows are put together, told apart and checked by one type", {
  rows <- own("new_rows")(c("a", "b", "b"), 1:3, c(1L, 5L, 6L), c(0L, 1L, 1L), 1L,
                          values = list(route = c("x", NA, "")))
  expect_identical(own("rows_count")(rows), 3L)
  some <- own("rows_select")(rows, c(3, 1))
  expect_identical(some$values$route, c("", "x"))
  both <- own("rows_bind")(list(rows, some))
  expect_identical(both$from, c(1:3, 3L, 1L))
  expect_identical(both$values$route, c("x", NA, "", "", "x"))
  expect_identical(own("rows_key")(both)$number, c(1L, 2L, 3L, 3L, 1L))
  expect_error(own("new_rows")("a", 1:2, 3L, 0L, 0L))
  expect_error(own("new_rows")("a", 1L, 3L, NA_integer_, 0L))
})
