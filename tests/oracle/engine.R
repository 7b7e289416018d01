# The slow and obvious engine: every figure of every row looks at every entry. It shares no code
# with the package.
#
# entries   a data frame: `.day_<basis>` (whole numbers, NA for none), `.row`, `.over` (first day
# not open any more), attributes, amounts
# book      list(entries, cal, as_of, first, last, on, where (a function of entries), by)

# What a ledger holds of a table: rows without a day on the first basis, or after the as-of day on
# it, are set aside.
make_entries <- function(table, on, until, as_of) {
  entries <- table
  entries$.row <- seq_len(nrow(table))
  for (basis in names(on)) entries[[paste0(".day_", basis)]] <- as_days(table[[on[[basis]]]])
  first <- entries[[paste0(".day_", names(on)[1])]]
  newest <- as_of %||% max(first[!is.na(first) & first <= as_days(Sys.Date())], -Inf)
  aside <- is.na(first) | first > newest
  if (!is.null(until)) entries$.end <- as_days(table[[until]])
  list(entries = entries[!aside, ], as_of = newest, aside = sum(aside))
}

day_on <- function(entries, on) entries[[paste0(".day_", on)]]

# A measure over entries `held` of a group (a logical vector, whatever the days) from a day to a
# day; `before` is the first day of the period before, NA where there is none.
measure_of <- function(m, book, held, from, to, before) {
  if (m$fun == "ratio") {
    b <- measure_of(m$b, book, held, from, to, before)
    a <- measure_of(m$a, book, held, from, to, before)
    return(if (is.na(a) || is.na(b) || b == 0) NA_real_ else a / b)
  }
  if (m$fun == "difference")
    return(measure_of(m$a, book, held, from, to, before) -
           measure_of(m$b, book, held, from, to, before))
  e <- book$entries
  day <- day_on(e, book$on)
  there <- !is.na(day) & day <= book$ledger_as_of
  held <- held & there & book$where(e)
  if (!is.null(m$where)) held <- held & m$where(e)
  now <- held & day >= from & day <= to
  if (m$fun == "entries") return(sum(now))
  if (m$fun %in% c("total", "average", "smallest", "largest", "middle")) {
    amounts <- e[[m$column]][now]
    amounts <- amounts[!is.na(amounts)]
    if (m$fun == "total") return(sum(amounts))
    if (length(amounts) == 0) return(NA_real_)
    return(switch(m$fun, average = mean(amounts), smallest = min(amounts), largest = max(amounts),
                  middle = stats::median(amounts)))
  }
  if (m$fun %in% c("distinct", "newcomers", "returning", "lapsed")) {
    member <- as.character(e[[m$column]])
    seen <- function(rows) unique(member[rows & !is.na(member)])
    members <- seen(now)
    if (m$fun == "distinct") return(length(members))
    earlier <- seen(there & day < from)
    if (m$fun == "newcomers") return(length(setdiff(members, earlier)))
    if (m$fun == "returning") return(length(intersect(members, earlier)))
    if (is.na(before) || before < book$first) return(NA_real_)
    return(length(setdiff(seen(held & day >= before & day < from), members)))
  }
  if (m$fun == "balance") {
    known <- which(held & day <= to & !is.na(e[[m$column]]))
    if (length(known) == 0) return(NA_real_)
    known <- known[order(day[known], e$.row[known])]
    if (is.null(m$each)) return(e[[m$column]][known[length(known)]])
    each <- as.character(e[[m$each]][known])
    return(sum(e[[m$column]][known[!duplicated(each, fromLast = TRUE)]]))
  }
  began <- held & day <= to
  end <- pmax(e$.end, day)
  sum(began & (is.na(e$.end) |
               (if (m$last_day) end >= to & !(e$.end < to) | end > to else end > to)))
}

is_level_measure <- function(m) if (m$fun %in% c("ratio", "difference")) is_level_measure(m$a) &&
  is_level_measure(m$b) else m$fun %in% c("balance", "active")
adds_up_measure <- function(m) if (m$fun == "difference") adds_up_measure(m$a) &&
  adds_up_measure(m$b) else m$fun %in% c("total", "entries")
has_share <- function(m) adds_up_measure(m) ||
  m$fun %in% c("distinct", "newcomers", "returning", "lapsed", "active") || !is.null(m$each)

same_text <- function(values, member) {
  text <- as_text(values)
  if (is.na(member)) is.na(text) else !is.na(text) & text == member
}

as_text <- function(values) {
  if (inherits(values, "Date")) return(format(values, "%Y-%m-%d"))
  if (!is.double(values)) return(as.character(values))
  as.character(
    ifelse(is.na(values), NA, format(values, scientific = FALSE, trim = TRUE, digits = 15,
                                     drop0trailing = TRUE)))
}

