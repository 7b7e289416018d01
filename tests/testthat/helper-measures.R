# Every measure, and its slow and obvious counterpart: all entries are looked at for every row.

every_measure <- rlang::exprs(
  income = total(fare), trips = entries(), mean_fare = average(fare), riders = distinct(account),
  low = smallest(fare),
  high = largest(fare), mid = middle(fare), reading = balance(fare),
  readings = balance(fare, each = account), open = active(),
  open_short = active(last_day = FALSE), new = newcomers(account), old = returning(account),
  lost = lapsed(account),
  web = distinct(account, where = channel == "web"), per_rider = income / riders
)

# The measures of entries `held` in a group (a logical for each row of `table`) over days; `before`
# is the first day of the period before. Days of entries are in `table$sailed_on`.
slow_measures <- function(table, held, from, to, before) {
  day <- table$sailed_on
  now <- held & day >= from & day <= to
  fares <- table$fare[now & !is.na(table$fare)]
  seen <- function(rows) unique(table$account[rows & !is.na(table$account)])
  riders <- seen(now)
  earlier <- unique(table$account[day < from])
  known <- which(held & day <= to & !is.na(table$fare))
  known <- known[order(day[known], known)]
  latest <- known[!duplicated(table$account[known], fromLast = TRUE)]
  began <- held & day <= to
  open <- began & (is.na(table$until_on) | table$until_on >= pmax(to, day))
  none <- length(fares) == 0
  c(income = sum(fares), trips = sum(now), mean_fare = if (none) NA else mean(fares),
    riders = length(riders),
    low = if (none) NA else min(fares), high = if (none) NA else max(fares),
    mid = if (none) NA else stats::median(fares),
    reading = if (length(known) == 0) NA else table$fare[known[length(known)]],
    readings = if (length(known) == 0) NA else sum(table$fare[latest]),
    open = sum(open),
    open_short = sum(began &
                     (is.na(table$until_on) | (table$until_on > to & table$until_on > day))),
    new = length(setdiff(riders, earlier)), old = length(intersect(riders, earlier)),
    lost = if (is.na(before) || before < min(day)) NA
           else length(setdiff(seen(held & day >= before & day < from), riders)),
    web = length(seen(now & table$channel %in% "web")),
    per_rider = if (length(riders) == 0) NA else sum(fares) / length(riders))
}

# The same for each row of a statement: a matrix. "(all)" stands for every member.
slow_rows <- function(s, table, by, from = s$from, to = s$to, before = rep(NA, nrow(s))) {
  t(vapply(seq_len(nrow(s)), function(i) {
    held <- rep(TRUE, nrow(table))
    for (name in by) if (!s[[name]][i] %in% "(all)") held <- held &
      as.character(table[[name]]) %in% as.character(s[[name]][i])
    slow_measures(table, held, from[i], to[i], before[i])
  }, numeric(length(every_measure))))
}
