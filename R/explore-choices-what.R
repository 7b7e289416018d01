# The choices of the sentence's parts on what is asked: measures, groups, steps, and what is not
# asked yet.

what_choices <- function(state, x, offers) {
  panel <- panel_now(state)
  tree <- panel$statement
  steps <- seq_along(steps_of(tree))
  htmltools::tagList(
    measure_choices(tree, x, if (!asks_ledger(look_of(panel))) page_names(offers)),
    group_choices(tree, x),
    lapply(steps, function(i) step_choices(tree$steps[[i]], i, tree, offers)))
}

# ---- measures ------------------------------------------------------------------

measure_choices <- function(tree, x, names) {
  tags <- htmltools::tags
  measures <- tree$measures %||% list(entries = "entries()")
  now <- names(measures)
  spaced <- gsub("_", " ", now)
  choice_sheet(
    "what", "Measures",
    tags$ul(class = "chips", lapply(now, function(name) {
      said <- measure_text_words(measures[[name]])
      tags$li(class = "chip", tags$span(tags$b(gsub("_", " ", name)),
                                        if (!said %in% c(name, gsub("_", " ", name)))
                                          tags$span(class = "quiet", said)),
              if (length(measures) > 1)
                act_button("\u00d7", "measure_without", value = name, class = "out",
                           label = paste("Take out", name),
                           becomes = measures_become(measures[now != name], tree$by, names)))
    })),
    ways_to_measure(tree, x, names),
    if (length(now) > 1) tags$div(
      class = "row", "data-group" = "pair",
      act_select("One by another", "", stats::setNames(now, spaced), now[1], id = "pair-a",
                 part = "a"),
      act_select("How", "", names(pair_ways), "divided by", id = "pair-how", part = "how",
                 unseen = TRUE),
      act_select("The other", "", stats::setNames(now, spaced), now[2], id = "pair-b", part = "b",
                 unseen = TRUE),
      act_button("Add", "measure_pair", from = "pair")),
    tags$details(
      class = "more", tags$summary("Typed"),
      tags$div(class = "row", "data-group" = "measure",
               act_text_input("A measure in words of the language", "", NULL, id = "measure-code",
                              check = "measure", hint = "fare / entries", part = "code"),
               act_text_input("called", "", NULL, id = "measure-name", part = "name",
                              hint = "yield"),
               act_button("Add", "measure", from = "measure"))))
}

# As the sentence says them.
measures_become <- function(measures, by, names) {
  # Of a question of the ledger only some may be said.
  if (is.null(names)) return("")
  w <- list(names = names, style = "plain", words = names$words)
  w$measures <- written_measures(measures, as.character(unlist(by)), w)
  heading_first(listed(measures_said(w), most = Inf))
}

# Each way to measure with the columns that fit it: pressing the way shows them.
ways_to_measure <- function(tree, x, names) {
  buttons <- function(texts, codes) measure_buttons(texts, codes, measures, tree$by, names)
  tags <- htmltools::tags
  measures <- tree$measures %||% list(entries = "entries()")
  among <- measures_to_pick(tree, x)
  alone <- vapply(among, function(codes) is.null(names(codes)), TRUE)
  ways <- sprintf(paste0("<button type=\"button\" data-unfold=\"way-%s\" ",
                         "aria-expanded=\"false\" aria-controls=\"way-%s\">%s \u2026</button>"),
                  names(among), names(among), measure_ways[names(among)])
  ways[alone] <- vapply(names(among)[alone], function(way) {
    buttons(measure_ways[[way]], among[[way]])
  }, "")
  tags$div("data-folds" = "yes",
           tags$div(class = "choices", role = "group", "aria-label" = "Add a measure",
                    tags$span(class = "quiet", "Add:"),
                    htmltools::HTML(paste(ways, collapse = ""))),
           lapply(names(among)[!alone], function(way) {
             codes <- among[[way]]
             tags$div(id = paste0("way-", way), class = "choices", role = "group", hidden = NA,
                      "data-fold" = "yes", "aria-label" = measure_ways[[way]],
                      tags$span(class = "quiet", paste(measure_ways[[way]], "\u2026")),
                      htmltools::HTML(buttons(names(codes), unlist(codes))))
           }))
}

