# Which targets a row is held against: those that cover its days and are of its members, and of no
# others.

# list(from, to, target, told, asked): the days and amount of each target, the members that it is of
# (text, one vector for each column that tells targets apart), and the names of columns in
# conditions that targets know nothing of.
read_targets <- function(targets, plan, m, call = caller_env()) {
  refuse_target <- function(...) refuse("target", c(...), call = call)
  if (is.numeric(targets) && length(targets) == 1 && !is.na(targets)) return(targets)
  if (!is.data.frame(targets) ||
      nrow(targets) == 0) refuse_target("`targets` must be one number or a data frame with a row per target.")
  known <- names(targets)
  period <- intersect(c("period", gsub(" ", "_", grains), grains), known)
  if (length(period) != 1) {
    refuse_target(sprintf("`targets` needs one column of periods, called `period` or after a grain, such as `%s`.", gsub(" ", "_", plan$per)),
                  i = sprintf("It has: %s.", listed(known)))
  }
  numbers <- setdiff(known[vapply(targets, is.numeric, TRUE)], c(period, plan$by))
  amount <- if ("target" %in% known) "target" else numbers
  if (length(amount) != 1 || !is.numeric(targets[[amount]])) {
    refuse_target("`targets` needs one column of numbers, called `target`.",
                  i = sprintf("It has: %s.", listed(known)))
  }
  dated <- !is.na(targets[[period]])
  left_out <- sum(!dated)
  targets <- targets[dated, , drop = FALSE]
  days <- target_days(targets[[period]], period, plan, call)
  # Targets may be finer than the statement: by attributes that it does not have.
  told <- setdiff(known, c(period, amount, setdiff(numbers, ledger_column_names(plan$x))))
  members <- lapply(stats::setNames(nm = told), function(name) plain_text(targets[[name]]))
  key <- rows_told_apart(c(list(days$from, days$to), unname(members)), nrow(targets))
  if (key$count < nrow(targets)) {
    twice <- which(duplicated(key$number))[1]
    refuse_target(sprintf("There are two targets for %s.",
                          listed(c(plain_text(targets[[period]][twice]),
                                   vapply(members, function(text) member_text(text[twice]), "")))))
  }
  held <- targets_asked_for(targets, members, conditions_of(plan, m), plan$x)
  list(from = days$from[held$at], to = days$to[held$at],
       target = as.double(targets[[amount]])[held$at],
       told = lapply(members, function(text) text[held$at]), where = both_conditions(plan$where,
           shared_condition(plan, m)), unknown = held$unknown,
       left_out = left_out)
}

# First and last day of each target's period.
target_days <- function(values, column, plan, call) {
  if (inherits(values, "Date")) {
    grain <- gsub("_", " ", column)
    return(periods_holding(whole_days(values), if (grain %in% grains) grain else plan$per,
                           plan$x$calendar)[c("first", "last")] |> stats::setNames(c("from", "to")))
  }
  labels <- unique(plain_text(values))
  days <- lapply(labels, function(label) {
    tree <- read_phrase(label, plan$x$calendar)
    resolved <- if (is.null(tree$problem)) resolve_phrase(label, "", plan$x$calendar, plan$as_of,
                                                          NULL, call)
    if (length(resolved$to) != 1 || is.na(resolved$from)) {
      refuse("target", c(sprintf("The period \"%s\" of `targets` is not understood.", label),
                         i = "Periods are written as 2026-08, 2026-Q3, FY2027 or 2026-W31."), call = call)
    }
    c(resolved$from, resolved$to)
  })
  days <- do.call(rbind, days)[match(plain_text(values), labels), , drop = FALSE]
  list(from = days[, 1], to = days[, 2])
}

# The condition of a measure, where all of its parts share one.
shared_condition <- function(plan, m) {
  own <- unique(lapply(measure_leaves(plan$measures[m]), function(leaf) leaf$where))
  if (length(own) == 1) own[[1]]
}

both_conditions <- function(a, b) if (is.null(a)) b else if (is.null(b)) a else list(node = "both",
    a = a, b = b)

# The conditions that single entries behind a measure pass: those of the ledger, of the statement
# and of the measure, taken apart at "and".
conditions_of <- function(plan, m) {
  trees <- c(lapply(plan$x$steps, function(step) step$where),
             list(plan$where, shared_condition(plan, m)))
  apart <- function(tree) if (is.null(tree)) list() else if (tree$node == "both") c(apart(tree$a),
      apart(tree$b)) else list(tree)
  unlist(lapply(trees, apart), recursive = FALSE)
}

