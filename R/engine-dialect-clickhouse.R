# ClickHouse, one server or a cluster of shards. Its answers are whole or an error: what lets it
# answer in part is switched off with each statement, and all shards are counted at the beginning
# and the end of each question.
#
# It joins and nests less well than others: statements are flat, so that each shard groups its own
# entries, and what others look up in a bound table is written as a mapping of values.

clickhouse_dialect <- list(
  name = "ClickHouse", double = "Nullable(Float64)", text = "Nullable(String)",
  big = "Nullable(Decimal(38, 0))", long = "Nullable(Int64)",
  flat = TRUE, binds = FALSE, maps = TRUE,
  places = function(i) NULL,
  literal = function(value) clickhouse_literal(value),
  quoted = function(name) clickhouse_name(name),
  relation = function(engine, relation) clickhouse_relation(engine, relation),
  describe = function(engine, relation) {
    watch_clickhouse(engine, relation)
    rows <- engine_rows(engine, sql("DESCRIBE TABLE ", relation$from))
    data.frame(name = rows$name, type = clickhouse_types(rows$type), declared = rows$type)
  },
  as_text = function(value, type) {
    if (type %in% c("text", "mapped", "band")) value else sql("toString(", value, ")")
  },
  text_of = function(value, declared, is_date) clickhouse_text(value, declared),
  moment_text = function(value, type) sql("concat(toString(", value, ", 'UTC'), ' UTC')"),
  whole = function(value, type, decimals) {
    if (type == "double") {
      return(sql("CAST(round(", value, " * ", power_of_ten(decimals), ") AS Nullable(Int64))"))
    }
    if (type == "whole") value <- sql("CAST(", value, " AS Nullable(Decimal(38, 0)))")
    sql("CAST(", value, " * ", power_of_ten(decimals), " AS Nullable(Decimal(38, 0)))")
  },
  # Sums of whole numbers of 64 bits begin anew where they overflow, without a word.
  wide = function(value) sql("CAST(", value, " AS Nullable(Decimal(38, 0)))"),
  rounded = function(value) {
    power <- sql("pow(10., 14 - floor(log10(abs(", value, "))))")
    sql("(round(", value, " * ", power, ") / ", power, ")")
  },
  finite = function(value) sql("nullIf(nullIf(", value, ", 1 / 0.), -1 / 0.)"),
  holds = function(number, type, op, text) {
    sql(number, " ", op, " ", clickhouse_number(type, text))
  },
  last = function(value, key) sprintf("argMax(%s, %s)", value, key),
  divide = function(a, b) sql("(", a, " / ", b, ")"),
  whole_sum = function(sum, decimals) {
    sprintf("CAST(%s * %s AS Nullable(Decimal(38, 0)))", sum, power_of_ten(decimals))
  },
  whole_text = function(sum) sprintf("toString(%s)", sum),
  # Days are numbers here; what it writes as the first of 1970 is a day that is missing.
  day = function(value, type, zone) {
    switch(type, "iso timed" = sql("SUBSTR(", value, ", 1, 10)"), iso = value,
           # In zones west of Greenwich a moment that is missing would fall on no day there is.
           instant = sql("toInt32(toDate(", value, ", ", bound(zone), ")) * (toUInt32(", value,
                         ") > 0)"),
           sql("toInt32(", value, ")"))
  },
  one_day = function(day) if (is.na(day)) "NULL" else sprintf("%d", as.integer(day)),
  day_there = function(value, type) {
    if (type == "instant") sql("nullIf(", value, ", toDateTime(0))")
    else sql("nullIf(", value, ", toDate(0))")
  },
  day_out = function(name, type) {
    if (startsWith(type, "iso")) name else sprintf("nullIf(%s, 0)", name)
  },
  day_back = function(values) {
    if (is.character(values)) days_of_iso(values) else days_in_years(values)
  },
  between = function(value, type, zone, from, to) {
    days <- sql(" BETWEEN ", sprintf("%d", from), " AND ", sprintf("%d", to))
    date <- function(day) sprintf("toDate('%s')", iso_day(min(max(day, 0L), last_day_of_date)))
    switch(type, iso = iso_between(value, from, to),
      "iso timed" = iso_between(sql("SUBSTR(", value, ", 1, 10)"), from, to),
      day = if (from > 0 && to <= last_day_of_date)
        sql(value, " BETWEEN ", date(from), " AND ", date(to))
      else sql("toInt32(", value, ")", days),
      # The first two lines let it pass over what lies far away.
      instant = sql("toDate(", value, ") >= ", date(from - 2L), " AND toDate(", value, ") <= ",
                    date(to + 2L), " AND toInt32(toDate(", value, ", ", bound(zone), "))", days))
  },
  hour = function(value, type, zone) {
    switch(type,
      "iso timed" = sql("CAST(nullIf(SUBSTR(", value, ", 12, 2), '') AS Nullable(Int32))"),
      instant = sql("toHour(", value, ", ", bound(zone), ")"))
  },
  # The place of a day in a list; none is 0.
  period = function(day, numbers, from, to) {
    first <- min(from)
    of <- integer(max(to) - first + 1L)
    for (i in seq_along(numbers)) of[seq.int(from[i], to[i]) - first + 1L] <- numbers[i]
    sql("[", paste(of, collapse = ", "), "][", day, sprintf(" - %d]", first - 1L))
  },
  among = function(value, texts, dialect) {
    texts <- unique(texts[!is.na(texts)])
    if (length(texts) == 0) return(sql("CASE WHEN ", value, " IS NULL THEN NULL ELSE 0 END"))
    sql(value, " IN (", paste(clickhouse_literal(texts), collapse = ", "), ")")
  },
  mapped = function(value, type, from, to, as_number = FALSE) {
    clickhouse_mapping(value, type, from, to, as_number)
  },
  most_mapped = Inf,
  real = function(text, dialect) clickhouse_real(text),
  clock = function(value) sql("match(", value, ", '^[T ]([01][0-9]|2[0-3]):[0-5][0-9]')"),
  odd = function(value, type) {
    if (type != "double") return(NULL)
    list(nan = sql("isNaN(", value, ")"), infinite = sql("isInfinite(", value, ")"))
  },
  has_table = function(engine, relation) {
    rows <- engine_rows(engine, sql(
      "SELECT CAST(COUNT(*) AS Nullable(Float64)) AS n FROM system.tables WHERE database = ",
      bound(relation$table$schema), " AND name = ", bound(relation$table$name)))
    rows$n > 0
  },
  begin = function(engine) TRUE,
  end = function(engine) clickhouse_settled(engine),
  token = function(engine) clickhouse_token(engine),
  says = function(x, look) clickhouse_says(x, look),
  problem = function(message) {
    if (grepl("nterrupted|aborted by an application callback|Code: 394[,.]", message)) {
      return("stopped")
    }
    if (grepl(clickhouse_lost, message)) return("lost")
    if (grepl(clickhouse_shard_lost, message)) "part" else ""
  }
)

