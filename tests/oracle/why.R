# Why a figure changed, by hand: sums over every entry of two spans, member by member.

why_differs <- function(q, book, x) {
  q <- two_spans_of(q, book)
  asked <- Filter(function(m) m$fun %in% c("total", "entries", "average", "distinct"), q$measures)
  if (length(asked) == 0) return(NULL)
  q$measures <- asked[pick(seq_along(asked), 1)]
  m <- q$measures[[1]]
  q$by <- if (m$fun == "distinct") NULL else pick(c("route", "channel", "account"))
  book[c("per", "totals", "by")] <- list(NULL, "none", q$by)
  rows <- rows_of(q, book)
  if (is.null(rows)) return(NULL)
  spans <- spans_in_order(q, book)
  if (anyNA(spans$from) || any(spans$from > spans$to)) return(NULL)
  phrases <- paste(iso(spans$from), iso(spans$to), sep = "/")
  days <- pick(c("apart", "beside"))
  keep <- pick(c(0, 2, 50))
  got <- compared_by_package("why_changed", x, q, now = phrases[1], before = phrases[2],
                             keep = keep, depth = pick(0:1), days = days)
  if (inherits(got, "error")) {
    if (grepl("from one span to a later one", conditionMessage(got)))
      return(if (spans$to[2] >= spans$from[1]) counted_none("refused: members of one span"))
    if (grepl("base of", conditionMessage(got))) return(counted_none("refused: no base"))
    return(refused_rightly(got, rows, "why"))
  }
  whole <- book
  whole["by"] <- list(NULL)
  all <- vapply(1:2, function(i) value_of(m, whole, list(), spans$from[i], spans$to[i], NA), 0)
  lines <- got[!got$part %in% c("before", "now"), ]
  unit <- 10^-attr(got, "columns")[[1]]$decimals
  if (max(abs(got$amount[c(1, nrow(got))] - rev(all))) > 0.51 * unit)
    return(sprintf("why: ends %s and %s, should be %s and %s", got$amount[1],
                   got$amount[nrow(got)], all[2], all[1]))
  if (abs(sum(lines$amount) - (got$amount[nrow(got)] - got$amount[1])) > 0.01 * unit)
    return("why: lines do not add up")
  problem <- switch(m$fun,
    total = , entries = why_sum_differs(q, book, got, m, rows, spans, days, unit),
    distinct = why_met_differs(q, book, got, m, spans))
  if (!is.null(problem)) return(problem)
  counted_kind(paste("why, of", if (m$fun %in% c("total", "entries")) "a sum" else m$fun),
               nrow(lines))
  NULL
}

# Members one by one; days apart by the means of their kinds.
why_sum_differs <- function(q, book, got, m, rows, spans, days, unit) {
  members <- unique(lapply(rows, function(row) row$members))
  value <- function(m, one, i) value_of(m, book, list(members = one), spans$from[i], spans$to[i],
                                        NA)
  alike <- days_by_hand(q, book, m, spans, members)
  change <- if (days == "apart") alike$rest
            else vapply(members, function(one) value(m, one, 1) - value(m, one, 2), 0)
  names <- vapply(members, function(one) as_text(one[[1]]), "")
  shown <- got[got$part == "member", ]
  told <- ifelse(is.na(names), "(missing)", ifelse(names == "", "(empty)", names))
  at <- match(shown$line, told)
  if (anyNA(at)) return(sprintf("why: no member %s", shown$line[is.na(at)][1]))
  near <- function(a, b) all(abs(a - b) <= 1.01 * unit)
  if (!near(shown$amount, change[at]))
    return(sprintf("why: %s is %s, should be %s", shown$line[1], shown$amount[1], change[at][1]))
  if (any(got$part == "rest") &&
      !near(got$amount[got$part == "rest"], sum(change) - sum(change[at])))
    return("why: the rest differs")
  if (days == "apart" && !near(got$amount[match(c("days", "kinds"), got$part)],
                               c(alike$days, alike$kinds)))
    return(sprintf("why: days %s and %s, should be %s and %s",
                   got$amount[match("days", got$part)], got$amount[match("kinds", got$part)],
                   alike$days, alike$kinds))
  NULL
}

# list(days, kinds, rest): what the days alone explain, and what each member changed on days alike.
days_by_hand <- function(q, book, m, spans, members) {
  days <- lapply(1:2, function(i) seq.int(spans$from[i], spans$to[i]))
  kinds <- lapply(days, function(d) (d + 3L) %% 7L + 1L)
  all <- sort(unique(unlist(kinds)))
  n <- lapply(kinds, function(k) vapply(all, function(one) sum(k == one), 0))
  daily <- function(one, i) vapply(days[[i]], function(day) value_of(
    m, book, list(members = one), day, day, NA), 0)
  means <- function(one) {
    out <- lapply(1:2, function(i) {
      own <- daily(one, i)
      vapply(all, function(kind) mean(own[kinds[[i]] == kind]), 0)
    })
    for (i in 1:2) {
      none <- is.nan(out[[i]])
      out[[i]][none] <- out[[3 - i]][none]
    }
    out
  }
  own_book <- book
  book["by"] <- list(NULL)
  whole <- means(list())
  book <- own_book
  middle <- (whole[[1]] + whole[[2]]) / 2
  by_kind <- sum((n[[1]] - n[[2]]) * middle)
  number <- (length(days[[1]]) - length(days[[2]])) *
    sum((n[[1]] / length(days[[1]]) + n[[2]] / length(days[[2]])) / 2 * middle)
  rest <- vapply(members, function(one) {
    own <- means(one)
    sum((own[[1]] - own[[2]]) * (n[[1]] + n[[2]]) / 2)
  }, 0)
  list(days = number, kinds = by_kind - number, rest = rest)
}

# Members by sets.
why_met_differs <- function(q, book, got, m, spans) {
  entries <- book$entries
  day <- day_on(entries, q$on)
  counts <- book$where(entries) & (if (is.null(m$where)) TRUE else m$where(entries))
  member <- entries[[m$column]]
  in_span <- function(i) unique(stats::na.omit(as_text(member[
    counts & day %in% seq.int(spans$from[i], spans$to[i])])))
  now <- in_span(1)
  before <- in_span(2)
  ever <- tapply(day, as_text(member), min, na.rm = TRUE)
  came <- setdiff(now, before)
  new <- sum(ever[came] >= spans$from[1])
  right <- c(length(before), new, length(came) - new, -length(setdiff(before, now)), length(now))
  if (!identical(as.double(got$amount), as.double(right)))
    return(sprintf("why: members %s, should be %s", paste(got$amount, collapse = " "),
                   paste(right, collapse = " ")))
  NULL
}
