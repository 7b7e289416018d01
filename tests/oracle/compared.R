# Comparisons that are no verbs, each by hand: two spans, members of two spans, what was known on
# two days. Each gives NULL where the package agrees, or what differs.

compared_differ <- function(q, book, x) {
  kind <- pick(c("spans", "members", "why", if ("entered" %in% names(q$bases) && is.null(q$known))
    "known"))
  q$measures <- Filter(function(m) !needs_before(m), q$measures)
  if (length(q$measures) == 0) return(NULL)
  if (!is.null(q$known)) {
    q["known"] <- list(NULL)
    cal <- book$cal
    book <- make_book(q)
    book$cal <- cal
  }
  switch(kind, spans = spans_differ(q, book, x), members = members_differ(q, book, x),
         why = why_differs(q, book, x),
         known = known_differs(q, book, x))
}

# The package's answer, or its refusal as an error.
compared_by_package <- function(fun, x, q, ...) {
  args <- c(list(x, ...), list(by = q$by, on = q$on))
  if (!is.null(q$where)) args$where <- q$where$text
  if (!is.null(q$earlier) && fun != "compare_known") args$as_of <- as_date_of(q$as_of)
  measures <- lapply(q$measures, function(m) m$text)
  said <- Filter(Negate(is.list), c(list(...), list(by = q$by, on = q$on, where = q$where$text)))
  assign("steps", sprintf("%s(x, %s, %s)", fun,
                          paste(names(said), vapply(said, function(one) paste(
                            deparse(one), collapse = ""), ""), sep = " = ", collapse = ", "),
                          paste(names(measures), measures, sep = " = ", collapse = ", ")),
         envir = counts)
  tryCatch(suppressMessages(
    rlang::exec(getExportedValue("rollingledger", fun), !!!args, !!!measures)),
    rollingledger_error = function(e) e)
}

# Two spans of one stretch of days each, and the rows of a statement of both.
two_spans_of <- function(q, book) {
  single <- function() {
    repeat {
      spec <- random_span(book$cal, q$rules, book$as_of, NULL)
      if (!isTRUE(spec$yearly) && !spec$kind %in% c("every", "every days")) return(spec)
    }
  }
  q$spans <- list(single(), single())
  q["per"] <- list(NULL)
  q["anchor"] <- list(NULL)
  q$partial <- "flag"
  q$totals <- "none"
  q
}

figures_of <- function(q, book, members, from, to) {
  vapply(q$measures, function(m) value_of(m, book, list(members = members), from, to, NA), 0)
}

change_by_hand <- function(a, b) {
  c(a = a, b = b, difference = a - b,
    pct = if (is.na(a) || is.na(b) || b == 0) NA_real_ else 100 * (a - b) / abs(b))
}

# Rows of the package as keys of their members.
member_keys <- function(values, n) {
  if (length(values) == 0) return(rep("", n))
  do.call(paste, c(unname(lapply(values, function(v) encodeString(as_text(v), quote = "'",
                                                                  na.encode = TRUE))), sep = "|"))
}

# Where the figures of both sides of some groups differ: `got` is the package's table, `groups` the
# members of its rows by hand.
sides_differ <- function(q, book, got, groups, spans, what) {
  for (i in seq_along(groups)) {
    a <- figures_of(q, book, groups[[i]], spans$from[1], spans$to[1])
    b <- figures_of(q, book, groups[[i]], spans$from[2], spans$to[2])
    for (name in names(q$measures)) {
      right <- change_by_hand(a[[name]], b[[name]])
      for (side in names(right)) {
        column <- paste0(name, "_", side)
        if (!is_near(got[[column]][i], right[[side]]))
          return(sprintf("%s: %s, row %d: %s, should be %s", what, column, i,
                         format(got[[column]][i], digits = 15), format(right[[side]], digits = 15)))
      }
    }
  }
  counted_kind(what, length(groups))
  NULL
}

spans_differ <- function(q, book, x) {
  q <- two_spans_of(q, book)
  book[c("per", "totals")] <- list(NULL, "none")
  rows <- rows_of(q, book)
  got <- compared_by_package("compare_spans", x, q, a = phrase_of(q$spans[[1]]),
                             b = phrase_of(q$spans[[2]]), list_all = q$list_all)
  if (inherits(got, "error")) return(refused_rightly(got, rows, "spans compared"))
  if (is.null(rows)) return("spans compared: should be refused")
  groups <- unique(lapply(rows, function(row) row$members))
  if (nrow(got) != length(groups))
    return(sprintf("spans compared: %d rows, should be %d", nrow(got), length(groups)))
  held <- member_keys(unclass(got)[q$by], nrow(got))
  right <- vapply(groups, function(members) member_keys(members, 1L), "")
  if (!identical(held, right)) return("spans compared: members differ")
  sides_differ(q, book, got, groups, spans_in_order(q, book), "spans compared")
}

# The two spans as shown, in the order asked.
spans_in_order <- function(q, book) {
  spans <- shown_spans_of(q, book)
  spans[match(1:2, spans$spec), ]
}

refused_rightly <- function(error, rows, what) {
  if (is.null(rows)) return(counted_none("refused: span"))
  if (grepl("leaves the years|ends before it starts|whole .* cannot go back|means [0-9]+ spans",
            conditionMessage(error))) return(counted_none("refused: phrase"))
  paste(what, "refused:", conditionMessage(error))
}