# Buttons of measures, as text: there are many of them. One that is measured already is pressed, and
# goes when it is pressed again, unless it is the only one.
measure_buttons <- function(texts, codes, measures, by, names) {
  attribute <- function(text) htmltools::htmlEscape(text, attribute = TRUE)
  now <- base::names(measures)
  there <- now[match(codes, unlist(measures))]
  becomes <- vapply(seq_along(codes), function(i) {
    free <- free_name(name_for_measure(codes[[i]]), now)
    left <- if (is.na(there[i])) c(measures, stats::setNames(list(codes[[i]]), free))
            else measures[now != there[i]]
    if (length(left) == 0) "" else measures_become(left, by, names)
  }, "")
  only <- !is.na(there) & length(now) == 1
  act <- ifelse(is.na(there), sprintf("measure\" data-code=\"%s", attribute(codes)),
                sprintf("measure_without\" data-value=\"%s", attribute(there)))
  paste(sprintf(paste0("<button type=\"button\" data-do=\"%s\" aria-pressed=\"%s\"%s",
                       " data-becomes=\"%s\">%s</button>"), act,
                ifelse(is.na(there), "false", "true"), ifelse(only, " disabled", ""),
                attribute(becomes), htmltools::htmlEscape(texts)), collapse = "")
}

# What can be measured, by way: code by what the page calls its columns, or code alone.
measures_to_pick <- function(tree, x, most = 40L) {
  amounts <- utils::head(amount_names(x), most)
  members <- utils::head(attribute_names(x), most)
  of <- function(fun, columns, more = "") {
    stats::setNames(lapply(columns, function(name) sprintf("%s(%s%s)", fun, name_text(name), more)),
                    gsub("_", " ", columns))
  }
  out <- list(entries = "entries()")
  for (way in c("total", "average", "smallest", "largest", "middle")) out[[way]] <- of(way, amounts)
  for (way in c("distinct", "newcomers", "returning")) out[[way]] <- of(way, members)
  # Members are lost from one period to the next.
  if (!is.null(tree$per)) out$lapsed <- of("lapsed", members)
  each <- unlist(lapply(members, function(name) {
    stats::setNames(of("balance", amounts, sprintf(", each = %s", name_text(name))),
                    sprintf("%s of each %s", gsub("_", " ", amounts), gsub("_", " ", name))[
                      seq_along(amounts)])
  }), recursive = FALSE)
  out$balance <- utils::head(c(of("balance", amounts), each), most)
  if (!is.null(source_facts(x)$until)) out$active <- "active()"
  out[lengths(out) > 0]
}

# Words for the ways to measure, before the name of a column.
measure_ways <- c(entries = "entries", total = "total of", average = "average",
                  smallest = "smallest", largest = "largest", middle = "median of",
                  distinct = "distinct", newcomers = "new", returning = "returning",
                  lapsed = "lost", balance = "balance of", active = "open at the end")

pair_ways <- c("divided by" = "/", "less" = "-", "plus" = "+")

# ---- groups --------------------------------------------------------------------

group_choices <- function(tree, x) {
  by <- as.character(unlist(tree$by))
  names <- attribute_names(x)
  parts <- setdiff(names(calendar_parts), names)
  hours <- vapply(source_facts(x)$dates, function(date) isTRUE(date$hours), TRUE)
  if (!any(hours)) parts <- setdiff(parts, "hour")
  if (length(source_facts(x)$calendar$given) == 0) parts <- parts[!startsWith(parts, "fiscal")]
  becomes <- function(names) vapply(names, function(name) {
    left <- if (name %in% by) setdiff(by, name) else c(by, name)
    if (length(left) == 0) "all together" else paste("by", listed(gsub("_", " ", left)))
  }, "")
  choice_sheet(
    "by", "Split by",
    choice_buttons("Split by", "by", names, by, gsub("_", " ", names), becomes = becomes(names)),
    choice_buttons("Split by parts of the calendar", "by", parts, by, gsub("_", " ", parts),
                   lead = "Parts of the calendar:", becomes = becomes(parts)),
    htmltools::tags$div(
      class = "row",
      act_select("Totals", "set", totals_in_words(union(totals_offered(tree), tree$totals)),
                 tree$totals %||% "none", field = "totals", id = "totals"),
      act_checkbox("Keep members without entries", "set",
                   isTRUE(unname(flag_words[tree$list_all %||% "no"])), field = "list_all",
                   id = "list_all")))
}

