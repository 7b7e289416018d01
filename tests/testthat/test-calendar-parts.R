test_that("calendar parts are those of each entry's day, in the order of the calendar", {
  x <- demo_ledger()
  day <- as.POSIXlt(demo_fares$sailed_on)
  counted <- function(part, values) {
    s <- statement(x, by = part, trips = entries(), income = total(fare))
    expect_identical(s$trips, as.double(table(values)), info = part)
    expect_identical(sum(s$income), statement(x, income = total(fare))$income)
    s[[part]]
  }
  weekdays <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
  expect_identical(as.character(counted("weekday", (day$wday + 6) %% 7)), weekdays)
  expect_identical(as.character(counted("month_of_year", day$mon)), month.name)
  expect_identical(as.character(counted("quarter_of_year", day$mon %/% 3)), paste0("Q", 1:4))
  expect_identical(counted("day_of_month", day$mday), as.double(1:31))
  expect_identical(as.character(counted("working_day", day$wday %in% c(0, 6))),
                   c("working day", "day off"))
  week <- as.integer(format(demo_fares$sailed_on, "%V"))
  expect_identical(counted("week_of_year", week), as.double(1:53)[seq_along(unique(week))])
  expect_identical(as.character(counted("fiscal_month_of_year", (day$mon + 9) %% 12)),
                   month.name[c(4:12, 1:3)])
  counted("fiscal_quarter_of_year", (day$mon + 9) %% 12 %/% 3)
  sunday <- ledger(demo_fares, on = "sailed_on", calendar = ledger_calendar(week_start = "Sunday"))
  expect_identical(as.character(statement(sunday, by = "weekday")$weekday), weekdays[c(7, 1:6)])
})

test_that("parts stand in conditions and beside attributes, and follow the date basis", {
  x <- demo_ledger()
  s <- statement(x, by = c("weekday", "month of year"), income = total(fare))
  expect_identical(names(s)[5:6], c("weekday", "month_of_year"))
  expect_identical(nrow(s), 84L)
  own <- statement(x, on = "booked", where = weekday == "Sunday")$entries
  booked <- demo_fares$booked_on <= as.Date("2026-09-17") &
    demo_fares$sailed_on <= as.Date("2026-09-17")
  expect_identical(own, as.double(sum(format(demo_fares$booked_on[booked], "%u") == "7",
                                      na.rm = TRUE)))
  late <- statement(x, n = entries(where = day_of_month > 28 & weekday %in% c("Monday", "Friday")))
  expect_identical(late$n, as.double(sum(format(demo_fares$sailed_on, "%d") > "28" &
                                           format(demo_fares$sailed_on, "%u") %in% c("1", "5"))))
  withr::local_options(rlib_message_verbosity = "verbose")
  expect_message(statement(x, where = weekday == "Mondy"), "Did you mean `Monday`")
  expect_refused(statement(x, by = "hour"), "needs times", "column")
  # A column of the source goes before a part of its name.
  own <- ledger(data.frame(day = as.Date("2026-01-01"), weekday = "mine"), on = "day")
  expect_identical(statement(own, by = "weekday")$weekday, "mine")
})

test_that("hours come from times of any kind, and follow appended entries", {
  at <- c("2026-01-31 09:15", "2026-01-31 10:00", "2026-02-02 23:59")
  expected <- c(9, 10, 23)
  for (values in list(at, as.POSIXct(at, tz = "UTC"), sub("2026-(..)-(..)", "\\2.\\1.2026", at))) {
    x <- ledger(data.frame(at = values, fare = 1:3), on = "at")
    expect_identical(statement(x, by = "hour")$hour, expected)
    expect_identical(statement(x, where = hour >= 10)$entries, 2)
  }
  x <- ledger(data.frame(at = at, fare = 1:3), on = "at")
  later <- append_entries(x, data.frame(at = c("2026-02-03 09:01", "2026-02-03"), fare = 4:5))
  s <- statement(later, by = "hour", income = total(fare))
  expect_identical(s$hour, c(9, 10, 23, NA))
  expect_identical(s$income, c(5, 2, 3, 5))
})

test_that("fiscal parts of years of weeks, and of tables, are numbers of their periods", {
  weeks <- ledger_calendar(fiscal_start = "February", pattern = "4-5-4", year_end = "last Saturday")
  x <- ledger(demo_fares, on = "sailed_on", calendar = weeks)
  for (part in c("fiscal_week_of_year", "fiscal_month_of_year", "fiscal_quarter_of_year")) {
    grain <- sub("_of_year", "", gsub("fiscal_", "fiscal ", part))
    s <- statement(x, per = grain, by = part)
    number <- as.integer(sub(".*[-][A-Z]+", "", s$period))
    expect_identical(as.integer(gsub("Q", "", as.character(s[[part]])))[s$entries > 0],
                     number[s$entries > 0], info = part)
  }
})

