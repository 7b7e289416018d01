odd_table <- function() {
  days <- as.Date("2024-01-01") + 0:730
  days <- days[format(days, "%u") != "7" & (days < "2024-06-10" | days > "2024-06-14")]
  n <- length(days)
  table <- data.frame(
    ticket = seq_len(n), sailed_on = days,
    route = rep(c("Oysterby", "oysterby ", "\u00d6ysterby", "Tern Head"), length.out = n),
    fare = rep(c(5.25, -1, 0, NA), length.out = n), n = 1L, stringsAsFactors = FALSE)
  table[n + 1, ] <- list(n + 1, as.Date("1999-03-01"), "Tern Head", 1, 1L)
  table[n + 2, ] <- list(5, days[5], table$route[5], table$fare[5], 1L)
  more <- table[format(table$sailed_on, "%Y-%m") == "2025-05", ]
  more <- more[rep(seq_len(nrow(more)), 4), ]
  more$ticket <- 10000 + seq_len(nrow(more))
  rbind(table, more)
}

test_that("the first look finds what is odd, and counts it right", {
  table <- odd_table()
  look <- check_ledger(table, on = "sailed_on")
  expect_identical(look$contents$column, names(table))
  expect_identical(look$contents$missing, c(0, 0, 0, as.double(sum(is.na(table$fare))), 0))
  expect_identical(look$contents$distinct,
                   vapply(table, function(v) as.double(length(unique(v[!is.na(v)]))), 0,
                          USE.NAMES = FALSE))
  expect_identical(attr(look$gaps, "never"), "Sunday")
  week <- look$gaps[look$gaps$from == as.Date("2024-06-09"), ]
  expect_identical(week$days, 5)  # from a Sunday to the Friday; Sundays are no gaps
  expect_identical(look$far_off$entries, 1)
  expect_identical(look$far_off$from, as.Date("1999-03-01"))
  expect_identical(attr(look$repeated, "extra"), 1)
  fare <- look$amounts[look$amounts$column == "fare", ]
  expect_identical(c(fare$smallest, fare$largest, fare$negative, fare$zero),
                   c(-1, 5.25, sum(table$fare < 0, na.rm = TRUE),
                     sum(table$fare == 0, na.rm = TRUE)))
  expect_equal(fare$total, sum(table$fare, na.rm = TRUE))
  expect_identical(look$alike$members, "\"Oysterby\", \"oysterby \" and \"\u00d6ysterby\"")
  expect_identical(look$alike$entries, as.double(sum(table$route != "Tern Head")))
  expect_identical(look$steps$month, c("2025-05", "2025-06"))
  keyed <- check_ledger(table, key = "ticket", on = "sailed_on")
  expect_identical(keyed$repeated$ticket, 5)
  expect_identical(keyed$repeated$count, 2)
})

test_that("nothing need be said: the date is found, and nothing odd is no line", {
  table <- data.frame(id = sprintf("T%02d", 1:40), sold = as.Date("2026-01-01") + 0:39, qty = 1:40)
  look <- check_ledger(table)
  expect_identical(look$dates$note, "taken as the date")
  text <- format(look)
  expect_true("  nothing that was looked for" %in% text)
  expect_match(text, "ledger\\(table, on = \"sold\"\\) |> statement", all = FALSE)
  expect_lt(length(text), 40)
  # Without a certain date the columns are shown all the same.
  either <- check_ledger(data.frame(sold = c("03/04/2026", "05/06/2026"), qty = 1:2))
  expect_match(format(either), "No column is certain to be the date", all = FALSE)
  expect_match(format(either), "sold +the day or the month first", all = FALSE)
  expect_identical(either$contents$column, c("sold", "qty"))
})

test_that("the command checks a file without any option, and writes what was set aside", {
  folder <- withr::local_tempdir()
  file <- written(folder, "takings.csv", c("Takings", "day;amount;place", "31.01.2026;1,50;Quay",
                                           "01.02.2026;C6;quay ", "x;2,50;Quay", "Summe;4,00;"))
  aside <- file.path(folder, "aside.csv")
  page <- file.path(folder, "check.html")
  r <- command("check", file, "--set-aside", aside, "--out", page)
  expect_identical(r$status, 0L)
  out <- paste(r$out, collapse = "\n")
  for (said in c("title line", "total line", "unreadable date", "mostly numbers|codes|text",
                 "differ only by case", "rolling-ledger statement .*takings.csv --on day")) {
    expect_match(out, said)
  }
  expect_identical(utils::read.csv(aside)$row, c(1L, 5L, 6L))
  html <- readLines(page, encoding = "UTF-8")
  expect_match(html, "Entries of each day", all = FALSE)
  expect_match(html, "Members that may be one", all = FALSE)
  expect_identical(command("check")$status, 2L)
  expect_match(command("check", file, "--out", "check.pdf")$said, "must end in .html", all = FALSE)
  # The line to type next works.
  line <- trimws(utils::tail(r$out, 1))
  words <- scan(text = sub("^rolling-ledger ", "", line), what = "", quiet = TRUE)
  expect_identical(do.call(command, as.list(words))$status, 0L)
})

