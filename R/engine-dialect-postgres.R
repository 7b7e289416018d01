# PostgreSQL: decimals and whole numbers of any size are added up exactly; their sums are sent as
# doubles where these hold them, and else as text.

postgres_dialect <- list(
  name = "PostgreSQL", double = "double precision", text = "text", big = "numeric",
  long = "bigint",
  places = function(i) sprintf("$%d", i),
  describe = function(engine, relation) {
    check_whole_name(engine, relation)
    none <- sql("SELECT * FROM ", relation$from, " AS t LIMIT 0")
    info <- engine$transport$described(engine, none)
    oids <- info$type
    types <- engine_rows(engine, sql(
      "SELECT CAST(CAST(oid AS bigint) AS text) AS oid, typname AS name, typtype AS kind ",
      "FROM pg_catalog.pg_type WHERE CAST(oid AS bigint) IN (SELECT CAST(value AS bigint) FROM ",
      "json_array_elements_text(CAST(", bound(json_list(unique(oids))), " AS json)))"))
    declared <- types$name[match(oids, types$oid)]
    enum <- types$kind[match(oids, types$oid)] %in% "e"
    out <- data.frame(name = info$name, type = postgres_types(declared, enum), declared = declared)
    spread <- postgres_spread(engine, relation)
    known <- engine$dialect$spread
    if (!is.null(spread) && (is.null(known) || identical(known$from, spread$from))) {
      engine$dialect <- postgres_spread_dialect(spread)
      if (engine$ours) group_on_servers(engine)
      if (is.null(known) && engine$ours) engine$token <- engine$dialect$token(engine)
    }
    if (is.null(engine$dialect$spread)) out else with_collations(engine, relation, out)
  },
  as_text = function(value, type) sql("(CAST(", value, " AS text) COLLATE \"C\")"),
  moment_text = function(value, type) {
    at <- if (type == "instant") sql(value, " AT TIME ZONE 'UTC'") else value
    sql("(to_char(", at, ", 'YYYY-MM-DD HH24:MI:SS') || ' UTC') COLLATE \"C\"")
  },
  whole = function(value, type, decimals) {
    number <- if (type == "double") sql("ROUND(", value, " * ", power_of_ten(decimals), ")")
              else sql("(", value, " * CAST(", power_of_ten(decimals), " AS numeric))")
    sql("CAST(", number, " AS ", if (type == "double") "bigint" else "numeric", ")")
  },
  rounded = function(value) sql("CAST(CAST(", value, " AS numeric) AS double precision)"),
  # What is too large is an error there.
  finite = function(value) value,
  compared = function(type, texts) {
    if (type %in% c("whole", "decimal")) "numeric" else "double precision"
  },
  last = function(value, key) sprintf("(ARRAY_AGG(%s ORDER BY %s DESC))[1]", value, key),
  distinct_first = TRUE, distinct_count = "COUNT(m)",
  decimals = function(v) sprintf("CASE WHEN MIN_SCALE(%s) > 5 THEN 5 ELSE MIN_SCALE(%s) END", v, v),
  divide = function(a, b) sql("DIV(CAST(", a, " AS numeric), ", b, ")"),
  whole_sum = function(sum, decimals) sprintf("TRUNC(%s * %s)", sum, power_of_ten(decimals)),
  whole_text = function(sum) sprintf("CAST(TRUNC(%s) AS text)", sum),
  day = function(value, type, zone) {
    switch(type, "iso timed" = sql("SUBSTR(", value, ", 1, 10)"),
           moment = sql("CAST(", value, " AS date)"),
           instant = sql("CAST(", value, " AT TIME ZONE ", bound(zone), " AS date)"), value)
  },
  day_out = function(name, type) {
    if (startsWith(type, "iso")) name else sprintf(
      "CASE WHEN %s IS NULL THEN NULL WHEN isfinite(%s) THEN %s - DATE '1970-01-01' ELSE %s END",
      name, name, name, "-2147483647")
  },
  day_back = function(values) {
    if (is.character(values)) days_of_iso(values) else days_in_years(values)
  },
  between = function(value, type, zone, from, to) {
    day <- function(day) sql("CAST(", bound(iso_day(day)), " AS date)")
    switch(type, iso = iso_between(value, from, to),
      "iso timed" = iso_between(sql("SUBSTR(", value, ", 1, 10)"), from, to),
      day = sql(value, " BETWEEN ", day(from), " AND ", day(to)),
      moment = sql(value, " >= ", day(from), " AND ", value, " < ", day(to + 1L)),
      # A day may have midnight twice, so days are compared; the first two lines are for an index.
      instant = sql(value, " >= (CAST(", day(max(from - 2L, first_day_there_is)),
                    " AS timestamp) AT TIME ZONE 'UTC') AND ",
                    value, " < (CAST(", day(to + 3L), " AS timestamp) AT TIME ZONE 'UTC') AND ",
                    "CAST(", value, " AT TIME ZONE ", bound(zone), " AS date) BETWEEN ", day(from),
                    " AND ", day(to)))
  },
  hour = function(value, type, zone) {
    switch(type, "iso timed" = sql("CAST(NULLIF(SUBSTR(", value, ", 12, 2), '') AS integer)"),
      moment = sql("CAST(EXTRACT(HOUR FROM ", value, ") AS integer)"),
      instant = sql("CAST(EXTRACT(HOUR FROM ", value, " AT TIME ZONE ", bound(zone),
                    ") AS integer)"))
  },
  json_table = function(json, n) {
    parts <- sprintf("value ->> %d AS k%d", seq_len(n) - 1L, seq_len(n))
    sql("(SELECT ", paste(parts, collapse = ", "), " FROM json_array_elements(CAST(", bound(json),
        " AS json)))")
  },
  json_column = function(json) {
    sql("(SELECT value FROM json_array_elements_text(CAST(", bound(json), " AS json)))")
  },
  clock = function(value) sql(value, " ~ '^[T ]([01][0-9]|2[0-3]):[0-5][0-9]'"),
  odd = function(value, type) {
    if (!type %in% c("double", "decimal")) return(NULL)
    list(nan = sql(value, " = 'NaN'"),
         infinite = sql("(", value, " = 'Infinity' OR ", value, " = '-Infinity')"))
  },
  has_table = function(engine, relation) {
    rows <- engine_rows(engine, sql("SELECT CAST(to_regclass(", bound(relation$from),
                                    ") AS text) AS a"))
    !is.na(rows$a)
  },
  row_key = function(engine, relation) {
    if (is.null(relation$table) || !identical(relation_kind(engine, relation), "r")) return(NULL)
    # The place of a row in its table: page and line.
    paste0("(CAST(CAST((CAST(CAST(t.ctid AS text) AS point))[0] AS bigint) * 2048 + ",
           "CAST((CAST(CAST(t.ctid AS text) AS point))[1] AS bigint) AS double precision))")
  },
  begin = function(engine) {
    # A setting that lasts as long as a transaction tells whether one of the user's is open.
    mark <- "SELECT set_config('rollingledger.within', 'yes', true) AS a"
    engine_rows(engine, mark)
    within <- engine_rows(engine, paste(
      "SELECT current_setting('rollingledger.within', true) AS a,",
      "current_setting('transaction_isolation') AS b"))
    if (within$a %in% "yes") {
      if (!within$b %in% c("repeatable read", "serializable")) {
        refuse("source", c(
          "The connection is within a transaction in which each statement sees other entries.",
          i = "End it first, or begin it with ISOLATION LEVEL REPEATABLE READ."), call = NULL)
      }
      return(FALSE)
    }
    engine_run(engine, "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")
    TRUE
  },
  end = function(engine) engine_run(engine, "COMMIT"),
  token = function(engine) {
    engine_rows(engine, paste(
      "SELECT concat_ws(' ', CAST(pg_current_snapshot() AS text), current_setting('search_path'),",
      "current_user, current_setting('row_security'), current_setting('TimeZone'),",
      "current_setting('DateStyle')) AS a"))$a
  },
  is_still = function(engine, relation) {
    plan <- engine_rows(engine, sql("EXPLAIN (VERBOSE, COSTS OFF) SELECT * FROM ", relation$from,
                                    " AS t"))[[1]]
    # What lies on other servers is told by these, where they can be asked.
    if (!is.null(engine$dialect$spread$servers)) {
      plan <- gsub("Foreign Scan", "", plan[!grepl("^ *Remote SQL", plan)])
    }
    # One of the user's own may bear the name of a plain function.
    called <- names_called(plan)
    is_still_text(plan) && (length(called) == 0 || engine_rows(engine, sql(
      "SELECT CAST(COUNT(*) AS integer) AS n FROM pg_catalog.pg_proc AS p ",
      "WHERE p.provolatile <> 'i' AND p.pronamespace <> CAST('pg_catalog' AS regnamespace) ",
      "AND p.proname IN (",
      sql_list(lapply(unique(called), bound), ", "), ")"))$n == 0)
  },
  # Whether rows of this very table came, went or were changed, where others of the database were.
  # Rows that one transaction wrote only become fewer later, so how many there are of each tells
  # all; numbers of transactions begin anew after four thousand millions.
  evidence = function(engine, relation) {
    if (is.null(relation$table) || !identical(relation_kind(engine, relation), "r")) return(NULL)
    object <- engine_rows(engine, sql(
      "SELECT CAST(pg_relation_filenode(c.oid) AS text) AS f, CAST(c.oid AS text) AS o, ",
      "CAST(c.relrowsecurity OR c.relhassubclass AS integer) AS s, ",
      "(SELECT md5(string_agg(concat_ws(' ', a.attnum, quote_ident(a.attname), a.atttypid, ",
      "a.atttypmod, a.attcollation, (SELECT string_agg(quote_literal(e.enumlabel), ' ' ORDER BY ",
      "e.enumsortorder) FROM pg_catalog.pg_enum AS e WHERE e.enumtypid = a.atttypid)), '; ' ",
      "ORDER BY a.attnum)) FROM pg_catalog.pg_attribute AS a WHERE a.attrelid = c.oid ",
      "AND a.attnum > 0) AS a, ",
      "CAST(CAST(pg_snapshot_xmax(pg_current_snapshot()) AS text) AS numeric) AS x ",
      "FROM pg_catalog.pg_class AS c WHERE c.oid = CAST(", bound(relation$from), " AS regclass)"))
    if (length(object$o) == 0 || object$s == 1) return(NULL)
    engine$ages[[relation$from]] <- engine$ages[[relation$from]] %||% as.double(object$x)
    rounds <- (as.double(object$x) - engine$ages[[relation$from]]) %/% 2^31
    rows <- engine_rows(engine, sql(
      "SELECT CAST(COUNT(*) AS text) AS n, ",
      "CAST(SUM(hashtextextended(CAST(t.xmin AS text), 0)) AS text) AS x FROM ", relation$from,
      " AS t"))
    paste(object$o, object$f, object$a, rounds, rows$n, rows$x)
  },
  moment = function(engine) {
    engine_rows(engine, paste("SELECT CAST(pg_snapshot_xmax(pg_current_snapshot()) AS text)",
                              "AS a"))$a
  },
  problem = function(message) {
    if (grepl("nterrupted", message)) return("stopped")
    # Another server, asked by the one that is asked.
    if (grepl("could not connect to server \"|remote SQL command|could not establish connection",
              message)) return("part")
    if (grepl(paste("server closed the connection|terminating connection|connection to server|",
                    "no connection to the server|could not receive data|could not send data|",
                    "Invalid or closed|connection not open|SSL connection has been closed",
                    "|Failed to prepare query : $|bad_weak_ptr|Lost connection", sep = ""),
              message)) "lost" else ""
  }
)

