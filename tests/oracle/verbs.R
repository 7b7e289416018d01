# What verbs add to rows, each worked out by itself: a function of (verb, question, book, rows) that
# gives a list of columns.

unit_first <- function(book, unit, day) period_with(book$cal, unit, day)$from

running_of <- function(v, q, book, rows) {
  values <- vapply(rows, function(row) {
    from <- if (v$since == "start") row$sp$from else unit_first(book, v$since, row$to)
    before <- if (v$since == "start")
      NA else periods_of(book$cal, v$since)$from[period_with(book$cal, v$since, row$to)$at - 1L]
    measure_of(q$measures[[v$m]], book, held_by(book, row), from, row$to, before)
  }, 0)
  stats::setNames(list(values), v$name)
}

rolling_of <- function(v, q, book, rows) {
  m <- q$measures[[v$m]]
  values <- vapply(rows, function(row) {
    ends <- vapply(0:v$n, function(k) if (k == 0)
      row$to else as.integer(day_back(book$cal, row$to, k, v$unit, ends = TRUE)), 0L)
    from <- ends[v$n + 1L] + 1L
    if (from < book$first && v$short == "blank") return(NA_real_)
    held <- held_by(book, row)
    before <- as.integer(day_back(book$cal, row$to, 2L * v$n, v$unit, ends = TRUE)) + 1L
    there <- which(ends[seq_len(v$n)] >= book$first)
    if (v$stat == "total") return(measure_of(m, book, held, from, row$to, before))
    if (v$stat == "average" && !is_level_measure(m))
      return(measure_of(m, book, held, from, row$to, before) / length(there))
    if (v$stat == "average" || v$unit == "day") {
      each <- vapply(seq.int(max(from, book$first), row$to),
                     function(day) measure_of(m, book, held, day, day, NA), 0)
    } else {
      each <- vapply(there, function(k) measure_of(m, book, held, ends[k + 1L] + 1L, ends[k], NA),
                     0)
    }
    each <- each[!is.na(each)]
    if (length(each) == 0) NA_real_
    else switch(v$stat, average = mean(each), smallest = min(each), largest = max(each))
  }, 0)
  stats::setNames(list(values), v$name)
}

# Days a row is compared with: c(from, to).
days_before_of <- function(v, q, book, row) {
  cal <- book$cal
  if (!is.null(v$base)) {
    days <- span_days_of(v$base, cal, book$as_of, book$first)
    return(c(days$from, min(days$to, book$as_of)))
  }
  n <- v$n
  unit <- v$unit
  if (v$align == "weekday") return(c(row$from, row$to) - 364L * n)
  if (is.null(q$per)) {
    spec <- q$spans[[row$sp$spec]]
    own <- if (spec$kind %in% c("every", "every days") || isTRUE(spec$yearly)) {
      # Each of several spans is a span of fixed days, or a labelled period.
      if (spec$kind == "every")
        list(kind = "point", grain = "month",
             label = period_with(cal, "month", row$sp$own_from)$label)
      else fixed_span(cal, row$sp$own_from, row$sp$own_to)
    } else spec
    own$back <- add_back(own$back, n, unit)
    moved <- move_span(own, cal, book, if (is_moving(spec)) row$day else book$as_of)
    if (row$sp$cut && v$align == "to date") {
      same <- days_through(cal, row$sp$grain, row$sp$to, n, unit)
      moved[2] <- min(moved[2], same)
    }
    return(c(moved[1], min(moved[2], book$as_of)))
  }
  piece <- function(from, to) {
    here <- period_with(cal, q$per, from)
    there <- period_back(cal, q$per, here$label, n, unit)
    if (v$align == "whole") return(c(there$from, there$to))
    part <- function(day) max(min(day_within_back(cal, q$per, day, n, unit), there$to), there$from)
    c(if (from == here$from) there$from else part(from), if (to == here$to) there$to else part(to))
  }
  if (!row$whole) out <- piece(row$from, row$to) else {
    periods <- periods_in(cal, q$per, row$from, row$to)
    pieces <- mapply(piece, periods$from, periods$to)
    out <- c(min(pieces[1, ]), max(pieces[2, ]))
  }
  c(out[1], min(out[2], book$as_of))
}

