# Rows of totals added to a statement that was made without them, for handing it over by sections. They are worked out from entries, like
# those of `totals = "by"`.

# Why a statement cannot have subtotals, or NULL.
no_subtotals_because <- function(s) {
  plan <- attr(s, "plan")
  loose <- Filter(function(leaf) leaf$fun == "balance" && is.null(leaf$options$each), measure_leaves(plan$measures))
  if (length(plan$by) == 0) "it has no attributes"
  else if (plan$totals %in% c("by", "both")) "it has them already"
  else if (plan$anchor == "group") "its groups have days of their own"
  else if (!is.null(plan$rest)) "a ranking left a rest over"
  else if (length(loose) > 0) "a balance has no total over attributes"
  else if (any(vapply(plan$by,
                      function(name) total_text %in% plain_text(ledger_attribute(plan$x,
                          name)$members), TRUE))) "a member is called as totals are"
}

# The statement with its attributes in the order of `by`, its rows sorted by them where that changes, and a total after the rows of each
# member of all but the last attribute, and of all.
with_subtotals <- function(s, by) {
  plan <- attr(s, "plan")
  s <- s[drawn_rows(s), ]
  if (!identical(by, plan$by)) {
    groups <- lapply(unclass(s)[by], function(values) member_ranks(unique(values))[match(values, unique(values))])
    s <- s[do.call(order, c(list(row_spans(plan, current_rows(s))$from, whole_days(s$from)), unname(groups))), ]
  }
  plan$by <- by
  plan$totals <- "by"
  plan$cube <- new.env(parent = emptyenv())
  plan$made <- NULL
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
  ordinary <- seq_along(rows$to)
  place <- rows_told_apart(c(list(rows$period, rows$from, rows$to),
                             unname(lapply(rows$values[by[seq_len(level)]],
                                           as.character))), length(ordinary))
  last <- as.vector(tapply(ordinary, place$number, max))
  values <- lapply(rows$values[by[seq_len(level)]], function(column) column[last])
  some <- lapply(rows[c("from", "to", "period", "complete")], function(column) column[last])
  n <- length(last)
  some[c("level", "whole", "set")] <- list(rep(level, n), logical(n), integer(n))
  some$values <- values
  some$group <- if (level == 0) integer(n) else cube_groups(plan_cube(plan, level), values)
  totals <- s[last, ]
  for (name in by[setdiff(seq_along(by), seq_len(level))]) totals[[name]][] <- total_text
  for (name in intersect(names(attr(s, "columns")), names(s))) totals[[name]] <- column_values(plan, attr(s, "columns")[[name]], some)
  kept <- attributes(s)
  out <- lapply(stats::setNames(nm = names(s)), function(name) {
    both <- c(s[[name]], totals[[name]])
    if (is.factor(s[[name]])) factor(c(as.character(s[[name]]), as.character(totals[[name]])), levels = levels(s[[name]]), ordered = is.ordered(s[[name]])) else both
  })
  out <- tibble::new_tibble(out, nrow = nrow(s) + n, class = "statement")
  attr(out, "plan") <- kept$plan
  attr(out, "columns") <- kept$columns
  # After the rows it is the total of, and after the totals within it.
  list(s = out, place = last + (length(by) - level) / (length(by) + 1))
}
