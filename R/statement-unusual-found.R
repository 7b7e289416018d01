# What stands out of all that was looked at, and how it is told.

look_for_unusual <- function(look) {
  plan <- look$plan
  met <- currencies_together(plan, NULL)
  if (!is.null(met)) {
    refuse_currencies(met, c(i = sprintf("Keep one (%s).", sprintf(
      "{where = %s == %s}", name_text(met$name), quoted_text(met$of[1])))), NULL)
  }
  levels <- c(0L, seq_along(plan$by))
  parts <- list()
  for (m in names(plan$measures)) {
    own <- lapply(levels, function(level) held_against_past(look, m, level))
    power <- if (way_of_looking(plan$measures[[m]]) == "ratio") 0.5
             else power_of_size(own, look$tested)
    own <- lapply(own, function(part) {
      c(part, list(power = power), in_usual_errors(part$said, part$came, part$size, power,
                                                   look$tested, part$never_none))
    })
    errors <- abs(unlist(lapply(own, function(part) past_of_part(part$times, look$tested))))
    reach <- stats::quantile(errors[is.finite(errors)], 0.8, names = FALSE)
    parts <- c(parts, lapply(own, function(part) c(part, list(reach = reach))))
  }
  # In usual errors the measures are alike, and more of them give finer shares.
  pool <- abs(unlist(lapply(parts, function(part) past_of_part(part$times, look$tested))))
  pool <- pool[!is.na(pool)]
  parts <- lapply(parts, function(part) c(part, list(pool = pool)))
  tests <- do.call(rbind, lapply(seq_along(parts), tests_of_part, parts = parts, look = look))
  tests <- judged(tests, parts, look)
  new_unusual(look, parts, tests)
}

past_of_part <- function(values, tested) {
  values[seq_len(nrow(values) - tested), , drop = FALSE]
}

# Each figure that is looked at, one row: part, level, row of its matrices, column, times, p.
tests_of_part <- function(i, parts, look) {
  part <- parts[[i]]
  n <- nrow(part$said)
  columns <- seq_along(part$group)
  rows <- n - look$tested + seq_len(look$tested)
  at <- expand.grid(column = columns, row = rows)
  times <- part$times[cbind(at$row, at$column)]
  data.frame(part = rep(i, nrow(at)), level = rep(part$level, nrow(at)), row = at$row,
             column = at$column, times = times, p = shares_of_chance(abs(times), part$pool),
             above = rep(0L, nrow(at)))
}

# Which tests are listed. Below a total that is listed a member counts by what it is off beyond it
# as well, so the list is made anew until it stays.
judged <- function(tests, parts, look) {
  tests$own <- tests$p
  tests$listed <- listed_of(tests$p, look$share)
  for (round in 1:5) {
    above <- nearest_listed_above(tests, parts, look)
    if (identical(above, tests$above) && round > 1) break
    tests$above <- above
    tests$p <- pmax(tests$own, shares_beyond(tests, parts, look), na.rm = TRUE)
    listed <- listed_of(tests$p, look$share)
    if (identical(listed, tests$listed)) break
    tests$listed <- listed
  }
  tests
}

# The number of the nearest test above each one (of the same measure and period, and of its leading
# members) that is listed; 0 for none.
nearest_listed_above <- function(tests, parts, look) {
  out <- integer(nrow(tests))
  measure <- vapply(parts, function(part) part$measure, "")
  for (level in seq_along(look$plan$by)) {
    for (above in rev(seq_len(level)) - 1L) {
      here <- which(tests$level == level & out == 0L)
      there <- which(tests$level == above & tests$listed)
      if (length(here) == 0 || length(there) == 0) next
      at <- c(here, there)
      told <- number_rows(list(measure[tests$part[at]], tests$row[at],
                               groups_of_members_above(look$plan, parts, tests[at, ], above)),
                          length(at))$number
      found <- match(told[seq_along(here)], told[-seq_along(here)])
      out[here] <- ifelse(is.na(found), 0L, there[found])
    }
  }
  out
}

# The group among the first `to` attributes that each tested group belongs to.
groups_of_members_above <- function(plan, parts, tests, to) {
  if (to == 0) return(integer(nrow(tests)))
  x <- plan_ledger(plan)
  out <- integer(nrow(tests))
  for (i in unique(tests$part)) {
    at <- which(tests$part == i)
    numbers <- parts[[i]]$group[tests$column[at]]
    if (parts[[i]]$level > to) {
      codes <- groups_codes(groups_by(x, plan$by[seq_len(parts[[i]]$level)]), numbers)
      by <- plan$by[seq_len(to)]
      numbers <- groups_of_codes(groups_by(x, by), codes[by], length(at))
    }
    out[at] <- numbers
  }
  out
}

