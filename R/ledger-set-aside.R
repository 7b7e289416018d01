# Rows that a ledger cannot use, with reasons, and what became of every row.

# Why an entry is set aside, in words.
aside_reasons <- list(no_date = "no date", unreadable = "unreadable date",
                      amount = "unreadable amount", late = "dated after the as-of day")

check_ledger_object <- function(x, arg = "x", call = caller_env()) {
  if (!inherits(x, "ledger")) {
    refuse("choice",
           sprintf("{%s} must be a ledger, made by `ledger()`, not %s.", arg, kind_text(x)),
           arg = arg, call = call)
  }
  x
}

# One row per row of the source and date basis that cannot be used; the first reason counts.
rows_set_aside <- function(table, on, bases, unreadable_amounts, as_of) {
  first <- dates_set_aside(table, on, bases, 1, as_of)
  every <- rbind(first[first$reason != aside_reasons$late, ], unreadable_amounts,
                 first[first$reason == aside_reasons$late, ])
  every <- every[!duplicated(every$row), ]
  others <- lapply(seq_along(on)[-1], function(k) {
    some <- dates_set_aside(table, on, bases, k, as_of)
    some <- some[!some$row %in% every$row, ]
    some$kept_out_of <- rep(names(on)[k], nrow(some))
    some
  })
  in_order_of_source(do.call(rbind, c(list(every), others)))
}

in_order_of_source <- function(aside) {
  aside <- aside[order(aside$row), ]
  rownames(aside) <- NULL
  aside
}

# `row` is the position in the table. A line of a file that is no row of it has none, but a `line`,
# and its `file` where there are several.
aside_rows <- function(row = integer(), reason = character(), column = character(),
                       value = character(), kept_out_of = "every figure", line = NA_integer_,
                       file = NA_character_) {
  n <- length(row)
  data.frame(row = row, reason = rep_len(reason, n), column = rep_len(column, n),
             value = plain_text(value), kept_out_of = rep_len(kept_out_of, n),
             line = rep_len(line, n), file = rep_len(file, n), stringsAsFactors = FALSE)
}

# The lines of files that are no rows of their tables.
with_lines_apart <- function(aside, reading) {
  apart <- reading$apart
  if (is.null(apart) || nrow(apart) == 0) return(aside)
  rbind(aside, aside_rows(rep(NA_integer_, nrow(apart)), apart$reason, NA_character_, apart$value,
                          line = apart$line, file = apart$file %||% NA_character_))
}

dates_set_aside <- function(table, on, bases, k, as_of) {
  days <- bases[[k]]$days
  column <- on[[k]]
  unreadable <- bases[[k]]$unreadable
  survey <- core_survey_days(days, as_of)
  none_later <- is.na(survey$newest) || survey$newest <= as_of
  if (survey$missing == 0 && none_later && length(unreadable) == 0) return(aside_rows())
  absent <- if (survey$missing > 0) setdiff(which(is.na(days)), unreadable) else integer()
  late <- if (none_later) integer() else which(days > as_of)
  rbind(
    aside_rows(absent, aside_reasons$no_date, column, rep(NA_character_, length(absent))),
    aside_rows(unreadable, aside_reasons$unreadable, column, bases[[k]]$text),
    aside_rows(late, aside_reasons$late, column, iso_day(days[late]))
  )
}

# What became of every row of the source: list(read, used, kept_out, aside). Kept out are entries
# that a condition of the ledger left out; read = used + kept out + set aside, always.
entry_counts <- function(x) {
  list(read = x$read, used = x$used, kept_out = if (is.null(x$kept)) 0L else x$kept$of - x$used,
       aside = sum(x$aside$kept_out_of == "every figure"))
}

check_entry_counts <- function(x) {
  counts <- entry_counts(x)
  stopifnot(counts$read == counts$used + counts$kept_out + counts$aside)
  x
}

# "56 entries read = 50 used + 4 kept out + 2 set aside", from what a source tells of itself.
entries_text <- function(facts, unit = FALSE) {
  counts <- facts$counts
  kept_out <- if (!is.null(facts$kept)) sprintf(" + %s kept out", number_text(counts$kept_out))
  paste0(if (unit) count_text(counts$read, "entry", "entries") else number_text(counts$read),
         " read = ", number_text(counts$used), " used", kept_out,
         sprintf(" + %s set aside", number_text(counts$aside)))
}

# Nothing is dropped in silence.
say_set_aside <- function(x, aside = x$aside, read = x$read) {
  every <- aside[aside$kept_out_of == "every figure", ]
  if (nrow(every) == 0) return(invisible())
  reasons <- sort(table(every$reason), decreasing = TRUE)
  inform(sprintf("%s of %s set aside: %s. See `set_aside()`.", number_text(nrow(every)),
                 count_text(read, if (anyNA(every$row)) "line" else "entry",
                            if (anyNA(every$row)) "lines" else "entries"),
                 listed(sprintf("%s (%s)", names(reasons), number_text(as.integer(reasons))))),
         class = c("rollingledger_message_aside", "rollingledger_message"))
}

# Rows as they are told: as positions in the table, or as lines of the files that they come from,
# list(word, at, file).
rows_told <- function(x, rows) {
  known <- x$numbering
  if (is.null(known)) return(list(word = "row", at = rows, file = NULL))
  if (length(rows) == 0) return(list(word = known$word, at = integer(), file = known$files[0]))
  n <- x$table_rows
  every <- lines_of_rows(known, n)
  at <- every[rows]
  # Rows that were appended are counted on.
  beyond <- which(!is.na(rows) & rows > n)
  at[beyond] <- max(every) + rows[beyond] - n
  list(word = known$word, at = as.integer(at),
       file = if (!is.null(known$files)) known$files[known$file[rows]])
}

# `reasons` are counts of entries by name.
refuse_no_entries <- function(read, label, reasons, call, aside = NULL) {
  refuse("source", c(
    sprintf("No entry of %s can be used: all %s are set aside.", label, number_text(read)),
    i = paste0("Reasons: ", reasons_text(reasons), "."),
    i = if (aside_reasons$late %in% names(reasons))
      "Entries dated after the as-of day count once {as_of} is late enough."
  ), aside = aside, call = call)
}

reasons_text <- function(reasons) {
  reasons <- sort(reasons, decreasing = TRUE)
  listed(sprintf("%s (%s)", names(reasons), number_text(unname(reasons))))
}

# Rows set aside as later than the as-of day, to be looked at again when that moves on.
rows_later <- function(aside) aside$row[aside$reason == aside_reasons$late &
                                          aside$kept_out_of == "every figure"]
