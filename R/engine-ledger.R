# A ledger whose entries stay in an engine. It holds how they are read, and no entry: columns as
# SQL, conditions as trees, and what was found at the last look (engine-look.R).
#
# list(engine, relation, label, columns, hidden, keeps, parent, on, until, calendar, units, given,
# asked, told, row_key, handle, looked, lookups, counts). A column is list(name, type, value, ...):
# its type of engine-dialect.R and its value as SQL; `scale` of whole numbers that stand for
# decimals, `levels` in their order, `joins` names of joins, or how it is put together at each look
# (`part`).

#' @rdname ledger
#' @export
#' @include question-fields.R ledger-.R
ledger.DBIConnection <- with_fields("ledger", function(source, on, ..., table, query, order,
                                                       counts, until, calendar, as_of, where,
                                                       columns, units,
                                                       amounts, time_zone, missing, looks) {
  rlang::check_dots_empty0(...)
  asked <- asked_fields("ledger")
  given <- given_to_ledger(rlang::current_env())
  engine <- engine_of(source, call = rlang::current_env())
  x <- ledger_of_engine(engine, given, c(list(data = "a connection"), asked))
  keep_entries_where(x, rlang::enquo(where))
})

#' @rdname ledger
#' @export
ledger.function <- ledger.DBIConnection

#' @rdname ledger
#' @export
ledger.adbc_connection <- ledger.DBIConnection

ledger_of_engine <- function(engine, given, record, call = caller_env()) {
  relation <- if (is.list(given$relation)) given$relation
              else relation_of(engine, given$table, given$query, call)
  check_calendar(given$calendar, call)
  engine$looks_once <- identical(given$looks, "once")
  x <- asked_while_still(function() within_engine(engine, {
    x <- new_engine_ledger(engine, relation, given, call)
    x$given <- record
    x$asked <- given[c("as_of", "amounts", "time_zone", "missing")]
    renew_look(x, call)
    x
  }))
  say_aside_in_engine(x)
  if (is.null(record$columns)) x else within_engine(engine, worked_out(x, record$columns, call))
}

relation_of <- function(engine, table, query, call) {
  relation <- new_relation(table, query, call, engine$dialect)
  engine$dialect$relation(engine, relation)
}

new_engine_ledger <- function(engine, relation, given, call) {
  described <- found <- engine$dialect$describe(engine, relation)
  watch_relation(engine, relation)
  check_names_once(described$name, relation$label, call)
  on <- check_bases(given$on, first_rows(engine, relation), call, known = described$name)
  check_units(given$units, c(described$name, names(given$columns)), call)
  if (!is.null(given$until)) check_until(given$until, on, described$name, call)
  if (!is.null(given$time_zone)) check_zone_of_engine(given$time_zone, call)
  for (name in given$amounts) if (!name %in% described$name)
    refuse_column(name, described$name, where = "the source", call = call)
  described$type <- engine$dialect$kinds(engine, relation, described$name, described$type)
  x <- structure(list(
    engine = engine, relation = relation, label = relation$label, on = on, until = given$until,
    calendar = given$calendar, units = given$units, time_zone = given$time_zone %||% "UTC",
    missing = given$missing %||% missing_marks, columns = list(), hidden = character(),
    left_out = character(), keeps = list(), handle = new_handle(),
    looked = new.env(parent = emptyenv()), lookups = list(), joins = list()
  ), class = c("engine_ledger", "ledger"))
  x$described <- found
  x$kinds_found <- relation$kinds_found
  x$as_of_given <- if (!is.null(given$as_of)) one_day(given$as_of, "as_of", call)
  dates <- c(on, given$until)
  for (i in seq_len(nrow(described))) {
    name <- described$name[i]
    column <- engine_column(x, name, described$type[i], described$declared[i], name %in% dates,
                            name %in% given$amounts, call)
    if (column$type == "none") x$left_out <- c(x$left_out, name)
    else x$columns[[name]] <- column
  }
  x["row_key"] <- list(engine_row_key(x, given$order, described$name, call))
  x$counts <- check_counts(given$counts, described, call)
  x$hidden <- unname(x$counts) %||% character()
  if (is_of_cells(x) && !is.null(given$until)) refuse_of_cells(x, "{until}", call)
  if (engine$dialect$flat) {
    # Names of our own, in a statement whose columns are those of the table.
    x$mark <- "rl_"
    while (any(startsWith(described$name, x$mark))) x$mark <- paste0(x$mark, "_")
  }
  x
}