members_differ <- function(q, book, x) {
  member <- pick(setdiff(c("account", "channel", "route"), q$by))
  q <- two_spans_of(q, book)
  q$list_all <- FALSE
  own <- q
  own$by <- c(q$by, member)
  book[c("per", "totals", "by")] <- list(NULL, "none", own$by)
  rows <- rows_of(own, book)
  got <- compared_by_package("compare_members", x, q, member = member,
                             now = phrase_of(q$spans[[1]]), before = phrase_of(q$spans[[2]]))
  if (inherits(got, "error")) return(refused_rightly(got, rows, "members compared"))
  if (is.null(rows)) return("members compared: should be refused")
  spans <- spans_in_order(own, book)
  groups <- Filter(function(members) !is.na(members[[member]]),
                   unique(lapply(rows, function(row) row$members)))
  count <- list(fun = "entries")
  seen <- lapply(1:2, function(i) vapply(groups, function(members) value_of(
    count, book, list(members = members), spans$from[i], spans$to[i], NA) > 0, TRUE))
  standing <- ifelse(seen[[1]], ifelse(seen[[2]], "kept", "new"), ifelse(seen[[2]], "lost", NA))
  keys <- vapply(groups, function(members) member_keys(members, 1L), "")
  held <- member_keys(unclass(got)[own$by], nrow(got))
  if (!setequal(held, keys[!is.na(standing)]) || anyDuplicated(held))
    return("members compared: other members")
  at <- match(held, keys)
  if (!identical(got$standing, standing[at])) return("members compared: standing differs")
  size <- got[[paste0(names(q$measures)[1], "_a")]]
  lost <- got$standing == "lost"
  size[lost] <- got[[paste0(names(q$measures)[1], "_b")]][lost]
  place <- match(got$standing, c("new", "kept", "lost"))
  if (is.unsorted(place) || any(diff(size)[diff(place) == 0] > 1e-7, na.rm = TRUE))
    return("members compared: another order")
  sides_differ(q, book, got, groups[at], spans, "members compared")
}

# Finished periods whose figures differ as known on two days, and how many entries came late.
known_differs <- function(q, book, x) {
  entered <- as_days(q$made$plain$entered_on)
  days <- sort(pick(seq.int(min(entered, na.rm = TRUE) - 5L, max(entered, na.rm = TRUE) + 5L), 2))
  per <- pick(c("week", "month", "quarter", "fiscal month"))
  q["earlier"] <- list(NULL)
  q["anchor"] <- list(NULL)
  q$partial <- "flag"
  q$totals <- "none"
  q$list_all <- length(q$by) > 0
  q$per <- per
  q$spans <- list(if (maybe(0.6)) list(kind = "all")
                  else random_span(book$cal, q$rules, min(book$ledger_as_of, days[1]), per))
  at <- function(day) {
    q$known <- day
    one <- make_book(q)
    one$as_of <- min(one$ledger_as_of, days[1])
    one$cal <- book$cal
    one
  }
  first <- at(days[1])
  later <- at(days[2])
  got <- compared_by_package("compare_known", x, q, day1 = as_date_of(days[1]),
                             day2 = as_date_of(days[2]), per = per, span = phrase_of(q$spans[[1]]))
  rows <- if (!is.null(later$first) && later$as_of >= later$first) rows_of(q, later)
  if (inherits(got, "error")) return(refused_rightly(got, rows, "known compared"))
  if (is.null(rows)) return("known compared: should be refused")
  rows <- Filter(function(row) period_with(book$cal, per, row$to)$to <= later$as_of, rows)
  figures <- lapply(list(first, later), function(one) lapply(rows, function(row) figures_of(
    q, one, row$members, row$from, row$to)))
  changed <- !mapply(function(a, b) isTRUE(all.equal(a, b, tolerance = 0, scale = 1)),
                     figures[[1]], figures[[2]])
  changed <- which(as.logical(changed))
  if (nrow(got) != length(changed))
    return(sprintf("known compared: %d rows, should be %d", nrow(got), length(changed)))
  if (nrow(got) == 0) return(counted_none("known compared, nothing changed"))
  keys <- vapply(rows[changed], function(row) paste(
    row$period, row$from, row$to, member_keys(row$members, 1L)), "")
  at <- match(paste(got$period, as_days(got$from), as_days(got$to),
                    member_keys(unclass(got)[q$by], nrow(got))), keys)
  if (anyNA(at) || anyDuplicated(at)) return("known compared: other rows")
  for (i in seq_along(at)) {
    row <- rows[[changed[at[i]]]]
    for (name in names(q$measures)) {
      a <- figures[[1]][[changed[at[i]]]][[name]]
      b <- figures[[2]][[changed[at[i]]]][[name]]
      right <- c(known = a, later = b, difference = b - a)
      for (side in names(right)) if (!is_near(got[[paste0(name, "_", side)]][i], right[[side]]))
        return(sprintf("known compared: %s_%s, row %d: %s, should be %s", name, side, i,
                       got[[paste0(name, "_", side)]][i], right[[side]]))
    }
    day <- day_on(later$entries, q$on)
    late <- held_by(later, row) & later$where(later$entries) & day %in% seq.int(row$from, row$to) &
      later$entries$.day_entered > days[1]
    if (got$late[i] != sum(late))
      return(sprintf("known compared: %d late entries, should be %d", got$late[i], sum(late)))
  }
  counted_kind("known compared", length(at))
  NULL
}
