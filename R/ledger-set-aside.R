# Rows that a ledger cannot use, with reasons, and what became of every row.

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
  every <- rbind(first[first$reason != "dated after the as-of day", ], unreadable_amounts,
                 first[first$reason == "dated after the as-of day", ])
  every <- every[!duplicated(every$row), ]
  every$kept_out_of <- rep("every figure", nrow(every))
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

aside_rows <- function(row = integer(), reason = character(), column = character(),
                       value = character()) {
  data.frame(row = row, reason = rep_len(reason, length(row)),
             column = rep_len(column, length(row)),
             value = plain_text(value), stringsAsFactors = FALSE)
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
    aside_rows(absent, "no date", column, rep(NA_character_, length(absent))),
    aside_rows(unreadable, "unreadable date", column, bases[[k]]$text),
    aside_rows(late, "dated after the as-of day", column, iso_day(days[late]))
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
say_set_aside <- function(aside, read) {
  if (nrow(aside) == 0) return(invisible())
  reasons <- sort(table(aside$reason[aside$kept_out_of == "every figure"]), decreasing = TRUE)
  if (sum(reasons) == 0) return(invisible())
  inform(sprintf("%s of %s set aside: %s. See `set_aside()`.", number_text(sum(reasons)),
                 count_text(read, "entry", "entries"),
                 listed(sprintf("%s (%s)", names(reasons), number_text(as.integer(reasons))))),
         class = c("rollingledger_message_aside", "rollingledger_message"))
}

refuse_no_entries <- function(read, label, aside, call) {
  reasons <- table(aside$reason[aside$kept_out_of == "every figure"])
  refuse("source", c(
    sprintf("No entry of %s can be used: all %s are set aside.", label, number_text(read)),
    i = paste0("Reasons: ",
               listed(sprintf("%s (%s)", names(reasons), number_text(as.integer(reasons)))), "."),
    i = if ("dated after the as-of day" %in% names(reasons))
      "Entries dated after the as-of day count once {as_of} is late enough."
  ), aside = aside, call = call)
}

# Rows set aside as later than the as-of day, to be looked at again when that moves on.
rows_later <- function(aside) aside$row[aside$reason == "dated after the as-of day" &
                                        aside$kept_out_of == "every figure"]
