# The lines of an explanation, each worked out unrounded in units of the measure's decimals, then as
# whole units that add up to the change. They are worked out from the earlier span to the later one
# and turned where now is the earlier, so that forth and back are each other's negative.

# The explanation of a question that was read.
explain_change <- function(why, call) {
  answering_for(plan_ledger(why$plan), why$plan$id)
  deals <- if (why$depth > 0 && is.null(why_no_chance(why)) && why$way != "distinct")
    deals_of_days(why)
  ranked <- if (why$way == "distinct") NULL else if (why$depth == 0) list(cells = list())
            else ranked_attributes(why, why$among, deals)
  why$leading <- leading_attribute(why, ranked$table)
  why$refused <- call
  lines <- switch(why$way, distinct = lines_of_members_met(why),
                  ratio = lines_of_ratio(why, ranked), lines_of_sum(why, ranked))
  total <- lines$now - lines$before
  drivers <- if (why$way %in% c("sum", "ratio") && !is.null(deals))
    drivers_of(why, ranked, deals, if (why$way == "ratio") total / why$power else total)
  new_explanation(why, lines, ranked$table, drivers)
}

# The attribute whose members are lines: the one that stands out most; where none does, the first
# that was asked for, or the one with fewest members.
leading_attribute <- function(why, table) {
  if (length(why$among) == 0) return(NULL)
  # The members of a ratio, like those of a volume, are those of all that was named.
  if (why$way == "ratio" && why$named) return(why$among)
  if (isTRUE(table$stands_out[1])) return(table$attribute[1])
  if (why$named || is.null(table)) return(why$among[1])
  known <- if (all(is.na(table$p))) seq_along(table$p) else which(!is.na(table$p))
  table$attribute[known][which.min(table$members[known])]
}

is_turned <- function(why) {
  spans <- why$plan$spans
  now <- c(spans$from[1], spans$to[1])
  before <- c(spans$from[2], spans$to[2])
  if (now[1] != before[1]) now[1] < before[1] else now[2] < before[2]
}

# Lines, list(part, line, amount, before, now, beyond, standing, group) with an element for each:
# amounts in units, unrounded; `now` and `before` of the whole. What is rounded adds up to it.
rounded_lines <- function(why, lines, total) {
  turn <- if (is_turned(why)) -1 else 1
  # What is new one way is lost the other way: it has the same place in the order of both.
  at <- seq_along(lines$amount)
  if (turn < 0) {
    order <- match(turned_parts[lines$part], lines$part)
    own <- lines$part %in% names(turned_parts) & !is.na(order)
    at[own] <- order[own]
  }
  amount <- numeric(length(at))
  amount[at] <- in_whole_units(turn * lines$amount[at], turn * total)
  turn * amount
}

turned_parts <- c(new = "lost", lost = "new")

# ---- a sum -------------------------------------------------------------------

lines_of_sum <- function(why, ranked) {
  if (why$way == "level") return(lines_of_level(why))
  cells <- if (!is.null(why$leading)) ranked$cells[[why$leading]]
  if (is.null(cells)) cells <- day_cells(why, why$leading, trees_of_why(why))
  totals <- vapply(1:2, function(span) sum(member_sums(cells, span)), 0)
  totals <- round(totals)
  days <- if ((why$apart || why$days_apart) && !why$months) on_days_alike(why, cells)
  out <- list(now = totals[1], before = totals[2], cells = cells,
              beside = if (!is.null(days)) c(sum(days$days), sum(days$kinds)))
  calendar <- if (why$days_apart) {
    list(part = c("days", "kinds"), line = names_of_days, amount = out$beside)
  }
  told <- if (!is.null(why$volume)) lines_of_volume(why, totals)
          else if (is.null(why$leading)) lines_of_one(why, totals, days)
          else lines_of_members(why, cells, days)
  # From the top down: days and all else first, then the lines of all else.
  turn <- if (is_turned(why)) -1 else 1
  top <- turn * in_whole_units(turn * c(calendar$amount, sum(told$amount)),
                               turn * (totals[1] - totals[2]))
  n <- length(calendar$part)
  whole <- rounded_lines(why, told, top[n + 1L])
  out$lines <- c(
    list(part = c(calendar$part, told$part), line = c(calendar$line, told$line),
         amount = c(top[seq_len(n)], whole)),
    lapply(stats::setNames(nm = line_facts), function(name) {
      c(rep(NA, n), told[[name]] %||% rep(NA, length(told$part)))
    }))
  out$members <- told$members(whole)
  out$of_members <- told$of_members
  out
}