# list(at, unknown): the targets of entries that pass the conditions, and the columns in conditions
# that targets do not have.
targets_asked_for <- function(targets, members, asked, x) {
  at <- seq_len(nrow(targets))
  unknown <- character()
  for (tree in asked) {
    columns <- names_in(list(tree))
    absent <- setdiff(columns, names(members))
    if (length(absent) > 0) {
      unknown <- union(unknown, absent)
      next
    }
    some <- Reduce(`&`, lapply(members[columns], function(text) !text[at] %in% total_text),
                   rep(TRUE, length(at)))
    at <- at[some][passing_rows(lapply(members[columns], function(text) text[at][some]), tree, x)]
  }
  list(at = at, unknown = unknown)
}

# Numbers of the rows of a table of members that pass a condition of the ledger.
passing_rows <- function(members, tree, x) {
  n <- if (length(members) == 0) 0L else length(members[[1]])
  if (n == 0) return(integer())
  standing <- core_sort_by_day(integer(n), core_threads())
  columns <- Map(function(text, name) {
    like <- ledger_column(x, name)
    values <- if (is.factor(like$members)) factor(text,
                                                  levels = union(levels(like$members),
                                                      text[!is.na(text)]), ordered = is.ordered(like$members))
              else if (is.logical(like$members)) as.logical(text) else if (is_code_column(like) ||
                  is_large(like)) text
              else if (like$kind == "day") as_date(core_iso_days(text)) else suppressWarnings(as.double(text))
    encode_column(values, standing)
  }, members, names(members))
  table <- list(used = n, columns = columns, bases = list(), grouped = new.env(parent = emptyenv()))
  core_chosen_entries(cube_request(table, list(first = 0L, last = 0L, offsets = c(0L, n)), tree,
                                   list(entry_count)))
}

# list(target, lacks): the target of each row, missing where targets do not cover it; `lacks` says
# what is missing.
row_targets <- function(plan, table, rows, days) {
  n <- length(rows$to)
  out <- list(target = rep(NA_real_, n), lacks = rep(NA_character_, n))
  plain <- rows$set == 0L
  if (is.numeric(table)) {
    whole <- whole_days_of_rows(plan, rows)
    part <- if (days == "covered") (rows$to - rows$from + 1) / (whole$to - whole$from +
        1) else rep(1, n)
    own <- plain & !rows$whole & rows$level == length(plan$by)
    out$target[own] <- (table * part)[own]
    return(out)
  }
  asked <- asked_days(plan, rows)
  for (at in row_parts(rows)) {
    if (rows$set[at[1]] > 0L) next
    by <- plan$by[seq_len(rows$level[at[1]])]
    if (length(setdiff(by, names(table$told))) > 0) next  # targets do not tell these groups apart
    told <- rows_told_apart(lapply(by, function(name) c(plain_text(rows$values[[name]][at]),
                                                        table$told[[name]])), length(at) + length(table$target))$number
    # Days asked for, and targets, by the group of rows that they are of.
    wanted <- which(asked$row %in% at)
    key <- told[seq_along(at)][match(asked$row[wanted], at)]
    over <- setdiff(names(table$told), by)
    found <- list(target = rep(NA_real_, length(wanted)),
                  lacks = rep(NA_character_, length(wanted)))
    if (length(over) == 0) found$target <- targets_of_periods(table, told[-seq_along(at)], asked,
        wanted, key, days)
    theirs <- split(seq_along(table$target), factor(told[-seq_along(at)], levels = unique(key)))
    left <- split(seq_along(wanted), factor(key, levels = unique(key)))
    for (k in which(vapply(left, function(some) anyNA(found$target[some]), TRUE))) {
      some <- some_targets(table, theirs[[k]], over)
      mine <- wanted[left[[k]]]
      own <- targets_of_days(some, lapply(asked, function(column) column[mine]), days, plan, rows,
                             asked$row[mine[1]])
      found$target[left[[k]]] <- own$target
      found$lacks[left[[k]]] <- own$lacks
    }
    # A row is held against the targets of all its periods; one that is missing makes the sum
    # missing.
    row <- factor(asked$row[wanted], levels = at)
    out$target[at] <- as.vector(rowsum(found$target, row, reorder = TRUE))
    lacks <- which(!is.na(found$lacks))
    out$lacks[at] <- found$lacks[lacks][match(at, asked$row[wanted][lacks])]
  }
  out
}

day_pair <- function(from, to) (from - first_day_there_is) * 4e6 + (to - first_day_there_is)

