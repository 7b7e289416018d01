# Which attribute stands out: the money moved between its members beyond an alike change, held
# against what is moved where the days of both spans are dealt to them anew.

how_many_deals <- 199L
days_for_chance <- 7L

# The deals of the days of both spans, those of now first: a matrix of days and deals, whether a day
# is dealt to now. Within weekdays, whose numbers in each span stay.
deals_of_days <- function(why) {
  days <- unlist(why$days)
  is_now <- rep(c(TRUE, FALSE), lengths(why$days))
  weekday <- weekday_of(days)
  with_own_seed(why$seed, {
    vapply(seq_len(how_many_deals), function(i) {
      dealt <- is_now
      for (at in split(seq_along(days), weekday)) {
        dealt[at] <- is_now[at][sample.int(length(at))]
      }
      dealt
    }, logical(length(days)))
  })
}

# What is drawn depends on the seed alone, and what is drawn elsewhere not on it.
with_own_seed <- function(seed, code) {
  there <- globalenv()$.Random.seed
  kinds <- RNGkind()
  on.exit({
    RNGkind(kinds[1], kinds[2], kinds[3])
    if (is.null(there)) rm(list = intersect(".Random.seed", ls(globalenv(), all.names = TRUE)),
                           envir = globalenv())
    else assign(".Random.seed", there, envir = globalenv())
  })
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}

# Why nothing can be said of chance, or NULL.
why_no_chance <- function(why) {
  if (why$way == "level") return("It stands on a day, so that no days can be dealt.")
  if (why$months) return("Its days are months, which cannot be dealt.")
  if (!why$apart) return("The spans have days in common, so that no days can be dealt.")
  if (min(lengths(why$days)) < days_for_chance) {
    return(sprintf("A span has fewer than %d days, too few to tell what is chance.",
                   days_for_chance))
  }
}

# What an attribute moves, and by chance, of the members' sums by day: list(moved, by_chance,
# excess, p); NA where the totals are not above zero.
moves_of <- function(why, cells, deals) {
  unknown <- list(moved = NA_real_, by_chance = NA_real_, excess = NA_real_, p = NA_real_)
  beyond <- beyond_alike(why, cells)
  if (is.null(beyond)) return(unknown)
  moved <- sum(abs(beyond)) / 2
  if (is.null(deals)) return(utils::modifyList(unknown, list(moved = moved)))
  level <- levelled_cells(why, cells)
  chance <- core_moved_by_deals(level$group, level$day, level$value, cells$count, deals,
                                level$alike, core_threads())
  # Sums of doubles may differ in their last digits by the order in which they are added.
  as_much <- sum(chance >= moved * (1 - 1e-9))
  list(moved = moved, by_chance = mean(chance), excess = moved - mean(chance),
       p = (1 + as_much) / (ncol(deals) + 1))
}

# Figures of both spans by member and day, on one level: what is before is
# scaled to the mean of the days now; of a ratio, what a member has more than its base would bring.
# `alike` is NA where the deals tell how all changed, else how many days now there are for one
# before.
levelled_cells <- function(why, cells) {
  n <- lengths(why$days)
  own <- lapply(1:2, function(span) {
    one <- cells$cells[[span]]
    value <- one$figures[[1]]
    if (why$way == "ratio") {
      totals <- vapply(one$figures, sum, 0)
      value <- (value - totals[1] / totals[2] * one$figures[[2]]) / totals[2] * n[span]
    }
    list(group = one$group, day = one$day + if (span == 2) n[1] else 0L, value = value)
  })
  if (why$way == "ratio") {
    scale <- ratio_of_totals(cells)
  } else {
    totals <- vapply(own, function(one) sum(one$value), 0)
    scale <- (totals[1] / n[1]) / (totals[2] / n[2])
  }
  own[[2]]$value <- own[[2]]$value * scale
  value <- c(own[[1]]$value, own[[2]]$value)
  if (why$way == "ratio") value <- value / n[1]
  list(group = c(own[[1]]$group, own[[2]]$group), day = c(own[[1]]$day, own[[2]]$day),
       value = value, alike = if (why$way == "ratio") n[1] / n[2] else NA_real_)
}

# How the ratio of all changed.
ratio_of_totals <- function(cells) {
  of <- function(span) {
    totals <- vapply(cells$cells[[span]]$figures, sum, 0)
    totals[1] / totals[2]
  }
  of(1) / of(2)
}

