# Small made-up ledgers of the ferry line.

april <- ledger_calendar(fiscal_start = "April")

# Eight tickets that can be added up by hand.
few_fares <- function() {
  data.frame(
    sailed_on = as.Date(
      c("2026-01-30", "2026-01-31", "2026-02-01", "2026-02-28", "2026-03-31", "2026-04-01",
        "2026-04-01", "2026-04-10")),
    booked_on = as.Date(
      c("2026-01-02", "2026-01-31", "2026-01-20", "2026-02-27", "2026-03-31", "2026-03-01", NA,
        "2026-04-09")),
    route = c("Oysterby", "Wickholm", "Oysterby", "Oysterby", NA, "Wickholm", "", "Oysterby"),
    channel = c("web", "quay", "web", "web", "quay", "web", "quay", "web"),
    fare = c(10.10, 20.25, -5, 0.10, 0.20, 7, 8, NA),
    stringsAsFactors = FALSE
  )
}

few_ledger <- function(...) ledger(few_fares(), on = c(sailed = "sailed_on", booked = "booked_on"),
                                   calendar = april, ...)

demo_ledger <- function() {
  ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"), calendar = april,
         units = c(fare = "EUR"))
}

demo_csv <- function() system.file("extdata", "fares.csv.gz", package = "rollingledger")

# Random entries: gaps, ties, negative amounts, missing values, up to six decimals; some are of
# passes, with an end.
random_fares <- function(seed) {
  set.seed(seed)
  n <- sample(c(1, 2, 30, 300), 1)
  first <- as.Date("2023-11-15") + sample(-400:400, 1)
  length <- sample(c(1, 40, 500), 1)
  decimals <- sample(c(0, 1, 2, 3, 4, 6), 1)
  fare <- round(stats::rnorm(n, 20, 30), decimals)
  table <- data.frame(
    sailed_on = first + sample(length, n, TRUE) - 1,
    booked_on = first - sample(0:30, n, TRUE),
    route = sample(c("Gull Rock", "Oysterby", "Tern Head", NA), n, TRUE, c(4, 3, 2, 1)),
    channel = sample(c("web", "quay"), n, TRUE),
    fare = replace(fare, stats::runif(n) < 0.1, NA),
    stringsAsFactors = FALSE
  )
  table$account <- sample(c(sprintf("%03d", 1:7), NA), n, TRUE)
  table$until_on <- table$sailed_on + sample(-2:60, n, TRUE)
  table$until_on[stats::runif(n) < 0.2] <- NA
  table
}

# What is known of the cells behind a statement.
cells_facts <- function(s) {
  plan <- attr(s, "plan")
  own <- asNamespace("rollingledger")
  cells <- own$cells_for(own$plan_ledger(plan), own$plan_ask(plan), min(plan$spans$from),
                         max(plan$spans$to))
  own$core_cube_facts(cells$pointer)
}

csv_file <- function(lines, ending = ".csv", env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ending, .local_envir = env)
  con <- if (grepl("gz$", ending)) gzfile(path, "w") else file(path, "w")
  writeLines(lines, con)
  close(con)
  path
}

# Calendars of all kinds, in turn.
some_fiscal_calendar <- function(i) {
  list(april, ledger_calendar("October", "start", "Sunday"),
       ledger_calendar("Feb", pattern = "4-4-5", year_end = "last Saturday"))[[i %% 3 + 1]]
}