# The targets of the very periods that are asked for, where the rows' groups have targets of their
# own; missing for the others.
targets_of_periods <- function(table, theirs, asked, wanted, key, days) {
  n <- length(wanted)
  both <- list(c(key, theirs), c(day_pair(asked$first[wanted], asked$last[wanted]),
                                 day_pair(table$from, table$to)))
  told <- rows_told_apart(both, n + length(theirs))$number
  found <- table$target[match(told[seq_len(n)], told[-seq_len(n)])]
  if (days == "whole") found else found * part_of_period(asked)[wanted]
}

# How much of each period's days is asked for.
part_of_period <- function(asked) (asked$to - asked$from + 1) / (asked$last - asked$first + 1)

# The days that each row is held against: list(row, from, to, first, last, label), `first` and
# `last` of the whole period. A total over periods is held against the targets of its periods, added
# up.
asked_days <- function(plan, rows) {
  own <- which(!rows$whole)
  held <- periods_holding(rows$from[own], plan$per, plan$x$calendar)
  out <- list(row = own, from = rows$from[own], to = rows$to[own], first = held$first,
              last = held$last, label = held$label)
  whole <- which(rows$whole)
  if (length(whole) == 0) return(out)
  spans <- rows_told_apart(list(rows$from[whole], rows$to[whole]), length(whole))
  parts <- lapply(seq_len(spans$count), function(k) {
    i <- whole[spans$first[k]]
    periods <- periods_between(rows$from[i], rows$to[i], plan$per, plan$x$calendar)
    held <- periods_holding(periods$from, plan$per, plan$x$calendar)
    of <- whole[spans$number == k]
    p <- length(periods$label)
    list(row = rep(of, each = p), from = rep(periods$from, length(of)),
         to = rep(periods$to, length(of)),
         first = rep(held$first, length(of)), last = rep(held$last,
                                                         length(of)), label = rep(periods$label,
                                                             length(of)))
  })
  do.call(Map, c(c, list(out), parts))
}

# The targets of one group as lines, one for each combination of the attributes that are summed
# over: list(lines, pattern), each line list(from, to, target, members). `pattern` numbers lines
# that are totals ("(all)") over the same attributes.
some_targets <- function(table, at, over) {
  members <- lapply(table$told[over], function(text) text[at])
  told <- rows_told_apart(unname(members), length(at))
  lines <- lapply(seq_len(told$count), function(k) {
    some <- at[told$number == k]
    list(from = table$from[some], to = table$to[some], target = table$target[some],
         members = lapply(members, function(text) text[told$first[k]]))
  })
  totals <- lapply(members, function(text) text[told$first] %in% total_text)
  pattern <- rows_told_apart(unname(totals), told$count)$number
  most <- Reduce(`+`, lapply(totals, as.integer), integer(told$count))
  list(lines = lines, pattern = pattern, most = most, over = over, where = table$where)
}

# Lines that are totals over most attributes are asked first; they count where each of them covers
# the days.
targets_of_days <- function(some, asked, days, plan, rows, row) {
  n <- length(asked$from)
  out <- list(target = rep(NA_real_, n), lacks = rep(NA_character_, n))
  for (pattern in unique(some$pattern[order(-some$most)])) {
    mine <- which(some$pattern == pattern)
    left <- which(is.na(out$target))
    if (length(left) == 0) break
    wanted <- lapply(asked, function(column) column[left])
    covers <- lapply(some$lines[mine], line_targets, asked = wanted, days = days)
    lacks <- lacking_lines(some$lines[mine], covers, wanted, some, plan, rows, row)
    known <- which(is.na(lacks) & Reduce(`|`, lapply(covers, function(cover) !is.na(cover$target)),
                                         logical(length(left))))
    sums <- Reduce(`+`, lapply(covers, function(cover) ifelse(cover$none, 0, cover$target)),
                   numeric(length(left)))
    out$target[left[known]] <- sums[known]
    out$lacks[left] <- ifelse(seq_along(left) %in% known, NA, lacks)
  }
  out
}

