# Files that stay where they are: each question reads the columns that it needs, by an engine, and
# no entry is held.

ledger_of_files_left <- function(source, given, asked, call = caller_env()) {
  paths <- function() full_path(files_meant(source, call))
  kind <- left_kind(paths(), given, call)
  check_left_fields(given, call)
  label <- label_of_files(source)
  engine <- new_duckdb_engine(":memory:", label, paths, call)
  # What is asked is the same whatever files there are: each connection has views of those that are
  # there as it is made.
  engine$prepare <- function(engine) {
    paths <- paths()
    views <- if (kind == "parquet") views_of_parquet(engine, paths, call)
             else views_of_text(engine, paths, given, engine$kinds_found, label, call)
    for (name in names(views)) {
      engine_run(engine, sprintf("CREATE OR REPLACE VIEW %s AS %s", sql_name(name), views[[name]]))
    }
  }
  # Files are looked for once, not by each of what is asked of them.
  within_engine(engine, engine$prepare(engine))
  tell_of_totals(engine, label, c(unlist(given$on), given$until))
  given$relation <- c(list(from = sql_name("entries"), from_rows = sql_name("entries by row"),
                           table = NULL, label = label, row_key = paste0("t.", row_of_file)),
                      engine$kinds_told)
  ledger_of_engine(engine, given, c(list(file = source), asked), call)
}

left_kind <- function(paths, given, call) {
  parquet <- grepl("[.]parquet$", paths, ignore.case = TRUE)
  text <- grepl("[.](csv|tsv|txt|tab|psv|dat|asc)([.]gz)?$", paths, ignore.case = TRUE)
  kinds <- if (!is.null(given$format)) given$format
           else unique(ifelse(parquet, "parquet", ifelse(text, "text", "other")))
  if (length(kinds) > 1 || !kinds %in% c("text", "parquet")) {
    refuse("source", c("Files that stay where they are must be text or Parquet, all of one kind.",
                       i = "Read others with {hold = TRUE}."), call = call)
  }
  kinds
}

# What only the reader of files in memory knows.
check_left_fields <- function(given, call) {
  for (name in c("number_format", "date_format", "sheet", "cells", "encoding", "codes", "skip",
                 "column_names")) {
    if (is.null(given[[name]])) next
    refuse("choice", c(sprintf("{%s} is not known for files that stay where they are.", name),
                       i = "Read them with {hold = TRUE}, or write them as Parquet first."),
           arg = name, call = call)
  }
}

engine_text <- function(text) paste0("'", gsub("'", "''", enc2utf8(text), fixed = TRUE), "'")

engine_list <- function(texts) paste0("[", paste(engine_text(texts), collapse = ", "), "]")

# Where there are several files, a column tells which.
file_column <- function(paths) {
  if (length(paths) > 1) ", parse_filename(filename) AS file" else ""
}

views_of_parquet <- function(engine, paths, call) {
  columns <- columns_of_parquet(engine, paths)
  check_left_layout(columns, paths, call)
  read <- sprintf(
    "read_parquet(%s, union_by_name = true, file_row_number = true, filename = true)",
    engine_list(paths))
  of <- paste0("SELECT ", paste(widest_columns(columns, paths, call), collapse = ", "),
               file_column(paths))
  # The place of a row in its file, after those of the files before it.
  place <- sprintf("CAST(list_position(%s, filename) - 1 AS DOUBLE) * 1e9 + 1 + file_row_number",
                   engine_list(paths))
  list(entries = sprintf("(%s FROM %s)", of, read),
       "entries by row" = sprintf("(%s, %s AS %s FROM %s)", of, place, row_of_file, read))
}

