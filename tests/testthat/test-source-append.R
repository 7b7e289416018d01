same_answers <- function(a, b, info) {
  for (ask in list(
    function(x) statement(x, per = "month", by = "route", income = total(fare), trips = entries(),
                          mean_fare = average(fare), web = total(fare, where = channel == "web"),
                          totals = "both") |>
      add_running(income, since = "fiscal year") |> add_change(income) |> add_share(income) |>
    add_rank(income, keep = 1, rest = "Rest"),
    function(x) statement(x, per = "week", by = c("channel", "account"), riders = distinct(account),
                          new = newcomers(account), mid = middle(fare), open = active()) |>
    add_rolling(riders, "20 days"),
    function(x) statement(x, per = "month", on = "booked", income = total(fare),
                          low = smallest(fare))
  )) {
    p <- ask(a)
    q <- ask(b)
    expect_equal(tibble::as_tibble(p), tibble::as_tibble(q), tolerance = 1e-12, info = info)
    expect_identical(format(p, width = 150), format(q, width = 150), info = info)
  }
  expect_equal(control_totals(statement(a, income = total(fare)))$difference, 0, tolerance = 1e-9)
  expect_identical(as.data.frame(set_aside(a)), as.data.frame(set_aside(b)), info = info)
  expect_identical(c(a$read, a$used, a$as_of), c(b$read, b$used, b$as_of), info = info)
}

test_that("a statement after appending equals that of a ledger built anew", {
  build <- function(table) suppressMessages(
    ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
           calendar = april))
  met <- 0
  for (seed in seq_len(rounds(24, 80))) {
    table <- random_fares(seed)
    if (nrow(table) < 3) next
    table$sailed_on[sample(nrow(table), 2)] <- as.Date(c(NA, "2999-01-01"))
    if (seed %% 3 == 0) table <- table[order(table$sailed_on), ]
    cut <- sort(sample(nrow(table) - 1, min(3, nrow(table) - 1)))
    parts <- split(table, findInterval(seq_len(nrow(table)) - 1, cut))
    usable <- vapply(parts,
                     function(part) any(part$sailed_on < as.Date("2900-01-01"), na.rm = TRUE), TRUE)
    if (!usable[1]) next
    x <- build(parts[[1]])
    for (part in parts[-1]) x <- suppressMessages(append_entries(x, part[sample(ncol(part))]))
    same_answers(x, build(table), info = seed)
    met <- met + 1
  }
  expect_gt(met, rounds(4, 15))
})

test_that("appending follows the day across the end of a month, and asks old cells again", {
  first <- demo_fares[demo_fares$sailed_on <= as.Date("2026-08-31"), ]
  x <- ledger(first, on = c(sailed = "sailed_on"))
  ask <- function(x) statement(x, per = "month", by = "route", span = "latest 2 months",
                               income = total(fare))
  before <- ask(x)
  today <- demo_fares[demo_fares$sailed_on == as.Date("2026-09-01"), ]
  y <- append_entries(x, today)
  expect_match(format(ask(y))[1], "1 Aug to 1 Sep 2026")
  expect_identical(ask(x)$income, before$income)  # the old ledger stays as it is
  z <- append_entries(y, demo_fares[demo_fares$sailed_on > as.Date("2026-09-01"), ])
  expect_identical(tibble::as_tibble(ask(z)),
                   tibble::as_tibble(ask(ledger(demo_fares, on = c(sailed = "sailed_on")))))
  # Rows of the source are counted in the order in which they came.
  came <- order(findInterval(demo_fares$sailed_on, as.Date(c("2026-09-01", "2026-09-02"))))
  behind <- entries_behind(statement(z))
  expect_identical(behind$ticket, demo_fares$ticket[came][behind$row])
  expect_setequal(behind$row, seq_len(nrow(demo_fares)))
})

