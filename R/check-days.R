# Days for the first look: gaps, days far off, months that step up or down.

# list(first, count): entries of each day from the first to the last.
entries_by_day <- function(x, facts) {
  basis <- facts$dates[[1]]
  last <- min(basis$last, facts$as_of)
  ask <- new_ask(names(facts$dates)[1], NULL, NULL, list(entry_count))
  days <- seq.int(basis$first, last)
  windows <- new_windows(rep(0L, length(days)), days, days)
  list(first = basis$first, count = values_in_windows(x, ask, entry_count, windows),
       months = basis$months)
}

# Runs of days without entries, longest first. Weekdays on which there never is any are no gaps.
gaps_between <- function(days) {
  if (days$months) return(no_gaps())
  there <- seq_along(days$count) - 1L + days$first
  weekday <- weekday_of(there)
  never <- which(tabulate(weekday[days$count > 0], 7) == 0)
  empty <- days$count == 0 & !weekday %in% never
  # A day that is never one does not break a run.
  gone <- days$count == 0
  run <- cumsum(c(TRUE, diff(gone) != 0))
  counted <- tapply(empty, run, sum)
  first <- tapply(there, run, min)
  last <- tapply(there, run, max)
  at <- which(tapply(gone, run, all) & counted > 0)
  at <- at[order(-counted[at], first[at])]
  out <- tibble::tibble(from = as_date(first[at]), to = as_date(last[at]),
                        days = as.double(counted[at]))
  attr(out, "never") <- weekday_names[never]
  out
}

no_gaps <- function() tibble::tibble(from = as_date(numeric()), to = as_date(numeric()),
                                     days = numeric())

# Few entries that a year or more without any parts from all others.
far_off_entries <- function(days) {
  there <- which(days$count > 0)
  out <- tibble::tibble(from = as_date(numeric()), to = as_date(numeric()), entries = numeric())
  breaks <- which(diff(there) > 366)
  if (length(breaks) == 0) return(out)
  group <- findInterval(seq_along(there), breaks + 1)
  entries <- tapply(days$count[there], group, sum)
  far <- which(entries <= sum(entries) / 100)
  if (length(far) == 0) return(out)
  tibble::tibble(from = as_date(tapply(there, group, min)[far] + days$first - 1L),
                 to = as_date(tapply(there, group, max)[far] + days$first - 1L),
                 entries = as.double(entries[far]))
}

# Months with two and a half times the entries of the month before, or less than four tenths, unless
# the same month of the year before was like that.
steps_by_month <- function(x, facts) {
  basis <- facts$dates[[1]]
  months <- periods_between(basis$first, min(basis$last, facts$as_of), "month", facts$calendar)
  ask <- new_ask(names(facts$dates)[1], NULL, NULL, list(entry_count))
  count <- values_in_windows(x, ask, entry_count,
                             new_windows(rep(0L, length(months$from)), months$from, months$to))
  n <- length(count)
  whole <- months$complete
  ratio <- c(NA, count[-1] / count[-n])
  year_before <- c(rep(NA, min(12, n)), ratio)[seq_len(n)]
  seasonal <- !is.na(year_before) & ratio / year_before < 1.6 & ratio / year_before > 0.6
  at <- which(whole & c(FALSE, whole[-n]) & is.finite(ratio) & (ratio >= 2.5 | ratio <= 0.4) &
                pmax(count, c(0, count[-n])) >= 20 & !seasonal)
  tibble::tibble(month = months$label[at], entries = count[at], before = count[at - 1])
}
