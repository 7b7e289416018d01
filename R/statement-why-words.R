# The explanation as a table that knows how it was made, and what it comes to in sentences.

new_explanation <- function(why, lines, table, drivers) {
  told <- lines$lines
  plan <- why$plan
  whole <- function(values) in_decimals(values / why$power, why$decimals)
  total <- lines$now - lines$before
  per_cent <- if (lines$before != 0) {
    in_whole_units(1000 * told$amount / abs(lines$before),
                   round(1000 * total / abs(lines$before))) / 10
  } else rep(NA_real_, length(told$amount))
  ends <- c(lines$before, lines$now)
  middle <- function(values) c(NA, values, NA)
  scale <- scale_of(why)
  columns <- list(
    line = unname(c("before", told$line, "now")), part = c("before", told$part, "now"),
    amount = whole(c(ends[1], told$amount, ends[2])),
    per_cent = c(NA, per_cent, if (lines$before != 0)
      round(1000 * total / abs(lines$before)) / 10 else NA),
    before = middle(whole(as.double(told$before))), now = middle(whole(as.double(told$now))),
    beyond_alike = middle(whole(as.double(told$beyond))),
    standing = middle(as.character(told$standing)))
  if (why$way %in% c("ratio", "distinct"))
    columns[c("before", "now", "beyond_alike", "standing")] <- NULL
  if (!why$way %in% c("ratio", "distinct") && all(is.na(columns$beyond_alike)))
    columns$beyond_alike <- NULL
  out <- new_table(columns, nrow = length(columns$line), class = "explained_change")
  attr(out, "plan") <- plan
  attr(out, "columns") <- columns_of_change(why)
  attr(out, "groups") <- list(group = middle(as.integer(told$group)), by = lines$cells$by)
  attr(out, "members") <- members_table(why, lines)
  attr(out, "attributes") <- if (!is.null(table)) {
    table[moved_columns] <- lapply(table[moved_columns], function(values) values * scale)
    new_table(table, nrow = length(table$attribute))
  }
  attr(out, "drivers") <- drivers_table(drivers, scale, why)
  attr(out, "kinds_of_day") <- days_by_kind(why)
  facts <- list(way = why$way, m = why$m, total = total / why$power, before = ends[1] / why$power,
                now = ends[2] / why$power, leading = lines$of_members, kept = lines$kept,
                closed = closed_days(why, lines$cells), months = why$months,
                beside = if (!is.null(lines$beside) && kinds_are_shared(why))
                  lines$beside / why$power,
                days_apart = why$days_apart, volume = volume_word(why), among = why$among,
                no_chance = if (why$depth > 0) why_no_chance(why),
                counted = if (why$way == "distinct") why$tree$column)
  attr(out, "facts") <- facts
  attr(out, "why") <- why[setdiff(names(why), "refused")]
  attr(out, "sentences") <- sentences_of_change(out)
  attr(out, "notes") <- calculation_name(c(
    if (!is.null(plan$where)) paste("Where", attr(plan$where, "text")), plan$notes,
    length_note(plan), if (why$way == "distinct") newcomers_note(plan),
    if (why$way == "distinct" && why$named) sprintf(
      "Numbers of members by %s do not add up, so all are told together.",
      listed(gsub("_", " ", why$among))),
    if (!is.null(plan$version)) paste("Worked out from", plan$version)))
  with_show(out, new_question(source_facts(plan_ledger(plan))$given, NULL), "why_changed",
            why$asked)
}

moved_columns <- c("moved", "by_chance", "excess")

# What one unit of the cells is of the measure.
scale_of <- function(why) {
  if (why$way != "ratio") return(1 / why$power)
  parts <- ratio_parts(why$tree)
  parts$factor * unit_power(parts$bottom) / unit_power(parts$top)
}

columns_of_change <- function(why) {
  own <- measure_column(why$m, why$plan, "measure")
  own["decimals"] <- list(why$decimals)
  own$decimals_held <- why$decimals
  stats::setNames(list(own), why$m)
}

volume_word <- function(why) {
  if (is.null(why$volume)) return(NULL)
  gsub("_", " ", why$volume$column %||% "entries")
}

