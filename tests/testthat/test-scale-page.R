# docs/scale.md gives SQL by which each engine keeps sums by day: it runs, and gives those sums.

scale_blocks <- function() {
  path <- testthat::test_path("..", "..", "docs", "scale.md")
  if (!file.exists(path)) testthat::skip("the pages of the source are not here")
  lines <- readLines(path, encoding = "UTF-8")
  starts <- grep("^```[a-z]", lines)
  ends <- vapply(starts, function(at) at + which(lines[-seq_len(at)] == "```")[1], 0)
  stats::setNames(Map(function(a, b) lines[(a + 1):(b - 1)], starts, ends),
                  sub("^```", "", lines[starts]))
}

# Statements that end with a semicolon.
statements_of <- function(lines) {
  text <- trimws(strsplit(paste(lines, collapse = "\n"), ";", fixed = TRUE)[[1]])
  text[nzchar(text)]
}

test_that("sums by day are kept by each engine as the page says, and checked against the entries", {
  blocks <- scale_blocks()
  check <- blocks[["r"]]
  expect_length(grep("^sql ", names(blocks)), 7)
  fares <- as.data.frame(demo_fares)[c("sailed_on", "route", "channel", "fare")]
  fares <- fares[fares$sailed_on > as.Date("2026-05-01"), ]
  early <- fares$sailed_on < as.Date("2026-09-01") | seq_len(nrow(fares)) %% 2 == 0
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    name <- c(SQLite = "sqlite", PostgreSQL = "postgres", DuckDB = "duckdb",
              ClickHouse = "clickhouse")[engine]
    if (is.na(name)) next
    if (engine == "ClickHouse") {
      # What feeds it would be fed by the tables of later tests.
      withr::defer(for (i in 1:2) {
        clickhouse_here()$run("DROP TABLE IF EXISTS ferries.fares_by_day_feed", i)
      })
      for (table in c("fares_by_day_here", "fares_by_day")) {
        at$run(sprintf("DROP TABLE IF EXISTS ferries.%s", table))
      }
      server$tools$put_into_shards(clickhouse_here(), fares[early, ], "fares", types = list(
        route = "String", channel = "String", fare = "Decimal(12, 2)"))
      for (text in statements_of(blocks[["sql clickhouse"]])) {
        for (i in 1:2) clickhouse_here()$run(text, i, database = "ferries")
      }
    } else {
      at$put(fares[early, ])
      if (engine == "PostgreSQL") at$run("DROP TABLE IF EXISTS fares_by_day")
      for (text in statements_of(blocks[[paste("sql", name)]])) at$run(text)
    }
    con <- at$con
    run_check <- function() eval(parse(text = check), list2env(list(con = con)))
    expect_true(all(run_check()$result == "matched"), info = engine)
    # The rest of September comes in.
    if (engine == "ClickHouse") {
      server$tools$add_to_shard(clickhouse_here(), fares[!early, ], "fares", 2)
    } else {
      rest <- fares[!early, ]
      at$put(rest, "others")
      at$run("INSERT INTO fares SELECT * FROM others")
      expect_true(any(run_check()$result != "matched"), info = engine)
      for (text in statements_of(blocks[[paste("sql", name, "refresh")]])) at$run(text)
    }
    checked <- run_check()
    expect_true(all(checked$result == "matched"), info = engine)
    expect_gt(nrow(checked), 3)
    at$close()
  }
})
