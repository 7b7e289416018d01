describe_verb("append_entries", asked_of = "ledger",
  rows = field("table", "a data frame with the columns of the ledger's source, in any order",
               option = FALSE, more = paste(
    "Without rows, or NULL, only the as-of day moves on. A column of the ledger without a single",
    "value takes on what comes. New members of an ordered factor need an ordered factor with all",
    "levels, old and new, in their order.")),
  as_of = field("day", "a new as-of day, not earlier than the ledger's", option = FALSE,
                more = "A Date or text such as \"2026-09-18\".")
)

#' Append entries to a ledger
#'
#' New rows go through the same checks as those the ledger was built from, and what cannot be used
#' is set aside with them. Nothing that is there is read again: the new rows are kept beside it, and
#' totals and counts are put together from both, so the cost follows what is added. Every statement
#' asked afterwards, its labels and its days follow; it equals that of a ledger built anew from all
#' rows.
#'
#' The as-of day moves on to the newest entry's day (never later than today), unless the ledger was
#' built with an `as_of`: then that stays, or the one given here counts. Rows that were set aside as
#' later than the as-of day, on whichever date basis, are looked at again.
#'
#' @param x A [ledger()].
#' @eval field_params("append_entries")
#' @return A `ledger`. The old one stays as it is.
#' @section Errors:
#' `rollingledger_error_column` for a column that is missing or not known;
#' `rollingledger_error_source` for columns of another kind; `rollingledger_error_choice` for an
#' `as_of` before the ledger's; and as for [ledger()].
#' @export
#' @examples
#' first <- demo_fares[demo_fares$sailed_on <= as.Date("2026-08-31"), ]
#' fares <- ledger(first, on = c(sailed = "sailed_on"))
#' today <- demo_fares[demo_fares$sailed_on == as.Date("2026-09-01"), ]
#' fares |>
#'   append_entries(today) |>
#'   statement(per = "month", span = "latest 2 months", income = total(fare))
#' @include question-fields.R
append_entries <- with_fields("append_entries", function(x, rows, as_of) {
  check_ledger_object(x)
  out <- source_with(x, list(step = "append", rows = rows, as_of = as_of))
  if (is.null(rows) || nrow(rows) == 0) return(out)
  note_step(out, "append_entries", rows = nrow(rows))
})

# A ledger in memory with more entries.
with_appended <- function(x, rows, as_of, call = caller_env()) {
  rows <- if (is.null(rows)) no_rows(x) else check_appended(rows, x, call)
  if (nrow(rows) == 0 && is.null(as_of)) return(x)
  check_entry_limit(as.double(x$read) + nrow(rows), call)
  read_before <- x$read
  if (!is_appended(x)) {
    base <- x
    if (!is.null(x$later)) rows <- rbind(x$later, rows)
  } else if (nrow(x$parts$rows) > max(50000, x$parts$base$used / 20)) {
    # What was appended before is read again with the new rows while it is small; then all becomes
    # one.
    base <- in_one_piece(x)
    rows <- rbind(x$later, rows)
  } else {
    base <- x$parts$base
    rows <- rbind(x$parts$rows, rows)
  }
  joined_ledger(base, rows, appended_as_of(x, rows, as_of, call), read_before, call)
}

no_rows <- function(x) {
  columns <- lapply(stats::setNames(nm = x$asked$columns), function(name) logical())
  as.data.frame(columns, optional = TRUE)
}

# The rows as a data frame with the columns of the source.
check_appended <- function(rows, x, call = caller_env()) {
  if (!is.data.frame(rows))
    refuse("source", sprintf("{rows} must be a data frame, not %s.", kind_text(rows)), call = call)
  known <- x$asked$columns
  for (name in known) if (!name %in% names(rows))
    refuse_column(name, names(rows), where = "{rows}", call = call)
  extra <- setdiff(names(rows), known)
  if (length(extra) > 0) refuse_column(extra[1], known, call = call)
  structure(as.list(rows)[known], row.names = .set_row_names(nrow(rows)), class = "data.frame")
}

appended_as_of <- function(x, rows, as_of, call = caller_env()) {
  if (!is.null(as_of)) {
    day <- one_day(as_of, "as_of", call)
    if (day < x$as_of) {
      refuse("choice",
             sprintf("{as_of} is %s, before the ledger's own as-of day, %s.", day_text(day),
                     day_text(x$as_of)), arg = "as_of", call = call)
    }
    return(day)
  }
  if (!is.null(x$asked$as_of)) return(x$as_of)
  column <- x$bases[[1]]$column
  basis <- read_date_basis(rows[[column]], column,
                           stated_format(x$asked$date_format, c(names(x$bases)[1], column)),
                           x$asked$time_zone, x$asked$missing, call)
  # Rows without a day tell nothing of the newest.
  if (all(is.na(basis$days))) return(x$as_of)
  max(x$as_of, read_as_of(NULL, as.integer(basis$days), basis, x$calendar, call))
}

