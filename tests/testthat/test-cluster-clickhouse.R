# What is ClickHouse's own: its types, its literals, sums that would overflow, settings of its
# profiles, shards that are missing, and entries that come in while it is asked.

cluster_fares <- function(n = 400) {
  data.frame(day = as.Date("2026-01-01") + sample(0:89, n, TRUE),
             route = sample(c("Gull Rock", "Tern Head", NA), n, TRUE),
             fare = round(stats::rnorm(n, 20, 30), 2), row_no = seq_len(n))
}

put_here <- function(...) server$tools$put_into_shards(clickhouse_here(), ...)

asked_cluster <- function(table = "fares", ..., asks = "", on = "day") {
  ledger(clickhouse_address("?table=", table, "&order=row_no", asks), on = on, ...)
}

test_that("texts, names and members of any kind go there and back", {
  skip_if_not(with_clusters())
  set.seed(3)
  texts <- unique(c(hostile_texts(300), "x'); DROP TABLE fares --", "", "\\N", "NULL", "\u00c9",
                    "\u00e9", "e\u0301", " lead", "trail ", "A", "a"))
  table <- data.frame(day = as.Date("2026-01-01") + seq_along(texts) %% 40, members = texts,
                      fare = seq_along(texts), row_no = seq_along(texts))
  names(table)[2] <- "we`i\\r\"d '"
  clickhouse_here()
  put_here(table, "odd`na\\me")
  x <- ledger(table, on = "day")
  y <- ledger(clickhouse_address(), table = c("ferries", "odd`na\\me"), order = "row_no",
              on = "day")
  name <- names(table)[2]
  alike(x, y, by = name, a = "total(fare)", n = "entries()")
  for (text in c(sample(texts, 30), "\\N", "x'); DROP TABLE fares --")) {
    told <- sprintf("is_missing(`%s`) | `%s` == %s", name, name, deparse(text))
    condition <- sprintf("%s == %s", "m", deparse(text))
    a <- sum(table$fare[table[[2]] == text])
    z <- work_out(y, m = trimmed(!!rlang::sym(name)))
    got <- statement(keep_entries(y, !!rlang::parse_expr(sprintf("`%s` == %s",
                                                                 gsub("([`\\\\])", "\\\\\\1", name),
                                                                 deparse(text)))),
                     a = total(fare))
    expect_identical(got$a, as.double(a), info = told)
  }
})

test_that("every type of column is what it is, or refused", {
  skip_if_not(with_clusters())
  at <- clickhouse_here()
  n <- 60
  set.seed(4)
  table <- data.frame(day = as.Date("2026-01-01") + sample(0:40, n, TRUE), row_no = seq_len(n),
                      tiny = sample(-5:5, n, TRUE), large = sample(1:9, n, TRUE),
                      fixed = sample(c("ab", "abc"), n, TRUE),
                      kind = sample(c("web", "desk"), n, TRUE),
                      money = round(stats::rnorm(n, 10, 5), 4), rate = stats::rnorm(n),
                      paid = as.Date("2026-02-01") + sample(c(NA, 0:9), n, TRUE))
  put_here(table, "typed", types = list(
    tiny = "Int8", large = "Nullable(UInt64)", fixed = "FixedString(5)",
    kind = "Enum8('web' = 1, 'desk' = 2)", money = "Nullable(Decimal(18, 4))",
    row_no = "UInt32"))
  x <- ledger(table, on = "day")
  y <- asked_cluster("typed")
  alike(x, y, per = "week", by = c("fixed", "kind"), a = "total(tiny)", b = "total(large)",
        c = "total(money)", d = "average(rate)", e = "smallest(money)", f = "middle(money)",
        g = "distinct(paid)", where = "kind %in% c('web', 'none') & money > 2.5")
  alike(x, y, by = "paid", a = "total(money)", where = "is_missing(paid) | paid > '2026-02-03'")
  alike(x, y, a = "entries()", where = "tiny >= -2 & large %in% c(1, 2, 3.5)")
  alike(x, y, a = "entries()", where = "paid < '1960-01-01' | paid < '2300-01-01'")
  expect_identical(own("source_facts")(y)$left_out, character())
  alike(work_out(x, m = tiny * money, s = band(money, 5, 12)),
        work_out(y, m = tiny * money, s = band(money, 5, 12)), by = "s", a = "total(m)",
        b = "middle(m)")
})

