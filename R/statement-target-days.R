# Which targets a row is held against: those that cover its days and are of its members, and of no
# others.

# list(target, lacks): the target of each row, missing where targets do not cover it; `lacks` says
# what is missing.
row_targets <- function(plan, table, rows, days) {
  n <- length(rows$to)
  out <- list(target = rep(NA_real_, n), lacks = rep(NA_character_, n))
  plain <- rows$set == 0L
  if (is.numeric(table)) {
    held <- periods_of_rows(plan, rows)
    part <- if (days == "whole") 1 else (rows$to - rows$from + 1) / (held$to - held$from + 1)
    own <- plain & !rows$overall & rows$level == length(plan$by)
    out$target[own] <- rep_len(table * part, n)[own]
    return(out)
  }
  asked <- asked_days(plan, rows)
  for (at in row_parts(rows)) {
    if (rows$set[at[1]] > 0L) next
    by <- plan$by[seq_len(rows$level[at[1]])]
    if (length(setdiff(by, names(table$told))) > 0) next  # targets do not tell these groups apart
    wanted <- lapply(asked, function(column) column[asked$row %in% at])
    found <- targets_of_groups(plan, table, rows, at, by, wanted, days)
    # One period without a target makes the sum missing.
    row <- factor(wanted$row, levels = at)
    out$target[at] <- as.vector(rowsum(found$target, row, reorder = TRUE))
    lacks <- which(!is.na(found$lacks))
    out$lacks[at] <- found$lacks[lacks][match(at, wanted$row[lacks])]
  }
  out
}

# list(target, lacks) for the days asked of rows `at`, group by group of the attributes `by`.
targets_of_groups <- function(plan, table, rows, at, by, asked, days) {
  n <- length(asked$row)
  both <- lapply(by, function(name) c(plain_text(rows$values[[name]][at]), table$told[[name]]))
  told <- number_rows(both, length(at) + length(table$target))$number
  key <- told[seq_along(at)][match(asked$row, at)]
  of <- utils::tail(told, length(table$target))
  over <- setdiff(names(table$told), by)
  found <- list(target = rep(NA_real_, n), lacks = rep(NA_character_, n))
  if (length(over) == 0) found$target <- targets_of_periods(table, of, asked, key, days)
  theirs <- split(seq_along(of), factor(of, levels = unique(key)))
  left <- split(seq_len(n), factor(key, levels = unique(key)))
  for (k in which(vapply(left, function(mine) anyNA(found$target[mine]), TRUE))) {
    mine <- left[[k]]
    some <- some_targets(table, theirs[[k]], over)
    own <- targets_of_days(some, lapply(asked, function(column) column[mine]), days, plan, rows)
    found$target[mine] <- own$target
    found$lacks[mine] <- own$lacks
  }
  found
}

day_pair <- function(from, to) (from - first_day_there_is) * 4e6 + (to - first_day_there_is)

# The targets of the very periods that are asked for, where the rows' groups have targets of their
# own; missing for the others.
targets_of_periods <- function(table, of, asked, key, days) {
  n <- length(key)
  pairs <- c(day_pair(asked$first, asked$last), day_pair(table$from, table$to))
  told <- number_rows(list(c(key, of), pairs), n + length(of))$number
  found <- table$target[match(told[seq_len(n)], told[-seq_len(n)])]
  if (days == "whole") found else found * part_of_period(asked)
}

# How much of each period's days is asked for.
part_of_period <- function(asked) (asked$to - asked$from + 1) / (asked$last - asked$first + 1)

# The days that each row is held against: list(row, from, to, first, last), `first` and `last` of
# the whole period. A total over periods is held against the targets of its periods, added up.
asked_days <- function(plan, rows) {
  of_periods <- function(row, from, to) {
    held <- periods_holding(from, plan$per, plan$calendar)
    list(row = row, from = from, to = to, first = held$first, last = held$last)
  }
  own <- which(!rows$overall)
  totals <- which(rows$overall)
  spans <- number_rows(list(rows$from[totals], rows$to[totals]), length(totals))
  parts <- lapply(seq_len(spans$count), function(k) {
    i <- totals[spans$first[k]]
    periods <- periods_between(rows$from[i], rows$to[i], plan$per, plan$calendar)
    mine <- totals[spans$number == k]
    of_periods(rep(mine, each = length(periods$from)), rep(periods$from, length(mine)),
               rep(periods$to, length(mine)))
  })
  do.call(Map, c(c, list(of_periods(own, rows$from[own], rows$to[own])), parts))
}

