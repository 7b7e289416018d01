# PostgreSQL whose tables lie, whole or in partitions, on other servers (postgres_fdw, SQL/MED).
# Each server sums up its own entries where they are grouped by what they are partitioned by, so
# entries are grouped by that first, always; and what else would keep them from being summed up over
# there, such as collations and tables that are joined here, is written in another way.

# What is known of how a relation is spread, or NULL: list(from, read, keys, parts). `read` names
# the foreign tables that the planner reads, `keys` columns by which entries are partitioned,
# `parts` the tables of entries, `servers` where they lie, where these can be asked what changed
# there.
postgres_spread <- function(engine, relation) {
  plan <- tryCatch(
    engine_rows(engine, sql("EXPLAIN (FORMAT JSON, VERBOSE) SELECT * FROM ", relation$from,
                            " AS t"))[[1]],
    rollingledger_error_source = function(e) NULL)
  if (is.null(plan)) return(NULL)
  read <- foreign_scans(jsonlite::fromJSON(plan, simplifyVector = FALSE))
  if (length(read) == 0) return(NULL)
  out <- list(from = relation$from, servers = servers_told(engine, read),
              read = sort(unique(vapply(read, function(one) one$name, ""))))
  if (identical(relation_kind(engine, relation), "p")) {
    rows <- engine_rows(engine, sql(
      "SELECT a.attname AS name FROM pg_catalog.pg_partitioned_table AS p ",
      "JOIN pg_catalog.pg_attribute AS a ON a.attrelid = p.partrelid ",
      "AND a.attnum = ANY(p.partattrs) WHERE p.partrelid = CAST(", bound(relation$from),
      " AS regclass)"))
    out$keys <- rows$name
    out$parts <- unique(vapply(read, function(one) {
      paste0(sql_name(one$schema), ".", sql_name(one$name))
    }, ""))
    all <- engine_rows(engine, sql(
      "SELECT CAST(COUNT(*) AS double precision) AS n FROM ",
      "pg_partition_tree(CAST(", bound(relation$from), " AS regclass)) WHERE isleaf"))
    # Where some partitions are here, and so not among those of other servers, all are asked as one.
    if (all$n != length(out$parts)) out$parts <- NULL
  }
  out
}

foreign_scans <- function(node) {
  if (!is.list(node)) return(list())
  own <- if (identical(node[["Node Type"]], "Foreign Scan") && !is.null(node[["Relation Name"]])) {
    list(list(name = node[["Relation Name"]], schema = node[["Schema"]] %||% "public"))
  }
  c(own, do.call(c, c(list(list()), lapply(unname(node), foreign_scans))))
}

# The dialect of such tables.
postgres_spread_dialect <- function(spread) {
  out <- new_dialect(postgres_dialect)
  out$distinct_count <- dialect_defaults$distinct_count
  out$maps <- TRUE
  out$spread <- spread
  # Text of the database's own collation is told apart by its bytes as it is; only for its order
  # must another be asked for, which no server over there is asked for.
  out$as_text <- function(value, type) sql("CAST(", value, " AS text)")
  out$in_order <- function(value) sql("(", value, " COLLATE \"C\")")
  out$text_of <- function(value, declared, is_date) {
    if (endsWith(declared, " collated")) sql("(", value, " COLLATE \"C\")") else value
  }
  out$mapped <- function(value, type, from, to, as_number = FALSE) {
    postgres_mapping(value, type, from, to, as_number)
  }
  out$most_mapped <- 1000L
  out$token <- function(engine) token_over_servers(engine, spread$servers)
  out$end <- function(engine) {
    # Their entries are those of the first statement that reached them. What was known from before
    # is of the same, unless something changed since the question began.
    moved <- !isTRUE(engine$renewed) && !isTRUE(engine$failed) &&
      !identical(token_over_servers(engine, spread$servers), engine$token)
    engine_run(engine, "COMMIT")
    if (moved) refuse_moved(engine)
  }
  out[c("evidence", "moment")] <- dialect_defaults[c("evidence", "moment")]
  begin <- out$begin
  out$begin <- function(engine) {
    ours <- begin(engine)
    if (ours) group_on_servers(engine)
    ours
  }
  out$says <- function(x, look) sprintf("from %s", listed(spread$read, most = 8))
  out
}

# The other servers, where the one that is asked can ask them what changed (dblink); or NULL, and
# each question looks again.
servers_told <- function(engine, read) {
  can <- engine_rows(engine, paste(
    "SELECT CAST(COUNT(*) AS double precision) AS n FROM pg_catalog.pg_extension",
    "WHERE extname = 'dblink'"))
  if (can$n == 0) return(NULL)
  names <- vapply(read, function(one) paste0(sql_name(one$schema), ".", sql_name(one$name)), "")
  rows <- engine_rows(engine, sql(
    "SELECT DISTINCT s.srvname AS name FROM pg_catalog.pg_foreign_table AS f ",
    "JOIN pg_catalog.pg_foreign_server AS s ON s.oid = f.ftserver WHERE f.ftrelid IN ",
    "(SELECT CAST(CAST(v.value AS regclass) AS oid) FROM json_array_elements_text(CAST(",
    bound(json_list(unique(names))), " AS json)) AS v)"))
  servers <- sort(rows$name)
  if (is.null(token_over_servers(engine, servers))) NULL else servers
}