test_that("a stated as-of day stays, or moves on when told; later rows are then used", {
  x <- suppressMessages(ledger(few_fares(), on = c(sailed = "sailed_on"), as_of = "2026-02-28"))
  expect_identical(x$used, 4L)
  row <- few_fares()[1, ]
  same <- append_entries(x, row)
  expect_identical(c(same$used, same$as_of), c(5L, x$as_of))
  moved <- append_entries(x, row, as_of = "2026-04-01")
  anew <- suppressMessages(
    ledger(rbind(few_fares(), row), on = c(sailed = "sailed_on"), as_of = "2026-04-01"))
  expect_identical(c(moved$read, moved$used), c(anew$read, anew$used))
  expect_identical(as.data.frame(set_aside(moved)), as.data.frame(set_aside(anew)))
  expect_identical(statement(moved, income = total(fare))$income,
                   statement(anew, income = total(fare))$income)
  expect_refused(append_entries(moved, row, as_of = "2026-03-01"),
                 "before the ledger's own as-of day", "choice")
})

test_that("appended rows get the lookups and conditions of the ledger, and must have its columns", {
  x <- suppressMessages(ledger(demo_fares[1:5e4, ], on = c(sailed = "sailed_on")) |>
                        add_attributes(demo_accounts, "account") |>
                        keep_entries(kind == "business"))
  y <- append_entries(x, demo_fares[50001:60000, ])
  z <- suppressMessages(ledger(demo_fares[1:6e4, ], on = c(sailed = "sailed_on")) |>
                        add_attributes(demo_accounts, "account") |>
                        keep_entries(kind == "business"))
  ask <- function(x) tibble::as_tibble(
    statement(x, per = "month", by = "town", homes = distinct(household), income = total(fare)))
  expect_identical(ask(y), ask(z))
  kept <- function(x) grep("kept$", format(x), value = TRUE)
  expect_identical(kept(y), kept(z))
  private <- demo_accounts$account[demo_accounts$kind == "private"][1]
  none <- append_entries(x, demo_fares[demo_fares$account == private, ][1, ])
  expect_identical(c(none$used, none$read), c(x$used, x$read + 1L))
  w <- few_ledger()
  expect_refused(append_entries(w, few_fares()[-3]),
                 "There is no column `route` in `rows`", "column")
  expect_refused(append_entries(w, cbind(few_fares(), more = 1)),
                 "There is no column `more`", "column")
  expect_refused(append_entries(w, transform(few_fares(), fare = "many")),
                 "has another type", "source")
  expect_refused(append_entries(w, 1:3), "must be a data frame", "source")
  expect_identical(append_entries(w, few_fares()[0, ]), w)
})

test_that("lookups: what does not match is said, twice the same key is refused", {
  withr::local_options(rlib_message_verbosity = "default")
  x <- few_ledger()
  places <- data.frame(id = c("Oysterby", "Wickholm", "Elsewhere"),
                       region = c("north", "south", "east"), km = c(12.5, 7, 1),
                       since = as.Date(c("2001-01-01", NA, "2002-01-01")))
  expect_message(y <- add_attributes(x, places, c(route = "id")),
                 "2 entries of 8 without a match in the lookup: route")
  s <- statement(y, by = "region", trips = entries(), km = total(km))
  expect_identical(s$region, c("north", "south", NA))
  expect_identical(s$trips, c(4, 2, 2))
  expect_identical(s$km, c(50, 14, 0))
  expect_identical(nrow(entries_behind(statement(y, n = entries(where = since == "2001-01-01")))),
                   4L)
  expect_refused(add_attributes(x, rbind(places, places[1, ]), c(route = "id")),
                 "more than one row for a key: Oysterby", "source")
  expect_refused(add_attributes(x, places, "route"),
                 "There is no column `route` in `table`", "column")
  expect_refused(add_attributes(x, transform(places, fare = 1), c(route = "id")),
                 "has a column `fare` already", "column")
  expect_refused(add_attributes(x, data.frame(route = 1:2, a = 1), "route"),
                 "No key of the ledger is found", "source")
})