# The first rows, for messages that say which column could be meant.
first_rows <- function(engine, relation) {
  as.data.frame(engine_rows(engine, sql("SELECT * FROM ", relation$from, " AS t LIMIT 200")),
                stringsAsFactors = FALSE, optional = TRUE)
}

# A column as it is read. Dates are dates of the engine, or text as in ISO 8601.
engine_column <- function(x, name, type, declared, is_date, is_amount, call, alias = "t") {
  dialect <- x$engine$dialect
  value <- sql(alias, ".", sql_name(name, call, dialect))
  if (type == "text") value <- dialect$text_of(value, declared, is_date)
  named <- function(...) list(name = name, ..., declared = declared)
  if (is_date) {
    if (type %in% c("text", "blank")) return(named(type = "iso", value = iso_value(dialect, value)))
    if (type %in% c("day", "moment", "instant")) return(named(type = type, value = value))
    refuse_engine_date(name, type, dialect, call)
  }
  if (type == "blank") {
    type <- if (grepl("CHAR|TEXT|CLOB", declared, ignore.case = TRUE)) "text" else "double"
  }
  if (type == "mixed" && is_amount) return(named(type = "double", value = value, mixed = TRUE))
  if (type %in% c("text", "mixed")) {
    if (is_amount) {
      refuse("column", c(sprintf("The column `%s` is text in the database, not an amount.", name),
                         i = "Turn it into numbers there, by a {query} or a view."), column = name,
             call = call)
    }
    return(named(type = "text", value = dialect$as_text(value, type)))
  }
  if (type %in% c("moment", "instant")) {
    return(named(type = "text", value = dialect$moment_text(value, type)))
  }
  named(type = type, value = value)
}

iso_value <- function(dialect, value) dialect$as_text(value, "text")

refuse_engine_date <- function(name, type, dialect, call) {
  holds <- switch(type, whole = , double = , decimal = "numbers", mixed = "numbers and text",
                  flag = "TRUE and FALSE", "neither dates nor text")
  refuse("date", c(
    sprintf("The date basis `%s` is not a date: it holds %s.", name, holds),
    i = dialect$date_hint), column = name, call = call)
}

# What rows are in order by: columns that were named, or the engine's own number of rows.
engine_row_key <- function(x, order, known, call) {
  if (is.null(order)) {
    key <- x$engine$dialect$row_key(x$engine, x$relation)
    return(if (!is.null(key)) list(piece = sql(key), word = "row"))
  }
  if (!rlang::is_string(order))
    refuse("choice", "{order} must be the name of one column.", arg = "order", call = call)
  if (!order %in% known) refuse_column(order, known, where = "the source", call = call)
  column <- x$columns[[order]]
  if (!identical(column$type, "whole")) {
    refuse("choice", c(sprintf("{order} must name a whole-number column; `%s` is not one.",
                               order),
                       i = "For example a number that each entry gets when it is inserted."),
           arg = "order", call = call)
  }
  list(piece = sql("CAST(", column$value, " AS ", x$engine$dialect$double, ")"), word = order)
}

row_key_of <- function(x, why, call = NULL) {
  if (!is.null(x$row_key)) return(x$row_key)
  refuse("order", c(
    sprintf("%s needs an order of rows, and %s has none.", why, x$label),
    i = "Name in {order =} a whole-number column that each entry gets when it is inserted."),
    call = call)
}

# ---- facts ------------------------------------------------------------------------

source_facts.engine_ledger <- function(x) {
  facts <- engine_look(x)$facts
  facts$given <- ledger_record(x)
  facts$units <- x$units
  facts$of_cells <- is_of_cells(x)
  facts$column_names <- engine_column_names(x)
  facts$told_rows <- identity
  # On one connection there is one process.
  facts$forks <- !is.null(x$engine$connect)
  facts$coarser <- TRUE
  for (on in names(facts$dates)) {
    facts$dates[[on]]$absent <- absence_of(x, on)
    facts$dates[[on]]$held <- holding_of(x, on)
  }
  facts
}

absence_of <- function(x, on) {
  force(on)
  function() {
    found <- engine_look(x)$absent[[on]]
    list(without = found$without %||% 0, late = found$late %||% 0)
  }
}

holding_of <- function(x, on) {
  force(on)
  function(from, to) {
    days <- engine_look(x)$bases[[on]]$days
    vapply(seq_along(from), function(i) any(days >= from[i] & days <= to[i]), TRUE)
  }
}

engine_column_names <- function(x) {
  shown <- setdiff(names(x$columns), x$hidden)
  c(setdiff(shown, x$on), unname(x$on))
}

