# An engine: a connection to a database, what carries texts to it (a transport) and what it writes
# differently (a dialect). All that is asked of one is asked here: within one transaction that
# changes nothing, so that all statements of a question see the same entries.
#
# An environment with con, transport, dialect, connect (how to connect anew, or NULL), label, pid,
# depth (of questions that are open), ours (whether the transaction is), token and stamp (what tells
# that nothing changed since, and the number of times that something may have), unstill (whether
# nothing can tell), files (a function that gives the files that are read), opened (what these
# were), prepare (what is made on each new connection), sent (statements, rows and bytes that came
# back), told (a function that is given each statement, or NULL).

new_engine <- function(con, transport, dialect, label, connect = NULL, files = NULL, own = FALSE) {
  engine <- new.env(parent = emptyenv())
  engine$con <- con
  engine$transport <- transport
  engine$dialect <- new_dialect(dialect)
  engine$label <- label
  engine$connect <- connect
  engine$files <- files
  engine$own <- own
  engine$pid <- Sys.getpid()
  engine$depth <- 0L
  engine$ours <- FALSE
  engine$token <- NULL
  engine$stamp <- 0L
  engine$evidence <- list()
  engine$unstill <- FALSE
  engine$sent <- c(statements = 0, rows = 0, bytes = 0)
  if (own) reg.finalizer(engine, close_unused_engine, onexit = TRUE)
  engine
}

# A connection that we made is closed with the engine; those of the user's are theirs. A copy of the
# process leaves it alone.
close_engine <- function(engine) {
  if (engine$pid != Sys.getpid() || is.null(engine$con)) return(invisible())
  try(engine$transport$close(engine$con), silent = TRUE)
  engine$con <- NULL
}

# Connections by ADBC close themselves, and may have done so first where all goes at once.
close_unused_engine <- function(engine) {
  if (!inherits(engine$con, "adbc_connection")) close_engine(engine)
}

# The rows that a statement gives, as columns by name.
engine_rows <- function(engine, piece) {
  within_engine(engine, {
    rows <- engine_asked(engine, piece, engine$transport$rows)
    if (length(rows) > 0) {
      bytes <- sum(vapply(rows, function(column) as.double(utils::object.size(column)), 0))
      engine$sent <- engine$sent + c(1, length(rows[[1]]), bytes)
    }
    rows
  })
}

# A statement that gives no rows: those that begin and end transactions.
engine_run <- function(engine, text) invisible(engine_asked(engine, text, engine$transport$run))

engine_asked <- function(engine, piece, how) {
  written <- sql_for_engine(piece, engine$dialect)
  if (!is.null(engine$told)) engine$told(written)
  tryCatch(how(engine$con, written$text, written$values),
    interrupt = function(e) stop_as_interrupted(),
    error = function(e) refuse_engine(engine, e))
}

# As an interruption of R itself, which ends the command with 130.
stop_as_interrupted <- function() rlang::interrupt()

refuse_engine <- function(engine, e) {
  engine$failed <- TRUE
  if (inherits(e, "rollingledger_error")) stop(e)
  said <- engine_message(conditionMessage(e), engine)
  problem <- engine$dialect$problem(conditionMessage(e))
  if (problem == "stopped") stop_as_interrupted()
  lost <- problem == "lost"
  if (problem == "part") {
    refuse("connection", c(
      sprintf("A part of %s does not answer.", engine$label), i = said,
      i = "Nothing is given, as entries would be missing. Ask again once all of it is up."),
      call = NULL)
  }
  refuse(if (lost) "connection" else "source", c(
    if (lost) sprintf("The connection to %s is lost.", engine$label)
    else sprintf("%s could not answer.", engine$label), i = said,
    i = if (lost && is.null(engine$connect))
      "Connect again, and make the ledger again from the new connection."
  ), call = NULL)
}

# What an engine says of a failure, in one line, without what may be a password.
engine_message <- function(text, engine = NULL) {
  text <- without_passwords(text)
  text <- gsub("\\s+", " ", gsub(bound_mark, "?", text, fixed = TRUE))
  shortened_text(trimws(text), 300L)
}

# ---- one question at a time -----------------------------------------------------

# Evaluates what asks an engine within one transaction; those within it share it.
within_engine <- function(engine, expr) {
  if (engine$depth > 0L) return(expr)
  open_engine(engine)
  on.exit(done_with_engine(engine))
  expr
}

