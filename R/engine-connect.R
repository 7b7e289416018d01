# Ways to an engine: a connection that is there, a function that makes one, an address, and files
# that an engine reads where they lie.

engine_of <- function(source, call = caller_env()) UseMethod("engine_of")

engine_of.DBIConnection <- function(source, call = caller_env()) {
  dialect <- dialect_of_connection(source, call)
  if (!DBI::dbIsValid(source))
    refuse("connection", "The connection is closed.", call = call)
  new_engine(source, dbi_transport, dialect, label_of_connection(source, dialect))
}

engine_of.adbc_connection <- function(source, call = caller_env()) {
  need_packages(c("adbcdrivermanager", "nanoarrow"), "ask a database by ADBC", call)
  said <- tryCatch(as.list(as.data.frame(
    adbcdrivermanager::read_adbc(source, "SELECT version() AS v")))$v, error = function(e) "")
  if (!grepl("^v[0-9]", said)) {
    refuse("source", c("The ADBC connection is not to DuckDB.",
                       i = "Connect to PostgreSQL and SQLite by DBI."),
           call = call)
  }
  new_engine(source, adbc_transport, duckdb_dialect, "DuckDB")
}

# A function that connects can do so again, when a connection is lost.
engine_of.function <- function(source, call = caller_env()) {
  con <- tryCatch(source(), error = function(e) {
    refuse("connection", c("{source} could not connect.", i = engine_message(conditionMessage(e))),
           call = call)
  })
  if (!inherits(con, "DBIConnection") && !inherits(con, "adbc_connection")) {
    refuse("source", sprintf("{source} must be a function that connects; it gave %s.",
                             kind_text(con)), call = call)
  }
  engine <- engine_of(con, call)
  engine$connect <- source
  engine$own <- TRUE
  reg.finalizer(engine, close_unused_engine, onexit = TRUE)
  engine
}

dialect_of_connection <- function(con, call) {
  kind <- class(con)[1]
  known <- c(SQLiteConnection = "sqlite", PqConnection = "postgres", PostgreSQL = "postgres",
             duckdb_connection = "duckdb")
  if (!kind %in% names(known)) {
    refuse("source", c(sprintf("A ledger cannot be built from a connection of class %s.", kind),
                       i = paste("SQLite (RSQLite), PostgreSQL (RPostgres) and DuckDB (duckdb) are",
                                 "supported; ClickHouse by its address.")),
           call = call)
  }
  dialects()[[known[[kind]]]]
}

label_of_connection <- function(con, dialect) {
  info <- tryCatch(DBI::dbGetInfo(con), error = function(e) list())
  name <- info$dbname
  if (is.null(name) || !nzchar(name) || name == ":memory:") return(dialect$name)
  sprintf("%s %s", dialect$name, basename(name))
}

# ---- addresses ------------------------------------------------------------------------

address_pattern <- "^(postgres|postgresql|sqlite|duckdb|clickhouse)://"

is_address <- function(source) {
  rlang::is_string(source) && grepl(address_pattern, source, ignore.case = TRUE)
}

# "postgres://user@host:port/database?table=fares", "clickhouse://...", "sqlite:///path?table=",
# "duckdb:///path?table=" (RFC 3986), taken apart: list(kind, user, host, port, path, table, query).
read_address <- function(address, call = caller_env()) {
  wrong <- function(problem) {
    refuse("source", c(problem, i = paste(
      "Addresses look like postgres://user@host:5432/database?table=fares,",
      "clickhouse://user@host:8123/database?table=fares, sqlite:///path/file.db?table=fares and",
      "duckdb:///path/file.duckdb?table=fares.")),
      call = call)
  }
  kind <- tolower(sub("://.*", "", address))
  if (kind == "postgresql") kind <- "postgres"
  rest <- sub("^[a-z]+://", "", address, ignore.case = TRUE)
  asked <- if (grepl("?", rest, fixed = TRUE)) sub("^[^?]*[?]", "", rest) else ""
  place <- sub("[?].*", "", rest)
  before <- sub("/.*", "", place)
  path <- if (grepl("/", place, fixed = TRUE)) sub("^[^/]*/", "", place) else ""
  if (grepl(":", sub("@.*", "", before), fixed = TRUE) && grepl("@", before, fixed = TRUE)) {
    wrong(no_password_text(kind))
  }
  values <- address_values(asked, wrong, kind)
  user <- if (grepl("@", before, fixed = TRUE)) utils::URLdecode(sub("@.*", "", before))
  host <- sub(":[0-9]*$", "", sub("^.*@", "", before))
  port <- if (grepl(":[0-9]+$", before)) as.integer(sub("^.*:", "", before))
  path <- utils::URLdecode(path)
  if (!kind %in% c("postgres", "clickhouse")) {
    if (nzchar(before)) wrong(sprintf("%s:// is followed by a path, with three slashes.", kind))
    path <- if (grepl("^[A-Za-z]:", path)) path else paste0("/", path)
    if (path == "/") wrong("The address holds no path.")
  } else if (!nzchar(path)) wrong("The address holds no database.")
  c(list(kind = kind, user = user, host = host, port = port, path = path), values)
}