test_that("entries kept by a condition", {
  x <- few_ledger()
  y <- keep_entries(x, channel == "web" & fare > 0)
  table <- few_fares()[c(1, 4, 6), ]
  # the day stays
  z <- ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"), calendar = april,
              as_of = "2026-04-10")
  ask <- function(x) tibble::as_tibble(
    statement(x, per = "month", by = "route", income = total(fare), on = "booked"))
  expect_identical(ask(y), ask(z))
  expect_identical(entries_behind(statement(y))$row, c(1L, 4L, 6L))
  expect_identical(
    ask(ledger(few_fares(), on = c(sailed = "sailed_on", booked = "booked_on"), calendar = april,
               where = channel == "web" & fare > 0)), ask(z))
  expect_match(format(y), "3 of 8 kept", all = FALSE)
  expect_refused(keep_entries(x, channel == "none"), "No entry passes", "source")
})

test_that("where no new row stays, the days that have come count all the same", {
  table <- data.frame(on = as.Date(c("2026-01-05", "2026-01-06", "2026-01-07")),
                      paid = as.Date(c("2026-01-06", "2026-02-10", "2026-03-01")),
                      end = as.Date(c("2026-01-20", "2026-02-20", NA)))
  build <- function(as_of) suppressMessages(
    ledger(table, on = c(began = "on", paid = "paid"), until = "end", as_of = as_of))
  ask <- function(x) list(statement(x, per = "month", span = "2026-01/..", open = active())$open,
                          statement(x, on = "paid")$entries, as.data.frame(set_aside(x)),
                          x$bases$paid[c("first", "last")])
  x <- build("2026-01-10")
  ask(x)
  later <- append_entries(x, as_of = "2026-03-15")
  expect_identical(ask(later), ask(build("2026-03-15")))
  expect_identical(ask(later)[[1]], c(2, 1, 1))
  expect_identical(ask(append_entries(x, table[0, ], as_of = "2026-03-15")), ask(later))
  bad <- suppressMessages(
    append_entries(x, data.frame(on = as.Date(NA), paid = as.Date("2026-01-01"), end = as.Date(NA)),
                   as_of = "2026-03-15"))
  expect_identical(ask(bad)[1:2], ask(later)[1:2])
  expect_identical(c(bad$read, bad$used), c(4L, 3L))
})

test_that("averages and a rest after appending; columns without a value take on what comes", {
  table <- data.frame(day = as.Date(c("2026-01-05", NA, "2026-01-07", "2026-01-08")),
                      fare = c(1, NA, 3, 5), route = c("A", "B", "B", "C"))
  x <- suppressMessages(ledger(table[1:3, ], on = "day"))
  y <- append_entries(x, table[4, ])
  s <- statement(y, by = "route", mean_fare = average(fare)) |>
    add_rank(mean_fare, keep = 1, rest = "Others")
  expect_identical(s$mean_fare, c(5, 2))
  blank <- data.frame(day = as.Date("2026-01-01"), note = NA, when = NA, amount = NA)
  more <- data.frame(day = as.Date("2026-01-02"), note = "x", when = as.Date("2025-12-31"),
                     amount = 2)
  z <- append_entries(ledger(blank, on = "day"), more)
  whole <- ledger(rbind(transform(blank, note = NA_character_, when = as.Date(NA)), more),
                  on = "day")
  for (x in list(z, whole)) expect_identical(
    unlist(statement(x, m1 = distinct(note), m2 = entries(where = when < "2026-01-01"),
                     m3 = total(amount))[c("m1", "m2", "m3")], use.names = FALSE), c(1, 1, 2))
  expect_identical(statement(z, by = "note")$note, c("x", NA))
  kept <- append_entries(keep_entries(ledger(blank, on = "day"), is_missing(note) | note == "x"),
                         rbind(more, transform(more, note = "y")))
  expect_identical(c(kept$used, kept$read), c(2L, 3L))
})