# The columns of each file and their types, asked of many files at a time.
columns_of_parquet <- function(engine, paths) {
  at_once <- 200L
  unlist(lapply(split(paths, (seq_along(paths) - 1L) %/% at_once), function(some) {
    each <- sprintf("SELECT %d AS file, column_name, column_type FROM (DESCRIBE SELECT * FROM %s)",
                    seq_along(some), sprintf("read_parquet(%s)", engine_text(some)))
    rows <- engine_rows(engine, paste(each, collapse = " UNION ALL "))
    lapply(seq_along(some), function(i) {
      own <- as.integer(rows$file) == i
      list(column_name = rows$column_name[own], column_type = rows$column_type[own])
    })
  }), recursive = FALSE, use.names = FALSE)
}

check_left_layout <- function(columns, paths, call) {
  parts <- lapply(columns, function(one) {
    list(table = stats::setNames(as.list(one$column_name), one$column_name))
  })
  check_one_layout(parts, labels_of_files(paths), call)
}

# Columns of several files, each as the widest of the types that it has: decimals hold the digits
# of all, and kinds that differ stand as text, as they do in memory.
widest_columns <- function(columns, paths, call) {
  names <- columns[[1]]$column_name
  vapply(names, function(name) {
    types <- unique(vapply(columns, function(one) {
      one$column_type[match(name, one$column_name)]
    }, ""))
    shown <- sql_name(name)
    if (length(types) == 1) return(shown)
    sprintf("CAST(%s AS %s) AS %s", shown, widest_type(types, name, columns, paths, call), shown)
  }, "", USE.NAMES = FALSE)
}

widest_type <- function(types, name, columns, paths, call) {
  kinds <- unique(duckdb_types(types))
  if (all(kinds %in% c("whole", "decimal"))) {
    scales <- rbind(decimal_digits(types))
    before <- max(scales[, 1])
    after <- max(scales[, 2])
    if (before + after <= 38) {
      return(if (after == 0) "HUGEINT" else sprintf("DECIMAL(38, %d)", after))
    }
  }
  if (all(kinds %in% c("whole", "decimal", "double"))) return("DOUBLE")
  if (all(kinds == "text")) return("VARCHAR")
  if (all(kinds == "moment") || all(kinds == "instant")) return(
    if (kinds == "moment") "TIMESTAMP" else "TIMESTAMP WITH TIME ZONE")
  of <- vapply(columns, function(one) one$column_type[match(name, one$column_name)], "")
  told <- replace(duckdb_types(of), duckdb_types(of) %in% amount_types, "amount")
  other <- which(told != told[1])[1]
  refuse("source", c(
    sprintf("The column `%s` is %s in %s and %s in %s.", name, of[1], labels_of_files(paths)[1],
            of[other], labels_of_files(paths)[other]),
    i = "Write the files with one kind of it, or read them with {hold = TRUE}."), call = call)
}

# Digits before and after the point that each type can have, a row each.
decimal_digits <- function(types) {
  whole <- c(TINYINT = 3, SMALLINT = 5, INTEGER = 10, BIGINT = 19, UTINYINT = 3, USMALLINT = 5,
             UINTEGER = 10, UBIGINT = 20, HUGEINT = 38)
  digits <- regmatches(types, gregexpr("[0-9]+", types))
  t(vapply(seq_along(types), function(i) {
    if (!startsWith(types[i], "DECIMAL")) return(c(unname(whole[types[i]]), 0))
    of <- as.double(digits[[i]])
    c(of[1] - of[2], of[2])
  }, c(0, 0)))
}

