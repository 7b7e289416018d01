# Targets by trying: which sets of them cover a row's days, looked for without any order or index.

# The fewest targets that follow each other from `from` to `to`: list(count, sum), or NULL.
tiling <- function(t, from, to) {
  if (from > to) return(list(count = 0, sum = 0))
  best <- NULL
  for (i in which(t$from == from & t$to <= to)) {
    rest <- tiling(t, t$to[i] + 1L, to)
    if (!is.null(rest) && (is.null(best) || rest$count + 1 < best$count))
      best <- list(count = rest$count + 1, sum = rest$sum + t$target[i])
  }
  best
}

by_days <- function(t, from, to) {
  sum <- 0
  day <- from
  while (day <= to) {
    over <- which(t$from <= day & t$to >= day)
    if (length(over) == 0) return(NA_real_)
    inside <- over[t$from[over] == day & t$to[over] <= to]
    i <- if (length(inside) > 0) inside[order(-t$to[inside])][1]
         else over[order(t$to[over] - t$from[over])][1]
    end <- min(t$to[i], to)
    sum <- sum + t$target[i] * (end - day + 1) / (t$to[i] - t$from[i] + 1)
    day <- end + 1L
  }
  sum
}

# What one line of targets sets for days that are part of a period: a number, NA where there is a
# gap, NULL where it has nothing there.
line_sets <- function(t, from, to, first, last, days) {
  if (!any(t$from <= last & t$to >= first)) return(NULL)
  whole <- tiling(t, first, last)
  if (days == "whole") return(if (is.null(whole)) NA_real_ else whole$sum)
  if (!is.null(whole)) return(whole$sum * (to - from + 1) / (last - first + 1))
  if (!any(t$from <= to & t$to >= from)) return(NULL)
  by_days(t, from, to)
}

# Targets of entries that pass the conditions which speak of nothing but what tells targets apart.
asked_targets <- function(v, q) {
  t <- v$table
  for (condition in list(q$keep, q$where, shared_condition_of(q$measures[[v$m]]))) {
    if (is.null(condition) || !all(condition$columns %in% v$told)) next
    e <- t
    for (name in v$told) {
      like <- q$made$plain[[name]]
      if (is.factor(like))
        e[[name]] <- factor(t[[name]], levels = union(levels(like), t[[name]][!is.na(t[[name]])]))
      else if (is.numeric(like)) e[[name]] <- suppressWarnings(as.numeric(t[[name]]))
    }
    all <- Reduce(`|`, lapply(condition$columns, function(name) t[[name]] %in% "(all)"),
                  logical(nrow(t)))
    t <- t[!all & condition$test(e), ]
  }
  t
}

shared_condition_of <- function(m) {
  of_measure <- function(m) if (m$fun %in% c("ratio", "difference"))
    c(of_measure(m$a), of_measure(m$b)) else list(m$condition)
  own <- of_measure(m)
  if (length(unique(vapply(own, function(condition) condition$text %||% "", ""))) == 1) own[[1]]
}

target_of_days <- function(v, q, book, row, from, to, first, last) {
  t <- asked_targets(v, q)
  told <- v$told
  for (name in told) {
    member <- row$members[[name]]
    if (!is.null(member) && !is_total(member, book)) t <- t[same_text(t[[name]], member), ]
  }
  untold <- told[vapply(told, function(name) is.null(row$members[[name]]) ||
                        is_total(row$members[[name]], book), TRUE)]
  if (length(untold) == 0) {
    sets <- line_sets(t, from, to, first, last, v$days)
    return(if (is.null(sets)) NA_real_ else sets)
  }
  if (nrow(t) == 0) return(NA_real_)
  own <- function(table) do.call(paste,
                                 lapply(untold,
                                        function(name) encodeString(
                                          as_text(table[[name]]), quote = "'", na.encode = TRUE)))
  if (length(untold) == 1 && any(total <- t[[untold]] %in% "(all)")) {
    sets <- line_sets(t[total, ], from, to, first, last, v$days)
    if (!is.null(sets) && !is.na(sets)) return(sets)
    t <- t[!total, ]
  }
  if (nrow(t) == 0) return(NA_real_)
  sum <- NULL
  e <- book$entries
  day <- day_on(e, book$on)
  held <- held_by(book, row) & book$where(e) & !is.na(day) & day >= from & day <= to &
    day <= book$ledger_as_of
  own_condition <- shared_condition_of(q$measures[[v$m]])
  if (!is.null(own_condition)) held <- held & own_condition$test(e)
  for (line in unique(c(own(e)[held], own(t)))) {
    sets <- line_sets(t[own(t) == line, ], from, to, first, last, v$days)
    if (is.null(sets)) {
      if (any(held & own(e) == line)) return(NA_real_)
      next
    }
    if (is.na(sets)) return(NA_real_)
    sum <- (sum %||% 0) + sets
  }
  sum %||% NA_real_
}

target_of <- function(v, q, book, rows) {
  m <- q$measures[[v$m]]
  target <- vapply(rows, function(row) {
    if (!is.null(row$kept)) return(NA_real_)
    lacking <- setdiff(names(Filter(function(member) !is_total(member, book), row$members)), v$told)
    if (length(lacking) > 0) return(NA_real_)
    periods <- if (row$whole) periods_in(book$cal, q$per, row$from, row$to)
               else data.frame(from = row$from, to = row$to)
    sum(vapply(seq_len(nrow(periods)), function(i) {
      here <- period_with(book$cal, q$per, periods$from[i])
      target_of_days(v, q, book, row, periods$from[i], periods$to[i], here$from, here$to)
    }, 0))
  }, 0)
  now <- vapply(rows, function(row) value_of(m, book, row), 0)
  pct <- ifelse(!is.na(target) & target != 0, 100 * now / target, NA)
  stats::setNames(list(target, now - target, pct),
                  paste0(v$name, c("_target", "_over_target", "_target_pct")))
}