clickhouse_lost <- paste("Failed to connect|Could not connect|Couldn't connect|Empty reply",
                         "Connection reset by peer$|transfer closed|Connection was reset",
                         "Timeout was reached|timed out after|Recv failure|Send failure", sep = "|")

# A shard that is down, goes down while it is asked, or whose copies lag too far behind.
clickhouse_shard_lost <- "Code: (279|209|210|32|33|95|99|101|102|519|369)[,.]"

# Dates of two bytes end here; the oldest versions know them up to 2105.
last_day_of_date <- 49672L

# ---- literals -----------------------------------------------------------------------------

# A value, or several texts, as they are written into a statement: this and the names are all that
# is.
clickhouse_literal <- function(value) {
  if (length(value) == 1 && is.na(value)) return("NULL")
  if (is.numeric(value)) return(exact_digits(value))
  text <- enc2utf8(value)
  text <- gsub("\\", "\\\\", text, fixed = TRUE)
  text <- gsub("'", "\\'", text, fixed = TRUE)
  for (mark in list(c("\n", "\\n"), c("\r", "\\r"), c("\t", "\\t"), c("\b", "\\b"),
                    c("\f", "\\f"))) {
    text <- gsub(mark[1], mark[2], text, fixed = TRUE)
  }
  paste0("'", text, "'")
}

clickhouse_name <- function(name) {
  paste0("`", gsub("`", "\\`", gsub("\\", "\\\\", enc2utf8(name), fixed = TRUE), fixed = TRUE),
         "`")
}

# A number to compare an amount with, of a type that loses none of its digits.
clickhouse_number <- function(type, text) {
  if (is.na(text)) return("CAST(NULL AS Nullable(Float64))")
  plain <- grepl("^-?[0-9]{1,20}([.][0-9]{1,9})?$", text)
  broken <- type == "whole" && grepl(".", text, fixed = TRUE)
  if (type %in% c("double", "scaled") || !plain || broken) {
    return(clickhouse_real(text))
  }
  decimals <- if (grepl(".", text, fixed = TRUE)) nchar(sub("^[^.]*[.]", "", text)) else 0L
  sql("CAST(", bound(text), sprintf(" AS Decimal(38, %d))", decimals))
}

