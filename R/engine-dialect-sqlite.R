# SQLite: no dates, no decimals, and any value in any column. Days are text as in ISO 8601; amounts
# are whole or real, told by what is there.

sqlite_dialect <- list(
  name = "SQLite", double = "REAL", text = "TEXT", big = "INTEGER", long = "INTEGER",
  places = function(i) rep("?", length(i)),
  describe = function(engine, relation) {
    rows <- engine_rows(engine, sql("SELECT * FROM ", relation$from, " AS t LIMIT 0"))
    of_table <- if (!is.null(relation$table)) sqlite_columns(engine, relation)
    declared <- of_table$type[match(names(rows), of_table$name)]
    data.frame(name = names(rows), type = rep("mixed", length(rows)),
               declared = if (is.null(declared)) rep("", length(rows)) else declared)
  },
  date_hint = paste(
    "SQLite has no dates: write them as text, such as 2026-09-17. (R's Dates are written there",
    "as numbers of days; as.character() turns them into text first.)"),
  mixes = TRUE,
  kinds = function(engine, relation, names, types) {
    # Values are in order: numbers, text, blobs.
    of <- list()
    for (i in seq_along(names)) {
      of[[paste0("a", i)]] <- sprintf("typeof(MIN(t.%s))", sql_name(names[i]))
      of[[paste0("z", i)]] <- sprintf("typeof(MAX(t.%s))", sql_name(names[i]))
    }
    rows <- engine_rows(engine, sql_select(of, paste(relation$from, "AS t")))
    kinds <- vapply(seq_along(names), function(i) {
      sqlite_kind(rows[[paste0("a", i)]], rows[[paste0("z", i)]])
    }, "")
    # Between two whole numbers there may be others.
    whole <- which(kinds == "whole")
    if (length(whole) == 0) return(kinds)
    of <- sprintf("MAX(typeof(t.%s) = 'real')", vapply(names[whole], sql_name, ""))
    rows <- engine_rows(engine, sql_select(
      stats::setNames(as.list(of), paste0("r", seq_along(whole))), paste(relation$from, "AS t")))
    kinds[whole[unlist(rows) %in% 1]] <- "double"
    kinds
  },
  as_text = function(value, type) {
    if (type == "text") sql(value, " COLLATE BINARY")
    # Of a bound table: so that its rows are looked up for entries, never entries for them.
    else if (type == "mapped") sql("CAST(IFNULL(", value, ", NULL) AS TEXT) COLLATE BINARY")
    else sql("CAST(", value, " AS TEXT) COLLATE BINARY")
  },
  # A column that is declared as numbers turns what it is compared with into numbers. Days are not
  # numbers, and stay as they are for an index.
  text_of = function(value, declared, is_date) {
    plain <- is_date || !nzchar(declared) || grepl("CHAR|CLOB|TEXT|BLOB", toupper(declared)) &&
      !grepl("INT", toupper(declared))
    if (plain) value else sql("CAST(", value, " AS TEXT)")
  },
  whole = function(value, type, decimals) {
    if (type == "whole") return(sql("(", value, " * ", power_of_ten(decimals), ")"))
    sql("CAST(ROUND(", value, " * ", power_of_ten(decimals), ") AS INTEGER)")
  },
  rounded = function(value) sql("CAST(printf('%.14e', ", value, ") AS REAL)"),
  finite = function(value) sql("NULLIF(NULLIF(", value, ", 9e999), -9e999)"),
  compared = function(type, texts) if (type %in% c("whole", "decimal")) "NUMERIC" else "REAL",
  # Beside MAX() a bare column is that of the row that has it.
  last = function(value, key) value,
  divide = function(a, b) sql("(", a, " / ", b, ")"),
  whole_text = function(sum) sprintf("CAST(%s AS TEXT)", sum),
  day = function(value, type, zone) {
    if (type == "iso timed") sql("SUBSTR(", value, ", 1, 10)") else value
  },
  day_out = function(name, type) name,
  day_back = function(values) days_of_iso(values),
  between = function(value, type, zone, from, to) {
    iso_between(if (type == "iso timed") sql("SUBSTR(", value, ", 1, 10)") else value, from, to)
  },
  hour = function(value, type, zone) {
    sql("CAST(NULLIF(SUBSTR(", value, ", 12, 2), '') AS INTEGER)")
  },
  json_table = function(json, n) {
    # With a limit, and as text, it is put down once and looked up by an index, instead of being
    # read again for each row.
    parts <- sprintf("CAST(json_extract(value, '$[%d]') AS TEXT) AS k%d", seq_len(n) - 1L,
                     seq_len(n))
    sql("(SELECT ", paste(parts, collapse = ", "), " FROM json_each(", bound(json), ") LIMIT -1)")
  },
  json_column = function(json) sql("(SELECT value FROM json_each(", bound(json), "))"),
  clock = function(value) {
    sql("(", value, " GLOB '[T ][01][0-9]:[0-5][0-9]*' OR ", value,
        " GLOB '[T ]2[0-3]:[0-5][0-9]*')")
  },
  odd = function(value, type) {
    if (type == "double") list(infinite = sql("ABS(", value, ") > 1.7976931348623157e308"))
  },
  has_table = function(engine, relation) {
    schema <- if (is.null(relation$table$schema)) "" else paste0(sql_name(relation$table$schema),
                                                                 ".")
    rows <- engine_rows(engine, sql("SELECT COUNT(*) AS n FROM ", schema, "sqlite_master WHERE ",
                                    "type IN ('table', 'view') AND LOWER(name) = LOWER(",
                                    bound(relation$table$name), ")"))
    rows$n > 0
  },
  row_key = function(engine, relation) {
    if (is.null(relation$table)) return(NULL)
    has <- tryCatch({
      engine_rows(engine, sql("SELECT t.rowid AS r FROM ", relation$from, " AS t LIMIT 1"))
      TRUE
    }, error = function(e) FALSE)
    if (has) "t.rowid"
  },
  begin = function(engine) begin_transaction(engine, "BEGIN"),
  end = function(engine) engine_run(engine, "COMMIT"),
  # The version of each file that is attached, which moves with each change that another connection
  # makes, and of its tables, which moves with our own too; those of this connection alone; and our
  # own changes of rows.
  token = function(engine) {
    attached <- engine_rows(engine, "SELECT name, file FROM pragma_database_list")
    names <- unique(c(attached$name, "temp"))
    versions <- vapply(names, function(name) {
      paste(vapply(c("data_version", "schema_version"), function(what) {
        as.character(unlist(engine_rows(engine, sprintf("PRAGMA %s.%s", sql_name(name), what))))
      }, ""), collapse = " ")
    }, "")
    paste(c(names, attached$file, versions,
            unlist(engine_rows(engine, "SELECT total_changes() AS n"))), collapse = " ")
  },
  is_still = function(engine, relation) {
    if (!is.null(relation$table)) {
      kind <- sqlite_kind_of_table(engine, relation)
      if (identical(kind, "table")) return(TRUE)
    }
    schemas <- unique(c(engine_rows(engine, "SELECT name FROM pragma_database_list")$name, "temp"))
    views <- unlist(lapply(schemas, function(name) engine_rows(engine, sprintf(
      "SELECT sql FROM %s.sqlite_master WHERE type = 'view' OR sql LIKE 'CREATE VIRTUAL%%'",
      sql_name(name)))$sql))
    is_still_text(c(relation$from, sub("^[^(]*?\\bAS\\b", "", views, perl = TRUE)))
  },
  files = function(engine) {
    rows <- engine$transport$rows(engine$con, "SELECT file FROM pragma_database_list", list())
    rows$file[!is.na(rows$file) & nzchar(rows$file)]
  },
  problem = function(message) {
    if (grepl("interrupted", message, ignore.case = TRUE)) return("stopped")
    if (grepl("Invalid or closed connection|disk I/O error|external pointer is not valid",
              message)) "lost" else ""
  }
)

