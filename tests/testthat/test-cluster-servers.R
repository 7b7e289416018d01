# PostgreSQL over servers: what is summed up over there, and what happens where one is away.

servers_fares <- function(n = 600) {
  data.frame(sailed_on = as.Date("2025-01-01") + sample(0:499, n, TRUE),
             booked_on = as.Date("2024-12-01") + sample(0:499, n, TRUE),
             route = sample(c("Gull Rock", "Tern Head", NA), n, TRUE),
             account = sprintf("a%03d", sample(200, n, TRUE)),
             fare = round(stats::rnorm(n, 20, 30), 2), row_no = seq_len(n))
}

put_over <- function(...) {
  server$servers_tools$put_over_servers(servers_here(), ..., day = "sailed_on",
                                        cuts = "2025-10-01")
}

# What the planner says of each statement of a question: whether entries cross the network.
plans_of <- function(x, question) {
  texts <- list()
  x$engine$told <- function(written) texts[[length(texts) + 1]] <<- written
  on.exit(x$engine$told <- NULL)
  suppressMessages(question(x))
  asked <- Filter(function(written) grepl("SELECT", written$text) && grepl("fares", written$text) &&
                    !grepl("pg_catalog|EXPLAIN|dblink|regclass", written$text), texts)
  con <- x$engine$con
  DBI::dbExecute(con, "SET enable_partitionwise_aggregate = on")
  on.exit(DBI::dbExecute(con, "RESET enable_partitionwise_aggregate"), add = TRUE)
  vapply(asked, function(written) {
    text <- written$text
    for (i in rev(seq_along(written$values))) {
      value <- DBI::dbQuoteString(con, as.character(written$values[[i]]))
      text <- gsub(paste0("$", i), value, text, fixed = TRUE)
    }
    paste(DBI::dbGetQuery(con, paste("EXPLAIN (VERBOSE)", text))[[1]], collapse = "\n")
  }, "")
}

test_that("each server sums up its own entries, whatever is asked", {
  skip_if_not(with_clusters())
  at <- open_servers_here()
  withr::defer(at$close())
  set.seed(2)
  table <- servers_fares()
  put_over(table, "fares", types = c(fare = "numeric(12,2)"))
  x <- suppressMessages(ledger(at$con, table = "fares", order = "row_no",
                               on = c(sailed = "sailed_on", booked = "booked_on")))
  said <- paste(utils::capture.output(print(x)), collapse = " ")
  expect_match(said, "read +from fares_1 and fares_2")
  questions <- list(
    "a first look" = function(x) {
      x$looked <- new.env(parent = emptyenv())
      statement(x, n = entries())
    },
    "totals" = function(x) statement(x, per = "month", by = "route", income = total(fare),
                                     trips = entries(), rolling = average(fare)),
    "conditions" = function(x) statement(x, per = "month", income = total(fare),
                                         where = fare > 3 & route != "Tern Head"),
    "another basis" = function(x) statement(x, per = "month", on = "booked",
                                            income = total(fare)),
    "distinct" = function(x) statement(x, per = "month", by = "route", n = distinct(account)),
    "parts" = function(x) statement(x, by = c("weekday", "route"), income = total(fare)),
    "a lookup" = function(x) add_attributes(x, data.frame(route = "Gull Rock", way = "north"),
                                            key = "route") |>
      statement(by = "way", per = "month", income = total(fare)),
    "text worked out" = function(x) work_out(x, first = first_letters(route, 1)) |>
      statement(by = "first", income = total(fare)),
    "newcomers" = function(x) statement(x, per = "month", n = newcomers(account),
                                        m = lapsed(account)))
  memory <- ledger(table, on = c(sailed = "sailed_on", booked = "booked_on"))
  for (name in names(questions)) {
    plans <- plans_of(x, questions[[name]])
    expect_gt(length(plans), 0)
    # Grouped over there: no entry comes as it is.
    expect_true(all(grepl("Remote SQL: [^\n]*GROUP BY", plans)), info = paste(name, plans[
      !grepl("Remote SQL: [^\n]*GROUP BY", plans)][1]))
    expect_false(any(grepl("Foreign Scan on", plans)), info = paste(name, grep(
      "Foreign Scan on", plans, value = TRUE)[1]))
    expect_equal(as.data.frame(suppressMessages(questions[[name]](x))),
                 as.data.frame(suppressMessages(questions[[name]](memory))), info = name,
                 tolerance = 1e-12)
  }
})

