# Clusters for tests: ClickHouse with two shards, and PostgreSQL whose table is spread over two
# other servers. With ROLLINGLEDGER_CLUSTERS=yes the tests of engines are of these.

with_clusters <- function() nzchar(Sys.getenv("ROLLINGLEDGER_CLUSTERS"))

cluster_tools <- function() tools_here("clickhouse.R")

# Two servers of ClickHouse, started once in this process.
clickhouse_here <- function() {
  testthat::skip_if_not_installed("curl")
  if (is.null(server$clickhouse)) {
    server$tools <- cluster_tools()
    server$clickhouse <- server$tools$start_clickhouse()
    if (is.null(server$clickhouse)) testthat::skip("ClickHouse is not installed")
    reg.finalizer(server$tools, function(tools) server$clickhouse$stop(), onexit = TRUE)
    for (i in 1:2) server$clickhouse$run("CREATE DATABASE ferries", i)
  }
  server$clickhouse
}

clickhouse_address <- function(..., i = 1L) {
  at <- clickhouse_here()
  sprintf("clickhouse://default@127.0.0.1:%d/ferries%s", at$ports[i, "http"],
          paste(c(...), collapse = ""))
}

# Rows fall on shards as they come, so that each has some of every day and group.
open_clickhouse_here <- function() {
  at <- clickhouse_here()
  list(con = clickhouse_address(), run = function(sql) for (i in 1:2) at$run(sql, i),
       put = function(table, name = "fares") {
         server$tools$put_into_shards(at, table, name)
       }, close = function() NULL)
}

# PostgreSQL over servers, started once in this process.
servers_here <- function() {
  testthat::skip_if_not_installed("RPostgres")
  if (is.null(server$servers)) {
    tools <- tools_here("postgres.R")
    started <- tools$start_postgres_over_servers()
    if (is.null(started)) testthat::skip("PostgreSQL is not installed")
    server$servers_tools <- tools
    server$servers <- started
    reg.finalizer(tools, function(tools) server$servers$stop(), onexit = TRUE)
  }
  server$servers
}

# Entries lie on two servers, by their days; a table without days lies on the one that is asked.
open_servers_here <- function() {
  at <- servers_here()
  con <- server$servers_tools$connect_postgres(at$at)
  list(con = con, run = function(sql) suppressMessages(DBI::dbExecute(con, sql)),
       put = function(table, name = "fares") {
         if ("sailed_on" %in% names(table)) {
           return(server$servers_tools$put_over_servers(at, table, name, "sailed_on"))
         }
         DBI::dbWriteTable(con, name, table, overwrite = TRUE)
       }, close = function() DBI::dbDisconnect(con))
}

# A table of ClickHouse that was made a moment ago does not tell whether it is still the same one.
until_table_tells <- function() Sys.sleep(2.5)

# Texts that could end a literal or a line.
hostile_texts <- function(n) {
  letters <- c("'", "\\", "`", "\"", "\n", "\t", "\r", "\b", "\f", ";", "-", ")", "(", "a",
               "\u00e9", "\U0001f6a2", "%", "{", "/*", "''", "\\'", "x", " ")
  vapply(seq_len(n), function(i) paste(sample(letters, sample(12, 1), TRUE), collapse = ""), "")
}
