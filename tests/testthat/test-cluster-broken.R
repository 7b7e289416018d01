# Shards that are killed, started again, lag, or get entries while they are asked: every answer is
# right or an error.

cluster_table <- function(n, seed = 1) {
  set.seed(seed)
  data.frame(day = as.Date("2025-01-01") + sample(0:399, n, TRUE),
             route = sample(c("Gull Rock", "Tern Head", "Oysterby"), n, TRUE),
             account = sprintf("a%05d", sample(n %/% 4, n, TRUE)),
             fare = round(stats::rnorm(n, 20, 30), 2), row_no = seq_len(n))
}

# Questions of the kinds that are asked in different ways.
broken_questions <- list(
  function(x) statement(x, per = "month", by = "route", a = total(fare), n = entries()),
  function(x) statement(x, per = "week", n = distinct(account)),
  function(x) statement(x, per = "month", by = "route", a = total(fare)) |>
    add_change(a, from = "1 year back") |> add_rolling(a, over = "30 days"),
  function(x) statement(x, per = "quarter", a = middle(fare), top = largest(fare)),
  function(x) statement(x, span = "2025-03", by = "account", a = total(fare),
                        n = newcomers(account)),
  function(x) statement(keep_entries(x, fare > 10), by = "weekday", a = balance(fare)))

cluster_of_own <- function(table) {
  tools <- cluster_tools()
  at <- tools$start_clickhouse()
  if (is.null(at)) skip("ClickHouse is not installed")
  for (i in 1:2) at$run("CREATE DATABASE ferries", i)
  tools$put_into_shards(at, table, "fares", kept = "MergeTree() ORDER BY day")
  at$tools <- tools
  at
}

test_that("200 questions in a row, with a shard that is killed at random, are right or an error", {
  skip_if_not(with_clusters())
  table <- cluster_table(40000)
  at <- cluster_of_own(table)
  withr::defer(at$stop())
  memory <- ledger(table, on = "day")
  right <- lapply(broken_questions, function(question) as.data.frame(question(memory)))
  address <- paste0(at$address("fares"), "&order=row_no")
  x <- ledger(address, on = "day")
  met <- c(right = 0, error = 0, killed = 0)
  up <- TRUE
  set.seed(8)
  for (round in 1:200) {
    if (!up && stats::runif(1) < 0.5) {
      at$start_shard(2)
      up <- TRUE
    }
    kill <- up && stats::runif(1) < 0.25
    if (kill) {
      met["killed"] <- met["killed"] + 1
      system(sprintf("(sleep %.3f; kill -9 %d) >/dev/null 2>&1", stats::runif(1, 0, 0.12),
                     at$pid(2)), wait = FALSE)
    }
    which <- sample(length(right), 1)
    # At times of a ledger that is new, so that nothing is known yet.
    got <- tryCatch({
      if (stats::runif(1) < 0.2) x <- ledger(address, on = "day")
      as.data.frame(broken_questions[[which]](x))
    }, rollingledger_error = identity)
    if (is.data.frame(got)) {
      met["right"] <- met["right"] + 1
      expect_equal(got, right[[which]], tolerance = 1e-12, info = paste(round, which))
    } else {
      met["error"] <- met["error"] + 1
      expect_s3_class(got, "rollingledger_error_connection")
      expect_match(conditionMessage(got), "does not answer|shards of|lost|no connection")
    }
    if (kill) {
      at$stop_shard(2)
      up <- FALSE
    }
  }
  if (!up) at$start_shard(2)
  expect_equal(as.data.frame(broken_questions[[1]](x)), right[[1]], tolerance = 1e-12)
  expect_true(all(met > 15), info = paste(names(met), met, collapse = ", "))
})

test_that("entries that come in on a shard while it is asked leave no figure between two states", {
  skip_if_not(with_clusters())
  table <- cluster_table(20000, 2)
  at <- cluster_of_own(table)
  withr::defer(at$stop())
  x <- ledger(at$address("fares"), on = "day")
  # A row of 1.00 a few times a second, on one shard, as long as it is asked.
  folder <- withr::local_tempdir()
  line <- sprintf(paste0(
    "for i in $(seq 1 60); do curl -s 'http://127.0.0.1:%d/' --data-binary ",
    "\"INSERT INTO ferries.fares_here VALUES ('2026-01-15', 'New', 'new', 1, 0)\"; sleep 0.%02d; ",
    "done; touch %s"), at$ports[2, "http"], 15, file.path(folder, "done"))
  skip_if(!nzchar(Sys.which("curl")), "curl is not here")
  system(paste("(", line, ") >/dev/null 2>&1"), wait = FALSE)
  base <- sum(table$fare)
  answered <- moved <- 0
  last <- 0
  while (!file.exists(file.path(folder, "done")) || answered == 0) {
    got <- tryCatch(statement(x, per = "month", by = "route", a = total(fare), n = entries(),
                              riders = distinct(account)), rollingledger_error = identity)
    if (inherits(got, "rollingledger_error_moved")) {
      moved <- moved + 1
      next
    }
    answered <- answered + 1
    # So many came as the sum says, and the count, and the group of its own, and the note.
    more <- sum(got$n) - nrow(table)
    expect_true(more >= last)
    last <- more
    expect_equal(sum(got$a), base + more)
    expect_equal(sum(got$n[got$route == "New"]), more)
    expect_match(attr(got, "plan")$version, format(nrow(table) + more, big.mark = ","),
                 fixed = TRUE)
  }
  expect_gt(answered, 0)
  expect_equal(statement(x, a = total(fare))$a, base + 60)
})

test_that("a question that is interrupted is stopped on every shard", {
  skip_if_not(with_clusters())
  skip_if_not_installed("processx")
  table <- cluster_table(1000, 3)
  at <- cluster_of_own(table)
  withr::defer(at$stop())
  slow <- paste("SELECT toDate('2026-01-01') AS day, number AS fare FROM numbers(100000000000)")
  got <- long_question(
    sprintf("con <- %s", deparse(sub("[?].*", "", at$address("fares")))), slow,
    "SELECT day, fare FROM ferries.fares")
  expect_match(got$said, "asking.*stopped.*1000")
  expect_lt(got$seconds, 10)
  Sys.sleep(0.5)
  for (i in 1:2) {
    left <- at$run("SELECT count() FROM system.processes WHERE query LIKE '%numbers(1000%'", i)
    # The one that counts is there itself.
    expect_lte(as.integer(left), 1)
  }
})