# ---- unchanged, or not? ---------------------------------------------------------------
#
# What an engine tells must name the object itself, its columns and every version of its rows; what
# it cannot tell is looked at anew, at each question:
#
#               the object               its columns            its rows
#   PostgreSQL  oid, file node           catalog                how many rows each transaction wrote
#   SQLite      inode of each file       schema_version of      data_version, total_changes
#                                        each and of temp
#   ClickHouse  uuid, time of its        columns of each shard  parts by rows, newest block and
#               definition                                      version; between questions their
#                                                               hashes as well
#   files       device, inode, size, times of the last change, of each that is there now
#
# The cheap first sign (`token`) is that of all that the engine holds; only where it moved is the
# table itself looked at (`evidence`). Neither tells of what follows from more than what is stored:
# views and queries that call other than plain functions (`is_still_text`), tables on other servers
# that cannot be asked, rights to single rows, another transaction of the user's own, connections
# of the user's to DuckDB.

# Notes what an engine is asked about, so that what cannot tell is not believed.
watch_relation <- function(engine, relation) {
  still <- engine$dialect$is_still
  if (is.null(still) || engine$unstill || still(engine, relation)) return(invisible())
  engine$unstill <- TRUE
  engine$token <- NULL
}

# Whether a text of SQL gives the same rows as long as what is stored is the same: it calls only
# functions of its own arguments, and names no day or moment of the asking.
is_still_text <- function(text) {
  text <- gsub("'([^']|'')*'", "''", tolower(paste(text, collapse = "\n")))
  if (grepl(unstill_words, text, perl = TRUE)) return(FALSE)
  all(names_called(text) %in% still_functions)
}

# Whatever stands right before a bracket, in quotes or not.
names_called <- function(text) {
  text <- tolower(paste(text, collapse = "\n"))
  trimws(regmatches(text, gregexpr("[^[\\s(),;:+*/<>=|%!~^&#@?{}-]+\\s*(?=\\()", text,
                                   perl = TRUE))[[1]])
}

unstill_words <- paste0("\\b(current_\\w+|localtime\\w*|session_user|system_user|user|now|today|",
                        "random\\w*|foreign scan|function scan|sample scan|custom scan|",
                        "tablesample|virtual)\\b")

# Words that may stand before a bracket: of the grammar, of types, and functions that depend on
# nothing but their arguments.
still_functions <- c(
  "and", "or", "not", "in", "any", "all", "some", "exists", "as", "on", "using", "over", "by",
  "when", "then", "else", "case", "select", "from", "where", "join", "union", "except",
  "intersect", "values", "with", "filter", "within", "group", "having", "limit", "offset",
  "between", "like", "is", "distinct", "partition", "cost", "key", "array", "row",
  "cast", "numeric", "decimal", "varchar", "character", "varying", "char", "bpchar", "integer",
  "real", "text", "double", "precision",
  "sum", "count", "avg", "min", "max", "total", "abs", "round", "trunc", "floor", "ceil",
  "ceiling", "sign", "mod", "power", "sqrt", "coalesce", "ifnull", "nullif", "greatest", "least",
  "iif", "upper", "lower", "trim", "btrim", "ltrim", "rtrim", "substr", "substring", "left",
  "right", "lpad", "rpad", "length", "char_length", "concat", "replace", "split_part", "strpos",
  "instr", "position", "row_number", "rank", "dense_rank", "lag", "lead", "first_value",
  "last_value", "bool_and", "bool_or", "make_date")

# Files behind an engine are told by themselves: where one was replaced under its name, what has it
# open still reads the one that was.
follow_files <- function(engine) {
  files <- engine_files(engine)
  if (length(files) == 0 && is.null(engine$opened)) return(invisible())
  now <- if (length(files) > 0) core_file_identities(files)
  now <- list(files = files, which = now$which, state = if (reads_files(engine)) now$state)
  before <- engine$opened
  engine$opened <- now
  if (is.null(before) || identical(before, now)) return(invisible())
  known <- match(before$files, now$files)
  # More files may be attached to a connection; those that were there must be what they were.
  if (!reads_files(engine) && identical(before$which, now$which[known])) return(invisible())
  if (is.null(engine$connect)) {
    engine$opened <- before
    gone <- before$files[is.na(known) | before$which != now$which[known]][1]
    refuse("connection", c(
      sprintf("The file %s was replaced after the connection to %s was made.", gone,
              engine$label),
      i = "The connection still reads the old one: connect again."), call = NULL)
  }
  close_quietly(engine)
  tryCatch(connect_again(engine), error = function(e) {
    engine$opened <- before
    stop(e)
  })
}