token_over_servers <- function(engine, servers) {
  if (length(servers) == 0) return(NULL)
  now <- "CAST(pg_current_snapshot() AS text)"
  there <- lapply(servers, function(name) {
    sql("SELECT ", bound(name), " AS s, a FROM dblink(", bound(name),
        ", 'SELECT CAST(pg_current_snapshot() AS text)') AS t(a text)")
  })
  # A failure would end the transaction that it happens in.
  engine_run(engine, "SAVEPOINT rolling_ledger")
  failed <- engine$failed
  rows <- tryCatch(
    engine_rows(engine, sql("SELECT '' AS s, ", now, " AS a UNION ALL ",
                            sql_list(there, " UNION ALL "))),
    rollingledger_error = function(e) NULL)
  engine$failed <- failed
  engine_run(engine, if (is.null(rows)) "ROLLBACK TO SAVEPOINT rolling_ledger"
                     else "RELEASE SAVEPOINT rolling_ledger")
  if (!is.null(rows)) paste(rows$s, rows$a, collapse = "; ")
}

# Off by default, and ended with the transaction.
group_on_servers <- function(engine) {
  engine_run(engine, "SET LOCAL enable_partitionwise_aggregate = on")
}

# Marks columns of text of another collation than the database's.
with_collations <- function(engine, relation, described) {
  if (is.null(relation$table)) return(described)
  rows <- engine_rows(engine, sql(
    "SELECT attname AS name FROM pg_catalog.pg_attribute WHERE attrelid = CAST(",
    bound(relation$from), " AS regclass) AND attnum > 0 AND attcollation NOT IN (0, 100)"))
  other <- described$name %in% rows$name & described$type == "text"
  described$declared[other] <- paste(described$declared[other], "collated")
  described
}

# What stands for each value, missing where there is nothing, from lists that go along. Of days the
# place in a list is reckoned.
postgres_mapping <- function(value, type, from, to, as_number) {
  held <- !is.na(from) & !is.na(to)
  labels <- unique(to[held])
  of <- if (as_number) "double precision" else "text"
  if (length(labels) == 0) return(sql("CAST(NULL AS ", of, ")"))
  label <- function(place) {
    sql("(CAST(", bound(array_text(labels)), " AS ", of, "[]))[", place, "]")
  }
  codes <- match(to[held], labels)
  if (type %in% c("day", "moment", "instant")) {
    days <- days_of_iso(from[held])
    first <- min(days)
    places <- codes[match(seq.int(first, max(days)), days)]
    return(label(sql("(CAST(", bound(array_text(places)), " AS integer[]))[", value,
                     " - CAST(", bound(iso_day(first - 1L)), " AS date)]")))
  }
  text <- switch(type, text = value, flag = sql("upper(CAST(", value, " AS text))"),
                 whole = sql("CAST(", value, " AS text)"), NULL)
  place <- if (!is.null(text)) {
    sql("array_position(CAST(", bound(array_text(from[held])), " AS text[]), ", text, ")")
  } else {
    sql("array_position(CAST(", bound(array_text(from[held])), " AS double precision[]), CAST(",
        value, " AS double precision))")
  }
  label(sql("(CAST(", bound(array_text(codes)), " AS integer[]))[", place, "]"))
}

# An array as PostgreSQL reads it.
array_text <- function(values) {
  if (is.numeric(values)) {
    return(sprintf("{%s}", paste(ifelse(is.na(values), "NULL", format(values, scientific = FALSE,
                                                                      trim = TRUE)),
                                 collapse = ",")))
  }
  text <- gsub("\"", "\\\"", gsub("\\", "\\\\", enc2utf8(values), fixed = TRUE), fixed = TRUE)
  sprintf("{%s}", paste0("\"", text, "\"", collapse = ","))
}

# ---- grouped by what entries are partitioned by ---------------------------------------------

# Names, and pieces, by which entries are grouped beside what is asked for; or NULL.
keys_beside <- function(x, inner, group) {
  keys <- x$engine$dialect$spread$keys
  if (is.null(keys)) return(NULL)
  pieces <- lapply(keys, function(key) sql("t.", sql_name(key)))
  texts <- vapply(inner[group], function(piece) piece$text %||% "", "")
  absent <- vapply(pieces, function(piece) !piece$text %in% texts, TRUE)
  stats::setNames(pieces[absent], sprintf("key%d", seq_along(keys))[absent])
}

# Rows that came by further keys, put together: `fold` says by name how, "sum", "max" or "min"; or
# "once" for rows that are each kept once, "last" for the one with the largest `r`, "rows" for those
# that may come several times.
folded_rows <- function(rows, by, fold) {
  if (identical(fold, "rows")) return(rows)
  n <- length(rows[[1]])
  if (length(by) == 0) {
    return(Map(function(values, name) folded(list(values), fold[[name]]), rows, names(rows)))
  }
  if (n == 0) return(rows)
  codes <- lapply(unname(rows[by]), function(values) match(values, unique(values)))
  told <- core_told_apart(lapply(codes, as.integer), n)$number
  first <- !duplicated(told)
  if (identical(fold, "once")) return(lapply(rows, function(values) values[first]))
  if (identical(fold, "last")) {
    order <- order(told, as.double(rows$r))
    last <- order[!duplicated(told[order], fromLast = TRUE)]
    return(lapply(rows, function(values) values[last]))
  }
  groups <- factor(told, unique(told))
  stats::setNames(Map(function(values, name) {
    if (name %in% by) values[first] else folded(split(values, groups), fold[[name]])
  }, rows, names(rows)), names(rows))
}

folded <- function(parts, how) {
  unlist(lapply(unname(parts), function(values) {
    if (how == "sum") values <- as.double(values)
    values <- values[!is.na(values)]
    if (how == "sum") return(sum(values))
    # Days as text are in order by their bytes.
    if (length(values) == 0) NA else if (is.character(values)) {
      values[order(values, decreasing = how == "max", method = "radix")][1]
    } else if (how == "max") max(values) else min(values)
  }))
}
