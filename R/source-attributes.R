describe_verb("add_attributes", asked_of = "ledger",
  table = field("table", paste("a data frame with one row per key, the path of a file, or a table",
                               "of the same database"), option = FALSE, needed = TRUE),
  key = field("pairs", "the column that both have", option = FALSE, needed = TRUE, more = paste(
    "Text of length one; or named, the ledger's column first: `c(account = \"id\")`."))
)

#' Join a lookup table to the entries
#'
#' Brings names in: every column of a lookup table (accounts and their holders, routes and their
#' regions) becomes a column of the ledger, by which entries can be grouped, filtered and counted.
#' No entry is dropped: where a key has no match the new columns are missing, and a message says how
#' many entries and which keys.
#'
#' @param x A [ledger()].
#' @eval field_params("add_attributes")
#' @return A `ledger` with more columns. `units` of its amounts are not known.
#' @section Errors:
#' `rollingledger_error_column` for a column that does not exist, or a name that the ledger has
#' already; `rollingledger_error_source` for a lookup with two rows for one key, or one in which no
#' key is found.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on")) |>
#'   add_attributes(demo_accounts, key = "account")
#' statement(fares, by = "kind", span = "last month", people = distinct(account),
#'           households = distinct(household), income = total(fare),
#'   per_household = income / households)
#' @include question-fields.R
add_attributes <- function(x, table, key) {
  check_ledger_object(x)
  # A table of the ledger's own database is joined there.
  within <- engine_table(x, table)
  given <- if (is.null(within)) given_table(table, substitute(table))
  table <- if (is.null(within)) table_given(given) else within
  if (is.null(within) && (!is.data.frame(table) || nrow(table) == 0))
    refuse("source",
           sprintf("{table} must be a data frame with a row per key, not %s.", kind_text(table)))
  there <- if (is.null(within)) names(table) else within$described$name
  if (!rlang::is_string(key))
    refuse("choice", "{key} must be the name of one column, or a pair such as c(account = \"id\").",
           arg = "key")
  ours <- names(key) %||% key[[1]]
  theirs <- key[[1]]
  if (!theirs %in% there) {
    refuse_column(theirs, there,
                  where = if (!is.null(within)) within$relation$label
                          else if (is.null(given$file)) "{table}" else basename(given$file))
  }
  new <- setdiff(there, theirs)
  taken <- intersect(new, c(source_column_names(x), source_facts(x)$left_out))
  if (length(taken) > 0) {
    refuse("column",
           c(sprintf("The ledger has a column `%s` already.", taken[1]),
             i = "Rename or leave out that of the lookup table."), given = taken[1])
  }
  x <- source_with(x, list(step = "lookup", table = table, ours = ours, theirs = theirs))
  record <- if (is.null(within)) table_record(given) else within$record
  note_step(x, "add_attributes", table = record, key = key)
}

# A ledger in memory with the columns of a lookup table.
with_lookup <- function(x, table, ours, theirs, call = caller_env()) {
  x <- in_one_piece(x)
  say_unmatched(ledger_attribute(x, ours),
                match_keys(ledger_attribute(x, ours, call)$members, table[[theirs]], theirs,
                           call = call), x, ours)
  x <- with_looked_up(x, table, ours, theirs)
  x$steps <- c(x$steps, list(list(table = table, ours = ours, theirs = theirs)))
  x
}

with_looked_up <- function(x, table, ours, theirs) {
  column <- ledger_attribute(x, ours)
  at <- match_keys(column$members, table[[theirs]], theirs, some = FALSE)
  entry <- core_codes_back(column) + 1L
  standing <- core_sort_by_day(integer(x$used), core_threads())
  new <- setdiff(names(table), theirs)
  added <- lapply(stats::setNames(nm = new),
                  function(name) looked_up(table[[name]][at], entry, standing))
  left_out <- new[vapply(added, is.null, TRUE)]
  x$columns <- c(x$columns, added[setdiff(new, left_out)])
  x$left_out <- c(x$left_out, left_out)
  with_new_handle(x)
}

# The row of the lookup for each member.
match_keys <- function(members, keys, name, some = TRUE, call = caller_env()) {
  same_kind <- is.numeric(members) == is.numeric(keys)
  if (!same_kind) keys <- plain_text(keys)
  twice <- unique(keys[duplicated(keys) & !is.na(keys)])
  if (length(twice) > 0) refuse_keys_twice(twice, name, call)
  at <- if (is.factor(members) || is.factor(keys) || !same_kind) match(plain_text(members),
      plain_text(keys))
        else match(members, keys)
  at[is.na(members)] <- NA
  if (some && all(is.na(at))) {
    refuse("source", c(sprintf("No key of the ledger is found in `%s` of the lookup.", name),
                       i = sprintf("The ledger holds, for example, %s; the lookup %s.",
                                   listed(dQuote(utils::head(members[!is.na(members)], 2), FALSE)),
                                   listed(dQuote(utils::head(keys, 2), FALSE)))), call = call)
  }
  at
}

refuse_keys_twice <- function(twice, name, call) {
  refuse("source",
         c(sprintf("The lookup has more than one row for %s: %s.",
                   if (length(twice) == 1) "a key" else "some keys", listed(twice, most = 3)),
           i = sprintf("Each `%s` needs one row.", name)), call = call)
}

say_unmatched <- function(column, at, x, name) {
  absent <- which(is.na(at))
  if (length(absent) == 0) return(invisible())
  counts <- tabulate(core_codes_back(column) + 1L, length(column$members))
  inform(sprintf("%s of %s without a match in the lookup: %s %s.",
                 count_text(sum(counts[absent]), "entry", "entries"), number_text(x$used), name,
                 listed(member_text(column$members[absent]), most = 5)),
         class = "rollingledger_message")
}

# A column of the ledger from the value of each member of the key: members are encoded once, not
# once per entry.
looked_up <- function(values, entry, standing) {
  small <- encode_column(values, core_sort_by_day(integer(length(values)), core_threads()))
  if (is.null(small)) return(NULL)
  if (is_code_column(small))
    return(packed_codes(core_codes_back(small)[entry], small$members, standing))
  if (small$kind == "exact64" && small$decimals == 0L) {
    bits <- small$data[entry]
    bits[is.na(entry)] <- -0.0  # the bits of no amount
    return(encode_integer64(bits, standing))
  }
  encode_column(if (small$kind == "day") as_date(small$data)[entry]
                else core_amounts_back(small)[entry], standing)
}