test_that("entries that change on another server are seen", {
  skip_if_not(with_clusters())
  at <- open_servers_here()
  withr::defer(at$close())
  table <- servers_fares()
  put_over(table, "fares")
  for (told in c(TRUE, FALSE)) {
    if (!told) DBI::dbExecute(at$con, "DROP EXTENSION dblink")
    x <- suppressMessages(ledger(at$con, table = "fares", on = "sailed_on"))
    expect_identical(is.null(x$engine$token), !told)
    for (i in 1:2) {
      there <- server$servers_tools$connect_postgres(servers_here()$parts[[i]])
      day <- c("2025-02-01", "2026-02-01")[i]
      DBI::dbExecute(there, sprintf(
        "INSERT INTO fares (sailed_on, route, fare, row_no) VALUES ('%s', 'New', %d, 0)", day, i))
      DBI::dbDisconnect(there)
      more <- data.frame(sailed_on = as.Date(day), booked_on = as.Date(NA), route = "New",
                         account = NA, fare = i, row_no = 0L)
      table <- rbind(table, more)
      alike(ledger(table, on = "sailed_on"), x, per = "month", by = "route", a = "total(fare)",
            n = "distinct(account)", info = paste(told, i))
    }
  }
  DBI::dbExecute(at$con, "CREATE EXTENSION dblink")
})

test_that("a server that is away is an error, and what needs only others is answered", {
  skip_if_not(with_clusters())
  at <- open_servers_here()
  withr::defer(at$close())
  table <- servers_fares()
  put_over(table, "fares")
  x <- suppressMessages(ledger(at$con, table = "fares", on = "sailed_on"))
  s <- statement(x, per = "month", a = total(fare))
  recent <- paste("SELECT * FROM fares WHERE sailed_on >= DATE '2025-10-01'")
  part <- servers_here()$parts[[1]]
  part$restart("immediate")
  # Their connections are lost: the first question says so or connects again, and none is of half.
  got <- tryCatch(sum(statement(x, a = total(fare))$a), rollingledger_error = identity)
  if (is.numeric(got)) expect_equal(got, sum(table$fare)) else expect_s3_class(got, "error")
  expect_equal(statement(x, a = total(fare))$a, sum(table$fare))
  part$halt()
  withr::defer(part$resume())
  said <- expect_error(statement(x, a = total(fare)), class = "rollingledger_error")
  expect_match(conditionMessage(said), "does not answer|could not answer|lost")
  said <- expect_error(ledger(at$con, table = "fares", on = "sailed_on"),
                       class = "rollingledger_error")
  y <- suppressMessages(ledger(at$con, query = recent, on = "sailed_on"))
  later <- table[table$sailed_on >= as.Date("2025-10-01"), ]
  expect_equal(statement(y, a = total(fare))$a, sum(later$fare))
  said <- paste(utils::capture.output(print(y)), collapse = " ")
  expect_match(said, "read +from fares_2")
  expect_no_match(said, "fares_1")
  part$resume()
  expect_equal(statement(x, a = total(fare))$a, sum(table$fare))
})

test_that("text of another collation keeps its members", {
  skip_if_not(with_clusters())
  at <- open_servers_here()
  withr::defer(at$close())
  table <- data.frame(sailed_on = as.Date("2025-09-29") + 0:5,
                      route = c("gull", "Gull", "g\u00fcll", "g\u00dcll", NA, "gull"), fare = 1:6)
  put_over(table, "fares")
  x <- suppressMessages(ledger(at$con, table = "fares", on = "sailed_on"))
  m <- ledger(table, on = "sailed_on")
  alike(m, x, by = "route", a = "total(fare)")
  alike(m, x, a = "entries()", where = "route < 'h'")
  alike(m, x, a = "entries()", where = "route >= 'gull' & route != 'gull'")
  # Columns of another collation than the database's are told apart by their bytes as well.
  at$run("DROP FOREIGN TABLE IF EXISTS alone")
  at$run("DROP COLLATION IF EXISTS blind")
  at$run(paste("CREATE COLLATION blind (provider = icu, locale = 'und-u-ks-level1',",
               "deterministic = false)"))
  at$run(paste("CREATE FOREIGN TABLE alone (sailed_on date, route text COLLATE blind, fare int)",
               "SERVER part_1 OPTIONS (table_name 'fares')"))
  x <- suppressMessages(ledger(at$con, table = "alone", on = "sailed_on"))
  m <- ledger(table[table$sailed_on < as.Date("2025-10-01"), ], on = "sailed_on")
  alike(m, x, by = "route", a = "total(fare)")
  alike(m, x, a = "entries()", where = "route == 'gull'")
})