# Lines of totals are taken out of what is read into memory; here they are entries, which is told.
tell_of_totals <- function(engine, label, dates) {
  names <- engine_rows(engine, "DESCRIBE entries")
  names <- setdiff(names$column_name[names$column_type == "VARCHAR"], c(dates, "file"))
  if (length(names) == 0) return(invisible())
  pattern <- engine_text(paste0("^(", total_stems, ")([^0-9\\pL].*)?$"))
  called <- vapply(names, function(name) {
    v <- sprintf("TRIM(%s)", sql_name(name))
    sprintf("MIN(CASE WHEN regexp_full_match(%s, %s, 'i') THEN %s END)", v, pattern, v)
  }, "")
  found <- engine_rows(engine, sql_select(
    stats::setNames(as.list(called), paste0("m", seq_along(names))), "entries"))
  at <- which(!is.na(unlist(found)))
  if (length(at) == 0) return(invisible())
  tell(c(sprintf("In %s `%s` holds \"%s\", which reads as a line of totals and is an entry here.",
                 label, names[at[1]], shortened_text(found[[at[1]]])),
         i = paste("Leave such lines out with {where =}, or read the files with {hold = TRUE},",
                   "which takes those out that are sums.")), "rollingledger_message_totals")
}

row_of_file <- "\".row of file\""

# Text: what each column holds is decided over all rows first, and holds for all questions to come:
# plain numbers are amounts; all else stays text, days as 2026-09-17 among it. Files that are
# written in other ways, or have their columns in another order, are read each in its own.
views_of_text <- function(engine, paths, given, kinds, label, call) {
  forms <- lapply(paths, function(path) csv_form(engine, path, given))
  headers <- Map(function(path, form) {
    engine_rows(engine, sprintf("DESCRIBE SELECT * FROM %s", csv_read(
      path, given, paste0(form, ", all_varchar = true"))))["column_name"]
  }, paths, forms)
  names <- if (setequal(names(kinds), headers[[1]]$column_name)) names(kinds)
           else headers[[1]]$column_name
  for (header in headers) check_names_once(header$column_name, label, call)
  check_left_layout(headers, paths, call)
  runs <- runs_alike(Map(c, forms, lapply(headers, function(header) header$column_name)))
  read_all <- function(types, row = FALSE) {
    each <- lapply(seq_along(runs), function(i) {
      at <- runs[[i]]
      own <- headers[[at[1]]]$column_name
      pairs <- paste(sprintf("%s: %s", vapply(own, engine_text, ""),
                             engine_text(types[match(own, names)])), collapse = ", ")
      # Days and text without spaces around them.
      shown <- vapply(names, sql_name, "")
      of <- ifelse(types == "VARCHAR", sprintf("TRIM(%s) AS %s", shown, shown), shown)
      sprintf("SELECT %s%s%s FROM %s", paste(of, collapse = ", "), file_column(paths),
              if (row) sprintf(", CAST(row_number() OVER () AS DOUBLE) + %.0f AS %s",
                               (i - 1) * 1e10, row_of_file) else "",
              csv_read(paths[at], given, sprintf("%s, auto_detect = false, columns = {%s}",
                                                 forms[[at[1]]], pairs),
                       several = length(paths) > 1))
    })
    sprintf("(%s)", paste(each, collapse = " UNION ALL "))
  }
  as_text <- read_all(rep("VARCHAR", length(names)))
  kinds_of <- function(from) {
    stats::setNames(csv_kinds(engine, from, names, c(unlist(given$on), given$until)), names)
  }
  kinds_now <- function() kinds_of(sql_name("entries as text"))
  if (!identical(names(kinds), names)) kinds <- kinds_of(as_text)
  engine$kinds_found <- kinds
  engine$kinds_told <- list(kinds = kinds_now, kinds_found = kinds)
  list("entries as text" = as_text, entries = read_all(kinds),
       "entries by row" = read_all(kinds, row = TRUE))
}

# Places of files in runs that are written alike.
runs_alike <- function(of) {
  hashes <- vapply(of, rlang::hash, "")
  unname(split(seq_along(of), cumsum(c(TRUE, hashes[-1] != hashes[-length(hashes)]))))
}

# The engine's reader of separated text (RFC 4180). Rows that do not fit are an error, not left out.
csv_read <- function(paths, given, more, several = FALSE) {
  marks <- in_any_case(unique(c(given$missing %||% missing_marks, "")))
  sprintf("read_csv(%s, header = true, nullstr = %s, filename = %s, %s)", engine_list(paths),
          engine_list(marks), if (several) "true" else "false", more)
}