# All members of the attribute of the lines, figures in the measure's decimals.
members_table <- function(why, lines) {
  told <- lines$members
  if (is.null(told)) return(NULL)
  figures <- setdiff(names(told), c(lines$cells$by, why$among, "standing", "volume_before",
                                    "volume_now"))
  told[figures] <- lapply(told[figures], function(values) {
    round(as.double(values) / why$power, why$decimals + 2L)
  })
  new_table(told, nrow = length(told$standing))
}

drivers_table <- function(drivers, scale, why) {
  column <- function(what, kind) vapply(drivers, function(one) as.vector(one[[what]], kind),
                                        vector(kind, 1))
  figure <- function(what) round(column(what, "double") * scale, why$decimals + 2L)
  new_table(list(
    depth = column("depth", "integer"), within = column("within", "character"),
    attribute = column("attribute", "character"), member = column("member", "character"),
    before = figure("before"), now = figure("now"), change = figure("change"),
    beyond_alike = figure("beyond_alike"), day = as_date(column("day", "integer")),
    day_share = column("day_share", "double")), nrow = length(drivers))
}

# Whether each kind of day is in both spans, so that a mean of both tells it.
kinds_are_shared <- function(why) setequal(why$kinds[[1]], why$kinds[[2]])

# Days of each span without entries, where they are few: a closure is no matter of the calendar.
closed_days <- function(why, cells) {
  if (is.null(cells$cells[[1]]$day) || why$months) return(NULL)
  lapply(1:2, function(span) {
    days <- why$days[[span]]
    without <- days[setdiff(seq_along(days), cells$cells[[span]]$day)]
    if (length(without) * 2 > length(days)) integer() else without
  })
}

newcomers_note <- function(plan) {
  if (plan$spans$from[1] - plan$first >= 365) return(NULL)
  sprintf("Who came before the ledger's first day, %s, is not known: newcomers may be fewer.",
          day_text(plan$first))
}

# ---- what it is of --------------------------------------------------

explanation_title <- function(x) {
  sprintf("Why %s changed: %s", gsub("_", " ", attr(x, "facts")$m), explanation_days(x))
}

explanation_days <- function(x) {
  plan <- statement_info(x)
  spans <- plan$spans
  own <- function(i) {
    days <- days_text(spans$from[i], spans$to[i])
    if (spans$label[i] == days || grepl("^[0-9-]+$", spans$label[i])) days
    else sprintf("%s (%s)", days, spans$label[i])
  }
  sprintf("%s %s against %s, %s", plan$on, own(1), own(2), as_of_text(plan))
}

# ---- in sentences ------------------------------------------------------------

# What happened, who brought it, how much is volume and price, and what the days have to do with it;
# each only as far as the figures say so.
sentences_of_change <- function(x) {
  facts <- attr(x, "facts")
  said <- c(change_sentence(x, facts), driver_sentences(x, facts), lines_sentence(x, facts),
            days_sentence(x, facts), closed_sentence(facts))
  said[nzchar(said)]
}

# A figure with its sign told by the words around it.
amount_words <- function(x, value) number_text(abs(value), columns_of(x)[[1]]$decimals)

name_words <- function(name) heading_first(gsub("_", " ", calculation_name(name)))

change_sentence <- function(x, facts) {
  plan <- statement_info(x)
  spans <- plan$spans
  days <- days_text(spans$from[2], spans$to[2])
  name <- name_words(facts$m)
  unit <- columns_of(x)[[1]]$unit
  in_unit <- if (!is.null(unit)) paste0(" ", unit) else ""
  in_points <- identical(unit, "%")
  if (facts$total == 0) {
    return(sprintf("%s is what it was in %s: %s%s.", name, days,
                   number_text(facts$now, columns_of(x)[[1]]$decimals), in_unit))
  }
  if (in_points) {
    return(sprintf("%s %s by %s points against %s, from %s %% to %s %%.", name,
                   if (facts$total > 0) "rose" else "fell", amount_words(x, facts$total), days,
                   number_text(facts$before, 1), number_text(facts$now, 1)))
  }
  pct <- if (facts$before > 0) sprintf(" (%s %%)", number_text(
    abs(100 * facts$total / facts$before), 1)) else ""
  sprintf("%s %s by %s%s%s against %s, from %s to %s.", name,
          if (facts$total > 0) "rose" else "fell", amount_words(x, facts$total), in_unit, pct, days,
          number_text(facts$before, columns_of(x)[[1]]$decimals),
          number_text(facts$now, columns_of(x)[[1]]$decimals))
}

