# Lines of what stands on a day, and of members that come and go.

# ---- what stands on a day ----------------------------------------------------

lines_of_level <- function(why) {
  plan <- why$plan
  x <- plan_ledger(plan)
  groups <- groups_by(x, why$leading)
  numbers <- all_groups(groups)
  ask <- plan_ask(plan, why$leading)
  ask["finer"] <- list(NULL)
  value <- function(ask, numbers, span) {
    windows <- new_windows(numbers, rep(plan$spans$from[span], length(numbers)),
                           rep(plan$spans$to[span], length(numbers)))
    in_units(window_values(why$tree, x, ask, windows), why$tree)
  }
  all <- utils::modifyList(ask, list(by = NULL))
  all["by"] <- list(NULL)
  totals <- vapply(1:2, function(span) round(value(all, 0L, span)), 0)
  now <- value(ask, numbers, 1)
  before <- value(ask, numbers, 2)
  now[is.na(now)] <- 0
  before[is.na(before)] <- 0
  if (any(round(c(sum(now), sum(before))) != totals)) {
    refuse_measure(c(sprintf("The members of `%s` do not add up to `%s` of all.", why$leading,
                             why$m), i = "Name another attribute in {by}."), call = why$refused)
  }
  # Members that stand at nothing on both days are no lines.
  met <- function(values) list(group = which(values != 0))
  cells <- list(by = why$leading, count = groups$count, groups = groups,
                cells = list(met(now), met(before)))
  told <- if (is.null(why$leading)) lines_of_one(why, totals, NULL)
          else members_as_lines(why, cells, now - before, before, now, NULL)
  lines <- told[c("part", "line", "amount")]
  lines$amount <- rounded_lines(why, lines, totals[1] - totals[2])
  blank <- rep(NA, length(lines$part))
  list(now = totals[1], before = totals[2], cells = cells, members = told$members(lines$amount),
       of_members = told$of_members,
       lines = c(lines, lapply(stats::setNames(nm = line_facts),
                               function(name) told[[name]] %||% blank)))
}

# ---- members that come and go ------------------------------------------------

# A number of different members: those seen for the first time ever, those that came back and those
# not seen any more.
lines_of_members_met <- function(why) {
  came <- members_that_came(why)
  blank <- rep(NA, 3)
  list(now = came$now, before = came$before,
       lines = list(part = c("newcomers", "back", "lapsed"),
                    line = c("newcomers", "back", "lapsed"),
                    amount = c(sum(came$newcomer), sum(came$back), -sum(came$lapsed)),
                    group = blank, before = blank, now = blank, beyond = blank, standing = blank),
       kept = sum(came$kept))
}

# Which members of the column that is counted are newcomers and so on: flags by group, and how many
# were met in each span.
members_that_came <- function(why) {
  tree <- why$tree
  plan <- why$plan
  cells <- day_cells(why, tree$column, list(list(node = "measure", fun = "entries",
                                                 where = tree$where)))
  counted <- lapply(cells$cells, function(one) unique(one$group[one$figures[[1]] > 0]))
  codes <- groups_codes(cells$groups, all_groups(cells$groups))[[1]]
  there <- !is.na(cells$groups$members[[1]]$values[codes + 1L])
  now <- seq_len(cells$count) %in% counted[[1]] & there
  before <- seq_len(cells$count) %in% counted[[2]] & there
  first <- first_days(plan_ledger(plan), plan$on, tree$column)[codes + 1L]
  newcomer <- now & !before & first >= plan$spans$from[1]
  list(cells = cells, codes = codes, now = sum(now), before = sum(before), kept = now & before,
       newcomer = newcomer, back = now & !before & !newcomer, lapsed = before & !now)
}