test_that("sums beyond 64 bits are whole or refused, never begun anew", {
  skip_if_not(with_clusters())
  clickhouse_here()
  put <- function(amounts, type) {
    put_here(data.frame(day = as.Date("2026-01-01") + seq_along(amounts), amount = amounts,
                        row_no = seq_along(amounts)), "large", types = list(amount = type))
    asked_cluster("large")
  }
  # There it is -2.
  y <- put(rep("9223372036854775807", 2), "Int64")
  expect_identical(trimws(clickhouse_here()$run("SELECT sum(amount) FROM ferries.large")), "-2")
  expect_error(statement(y, a = total(amount)), class = "rollingledger_error_overflow")
  y <- put(rep("18446744073709551615", 3), "UInt64")
  expect_error(statement(y, a = total(amount)), class = "rollingledger_error_overflow")
  for (type in c("Int64", "Decimal(38, 0)")) {
    y <- put(c("4000000000000000000", "-3999999999999999995", "3"), type)
    expect_identical(statement(y, a = total(amount))$a, 8, info = type)
  }
  # Worked out of others, they are as wide.
  y <- work_out(put(c("2000000000", "-1999999999"), "Int64"), squared = amount * amount)
  expect_identical(statement(y, a = total(squared))$a, 2000000000^2 + 1999999999^2)
  y <- work_out(put(c("3000000000", "-2999999999"), "Int64"), squared = amount * amount)
  expect_error(statement(y, a = total(squared)), class = "rollingledger_error_overflow")
})

test_that("days are those of the zone that is stated, and what is no day is said", {
  skip_if_not(with_clusters())
  clickhouse_here()
  set.seed(5)
  at <- as.POSIXct("2026-03-28 20:00:00", tz = "UTC") + sample(86400 * 3, 300)
  autumn <- as.POSIXct("2025-10-25 20:00:00", tz = "UTC") + sample(86400 * 3, 300)
  table <- data.frame(moment = c(at, autumn), fare = seq_len(600), row_no = seq_len(600))
  put_here(table, "moments")
  for (zone in c("UTC", "Europe/Berlin", "America/New_York", "Pacific/Kiritimati",
                 "America/Sao_Paulo")) {
    x <- ledger(table, on = "moment", time_zone = zone)
    y <- asked_cluster("moments", on = "moment", time_zone = zone)
    alike(x, y, per = "day", a = "total(fare)", info = zone)
    alike(x, y, by = "hour", a = "total(fare)", info = zone)
    alike(x, y, a = "total(fare)", span = "2026-03-29", info = zone)
  }
  # A moment that is missing is none in any zone.
  table$moment[7] <- as.POSIXct(0, origin = "1970-01-01", tz = "UTC")
  put_here(table, "moments", types = list(moment = "DateTime"))
  for (zone in c("UTC", "America/New_York", "Asia/Tokyo")) {
    y <- suppressMessages(asked_cluster("moments", on = "moment", time_zone = zone))
    expect_identical(set_aside(y)$reason, "no date", info = zone)
    expect_identical(set_aside(y)$row, 7L, info = zone)
    expect_equal(statement(y, a = total(fare))$a, sum(table$fare[-7]), info = zone)
  }
  # The first of 1970 is how a day that is missing, or before it, is kept there.
  odd <- data.frame(day = as.Date(c("2026-01-01", "1970-01-01", "2026-01-03", NA)),
                    fare = 1:4, row_no = 1:4)
  put_here(odd, "odd_days")
  withr::local_options(rlib_message_verbosity = "verbose")
  expect_message(y <- asked_cluster("odd_days"), "2 of 4 entries set aside: no date \\(2\\)")
  expect_identical(statement(y, a = total(fare))$a, 4)
  expect_identical(set_aside(y)$row, c(2L, 4L))
})