test_that("bad rows are told once", {
  withr::local_options(rlib_message_verbosity = "default")
  x <- few_ledger()
  bad <- transform(few_fares()[1, ], sailed_on = as.Date(NA))
  expect_message(y <- append_entries(x, bad), "1 of 1 entry set aside",
                 class = "rollingledger_message_aside")
  expect_no_message(z <- append_entries(y, few_fares()[2, ]), class = "rollingledger_message_aside")
  expect_identical(c(z$read, z$used), c(10L, 9L))
})

test_that("read = used + kept out + set aside, in print, page foot and workbook", {
  build <- function(...) suppressMessages(
    ledger(rbind(few_fares(), transform(few_fares()[1, ], sailed_on = as.Date(NA))),
           on = c(sailed = "sailed_on"), ...))
  x <- build(where = channel == "web")
  says <- "9 (entries )?read = 5 used \\+ 3 kept out \\+ 1 set aside"
  expect_match(format(x), says, all = FALSE)
  y <- suppressMessages(append_entries(x, few_fares()[1:2, ]))
  expect_match(format(y), "11 read = 6 used \\+ 4 kept out \\+ 1 set aside", all = FALSE)
  expect_match(format(keep_entries(x, fare > 5)), "9 read = 2 used \\+ 6 kept out \\+ 1 set aside",
               all = FALSE)
  page <- withr::local_tempfile(fileext = ".html")
  write_report(statement(x), file = page)
  expect_match(readLines(page), says, all = FALSE)
  expect_match(readLines(page),
               paste0("Kept: entries where channel == &quot;web&quot;|Kept: entries where ",
                      "channel == \"web\""), all = FALSE)
  book <- withr::local_tempfile(fileext = ".xlsx")
  write_workbook(statement(x), book)
  skip_if_not_installed("readxl")
  expect_match(unlist(suppressMessages(readxl::read_excel(book, 1, col_names = FALSE))), says,
               all = FALSE)
})

test_that("a level on another date basis is the last of the source, not of the ledger", {
  table <- data.frame(on = as.Date(c("2026-01-05", "2026-01-03")), paid = as.Date("2026-01-06"),
                      tank = c(1, 2), each = "a")
  x <- ledger(table, on = c(began = "on", paid = "paid"), as_of = "2026-01-06")
  s <- statement(x, on = "paid", by = "each", tank = balance(tank),
                 every = balance(tank, each = each),
                 some = balance(tank, where = on > "2026-01-04" | each == "a"))
  expect_identical(unlist(s[c("tank", "every", "some")], use.names = FALSE), c(2, 2, 2))
  expect_identical(entries_behind(s, figure = tank)$row, 2L)
  expect_identical(statement(x, tank = balance(tank))$tank, 1)
})

test_that("what is not on the date basis asked for is counted and said", {
  table <- data.frame(sailed = as.Date(c("2026-01-05", "2026-01-06", "2026-01-07", "2026-01-08")),
                      paid = as.Date(c("2026-01-05", NA, "2026-02-05", "2026-01-02")), fare = 1)
  x <- suppressMessages(ledger(table, on = c("sailed", "paid"), as_of = "2026-01-07"))
  shown <- format(statement(x, on = "paid", income = total(fare)), width = 200)
  expect_match(shown, "1 entry is in no figure here: it has no day on paid", all = FALSE)
  expect_match(shown, "1 entry is in no figure here: paid after the as-of day", all = FALSE)
  expect_match(shown, "1 entry is in no figure here: set aside as sailed after the as-of day",
               all = FALSE)
  expect_no_match(format(statement(x, income = total(fare)), width = 200), "no figure here")
})

test_that("rows without a day move no as-of day", {
  x <- suppressMessages(ledger(data.frame(day = as.Date("2026-01-01") + 0:3, fare = 1:4),
                               on = "day"))
  y <- suppressMessages(append_entries(x, data.frame(day = as.Date(NA), fare = 9)))
  expect_match(format(y), "as of +4 Jan 2026", all = FALSE)
})