driver_sentences <- function(x, facts) {
  drivers <- attr(x, "drivers")
  table <- attr(x, "attributes")
  if (!is.null(facts$no_chance)) return(paste("No attribute is named.", facts$no_chance))
  if (is.null(table) || nrow(table) == 0) return("")
  if (nrow(drivers) == 0) {
    if (all(is.na(table$p))) {
      return("No attribute is named: the totals are not above zero in both spans.")
    }
    return(sprintf("No attribute stands out: the change is alike in %s.",
                   listed(gsub("_", " ", sort(table$attribute[!is.na(table$p)])))))
  }
  first <- drivers[1, ]
  c(paste0(driver_words(x, facts, first), one_day_words(first)),
    if (nrow(drivers) > 1) within_words(x, facts, drivers))
}

driver_words <- function(x, facts, driver) {
  what <- sprintf("%s (%s)", driver$member, gsub("_", " ", driver$attribute))
  if (facts$way == "ratio") {
    return(sprintf("%s stands out: %s, from %s to %s.", heading_first(gsub("_", " ",
                                                                           driver$attribute)),
                   driver$member, number_text(driver$before, columns_of(x)[[1]]$decimals),
                   number_text(driver$now, columns_of(x)[[1]]$decimals)))
  }
  # Where days are lines of their own, its line is of days alike.
  own <- which(facts$days_apart & x$part == "member" & x$line == driver$member)
  change <- if (length(own) == 1) x$amount[own] else driver$change
  amount <- amount_words(x, change)
  alike <- if (length(own) == 1) " on days alike" else ""
  verb <- if (change > 0) "rose" else "fell"
  if (change == 0) return(sprintf("%s stands out: it stayed as it was%s.", what, alike))
  if (facts$total == 0 || sign(change) != sign(facts$total)) {
    return(sprintf("%s %s by %s%s, against the whole.", what, verb, amount, alike))
  }
  if (abs(change) > abs(facts$total)) {
    return(sprintf("%s alone %s by %s%s, more than all together.", what, verb, amount, alike))
  }
  sprintf("%s %s %s of it%s.", what, if (change > 0) "brought" else "lost", amount, alike)
}

one_day_words <- function(driver) {
  if (is.na(driver$day_share)) return("")
  share <- round(100 * driver$day_share)
  sprintf(" One day, %s, holds %s of that.", day_text(day_numbers(driver$day)),
          if (share > 100) "more than all" else paste(number_text(share), "%"))
}

within_words <- function(x, facts, drivers) {
  deepest <- drivers[-1, ]
  parts <- vapply(seq_len(nrow(deepest)), function(i) {
    one <- deepest[i, ]
    if (facts$way == "ratio") return(sprintf("%s (%s)", one$member,
                                             gsub("_", " ", one$attribute)))
    sprintf("%s (%s) %s by %s", one$member, gsub("_", " ", one$attribute),
            if (one$change >= 0) "rose" else "fell", amount_words(x, one$change))
  }, "")
  sprintf("Within %s, %s.", drivers$member[1], listed(parts))
}

# What the lines between say, by the way in which the change is told.
lines_sentence <- function(x, facts) {
  amount <- stats::setNames(x$amount, x$part)
  text <- function(part) signed_text(amount[[part]], columns_of(x)[[1]]$decimals)
  if (facts$way == "distinct") return(members_sentence(amount, facts))
  if (facts$way == "ratio") {
    parts <- c(sprintf("%s at other rates explain %s", heading_first(members_word(facts)),
                       text("rate")),
               sprintf("a shift between them %s", text("mix")),
               if ("new" %in% names(amount)) sprintf("new ones %s", text("new")),
               if ("lost" %in% names(amount)) sprintf("lost ones %s", text("lost")),
               if ("no_base" %in% names(amount)) sprintf("amounts without a base %s",
                                                          text("no_base")))
    return(paste0(listed(parts), "."))
  }
  if (is.null(facts$volume)) return("")
  volume_sentence(amount, facts, text)
}

