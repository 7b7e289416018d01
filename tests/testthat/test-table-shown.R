# Prices with three decimals, in pounds.
priced <- function(fares, unit = "GBP") {
  table <- data.frame(day = as.Date("2026-01-05") + seq_along(fares) - 1L,
                      route = c("Gull", "Tern")[(seq_along(fares) - 1L) %% 2L + 1L], fare = fares)
  ledger(table, on = "day", units = c(fare = unit), amounts = "fare")
}

test_that("money has the decimals of its currency, and files have what is exact", {
  for (unit in list(c("GBP", "12.35"), c("JPY", "12"), c("KWD", "12.345"), c("CLF", "12.3450"),
                    c("kg", "12.345"), c("gbp", "12.345"))) {
    s <- statement(priced(c(10.345, 2), unit[1]), income = total(fare))
    expect_identical(trimws(utils::tail(strsplit(format(s)[3], "  +")[[1]], 1)), unit[2],
                     info = unit[1])
    expect_identical(s$income, 12.345)
  }
  file <- withr::local_tempfile(fileext = ".csv")
  write_statement(statement(priced(c(10.345, 2)), income = total(fare)), file)
  expect_match(readLines(file)[2], ",12.345$")
})

test_that("what rounding hides is told, and only that", {
  told <- function(...) grep("^Rounded here", format(..., width = Inf), value = TRUE)
  by_route <- function(fares, ...) statement(priced(fares), by = "route", income = total(fare), ...)
  expect_length(told(by_route(c(1.005, 2.004))), 0)
  expect_match(told(by_route(c(1.001, 1.002))),
               "Rounded here, and whole in files: income, where some that look alike differ")
  expect_match(told(by_route(c(0.001, 7))), "income, where some that look like nothing are not")
  expect_match(told(by_route(c(1.004, 2.004), totals = "by")), "rows do not add up to their total")
  expect_length(told(by_route(c(1.001, 2.002), totals = "by")), 0)
  # Random figures: the note stands where a plain look at the shown texts finds what is hidden.
  set.seed(5)
  for (i in 1:60) {
    fares <- round(runif(2, 0, 0.03), 3)
    s <- by_route(fares)
    shown <- sprintf("%.2f", round(s$income, 2))
    hidden <- any(shown == "0.00" & s$income != 0) ||
      shown[1] == shown[2] && s$income[1] != s$income[2]
    if (max(s$income) >= 0.1 || hidden)
      expect_identical(length(told(s)) > 0, hidden && max(s$income) >= 0.1, info = fares)
  }
})

test_that("figures in thousands and millions say so, and are whole in files", {
  s <- statement(demo_ledger(), by = "route", span = "2026", income = total(fare),
                 trips = entries(), yield = income / trips, scale = "thousands") |>
    add_share(income)
  lines <- format(s, width = Inf)
  expect_match(lines[2], paste0("income \\(thousand EUR\\) +trips \\(thousands\\) +",
                                "yield \\(EUR\\) +income_share \\(%\\)$"))
  plain <- statement(demo_ledger(), by = "route", span = "2026", income = total(fare),
                     trips = entries(), yield = income / trips)
  expect_identical(s$income, plain$income)
  told <- regmatches(lines[3:8], regexpr("[0-9,.]+(?=  )", lines[3:8], perl = TRUE))
  expect_identical(told, sprintf("%.1f", round(plain$income / 1000, 1)))
  file <- withr::local_tempfile(fileext = ".csv")
  write_statement(s, file)
  expect_equal(utils::read.csv(file)$income, plain$income)
  crossed <- cross_table(statement(demo_ledger(), per = "quarter", by = "route", span = "2025",
                                   income = total(fare), scale = "thousands"), "period")
  expect_match(format(crossed)[1], "^income \\(thousand EUR\\), by quarter and route")
  write_statement(crossed, file, overwrite = TRUE)
  expect_match(readLines(file)[1], "2025-Q1: income (EUR)", fixed = TRUE)
  compared <- compare_spans(demo_ledger(), "2026-08", "2025-08", income = total(fare),
                            scale = "thousands")
  expect_match(paste(format(compared), collapse = " "), "183.8 +172.0|183.8 +[0-9.]+ +")
  expect_identical(question(s)$statement$scale, "thousands")
  expect_identical(answer(question(s), demo_ledger())$income, s$income)
  expect_refused(statement(demo_ledger(), income = total(fare), scale = "dozens"), "thousands",
                 "choice")
})