line_facts <- c("group", "before", "now", "beyond", "standing")

names_of_days <- c("number of days", "kinds of day")

# Without an attribute there is one line of what is left.
lines_of_one <- function(why, totals, days) {
  list(part = "all", line = "all entries",
       amount = if (why$days_apart) sum(days$now) - sum(days$before) else totals[1] - totals[2],
       before = totals[2], now = totals[1], members = function(amounts) NULL)
}

# Members of the leading attribute: those that changed most, and the rest.
lines_of_members <- function(why, cells, days) {
  now <- member_sums(cells, 1)
  before <- member_sums(cells, 2)
  change <- if (why$days_apart) days$now - days$before else now - before
  beyond <- beyond_alike(why, cells)
  members_as_lines(why, cells, change, before, now, beyond, cells$where)
}

members_as_lines <- function(why, cells, change, before, now, beyond, where = NULL) {
  met <- list(is_met(cells, 1), is_met(cells, 2))
  there <- which(met[[1]] | met[[2]])
  at <- by_size(cells, there, change)
  text <- names_of_groups(cells, at)
  standing <- ifelse(met[[1]][at], ifelse(met[[2]][at], "kept", "new"), "lost")
  n <- length(at)
  shown <- if (n <= why$keep + 1) n else why$keep
  rest <- setdiff(seq_len(n), seq_len(shown))
  word <- gsub("_", " ", paste(cells$by, collapse = " and "))
  own <- function(values) c(values[at][seq_len(shown)],
                            if (length(rest) > 0) sum(values[at][rest]))
  if (!is.null(beyond)) beyond[at] <- in_whole_units(beyond[at], 0)
  beyond_shown <- if (is.null(beyond)) rep(NA_real_, shown + (length(rest) > 0)) else own(beyond)
  list(
    part = c(rep("member", shown), if (length(rest) > 0) "rest"),
    line = c(text[seq_len(shown)], if (length(rest) > 0) rest_name(length(rest), word)),
    group = c(at[seq_len(shown)], if (length(rest) > 0) NA),
    amount = own(change), before = own(before), now = own(now), beyond = beyond_shown,
    standing = c(standing[seq_len(shown)], if (length(rest) > 0) NA),
    of_members = word,
    # Inside the rest its members add up to it.
    members = function(amounts) {
      inside <- amounts[seq_len(shown)]
      if (length(rest) > 0) {
        turn <- if (is_turned(why)) -1 else 1
        inside <- c(inside, turn * in_whole_units(turn * change[at][rest],
                                                  turn * amounts[shown + 1L]))
      }
      c(columns_of_members(cells, at), list(standing = standing, before = before[at], now = now[at],
                                        change = inside),
        if (!is.null(beyond)) list(beyond_alike = beyond[at]))
    })
}

rest_name <- function(n, word) sprintf("%s other %s", number_text(n), if (n == 1) word
                                       else plural_text(word))

columns_of_members <- function(cells, at) {
  stats::setNames(groups_values(cells$groups, at - 1L), cells$by)
}

names_of_groups <- function(cells, at) {
  if (length(cells$by) == 0) return(rep("all", length(at)))
  text <- labels_told_apart(unname(groups_values(cells$groups, at - 1L)), length(at))
  # A member that is called like another line stands in quotes.
  ifelse(text %in% c("before", "now", names_of_days), dQuote(text, FALSE), text)
}

# Members by the size of a figure, then in their own order; what differs by less than a millionth
# of a unit is alike, whatever the order in which it was added up.
by_size <- function(cells, at, figure) {
  at[order(-round(abs(figure[at]), 6), groups_rank(cells, at))]
}

groups_rank <- function(cells, at) {
  if (length(at) == 0) return(integer())
  order(order(match(at - 1L, groups_in_order(cells$groups, all_groups(cells$groups)))))
}

# ---- volume, mix and price ---------------------------------------------------

