# Controls of what is asked and of which entries.

what_piece <- function(state, x, offers) {
  tags <- htmltools::tags
  panel <- panel_now(state)
  tree <- panel$statement
  by <- as.character(unlist(tree$by))
  parts <- setdiff(names(calendar_parts), attribute_names(x))
  hours <- vapply(source_facts(x)$dates, function(date) isTRUE(date$hours), TRUE)
  if (!any(hours)) parts <- setdiff(parts, "hour")
  if (length(source_facts(x)$calendar$given) == 0) parts <- parts[!startsWith(parts, "fiscal")]
  measures <- tree$measures %||% list(entries = "entries()")
  steps <- step_names[names(step_names) %in% steps_offered(tree)]
  htmltools::tagList(control_section(
    "section-what", "What",
    tags$ul(class = "chips", lapply(names(measures), function(name) {
      tags$li(class = "chip", tags$span(tags$b(gsub("_", " ", name)), " ",
                                        tags$code(measures[[name]])),
              if (length(measures) > 1)
                act_button("\u00d7", "measure_without", value = name,
                           label = paste("Take out", name), class = "out"))
    })),
    tags$div(class = "row measure-at-hand",
             measure_at_hand(x)),
    tags$div(class = "pair", "data-group" = "measure",
             act_text_input("Or typed", "", NULL, id = "measure-code", check = "measure",
                            hint = "fare_total / trips", part = "code"),
             act_text_input("called", "", NULL, id = "measure-name", part = "name",
                            hint = "yield"),
             act_button("Add", "measure", from = "measure")),
    choice_buttons("By", "by", attribute_names(x), by, gsub("_", " ", attribute_names(x)),
                   lead = "By:", id = "section-by"),
    choice_buttons("By parts of the calendar", "by", parts, by, gsub("_", " ", parts),
                   lead = "By part of the calendar:"),
    act_select("Totals", "set", union(totals_offered(tree), tree$totals), tree$totals %||% "none",
               field = "totals", id = "totals")
  ), control_section(
    "section-steps", "Added to it", open = TRUE,
    lapply(seq_along(steps_of(tree)), function(i) step_control(tree$steps[[i]], i, tree, offers)),
    choice_buttons("Add", "step", names(steps), NULL, unname(steps), lead = "Add:")
  ))
}

step_names <- c(add_running = "running", add_rolling = "rolling", add_change = "change",
                add_share = "share", add_rank = "rank", add_target = "target",
                sort_rows = "sort")

# Common measures, by a word and a column.
measure_at_hand <- function(x) {
  amounts <- amount_names(x)
  names <- attribute_names(x)
  code <- c("entries()", vapply(amounts, code_of_call, "", fun = "total"),
            vapply(amounts, code_of_call, "", fun = "average"),
            vapply(amounts, code_of_call, "", fun = "largest"),
            vapply(names, code_of_call, "", fun = "distinct"),
            vapply(names, code_of_call, "", fun = "newcomers"))
  htmltools::tagList(
    act_select("Add a measure", "measure", utils::head(unname(code), 60), NULL,
               id = "measure-at-hand", none = "choose", part = "code"))
}

step_control <- function(step, i, tree, offers) {
  tags <- htmltools::tags
  verb <- step_verb(step)
  fields <- fields_of(verb)
  own <- setdiff(names(fields), c("...", "name"))
  first <- intersect(own, c("m", "since", "over", "from", "of", "keep", "rest", "targets", "order"))
  rest <- setdiff(own, first)
  control <- function(name) {
    field_control(name, fields[[name]], step[[1]][[name]], "step_set", tree, offers, step = i,
                  id = sprintf("step-%d-%s", i, name))
  }
  tags$fieldset(
    class = "step", tags$legend(step_words(step)),
    tags$div(class = "grid", lapply(first, control)),
    if (length(rest) > 0)
      tags$details(tags$summary("More"), tags$div(class = "grid", lapply(rest, control))),
    act_button("Take out", "step_without", step = i, label = paste("Take out:", step_words(step)),
               class = "out-word"))
}

# ---- which entries ----------------------------------------------------------------

