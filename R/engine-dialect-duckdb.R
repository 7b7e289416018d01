# DuckDB: databases of its own, and files of columns or of text that it reads where they lie.

duckdb_dialect <- list(
  name = "DuckDB", double = "DOUBLE", text = "VARCHAR", big = "HUGEINT",
  long = "BIGINT",
  places = function(i) rep("?", length(i)),
  describe = function(engine, relation) {
    rows <- engine_rows(engine, sql("DESCRIBE SELECT * FROM ", relation$from, " AS t"))
    data.frame(name = rows$column_name, type = duckdb_types(rows$column_type),
               declared = rows$column_type)
  },
  as_text = function(value, type) {
    if (type == "mapped") value else sql("CAST(", value, " AS VARCHAR) COLLATE C")
  },
  moment_text = function(value, type) {
    at <- if (type == "instant") sql("timezone('UTC', ", value, ")") else value
    sql("(strftime(", at, ", '%Y-%m-%d %H:%M:%S') || ' UTC')")
  },
  whole = function(value, type, decimals) {
    number <- if (decimals == 0 && type == "whole") value
              else sql(value, " * ", power_of_ten(decimals))
    if (type == "double") sql("CAST(ROUND(", number, ") AS BIGINT)")
    else sql("CAST(", number, " AS HUGEINT)")
  },
  rounded = function(value) sql("CAST(printf('%.14e', ", value, ") AS DOUBLE)"),
  finite = function(value) {
    sql("NULLIF(NULLIF(", value, ", CAST('inf' AS DOUBLE)), CAST('-inf' AS DOUBLE))")
  },
  compared = function(type, texts) {
    if (type == "whole" && all(grepl("^-?[0-9]+$", texts))) "HUGEINT" else "DOUBLE"
  },
  last = function(value, key) sprintf("ARG_MAX(%s, %s)", value, key),
  divide = function(a, b) sql("(", a, " // ", b, ")"),
  whole_sum = function(sum, decimals) {
    sprintf("CAST(%s * %s AS HUGEINT)", sum, power_of_ten(decimals))
  },
  whole_text = function(sum) sprintf("CAST(%s AS VARCHAR)", sum),
  day = function(value, type, zone) {
    switch(type, "iso timed" = sql("SUBSTR(", value, ", 1, 10)"),
           moment = sql("CAST(", value, " AS DATE)"),
           instant = sql("CAST(timezone(", bound(zone), ", ", value, ") AS DATE)"), value)
  },
  day_out = function(name, type) {
    if (startsWith(type, "iso")) name else sprintf(
      paste("CASE WHEN %s IS NULL THEN NULL WHEN isfinite(%s)",
            "THEN CAST(%s - DATE '1970-01-01' AS DOUBLE) ELSE -2147483647 END"), name, name, name)
  },
  day_back = function(values) {
    if (is.character(values)) days_of_iso(values) else days_in_years(values)
  },
  between = function(value, type, zone, from, to) {
    day <- function(day) sql("CAST(", bound(iso_day(day)), " AS DATE)")
    switch(type, iso = iso_between(value, from, to),
      "iso timed" = iso_between(sql("SUBSTR(", value, ", 1, 10)"), from, to),
      day = sql(value, " BETWEEN ", day(from), " AND ", day(to)),
      moment = sql(value, " >= ", day(from), " AND ", value, " < ", day(to + 1L)),
      instant = sql("timezone(", bound(zone), ", ", value, ") >= ", day(from), " AND timezone(",
                    bound(zone), ", ", value, ") < ", day(to + 1L)))
  },
  hour = function(value, type, zone) {
    switch(type, "iso timed" = sql("CAST(NULLIF(SUBSTR(", value, ", 12, 2), '') AS INTEGER)"),
      moment = sql("CAST(EXTRACT(HOUR FROM ", value, ") AS INTEGER)"),
      instant = sql("CAST(EXTRACT(HOUR FROM timezone(", bound(zone), ", ", value,
                    ")) AS INTEGER)"))
  },
  json_table = function(json, n) {
    parts <- sprintf("u[%d] AS k%d", seq_len(n), seq_len(n))
    sql("(SELECT ", paste(parts, collapse = ", "), " FROM (SELECT unnest(from_json(CAST(",
        bound(json), " AS JSON), '[[\"VARCHAR\"]]')) AS u))")
  },
  json_column = function(json) {
    sql("(SELECT unnest(from_json(CAST(", bound(json), " AS JSON), '[\"VARCHAR\"]')) AS v)")
  },
  clock = function(value) sql("regexp_matches(", value, ", '^[T ]([01][0-9]|2[0-3]):[0-5][0-9]')"),
  odd = function(value, type) {
    if (type != "double") return(NULL)
    list(nan = sql("isnan(", value, ")"), infinite = sql("isinf(", value, ")"))
  },
  has_table = function(engine, relation) {
    schema <- relation$table$schema
    rows <- engine_rows(engine, sql(
      "SELECT CAST(COUNT(*) AS DOUBLE) AS n FROM information_schema.tables WHERE table_name = ",
      bound(relation$table$name),
      if (is.null(schema)) "" else sql(" AND table_schema = ", bound(schema))))
    rows$n > 0
  },
  row_key = function(engine, relation) {
    if (!is.null(relation$row_key)) return(relation$row_key)
    if (is.null(relation$table)) return(NULL)
    has <- tryCatch({
      engine_rows(engine, sql("SELECT t.rowid AS r FROM ", relation$from, " AS t LIMIT 1"))
      TRUE
    }, error = function(e) FALSE)
    if (has) "(CAST(t.rowid AS DOUBLE) + 1)"
  },
  begin = function(engine) begin_transaction(engine, "BEGIN TRANSACTION"),
  end = function(engine) engine_run(engine, "COMMIT"),
  # Files that are only read are told by themselves; of a connection of the user's there is nothing
  # that tells.
  token = function(engine) if (reads_files(engine)) rlang::hash(engine$opened),
  is_still = function(engine, relation) {
    # Views of files are our own: what they read is told by the files.
    reads_files(engine) && is_still_text(relation$from)
  },
  files = function(engine) {
    rows <- tryCatch(engine$transport$rows(
      engine$con, "SELECT path FROM duckdb_databases() WHERE path IS NOT NULL", list()),
      error = function(e) NULL)
    rows$path[file.exists(rows$path)]
  },
  problem = function(message) {
    if (grepl("INTERRUPT|nterrupted", message)) return("stopped")
    if (grepl(paste0("Connection (has been|is) (closed|released)|external pointer is not valid|",
                     "invalidated"), message)) "lost" else ""
  }
)

duckdb_types <- function(declared) {
  plain <- sub("[(].*", "", declared)
  known <- c(TINYINT = "whole", SMALLINT = "whole", INTEGER = "whole", BIGINT = "whole",
             UTINYINT = "whole", USMALLINT = "whole", UINTEGER = "whole", UBIGINT = "whole",
             HUGEINT = "whole", DECIMAL = "decimal", FLOAT = "double", DOUBLE = "double",
             VARCHAR = "text", UUID = "text", ENUM = "text", DATE = "day", TIMESTAMP = "moment",
             TIMESTAMP_S = "moment", TIMESTAMP_MS = "moment", TIMESTAMP_NS = "moment",
             "TIMESTAMP WITH TIME ZONE" = "instant", BOOLEAN = "flag")
  out <- unname(known[plain])
  out[is.na(out) | grepl("\\[", declared)] <- "none"
  out
}
