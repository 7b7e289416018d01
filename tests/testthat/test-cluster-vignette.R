test_that("one brief has the same control totals from every source", {
  skip_if_not(with_clusters())
  skip_if_not_installed("knitr")
  fares <- as.data.frame(demo_fares)
  clickhouse_here()
  server$tools$put_into_shards(clickhouse_here(), fares, "fares",
                               types = list(fare = "Decimal(12, 2)"))
  servers_here()
  server$servers_tools$put_over_servers(servers_here(), fares, "fares", "sailed_on")
  addresses <- c(clickhouse_address("?table=fares"),
                 sprintf("postgres://ferry@127.0.0.1:%d/postgres?table=fares",
                         servers_here()$at$port))
  withr::local_envvar(ROLLINGLEDGER_VIGNETTE_CLUSTERS = paste(addresses, collapse = " "))
  source <- normalizePath(testthat::test_path("..", "..", "vignettes",
                                              "from-a-file-to-a-cluster.Rmd"))
  withr::local_dir(withr::local_tempdir())
  knitr::knit(source, "out.md", quiet = TRUE, envir = new.env())
  text <- readLines("out.md")
  expect_length(grep("^#> Error", text), 0)
  expect_length(grep("^\\| (ClickHouse, two shards|PostgreSQL over servers) \\| yes \\|$", text), 2)
  # And by the command, run by someone who only has the brief.
  brief <- system.file("briefs/board-page.yml", package = "rollingledger")
  tables <- system.file("extdata", package = "rollingledger")
  printed <- lapply(c(list(NULL), as.list(addresses)), function(address) {
    command("run", brief, "--from", tables, if (!is.null(address)) c("--source", address))
  })
  expect_identical(vapply(printed, function(one) one$status, 0L), rep(0L, 3))
  without_version <- function(one) grep("Worked out from", one$out, invert = TRUE, value = TRUE)
  for (one in printed[-1]) expect_identical(without_version(one), without_version(printed[[1]]))
})
