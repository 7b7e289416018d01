# A brief or an address of another ledger is never answered from the page's as if it were its own.

opened_here <- function(lines, x) {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "asked.yml")
  writeLines(c("brief: 1", "name: Asked", lines), file)
  rollingledger:::state_of_brief(rollingledger:::read_brief(file), list(),
                                 explore_offers(x, briefs = folder))
}

brief_of_fares <- function(..., per = "month") {
  c("ledger:", "  file: fares.csv", ..., "statements:", "  s:", paste0("    per: ", per),
    "    measures: {income: total(fare)}")
}

test_that("what a page can take over of a brief's ledger it takes, and answers the same", {
  x <- explore_fares()
  taken <- opened_here(brief_of_fares("  on: {booked: booked_on}",
                                      "  where: channel == \"web\""), x)
  asked <- taken$state$panels[[1]]$statement
  expect_identical(asked$on, "booked")
  expect_identical(unlist(asked$where), "channel == \"web\"")
  expect_match(taken$said, "Taken over", all = FALSE)
  own <- ledger(demo_fares[seq(1, nrow(demo_fares), length.out = 600), ],
                on = c(booked = "booked_on"), where = channel == "web")
  shown <- answered_apart(taken$state, 1, explore_offers(x))
  right <- statement(own, per = "month", income = total(fare))
  there <- match(right$from, shown$from)
  expect_identical(shown$income[there[-1]], right$income[-1])
})

test_that("a brief of another ledger is refused with each difference", {
  x <- explore_fares()
  refused <- function(lines, ..., on = x) {
    e <- tryCatch(opened_here(lines, on), rollingledger_error_brief = conditionMessage)
    expect_true(is.character(e) && length(e) == 1, info = paste(lines, collapse = " "))
    for (says in c(...)) expect_match(e, says)
  }
  refused(brief_of_fares("  on: paid_on"), "counts days of `paid_on`")
  refused(brief_of_fares("  on: sailed_on", "  calendar: {fiscal_start: July}",
                         per = "fiscal year"), "calendar is another: fiscal year starts on 1 July")
  refused(brief_of_fares("  on: sailed_on", "  calendar: {week_start: Sunday}", per = "week"),
          "weeks start on Sunday")
  # Columns that it works out are worked out here too, unless they are called as others are.
  taken <- opened_here(brief_of_fares("  on: sailed_on", "  columns: {fare_2: fare * 2}"), x)
  expect_identical(taken$state$own_columns, list(fare_2 = "fare * 2"))
  refused(brief_of_fares("  on: sailed_on", "  columns: {fare_2: fare * 2}"),
          "works out `fare_2` as fare \\* 2", on = work_out(x, fare_2 = fare * 3))
  refused(brief_of_fares("  on: sailed_on", "  as_of: 2026-01-31"), "`as of` is 2026-01-31")
  refused(c(brief_of_fares("  on: sailed_on", "  where: channel == \"web\"")[1:7],
            "    measures: {new: newcomers(account)}"), "newcomers")
  kept <- suppressMessages(keep_entries(x, channel == "web"))
  refused(brief_of_fares("  on: sailed_on"), "those of channel == \"web\" alone", on = kept)
  refused(brief_of_fares("  on: paid_on", "  as_of: 2026-01-31"), "paid_on", "as of")
  # What no text hangs on is no difference.
  fine <- opened_here(brief_of_fares("  on: sailed_on", "  calendar: {fiscal_start: July}"), x)
  expect_length(fine$state$panels, 1)
})

test_that("an address of another ledger is a fresh page, and says why", {
  x <- explore_fares()
  at <- rollingledger:::first_state(x)
  at$panels[[1]]$statement$per <- "week"
  text <- rollingledger:::state_text(at, x)
  again <- rollingledger:::state_of_address(text, x)
  expect_identical(again$state$panels[[1]]$statement$per, "week")
  expect_identical(again$said, character())
  others <- list(
    "other date bases" = ledger(demo_fares, on = c(booked = "booked_on"), units = c(fare = "EUR"),
                                calendar = ledger_calendar(fiscal_start = "April")),
    "another calendar" = ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on")),
    "other conditions" = suppressMessages(keep_entries(x, fare > 10)),
    "other worked-out columns" = work_out(x, twice = fare * 2))
  for (says in names(others)) {
    near <- rollingledger:::state_of_address(text, others[[says]])
    expect_match(near$said, says)
    expect_match(near$said, "fresh page")
    expect_false(identical(near$state$panels[[1]]$statement$per, "week"))
  }
})