which_piece <- function(state, x) {
  tags <- htmltools::tags
  panel <- panel_now(state)
  on <- panel_conditions(panel)
  off <- as.character(unlist(panel$off))
  every <- c(on, off)
  column <- state$column %||% c(first_attribute(x), attribute_names(x), source_column_names(x))[1]
  columns <- source_column_names(x)
  control_section(
    "section-which", "Of which entries",
    if (length(every) == 0) tags$p(class = "quiet", "All entries."),
    tags$ul(class = "chips", lapply(every, function(text) {
      tags$li(class = if (text %in% on) "chip" else "chip off",
              act_button(condition_text_words(text), "condition_switch", value = text,
                         pressed = text %in% on, class = "chip-text"),
              act_button("\u00d7", "condition_without", value = text, class = "out",
                         label = paste("Take out:", condition_text_words(text))))
    })),
    act_select("Column", "column", stats::setNames(columns, gsub("_", " ", columns)), column,
               id = "column"),
    column_conditions(state, x, panel, column),
    tags$div(class = "pair", "data-group" = "condition",
             act_text_input("Or typed", "", NULL, id = "condition-code", check = "condition",
                            part = "value", hint = "fare > 100 & channel != \"web\""),
             act_button("Add", "condition", from = "condition")),
    act_checkbox("Keep members without entries", "set",
                 isTRUE(unname(flag_words[panel$statement$list_all %||% "no"])),
                 field = "list_all", id = "list_all")
  )
}

# Numbers from and to, or members with their entries.
column_conditions <- function(state, x, panel, column) {
  tags <- htmltools::tags
  holds <- source_column(x, column)$holds
  absent <- isTRUE(source_column(x, column)$has_missing)
  chip <- members_meant(members_chip(panel, column) %||% "")
  missing <- if (absent) tags$div(
    class = "row", act_checkbox("Missing", "members", isTRUE(chip$missing), column = column,
                                missing = "yes", id = "members-missing"))
  if (holds == "amounts") {
    return(htmltools::tagList(
      tags$div(class = "pair", "data-group" = "numbers",
               act_text_input("From", "", NULL, id = "numbers-from", part = "from", hint = "0"),
               act_text_input("to", "", NULL, id = "numbers-to", part = "to", hint = "100"),
               act_button("Add", "numbers", from = "numbers", column = column)), missing))
  }
  if (holds == "days") return(tags$p(class = "quiet", "Days are chosen above."))
  htmltools::tagList(
    act_text_input("Search its members", "seek", state$seek, id = "seek", type = "search",
                   hint = "part of a name"),
    if (!is.null(state$seek)) tags$div(class = "row", act_button(
      sprintf("All that hold \"%s\"", state$seek), "text", value = state$seek, column = column)),
    members_list(x, column, state$seek, chip), missing)
}

most_members <- 60L

members_list <- function(x, column, seek, chip) {
  tags <- htmltools::tags
  members <- source_members(x, column)
  at <- order(members$rank)
  at <- at[at != members$absent]
  shown <- members$shown
  if (!is.null(seek)) at <- at[grepl(lower_text(seek), lower_text(shown[at]), fixed = TRUE)]
  # Those that are held stand first, then those with the most entries where not all can be shown.
  held <- members$text[at] %in% chip$members
  if (length(at) > most_members) at <- at[order(!held, -members$counts[at])]
  total <- length(at)
  at <- utils::head(at, most_members)
  held <- members$text[at] %in% chip$members
  text <- htmltools::htmlEscape(shown[at])
  value <- htmltools::htmlEscape(members$text[at], attribute = TRUE)
  name <- htmltools::htmlEscape(column, attribute = TRUE)
  rows <- sprintf(paste0(
    "<li><label><input type=\"checkbox\"%s id=\"member-%d\" data-do=\"members\"",
    " data-column=\"%s\" data-member=\"%s\"> %s</label><span class=\"quiet\">%s</span>",
    "<button type=\"button\" data-do=\"members\" data-column=\"%s\" data-only=\"%s\"",
    " aria-label=\"Only %s\">only</button></li>"),
    ifelse(held, " checked", ""), seq_along(at), name, value, text, number_text(members$counts[at]),
    name, value, htmltools::htmlEscape(shown[at], attribute = TRUE))
  htmltools::tagList(
    tags$p(class = "quiet", role = "status",
           if (total > length(at)) sprintf("%s of %s members, with their entries",
                                           number_text(length(at)), number_text(total))
           else sprintf("%s, with their entries", count_text(total, "member"))),
    tags$ul(class = "members", "aria-label" = paste("Members of", column),
            htmltools::HTML(paste(rows, collapse = ""))))
}