fixed_span <- function(cal, from, to) list(
  kind = "range", from = list(grain = "day", label = iso(from)),
  to = list(grain = "day", label = iso(to)))
add_back <- function(back, n, unit) if (is.null(back))
  list(n = n, unit = unit) else { stopifnot(back$unit == unit); list(n = back$n + n, unit = unit) }
days_through <- function(cal, grain, day, n, unit) day_within_back(cal, grain, day, n, unit)
move_span <- function(spec, cal, book, day) {
  days <- span_days_of(spec, cal, day, book$first)
  c(days$from, days$to)
}

change_of <- function(v, q, book, rows) {
  m <- q$measures[[v$m]]
  out <- lapply(rows, function(row) {
    days <- days_before_of(v, q, book, row)
    now <- value_of(m, book, row)
    lapsed_before <- if (is.null(book$per) || row$whole)
      NA else periods_of(book$cal, book$per)$from[period_with(book$cal, book$per, days[1])$at - 1L]
    before <- if (days[1] < book$first) NA_real_
              else measure_of(m, book, held_by(book, row), days[1], days[2], lapsed_before)
    change <- now - before
    c(before, change,
      if (is.na(before) || is.na(change) || before == 0) NA_real_ else 100 * change / abs(before))
  })
  stats::setNames(lapply(1:3, function(k) vapply(out, `[`, 0, k)),
                  paste0(v$name, c("_before", "_change", "_change_pct")))
}

share_of <- function(v, q, book, rows) {
  m <- q$measures[[v$m]]
  values <- vapply(rows, function(row) {
    all <- row
    all$kept <- NULL
    for (name in book$by) if (name != v$of) all$members[[name]] <- NULL
    if (v$of %in% book$by) {
      member <- row$members[[v$of]]
      if (is_total(member, book) || !is.null(row$kept) && row$ranked == v$of) return(NA_real_)
    }
    days <- if (v$of == "span") c(row$sp$from, row$sp$to) else c(row$from, row$to)
    held <- rep(TRUE, nrow(book$entries))
    if (v$of %in% book$by) held <- same_text(book$entries[[v$of]], row$members[[v$of]])
    whole <- measure_of(m, book, held, days[1], days[2], before_of(book, row, days[1]))
    part <- value_of(m, book, row)
    if (is.na(whole) || whole == 0) NA_real_ else 100 * part / whole
  }, 0)
  stats::setNames(list(values), v$name)
}

# Days whose calendar parts let entries pass; the conditions of the ledger where the basis is its
# first.
days_that_can_pass <- function(v, q, days) {
  leaves <- function(m) if (m$fun %in% c("ratio", "difference")) c(leaves(m$a), leaves(m$b))
                        else list(m$condition)
  e <- stats::setNames(data.frame(days), paste0(".day_", q$on))
  own <- lapply(leaves(q$measures[[v$m]]), function(one) if (isTRUE(one$of_days)) one$test(e)
                                                         else rep(TRUE, length(days)))
  stays <- Reduce(`|`, own)
  for (one in list(q$where, if (q$on == "sailed") q$keep))
    if (isTRUE(one$of_days)) stays <- stays & one$test(e)
  days[stays]
}

per_day_of <- function(v, q, book, rows) {
  values <- vapply(rows, function(row) {
    days <- seq.int(row$from, row$to)
    # Of a calendar part its own days.
    member <- if (!is.null(q$part)) row$members[[q$part]]
    if (!is.null(member) && !is_total(member, book)) {
      mine <- as_text(part_by_hand(q$part, days, q$rules))
      days <- days[if (!is.null(row$kept) && row$ranked == q$part) !mine %in% unlist(row$kept)
                   else mine %in% member]
    }
    days <- days_that_can_pass(v, q, days)
    count <- switch(v$days, calendar = length(days), working = sum(parts_of(days)$weekday <= 5),
                    used = {
                      e <- book$entries
                      day <- day_on(e, book$on)
                      length(unique(
                        day[held_by(book, row) & book$where(e) & !is.na(day) & day >= row$from &
                            day <= row$to]))
                    })
    if (count == 0) NA_real_ else value_of(q$measures[[v$m]], book, row) / count
  }, 0)
  stats::setNames(list(values), v$name)
}