# Sales, member by member: entries with a volume and an amount above zero, or all entries where
# credit notes are within. list(where, cells, amounts, volumes, kept, new, lost).
sales_of <- function(why) {
  above <- function(tree) {
    if (!is.null(tree$column)) list(node = "compare", op = ">", column = tree$column, value = 0)
  }
  apart <- why$credit_notes == "apart"
  where <- if (apart) Reduce(both_conditions, list(above(why$volume), above(why$tree),
                                                   why$volume$where))
  cells <- day_cells(why, why$among, list(why$tree, why$volume), where)
  amounts <- values_in_spans(why, cells, 1)
  volumes <- values_in_spans(why, cells, 2)
  # Members whose credit notes outweigh their sales have no price.
  sold <- lapply(1:2, function(span) {
    is_met(cells, span) & member_sums(cells, span, 1) > 0 & member_sums(cells, span, 2) > 0
  })
  met <- lapply(1:2, is_met, cells = cells)
  list(where = where, cells = cells, amounts = amounts, volumes = volumes,
       kept = sold[[1]] & sold[[2]], new = sold[[1]] & !met[[2]], lost = sold[[2]] & !met[[1]])
}

# What is no sale, and what has no price, is a line of its own.
lines_of_volume <- function(why, totals) {
  sales <- sales_of(why)
  cells <- sales$cells
  all <- if (why$days_apart) {
    whole <- on_days_alike(why, day_cells(why, NULL, list(why$tree)))
    c(whole$now, whole$before)
  } else totals
  split <- volume_mix_price(sales$amounts, sales$volumes, sales$kept)
  if (why$unlike_goods) split <- list(quantity = split$volume + split$mix, price = split$price)
  at <- by_size(cells, which(sales$kept | sales$new | sales$lost),
                sales$amounts$now - sales$amounts$before)
  inside <- c(split, list(new = ifelse(sales$new, sales$amounts$now, 0),
                          lost = -ifelse(sales$lost, sales$amounts$before, 0)))
  parts <- c(names(inside), "other")
  other <- (all[1] - all[2]) - (sum(sales$amounts$now[at]) - sum(sales$amounts$before[at]))
  raw <- values_in_spans(why, cells, 1, alike = FALSE)
  own <- function(values, whole) {
    c(rep(NA, length(split)), sum(values[sales$new]), sum(values[sales$lost]),
      whole - sum(values[at]))
  }
  list(part = parts, line = volume_names[parts],
       of_members = gsub("_", " ", why$among),
       amount = c(vapply(inside, sum, 0), other),
       before = own(raw$before, totals[2]), now = own(raw$now, totals[1]),
       members = function(whole) {
         turn <- if (is_turned(why)) -1 else 1
         each <- Map(function(values, total) turn * in_whole_units(turn * values[at], turn * total),
                     inside, whole[seq_along(inside)])
         standing <- ifelse(sales$kept[at], "kept", ifelse(sales$new[at], "new", "lost"))
         power <- 10^tree_decimals(why$volume)
         c(columns_of_members(cells, at),
           list(standing = standing, volume_before = member_sums(cells, 2, 2)[at] / power,
                volume_now = member_sums(cells, 1, 2)[at] / power, before = raw$before[at],
                now = raw$now[at]),
           stats::setNames(each, names(inside)))
       })
}

volume_names <- c(volume = "volume", mix = "mix", quantity = "quantity", price = "price",
                  new = "new", lost = "lost", other = "credit notes and other")

# Sums of members in both spans, on days alike where days are lines of their own.
values_in_spans <- function(why, cells, tree, alike = why$days_apart) {
  if (alike) return(on_days_alike(why, cells, tree)[c("now", "before")])
  list(now = member_sums(cells, 1, tree), before = member_sums(cells, 2, tree))
}

# Of members in both spans, at midpoints: their sum is what the amounts changed by.
volume_mix_price <- function(amounts, volumes, kept) {
  none <- numeric(length(kept))
  out <- list(volume = none, mix = none, price = none)
  q <- lapply(volumes, function(values) values[kept])
  p <- Map(function(a, b) a[kept] / b, amounts, q)
  all <- lapply(q, sum)
  share <- Map(`/`, q, all)
  price <- (p$before + p$now) / 2
  mean_share <- (share$before + share$now) / 2
  mean_price <- sum(mean_share * price)
  out$price[kept] <- (p$now - p$before) * (q$before + q$now) / 2
  out$volume[kept] <- (all$now - all$before) * mean_share * price
  out$mix[kept] <- (share$now - share$before) * (all$before + all$now) / 2 * (price - mean_price)
  out
}

# ---- a ratio -----------------------------------------------------------------

