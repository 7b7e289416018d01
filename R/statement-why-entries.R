# The entries behind a line of an explanation: those of both spans, what is before counting against
# what is now.

entries_of_line <- function(x, told, row, call) {
  at <- line_meant(x, told, row, call)
  why <- attr(x, "why")
  plan <- why$plan
  ledger <- plan_ledger(plan, call)
  consistent(ledger, function() {
    parts <- lapply(1:2, function(span) line_entries_in(x, why, at, span))
    new_entries_of_line(x, why, at, parts)
  }, plan$id)
}

# The number of the line that is meant: by its name, or its row.
line_meant <- function(x, told, row, call) {
  if (!is.null(row) || length(told) == 0) return(row_number_meant(row %||% 1, nrow(x), call))
  if (!identical(names(told), "line")) {
    refuse("choice", c("Lines are told by their name.", i = sprintf("Such as line = %s.",
                                                                   quoted_text(x$line[2]))),
           call = call)
  }
  at <- which(x$line %in% plain_text(told$line))
  if (length(at) == 1) return(at)
  refuse("choice", c(sprintf("There is %s line %s.", if (length(at) == 0) "no" else "more than one",
                             quoted_text(plain_text(told$line)[1])),
                     i = sprintf("There are: %s.", listed(x$line, most = 12))), call = call)
}

# The entries of a line in one span, each once: list(row, values).
line_entries_in <- function(x, why, at, span) {
  plan <- why$plan
  ledger <- plan_ledger(plan)
  part <- x$part[at]
  columns <- source_column_names(ledger)
  none <- list(node = "constant", says = FALSE)
  sides <- list(before = 2, new = 1, newcomers = 1, back = 1, now = 1, lost = 2, lapsed = 2)
  out_of_sight <- !is.null(sides[[part]]) && sides[[part]] != span
  groups <- groups_of_line(x, why, at)
  leaves <- measure_leaves(list(why$tree))
  found <- lapply(leaves, function(leaf) {
    has_value <- if (!is.null(leaf$column)) {
      list(node = "negate", a = list(node = "missing", column = leaf$column))
    }
    where <- Reduce(both_conditions, list(plan$where, leaf$where, has_value, groups$where,
                                          if (out_of_sight) none))
    source_entries(ledger, plan$on, plan$spans$from[span], plan$spans$to[span], where, columns)
  })
  own <- joined_entries(found, columns)
  if (is.null(groups$numbers) && is.null(groups$not)) return(own)
  number <- group_numbers(ledger, groups$by, own$values[groups$by], length(own$row)) + 1L
  stays <- if (!is.null(groups$numbers)) number %in% groups$numbers else TRUE
  if (!is.null(groups$not)) {
    sold <- source_entries(ledger, plan$on, plan$spans$from[span], plan$spans$to[span],
                           both_conditions(plan$where, groups$not), columns[1])$row
    # What is no sale, and sales of members that are no part of the other lines.
    stays <- !own$row %in% sold | !number %in% groups$sold
  }
  rows_select(own, which(rep_len(stays, length(own$row))))
}

# Which groups a line is of: list(by, where) where a condition tells them, or list(by, numbers).
groups_of_line <- function(x, why, at) {
  part <- x$part[at]
  told <- attr(x, "groups")
  if (part %in% c("member", "rest")) {
    named <- told$group[x$part == "member"]
    if (part == "rest") {
      all <- seq_len(groups_by(plan_ledger(why$plan), told$by)$count)
      return(list(by = told$by, numbers = setdiff(all, named)))
    }
    return(list(by = told$by, numbers = told$group[at], where = member_condition(why, told, at)))
  }
  if (!is.null(why$volume)) return(groups_of_volume(why, part))
  if (why$way == "ratio" && part %in% c("rate", "mix", "new", "lost", "no_base"))
    return(groups_of_ratio(why, part, told$by))
  if (why$way == "distinct" && part %in% c("newcomers", "back", "lapsed")) {
    came <- members_that_came(why)
    flags <- switch(part, newcomers = came$newcomer, back = came$back, came$lapsed)
    return(list(by = why$tree$column, numbers = which(flags)))
  }
  NULL
}

# One member's entries are told by a condition, so that no others are read.
member_condition <- function(why, told, at) {
  groups <- groups_by(plan_ledger(why$plan), told$by)
  members <- groups_values(groups, told$group[at] - 1L)
  Reduce(both_conditions, Map(function(name, member) {
    if (is.na(member)) list(node = "missing", column = name)
    else condition_among(name, member, why$plan)
  }, told$by, members))
}

