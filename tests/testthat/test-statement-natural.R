# What people naturally ask, and must not be refused or misled by.

test_that("days are divided by those of the group that they are of", {
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:89, fare = 3), on = "day")
  s <- statement(x, per = "month", by = "weekday", income = total(fare), totals = "by")
  for (days in c("working", "calendar", "used")) {
    got <- add_per_day(s, income, days = days, name = "each")
    plain <- got[got$weekday != "(all)", ]
    off <- plain$weekday %in% c("Saturday", "Sunday")
    if (days == "working") expect_true(all(is.na(plain$each[off])))
    else expect_identical(plain$each[off], rep(3, sum(off)))
    expect_identical(plain$each[!off], rep(3, sum(!off)))
    all <- got[got$weekday == "(all)", ]
    worked <- own("working_days")(own("day_numbers")(all$from), own("day_numbers")(all$to),
                                  ledger_calendar())
    expect_equal(all$each, if (days == "working") all$income / worked else rep(3, nrow(all)))
  }
})

test_that("keys of another table may be date-times, or dates in any writing", {
  x <- ledger(data.frame(day = as.Date("2026-01-28") + 0:9, fare = 1:10), on = "day")
  s <- statement(x, per = "day", a = total(fare))
  days <- as.Date("2026-01-28") + 0:9
  for (keys in list(days, format(days, "%d.%m.%Y"), as.POSIXct(paste(days, "14:30"), tz = "UTC"),
                    format(days, "%Y-%m-%d"), factor(format(days, "%d.%m.%Y")))) {
    bank <- data.frame(on = keys, amount = 1:10)
    tied <- reconcile(s, bank, by = c(period = "on"), value = "amount")
    expect_true(all(tied$result == "matched"), info = class(keys)[1])
  }
})

test_that("a calculation in the place of an argument is told so", {
  x <- few_ledger()
  for (call in expression(
    statement(x, income = total(fare), n = entries(), p = income / n),
    statement(x, income = total(fare), n = entries(), b = income / n),
    statement(x, income = total(fare), n = entries(), pe = per_cent(income / n)),
    statement(x, income = total(fare), b = (income - 5)))) {
    expect_refused(eval(call), "stands in the place of `(per|by)`", "measure")
  }
})

test_that("what is left out as not over is said, and a span to date stays", {
  x <- ledger(data.frame(day = as.Date("2026-01-01") + 0:59, fare = 1), on = "day")
  s <- statement(x, spans = c("2026", "year to date", "2026-01"), partial = "drop", a = total(fare))
  expect_identical(s$period, c("year to date", "2026-01"))
  expect_match(format(s), "Left out, as the as-of day cuts it: 2026", all = FALSE)
})

test_that("numbers of sixteen digits and more are text, in every month alike", {
  for (numbers in list(c("4000000000000000", "4000000000000001"), c("4111111111111111", "17"),
                       c("9007199254740993", "1"))) {
    file <- csv_file(c("day,card,fare", paste0("2026-01-0", 1:2, ",", numbers, ",5")))
    s <- statement(ledger(file, on = "day"), by = "card", n = entries())
    expect_setequal(s$card, numbers)
    expect_true(is.character(s$card))
  }
})

test_that("units of worked-out columns are natural, and win over those that follow", {
  table <- data.frame(day = as.Date("2026-01-01"), quantity = 2, price = 1.5, row_no = 1L)
  x <- ledger(table, on = "day", columns = c(sales = quantity * price), units = c(sales = "EUR"))
  expect_match(format(statement(x, a = total(sales))), "a \\(EUR\\)", all = FALSE)
  at <- open_engine_here(setdiff(engine_names, "ClickHouse")[1])
  at$put(table)
  y <- ledger_at(at, on = "day", columns = c(sales = "quantity * price"), units = c(sales = "EUR"))
  expect_match(format(statement(y, a = total(sales))), "a \\(EUR\\)", all = FALSE)
  at$close()
  expect_refused(ledger(table, on = "day", units = c(sails = "EUR")), "no column `sails`", "column")
})