lines_of_ratio <- function(why, ranked) {
  cells <- if (length(why$leading) == 1) ranked$cells[[why$leading]]
  if (is.null(cells)) cells <- day_cells(why, why$leading, trees_of_why(why))
  factor <- ratio_parts(why$tree)$factor
  parts <- ratio_parts(why$tree)
  units <- c(unit_power(parts$top), unit_power(parts$bottom))
  sums <- lapply(1:2, function(span) {
    list(a = member_sums(cells, span, 1) / units[1], b = member_sums(cells, span, 2) / units[2])
  })
  check_base(why, sums, cells)
  whole <- lapply(sums, function(one) factor * sum(one$a) / sum(one$b))
  levels <- vapply(whole, function(value) round(value * why$power), 0)
  split <- rate_and_mix(sums[[1]], sums[[2]])
  split <- lapply(split, function(values) values * factor * why$power)
  there <- which(is_met(cells, 1) | is_met(cells, 2))
  amounts <- vapply(split, sum, 0)
  stays <- c(TRUE, TRUE, vapply(split[-(1:2)], function(values) any(values != 0), TRUE))
  lines <- list(part = names(split)[stays], line = ratio_names[names(split)][stays],
                amount = amounts[stays])
  lines$amount <- rounded_lines(why, lines, levels[1] - levels[2])
  blank <- rep(NA_real_, length(lines$part))
  lines <- c(lines, list(group = blank, before = blank, now = blank, beyond = blank,
                         standing = blank))
  turn <- if (is_turned(why)) -1 else 1
  at <- by_size(cells, there, Reduce(`+`, split))
  each <- Map(function(values, total) turn * in_whole_units(turn * values[at], turn * total),
              split[stays], lines$amount)
  met <- list(is_met(cells, 1), is_met(cells, 2))
  members <- if (!is.null(why$leading)) c(
    columns_of_members(cells, at),
    list(standing = ifelse(met[[1]][at], ifelse(met[[2]][at], "kept", "new"), "lost"),
         before = factor * ratio(sums[[2]]$a, sums[[2]]$b)[at] * why$power,
         now = factor * ratio(sums[[1]]$a, sums[[1]]$b)[at] * why$power), each)
  list(now = levels[1], before = levels[2], cells = cells, lines = lines, members = members,
       of_members = gsub("_", " ", why$leading))
}

ratio_names <- c(rate = "rate", mix = "mix", new = "new", lost = "lost",
                 no_base = "amounts without a base")

unit_power <- function(tree) if (tree$node == "present") 1 else 10^tree_decimals(tree)

# A ratio of all, now less before, member by member: another rate, another weight, new and lost
# weights, and amounts without a base.
rate_and_mix <- function(now, before) {
  weight <- lapply(list(before, now), function(one) one$b / sum(one$b))
  rate <- lapply(list(before, now), function(one) ifelse(one$b > 0, one$a / one$b, 0))
  middle <- (sum(before$a) / sum(before$b) + sum(now$a) / sum(now$b)) / 2
  kept <- before$b > 0 & now$b > 0
  list(
    rate = ifelse(kept, (weight[[1]] + weight[[2]]) / 2 * (rate[[2]] - rate[[1]]), 0),
    mix = ifelse(kept, (weight[[2]] - weight[[1]]) * ((rate[[1]] + rate[[2]]) / 2 - middle), 0),
    new = ifelse(before$b == 0 & now$b > 0, weight[[2]] * (rate[[2]] - middle), 0),
    lost = ifelse(now$b == 0 & before$b > 0, -weight[[1]] * (rate[[1]] - middle), 0),
    no_base = ifelse(now$b == 0, now$a / sum(now$b), 0) -
      ifelse(before$b == 0, before$a / sum(before$b), 0)
  )
}

# A ratio needs a base above zero, in all and in each member.
check_base <- function(why, sums, cells) {
  for (span in 1:2) {
    b <- sums[[span]]$b
    word <- c("now", "before")[span]
    if (sum(b) <= 0) {
      refuse_measure(sprintf("The base of `%s` is %s in {%s}, so there is no ratio to explain.",
                             why$m, if (sum(b) == 0) "zero" else "below zero", word),
                     call = why$refused)
    }
    if (any(b < 0)) {
      refuse_measure(c(sprintf("The base of `%s` is below zero for %s in {%s}.", why$m,
                               names_of_groups(cells, which(b < 0)[1]), word),
                       i = "Leave these entries out by {where}, or name another attribute."),
                     call = why$refused)
    }
  }
}