test_that("the profile of a user never makes an answer a part of one", {
  skip_if_not(with_clusters())
  tools <- cluster_tools()
  profiles <- paste0(
    "<partial><skip_unavailable_shards>1</skip_unavailable_shards>",
    "<max_rows_to_group_by>10</max_rows_to_group_by>",
    "<group_by_overflow_mode>any</group_by_overflow_mode>",
    "<max_result_rows>3</max_result_rows><result_overflow_mode>break</result_overflow_mode>",
    "<count_distinct_implementation>uniq</count_distinct_implementation></partial>",
    "<rough><count_distinct_implementation>uniq</count_distinct_implementation></rough>",
    "<skipping><skip_unavailable_shards>1</skip_unavailable_shards><readonly>1</readonly>",
    "</skipping><reading><readonly>1</readonly></reading>")
  user <- function(name) sprintf(paste0(
    "<%s><password>secret-%s</password><networks><ip>::/0</ip></networks><profile>%s</profile>",
    "<quota>default</quota></%s>"), name, name, name, name)
  users <- paste(vapply(c("partial", "rough", "skipping", "reading"), user, ""), collapse = "")
  at <- tools$start_clickhouse(profiles = profiles, users = users)
  if (is.null(at)) skip("ClickHouse is not installed")
  withr::defer(at$stop())
  for (i in 1:2) at$run("CREATE DATABASE ferries", i)
  table <- data.frame(day = as.Date("2026-01-01") + rep(0:49, 20), fare = 1:1000,
                      account = sprintf("a%05d", 1:1000 * 7), row_no = 1:1000)
  tools$put_into_shards(at, table, "fares", shard = rep(1:2, 500))
  x <- ledger(table, on = "day")
  as_user <- function(name, asks = "") {
    withr::local_envvar(CLICKHOUSE_PASSWORD = paste0("secret-", name))
    ledger(sprintf("clickhouse://%s@127.0.0.1:%d/ferries?table=fares%s", name,
                   at$ports[1, "http"], asks), on = "day")
  }
  # Of too many groups some would be left out, and of too many rows the rest.
  said <- expect_error(statement(as_user("partial"), per = "day", a = total(fare)),
                       class = "rollingledger_error")
  expect_match(conditionMessage(said), "could not answer|limit", ignore.case = TRUE)
  alike(x, as_user("rough"), per = "week", n = "distinct(account)")
  said <- expect_error(as_user("skipping"), class = "rollingledger_error")
  expect_match(conditionMessage(said), "may not change settings, and skip_unavailable_shards is 1")
  expect_error(as_user("reading"), "shards that answer cannot be counted")
  withr::with_envvar(c(CLICKHOUSE_PASSWORD = "secret-reading"), {
    y <- ledger(sprintf("clickhouse://reading@127.0.0.1:%d/ferries?table=fares_here",
                        at$ports[1, "http"]), on = "day")
    expect_equal(statement(y, a = total(fare))$a, sum(table$fare[rep(1:2, 500) == 1]))
  })
  expect_error(as_user("rough", "&shards=3"), "spread over 2 shards")
  expect_no_error(as_user("rough", "&shards=2"))
  said <- expect_error(as_user("nobody"), class = "rollingledger_error")
  expect_no_match(conditionMessage(said), "secret")
  y <- as_user("rough")
  expect_no_match(paste(utils::capture.output(print(y)), collapse = " "), "secret")
  # A shard that is down is an error at once, whatever the profile says.
  z <- as_user("rough")
  at$stop_shard(2)
  began <- Sys.time()
  said <- expect_error(statement(z, a = total(fare)), class = "rollingledger_error_connection")
  expect_lt(as.numeric(Sys.time() - began, units = "secs"), 20)
  expect_match(conditionMessage(said), "does not answer|shards")
  said <- expect_error(as_user("rough"), class = "rollingledger_error_connection")
  at$start_shard(2)
  alike(x, z, per = "week", a = "total(fare)", n = "distinct(account)")
})

test_that("limits of time and memory are kept, and said", {
  skip_if_not(with_clusters())
  clickhouse_here()
  put_here(cluster_fares(), "fares")
  y <- asked_cluster(asks = "&seconds=5&memory=20000000")
  expect_identical(unlist(unname(own("clickhouse_limits_of")(
    list(seconds = "5", memory = "20000000"), NULL))), c(5, 2e7))
  y$relation$from <- paste0("(SELECT toDate('2026-01-01') AS day, 'a' AS route, number AS row_no,",
                            " number AS fare FROM numbers(400000000))")
  y$looked <- new.env()
  said <- expect_error(statement(y, n = distinct(fare)), class = "rollingledger_error")
  expect_match(conditionMessage(said), "Timeout|Memory limit|memory", ignore.case = TRUE)
})

