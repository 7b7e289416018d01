# The slow and obvious way, in base R: look at every entry for every row.

# First day of the period that holds each day: the last day up to it on which a period starts.
reference_starts <- function(days, grain, fiscal_start = 1, week_start = 1) {
  all <- seq(min(days) - 370, max(days), by = 1)
  month <- as.integer(format(all, "%m"))
  first <- format(all, "%d") == "01"
  starts <- switch(grain,
    day = rep(TRUE, length(all)),
    week = , "fiscal week" = as.integer(format(all, "%u")) == week_start,
    month = , "fiscal month" = first,
    quarter = first & month %in% c(1, 4, 7, 10),
    year = first & month == 1,
    "fiscal quarter" = first & (month - fiscal_start) %% 3 == 0,
    "fiscal year" = first & month == fiscal_start
  )
  last_start <- cummax(ifelse(starts, seq_along(all), 0L))
  all[last_start[match(days, all)]]
}

# Figures of entries within days: total, entries, average.
reference_figures <- function(entries) {
  amounts <- entries$fare[!is.na(entries$fare)]
  c(total = sum(amounts), entries = nrow(entries),
    average = if (length(amounts) > 0) mean(amounts) else NA)
}

# The reference value of each row of a statement, from the rows' own days and members.
reference_rows <- function(s, table, basis = "sailed_on", by = character(), from = s$from) {
  t(vapply(seq_len(nrow(s)), function(i) {
    held <- !is.na(table[[basis]]) & table[[basis]] >= from[i] & table[[basis]] <= s$to[i]
    for (name in by) held <- held & (table[[name]] %in% s[[name]][i])
    reference_figures(table[held, ])
  }, c(total = 0, entries = 0, average = 0)))
}
