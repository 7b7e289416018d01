# DuckDB as our own engine: a database file that is only read, or files of columns or text, which it
# reads where they lie. It may open nothing else, keeps to a share of memory, and what it must put
# down goes into a folder of our own.

# Where its library lies, for use without its R package: the option or the environment says so.
duckdb_library <- function() {
  said <- getOption("rollingledger.duckdb_library", Sys.getenv("ROLLINGLEDGER_DUCKDB"))
  if (nzchar(said)) said
}

# list(con, transport, shut): a new engine in memory, or of a file that is only read.
open_duckdb <- function(path, call) {
  library <- duckdb_library()
  if (!is.null(library)) {
    need_packages(c("adbcdrivermanager", "nanoarrow"), "ask DuckDB by its library", call)
    if (!file.exists(library)) {
      refuse("source", sprintf("There is no library %s (ROLLINGLEDGER_DUCKDB).", library),
             call = call)
    }
    driver <- adbcdrivermanager::adbc_driver(library, "duckdb_adbc_init")
    options <- list(path = path, access_mode = if (path != ":memory:") "READ_ONLY")
    database <- do.call(adbcdrivermanager::adbc_database_init,
                        c(list(driver), options[lengths(options) > 0]))
    con <- adbcdrivermanager::adbc_connection_init(database)
    # The database must live as long as its connection.
    attr(con, "database") <- database
    return(list(con = con, transport = adbc_transport))
  }
  if (!requireNamespace("duckdb", quietly = TRUE)) {
    refuse("package", c(
      "To read a database of DuckDB, or files that do not fit in memory, DuckDB is needed.",
      i = "Install its package: install.packages(\"duckdb\")",
      i = paste0("Or name its library in ROLLINGLEDGER_DUCKDB, and install.packages(c(",
                 "\"adbcdrivermanager\", \"nanoarrow\")).")), call = call)
  }
  driver <- getExportedValue("duckdb", "duckdb")
  con <- DBI::dbConnect(driver(), dbdir = path, read_only = path != ":memory:")
  list(con = con, transport = dbi_transport)
}

# `reads` are the only files that the engine may open.
new_duckdb_engine <- function(path, label, files, call) {
  folder <- tempfile("rolling-ledger-")
  connect <- function() {
    opened <- tryCatch(open_duckdb(path, call), error = function(e) {
      if (inherits(e, "rollingledger_error")) stop(e)
      refuse("connection", c(sprintf("%s cannot be read.", label),
                             i = engine_message(conditionMessage(e))), call = call)
    })
    dir.create(folder, showWarnings = FALSE)
    lock_duckdb(opened, if (path == ":memory:") files(), folder)
    opened
  }
  opened <- connect()
  engine <- new_engine(opened$con, opened$transport, duckdb_dialect, label,
                       connect = function() connect()$con, files = files, own = TRUE)
  engine$folder <- folder
  reg.finalizer(engine, function(engine) {
    if (engine$pid == Sys.getpid()) unlink(folder, recursive = TRUE)
  }, onexit = TRUE)
  engine
}

# Read-only does not keep an engine from writing other files, or from fetching extensions; these do.
lock_duckdb <- function(opened, files, folder) {
  run <- function(text) opened$transport$run(opened$con, text, list())
  memory <- getOption("rollingledger.engine_memory", "400MB")
  run(sprintf("SET memory_limit = %s", engine_text(memory)))
  run(sprintf("SET temp_directory = %s", engine_text(folder)))
  disk <- getOption("rollingledger.engine_disk")
  if (!is.null(disk)) run(sprintf("SET max_temp_directory_size = %s", engine_text(disk)))
  run(sprintf("SET threads = %d", max(1L, core_threads())))
  run("SET TimeZone = 'UTC'")
  run("SET autoinstall_known_extensions = false")
  run("SET autoload_known_extensions = false")
  if (length(files) > 0) {
    run(paste("SET allowed_paths =", engine_list(files)))
  }
  run("SET enable_external_access = false")
  run("SET lock_configuration = true")
}

duckdb_engine_of_file <- function(path, call) {
  if (!file.exists(path)) refuse("source", sprintf("There is no file %s.", path), call = call)
  new_duckdb_engine(path, sprintf("DuckDB %s", basename(path)), function() path, call)
}