test_that("entries that come in, or go, are seen at the next question, on any shard", {
  skip_if_not(with_clusters())
  at <- clickhouse_here()
  table <- cluster_fares()
  put_here(table, "fares")
  y <- asked_cluster()
  s <- statement(y, per = "month", by = "route", a = total(fare))
  for (i in 1:2) {
    more <- data.frame(day = as.Date("2026-03-05"), route = "New", fare = 1000 * i,
                       row_no = 1000L + i)
    server$tools$add_to_shard(at, more, "fares", i)
    table <- rbind(table, more)
    alike(ledger(table, on = "day"), y, per = "month", by = "route", a = "total(fare)",
          n = "entries()")
  }
  # A verb on what was asked before is of the entries now.
  withr::local_options(rlib_message_verbosity = "verbose")
  expect_message(s <- add_share(s, a), "entries have changed")
  expect_equal(sum(s$a), sum(table$fare))
  # Merging moves rows and changes none: they are looked at anew, and found to be the same.
  until_table_tells()
  s <- statement(y, per = "month", by = "route", a = total(fare))
  at$run("OPTIMIZE TABLE ferries.fares_here FINAL", 1)
  expect_message(s <- add_share(s, a), "entries may have changed .*then and now")
  expect_equal(sum(s$a), sum(table$fare))
  expect_equal(statement(y, a = total(fare))$a, sum(table$fare))
  at$run("ALTER TABLE ferries.fares_here DROP PARTITION tuple()", 2)
  expect_lt(statement(y, a = total(fare))$a, sum(table$fare))
})

test_that("a question during which entries come in is asked again, or refused", {
  skip_if_not(with_clusters())
  at <- clickhouse_here()
  table <- cluster_fares()
  put_here(table, "fares")
  y <- asked_cluster()
  come <- function(times) {
    left <- times
    y$engine$told <- function(written) {
      if (left <= 0 || !grepl("GROUP BY", written$text)) return()
      left <<- left - 1
      more <- data.frame(day = as.Date("2026-03-05"), route = "New", fare = 1, row_no = 0L)
      server$tools$add_to_shard(at, more, "fares", 1 + left %% 2)
      table <<- rbind(table, more)
    }
  }
  for (times in 1:4) {
    come(times)
    got <- statement(y, per = "month", by = "route", a = total(fare), n = distinct(route))
    y$engine$told <- NULL
    expect_equal(sum(got$a), sum(table$fare), info = times)
  }
  come(1000)
  said <- expect_error(statement(y, per = "month", a = total(fare), n = distinct(route)),
                       class = "rollingledger_error_moved")
  expect_match(conditionMessage(said), "came in or went while the question was asked")
  y$engine$told <- NULL
  expect_equal(sum(statement(y, a = total(fare))$a), sum(table$fare))
})

test_that("a shard whose entries end earlier is told", {
  skip_if_not(with_clusters())
  clickhouse_here()
  table <- cluster_fares()
  shard <- 1 + (table$day > as.Date("2026-02-10"))
  put_here(table, "fares", shard = shard)
  y <- asked_cluster()
  said <- paste(utils::capture.output(print(y)), collapse = " ")
  expect_match(said, "2 shards; of which the newest days are 2026-02-10")
  expect_match(said, format(max(table$day)), fixed = TRUE)
})

test_that("lookups, parts and bands go along with the statement, as they are then", {
  skip_if_not(with_clusters())
  at <- clickhouse_here()
  table <- cluster_fares()
  put_here(table, "fares")
  x <- ledger(table, on = "day")
  y <- asked_cluster()
  ways <- data.frame(route = c("Gull Rock", "Tern Head"), way = c("north", "it's \\south"),
                     opened = as.Date(c("2020-01-01", NA)), berths = c(2.78, 7.69),
                     open = c(TRUE, NA))
  a <- add_attributes(x, ways, key = "route")
  b <- suppressMessages(add_attributes(y, ways, key = "route"))
  alike(a, b, by = c("way", "opened"), per = "month", n = "entries()", m = "middle(berths)",
        t = "total(berths)")
  alike(keep_entries(a, berths == 2.78), keep_entries(b, berths == 2.78), n = "entries()")
  # A long one is written once where it is needed several times; one that is too long is refused.
  long <- data.frame(route = c("Gull Rock", "Tern Head", sprintf("Way's %d", 1:3000)),
                     way = sprintf("way %d", 1:3002 %% 5), berths = 1:3002 / 4)
  alike(add_attributes(x, long, key = "route"),
        suppressMessages(add_attributes(y, long, key = "route")), by = "way", per = "month",
        n = "entries()", t = "total(berths)", m = "average(berths, where = way != 'way 4')")
  longer <- data.frame(route = c("Gull Rock", sprintf("r%d", 1:30000)), a = 1)
  expect_error(add_attributes(y, longer, key = "route"), "at most 20,000")
  # A lookup that is a table there follows its rows.
  put_here(ways, "ways")
  d <- suppressMessages(add_attributes(y, "ways", key = "route"))
  alike(a, d, by = "way", n = "entries()")
  server$tools$add_to_shard(at, data.frame(route = "New", way = "west", opened = as.Date(NA),
                                           berths = 1, open = NA), "ways", 2)
  server$tools$add_to_shard(at, data.frame(day = as.Date("2026-03-01"), route = "New", fare = 5,
                                           row_no = 0L), "fares", 1)
  expect_identical(statement(d, by = "way", n = entries(), where = way == "west")$n, 1)
  server$tools$add_to_shard(at, ways[1, ], "ways", 1)
  expect_error(statement(d, by = "way", n = entries()), "more than one row")
  # Members and days that come later are worked out as those that were there.
  w <- work_out(y, first = upper_case(first_letters(route, 1)))
  server$tools$add_to_shard(at, data.frame(day = as.Date("2026-05-01"), route = "zebra", fare = 5,
                                           row_no = 0L), "fares", 2)
  expect_true("Z" %in% statement(w, by = "first", n = entries())$first)
  expect_true("May" %in% as.character(
    statement(y, by = "month_of_year", n = entries())$month_of_year))
})

