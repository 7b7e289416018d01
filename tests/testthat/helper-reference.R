# The slow and obvious way, in base R: look at every entry for every row.

# First day of the period that holds a day, by walking back from it.
reference_start <- function(day, grain, fiscal_start = 1, week_start = 1) {
  month <- function(d) as.integer(format(d, "%m"))
  is_start <- function(d) {
    first <- format(d, "%d") == "01"
    switch(grain,
      day = TRUE,
      week = as.integer(format(d, "%u")) == week_start,
      month = , "fiscal month" = first,
      quarter = first && month(d) %in% c(1, 4, 7, 10),
      year = first && month(d) == 1,
      "fiscal quarter" = first && (month(d) - fiscal_start) %% 3 == 0,
      "fiscal year" = first && month(d) == fiscal_start
    )
  }
  while (!is_start(day)) day <- day - 1
  day
}

# Figures of entries within days: total, entries, average.
reference_figures <- function(entries) {
  amounts <- entries$fare[!is.na(entries$fare)]
  c(total = sum(amounts), entries = nrow(entries), average = if (length(amounts) > 0) mean(amounts) else NA)
}

# The reference value of each row of a statement, from the rows' own days and members.
reference_rows <- function(s, table, basis = "sailed_on", by = character(), from = s$from) {
  t(vapply(seq_len(nrow(s)), function(i) {
    held <- !is.na(table[[basis]]) & table[[basis]] >= from[i] & table[[basis]] <= s$to[i]
    for (name in by) held <- held & (table[[name]] %in% s[[name]][i])
    reference_figures(table[held, ])
  }, c(total = 0, entries = 0, average = 0)))
}