no_password_text <- function(kind) {
  sprintf("An address holds no password: it would be seen and saved. Put it into %s.",
          if (kind == "clickhouse") "CLICKHOUSE_PASSWORD" else "PGPASSWORD or ~/.pgpass")
}

address_values <- function(asked, wrong, kind) {
  if (!nzchar(asked)) return(list())
  pairs <- strsplit(asked, "&", fixed = TRUE)[[1]]
  names <- sub("=.*", "", pairs)
  values <- vapply(sub("^[^=]*=?", "", pairs), utils::URLdecode, "", USE.NAMES = FALSE)
  if (any(names %in% c("password", "pwd"))) wrong(no_password_text(kind))
  odd <- setdiff(names, c("table", "query", "order",
                          if (kind == "clickhouse") c(names(clickhouse_limits), "secure")))
  if (length(odd) > 0) wrong(sprintf("\"%s\" is not known in an address.", odd[1]))
  stats::setNames(as.list(values), names)
}

engine_of_address <- function(address, call = caller_env()) {
  at <- read_address(address, call)
  connect <- switch(at$kind, postgres = postgres_connector(at, call),
                    sqlite = sqlite_connector(at, call), duckdb = NULL,
                    clickhouse = clickhouse_connector(at, call))
  if (at$kind == "clickhouse") return(list(engine = clickhouse_engine(connect, at), at = at))
  if (at$kind == "duckdb") return(list(engine = duckdb_engine_of_file(at$path, call), at = at))
  con <- connect()
  engine <- new_engine(con, dbi_transport, dialects()[[at$kind]],
                       sprintf("%s %s", dialects()[[at$kind]]$name, basename(at$path)),
                       connect = connect, own = TRUE)
  list(engine = engine, at = at)
}

postgres_connector <- function(at, call) {
  # What it loads asks the system for the time zone, which not every system can tell.
  if (!nzchar(Sys.getenv("TZ")) && file.exists("/etc/localtime")) {
    Sys.setenv(TZ = ":/etc/localtime")
    on.exit(Sys.unsetenv("TZ"))
  }
  need_packages(c("DBI", "RPostgres"), "ask PostgreSQL", call)
  function() {
    args <- list(host = if (nzchar(at$host)) at$host, port = at$port, user = at$user,
                 dbname = at$path, check_interrupts = TRUE, application_name = "rolling-ledger",
                 timezone = "UTC", timezone_out = "UTC")
    tryCatch(do.call(DBI::dbConnect, c(list(RPostgres::Postgres()),
                                       args[lengths(args) > 0])), error = function(e) {
      refuse("connection", c(sprintf("There is no connection to PostgreSQL %s.", at$path),
                             i = engine_message(conditionMessage(e)),
                             i = "A password is taken from PGPASSWORD or ~/.pgpass."), call = call)
    })
  }
}

sqlite_connector <- function(at, call) {
  need_packages(c("DBI", "RSQLite"), "ask SQLite", call)
  if (!file.exists(at$path))
    refuse("source", sprintf("There is no file %s.", at$path), call = call)
  function() {
    tryCatch(DBI::dbConnect(RSQLite::SQLite(), at$path, flags = RSQLite::SQLITE_RO,
                            synchronous = NULL), error = function(e) {
      refuse("connection", c(sprintf("%s cannot be read as a database.", at$path),
                             i = engine_message(conditionMessage(e))), call = call)
    })
  }
}

ledger_of_address <- function(address, given, asked, call = caller_env()) {
  for (name in setdiff(file_fields, "hold")) if (!is.null(given[[name]])) {
    refuse("choice", sprintf("{%s} is for files, and the source is a database.", name), arg = name,
           call = call)
  }
  made <- engine_of_address(address, call)
  for (name in engine_fields) given[[name]] <- given[[name]] %||% made$at[[name]]
  ledger_of_engine(made$engine, given, c(list(file = address), asked), call)
}

# Rows of a place, all of a file or the first of a database, for messages that say what could be
# meant.
rows_to_look_at <- function(source, given, call) {
  if (!is_address(source)) return(read_table_files(source, file_ask_of(given, call), call)$table)
  made <- engine_of_address(source, call)
  on.exit(close_engine(made$engine))
  relation <- relation_of(made$engine, given$table %||% made$at$table,
                          given$query %||% made$at$query, call)
  first_rows(made$engine, relation)
}

# "install X to do Y", for what only some need.
need_packages <- function(packages, purpose, call) {
  lacks <- packages[!vapply(packages, requireNamespace, TRUE, quietly = TRUE)]
  if (length(lacks) == 0) return(invisible())
  quoted <- sprintf("\"%s\"", lacks)
  refuse("package", c(sprintf("To %s, the %s %s needed.", purpose, listed(lacks),
                              if (length(lacks) == 1) "package is" else "packages are"),
                      i = sprintf("Install %s: install.packages(%s)",
                                  if (length(lacks) == 1) "it" else "them",
                                  if (length(quoted) == 1) quoted
                                  else sprintf("c(%s)", paste(quoted, collapse = ", ")))),
         call = call)
}