# Entries of a row: of its members, all where one reads "(all)", those that are none of the kept
# where it is the rest.
held_by <- function(book, row) {
  held <- rep(TRUE, nrow(book$entries))
  for (name in book$by) {
    member <- row$members[[name]]
    if (!is.null(row$kept) && name == row$ranked) {
      own <- Reduce(`|`, lapply(row$kept, function(member) same_text(book$entries[[name]], member)),
                    logical(nrow(book$entries)))
      held <- held & !own
    } else if (!is_total(member, book)) held <- held & same_text(book$entries[[name]], member)
  }
  held
}

is_total <- function(member, book) book$totals %in% c("by", "both") && !is.na(member) &&
  member == "(all)"

# First day of the period before the one that begins at or holds a day.
before_of <- function(book, row, from) {
  if (is.null(book$per) || row$whole) return(NA)
  here <- period_with(book$cal, book$per, from)
  periods_of(book$cal, book$per)$from[here$at - 1L]
}

value_of <- function(m, book, row, from = row$from, to = row$to,
                     before = before_of(book, row, row$from)) measure_of(
                       m, book, held_by(book, row), from, to, before)

# ---- rows --------------------------------------------------------------------

# The spans as shown: cut to the days there are, or to what `partial = "drop"` leaves. NULL where
# the question is to be refused. Relative spans hang on `day`, which is a group's own where it is
# not the as-of day; spans that are empty then are left out.
shown_spans_of <- function(q, book, day = book$as_of) {
  spans <- do.call(rbind, lapply(seq_along(q$spans), function(i) {
    days <- span_days_of(q$spans[[i]], book$cal, if (is_moving(q$spans[[i]])) day else book$as_of,
                         book$first)
    if (!is.null(days)) cbind(days, spec = i)
  }))
  if (!all(seq_along(q$spans) %in% spans$spec)) return(NULL)
  spans$own_from <- spans$from
  spans$own_to <- spans$to
  spans$from <- pmax(spans$from, book$first)
  spans$to <- pmin(spans$to, book$as_of)
  levels <- any(vapply(q$measures, is_level_measure, TRUE))
  outside <- spans$from > spans$to | (spans$from > book$last & !levels)
  if (any(outside) && day == book$as_of) return(NULL)
  spans$cut <- spans$from > spans$own_from | spans$to < spans$own_to
  spans$complete <- spans$complete & !spans$cut
  spans <- spans[!outside, ]
  if (day == book$as_of) {
    days <- day_on(book$entries, book$on)
    held <- mapply(function(from, to) any(days >= from & days <= to, na.rm = TRUE), spans$from,
                   spans$to)
    within <- spans$from >= book$first & spans$to <= book$last
    if (!any(held | within) && !levels) return(NULL)
  }
  if (!is.null(q$per) && nrow(spans) > 1) {
    at <- order(spans$from)
    if (any(spans$from[at][-1] <= spans$to[at][-nrow(spans)])) return(NULL)
  }
  if (q$partial == "flag" || nrow(spans) == 0) return(spans)
  if (is.null(q$per)) {
    stays <- !spans$cut
  } else {
    whole <- lapply(seq_len(nrow(spans)), function(i) {
      p <- periods_in(book$cal, q$per, spans$from[i], spans$to[i])
      p[p$complete, ]
    })
    stays <- vapply(whole, nrow, 0L) > 0
    for (i in which(stays)) {
      spans$from[i] <- min(whole[[i]]$from)
      spans$to[i] <- max(whole[[i]]$to)
      spans$complete[i] <- TRUE
      spans$cut[i] <- FALSE
    }
  }
  if (any(stays)) spans[stays, ] else spans
}

periods_in <- function(cal, grain, from, to) {
  periods <- as.data.frame(periods_of(cal, grain))
  p <- periods[periods$from <= to & periods$to >= from, ]
  out <- data.frame(label = p$label, from = pmax(p$from, from), to = pmin(p$to, to))
  out$complete <- out$from == p$from & out$to == p$to
  out
}

# The levels of a factor, and TRUE and FALSE, are members though no entry has them.
every_member <- function(values, held, source) {
  if (is.factor(values)) c(levels(values), if (anyNA(values)) NA)
  else if (is.logical(values) && !all(is.na(source))) c("FALSE", "TRUE", if (anyNA(values)) NA)
       else held
}

member_order <- function(values) {
  members <- unique(values)
  at <- if (is.factor(members)) order(as.integer(members)) else order(members, method = "radix")
  as_text(members[at])
}