# A ledger of two parts: one as it was, and the rows that came since, with those of it that were
# later than its as-of day.
joined_ledger <- function(base, rows, as_of, read_before, call = caller_env()) {
  added <- added_ledger(base, rows, as_of, call)
  taken <- added$used
  if (added$used > 0) added <- as_asked(with_times_like(added, base), base)
  if (added$used > 0) {
    base <- blank_columns_like(base, added)
    added <- like_columns(added, base, call)
  }
  out <- base
  if (!is.null(base$kept)) out$kept$of <- base$kept$of + taken
  row <- c(base$later_rows, base$read + seq_len(nrow(rows) - length(base$later_rows)))
  late <- rows_later(added$aside)
  out$later <- if (length(late) > 0) rows[late, , drop = FALSE]
  out$later_rows <- row[late]
  added$aside$row <- row[added$aside$row]
  aside_before <- base$aside[!read_again_late_rows(base$aside, as_of), ]
  out$aside <- in_order_of_source(
    if (nrow(added$aside) > 0) rbind(aside_before, added$aside) else aside_before
  )
  out$read <- base$read + nrow(rows) - length(base$later_rows)
  # Rows that were told before are not told again.
  say_set_aside(out, added$aside[added$aside$row > read_before, ], out$read - read_before)
  out$as_of <- as_of
  out <- with_new_handle(out)
  if (added$used == 0) {
    out$bases[-1] <- lapply(out$bases[-1], basis_within, as_of = as_of)
    return(check_entry_counts(out))
  }
  out$used <- base$used + added$used
  out$bases <- joined_bases(base, added, as_of)
  out$columns <- joined_columns(base$columns, added$columns)
  added$rows <- row[source_rows(added)]
  out$parts <- list(base = base, added = added, rows = rows)
  check_entry_counts(out)
}

# The rows as a ledger of their own; list(used, aside, read) where none of them can be used.
added_ledger <- function(base, rows, as_of, call) {
  if (nrow(rows) == 0)
    return(list(used = 0L, aside = aside_rows(kept_out_of = character()), read = 0L))
  on <- vapply(base$bases, function(basis) basis$column, "")
  given <- c(list(on = on, until = base$until, calendar = base$calendar, units = base$units),
             base$asked[setdiff(names(base$asked), c("columns", "as_of"))],
             list(as_of = as_date(as_of)))
  tryCatch(
    withCallingHandlers(
      build_ledger(rows, "the appended rows", given, call = call),
      rollingledger_message_aside = function(m) rlang::cnd_muffle(m)
    ),
    rollingledger_error_source = function(e) if (is.null(e$aside)) stop(e)
                                             else list(used = 0L, aside = e$aside,
                                                       read = nrow(rows))
  )
}

# Rows set aside as later than an as-of day that has moved on: those late for every figure are read
# again, those late on another date basis count on it once its day has come.
read_again_late_rows <- function(aside, as_of) {
  late <- aside$reason == aside_reasons$late
  late & (aside$kept_out_of == "every figure" | core_iso_days(aside$value) <= as_of)
}

# The added entries with the lookups and conditions that the ledger was given.
as_asked <- function(added, base) {
  for (step in base$steps) {
    if (added$used == 0) break
    added <- if (!is.null(step$table)) with_looked_up(added, step$table, step$ours, step$theirs)
             else if (!is.null(step$tree)) with_column(added, step$name, step$tree)
             else kept_again(added, step$where)
  }
  added
}

# A condition that was kept by, with what must be worked out for it.
kept_again <- function(added, where) {
  own <- names(added$columns)
  asked <- suppressMessages(
    ledger_asked(added, list(attr(where, "text")), NULL, names(added$bases)[1]))
  with_columns(keep_passing(asked, where), own)
}

# Times of date bases are there where they are in the base, and only there.
with_times_like <- function(added, base) {
  added$columns <- added$columns[setdiff(names(added$columns), setdiff(added$hidden, base$hidden))]
  for (name in setdiff(base$hidden, added$hidden)) {
    added$columns[[name]] <- blank_column(base$columns[[name]], added$used)
  }
  added
}

# A column of the base without a single value takes on what is appended.
blank_columns_like <- function(base, added) {
  for (name in names(base$columns)) {
    if (!same_family(base$columns[[name]], added$columns[[name]]) &&
        all_missing(base$columns[[name]])) {
      base$columns[[name]] <- blank_column(added$columns[[name]], base$used)
      base <- with_new_handle(base)
    }
  }
  base
}

# Whether two columns hold things of one family: text, TRUE and FALSE, days or amounts.
same_family <- function(a, b) {
  family <- function(column) {
    if (is_code_column(column)) return(if (is.logical(column$members)) "flag" else "text")
    if (column$kind == "day") "day" else "amount"
  }
  family(a) == family(b)
}