# How often chance moves a member as far beyond the total above it that is listed.
shares_beyond <- function(tests, parts, look) {
  out <- rep(NA_real_, nrow(tests))
  at_all <- which(tests$above > 0)
  for (at in split(at_all, list(tests$above[at_all], tests$part[at_all]), drop = TRUE)) {
    head <- tests[tests$above[at[1]], ]
    part <- parts[[tests$part[at[1]]]]
    total <- parts[[head$part]]
    moved <- ratio(total$came[, head$column], total$said[, head$column])
    columns <- unique(tests$column[at])
    said <- part$said[, columns, drop = FALSE] * moved
    told <- in_usual_errors(said, part$came[, columns, drop = FALSE],
                            part$size[, columns, drop = FALSE], part$power, look$tested, FALSE)
    pool <- abs(past_of_part(told$times, look$tested))
    times <- told$times[cbind(tests$row[at], match(tests$column[at], columns))]
    out[at] <- shares_of_chance(abs(times), pool)
  }
  out
}

# ---- the list ----------------------------------------------------------------------------

new_unusual <- function(look, parts, tests) {
  plan <- look$plan
  found <- which(tests$listed)
  # A total comes before the members below it, and what is farther off first.
  top <- found
  repeat {
    up <- tests$above[top]
    if (all(up == 0)) break
    top[up > 0] <- up[up > 0]
  }
  found <- found[order(-abs(tests$times[top]), top, tests$level[found], -abs(tests$times[found]))]
  lines <- lapply(found, function(k) line_of_test(look, parts, tests[k, ]))
  column <- function(name, none) {
    values <- lapply(lines, `[[`, name)
    if (length(values) == 0) none else do.call(c, values)
  }
  members <- lapply(stats::setNames(nm = plan$by), function(name) {
    vapply(lines, function(line) line$members[[name]], "")
  })
  out <- new_table(c(
    list(measure = column("measure", character())), members,
    list(period = column("period", character()), from = as_date(column("from", integer())),
         to = as_date(column("to", integer())), came = column("came", numeric()),
         expected = column("expected", numeric()), low = column("low", numeric()),
         high = column("high", numeric()), difference = column("difference", numeric()),
         times_usual = column("times", numeric()), since = as_date(column("since", integer())),
         p = column("p", numeric()))), nrow = length(lines), class = "unusual")
  rows <- look$periods
  tested <- length(rows$from) - rev(seq_len(look$tested)) + 1L
  plan$spans <- list(from = rows$from[tested[1]], to = max(rows$to[tested]), complete = TRUE,
                     cut = FALSE, label = look$label, own = look$label, phrase = look$label,
                     note = NA_character_, relative = FALSE)
  attr(out, "plan") <- plan
  attr(out, "columns") <- lapply(stats::setNames(nm = names(plan$measures)), function(m) {
    column_of_look(m, plan)
  })
  attr(out, "groups") <- lapply(lines, `[`, c("level", "group"))
  attr(out, "past") <- lapply(lines, `[[`, "past")
  attr(out, "facts") <- list(per = look$per, share = look$share, asked = look$asked,
                             from = plan$spans$from, to = plan$spans$to,
                             periods = look$tested, tests = sum(!is.na(tests$p)))
  attr(out, "notes") <- unusual_notes(look, parts, sum(!is.na(tests$p)))
  attr(out, "sentences") <- unusual_sentences(out)
  with_show(out, new_question(source_facts(plan_ledger(plan))$given, NULL), "stands_out",
            look$asked)
}

# A ratio is shown to the decimals that a statement gives it.
column_of_look <- function(m, plan) {
  column <- measure_column(m, plan, "measure")
  if (way_of_looking(plan$measures[[m]]) == "ratio") column <- with_decimals_from(column, 2L)
  column
}

line_of_test <- function(look, parts, test) {
  part <- parts[[test$part]]
  plan <- look$plan
  k <- test$column
  at <- length(look$periods$from) - nrow(part$said) + seq_len(nrow(part$said))
  decimals <- held_decimals(column_of_look(part$measure, plan))
  figure <- function(values) in_decimals(values, decimals)
  # What never was below zero is not expected to be.
  floor <- if (all(part$came[, k] >= 0, na.rm = TRUE)) 0 else -Inf
  reach <- part$reach * part$usual[, k]
  past <- data.frame(period = look$periods$label[at], from = as_date(look$periods$from[at]),
                     to = as_date(look$periods$to[at]), came = figure(part$came[, k]),
                     expected = figure(part$said[, k]),
                     low = figure(pmax(floor, part$said[, k] - reach)),
                     high = figure(part$said[, k] + reach))
  now <- past[test$row, ]
  side <- part$times[seq_len(test$row), k] * sign(test$times)
  run <- rev(cumprod(rev(ifelse(is.na(side), 0, side >= 1))))
  list(measure = part$measure, members = members_of_test(plan, part, k), period = now$period,
       from = look$periods$from[at][test$row], to = look$periods$to[at][test$row],
       came = now$came, expected = now$expected, low = now$low, high = now$high,
       difference = figure(now$came - now$expected), times = test$times,
       since = look$periods$from[at][min(which(run == 1), test$row)], p = test$p, past = past,
       level = part$level, group = part$group[k])
}