# The targets of one group as lines, one for each combination of the attributes that are summed
# over: list(lines, pattern), each line list(from, to, target, members). `pattern` numbers lines
# that are totals ("(all)") over the same attributes.
some_targets <- function(table, at, over) {
  members <- lapply(table$told[over], function(text) text[at])
  told <- number_rows(unname(members), length(at))
  lines <- lapply(seq_len(told$count), function(k) {
    some <- at[told$number == k]
    list(from = table$from[some], to = table$to[some], target = table$target[some],
         members = lapply(members, function(text) text[told$first[k]]))
  })
  totals <- lapply(members, function(text) text[told$first] %in% total_text)
  pattern <- number_rows(unname(totals), told$count)$number
  most <- Reduce(`+`, lapply(totals, as.integer), integer(told$count))
  list(lines = lines, pattern = pattern, most = most, over = over, where = table$where)
}

# Lines that are totals over most attributes are asked first; they count where each of them covers
# the days.
targets_of_days <- function(some, asked, days, plan, rows) {
  n <- length(asked$from)
  out <- list(target = rep(NA_real_, n), lacks = rep(NA_character_, n))
  for (pattern in unique(some$pattern[order(-some$most)])) {
    mine <- which(some$pattern == pattern)
    left <- which(is.na(out$target))
    if (length(left) == 0) break
    wanted <- lapply(asked, function(column) column[left])
    covers <- lapply(some$lines[mine], line_targets, asked = wanted, days = days)
    lacks <- missing_targets(some$lines[mine], covers, wanted, some, plan, rows)
    set <- lapply(covers, function(cover) !is.na(cover$target))
    known <- which(is.na(lacks) & Reduce(`|`, set))
    sums <- Reduce(`+`, lapply(covers, function(cover) ifelse(cover$none, 0, cover$target)))
    out$target[left[known]] <- sums[known]
    out$lacks[left] <- ifelse(seq_along(left) %in% known, NA, lacks)
  }
  out
}

# What each stretch of days lacks for a total over members, NA where nothing: a member whose targets
# have gaps, or one that has entries and no target.
missing_targets <- function(lines, covers, asked, some, plan, rows) {
  out <- rep(NA_character_, length(asked$from))
  for (k in rev(seq_along(lines))) {
    gap <- is.na(covers[[k]]$target) & !covers[[k]]$none
    name <- paste(vapply(lines[[k]]$members, member_text, ""), collapse = ", ")
    out[gap] <- if (length(lines) > 1) name else ""
  }
  told <- lapply(stats::setNames(nm = some$over), function(name) {
    vapply(lines, function(line) line$members[[name]], "")
  })
  # Columns of the targets that the ledger does not have, or that lines are totals over, tell no
  # entries apart.
  told <- told[names(told) %in% source_column_names(plan_ledger(plan))]
  told <- Filter(function(text) !all(text %in% total_text), told)
  if (length(told) == 0) return(out)
  members <- members_with_entries(plan, rows, asked, names(told), some$where)
  n <- length(members$groups)
  number <- number_rows(Map(c, members$text, told), n + length(lines))$number
  line <- match(number[seq_len(n)], number[-seq_len(n)])
  # Only members that lack a target for some of the days are looked for among the entries.
  bare <- which(vapply(seq_len(n), function(g) is.na(line[g]) || any(covers[[line[g]]]$none), TRUE))
  days <- length(asked$from)
  held <- group_entries(plan_ledger(plan), members$ask, rep(members$groups[bare], each = days),
                        rep(asked$from, length(bare)), rep(asked$to, length(bare))) > 0
  held <- matrix(held, nrow = days)
  for (g in rev(seq_along(bare))) {
    none <- if (is.na(line[bare[g]])) TRUE else covers[[line[bare[g]]]]$none
    name <- vapply(members$text, function(text) member_text(text[bare[g]]), "")
    out[held[, g] & none & is.na(out)] <- paste(name, collapse = ", ")
  }
  out
}

# The groups of entries that a row holds, by attributes that it does not tell apart: list(ask,
# groups, text), `text` the members of each attribute.
members_with_entries <- function(plan, rows, asked, attributes, where) {
  row <- asked$row[1]
  by <- plan$by[seq_len(rows$level[row])]
  x <- plan_ledger(plan)
  groups <- groups_by(x, c(by, attributes))
  every <- all_groups(groups)
  codes <- groups_codes(groups, every)
  # The row's own members, by number.
  own <- Map(members_found, groups$members[by], lapply(rows$values[by], `[`, row))
  mine <- Reduce(`&`, Map(function(code, number) code == number, codes[by], own),
                 rep(TRUE, length(every)))
  text <- Map(function(members, code) members$text[code[mine] + 1L], groups$members[attributes],
              codes[attributes])
  list(ask = new_ask(plan$on, c(by, attributes), where, list(entry_count)),
       groups = every[mine], text = text)
}