test_that("a column of that very name is meant before a calendar part, in every field", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:9, Weekday = rep(c("x", "y"), 5),
                      Hour = rep(c("early", "late"), each = 5), `month of year` = "none",
                      fare = 1:10, check.names = FALSE)
  x <- ledger(table, on = "day")
  total_of <- function(name) as.list(tapply(table$fare, table[[name]], sum))
  for (name in c("Weekday", "Hour", "month of year")) {
    s <- statement(x, by = name, a = total(fare))
    expect_identical(as.character(s[[name]]), names(total_of(name)), info = name)
    expect_identical(s$a, as.double(unlist(total_of(name), use.names = FALSE)), info = name)
  }
  # Both at once, and each of them in fields of verbs.
  s <- statement(x, by = c("weekday", "Weekday"), a = total(fare))
  ranks <- add_rank(s, a, within = "Weekday")$a_rank
  expect_identical(ranks[s$Weekday == "x"], rank(-s$a[s$Weekday == "x"]))
  p <- statement(x, by = c("quarter_of_year", "Weekday"), a = total(fare))
  expect_equal(add_share(p, a, of = "Quarter of year")$a_share, 100 * p$a / 55)
  expect_identical(nrow(cross_table(p, "Quarter Of Year")), 2L)
  expect_identical(nrow(entries_behind(p, "Quarter of year" = "Q1", Weekday = "y")), 5L)
  moved <- function(member) {
    compare_members(x, member, "2026-01-05/2026-01-10", "2026-01-01/2026-01-04", a = total(fare))
  }
  expect_identical(moved("Month of Year")$month_of_year |> as.character(), "January")
  expect_setequal(as.character(moved("Weekday")$Weekday), c("x", "y"))
  expect_identical(nrow(figure_columns(p, a, panels = "Quarter of year")$data), 2L)
})

test_that("members that were seen in neither span are in no comparison of members", {
  table <- data.frame(day = as.Date("2026-01-01") + c(0, 40, 80), tank = c("a", "b", "c"),
                      level = c(5, 6, 7))
  x <- ledger(table, on = "day")
  moved <- compare_members(x, "tank", "2026-03", "2026-02", level = balance(level))
  expect_identical(moved$tank, c("c", "b"))
  expect_identical(moved$standing, c("new", "lost"))
})

test_that("entries without a day on the date basis are no member of a calendar part", {
  x <- few_ledger()
  days <- statement(x, by = "day_of_month", on = "booked", list_all = TRUE, tickets = entries())
  expect_identical(days$day_of_month, c(1, 2, 9, 20, 27, 31))
  expect_identical(sum(days$tickets), 7)
})

test_that("days are counted as calendar parts in groups, rests and conditions leave them", {
  days <- seq(as.Date("2026-03-01"), as.Date("2026-04-30"), "day")
  # As many entries of 1 as the weekday's number, on every day.
  number <- as.integer(format(days, "%u"))
  table <- data.frame(sailed_on = rep(days, number), fare = 1, channel = "web")
  table$again_on <- table$sailed_on
  x <- ledger(table, on = c(sailed = "sailed_on", again = "again_on"))
  april <- function(...) statement(x, span = "2026-04", ...)
  each <- april(by = "weekday", income = total(fare)) |>
    add_rank(income, keep = 2, rest = "Other days") |>
    add_per_day(income, days = "calendar", name = "each")
  # April 2026 begins on a Wednesday: five of it and of Thursday, four of the others.
  expect_identical(as.character(each$weekday), c("Sunday", "Saturday", "Other days"))
  expect_equal(each$each, c(7, 6, (4 + 8 + 15 + 20 + 20) / 22))
  # Conditions of the statement, of the measure, and of the ledger on the same date basis.
  per_day <- function(s) add_per_day(s, income, days = "calendar", name = "each")$each
  expect_identical(per_day(april(where = weekday == "Monday", income = total(fare))), 1)
  expect_identical(per_day(april(income = total(fare, where = weekday == "Friday"))), 5)
  expect_identical(per_day(april(where = !(weekday != "Sunday") & channel == "web",
                                 income = total(fare))), 7)
  expect_identical(per_day(april(where = weekday == "Sunday" | fare > 2,
                                 income = total(fare))), 4 * 7 / 30)
  kept <- keep_entries(x, weekday == "Tuesday")
  expect_identical(per_day(statement(kept, span = "2026-04", income = total(fare))), 2)
  expect_identical(per_day(statement(kept, span = "2026-04", on = "again",
                                     income = total(fare))), 8 / 30)
  said <- format(add_per_day(april(where = weekday == "Monday", income = total(fare)), income))
  expect_match(paste(said, collapse = " "), "only days that can pass the conditions are counted")
  expect_identical(nrow(add_per_day(april(by = "weekday", income = total(fare))[0, ], income)), 0L)
})