test_that("a refusal for want of a date names the columns that could be it", {
  file <- written(withr::local_tempdir(), "takings.csv", c("sold,paid,amount",
                                                           "2026-01-03,3 Mar 2026,5"))
  expect_refused(ledger(file), "It could be sold \\(3 Jan 2026\\) or paid \\(3 Mar 2026\\)", "date")
  r <- command("statement", file, "--per", "month")
  expect_identical(r$status, 2L)
  expect_match(r$said, "It could be sold", all = FALSE)
  expect_refused(ledger(file, on = "amount"), "It could be sold", "date")
  expect_refused(ledger(file, on = "sale"), "It could be sold", "column")
})

test_that("two moments of one day are no repeated entry", {
  table <- data.frame(at = c("2026-01-01 09:00", "2026-01-01 14:30", "2026-01-01 14:30",
                             "2026-01-02 08:00:01", "2026-01-02 08:00:02"), amount = 1)
  look <- check_ledger(table)
  expect_identical(look$repeated$rows, "2 and 3")
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "entries", table)
  look <- check_ledger(ledger(con, table = "entries", on = "at"))
  expect_identical(look$repeated$rows, "2 and 3")
})

test_that("the line to type next says what was said, and runs", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("order_no;day;amount", "20240101;31.01.26;1.500", "20240102;28.02.26;2.500"), path)
  look <- check_ledger(path, number_format = "1.234,56", date_format = "%d.%m.%y")
  line <- utils::tail(format(look), 1)
  expect_match(line, "on = \"day\", number_format = \"1.234,56\", date_format = \"%d.%m.%y\"",
               fixed = TRUE)
  s <- eval(parse(text = line))
  expect_identical(sum(s$total_amount), 4000)
  # Order numbers that read as days are no dates where others are.
  writeLines(c("order_no,day,amount", "20240101,2026-01-31,1.5", "20240102,2026-02-28,2.25"), path)
  expect_match(utils::tail(format(check_ledger(path)), 1), "on = \"day\"")
})

test_that("members that differ by spaces are shown so that it can be seen", {
  table <- data.frame(day = as.Date("2026-01-01"), place = rep(c("Gull Rock", "Gull  Rock",
                                                                 "Gull\u00a0Rock"), 30))
  said <- paste(format(check_ledger(table)), collapse = " ")
  expect_match(said, "Gull\u2423\u2423Rock", fixed = TRUE)
  expect_match(said, "Gull<U+00A0>Rock", fixed = TRUE)
})

test_that("numbers that could count from a day on are offered where there is no other date", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("ts,amount", "1767225600,10.5", "1769904000,4.5"), path)
  said <- format(check_ledger(path))
  expect_match(said, "could be seconds since 1970-01-01: 1767225600 is 1 Jan 2026", all = FALSE)
  look <- eval(parse(text = utils::tail(said, 1)))
  expect_identical(look$dates$from[1], as.Date("2026-01-01"))
})

test_that("entries that stand there twice are those of a look at each pair", {
  set.seed(812)
  for (run in seq_len(rounds(20, 60))) {
    n <- sample(2:40, 1)
    table <- data.frame(day = as.Date("2026-01-01") + sample(0:3, n, TRUE),
                        route = sample(c("A", NA, ""), n, TRUE),
                        fare = sample(c(0, -0, 0.1 + 0.2, 0.3, NA, 5), n, TRUE),
                        flag = sample(c(TRUE, NA), n, TRUE))
    x <- ledger(table, on = "day", as_of = "2026-12-31")
    if (run %% 3 == 0) {
      half <- seq_len(n %/% 2)
      x <- append_entries(ledger(table[half, ], on = "day", as_of = "2026-12-31"),
                          table[-half, ])
    }
    told <- vapply(seq_len(n), function(i) paste(
      table$day[i], table$route[i], is.na(table$route[i]), format(table$fare[i] + 0, digits = 17),
      table$flag[i]), "")
    found <- check_ledger(x)$repeated
    expect_identical(sort(found$count), sort(as.double(table(told)[table(told) > 1])))
    rows <- split(seq_len(n), told)
    expect_setequal(found$rows, vapply(rows[lengths(rows) > 1], function(at) {
      own("listed")(own("number_text")(at), most = 4)
    }, "", USE.NAMES = FALSE))
  }
})

test_that("the date that a look takes has no days far from all others, where there is such a one", {
  days <- as.Date("2025-01-01") + 0:399
  table <- data.frame(order_number = 20250100 + 1:400, delivered = days, order_date = days,
                      fare = 1)
  taken <- function(table) check_ledger(table)$dates$column[1]
  expect_identical(taken(table), "delivered")
  table$delivered[7] <- as.Date("2062-01-07")
  expect_identical(taken(table), "order_date")
  table$delivered[7] <- as.Date("1925-01-07")
  expect_identical(taken(table), "order_date")
  table$order_date[5] <- as.Date("1925-01-07")
  expect_identical(taken(table), "delivered")
  # As text as well.
  written <- csv_file(c("order_date,sent,fare", paste(format(days), format(days), 1, sep = ",")))
  expect_identical(check_ledger(written)$dates$column[1], "order_date")
  odd <- replace(format(days), 9, "2062-03-01")
  written <- csv_file(c("order_date,sent,fare", paste(odd, format(days), 1, sep = ",")))
  expect_identical(check_ledger(written)$dates$column[1], "sent")
})
