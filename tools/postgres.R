# A PostgreSQL server of our own for tests and benchmarks: in a temporary folder, on a free port of
# loopback, run by an ordinary user, and stopped by its own id.

# list(port, user, database, folder, pid, restart, halt, resume, stop); NULL where PostgreSQL is not
# installed.
start_postgres <- function(settings = character()) {
  programs <- postgres_programs()
  if (is.null(programs)) return(NULL)
  folder <- tempfile("rolling-ledger-postgres-", tmpdir = "/tmp")
  dir.create(folder, mode = "0755")
  as_user <- character()
  if (identical(Sys.info()[["effective_user"]], "root")) {
    # The server refuses to run as root.
    as_user <- c("setpriv", "--reuid=nobody", "--clear-groups")
    system2("chown", c("nobody", folder))
  }
  run <- function(program, args, wait = TRUE) {
    command <- c(as_user, file.path(programs, program), args)
    suppressWarnings(system2(command[1], command[-1], stdout = file.path(folder, "log"),
                             stderr = file.path(folder, "log"), wait = wait))
  }
  system2("touch", file.path(folder, "log"))
  if (length(as_user) > 0) system2("chown", c("nobody", file.path(folder, "log")))
  data <- file.path(folder, "data")
  if (run("initdb", c("-D", data, "-U", "ferry", "--auth=trust", "-E", "UTF8",
                      "--locale=C.UTF-8", "--no-sync")) != 0) {
    stop("initdb failed: ", paste(readLines(file.path(folder, "log")), collapse = " "))
  }
  for (try in 1:5) {
    port <- free_ports(1)
    options <- paste(c(sprintf("-p %d -k %s", port, folder), "-c listen_addresses=127.0.0.1",
                       "-c fsync=off", "-c max_connections=30", "-c autovacuum=off",
                       paste("-c", settings, recycle0 = TRUE)), collapse = " ")
    if (run("pg_ctl", c("-D", data, "-w", "-t", "30", "-o", shQuote(options), "-l",
                        file.path(folder, "server.log"), "start")) == 0) break
    if (try == 5) stop("PostgreSQL did not start: ",
                       paste(readLines(file.path(folder, "server.log")), collapse = " "))
  }
  pid <- as.integer(readLines(file.path(data, "postmaster.pid"), n = 1))
  list(port = port, user = "ferry", database = "postgres", folder = folder, pid = pid,
       restart = function(how = "fast") {
         run("pg_ctl", c("-D", data, "-m", how, "-w", "-o", shQuote(options), "-l",
                         file.path(folder, "server.log"), "restart"))
       },
       halt = function() run("pg_ctl", c("-D", data, "-m", "immediate", "-w", "stop")),
       resume = function() {
         run("pg_ctl", c("-D", data, "-w", "-o", shQuote(options), "-l",
                         file.path(folder, "server.log"), "start"))
       },
       stop = function() {
         run("pg_ctl", c("-D", data, "-m", "immediate", "-w", "stop"))
         unlink(folder, recursive = TRUE)
       })
}

postgres_programs <- function() {
  found <- Sys.glob("/usr/lib/postgresql/*/bin")
  on_path <- Sys.which("initdb")
  if (nzchar(on_path)) found <- c(found, dirname(on_path))
  found <- found[file.exists(file.path(found, "pg_ctl"))]
  if (length(found) > 0) found[length(found)]
}

# The library of DuckDB that `tools/setup.R` fetched from the npm registry, or NULL.
duckdb_library_here <- function(root = ".") {
  path <- file.path(root, ".build", "node", "node_modules", "@duckdb",
                    "node-bindings-linux-x64", "libduckdb.so")
  if (file.exists(path)) normalizePath(path)
}

# PostgreSQL over servers: one that is asked, and others on which the partitions of its tables lie.
# list(at, parts, stop()); NULL where PostgreSQL is not installed.
start_postgres_over_servers <- function(parts = 2L) {
  at <- start_postgres()
  if (is.null(at)) return(NULL)
  of <- lapply(seq_len(parts), function(i) start_postgres())
  con <- connect_postgres(at)
  on.exit(DBI::dbDisconnect(con))
  run <- function(...) DBI::dbExecute(con, sprintf(...))
  run("CREATE EXTENSION postgres_fdw")
  # With it a server can be asked what changed there.
  run("CREATE EXTENSION dblink")
  for (i in seq_along(of)) {
    # What a row costs on its way tells the planner that sums are better made over there.
    run(paste("CREATE SERVER part_%d FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '127.0.0.1',",
              "port '%d', dbname 'postgres', fdw_tuple_cost '10', fetch_size '10000',",
              "async_capable 'true')"), i, of[[i]]$port)
    run("CREATE USER MAPPING FOR CURRENT_USER SERVER part_%d OPTIONS (user 'ferry')", i)
  }
  list(at = at, parts = of, stop = function() {
    at$stop()
    for (part in of) part$stop()
  })
}

connect_postgres <- function(at) {
  DBI::dbConnect(RPostgres::Postgres(), host = "127.0.0.1", port = at$port, user = at$user,
                 dbname = at$database, check_interrupts = TRUE)
}

# Writes a data frame as a table partitioned by a day over the servers: each has its stretch of
# days, the last also the rows without one.
put_over_servers <- function(cluster, table, name, day, cuts = NULL, types = character()) {
  n <- length(cluster$parts)
  days <- sort(unique(table[[day]]))
  if (is.null(cuts)) cuts <- days[ceiling(seq_len(n - 1) * length(days) / n)]
  cuts <- as.Date(cuts)
  con <- connect_postgres(cluster$at)
  on.exit(DBI::dbDisconnect(con))
  run <- function(con, ...) suppressMessages(DBI::dbExecute(con, sprintf(...)))
  quoted <- function(name) paste0("\"", gsub("\"", "\"\"", name, fixed = TRUE), "\"")
  types <- replace(DBI::dbDataType(con, table), names(types), types)
  columns <- paste(quoted(names(table)), types, collapse = ", ")
  run(con, "DROP TABLE IF EXISTS %s CASCADE", quoted(name))
  run(con, "CREATE TABLE %s (%s) PARTITION BY RANGE (%s)", quoted(name), columns, quoted(day))
  at <- findInterval(table[[day]], cuts) + 1L
  at[is.na(at)] <- n
  for (i in seq_len(n)) {
    there <- connect_postgres(cluster$parts[[i]])
    DBI::dbWriteTable(there, name, table[at == i, , drop = FALSE], overwrite = TRUE,
                      field.types = types)
    run(there, "CREATE INDEX ON %s (%s)", quoted(name), quoted(day))
    run(there, "ANALYZE %s", quoted(name))
    DBI::dbDisconnect(there)
    bounds <- if (i == n) "DEFAULT" else sprintf(
      "FOR VALUES FROM (%s) TO ('%s')", if (i == 1) "MINVALUE" else sprintf("'%s'", cuts[i - 1]),
      cuts[i])
    run(con, "CREATE FOREIGN TABLE %s PARTITION OF %s %s SERVER part_%d OPTIONS (table_name '%s')",
        quoted(paste0(name, "_", i)), quoted(name), bounds, i, gsub("'", "''", name))
  }
  run(con, "ANALYZE %s", quoted(name))
  invisible()
}