# "table", "view" or "virtual": what a name leads to, those of this connection alone first.
sqlite_kind_of_table <- function(engine, relation) {
  schemas <- relation$table$schema %||%
    unique(c("temp", "main", engine_rows(engine, "SELECT name FROM pragma_database_list")$name))
  for (schema in schemas) {
    found <- engine_rows(engine, sql(
      "SELECT CASE WHEN sql LIKE 'CREATE VIRTUAL%' THEN 'virtual' ELSE type END AS k FROM ",
      sql_name(schema), ".sqlite_master WHERE type IN ('table', 'view') AND LOWER(name) = LOWER(",
      bound(relation$table$name), ")"))
    if (length(found$k) > 0) return(found$k[1])
  }
  "none"
}

sqlite_columns <- function(engine, relation) {
  known <- engine_rows(engine, sql(
    "SELECT name, type FROM pragma_table_info(", bound(relation$table$name),
    if (!is.null(relation$table$schema)) sql(", ", bound(relation$table$schema)) else "", ")"))
  as.data.frame(known)
}

# What a column holds, from the kinds of its first and last value.
sqlite_kind <- function(first, last) {
  if (last == "blob") return("none")
  if (last == "null") return("blank")
  if (last == "text") return(if (first == "text") "text" else "mixed")
  if (first == "real" || last == "real") "double" else "whole"
}
