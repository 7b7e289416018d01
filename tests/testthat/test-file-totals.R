# Lines of totals are told by their sums and their words; a member called so is an entry.

rows_of <- function(lines, ...) {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(lines, path)
  x <- suppressMessages(ledger(path, on = "day", ...))
  list(sum = statement(x, s = total(amount))$s, aside = set_aside(x), ledger = x)
}

test_that("totals that carry a date are no entries, wherever they stand", {
  r <- rows_of(c("day,place,amount", "2026-01-01,A,10", "2026-01-02,A,20",
                 "2026-01-02,Subtotal A,30", "2026-01-03,B,5", "2026-01-03,Subtotal B,5",
                 "2026-01-03,Grand total,35"))
  expect_identical(r$sum, 35)
  expect_identical(as.double(r$aside$row), c(4, 6, 7))
  expect_identical(unique(r$aside$reason), "total line")
  r <- rows_of(c("day;place;amount", "31.01.2026;A;1.234,50", "31.01.2026;B;2,00",
                 "31.01.2026;Summe;1.236,50"))
  expect_identical(r$sum, 1236.5)
  # A group's own column tells of what the line is the total.
  r <- rows_of(c("day,route,kind,amount", "2026-01-01,A,fare,10", "2026-01-01,B,fare,7",
                 "2026-01-02,A,fee,5", "2026-01-02,A,Total,15"))
  expect_identical(r$sum, 22)
})

test_that("what is called a total, and is the sum of nothing, is an entry", {
  r <- rows_of(c("day,supplier,amount,note", "2026-01-01,A,10,x", "2026-01-02,Total Marine,20,"))
  expect_identical(r$sum, 30)
  r <- rows_of(c("supplier,day,amount,note", "A,2026-01-01,10,x", "Total Marine,2026-01-02,20,"))
  expect_identical(r$sum, 30)
  expect_identical(nrow(r$aside), 0L)
  said <- paste(format(check_ledger(r$ledger)), collapse = " ")
  expect_match(said, "supplier: \"Total Marine\" reads as a total, and is 1 entry")
  # Nor does a quantity of one, or one row of the same amount.
  expect_identical(rows_of(c("day,supplier,amount,qty", "2026-01-01,A,10,1",
                             "2026-01-02,Total,20,1"))$sum, 30)
  expect_identical(rows_of(c("day,supplier,amount,qty", "2026-01-01,A,10,1", "2026-01-02,B,7,2",
                             "2026-01-02,Total,20,3"))$sum, 37)
  # The one row above it proves nothing of a name of its own.
  expect_identical(rows_of(c("day,supplier,amount", "2026-01-01,A,10",
                             "2026-01-02,Total Marine,10"))$sum, 20)
})

test_that("random tables with totals, titles and marks of pages come to their truth", {
  set.seed(26)
  for (try in 1:60) {
    n <- sample(3:40, 1)
    table <- data.frame(day = sort(as.Date("2026-01-01") + sample(200, n, TRUE)),
                        place = sample(c("Oysterby", "Wickholm", "Gull Rock"), n, TRUE),
                        amount = round(stats::rnorm(n, 100, 80), 2))
    lines <- paste(table$day, table$place, sprintf("%.2f", table$amount), sep = ",")
    strange <- integer()
    put <- function(at, text) {
      lines <<- append(lines, text, at)
      strange <<- c(strange, 1)
    }
    if (sample(2, 1) == 1 && abs(sum(table$amount)) > 0.005)
      put(n, sprintf("%s,Total,%.2f", max(table$day), sum(table$amount)))
    half <- sample(2:n, 1)
    if (sample(2, 1) == 1 && abs(sum(table$amount[1:half])) > 0.005)
      put(half, sprintf("%s,Subtotal,%.2f", table$day[half], sum(table$amount[1:half])))
    if (sample(2, 1) == 1) put(sample(0:n, 1), "# page 2")
    if (sample(2, 1) == 1) put(length(lines), "Printed 1 July")
    header <- "day,place,amount"
    if (sample(2, 1) == 1) put(sample(0:n, 1), header)
    titles <- sample(0:2, 1)
    ends <- sample(c("", ",", ",,"), 1)
    path <- withr::local_tempfile(fileext = ".csv")
    all <- c(c("Takings", "All places")[seq_len(titles)], header, lines)
    plain <- grepl("^2026", all)
    all[plain] <- paste0(all[plain], ends)
    writeLines(all, path)
    x <- suppressMessages(ledger(path, on = "day"))
    expect_equal(statement(x, s = total(amount))$s, sum(table$amount), info = all)
    expect_identical(nrow(set_aside(x)), length(strange) + titles, info = all)
    expect_identical(x$read, x$used + nrow(set_aside(x)))
  }
})