# What each stretch of days lacks for a total over members, NA where nothing: a member whose targets
# have gaps, or one that has entries and no target.
lacking_lines <- function(lines, covers, asked, some, plan, rows, row) {
  out <- rep(NA_character_, length(asked$from))
  name_of <- function(line) paste(vapply(line$members, member_text, ""), collapse = ", ")
  for (k in rev(seq_along(lines))) {
    gap <- is.na(covers[[k]]$target) & !covers[[k]]$none
    out[gap] <- if (length(lines) > 1) name_of(lines[[k]]) else ""
  }
  attributes <- some$over[vapply(some$over, function(name) name %in% ledger_column_names(plan$x),
                                 TRUE)]
  attributes <- attributes[!vapply(attributes, function(name) all(vapply(lines,
      function(line) line$members[[name]] %in% total_text, TRUE)), TRUE)]
  if (length(attributes) == 0) return(out)
  by <- plan$by[seq_len(rows$level[row])]
  cube <- entries_of_targets(plan, c(by, attributes), some$where)
  groups <- seq_len(core_cube_facts(cube$pointer)$groups) - 1L
  values <- lapply(cube_group_values(cube, groups), plain_text)
  for (name in by) groups <- groups[values[[name]][groups +
                                                   1L] %in% plain_text(rows$values[[name]][row])]
  if (length(groups) == 0) return(out)
  told <- lapply(attributes, function(name) c(values[[name]][groups + 1L],
                                              vapply(lines, function(line) line$members[[name]],
                                                     "")))
  number <- rows_told_apart(told, length(groups) + length(lines))$number
  theirs <- number[-seq_along(groups)]
  # Only members that lack a target for some of the days are looked for among the entries.
  line <- match(number[seq_along(groups)], theirs)
  bare <- vapply(seq_along(groups), function(g) is.na(line[g]) || any(covers[[line[g]]]$none), TRUE)
  n <- length(asked$from)
  held <- matrix(group_entries(cube, rep(groups[bare], each = n), rep(asked$from, sum(bare)),
                               rep(asked$to, sum(bare))) > 0, nrow = n)
  for (g in rev(seq_len(sum(bare)))) {
    at <- which(bare)[g]
    none <- if (is.na(line[at])) rep(TRUE, n) else covers[[line[at]]]$none
    name <- vapply(attributes, function(name) member_text(values[[name]][groups[at] + 1L]), "")
    out[held[, g] & none & is.na(out)] <- paste(name, collapse = ", ")
  }
  out
}

# The entries that a measure counts, by what tells its targets apart.
entries_of_targets <- function(plan, by, where) {
  kept_in(plan$cube, list("targets of", by, where), function() memory_cube(plan$x, plan$on, by,
      where, measure_slots(list(), plan$x)), cube_stands)
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
    pick <- if (length(whole) > 0) whole[which.max(line$to[whole])] else at[which.min(line$to[at] - line$from[at])]
    end <- min(line$to[pick], to)
    sum <- sum + line$target[pick] * (end - day + 1) / (line$to[pick] - line$from[pick] + 1)
    day <- end + 1L
  }
  sum
}

# The periods that rows are part of.
whole_days_of_rows <- function(plan, rows) {
  here <- periods_holding(rows$from, plan$per, plan$x$calendar)
  list(from = ifelse(rows$whole, rows$from, here$first),
       to = ifelse(rows$whole, rows$to, here$last))
}

target_notes <- function(name, found, table, rows, s, days) {
  plan <- attr(s, "plan")
  without <- which(is.na(found$target) & rows$set == 0L)
  said <- do.call(paste,
                  c(unname(lapply(rows$values, function(values) member_text(values[without]))),
                    list(s$period[without])))
  lacks <- found$lacks[without]
  said <- paste0(said, ifelse(is.na(lacks) | lacks == "", "", sprintf(" (%s has none)", lacks)))
  number <- is.numeric(table)
  part <- which(!s$complete & !is.na(found$target) & !rows$whole & !duplicated(rows$from))
  over <- rows$to[part] < plan$as_of | rows$to[part] == periods_holding(rows$to[part], plan$per,
      plan$x$calendar)$last
  says <- if (days == "whole") "that of the whole period" else "the part of it for the days covered"
  c(if (length(without) > 0 &&
        number) sprintf("%s: one number is the target of each row, and totals have none", name),
    if (length(without) > 0 && !number) sprintf("%s: no target for %s", name,
                                                listed(said, most = 5)),
    if (any(!over)) sprintf("%s: %s %s over; the target is %s", name,
                            listed(s$period[part[!over]],
                                   most = 3), if (sum(!over) == 1) "is not" else "are not", says),
    if (any(over)) sprintf("%s: %s; the target is %s", name,
                           listed(sprintf("%s covers only %s", s$period[part[over]],
                                          mapply(days_text, rows$from[part[over]],
                                                 rows$to[part[over]])), most = 3), says),
    if (!number && length(table$unknown) > 0) sprintf("%s: targets are not told apart by %s, which conditions speak of", name, listed(table$unknown)),
    if (!number && table$left_out > 0) sprintf("%s: %s without a period left out", name,
                                               count_text(table$left_out, "target")))
}