test_that("the first proposal is what is added up, never a code or a price per piece", {
  likely <- own("likely_measures")
  invoices <- data.frame(InvoiceNo = c(536365, 536365), InvoiceDate = as.Date("2026-01-01") + 0:1,
                         Quantity = c(6, 8), UnitPrice = c(2.55, 3.39), CustomerID = 17850)
  x <- ledger(invoices, on = "InvoiceDate")
  expect_identical(likely(x)[[1]], "total(Quantity * UnitPrice)")
  expect_false(any(grepl("InvoiceNo|CustomerID|total\\(UnitPrice", likely(x))))
  expect_match(format(check_ledger(x)), "total\\(Quantity \\* UnitPrice\\)", all = FALSE)
  first <- rollingledger:::first_state(x)$panels[[1]]$statement$measures[[1]]
  expect_identical(first, "total(Quantity * UnitPrice)")
  worked <- work_out(x, sales = Quantity * UnitPrice)
  expect_identical(likely(worked)[[1]], "total(sales)")
  united <- ledger(invoices, on = "InvoiceDate", units = c(Quantity = "pieces"))
  expect_identical(likely(united)[[1]], "total(Quantity)")
  expect_identical(likely(demo_ledger())[[1]], "total(fare)")
})

test_that("code of any measure's name runs and gives the same", {
  file <- csv_file(c("day,shop,quantity,price", "2026-01-01,Quay,2,1.5", "2026-01-12,Harbour,3,2"))
  for (names in list(c("x", "by", "b"), c("per", "p", "span"), c("on", "where", "a"),
                     c("...", "x", "totals"))) {
    texts <- c("total(quantity)", "entries()", "total(sales)")
    asked <- as.vector(rbind("--measure", paste0(names, "=", texts)))
    args <- c("statement", file, "--on", "day", "--per", "month", "--column",
              "sales=quantity * price", "--unit", "sales=EUR", asked)
    if ("..." %in% names) next
    printed <- command(args)$out
    code <- command(c(args, "--show-code"))$out
    ran <- utils::capture.output(print(suppressMessages(eval(parse(text = code), new.env()))))
    expect_identical(ran, printed, info = paste(names, collapse = " "))
  }
})

test_that("a first look asks for no order of rows but for repeated ones", {
  at <- open_engine_here("SQLite")
  at$put(data.frame(day = as.Date("2026-01-01") + 0:9, fare = 1:10), "kept")
  at$run("CREATE VIEW seen AS SELECT * FROM kept")
  look <- check_ledger(ledger(at$con, table = "seen", on = "day"))
  expect_match(format(look), "repeated entries were not looked for", all = FALSE)
  expect_match(format(look), "fare +1 +10 +55", all = FALSE)
  at$close()
})

test_that("doubles whose sums differ in the last digits are not taken for others", {
  look <- own("look_token")
  x <- list(looked = list2env(list(columns = list2env(list(rate = list(
    exact = FALSE, sum_of_sizes = 1e6 / 3))))), engine = list(token = NULL))
  y <- x
  y$looked <- list2env(list(columns = list2env(list(rate = list(
    exact = FALSE, sum_of_sizes = 1e6 / 3 * (1 + 4e-16))))))
  expect_identical(look(x, list()), look(y, list()))
  at <- open_engine_here("DuckDB")
  set.seed(1)
  at$run("CREATE TABLE many AS SELECT DATE '2026-01-01' + CAST(i % 90 AS INTEGER) AS day,
          random() / 7 AS rate FROM range(200000) AS r(i)")
  y <- ledger(at$con, table = "many", on = "day")
  for (i in 1:6) {
    s <- statement(y, per = "month", a = total(rate), b1 = average(rate)) |>
      add_running(a) |> add_share(a, of = "span")
    expect_equal(s$a_running, cumsum(s$a), tolerance = 1e-12)
  }
})