totals_in_words <- function(totals) {
  words <- c(none = "none", period = "over all periods", by = "over all members",
             both = "over both")
  stats::setNames(totals, words[totals])
}

# ---- steps ---------------------------------------------------------------------

step_choices <- function(step, i, tree, offers) {
  tags <- htmltools::tags
  verb <- step_verb(step)
  fields <- fields_of(verb)
  own <- setdiff(names(fields), c("...", "name"))
  first <- intersect(own, c("m", "since", "over", "from", "of", "keep", "rest", "targets", "order"))
  rest <- setdiff(own, first)
  offers$measures <- measures_for_step(verb, tree)
  control <- function(name) {
    field_control(name, fields[[name]], step[[1]][[name]], "step_set", tree, offers, step = i,
                  id = sprintf("step-%d-%s", i, name))
  }
  choice_sheet(
    paste0("step-", i), heading_first(step_names[[verb]]),
    lapply(first, function(name) step_values_at_hand(name, fields[[name]], step, i, tree)),
    tags$div(class = "row", lapply(first, control)),
    tags$div(class = "row",
             if (length(rest) > 0) tags$details(
               id = sprintf("step-%d-rest", i), class = "more", tags$summary("More"),
               tags$div(class = "row", lapply(rest, control))),
             act_button("Take out", "step_without", step = i,
                        label = paste("Take out:", step_words(step)), class = "out-word")))
}

# Values that are asked for most, as buttons; the sentence shows what each makes of the step.
step_values_at_hand <- function(name, one, step, i, tree) {
  values <- switch(name,
    over = c("7 days", "30 days", "90 days", "13 weeks", "3 months", "12 months"),
    from = c(if (!is.null(tree$per)) "period before", "1 month back", "1 quarter back",
             "1 year back"),
    since = , order = one$choices)
  if (length(values) == 0) return(NULL)
  now <- unlist(step[[1]][[name]])[1] %||% one$default
  htmltools::tags$div(
    class = "choices", role = "group", "aria-label" = heading_text(field_words[[name]] %||% name),
    lapply(values, function(value) {
      as_step <- step
      as_step[[1]][[name]] <- value
      act_button(value, "step_set", step = i, field = name, value = value,
                 pressed = identical(now, value), becomes = step_words(as_step))
    }))
}

# What a step adds, in the words of the trade.
step_names <- c(add_change = "compared with", add_running = "so far",
                add_rolling = "over the last", add_rank = "top", add_share = "share",
                add_target = "target", add_per_day = "per day",
                add_expected = "where it will end", sort_rows = "sorted")

# ---- what is not asked yet -------------------------------------------------------

more_choices <- function(state, panel, tree, offers) {
  tags <- htmltools::tags
  open <- function(text, name) {
    tags$button(type = "button", "data-open" = name, "aria-expanded" = "false",
                "aria-controls" = paste0("choose-", name), text)
  }
  # What stands out shows the measures alone.
  steps <- if (look_of(panel) != "stands_out") intersect(names(step_names), steps_offered(tree))
  next_one <- paste0("step-", length(steps_of(tree)) + 1L)
  becomes <- vapply(steps, function(verb) {
    step_words(stats::setNames(list(new_step(verb, tree, offers$tables)), verb))
  }, "")
  choice_sheet(
    "more", "And ...",
    tags$div(class = "choices", role = "group", "aria-label" = "What is not asked yet",
             if (is.null(tree$per)) open("a row for each \u2026", "grain"),
             if (length(panel_conditions(panel)) == 0) open("only \u2026", "which"),
             open("a column of one's own \u2026", "columns"),
             if (!holds_against(look_of(panel)))
               act_button("held against other days", "look", value = "compare_spans",
                          becomes = paste("against", state$second %||%
                                            second_that_fits(state, offers$ledger)),
                          then = "second")),
    if (length(tree$by) == 0) {
      names <- utils::head(attribute_names(offers$ledger), 8)
      tags$div(class = "choices", role = "group", "aria-label" = "Split by",
               tags$span(class = "quiet", "Split by:"),
               lapply(names, function(name) act_button(
                 gsub("_", " ", name), "by", value = name,
                 becomes = paste("by", gsub("_", " ", name)))),
               open("more \u2026", "by"))
    },
    if (length(steps) > 0)
      choice_buttons("Add", "step", steps, NULL, unname(step_names[steps]), lead = "Add:",
                     becomes = becomes, then = next_one))
}
