# Calculations are exact value by value: one odd row changes nothing of the others.

exact_table <- function(seed, n = 120) {
  set.seed(seed)
  data.frame(day = as.Date("2026-01-01") + sample(60, n, TRUE),
             kwh = sample(c(0.1, 0.2, 0.3, 1:5, 0.07, 1.1), n, TRUE),
             price = sample(c(3, 1, 0.1, 0.25, 0.3, 2.2, 0.15), n, TRUE))
}

odd_rows <- list(
  "five decimals" = data.frame(day = as.Date("2026-03-20"), kwh = 2, price = 0.12345),
  "many decimals" = data.frame(day = as.Date("2026-03-20"), kwh = 2 / 3, price = pi),
  "a huge amount" = data.frame(day = as.Date("2026-03-20"), kwh = 3e15 + 0.5, price = 1),
  "a tiny amount" = data.frame(day = as.Date("2026-03-20"), kwh = 1e-30, price = 1),
  "larger than any" = data.frame(day = as.Date("2026-03-20"), kwh = 1e200, price = 1e200))

# What is asked of the rows before the odd one, as cents by hand where there are any.
asked_exactly <- function(x) {
  s <- suppressMessages(statement(
    x, span = "../2026-03-10", above = entries(where = kwh * price > 0.3),
    even = entries(where = kwh * price == 0.3), sums = total(kwh * price),
    kinds = distinct(kwh * price), same = entries(where = kwh + price - 0.1 == 0.3),
    parts = entries(where = kwh / price <= 2.5)))
  y <- suppressMessages(work_out(x, v = kwh * price, size = band(kwh * price, 0.3, 0.9)))
  by <- function(name) {
    made <- as.data.frame(suppressMessages(statement(y, by = name, span = "../2026-03-10",
                                                     n = entries(), total_v = total(v))))
    made <- made[made$n > 0, ]
    list(as.character(made[[name]]), made$n, made$total_v)
  }
  list(as.list(s)[c("above", "even", "sums", "kinds", "same", "parts")], by("v"), by("size"))
}

test_that("one odd row changes no condition, band, group or count of others, on any engine", {
  asked <- function(seed) {
    table <- exact_table(seed)
    product <- round(table$kwh * 100) * round(table$price * 100)
    list(table = table, above = sum(product > 3000), even = sum(product == 3000),
         sums = sum(product) / 1e4, kinds = length(unique(product)))
  }
  engines <- c("memory", engine_names)
  for (engine in engines) {
    at <- if (engine != "memory") open_engine_here(engine)
    make <- function(table) {
      table <- with_row_numbers(table)
      if (engine == "memory") return(ledger(table, on = "day"))
      at$put(table)
      ledger_at(at, on = "day")
    }
    for (seed in seq_len(rounds(2, 13))) {
      made <- asked(seed)
      plain <- asked_exactly(make(made$table))
      expect_identical(unlist(plain[[1]][c("above", "even", "kinds")]),
                       c(above = made$above, even = made$even, kinds = made$kinds) + 0,
                       info = engine)
      expect_identical(plain[[1]]$sums, made$sums, info = engine)
      for (odd in names(odd_rows)) {
        # An engine may say that the calculation is too large.
        if (odd == "larger than any" && engine != "memory") next
        got <- asked_exactly(make(rbind(made$table, odd_rows[[odd]])))
        expect_equal(got, plain, info = paste(engine, odd, seed), tolerance = 1e-12)
      }
    }
    if (!is.null(at)) at$close()
  }
})

test_that("doubles that come from sums are told apart by 15 digits", {
  table <- data.frame(day = as.Date("2026-01-01"), fare = c(0.1 + 0.2, 0.3, 0.12345, 1 / 3, 0.7))
  x <- ledger(table, on = "day")
  expect_identical(statement(x, n = entries(where = fare == 0.3))$n, 2)
  expect_identical(statement(x, n = entries(where = fare > 0.3))$n, 2)
  expect_identical(statement(x, n = distinct(fare))$n, 4)
  expect_identical(nrow(statement(x, by = "fare")), 4L)
  expect_equal(statement(x, a = total(fare))$a, sum(table$fare), tolerance = 1e-15)
  # Identifiers keep all their digits beside them.
  ids <- data.frame(day = as.Date("2026-01-01"),
                    id = c(9007199254740991, 9007199254740990, 0.1234567))
  expect_identical(statement(ledger(ids, on = "day"), n = distinct(id))$n, 3)
})

test_that("what gives up digits says so", {
  withr::local_options(rlib_message_verbosity = "verbose")
  table <- data.frame(day = as.Date("2026-01-01") + 0:1, a = c(5.6e14, 1),
                      b = c(-5.6e14 + 0.04, 2))
  expect_message(s <- statement(ledger(table, on = "day"), amt = total(a + b)),
                 "`a \\+ b` has more than 15 digits in 1 entry, where it is rounded")
  expect_equal(s$amt, 3.0625)
  table <- data.frame(day = as.Date("2026-01-01") + 0:1, a = c(1e200, 1), b = c(1e200, 2))
  expect_message(s <- statement(ledger(table, on = "day"), amt = total(a * b)),
                 "`a \\* b` is too large for any number in 1 entry, where it is missing")
  expect_identical(s$amt, 2)
})

test_that("a column that is called like a calculation is another", {
  table <- data.frame(day = as.Date("2026-01-01"), price = c(5, 7), cost = c(1, 2))
  table[["price - cost"]] <- c(100, 200)
  table[[".hour of day"]] <- c("x", "y")
  table[["hour of day"]] <- c("x", "z")
  table$row_no <- 1:2
  at <- open_engine_here(setdiff(engine_names, "ClickHouse")[1])
  at$put(table)
  for (x in list(ledger(table, on = "day"), ledger_at(at, on = "day"))) {
    s <- statement(x, worked = total(price - cost), own = total(`price - cost`),
                   few = entries(where = price - cost > 4 & `price - cost` > 150))
    expect_identical(c(s$worked, s$own, s$few), c(9, 300, 1))
    behind <- entries_behind(s, row = 1, figure = worked)
    expect_identical(behind[["price - cost"]], c(100, 200))
    expect_identical(sum(behind[["price - cost (worked out)"]]), 9)
    expect_identical(names(entries_behind(statement(x, fees = total(price * 2)), row = 1))[3],
                     "price * 2")
  }
  at$close()
  timed <- table
  timed$day <- as.POSIXct("2026-01-01 10:00:00", tz = "UTC") + c(0, 7200)
  names(timed)[1] <- "at"
  timed[[".hour of at"]] <- c("a", "b")
  x <- ledger(timed, on = "at")
  expect_identical(statement(x, by = ".hour of at")[[".hour of at"]], c("a", "b"))
  expect_identical(statement(x, by = "hour")$hour, c(10, 12))
  # No message and no note shows the mark that tells them apart.
  said <- utils::capture.output(print(statement(x, worked = total(price - cost), by = "cost")))
  expect_false(any(grepl("\u2063", said, fixed = TRUE)))
})