# How much more each member changed than had all changed alike: adds up to 0. NULL where that cannot
# be said, as the totals are not above zero.
beyond_alike <- function(why, cells) {
  if (why$way == "ratio") {
    sides <- lapply(1:2, function(span) {
      top <- member_sums(cells, span, 1)
      bottom <- member_sums(cells, span, 2)
      (top - sum(top) / sum(bottom) * bottom) / sum(bottom)
    })
    scale <- ratio_of_totals(cells)
    if (!is.finite(scale) || scale <= 0) return(NULL)
    return(sides[[1]] - sides[[2]] * scale)
  }
  now <- member_sums(cells, 1)
  before <- member_sums(cells, 2)
  if (sum(now) <= 0 || sum(before) <= 0) return(NULL)
  now - before * (sum(now) / sum(before))
}

# ---- attributes in order -----------------------------------------------------

# The attributes held against chance, the one that explains most first: list(table, cells), with the
# cells of each.
ranked_attributes <- function(why, names, deals, where = NULL, known = list()) {
  cells <- lapply(stats::setNames(nm = names), function(name) {
    known[[name]] %||% day_cells(why, name, trees_of_why(why), where)
  })
  moves <- lapply(cells, function(own) {
    # Members that are all of one span, such as names of months, tell no more than the days do.
    lasts <- any(is_met(own, 1) & is_met(own, 2))
    moves_of(why, own, if (lasts) deals)
  })
  column <- function(what) vapply(moves, function(one) one[[what]], 0, USE.NAMES = FALSE)
  p <- column("p")
  members <- vapply(cells, function(own) {
    as.double(sum(is_met(own, 1) | is_met(own, 2)))
  }, 0, USE.NAMES = FALSE)
  told <- list(attribute = names, members = members, moved = column("moved"),
               by_chance = column("by_chance"), excess = column("excess"), p = p,
               stands_out = !is.na(p) & p <= 0.05 / length(names))
  at <- if (length(names) == 0) integer() else order(!told$stands_out, -told$excess, na.last = TRUE)
  list(table = lapply(told, function(values) values[at]), cells = cells)
}

# What an explanation adds up of entries.
trees_of_why <- function(why) {
  if (why$way == "ratio") ratio_parts(why$tree)[c("top", "bottom")] else list(why$tree)
}

# The members that explain most, one inside the other: what stands out, its member that changed
# most, and so on within it.
drivers_of <- function(why, first, deals, total) {
  found <- list()
  where <- NULL
  ranked <- first
  left <- why$among
  inside <- character()
  for (depth in seq_len(why$depth)) {
    if (!isTRUE(ranked$table$stands_out[1])) break
    name <- ranked$table$attribute[1]
    driver <- driver_in(why, ranked$cells[[name]])
    if (is.null(driver) || depth > 1 && abs(driver$change) < 0.1 * abs(total)) break
    found <- c(found, list(c(list(depth = depth, within = paste(inside, collapse = ", "),
                                  attribute = name), driver[-1])))
    left <- setdiff(left, name)
    if (depth == why$depth || length(left) == 0) break
    member <- groups_values(ranked$cells[[name]]$groups, driver$group - 1L)[[1]]
    where <- both_conditions(where, if (is.na(member)) list(node = "missing", column = name)
                                    else condition_among(name, member, why$plan))
    inside <- c(inside, driver$member)
    ranked <- ranked_attributes(why, left, deals, where)
  }
  found
}

# The member that changed most beyond the others: list(group, member, before, now, change,
# beyond_alike, day, day_share), figures in units.
driver_in <- function(why, cells) {
  beyond <- beyond_alike(why, cells)
  if (is.null(beyond)) return(NULL)
  group <- which.max(abs(beyond))
  figure <- function(span) {
    sums <- vapply(seq_along(cells$cells[[span]]$figures), function(tree) {
      member_sums(cells, span, tree)[group]
    }, 0)
    if (why$way == "ratio") ratio(sums[1], sums[2]) else sums[1]
  }
  day <- if (why$way == "sum") day_of_driver(why, cells, group)
  now <- figure(1)
  before <- figure(2)
  list(group = group, member = names_of_groups(cells, group),
       before = before, now = now,
       change = if (why$way == "ratio") beyond[group] else now - before,
       beyond_alike = beyond[group], day = day$day %||% NA_integer_,
       day_share = day$share %||% NA_real_)
}

# The day that holds more than half of a member's change, against its mean day in the other span:
# list(day, share), or NULL.
day_of_driver <- function(why, cells, group) {
  daily <- lapply(1:2, function(span) {
    own <- cells$cells[[span]]
    at <- own$group == group
    core_sums_by_group(own$figures[[1]][at], own$day[at], length(why$days[[span]]))
  })
  change <- sum(daily[[1]]) - sum(daily[[2]])
  if (change == 0) return(NULL)
  part <- c(daily[[1]] - mean(daily[[2]]), mean(daily[[1]]) - daily[[2]]) / change
  at <- which.max(part)
  if (part[at] > 0.5) list(day = unlist(why$days)[at], share = part[at])
}