test_that("tables of other kinds, views and queries are asked as well", {
  skip_if_not(with_clusters())
  at <- clickhouse_here()
  table <- cluster_fares()
  x <- ledger(table, on = "day")
  # A table of one server.
  put_here(table, "alone", shard = rep(1, nrow(table)))
  y <- asked_cluster("alone_here")
  alike(x, y, per = "month", by = "route", a = "total(fare)", n = "entries()")
  # One that tells nothing of its rows is looked at for each question.
  put_here(table, "logged", kept = "Log")
  y <- asked_cluster("logged")
  alike(x, y, per = "month", by = "route", a = "total(fare)", n = "entries()")
  more <- data.frame(day = as.Date("2026-03-05"), route = "New", fare = 7, row_no = 0L)
  server$tools$add_to_shard(at, more, "logged", 2)
  expect_equal(statement(y, n = entries())$n, nrow(table) + 1)
  y <- ledger(clickhouse_address(), query = "SELECT day, fare, route FROM ferries.alone_here;",
              on = "day")
  alike(x, y, per = "month", by = "route", a = "total(fare)")
  # What comes in while such are asked is seen by their count.
  for (from in c("alone_here", "alone")) {
    y <- ledger(clickhouse_address(), on = "day",
                query = sprintf("SELECT day, fare, route FROM ferries.%s", from))
    left <- 2
    y$engine$told <- function(written) {
      if (left <= 0 || !grepl("GROUP BY", written$text)) return()
      left <<- left - 1
      server$tools$add_to_shard(at, more, "alone", 1)
    }
    got <- statement(y, per = "month", a = total(fare), n = distinct(route))
    y$engine$told <- NULL
    now <- as.double(at$run("SELECT sum(fare) FROM ferries.alone_here"))
    expect_equal(sum(got$a), now, info = from)
  }
  empty <- table[0, ]
  put_here(empty, "empty")
  expect_error(asked_cluster("empty"), class = "rollingledger_error")
  expect_error(asked_cluster("no_such_table"), class = "rollingledger_error")
  expect_error(statement(asked_cluster(), a = balance(fare), n = total(route)),
               class = "rollingledger_error")
})

test_that("why a figure changed is told as in memory", {
  skip_if_not(with_clusters())
  clickhouse_here()
  set.seed(9)
  table <- cluster_fares(600)
  table$passengers <- sample(0:4, nrow(table), TRUE)
  put_here(table, "fares")
  x <- ledger(table, on = "day")
  y <- asked_cluster()
  for (ask in list(
    function(x) why_changed(x, "2026-03", "2026-02", income = total(fare), by = "route"),
    function(x) why_changed(x, "2026-03", "2026-01", income = total(fare), by = "route",
                            volume = "passengers", where = fare > -20),
    function(x) why_changed(x, "2026-03", "2026-01", mean = average(fare), by = "route"),
    function(x) why_changed(x, "2026-03", "2026-01", fares = distinct(passengers)))) {
    tables <- lapply(list(x, y), function(x) {
      w <- ask(x)
      lapply(c(list(w), attributes(w)[c("members", "attributes", "drivers")]),
             function(table) lapply(as.list(table), as.vector))
    })
    expect_equal(tables[[2]], tables[[1]])
  }
})