# Ranks of rows that are no totals and no rest, among those of the same period (and parent).
rank_of <- function(v, q, book, rows) {
  m <- q$measures[[v$m]]
  n <- length(rows)
  ordinary <- vapply(rows, function(row) is.null(row$kept) &&
                     !any(vapply(row$members, is_total, TRUE, book = book)), TRUE)
  ranks <- rep(NA_real_, n)
  if (!any(ordinary)) return(stats::setNames(list(ranks), v$name))
  among <- vapply(rows, function(row) {
    place <- if (identical(q$anchor, "group")) sprintf("label %s", row$period)
             else if (v$within == "span") sprintf("span %d", row$sp$at)
                  else if (is.null(q$per)) sprintf("label %s", row$period)
                       else sprintf("days %d %d %d", row$from, row$to, row$whole)
    if (v$within == "span" && row$whole) place <- paste(place, "whole")
    if (v$within %in% book$by)
      place <- paste(place, encodeString(row$members[[v$within]], quote = "'"))
    place
  }, "")
  values <- vapply(rows, function(row) {
    if (v$within == "span") value_of(m, book, row, row$sp$from, row$sp$to, NA)
    else value_of(m, book, row)
  }, 0)
  group <- vapply(
    rows, function(row) paste(encodeString(unlist(row$members), quote = "'"), collapse = ","), "")
  for (place in unique(among[ordinary])) {
    mine <- which(ordinary & among == place)
    once <- mine[!duplicated(group[mine])]
    size <- if (v$first == "largest") -values[once] else values[once]
    # A member that is missing follows all others.
    lost <- vapply(rows[once], function(row) anyNA(unlist(row$members[setdiff(book$by, v$within)])),
                   TRUE)
    if (!identical(v$missing, "ranked") && any(lost)) {
      places <- match(round(size, 9), sort(unique(round(size, 9))))
      size <- places + ifelse(lost, length(size), 0)
    }
    known <- which(!is.na(size))
    own <- rep(NA_real_, length(once))
    own[known] <- switch(v$ties, share = rank(round(size[known], 9), ties.method = "min"),
                         dense = match(round(size[known], 9), sort(unique(round(size[known], 9)))),
                         order = rank(round(size[known], 9), ties.method = "first"))
    if (v$within == "span" && any(rows[[mine[1]]]$whole)) own <- own
    ranks[mine] <- own[match(group[mine], group[once])]
  }
  stats::setNames(list(ranks), v$name)
}

# Rows after a ranking that keeps some: list(rows, stays), rest rows at the end.
keep_of <- function(v, q, book, rows, ranks) {
  ordinary <- vapply(rows, function(row) is.null(row$kept) &&
                     !any(vapply(row$members, is_total, TRUE, book = book)), TRUE)
  stays <- !ordinary | (!is.na(ranks) & ranks <= v$keep)
  if (is.null(v$rest)) return(list(rows = rows[stays], from = which(stays)))
  ranked <- setdiff(book$by, v$within)
  parents <- intersect(book$by, v$within)
  place <- vapply(rows,
                  function(row) paste(row$from, row$to, row$whole, if (is.null(q$per)) row$period,
                                      if (length(parents) > 0)
                                        encodeString(row$members[[parents]], quote = "'")), "")
  rest <- list()
  for (own in unique(place[!stays])) {
    row <- rows[[which(place == own & !stays)[1]]]
    row$kept <- lapply(rows[place == own & stays & ordinary], function(r) r$members[[ranked]])
    row$ranked <- ranked
    row$members[[ranked]] <- v$rest
    rest[[length(rest) + 1L]] <- row
  }
  list(rows = c(rows[stays], rest), from = c(which(stays), rep(NA, length(rest))))
}