# Members of a tested group by attribute, as text; totals read "(all)".
members_of_test <- function(plan, part, column) {
  out <- stats::setNames(as.list(rep(total_text, length(plan$by))), plan$by)
  if (part$level == 0) return(out)
  by <- plan$by[seq_len(part$level)]
  groups <- groups_by(plan_ledger(plan), by)
  values <- groups_values(groups, part$group[column])
  out[by] <- lapply(values, function(value) member_text(plain_text(value)))
  out
}

# ---- in words ------------------------------------------------------------------------------

unusual_sentences <- function(out) {
  facts <- attr(out, "facts")
  days <- days_text(facts$from, facts$to)
  of <- count_text(facts$tests, "figure")
  when <- if (facts$periods > 1) sprintf("%s, %s", count_text(facts$periods, facts$per), days)
          else days
  if (nrow(out) == 0) return(sprintf("Nothing stands out: %s looked at, %s.", of, when))
  first <- seq_len(min(3, nrow(out)))
  c(sprintf("%s of %s stand%s out, %s; of such a list at most %s %% is due to chance.",
            number_text(nrow(out)), of, if (nrow(out) == 1) "s" else "", when,
            number_text(100 * facts$share, if (facts$share < 0.01) 1 else 0)),
    vapply(first, function(i) line_sentence(out, i), ""))
}

# "Income of Tern Head: 12,060.00 EUR, 4,100.00 less than expected, since 3 Aug 2026."
line_sentence <- function(x, i) {
  column <- columns_of(x)[[x$measure[i]]]
  plan <- attr(x, "plan")
  members <- vapply(unclass(x)[plan$by], function(values) values[i], "")
  members <- members[members != total_text]
  size <- number_text(abs(x$difference[i]), column$decimals)
  said <- sprintf("%s%s: %s%s, %s %s than expected", heading_text(gsub("_", " ", x$measure[i])),
                  if (length(members) > 0) paste(" of", paste(members, collapse = ", ")) else "",
                  value_with_unit(x$came[i], column),
                  if (attr(x, "facts")$periods > 1) paste(" in", x$period[i]) else "",
                  size, if (x$difference[i] < 0) "less" else "more")
  since <- if (x$since[i] < x$from[i]) sprintf(", off since %s", day_text(day_numbers(x$since[i])))
  paste0(said, since, ".")
}

unusual_notes <- function(look, parts, tests) {
  plan <- look$plan
  leaf <- length(plan$by)
  of <- function(what) max(0, vapply(Filter(function(part) part$level == leaf, parts),
                                     function(part) part[[what]], 0))
  tell <- function(count, says) {
    if (count > 0) sprintf("%s %s.", if (leaf == 0) "All together have" else
      paste(count_text(count, if (leaf == 1) "member" else "group"),
            if (count == 1) "has" else "have"), says)
  }
  total <- unlist(lapply(parts, function(part) if (part$level == 0) length(part$group)))
  errors <- length(parts[[1]]$pool)
  c(if (tests > 0 && 1 / (1 + errors) > look$share / tests) sprintf(
      paste("%s of the past are too few to tell one of %s from chance: look at fewer, or allow",
            "for a larger {share_false}."), count_text(errors, "error"),
      count_text(tests, "figure")),
    tell(of("new"), sprintf("fewer than %d past %ss, and %s not looked at", least_past_periods,
                            look$per, if (of("new") == 1) "is" else "are")),
    if (leaf > 0) tell(of("ended"), sprintf("had no entries in the %ss that are looked at",
                                            look$per)),
    if (any(total == 0) && leaf > 0) sprintf(
      "All together have fewer than %d past %ss, and are not looked at.", least_past_periods,
      look$per),
    if (length(look$expecting$closed) > 0) "Days said to be closed are expected to bring nothing.",
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")), plan$notes)
}

unusual_title <- function(x) {
  facts <- attr(x, "facts")
  plan <- attr(x, "plan")
  sprintf("What stands out by %s, %s %s, %s", listed(c(facts$per, gsub("_", " ", plan$by))),
          plan$on, days_text(facts$from, facts$to), as_of_text(plan))
}
