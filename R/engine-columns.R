# What is known of a column of a ledger in an engine: what it holds, whether values are missing, how
# exact its amounts are. Asked of all columns at once, by the look at a ledger's entries.

source_column.engine_ledger <- function(x, name, call = caller_env()) {
  column <- x$columns[[name]]
  if (is.null(column) || name %in% x$hidden) {
    if (name %in% x$left_out) refuse_left_out(name, call)
    refuse_column(name, engine_column_names(x), call = call)
  }
  engine_look(x)
  known <- x$looked$columns[[name]]
  if (is.null(known)) {
    if (column$type %in% amount_types) {
      if (is_looked_at_above(x, name)) known <- source_column(x$parent, name)
      else look_at_amounts(x, engine_look(x), call, name)
    } else assign(name, plain_facts(column, name), envir = x$looked$columns)
    known <- known %||% x$looked$columns[[name]]
  }
  known$only_counted <- is_of_cells(x) && column$type %in% amount_types
  known
}

# What is known of a column stays known where no condition was added.
is_looked_at_above <- function(x, name) {
  !is.null(x$parent) && identical(x$keeps, x$parent$keeps) && name %in% names(x$parent$columns)
}

plain_facts <- function(column, name) {
  holds <- if (column$type %in% day_types) "days" else if (column$type == "flag") "flags"
           else if (isTRUE(column$ordered)) "ordered"
           else if (!is.null(column$levels)) "levels" else "text"
  list(name = name, holds = holds, decimals = 0L, exact = TRUE, has_missing = TRUE,
       sum_of_sizes = NULL, large = FALSE, of_64_bits = FALSE, is_blank = FALSE)
}

# How many decimals amounts have, and how large they are, by one look at all of the columns (or one)
# that are amounts: in whole numbers where decimals allow it.
look_at_amounts <- function(x, look, call = NULL, names = names_of_types(x, amount_types),
                            others = character()) {
  if (length(names) == 0 && length(others) == 0) return(invisible())
  within_engine(x$engine, {
    dialect <- x$engine$dialect
    used <- used_sql(x, base::names(x$on)[1])
    inner <- outer <- list()
    joins <- NULL
    for (i in seq_along(others)) {
      column <- column_sql(x, others[i])
      joins <- c(joins, column$joins)
      inner[[paste0("o", i)]] <- column$value
      outer[[paste0("o", i)]] <- as_double(dialect, sprintf("COUNT(o%d)", i))
    }
    for (i in seq_along(names)) {
      column <- column_sql(x, names[i])
      joins <- c(joins, column$joins)
      inner[[paste0("v", i)]] <- column$value
      outer <- c(outer, amount_checks(dialect, column, paste0("v", i)))
    }
    for (i in which(base::names(x$counts) %in% names)) {
      inner[[paste0("p", i)]] <- x$columns[[x$counts[[i]]]]$value
      outer[[paste0("p", i)]] <- as_double(dialect, sprintf("SUM(p%d)", i))
    }
    fold <- stats::setNames(ifelse(grepl("^v[0-9]+[md]$", base::names(outer)), "max", "sum"),
                            base::names(outer))
    rows <- asked_rows(x, inner, outer, used, joins, fold = fold)
    for (i in seq_along(names)) {
      facts <- facts_of_amounts(x$columns[[names[i]]] %||% list(), names[i], rows,
                                paste0("v", i), look$facts$counts$used)
      if (is_of_cells(x)) facts$has_missing <- missing_of_cells(x, names[i], rows, look)
      assign(names[i], facts, envir = x$looked$columns)
    }
    for (i in seq_along(others)) {
      facts <- plain_facts(x$columns[[others[i]]], others[i])
      held <- as.double(rows[[paste0("o", i)]])
      facts$has_missing <- is_of_cells(x) || held < look$facts$counts$used
      facts$is_blank <- held == 0
      assign(others[i], facts, envir = x$looked$columns)
    }
  })
}

# Whether entries without an amount are among those that cells stand for; unknown where nothing
# counts them.
missing_of_cells <- function(x, name, rows, look) {
  counted <- rows[[paste0("p", match(name, names(x$counts)))]]
  if (is.null(counted)) NA else as.double(counted) < look$facts$counts$used
}

# What one look asks of a column of amounts: how many there are, their size, and how many have more
# decimals than 0 to 4.
amount_checks <- function(dialect, column, v) {
  number <- sql_number(dialect, v, column$type, column$scale %||% 0L)
  of <- list(n = as_double(dialect, sprintf("COUNT(%s)", v)),
             s = as_double(dialect, sql("SUM(abs(", as_double(dialect, number), "))")),
             m = as_double(dialect, sql("MAX(abs(", as_double(dialect, number), "))")))
  if (column$type != "whole") {
    own <- if (column$type == "decimal") dialect$decimals(v)
    of$d <- as_double(dialect, sql("MAX(", own %||% decimals_sql(dialect, column, v), ")"))
  }
  stats::setNames(of, paste0(v, names(of)))
}

# How many decimals an amount has, up to 4, or 5 for more.
decimals_sql <- function(dialect, column, v) {
  most <- min(column$scale %||% declared_scale(column), 5L) - 1L
  if (most < 0L) return(sql("0"))
  # Asked from the fewest on: the first that do is how many there are.
  sql("CASE WHEN ", v, " IS NULL THEN 0 ", sql_list(lapply(seq_len(most + 1L) - 1L, function(k) {
    sql("WHEN NOT (", has_more_decimals(dialect, column, v, k), ") THEN ", sprintf("%d", k))
  }), " "), " ELSE ", sprintf("%d", most + 1L), " END")
}

# The decimals that a column can have at most, where its type says so: DECIMAL(12, 2).
declared_scale <- function(column) {
  declared <- column$declared %||% ""
  found <- regmatches(declared, regexec("D(?:ECIMAL|ecimal)\\([0-9]+, ?([0-9]+)\\)", declared,
                                        perl = TRUE))[[1]]
  if (column$type == "decimal" && length(found) == 2) as.integer(found[2]) else 5L
}

has_more_decimals <- function(dialect, column, v, k) {
  if (column$type == "scaled") {
    power <- power_of_ten(column$scale - k)
    return(sql(v, " <> ", dialect$divide(v, power), " * ", power))
  }
  if (column$type == "decimal") {
    return(sprintf("%s <> round(%s, %d)", v, v, k))
  }
  sprintf("%s <> round(%s * %s) / %s", v, v, power_of_ten(k), power_of_ten(k))
}

facts_of_amounts <- function(column, name, rows, v, used) {
  got <- function(what) as.double(rows[[paste0(v, what)]])
  held <- got("n")
  decimals <- if (column$type == "whole" || held == 0) 0L else as.integer(got("d"))
  if (decimals > 4L) decimals <- NA_integer_
  most <- if (held == 0) 0 else got("m")
  # Doubles tell so many decimals apart as the core does.
  exact <- !is.na(decimals) && (column$type != "double" || most * 10^decimals < 2^51)
  decimals <- if (exact) as.integer(decimals) else 0L
  sizes <- if (held == 0) 0 else got("s") * 10^decimals
  whole <- column$type == "whole"
  list(name = name, holds = "amounts", decimals = decimals, exact = exact,
       has_missing = held < used, sum_of_sizes = sizes, large = whole && most >= 2^53,
       of_64_bits = whole && (most >= 2^53 || isTRUE(column$declared %in% long_types)),
       is_blank = held == 0)
}

# Whole numbers that a driver hands over in 64 bits.
long_types <- c("int8", "BIGINT", "UBIGINT", "HUGEINT", "UINTEGER")