# A name of more than 63 bytes is cut there, and may be that of another table.
check_whole_name <- function(engine, relation) {
  name <- relation$table$name
  if (is.null(name) || nchar(name, "bytes") < 60) return(invisible())
  found <- engine_rows(engine, sql("SELECT CAST(relname AS text) AS n FROM pg_catalog.pg_class ",
                                   "WHERE oid = CAST(to_regclass(", bound(relation$from),
                                   ") AS oid)"))$n
  if (length(found) == 0 || found == name) return(invisible())
  refuse("source", c(
    sprintf("There is no table %s: its name is longer than PostgreSQL keeps.", relation$label),
    i = sprintf("It would be cut to %s.", found)), call = NULL)
}

relation_kind <- function(engine, relation) {
  if (is.null(relation$table)) return("query")
  rows <- engine_rows(engine, sql("SELECT CAST(relkind AS text) AS k FROM pg_catalog.pg_class ",
                                  "WHERE oid = CAST(", bound(relation$from), " AS regclass)"))
  rows$k
}

postgres_types <- function(names, enum) {
  known <- c(int2 = "whole", int4 = "whole", int8 = "whole", numeric = "decimal",
             float4 = "double", float8 = "double", date = "day", timestamp = "moment",
             timestamptz = "instant", bool = "flag", text = "text", varchar = "text",
             bpchar = "text", name = "text", uuid = "text", char = "text", citext = "text")
  out <- unname(known[names])
  out[enum] <- "text"
  out[is.na(out)] <- "none"
  out
}

# Days of years that there are.
days_in_years <- function(days) {
  days <- as.double(days)
  days[!is.na(days) & (days < first_day_there_is | days > last_day_there_is)] <- NA
  as.integer(days)
}