# Written as a number it is read exactly; old versions read texts of numbers less well.
clickhouse_real <- function(text) {
  sprintf("CAST(%s AS Float64)", clickhouse_digits(text))
}

clickhouse_digits <- function(text) {
  stopifnot(grepl("^-?[0-9.]+(e[-+]?[0-9]+)?$", text))
  ifelse(grepl("[.e]", text), text, paste0(text, ".0"))
}

# What stands for each value, a text or a number, missing where there is nothing: a mapping that
# goes along with the statement, so that every shard has it.
clickhouse_mapping <- function(value, type, from, to, as_number) {
  held <- !is.na(from) & !is.na(to)
  from <- from[held]
  to <- enc2utf8(to[held])
  if (length(from) == 0) {
    return(sql("CAST(NULL AS Nullable(", if (as_number) "Float64" else "String", "))"))
  }
  none <- if (as_number) "-1.5e300" else "\002"
  while (none %in% to) none <- paste0(none, if (as_number) "1" else "\002")
  texts <- function(values) sql(paste0("[", paste(clickhouse_literal(values), collapse = ", "),
                                       "]"))
  numbers <- function(values) sql(paste0("[", paste(values, collapse = ", "), "]"))
  # Bare numbers, so that a list of them is one literal.
  reals <- function(values) numbers(clickhouse_digits(values))
  keys <- switch(type, day = , moment = , instant = numbers(days_of_iso(from)),
                 double = , decimal = , scaled = reals(from),
                 texts(from))
  of <- switch(type, flag = sql("upper(toString(", value, "))"),
               whole = sql("toString(", value, ")"),
               double = , decimal = , scaled = sql("CAST(", value, " AS Nullable(Float64))"), value)
  none <- if (as_number) none else clickhouse_literal(none)
  sql("nullIf(transform(", of, ", ", keys, ", ", if (as_number) reals(to) else texts(to), ", ",
      none, "), ", none, ")")
}

# ---- types ----------------------------------------------------------------------------------

plain_clickhouse_type <- function(declared) {
  sub("^Nullable\\((.*)\\)$", "\\1", sub("^LowCardinality\\((.*)\\)$", "\\1", declared))
}

clickhouse_types <- function(declared) {
  plain <- sub("[(].*", "", plain_clickhouse_type(declared))
  known <- c(String = "text", FixedString = "text", Enum8 = "text", Enum16 = "text", UUID = "text",
             Date = "day", Date32 = "day", DateTime = "instant", DateTime64 = "instant",
             Bool = "flag", Decimal = "decimal", Float32 = "double", Float64 = "double")
  out <- unname(known[plain])
  out[grepl("^U?Int(8|16|32|64|128)$", plain)] <- "whole"
  out[is.na(out)] <- "none"
  out
}

# A column of text as plain text: a text of a fixed length ends where its zeros begin.
clickhouse_text <- function(value, declared) {
  plain <- plain_clickhouse_type(declared)
  if (startsWith(plain, "String")) value else sql("toString(", value, ")")
}

# ---- shards ------------------------------------------------------------------------------------

# A table of no database is one of the connection's. What tables are made of, other shards' too, is
# watched from then on.
clickhouse_relation <- function(engine, relation) {
  if (is.null(relation$table)) return(relation)
  if (is.null(relation$table$schema)) {
    relation$table <- list(schema = engine$con$database, name = relation$table$name)
  }
  relation$from <- paste(vapply(unlist(relation$table), clickhouse_name, ""), collapse = ".")
  relation
}

watch_clickhouse <- function(engine, relation) {
  label <- relation$from
  if (!is.null(engine$watched[[label]])) return(invisible())
  place <- if (is.null(relation$table)) list(shards = 1L, parts = FALSE)
           else clickhouse_place(engine, relation)
  engine$watched[[label]] <- c(place, list(from = relation$from))
  engine$token <- clickhouse_token(engine)
}