# Rows as a list of list(period, from, to, complete, members, whole, sp (the row of its span), day),
# in their order.
rows_of <- function(q, book) {
  spans <- shown_spans_of(q, book)
  if (is.null(spans)) return(NULL)
  e <- book$entries
  day <- day_on(e, book$on)
  there <- !is.na(day) & day <= book$ledger_as_of
  passes <- there & book$where(e)
  levels <- any(vapply(q$measures, is_level_measure, TRUE))
  # A calendar part has the members of the days there are.
  if (!is.null(q$part)) e[[q$part]][!there] <- NA
  orders <- lapply(stats::setNames(nm = q$by), function(name) {
    order <- member_order(e[[name]])
    if (identical(name, q$part)) order[!is.na(order)] else order
  })
  every <- all_groups(q, e, there, orders)
  anchored <- identical(q$anchor, "group")
  own <- lapply(every, function(members) {
    if (!anchored) return(list(day = book$as_of, spans = spans))
    held <- there & held_by(book, list(members = members)) & day <= book$as_of
    if (any(held)) list(day = max(day[held]), spans = shown_spans_of(q, book, max(day[held])))
  })
  if (anchored && any(vapply(own, function(one) !is.null(one) && is.null(one$spans), TRUE)))
    return(NULL)
  stays <- vapply(seq_along(every), function(g) {
    if (length(q$by) == 0) return(TRUE)
    if (is.null(own[[g]])) return(FALSE)
    mine <- held_by(book, list(members = every[[g]]))
    if (q$list_all) return(length(q$by) < 2 || any(mine & there))
    any(vapply(seq_len(nrow(own[[g]]$spans)),
               function(i) any(mine & passes & (levels | day >= own[[g]]$spans$from[i]) &
                               day <= own[[g]]$spans$to[i], na.rm = TRUE), TRUE))
  }, TRUE)
  groups <- every[stays]
  own <- own[stays]
  if (length(groups) == 0) return(list())
  if (anchored)
    return(rows_in_order(
      unlist(lapply(seq_along(groups),
                    function(g) rows_of_spans(q, book, own[[g]]$spans, own[[g]]$day,
                                              list(groups[[g]]))), recursive = FALSE), q))
  rows_of_spans(q, book, spans, book$as_of, with_totals_of(groups, q))
}

# Rows of groups whose days are their own: by span or time, then by group, which is the order they
# come in.
rows_in_order <- function(rows,
                          q) rows[order(
                            vapply(rows, function(row) if (is.null(q$per)) as.integer(row$sp$at)
                                                       else row$from, 0L))]

# All groups that a statement may list, in order of their members.
all_groups <- function(q, e, there, orders) {
  if (length(q$by) == 0) return(list(list()))
  sources <- lapply(q$by, function(name) q$made$plain[[name]])
  orders <- Map(every_member, e[q$by], orders, sources)
  if (!is.null(q$part)) orders[[q$part]] <- orders[[q$part]][!is.na(orders[[q$part]])]
  combos <- if (q$list_all && length(q$by) == 1)
    stats::setNames(data.frame(orders[[1]], stringsAsFactors = FALSE), q$by)
            else unique(as.data.frame(lapply(e[q$by], as_text), stringsAsFactors = FALSE,
                                      optional = TRUE)[there, , drop = FALSE])
  at <- do.call(order, unname(lapply(q$by, function(name) match(combos[[name]], orders[[name]]))))
  lapply(at, function(i) stats::setNames(lapply(q$by, function(name) combos[[name]][i]), q$by))
}

rows_of_spans <- function(q, book, spans, day, groups) {
  rows <- list()
  spans$at <- seq_len(nrow(spans))
  for (k in if (is.null(q$per)) spans$at else order(spans$from)) {
    periods <- if (is.null(q$per))
      data.frame(label = spans$spec[k], from = spans$from[k], to = spans$to[k],
                 complete = spans$complete[k])
               else periods_in(book$cal, q$per, spans$from[k], spans$to[k])
    if (q$partial == "drop") periods <- if (is.null(q$per)) periods[!spans$cut[k], ]
                                        else periods[periods$complete, ]
    if (nrow(periods) == 0) next
    if (q$totals %in% c("period", "both"))
      periods <- rbind(periods,
                       data.frame(label = "(all)", from = spans$from[k], to = spans$to[k],
                                  complete = spans$complete[k]))
    for (i in seq_len(nrow(periods))) {
      for (members in groups) {
        rows[[length(rows) + 1L]] <- list(period = periods$label[i],
                                          from = as.integer(periods$from[i]),
                                          to = as.integer(periods$to[i]),
                                          complete = periods$complete[i], members = members,
                                          whole = !is.null(q$per) && periods$label[i] == "(all)",
                                          sp = spans[k, ], day = day)
      }
    }
  }
  rows
}

# Groups with those of totals after the groups they are of.
with_totals_of <- function(groups, q) {
  if (!q$totals %in% c("by", "both")) return(groups)
  nested <- function(groups, depth) {
    if (depth > length(q$by)) return(groups)
    key <- vapply(groups, function(g) if (is.na(g[[depth]])) NA_character_ else g[[depth]], "")
    out <- list()
    for (member in unique(key)) {
      mine <- groups[if (is.na(member)) is.na(key) else key %in% member]
      out <- c(out, nested(mine, depth + 1L))
    }
    total <- groups[[1]]
    for (k in depth:length(q$by)) total[[k]] <- "(all)"
    c(out, list(total))
  }
  nested(groups, 1L)
}
