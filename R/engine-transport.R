# Transports: how texts of SQL reach an engine, and rows come back; that over HTTP stands in a file
# of its own. Each is a list of
#   rows(con, text, values)    columns by name
#   run(con, text, values)     for statements without rows
#   described(engine, piece)   data frame of name and type of the columns that a statement gives
#   close(con)

dbi_transport <- list(
  rows = function(con, text, values) {
    dbi_stoppable(con, as.list(dbi_quietly(
      if (length(values) == 0) DBI::dbGetQuery(con, text)
      else DBI::dbGetQuery(con, text, params = unname(values)))))
  },
  run = function(con, text, values) dbi_stoppable(con, dbi_quietly(DBI::dbExecute(con, text))),
  described = function(engine, piece) {
    engine_asked(engine, piece, function(con, text, values) {
      result <- DBI::dbSendQuery(con, text)
      on.exit(DBI::dbClearResult(result))
      info <- DBI::dbColumnInfo(result)
      data.frame(name = info$name, type = as.character(info[[".oid"]] %||% info$type))
    })
  },
  close = function(con) DBI::dbDisconnect(con)
)

# Drivers warn of values that they turn into others; we ask for none that they turn.
dbi_quietly <- function(expr) suppressWarnings(suppressMessages(expr))

# A driver that is interrupted may stop with an error first, and leave the interruption for later.
dbi_stoppable <- function(con, expr) {
  tryCatch({
    tryCatch(expr, error = function(e) {
      if (grepl("nterrupted", conditionMessage(e))) Sys.sleep(0.2)
      stop(e)
    })
  }, interrupt = function(e) stop("Interrupted."))
}

adbc_transport <- list(
  rows = function(con, text, values) {
    bind <- if (length(values) > 0) {
      as.data.frame(stats::setNames(values, paste0("v", seq_along(values))))
    }
    adbc_stoppable(con, {
      stream <- adbcdrivermanager::read_adbc(con, text, bind = bind)
      as.list(as.data.frame(stream))
    })
  },
  run = function(con, text, values) {
    adbc_stoppable(con, adbcdrivermanager::execute_adbc(con, text))
  },
  close = function(con) adbcdrivermanager::adbc_connection_release(con)
)

# The engine works on in C where R sees no signal: ours tells it to stop.
adbc_stoppable <- function(con, expr) {
  watch <- core_watch_signal(con)
  on.exit(core_unwatch_signal(watch))
  out <- tryCatch(expr, error = function(e) e)
  if (core_unwatch_signal(watch)) stop("Interrupted.")
  if (inherits(out, "error")) stop(out)
  out
}