# list(target, none): what one line of targets sets for days; missing where it does not cover them,
# `none` where it has no day of them.
line_targets <- function(line, asked, days) {
  n <- length(asked$from)
  # Most often there is a target for the very period.
  out <- line$target[match(day_pair(asked$first, asked$last), day_pair(line$from, line$to))]
  none <- logical(n)
  for (i in which(is.na(out))) {
    none[i] <- !any(line$from <= asked$last[i] & line$to >= asked$first[i])
    if (!none[i]) out[i] <- tiled_target(line, asked$first[i], asked$last[i])
  }
  if (days == "whole") return(list(target = out, none = none))
  out <- out * part_of_period(asked)
  for (i in which(is.na(out) & !none)) {
    none[i] <- !any(line$from <= asked$to[i] & line$to >= asked$from[i])
    if (!none[i]) out[i] <- target_by_days(line, asked$from[i], asked$to[i])
  }
  list(target = out, none = none)
}

# The sum of the fewest targets that follow each other from one day to another; missing where none
# do. So months and their quarter are never added together.
tiled_target <- function(line, first, last) {
  at <- which(line$from >= first & line$to <= last & !is.na(line$target))
  at <- at[order(line$from[at], decreasing = TRUE)]
  ends <- last + 1L
  count <- 0
  sums <- 0
  for (i in at) {
    # Days from which the end is reached, each with the count and sum of the targets on the way.
    next_at <- match(line$to[i] + 1L, ends)
    if (is.na(next_at)) next
    here <- match(line$from[i], ends)
    if (!is.na(here) && count[here] <= count[next_at] + 1) next
    if (is.na(here)) here <- length(ends) + 1L
    ends[here] <- line$from[i]
    count[here] <- count[next_at] + 1
    sums[here] <- sums[next_at] + line$target[i]
  }
  sums[match(first, ends)]
}

# The targets that hold each of the days, each in the part of its days: those that lie within the
# days whole first.
target_by_days <- function(line, from, to) {
  day <- from
  sum <- 0
  while (day <= to) {
    at <- which(line$from <= day & line$to >= day & !is.na(line$target))
    if (length(at) == 0) return(NA_real_)
    whole <- at[line$from[at] == day & line$to[at] <= to]
    shortest <- at[which.min(line$to[at] - line$from[at])]
    pick <- if (length(whole) > 0) whole[which.max(line$to[whole])] else shortest
    end <- min(line$to[pick], to)
    sum <- sum + line$target[pick] * (end - day + 1) / (line$to[pick] - line$from[pick] + 1)
    day <- end + 1L
  }
  sum
}

# The periods that rows are part of.
periods_of_rows <- function(plan, rows) {
  here <- periods_holding(rows$from, plan$per, plan$calendar)
  list(from = ifelse(rows$overall, rows$from, here$first),
       to = ifelse(rows$overall, rows$to, here$last))
}

# What a reader must know of the targets: which rows have none, and which are held against a part.
target_notes <- function(name, found, table, rows, s, days) {
  plan <- attr(s, "plan")
  without <- which(is.na(found$target) & rows$set == 0L)
  part <- which(!s$complete & !is.na(found$target) & !rows$overall & !duplicated(rows$from))
  last <- periods_holding(rows$to[part], plan$per, plan$calendar)$last
  open <- part[rows$to[part] == plan$as_of & rows$to[part] < last]
  cut <- setdiff(part, open)
  covers <- sprintf("%s covers only %s", s$period[cut],
                    mapply(days_text, rows$from[cut], rows$to[cut]))
  held <- sprintf("; the target is %s", if (days == "whole") "that of the whole period"
                  else "the part of it for the days covered")
  says <- c(
    if (length(without) > 0) lacking_text(found, table, rows, s, without),
    if (length(open) > 0)
      paste0(listed(s$period[open], most = 3),
             if (length(open) == 1) " is not over" else " are not over", held),
    if (length(cut) > 0) paste0(listed(covers, most = 3), held),
    if (is.list(table) && length(table$unknown) > 0)
      sprintf("targets are not told apart by %s, which conditions speak of", listed(table$unknown)),
    if (is.list(table) && table$left_out > 0)
      sprintf("%s without a period left out", count_text(table$left_out, "target"))
  )
  if (length(says) > 0) paste0(name, ": ", says)
}

# Rows without a target, and what they lack.
lacking_text <- function(found, table, rows, s, without) {
  if (is.numeric(table)) return("one number is the target of each row, and totals have none")
  lacks <- found$lacks[without]
  members <- lapply(rows$values, function(values) member_text(values[without]))
  row <- do.call(paste, c(unname(members), list(s$period[without])))
  row <- paste0(row, ifelse(is.na(lacks) | lacks == "", "", sprintf(" (%s has none)", lacks)))
  sprintf("no target for %s", listed(row, most = 5))
}
