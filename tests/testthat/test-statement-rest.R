# What a ranking leaves over, by the whole less those kept and by the entries that are left over.

# Evaluates something while each set is asked by its own condition.
asked_by_sets <- function(expr) {
  ours <- asNamespace("rollingledger")
  own <- get("is_whole_less_kept", ours)
  unlockBinding("is_whole_less_kept", ours)
  on.exit({
    assign("is_whole_less_kept", own, ours)
    lockBinding("is_whole_less_kept", ours)
  })
  assign("is_whole_less_kept", function(...) FALSE, ours)
  expr
}

test_that("the whole less those kept is what the entries left over come to, to the last digit", {
  met <- 0
  for (seed in seq_len(rounds(20, 60))) {
    made <- random_ledger(seed)
    args <- random_statement(made$kind)
    args$by <- one_of_these("route", c("channel", "route"))
    args$income <- one_of_these("total(fare)", "total(fare) / entries()", "average(fare)",
                                "total(fare, where = channel == \"web\") - 2 * entries()")
    args[c("trips", "riders", "yield", "totals")] <- NULL
    within <- if (length(args$by) == 2) "channel" else one_of_these("period", "span")
    ask <- function() tryCatch(suppressMessages({
      s <- rlang::exec(statement, made$x, !!!args, !!!list(trips = "entries()"))
      s <- add_rank(s, "income", keep = 1, rest = "All the rest", within = within)
      s <- add_change(s, "trips", "1 year back")
      add_rolling(s, "trips", "40 days")
    }), rollingledger_error = function(e) NULL)
    now <- ask()
    by_entries <- asked_by_sets(ask())
    expect_identical(is.null(now), is.null(by_entries), info = seed)
    if (is.null(now) || !"All the rest" %in% now$route) next
    exact <- own("source_column")(made$x, "fare")$exact
    columns <- setdiff(names(now), if (!exact) "income")
    same <- identical(as.list(now)[columns], as.list(by_entries)[columns])
    if (!same) expect_identical(as.list(now)[columns], as.list(by_entries)[columns], info = seed)
    expect_equal(now$income, by_entries$income, info = seed)
    met <- met + same
  }
  expect_gt(met, rounds(20, 60) / 4)
})

test_that("the rest within a leading attribute has rolling figures of every kind", {
  x <- demo_ledger()
  s <- statement(x, per = "month", by = c("channel", "route"), span = "last month",
                 income = total(fare)) |>
    add_rank(income, within = "channel", keep = 1, rest = "All the rest")
  kept <- s[s$route != "All the rest", ]
  for (stat in c("smallest", "largest", "average")) {
    r <- add_rolling(s, income, over = "3 days", stat = stat, name = "rolled")
    for (row in which(r$route == "All the rest")) {
      led <- kept$route[kept$channel == r$channel[row]]
      own <- demo_fares[demo_fares$channel == r$channel[row] & !demo_fares$route %in% led, ]
      days <- r$to[row] - 0:2
      each <- vapply(days, function(day) sum(own$fare[own$sailed_on == day]), 0)
      by_hand <- switch(stat, smallest = min, largest = max, mean)(each)
      expect_equal(r$rolled[row], by_hand, info = paste(stat, row))
    }
  }
})
