worked_table <- function(seed, n = 200) {
  set.seed(seed)
  data.frame(day = as.Date("2026-01-01") + sample(90, n, TRUE),
             quantity = sample(c(0:9, NA), n, TRUE), price = round(stats::runif(n, 0.5, 99), 2),
             off = round(stats::runif(n, 0, 5), 1),
             place = sample(c("Oysterby ", "oysterby", "Tern-Head", NA, "Z\u00fcrich"), n, TRUE),
             stringsAsFactors = FALSE)
}

test_that("calculations are those of the source's rows, exact to the cent", {
  for (seed in 1:15) {
    table <- worked_table(seed)
    x <- ledger(table, on = "day", columns = c(sales = quantity * price, net = sales - off * 2))
    by_hand <- transform(table, sales = round(quantity * price * 100),
                         net = round(quantity * price * 100) - round(off * 200))
    s <- statement(x, per = "month", sales = total(sales), net = total(net),
                   again = total(quantity * price - off * 2), gross = total(quantity * price))
    month <- format(by_hand$day, "%Y-%m")
    cents <- function(values) {
      as.double(tapply(values, factor(month, s$period), sum, na.rm = TRUE)) / 100
    }
    expect_identical(s$sales, cents(by_hand$sales))
    expect_identical(s$net, cents(by_hand$net))
    expect_identical(s$again, s$net)
    expect_identical(s$gross, s$sales)
    large <- sum(by_hand$sales > 20000, na.rm = TRUE)
    expect_identical(statement(x, where = quantity * price > 200)$entries, as.double(large))
  }
})

test_that("where four decimals do not hold a calculation it is said, and the sum is near", {
  withr::local_options(rlib_message_verbosity = "verbose")
  table <- worked_table(1)
  expect_message(x <- ledger(table, on = "day", columns = c(third = price / 3)),
                 "`third` has more than four decimals")
  expect_equal(statement(x, amt = total(third))$amt, sum(table$price / 3))
  expect_no_message(y <- work_out(ledger(table, on = "day"), tenth = price / 10))
  expect_identical(statement(y, amt = total(tenth))$amt, sum(round(table$price * 100)) / 1000)
  # A part that is missing, or divided by zero, makes the result missing.
  z <- work_out(ledger(data.frame(day = as.Date("2026-01-01"), a = c(1, 2, NA), b = c(0, 4, 1)),
                       on = "day"), ratio = a / b)
  expect_identical(statement(z, amt = total(ratio))$amt, 0.5)
  expect_identical(statement(z, where = is_missing(ratio))$entries, 2)
})

test_that("bands, letters and names are worked out member by member", {
  table <- worked_table(2)
  x <- work_out(ledger(table, on = "day"), size = band(price, 10, 50.5),
                town = renamed(lower_case(trimmed(place)), `tern-head` = "tern head"),
                head = first_letters(place, 2), before = text_before(place, "-"),
                after = text_after(place, "-"), loud = upper_case(place))
  s <- statement(x, by = "size")
  expect_identical(levels(s$size), c("below 10", "10 to below 50.5", "50.5 and more"))
  expect_identical(s$entries, as.double(table(findInterval(table$price, c(10, 50.5)))))
  towns <- ifelse(is.na(table$place), NA, tolower(trimws(table$place)))
  s <- statement(x, by = "town")
  expect_identical(s$town, c("oysterby", "tern head", "z\u00fcrich", NA))
  expect_identical(s$entries, as.double(table(towns, useNA = "always")))
  expect_identical(statement(x, by = "head")$head, c("Oy", "Te", "Z\u00fc", "oy", NA))
  expect_identical(statement(x, by = "before")$before,
                   c("Oysterby ", "Tern", "Z\u00fcrich", "oysterby", NA))
  expect_identical(statement(x, by = "after")$after, c("", "Head", NA))
  expect_identical(statement(x, where = loud == "Z\u00dcRICH")$entries,
                   as.double(sum(table$place == "Z\u00fcrich", na.rm = TRUE)))
})

test_that("what is worked out follows appended entries, conditions and questions", {
  table <- worked_table(3)
  columns <- c(sales = "quantity * price", size = "band(price, 20)")
  all <- ledger(table, on = "day", columns = columns)
  part <- ledger(table[1:150, ], on = "day", columns = columns, as_of = "2026-03-31")
  part <- append_entries(part, table[151:200, ])
  ask <- function(x) {
    as.data.frame(statement(x, per = "month", by = "size", amt = total(sales),
                            more = total(sales * 2), as_of = "2026-03-01"))
  }
  expect_identical(ask(part), ask(all))
  kept <- keep_entries(all, quantity * price > 50 & weekday == "Monday")
  expect_false(any(c("weekday", "quantity * price") %in% names(kept$columns)))
  by_hand <- with(table, quantity * price > 50 & format(day, "%u") == "1")
  expect_identical(statement(kept)$entries, as.double(sum(by_hand, na.rm = TRUE)))
  again <- append_entries(keep_entries(part, price * 2 > 50), table[1:20, ])
  counts <- table$price > 25 & table$day <= as.Date("2026-03-31")
  expect_identical(statement(again)$entries, as.double(sum(counts[c(1:200, 1:20)])))
  s <- statement(all, per = "month", by = c("size", "weekday"), amt = total(sales - off))
  q <- jsonlite::fromJSON(jsonlite::toJSON(unclass(question(s)), auto_unbox = TRUE, digits = NA),
                          simplifyDataFrame = FALSE)
  expect_identical(answer(q, all), s)
  expect_identical(answer(q, tables = list(table = table)), s, ignore_attr = TRUE)
})

test_that("nothing but known calls is worked out", {
  x <- ledger(worked_table(4), on = "day")
  refused <- function(..., says, kind = "measure") expect_refused(work_out(x, ...), says, kind)
  refused(a = sqrt(price), says = "not known where a column is worked out")
  refused(a = system("true"), says = "not known where a column is worked out")
  refused(a = price * place, says = "needs numbers, and `place` holds text")
  refused(a = band(price), says = "It is such as band")
  refused(a = band(price, 9, 3), says = "It is such as band")
  refused(a = band(place, 3), says = "takes numbers")
  refused(a = first_letters(price, 3), says = "takes text")
  refused(a = 5, says = "is the same for every entry")
  refused(a = prise * 2, says = "Did you mean `price`", kind = "column")
  refused(price * 2, says = "has no name", kind = "column")
  refused(price = off, says = "has a column `price` already", kind = "column")
  expect_refused(statement(x, amt = total(quantity * place)), "`place` holds text", "measure")
})