# Where the rows of a table lie: list(cluster, schema, name, shards, parts). `cluster` is NULL for a
# table of this server alone; `parts` is whether it is kept in parts, which tell what changed.
clickhouse_place <- function(engine, relation) {
  found <- engine_rows(engine, sql(
    "SELECT engine, engine_full FROM system.tables WHERE database = ",
    bound(relation$table$schema), " AND name = ", bound(relation$table$name)))
  place <- c(relation$table[c("schema", "name")], list(shards = 1L, parts = FALSE))
  if (length(found$engine) == 0) return(place)
  place$parts <- grepl("MergeTree$", found$engine)
  if (found$engine != "Distributed") return(place)
  parts <- trimws(strsplit(sub("^Distributed\\((.*)\\).*$", "\\1", found$engine_full), ",")[[1]])
  parts <- gsub("^['`\"]|['`\"]$", "", parts[1:3])
  place$cluster <- parts[1]
  place$schema <- if (nzchar(parts[2])) parts[2] else engine$con$database
  place$name <- parts[3]
  rows <- engine_rows(engine, sql(
    "SELECT CAST(COUNT(DISTINCT shard_num) AS Nullable(Float64)) AS n FROM system.clusters ",
    "WHERE cluster = ", bound(parts[1])))
  place$shards <- as.integer(rows$n)
  place$parts <- TRUE
  if (isTRUE(attr(engine$con$settings, "fixed"))) {
    refuse("connection", c(
      "The user may not change settings, so the shards that answer cannot be counted.",
      i = "Have readonly set to 2 for the user: it reads as little, and may say how."), call = NULL)
  }
  expected <- engine$con$shards
  if (!is.null(expected) && !identical(as.integer(expected), place$shards)) {
    refuse("source", c(
      sprintf("%s is spread over %s, and {shards} says %d.", relation$label,
              count_text(place$shards, "shard", "shards"), as.integer(expected)),
      i = "Say how many there are, or leave it out."), arg = "shards", call = NULL)
  }
  place
}

# What tells that no entries came, went or were changed on any shard: the tables themselves, their
# columns, and their parts, as each shard has them. NULL where a table is kept in a way that tells
# nothing.
clickhouse_token <- function(engine) {
  engine$state <- clickhouse_state(engine)
  if (length(engine$watched) > 0 && engine$state$tells) {
    paste(engine$state$held, engine$state$closer)
  }
}

# list(held, closer, tells): what is held, as far as it can be told: the table, its columns and its
# parts; without parts the count of rows, which tells only that some came or went. Rows that are
# merged into other parts within a question stay the same rows; between questions what the parts
# hold is looked at more closely.
clickhouse_state <- function(engine) {
  told <- lapply(unname(engine$watched), function(place) {
    object <- if (!is.null(place$name)) clickhouse_object(engine, place)
    parts <- if (place$parts) clickhouse_parts(engine, place)
    if (any(nzchar(parts$short))) {
      return(list(object = object, parts = parts$short, closer = parts$told))
    }
    list(object = object, rows = engine_rows(engine, sql(
      "SELECT CAST(COUNT(*) AS Nullable(Float64)) AS n FROM ", place$from, " AS t"))$n)
  })
  list(held = rlang::hash(lapply(told, function(one) list(one$object$told, one$parts, one$rows))),
       closer = rlang::hash(lapply(told, function(one) one$closer)),
       tells = all(vapply(told, function(one) !is.null(one$parts) && !isTRUE(one$object$young),
                          TRUE)))
}

# The table as each shard has it: which it is, when it was defined, and its columns: list(told,
# young). Without numbers of their own, two that were made within the same second are not told
# apart, so for as long a table tells nothing.
clickhouse_object <- function(engine, place) {
  known <- columns_of_system(engine, "tables")
  of <- intersect(c("uuid", "metadata_modification_time", "data_path", "data_paths"), known)
  asked <- function(table, what, name, age = "0") {
    from <- if (is.null(place$cluster)) sql("system.", table)
            else sql("cluster(", bound(place$cluster), ", system.", table, ")")
    piece <- sql("SELECT groupArray(concat(", sql_list(lapply(what, sql), ", ' ', "),
                 ")) AS p, MIN(", age, ") AS a, COUNT(*) AS n FROM ", from,
                 " WHERE database = ", bound(place$schema), " AND ", name, " = ",
                 bound(place$name))
    rows <- if (is.null(place$cluster)) engine_rows(engine, piece) else shard_rows(engine, piece)
    check_shards(engine, place, length(rows$n))
    list(told = sort(rows$p), age = min(as.double(rows$a)))
  }
  is_numbered <- "uuid" %in% known
  tables <- asked("tables", c("engine_full", sprintf("toString(%s)", of)), "name",
                  if (is_numbered) "0" else "toInt64(now()) - toInt64(metadata_modification_time)")
  columns <- asked("columns", c("name", "type", "default_expression"), "table")
  list(told = list(tables$told, columns$told), young = !is_numbered && isTRUE(tables$age < 2))
}