members_word <- function(facts) {
  if (length(facts$leading) == 0) "members"
  else listed(vapply(facts$leading, plural_text, ""))
}

members_sentence <- function(amount, facts) {
  told <- function(part, one, many, none) {
    n <- abs(amount[[part]])
    if (n == 0) none else sprintf("%s %s", number_text(n), if (n == 1) one else many)
  }
  sprintf("%s, %s and %s; %s stayed.", heading_first(told("back", "came back", "came back",
                                                          "none came back")),
          told("newcomers", "is new", "are new", "none is new"),
          told("lapsed", "was not seen any more", "were not seen any more",
               "none was lost"), if (facts$kept == 0) "none" else number_text(facts$kept))
}

volume_sentence <- function(amount, facts, text) {
  word <- function(part, up, down) {
    value <- amount[part]
    if (is.na(value) || value == 0) return(NULL)
    list(name = if (value > 0) up else down, text = text(part))
  }
  parts <- Filter(Negate(is.null), list(
    word("volume", paste("more", facts$volume), paste("fewer", facts$volume)),
    word("quantity", "more pieces or dearer ones", "fewer pieces or cheaper ones"),
    word("price", "higher prices", "lower prices"),
    word("mix", paste("more of the dearer", members_word(facts)),
         paste("more of the cheaper", members_word(facts))),
    word("new", "new members", "new members"), word("lost", "lost members", "lost members"),
    word("other", "credit notes and other entries", "credit notes and other entries")))
  if (length(parts) == 0) return("")
  said <- vapply(seq_along(parts), function(i) {
    paste0(parts[[i]]$name, if (i == 1) " explain ", if (i > 1) " ", parts[[i]]$text)
  }, "")
  paste0(heading_first(listed(said)), ".")
}

# How many days there were, and of what kinds.
days_sentence <- function(x, facts) {
  kinds <- attr(x, "kinds_of_day")
  if (facts$way == "level" || facts$months) return("")
  differ <- kinds$now - kinds$before
  n <- sum(differ)
  lead <- if (n == 0) "There were as many days"
          else sprintf("There %s %s %s", if (abs(n) == 1) "was" else "were",
                       count_words(abs(n), "day"), if (n > 0) "more" else "fewer")
  other <- if (n == 0) which(differ != 0) else integer()
  told <- vapply(other, function(i) {
    sprintf("%s %s", count_words(abs(differ[i]), kinds$kind[i]),
            if (differ[i] > 0) "more" else "fewer")
  }, "")
  decimals <- columns_of(x)[[1]]$decimals
  effect <- if (facts$days_apart) {
    at <- match(c("days", "kinds"), x$part)
    text <- signed_text(x$amount[at], decimals)
    if (n != 0) sprintf(", which explains %s, and their kinds %s", text[1], text[2])
    else if (x$amount[at[2]] != 0) paste(", which explains", text[2])
  } else if (!is.null(facts$beside) && round(sum(facts$beside), decimals) != 0) {
    sprintf(", which is about %s of the change", signed_text(sum(facts$beside), decimals))
  }
  paste0(lead, if (length(told) > 0) paste0(", ", listed(told)), effect, ".")
}

# Where entries are missing on days of one span and not of the other.
closed_sentence <- function(facts) {
  n <- lengths(facts$closed)
  if (length(n) == 0 || n[1] == n[2]) return("")
  told <- vapply(which(n > 0), function(span) {
    days <- facts$closed[[span]]
    run <- if (length(days) > 1 && all(diff(days) == 1)) days_text(days[1], days[length(days)])
           else listed(day_text(days), most = 3)
    sprintf("%s %s (%s)", count_words(n[span], "day"), c("now", "before")[span], run)
  }, "")
  sprintf("There were no entries on %s.", listed(told))
}

# "one day", "2 days".
count_words <- function(n, one) if (n == 1) paste("one", one) else count_text(n, one)
