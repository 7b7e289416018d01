# The main job on clusters of our own: the demo entries on two shards of ClickHouse and on
# PostgreSQL over two servers; one brief is run from its file and from each, and their control
# totals stand side by side. `make demo-cluster`.
suppressMessages(library(rollingledger))
source("tools/free-ports.R")
source("tools/clickhouse.R")
source("tools/postgres.R")
options(rlib_message_verbosity = "quiet")
brief <- system.file("briefs/board-page.yml", package = "rollingledger")
tables <- system.file("extdata", package = "rollingledger")
fares <- as.data.frame(demo_fares)

shards <- start_clickhouse(2)
servers <- start_postgres_over_servers(2)
if (is.null(shards) || is.null(servers)) stop("ClickHouse and PostgreSQL are needed.")
for (i in 1:2) shards$run("CREATE DATABASE ferries", i)
put_into_shards(shards, fares, "fares", types = list(fare = "Decimal(12, 2)"),
                kept = "MergeTree() PARTITION BY toYYYYMM(sailed_on) ORDER BY sailed_on")
put_over_servers(servers, fares, "fares", "sailed_on", types = c(fare = "numeric(12,2)"))

sources <- c(
  "the file of the brief" = NA, "ClickHouse, two shards" = shards$address("fares"),
  "PostgreSQL over two servers" = sprintf("postgres://ferry@127.0.0.1:%d/postgres?table=fares",
                                          servers$at$port))
totals <- lapply(sources, function(source) {
  run <- run_brief(brief, from = tables, ledger = if (!is.na(source)) source)
  print(run$ledger)
  list(income = control_totals(run$statements$monthly)$entries[1],
       riders = run$statements[["so far"]]$riders)
})
shards$stop()
servers$stop()
cat("\nIncome of the months, and people of this month so far:\n")
cat(sprintf("  %-28s %15s  %6s\n", names(sources),
            vapply(totals, function(one) format(one$income, nsmall = 2, big.mark = ","), ""),
            vapply(totals, function(one) format(one$riders, big.mark = ","), "")), sep = "")
same <- all(vapply(totals, identical, TRUE, totals[[1]]))
cat(if (same) "All the same, to the cent.\n" else "NOT the same.\n")
quit(save = "no", status = if (same) 0 else 1)
