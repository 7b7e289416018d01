# Rows of totals added to a statement that was made without them, for handing it over by sections.
# They are worked out from entries, like those of `totals = "by"`.

# Why a statement cannot have subtotals, or NULL.
no_subtotals_because <- function(s) {
  plan <- attr(s, "plan")
  if (length(plan$by) == 0) "it has no attributes"
  else if (plan$totals %in% c("by", "both")) "it has them already"
  else if (plan$anchor == "group") "its groups have days of their own"
  else if (!is.null(plan$rest)) "a ranking left a rest over"
  else if (length(balances_without_member(plan)) > 0) "a balance has no total over attributes"
  else if (!is.null(currencies_together(plan, NULL))) "its amounts are in several currencies"
  else if (any(
    vapply(plan$by, function(name) total_text %in% plan_members(plan, name)$text, TRUE))) {
    "a member is called as totals are"
  }
}

# The statement with its attributes in the order of `by`, its rows sorted by them where that
# changes, and a total after the rows of each member of all but the last attribute, and of all.
with_subtotals <- function(s, by) {
  plan <- attr(s, "plan")
  s <- s[drawn_rows(s), ]
  if (!identical(by, plan$by)) {
    groups <- lapply(unclass(s)[by], function(values) {
      members <- unique(values)
      member_ranks(members)[match(values, members)]
    })
    spans <- row_spans(plan, current_rows(s))
    s <- s[do.call(order, c(list(spans$from, day_numbers(s$from)), unname(groups))), ]
  }
  plan$by <- by
  plan$totals <- "by"
  plan["id"] <- list(NULL)  # rows of ours are no statement that verbs follow
  attr(s, "plan") <- plan
  for (name in by) s[[name]] <- labelled_values(s[[name]])
  rows <- current_rows(s)
  rows$complete <- s$complete
  place <- as.double(seq_len(nrow(s)))
  for (level in rev(seq_along(by)) - 1L) {
    with <- rbind_totals(s, plan, rows, level)
    s <- with$s
    place <- c(place, with$place)
  }
  s[order(place), ]
}

# Text or levels, with room for the mark of a total.
labelled_values <- function(values) {
  if (is.factor(values))
    factor(plain_text(values), levels = c(levels(values), total_text), ordered = is.ordered(values))
  else plain_text(values)
}

# list(s, place): with one row for each period and group of the first `level` attributes, to be
# placed after the last of them.
rbind_totals <- function(s, plan, rows, level) {
  by <- plan$by
  over <- by[setdiff(seq_along(by), seq_len(level))]
  own <- by[seq_len(level)]
  members <- unname(lapply(rows$values[own], as.character))
  place <- number_rows(c(list(rows$period, rows$from, rows$to), members), rows_count(rows))
  last <- as.vector(tapply(seq_len(rows_count(rows)), place$number, max))
  some <- rows_select(rows, last)
  groups <- group_numbers(plan_ledger(plan), own, some$values, length(last))
  some <- new_rows(some$period, some$from, some$to, groups, level, some$complete,
                   values = some$values[own])
  totals <- s[last, ]
  for (name in over) totals[[name]][] <- total_text
  for (name in intersect(names(attr(s, "columns")), names(s))) {
    totals[[name]] <- column_values(attr(s, "columns")[[name]], plan, some)
  }
  out <- lapply(stats::setNames(nm = names(s)), function(name) {
    joined_values(s[[name]], totals[[name]])
  })
  out <- tibble::new_tibble(out, nrow = nrow(s) + length(last), class = "statement")
  for (name in c("plan", "columns", "question")) attr(out, name) <- attr(s, name)
  # After the rows it is the total of, and after the totals within it.
  list(s = out, place = last + (length(by) - level) / (length(by) + 1))
}

joined_values <- function(a, b) {
  if (!is.factor(a)) return(c(a, b))
  factor(c(as.character(a), as.character(b)), levels = levels(a), ordered = is.ordered(a))
}
