# A dialect is what engines write differently: names of types, days, lists that are bound, how an
# engine tells of its tables and of changes. Each stands in a file of its own as a list of
#   name, double, text, big, long   its name, and the types of numbers, text, whole numbers of any
#                                   size and those of 64 bits
#   places(i)                       how bound values are written
#   describe(engine, relation)      the columns there are: data frame of name and type
#   as_text(value, type)            text that is told apart and ordered by its bytes
#   whole(value, type, decimals)    an amount moved by so many decimals, as a whole number
#   last(value, key)                the value of the row with the largest key, beside MAX(key)
#   compared(type, texts)           the type as which amounts are compared with such numbers
#   divide(a, b)                    of whole numbers that divide without rest
#   day(value, type, zone)          the day of a date or moment, to group by
#   day_out(name, type)             such a day as it is sent; day_back() reads it
#   between(value, type, zone, from, to)
#   hour(value, type, zone)
#   json_table(json, n), json_column(json)   bound lists as a table of texts k1, k2, ...; as texts
#   clock(value)                    whether a text is a time of day
#   odd(value, type)                list(nan, infinite), conditions; NULL where there are none
#   has_table(engine, relation)     whether there is such a table
#   begin(engine), end(engine), token(engine)
#   is_still(engine, relation)      whether rows are others only where something was written
#   problem(message)                "lost", "stopped", "part" (of it does not answer) or ""
#   rounded(value), finite(value)   a double rounded to 15 digits; missing where it is no number
# Types are "whole", "decimal", "double", "scaled" (whole, of so many decimals), "text", "flag",
# "day", "iso" (days as text), "moment", "instant" and "none".

# What most engines have in common, and a dialect writes otherwise where it must.
dialect_defaults <- list(
  # Statements are one SELECT each, without joins.
  flat = FALSE,
  # Values are bound; otherwise `literal(value)` writes them.
  binds = TRUE,
  # The text that stands for a value is written, mapped(value, type, from, to), instead of a table
  # that is joined: always, or for so many values at most.
  maps = FALSE, most_mapped = -1L,
  # A column holds any value whatever its type; then kinds() tells what is there.
  mixes = FALSE, kinds = function(engine, relation, names, types) types,
  # How many decimals a decimal has; what rows are in order by; what tells that entries are the
  # same, and at what moment: NULL where an engine does not tell.
  decimals = function(v) NULL, row_key = function(engine, relation) NULL,
  evidence = function(engine, relation) NULL, moment = function(engine) NULL,
  # Members are counted faster where each comes once, and how they are counted then.
  distinct_first = FALSE, distinct_count = "COUNT(DISTINCT m)",
  quoted = function(name) paste0("\"", gsub("\"", "\"\"", enc2utf8(name), fixed = TRUE), "\""),
  # A table as it is found.
  relation = function(engine, relation) relation,
  # A column of text as plain text.
  text_of = function(value, declared, is_date) value,
  # A whole number whose sums may be larger than 64 bits.
  wide = function(value) value,
  # The number of the period that holds a day; NULL where days are compared with its ends.
  period = function(day, numbers, from, to) NULL,
  among = function(value, texts, dialect) {
    sql(value, " IN ", dialect$json_column(json_list(texts)))
  },
  one_day = function(day) sql("CAST(", bound(iso_day(day)), " AS date)"),
  # A day, missing where it stands for none.
  day_there = function(value, type) value,
  # A number as it is written.
  real = function(text, dialect) sql("CAST(", bound(text), " AS ", dialect$double, ")"),
  # The files that a connection has open, and what is said of a ledger when it is printed.
  files = function(engine) NULL, says = function(x, look) NULL,
  date_hint = "Turn it into dates by a {query} or a view."
)

new_dialect <- function(own) utils::modifyList(dialect_defaults, own)

as_double <- function(dialect, value) sql("CAST(", value, " AS ", dialect$double, ")")

power_of_ten <- function(decimals) sprintf("%.0f", 10^decimals)

# An amount as an engine compares it and sends it: a number.
sql_number <- function(dialect, value, type, scale = 0L) {
  if (type != "scaled") return(value)
  sql("(", as_double(dialect, value), " / ", power_of_ten(scale), ")")
}

# An amount as it is compared, grouped and banded: doubles that are not exact by 15 digits, as in
# memory. A missing one stays missing, whatever an engine writes for it.
number_told_apart <- function(x, name, column) {
  number <- sql_number(x$engine$dialect, column$value, column$type, column$scale %||% 0L)
  if (column$type != "double") return(number)
  if (is.null(column$calculated) && (is.null(name) || source_column(x, name)$exact)) return(number)
  sql("CASE WHEN ", number, " IS NULL OR ", number, " = ROUND(", number, ") THEN ", number,
      " ELSE ",
      x$engine$dialect$rounded(number), " END")
}

# What is added up for a column, and how the sum is sent: list(of, out). Sums of exact amounts come
# as whole numbers of their smallest decimal: as text where a double might not hold them.
sql_sum <- function(dialect, column, facts, name) {
  number <- sql_number(dialect, column$value, column$type, column$scale %||% 0L)
  if (!facts$exact) {
    return(list(of = as_double(dialect, number), out = sprintf("SUM(%s)", name)))
  }
  plain <- column$type %in% c("whole", "decimal")
  of <- if (plain) column$value
        else sql_whole(dialect, column, facts$decimals)
  if (facts$sum_of_sizes >= 2^62) of <- dialect$wide(of)
  sum <- sprintf("SUM(%s)", name)
  if (column$type == "decimal") sum <- dialect$whole_sum(sum, facts$decimals)
  list(of = of, out = if (facts$sum_of_sizes < 2^52) as_double(dialect, sum)$text
                      else dialect$whole_text(sum))
}

# An amount as a whole number of so many decimals.
sql_whole <- function(dialect, column, decimals) {
  if (column$type != "scaled") return(dialect$whole(column$value, column$type, decimals))
  if (column$scale <= decimals) {
    return(sql("(", column$value, " * ", power_of_ten(decimals - column$scale), ")"))
  }
  dialect$divide(column$value, power_of_ten(column$scale - decimals))
}

# The bits of whole numbers, sent as doubles or as text.
bits_sent <- function(values) {
  if (is.character(values)) core_bits_of_text(values) else core_bits_of_numbers(as.double(values))
}

# ISO days written as text, whose order is that of time.
iso_between <- function(value, from, to) {
  sql(value, " BETWEEN ", bound(iso_day(from)), " AND ", bound(iso_day(to)))
}

days_of_iso <- function(values) core_iso_days(enc2utf8(as.character(values)))

dialects <- function() {
  list(sqlite = sqlite_dialect, postgres = postgres_dialect, duckdb = duckdb_dialect,
       clickhouse = clickhouse_dialect)
}