files_now <- function(engine) {
  files <- tryCatch(engine_files(engine), error = function(e) character())
  c(list(files = files), if (length(files) > 0) core_file_identities(files))
}

close_quietly <- function(engine) {
  if (engine$own && engine$pid == Sys.getpid() && !is.null(engine$con)) {
    tryCatch(engine$transport$close(engine$con), error = function(e) NULL)
  }
  engine$con <- NULL
}

engine_files <- function(engine) {
  if (!is.null(engine$files)) return(engine$files())
  engine$dialect$files(engine)
}

# Whether the files are read anew by each statement, or opened once.
reads_files <- function(engine) !is.null(engine$files)

# Opens a question. Whether the entries may have changed since the last one is told by the number of
# the stamp.
open_engine <- function(engine) {
  if (engine$depth == 0L) {
    check_same_process(engine)
    engine$depth <- 1L
    engine$failed <- FALSE
    engine$sent_before <- engine$sent
    opened <- FALSE
    on.exit(if (!opened) roll_back_opening(engine))
    follow_files(engine)
    engine$ours <- !is_asked_by_another(engine) &&
      tryCatch(engine$dialect$begin(engine), rollingledger_error_connection =
                 function(e) reconnect_once(engine, e))
    if (engine$ours) open_engines$all <- c(open_engines$all, list(engine))
    # Within a transaction of the user's own there is nothing that tells what it did, or undid.
    token <- if (engine$ours && !engine$unstill) engine$dialect$token(engine)
    engine$renewed <- !is_taken_to_stay(engine) &&
      (is.null(token) || !identical(token, engine$token))
    if (engine$renewed) {
      engine$stamp <- engine$stamp + 1L
      engine$evidence <- list()
    }
    engine$token <- token
    opened <- TRUE
  } else engine$depth <- engine$depth + 1L
  invisible(engine)
}

# Whether the user says that nothing changes, and it was looked at already.
is_taken_to_stay <- function(engine) isTRUE(engine$looks_once) && !is.null(engine$looked_at)

# Engines that have a transaction of ours under way: another of the same connection joins it.
open_engines <- new.env(parent = emptyenv())
open_engines$all <- list()

is_asked_by_another <- function(engine) {
  same <- function(other) !identical(other, engine) && identical(other$con, engine$con)
  !engine$dialect$flat && any(vapply(open_engines$all, same, TRUE))
}

forget_open_engine <- function(engine) {
  open_engines$all <- Filter(function(other) !identical(other, engine), open_engines$all)
  engine$depth <- 0L
  engine$ours <- FALSE
}

roll_back_opening <- function(engine) {
  if (engine$ours && !engine$dialect$flat) {
    tryCatch(engine_run(engine, "ROLLBACK"), error = function(e) NULL)
  }
  forget_open_engine(engine)
}

done_with_engine <- function(engine) {
  if (engine$depth > 1L || !engine$ours) {
    engine$depth <- max(0L, engine$depth - 1L)
    return(invisible())
  }
  was_failed <- engine$failed
  on.exit(forget_open_engine(engine))
  # Of files that are read anew by each statement, two could be of different times.
  if (reads_files(engine) && !isTRUE(was_failed) && !identical(engine$sent, engine$sent_before) &&
        !identical(files_now(engine), engine$opened)) {
    tryCatch(engine_run(engine, "ROLLBACK"), error = function(e) NULL)
    refuse_moved(engine)
  }
  # Nothing was changed, so in a transaction there is nothing to lose where this fails.
  failure <- tryCatch({
    engine$dialect$end(engine)
    NULL
  }, error = function(e) e)
  if (is.null(failure)) return(invisible())
  if (inherits(failure, "rollingledger_error_moved")) stop(failure)
  # Without transactions the end is where all that was asked is found to be whole.
  if (engine$dialect$flat) {
    if (!isTRUE(was_failed)) stop(failure)
  } else tryCatch(engine_run(engine, "ROLLBACK"), error = function(e) NULL)
  invisible()
}

