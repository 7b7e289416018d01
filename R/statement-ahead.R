# Rows of periods to come: they follow the last period of a statement, begin after its as-of day,
# and hold nothing but what is expected.

# Which rows are periods to come.
is_ahead <- function(rows, plan) rows$from > plan$as_of

ahead_rows <- function(s) {
  plan <- attr(s, "plan")
  if (is.null(plan$ahead)) logical(nrow(s)) else day_numbers(s$from) > plan$as_of
}

# Rows that are no totals, and of days that have come.
drawn_rows <- function(s) !ahead_rows(s) & !total_rows(s)

# As far ahead as the same days of last year are there: further, a season would be gone on with.
most_days_ahead <- 364L

# The statement with rows for so many periods after its last, one for each row of that.
with_rows_ahead <- function(s, ahead, call) {
  plan <- attr(s, "plan")
  check_whole_number(ahead, "ahead", call)
  if (ahead == 0 || identical(as.integer(ahead), length(plan$ahead$from))) return(s)
  if (!is.null(plan$ahead)) {
    refuse("choice", sprintf("The statement has %s to come already.",
                             count_text(length(plan$ahead$from), plan$per)), arg = "ahead",
           call = call)
  }
  rows <- current_rows(s, call)
  whole <- periods_holding(rows$from, plan$per, plan$calendar)
  last <- which(!rows$overall & rows$set == 0L & rows$to == plan$as_of &
                  rows$from == pmax(whole$first, plan$first))
  last <- last[!duplicated(rows_key(rows_select(rows, last))$number)]
  if (length(last) == 0) {
    refuse("choice", c(sprintf("No %s of the statement goes up to the as-of day, %s, whole.",
                               plan$per, day_text(plan$as_of)),
                       i = sprintf("Periods to come follow such a one: {span = \"this %s\"}.",
                                   plan$per)), arg = "ahead", call = call)
  }
  index <- period_indexes(as.integer(plan$as_of), plan$per, plan$calendar, call)
  coming <- periods_at(index + seq_len(as.integer(ahead)), plan$per, plan$calendar, call)
  if (max(coming$last) > plan$as_of + most_days_ahead) {
    refuse("choice", c(sprintf("{ahead} reaches to %s, more than %d days from %s.",
                               day_text(max(coming$last)), most_days_ahead, day_text(plan$as_of)),
                       i = "Further than last year's days reach nothing is expected."),
           arg = "ahead", call = call)
  }
  # After all rows of the last period, what a ranking left over among them.
  after <- max(which(!rows$overall & rows$to == plan$as_of))
  at <- append(seq_len(nrow(s)), rep(last, ahead), after = after)
  new <- after + seq_len(length(last) * ahead)
  out <- s[at, ]
  each <- rep(seq_len(ahead), each = length(last))
  out$period[new] <- coming$label[each]
  out$from[new] <- as_date(coming$first[each])
  out$to[new] <- as_date(coming$last[each])
  out$complete[new] <- FALSE
  for (name in intersect(names(columns_of(s)), names(s))) out[[name]][new] <- NA
  plan$ahead <- list(label = coming$label, from = coming$first, to = coming$last)
  plan$id <- rlang::hash(list(plan$id, plan$ahead))
  attr(out, "plan") <- plan
  now <- unclass(out)
  keep_rows(plan, now[c("period", "from", "to", plan$by)],
            now[intersect(names(plan$measures), names(now))], current_rows(out))
  out
}

# What can follow rows to come.
follows_ahead <- c("add_expected", "sort_rows")

refuse_after_ahead <- function(verb, plan, call) {
  if (is.null(plan$ahead) || verb %in% follows_ahead) return(invisible())
  refuse("choice", c(sprintf("The statement has rows of %s to come, of which `%s()` knows nothing.",
                             count_text(length(plan$ahead$from), plan$per), verb),
                     i = "Add what is expected last."), arg = "s", call = call)
}