# The columns of the added part with member numbers and kinds that go with those of the base.
like_columns <- function(added, base, call) {
  for (name in names(base$columns)) {
    ours <- base$columns[[name]]
    theirs <- added$columns[[name]]
    if (!same_family(ours, theirs)) {
      if (!all_missing(theirs)) {
        refuse("source",
               sprintf("The column `%s` of {rows} has another type than the ledger's.", name),
               column = name, call = call)
      }
      theirs <- added$columns[[name]] <- blank_column(ours, added$used)
    }
    if (is_code_column(ours))
      added$columns[[name]] <- renumbered(theirs, ours$members, base, name, call)
  }
  added
}

# A column like another that holds nothing.
blank_column <- function(column, n) {
  standing <- core_sort_by_day(integer(n), core_threads())
  if (column$kind == "day") return(day_column(rep(NA_integer_, n), standing))
  if (!is_code_column(column)) return(amount_column(rep(NA_real_, n), standing))
  code_column(rep(NA_integer_, n), column$members[0], standing)
}

# A code column numbered by the members of another and, after those, its own that are new.
renumbered <- function(column, ours, base, name, call) {
  theirs <- column$members
  levels <- if (is.factor(ours)) joined_levels(ours, theirs, name, call)
  if (is.factor(ours) || is.character(ours)) theirs <- plain_text(theirs)
  plain <- if (is.factor(ours)) plain_text(ours) else ours
  known <- if (is.character(plain)) core_find_text(text_index(base, name, plain), theirs)
           else match(theirs, plain)
  new <- is.na(known)
  known[new] <- length(plain) + seq_len(sum(new))
  members <- if (!any(new)) ours else if (!is.factor(ours)) c(ours, theirs[new]) else {
    factor(c(plain, theirs[new]), levels = levels, ordered = is.ordered(ours))
  }
  codes <- core_codes_back(column)
  packed_codes(known[codes + 1L] - 1L, members,
               core_sort_by_day(integer(length(codes)), core_threads()))
}

# Levels of both, in order. Where they are ordered, new ones must have their place said.
joined_levels <- function(ours, theirs, name, call) {
  held <- if (is.factor(theirs)) levels(theirs) else plain_text(theirs[!is.na(theirs)])
  new <- setdiff(held, levels(ours))
  if (!is.ordered(ours) || length(new) == 0) return(c(levels(ours), new))
  if (is.ordered(theirs) && identical(intersect(held, levels(ours)), levels(ours))) return(held)
  refuse("source",
         c(sprintf(paste0("The column `%s` is ordered, and {rows} hold %s, whose place in the ",
                          "order is not known."), name, listed(dQuote(new, FALSE), most = 3)),
                     i = paste0("Make the column of {rows} an ordered factor with all levels, ",
                                "old and new, in their order.")), column = name, call = call)
}

# An index of the members of a text column, made once: looking through many members for a few would
# take longest of all.
text_index <- function(base, name, members) {
  kept_in(ledger_cache(base), list("index", name),
          function() list(index = core_text_index(members), members = members),
          function(kept) 64 * length(members))$index
}

# What is known of the columns of both parts; their data stay in the parts.
joined_columns <- function(ours, theirs) {
  Map(function(a, b) {
    a["data"] <- list(NULL)
    if (is_code_column(a)) {
      a$members <- if (length(b$members) > length(a$members)) b$members else a$members
      return(a)
    }
    a$has_missing <- a$has_missing || b$has_missing
    if (a$kind == "day") return(a)
    a$large <- is_large(a) || is_large(b)
    a$kind <- if ("real" %in% c(a$kind, b$kind)) "real"
              else if ("exact64" %in% c(a$kind, b$kind)) "exact64"
              else "exact32"
    if (a$kind == "real") a$decimals <- 0L else {
      most <- max(a$decimals, b$decimals)
      a$sum_of_sizes <- a$sum_of_sizes * 10^(most - a$decimals) +
        b$sum_of_sizes * 10^(most - b$decimals)
      a$decimals <- most
    }
    a
  }, ours, theirs[names(ours)])
}

joined_bases <- function(base, added, as_of) {
  Map(function(a, b, first) {
    out <- list(column = a$column, first = min(a$first, b$first), last = max(a$last, b$last))
    if (first) {
      days <- seq.int(out$first, out$last)
      count <- function(basis) {
        counts <- integer(length(days))
        counts[seq.int(basis$first, basis$last) - out$first + 1L] <- diff(basis$offsets)
        counts
      }
      out$offsets <- c(0L, cumsum(count(a) + count(b)))
    } else {
      # Days after the as-of day before may have come within it.
      a <- basis_within(a, as_of)
      out[c("first", "last")] <- list(min(a$first, b$first), max(a$last, b$last))
    }
    out
  }, base$bases, added$bases, seq_along(base$bases) == 1)
}