refuse_moved <- function(engine) {
  refuse("moved", c(
    sprintf("Entries of %s came in or went while the question was asked.", engine$label),
    i = "The figures might not agree with one another, so none are given: ask again."), call = NULL)
}

# Where an engine keeps no snapshot, entries may come or go between the statements of a question; it
# is the outermost one that begins anew, a few times.
asked_while_still <- function(ask) {
  for (try in seq_len(most_times_asked)) {
    out <- tryCatch(list(ask()), rollingledger_error_moved = function(e) e)
    if (!inherits(out, "condition")) return(out[[1]])
  }
  stop(out)
}

most_times_asked <- 4L

# Begins a transaction, unless one of the user's own is open, which goes on.
begin_transaction <- function(engine, text) {
  tryCatch({
    engine_run(engine, text)
    TRUE
  }, rollingledger_error_source = function(e) {
    if (!grepl("within a transaction", conditionMessage(e))) stop(e)
    FALSE
  })
}

# A connection that is lost is made again once, where it is known how.
reconnect_once <- function(engine, e) {
  if (is.null(engine$connect)) stop(e)
  inform(sprintf("The connection to %s was lost; connecting again.", engine$label),
         class = "rollingledger_message")
  connect_again(engine)
  engine$dialect$begin(engine)
}

connect_again <- function(engine) {
  # In a copy of the process the first one's connection must never be closed from here.
  if (engine$pid != Sys.getpid()) engine$inherited <- engine$con
  engine$con <- tryCatch(engine$connect(), error = function(e) {
    if (inherits(e, "rollingledger_error")) stop(e)
    refuse("connection", c(sprintf("There is no connection to %s.", engine$label),
                           i = engine_message(conditionMessage(e))), call = NULL)
  })
  engine$own <- TRUE
  engine$pid <- Sys.getpid()
  # What is there now is looked at, whatever was said of what was there.
  engine$token <- engine$looked_at <- NULL
  if (!is.null(engine$prepare)) engine$prepare(engine)
}

# A copy of the process must not talk on the connection of the first.
check_same_process <- function(engine) {
  if (engine$pid == Sys.getpid()) return(invisible())
  if (is.null(engine$connect)) {
    refuse("connection", c(
      sprintf("The connection to %s belongs to another process.", engine$label),
      i = "Make the ledger by an address, or by a function that connects."), call = NULL)
  }
  engine$depth <- 0L
  connect_again(engine)
}

# ---- tables -----------------------------------------------------------------------

# list(from, table, label): what entries are read from, as SQL; list(schema, name) of a table.
new_relation <- function(table, query, call, dialect = NULL) {
  if (is.null(table) == is.null(query)) {
    refuse("source", c("A ledger of a database needs {table} or {query}, one of them.",
                       i = "Such as {table = \"fares\"} or {table = \"sales.fares\"}."),
           call = call)
  }
  if (!is.null(query)) {
    if (!rlang::is_string(query) || !nzchar(trimws(query)))
      refuse("source", "{query} must be one text, a SELECT.", call = call)
    query <- sub(";\\s*$", "", trimws(query))
    if (grepl(bound_mark, query, fixed = TRUE))
      refuse("source", "{query} holds a control character.", call = call)
    return(list(from = sprintf("(\n%s\n)", query), table = NULL, label = "a query"))
  }
  table <- table_named(table, call)
  names <- vapply(unlist(table), sql_name, "", dialect = dialect)
  list(from = paste(names, collapse = "."), table = table,
       label = paste(unlist(table), collapse = "."))
}

# "schema.name", "name", c("schema", "name") where one of them holds a point, or a DBI::Id.
table_named <- function(table, call = caller_env()) {
  if (isS4(table) && inherits(table, "Id")) table <- unname(attr(table, "name"))
  if (!is.character(table) || !length(table) %in% 1:2 || anyNA(table) || !all(nzchar(table))) {
    refuse("source", c("{table} must be the name of a table.",
                       i = paste("\"schema.name\", or c(\"schema\", \"name\") where a name holds",
                                 "a point.")), call = call)
  }
  one_point <- length(table) == 1 && lengths(regmatches(table, gregexpr("[.]", table))) == 1
  parts <- if (one_point) strsplit(table, ".", fixed = TRUE)[[1]] else table
  if (length(parts) == 2) list(schema = parts[1], name = parts[2]) else list(name = parts)
}