# Marks in every writing of their letters, since their case is overlooked and the engine's reader
# does not; long ones in small, capital and first letters.
in_any_case <- function(marks) {
  unique(unlist(lapply(marks, function(mark) {
    letters <- strsplit(mark, "")[[1]]
    has_case <- lower_text(letters) != upper_text(letters)
    if (sum(has_case) > 5) {
      return(c(mark, lower_text(mark), upper_text(mark), heading_first(lower_text(mark))))
    }
    each <- lapply(seq_along(letters), function(i) {
      unique(c(lower_text(letters[i]), upper_text(letters[i])))
    })
    if (length(each) == 0) "" else do.call(paste0, expand.grid(each, stringsAsFactors = FALSE))
  })))
}

# How a file is written.
csv_form <- function(engine, path, given) {
  separator <- stated_separator(given$separator, NULL)
  found <- engine_rows(engine, sprintf(
    paste("SELECT Delimiter AS d, Quote AS q, Escape AS e, CAST(SkipRows AS INTEGER) AS s",
          "FROM sniff_csv(%s%s)"),
    engine_text(path),
    if (is.null(separator)) "" else sprintf(", delim = %s", engine_text(separator))))
  # It writes "(empty)" where there is none.
  one <- function(text, otherwise) {
    if (gsub("[()]", "", text) %in% c("", "empty", NA)) otherwise else text
  }
  quote <- one(found$q, "\"")
  sprintf("delim = %s, quote = %s, escape = %s, skip = %d", engine_text(one(found$d, ",")),
          engine_text(quote), engine_text(one(found$e, quote)), as.integer(found$s))
}

# The type of each column, from all of its values: whole numbers, numbers with up to four decimals,
# others, or text. Zeros in front, or more than 15 digits, make codes.
csv_kinds <- function(engine, from, names, dates) {
  of <- list()
  for (i in seq_along(names)) {
    v <- sprintf("TRIM(t.%s)", sql_name(names[i]))
    number <- sprintf("regexp_full_match(%s, '-?(0|[1-9][0-9]{0,14})([.][0-9]+)?')", v)
    of[[paste0("n", i)]] <- sprintf("CAST(COUNT(%s) AS DOUBLE)", v)
    of[[paste0("o", i)]] <- sprintf("CAST(SUM(CASE WHEN %s THEN 0 ELSE 1 END) AS DOUBLE)",
                                    paste0(v, " IS NULL OR ", number))
    of[[paste0("d", i)]] <- sprintf(
      "CAST(MAX(CASE WHEN CONTAINS(%s, '.') THEN LENGTH(%s) - STRPOS(%s, '.') ELSE 0 END) AS %s",
      v, v, v, "DOUBLE)")
    # Digits after the point that are not three prove that it stands before the decimals.
    of[[paste0("p", i)]] <- sprintf(
      "CAST(COUNT(CASE WHEN CONTAINS(%s, '.') AND NOT %s THEN 1 END) AS DOUBLE)", v,
      sprintf("regexp_full_match(%s, '-?[1-9][0-9]{0,2}[.][0-9]{3}')", v))
  }
  found <- engine_rows(engine, sql_select(of, paste(from, "AS t")))
  vapply(seq_along(names), function(i) {
    if (names[i] %in% dates || found[[paste0("n", i)]] == 0 || found[[paste0("o", i)]] > 0) {
      return("VARCHAR")
    }
    decimals <- found[[paste0("d", i)]]
    if (decimals > 0 && found[[paste0("p", i)]] == 0) return("VARCHAR")
    if (decimals == 0) "BIGINT" else if (decimals <= 4) sprintf("DECIMAL(18,%.0f)", decimals)
    else "DOUBLE"
  }, "")
}
