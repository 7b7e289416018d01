# The choices of which entries count: conditions, members, numbers from and to.

which_choices <- function(state, x) {
  tags <- htmltools::tags
  panel <- panel_now(state)
  on <- panel_conditions(panel)
  off <- as.character(unlist(panel$off))
  every <- c(on, off)
  column <- state$column %||% c(first_attribute(x), attribute_names(x), source_column_names(x))[1]
  columns <- source_column_names(x)
  choice_sheet(
    "which", "Only entries whose",
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
    tags$details(
      class = "more", tags$summary("Typed"),
      tags$div(class = "row", "data-group" = "condition",
               act_text_input("A condition in words of the language", "", NULL,
                              id = "condition-code", check = "condition", part = "value",
                              hint = "fare > 100 & channel != \"web\""),
               act_button("Add", "condition", from = "condition")))
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
      tags$div(class = "row", "data-group" = "numbers",
               act_text_input("From", "", NULL, id = "numbers-from", part = "from", hint = "0"),
               act_text_input("to", "", NULL, id = "numbers-to", part = "to", hint = "100"),
               act_button("Add", "numbers", from = "numbers", column = column)), missing))
  }
  if (holds == "days")
    return(tags$p(class = "quiet", "Days are chosen by the days of the sentence."))
  htmltools::tagList(
    act_text_input("Search its members", "seek", state$seek, id = "seek", type = "search",
                   hint = "part of a name"),
    if (!is.null(state$seek)) tags$div(class = "row", act_button(
      sprintf("All that hold \"%s\"", state$seek), "text", value = state$seek, column = column)),
    members_list(x, column, state$seek, chip), missing,
    if (length(chip$members) > 1) tags$div(
      class = "row", "data-group" = "one-name",
      act_text_input(sprintf("These %s are one, called", number_text(length(chip$members))), "",
                     NULL, id = "one-name", part = "value", hint = "name"),
      act_button("Make them one", "names_as_one", from = "one-name", column = column)))
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