# It is the outermost question that begins anew.
consistent.engine_ledger <- function(x, ask, of = NULL) {
  open <- function() within_engine(x$engine, {
    engine_look(x)
    consistent.ledger(x, ask, of)
  })
  if (x$engine$depth > 0L) open() else asked_while_still(open)
}

# Entries stay the same until a function is done.
hold_entries <- function(x, frame) {
  if (!inherits(x, "engine_ledger")) return(invisible())
  open_engine(x$engine)
  opened <- FALSE
  on.exit(if (!opened) done_with_engine(x$engine))
  engine_look(x)
  opened <- TRUE
  do.call(base::on.exit, list(as.call(list(done_with_engine, x$engine)), TRUE), envir = frame)
}

# ---- in print ----------------------------------------------------------------------

#' @export
format.engine_ledger <- function(x, ...) {
  facts <- source_facts(x)
  lines <- c(
    entries = entries_text(facts),
    vapply(facts$dates, function(b) {
      missed <- if (b$apart > 0) sprintf("; %s without", count_text(b$apart, "entry", "entries"))
                else ""
      if (!is.finite(b$first)) return(sprintf("no days (%s)%s", b$column, missed))
      sprintf("%s (%s)%s", days_text(b$first, b$last), b$column, missed)
    }, ""),
    "as of" = day_with_weekday(facts$as_of), until = x$until,
    where = if (!is.null(facts$kept))
      sprintf("%s: %s of %s kept", facts$kept, number_text(facts$counts$used),
              number_text(facts$counts$used + facts$counts$kept_out)),
    attributes = listed(names_of_types(x, c("text", "flag")), most = 12),
    amounts = listed(amounts_with_units(names_of_types(x, amount_types), x$units), most = 12),
    dates = listed(setdiff(names_of_types(x, day_types), x$on), most = 12),
    "left out" = listed(facts$left_out),
    "worked out from" = facts$version, read = paste(facts$says, collapse = "; ")
  )
  ledger_lines(facts$label, lines, x$calendar)
}

amount_types <- c("whole", "decimal", "double", "scaled")
day_types <- c("day", "iso", "iso timed", "moment", "instant")

names_of_types <- function(x, types) {
  shown <- x$columns[engine_column_names(x)]
  names(shown)[vapply(shown, function(column) column$type %in% types, TRUE)]
}

# A database takes a name such as CET for an abbreviation with one offset all year, or for a zone
# with rules of its own. Places are the same everywhere.
check_zone_of_engine <- function(zone, call) {
  check_time_zone(zone, call)
  if (zone %in% c("UTC", "GMT") || !grepl("^[A-Z]{2,5}([0-9].*)?$", zone)) return(invisible())
  refuse("choice", c(sprintf("The time zone \"%s\" may be an abbreviation to the database.", zone),
                     i = "Name a place, such as \"Europe/Brussels\"."), arg = "time_zone",
         call = call)
}

#' Look at entries again
#'
#' A ledger of a database, or of files left in place, that was made with `looks = "once"` takes its
#' entries to stand still. This looks at them again: what is asked next is of the entries as they
#' are now. A file that was replaced, and a connection that was made again, are looked at anyway.
#'
#' @param x A ledger made by [ledger()] of a database or of files left in place.
#' @return `x`, invisibly; a message says whether there are other entries.
#' @section Errors:
#' `rollingledger_error_choice` where `x` is no such ledger; what the database says where it cannot
#' be asked.
#' @export
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' fares <- transform(demo_fares, sailed_on = as.character(sailed_on))
#' DBI::dbWriteTable(con, "fares", as.data.frame(fares))
#' x <- ledger(con, table = "fares", on = "sailed_on", looks = "once")
#' invisible(DBI::dbExecute(con, "DELETE FROM fares WHERE route = 'Oysterby'"))
#' look_again(x)
#' DBI::dbDisconnect(con)
look_again <- function(x) {
  check_ledger_object(x)
  if (is.null(x$engine)) {
    refuse("choice", c("{x} holds its entries: there is nothing to look at again.",
                       i = "Read the table or file anew, with ledger()."), arg = "x")
  }
  before <- source_facts(x)
  # What was seen of changes since was not followed.
  x$engine$looked_at <- x$engine$token <- NULL
  after <- within_engine(x$engine, engine_look(x)$facts)
  x$engine$looked_at <- Sys.time()
  tell(if (identical(before$seen, after$seen)) sprintf("No other entries: %s.", after$version)
       else if (identical(before$version, after$version))
         sprintf("The entries may be others (%s then and now).", after$version)
       else sprintf("Other entries: %s then, %s now.", before$version, after$version))
  invisible(x)
}