groups_of_volume <- function(why, part) {
  if (part %in% c("before", "now", "days", "kinds")) return(NULL)
  sales <- sales_of(why)
  kind <- switch(part, new = sales$new, lost = sales$lost, sales$kept)
  if (part == "other") {
    sold <- which(sales$kept | sales$new | sales$lost)
    return(list(by = why$among, not = sales$where %||% list(node = "constant", says = TRUE),
                sold = sold))
  }
  list(by = why$among, numbers = which(kind), where = sales$where)
}

groups_of_ratio <- function(why, part, by) {
  if (length(by) == 0) return(NULL)
  cells <- day_cells(why, by, trees_of_why(why))
  b <- lapply(1:2, function(span) member_sums(cells, span, 2))
  list(by = by, numbers = which(switch(part,
    new = b[[2]] == 0 & b[[1]] > 0, lost = b[[1]] == 0 & b[[2]] > 0,
    no_base = b[[1]] == 0 | b[[2]] == 0, b[[1]] > 0 & b[[2]] > 0)))
}

# Lines that are of the same entries, so that only together they come to what these make.
same_entries <- list(c("volume", "mix", "quantity", "price"), c("rate", "mix"))

new_entries_of_line <- function(x, why, at, parts) {
  plan <- why$plan
  facts <- source_facts(plan_ledger(plan))
  asked <- unlist(lapply(measure_leaves(plan$measures), function(leaf) leaf$column))
  names <- names(parts[[1]]$values)
  known <- unique(intersect(c(facts$dates[[plan$on]]$column, asked, facts$columns_read, names),
                            names))
  values <- lapply(stats::setNames(nm = known), function(name) {
    vctrs_free_join(lapply(parts, function(part) part$values[[name]]))
  })
  span <- rep(c("now", "before"), vapply(parts, function(part) length(part$row), 0L))
  single <- why$way == "sum" && why$tree$node == "measure"
  counts <- if (single) ifelse(span == "now", 1, -1) *
    (if (why$tree$fun == "total") as.double(values[[why$tree$column]]) else 1)
  plain <- calculation_name(known)
  own <- utils::tail(make.unique(c(plain, "span"), sep = " "), 1)
  rows <- utils::tail(make.unique(c(plain, own, "row"), sep = " "), 1)
  counted <- utils::tail(make.unique(c(plain, own, rows, "counts"), sep = " "), 1)
  columns <- c(stats::setNames(list(span, facts$told_rows(unlist(lapply(parts, `[[`, "row")))),
                               c(own, rows)),
               stats::setNames(values, plain),
               if (single) stats::setNames(list(counts), counted))
  out <- new_table(columns, nrow = length(span), class = "entries_behind")
  decimals <- amount_decimals(plan, known)
  names(decimals) <- plain[match(names(decimals), known)]
  if (single) decimals[[counted]] <- columns_of(x)[[1]]$decimals
  attr(out, "decimals") <- decimals
  attr(out, "value") <- if (single) in_decimals(sum(counts), why$decimals) else x$amount[at]
  attr(out, "days") <- as_date(c(min(plan$spans$from), max(plan$spans$to)))
  attr(out, "says") <- line_says(x, why, at, out)
  out
}

line_says <- function(x, why, at, out) {
  plan <- why$plan
  column <- columns_of(x)[[1]]
  money <- function(value) paste0(signed_text(value, column$decimals),
                                  if (!is.null(column$unit)) paste0(" ", column$unit))
  value <- attr(out, "value")
  part <- x$part[at]
  shared <- unlist(Filter(function(parts) part %in% parts, same_entries))
  shared <- if (!is.null(shared)) which(x$part %in% shared) else at
  c(sprintf("%s behind %s: %s %s (now) and %s (before)",
            count_text(nrow(out), "entry", "entries"), x$line[at], plan$on,
            days_text(plan$spans$from[1], plan$spans$to[1]),
            days_text(plan$spans$from[2], plan$spans$to[2])),
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")),
    paste("The line is", if (part %in% c("before", "now"))
      number_text(x$amount[at], column$decimals) else money(x$amount[at])),
    if (length(shared) > 1 && why$way == "sum")
      sprintf("%s are of these entries, which come to %s together", listed(x$line[shared]),
              money(sum(x$amount[shared]))),
    if (why$days_apart && !part %in% c("before", "now"))
      sprintf("Now less before they come to %s, of which days are lines of their own",
              money(value)))
}