test_that("one measure across is named once, and columns are as narrow as their values", {
  s <- statement(demo_ledger(), by = c("weekday", "month of year"), span = "2025",
                 trips = entries())
  withr::local_options(width = 110)
  lines <- format(cross_table(s, "month_of_year"))
  expect_length(grep("trips", lines), 1)
  expect_length(lines, 9)  # one piece
  expect_match(lines[2], "^weekday +January +February .* December$")
  # Labels of spans stay whole where their days stand beside them.
  withr::local_options(width = 80)
  spans <- c("latest finished 3 months, 1 year back", "month to date")
  lines <- format(statement(demo_ledger(), spans = spans, income = total(fare), trips = entries()))
  expect_true(any(grepl(spans[1], lines, fixed = TRUE)))
  expect_true(all(nchar(lines) <= 80))
})

test_that("leaders stand in order of rank, the rest last, totals below", {
  set.seed(3)
  for (i in 1:8) {
    table <- random_fares(i)
    x <- suppressMessages(ledger(table, on = "sailed_on"))
    s <- statement(x, per = "month", by = "route", income = total(fare),
                   totals = sample(c("none", "by"), 1)) |>
      add_rank(income, keep = 2, rest = if (i %% 2 == 0) "Others")
    for (own in split(seq_len(nrow(s)), s$period)) {
      kind <- ifelse(s$route[own] %in% "(all)", 2, ifelse(s$route[own] %in% "Others", 1, 0))
      expect_false(is.unsorted(kind), info = i)
      expect_false(is.unsorted(s$income_rank[own][kind == 0]), info = i)
    }
    expect_false(is.unsorted(match(s$period, unique(s$period))))
    # What is added afterwards is of the same rows.
    expect_identical(tibble::as_tibble(add_running(s, income))[names(s)], tibble::as_tibble(s))
  }
  odd <- data.frame(day = as.Date("2026-01-05"), who = c(NA, "a", "b", NA), fare = c(9, 2, 1, 9))
  s <- statement(ledger(odd, on = "day"), by = "who", income = total(fare)) |>
    add_rank(income, keep = 2)
  expect_identical(s$who, c("a", "b"))
  expect_match(paste(format(s), collapse = " "), "(missing) is ranked last", fixed = TRUE)
})

test_that("rows are sorted by figures and attributes, in either direction", {
  s <- statement(demo_ledger(), per = "month", by = c("route", "channel"), span = "last 2 months",
                 income = total(fare), totals = "by")
  up <- sort_rows(s, channel)
  down <- sort_rows(s, channel, order = "down")
  one <- function(s) s[s$route == "Gull Rock" & s$period == s$period[1], ]
  expect_identical(one(up)$channel, c("agent", "app", "quay", "web", "(all)"))
  expect_identical(one(down)$channel, c("web", "quay", "app", "agent", "(all)"))
  routes <- sort_rows(s, route, order = "down")
  expect_identical(unique(routes$route), c(rev(sort(unique(demo_fares$route))), "(all)"))
  both <- statement(demo_ledger(), by = c("route", "channel"), span = "last month",
                    income = total(fare)) |>
    sort_rows(income) |> sort_rows(channel)
  expect_identical(both$channel, sort(both$channel))
  for (own in split(both$income, both$channel)) expect_false(is.unsorted(-own))
  expect_refused(sort_rows(s, rout), "route", "measure")
  out <- command("statement", system.file("extdata/fares.csv.gz", package = "rollingledger"),
                 "--on", "sailed_on", "--by", "route", "--span", "last month", "--measure",
                 "income=total(fare)", "--sort", "income", "--direction", "up")
  figures <- regmatches(out$out, regexpr("[0-9,]+\\.[0-9]{2}$", out$out))
  figures <- as.numeric(gsub(",", "", figures))
  expect_false(is.unsorted(figures))
  expect_length(figures, 6)
})