columns_of_system <- function(engine, table) {
  known <- engine$system_columns[[table]]
  if (is.null(known)) {
    known <- engine_rows(engine, sql("DESCRIBE TABLE system.", table))$name
    engine$system_columns[[table]] <- known
  }
  known
}

# What each shard has, a text each: list(short, told). All shards must answer.
clickhouse_parts <- function(engine, place) {
  from <- if (is.null(place$cluster)) "system.parts"
          else sql("cluster(", bound(place$cluster), ", system.parts)")
  piece <- sql("SELECT groupArray(concat(partition_id, ' ', toString(rows), ' ', ",
               "toString(max_block_number), ' ', toString(CASE WHEN data_version = ",
               "min_block_number THEN 0 ELSE data_version END)",
               if ("hash_of_all_files" %in% columns_of_system(engine, "parts"))
                 ", ' ', hash_of_all_files" else ", ' ', toString(modification_time)",
               ")) AS p, ",
               "COUNT(*) AS n FROM ", from, " WHERE active AND database = ", bound(place$schema),
               " AND table = ", bound(place$name))
  rows <- if (is.null(place$cluster)) engine_rows(engine, piece) else shard_rows(engine, piece)
  check_shards(engine, place, length(rows$n))
  told <- sort(rows$p)
  # Mostly they are those of last time.
  known <- engine$parts_told[[place$from]]
  if (!identical(known$told, told)) {
    known <- list(told = told, short = sort(vapply(told, parts_in_short, "", USE.NAMES = FALSE)))
    engine$parts_told[[place$from]] <- known
  }
  known
}

# Parts by partition: rows, newest block and version.
parts_in_short <- function(text) {
  parts <- strsplit(gsub("^\\['?|'?\\]$", "", text), "','", fixed = TRUE)[[1]]
  if (length(parts) == 0) return("")
  fields <- do.call(rbind, strsplit(parts, " ", fixed = TRUE))
  number <- function(i) as.double(fields[, i])
  by <- factor(fields[, 1])
  paste(levels(by), tapply(number(2), by, sum), tapply(number(3), by, max),
        tapply(number(4), by, max), collapse = "; ")
}

# Rows that each shard gives for itself.
shard_rows <- function(engine, piece) {
  engine_asked(engine, piece, function(con, text, values) {
    http_rows(con, text, c(distributed_group_by_no_merge = "1"))
  })
}

check_shards <- function(engine, place, answered) {
  if (answered == place$shards) return(invisible())
  refuse("connection", c(
    sprintf("%d of the %d shards of %s answered.", answered, place$shards, engine$label),
    i = "Nothing is given, as entries would be missing. Ask again once all of them are up."),
    call = NULL)
}

# At the end of a question: all shards are there, and have what they had.
clickhouse_settled <- function(engine) {
  # Where nothing was asked there is nothing that could disagree.
  if (isTRUE(engine$failed) || identical(engine$sent, engine$sent_before)) return(invisible())
  if (!identical(clickhouse_state(engine)$held, engine$state$held)) refuse_moved(engine)
}

# How many shards there are, and on which days they end, where these differ: a copy may lag behind.
clickhouse_says <- function(x, look) {
  place <- x$engine$watched[[x$relation$from]]
  if (is.null(place$cluster)) return(character())
  out <- count_text(place$shards, "shard", "shards")
  if (place$shards == 1L) return(out)
  column <- x$columns[[x$on[[1]]]]
  day <- x$engine$dialect$day(column$value, date_type(x, x$on[[1]]), x$time_zone)
  rows <- shard_rows(x$engine, sql("SELECT MAX(", day, ") AS d, MAX(hostName()) AS h, ",
                                   "COUNT(*) AS n FROM ", x$relation$from, " AS t"))
  check_shards(x$engine, place, length(rows$n))
  days <- x$engine$dialect$day_back(rows$d)
  days[as.double(rows$n) == 0] <- NA
  if (length(unique(days)) == 1) return(out)
  told <- ifelse(is.na(days), "no entries", iso_day(days))
  named <- !is.na(days) & anyDuplicated(rows$h[!is.na(days)]) == 0
  told[named] <- paste(told[named], "on", rows$h[named])
  c(out, sprintf("of which the newest days are %s", listed(told[order(days)], most = 8)))
}
