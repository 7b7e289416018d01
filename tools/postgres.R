# A PostgreSQL server of our own for tests and benchmarks: in a temporary folder, on a free port of
# loopback, run by an ordinary user, and stopped by its own id.

# list(port, user, database, folder, pid, stop); NULL where PostgreSQL is not installed.
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
    port <- sample(20000:40000, 1)
    options <- paste(c(sprintf("-p %d -k %s", port, folder), "-c listen_addresses=127.0.0.1",
                       "-c fsync=off", "-c max_connections=30",
                       paste("-c", settings, recycle0 = TRUE)), collapse = " ")
    if (run("pg_ctl", c("-D", data, "-w", "-t", "30", "-o", shQuote(options), "-l",
                        file.path(folder, "server.log"), "start")) == 0) break
    if (try == 5) stop("PostgreSQL did not start: see ", file.path(folder, "server.log"))
  }
  pid <- as.integer(readLines(file.path(data, "postmaster.pid"), n = 1))
  list(port = port, user = "ferry", database = "postgres", folder = folder, pid = pid,
       restart = function(how = "fast") {
         run("pg_ctl", c("-D", data, "-m", how, "-w", "-o", shQuote(options), "-l",
                         file.path(folder, "server.log"), "restart"))
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
