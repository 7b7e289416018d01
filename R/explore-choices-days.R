# The choices of the sentence's parts on days: the grain, the span, the date that counts, what is
# held against.

days_choices <- function(state, x, periods) {
  grain <- panel_now(state)$statement$per
  grains <- calendar_grain_names(x)
  htmltools::tagList(
    choice_sheet("grain", "A row for each", choice_buttons(
      "A row for each", "grain", c(grains, ""), grain %||% "", c(grains, "no period"),
      becomes = c(paste("each", grains), "in one"))),
    span_choices(state, x, periods, grain),
    basis_choices(state, x),
    second_choices(state, x)
  )
}

span_choices <- function(state, x, periods, grain) {
  tags <- htmltools::tags
  panel <- panel_now(state)
  phrase <- phrase_now(state)
  at_hand <- phrases_at_hand(grain, x)
  beside <- unlist(panel$statement$spans)
  says <- phrase_says(phrase, state, x)
  choice_sheet(
    "days", "Days",
    choice_buttons("Days at hand", "span", at_hand, phrase,
                   becomes = vapply(at_hand, phrase_with_days, "", state = state, x = x)),
    choice_buttons("Side by side", "span_beside", spans_to_show_beside(state, x), beside,
                   lead = "Side by side:"),
    tags$div(class = "row",
             act_text_input("In words, or from a day to a day", "span", phrase, id = "span",
                            list = "phrases", check = "span", says = says$says,
                            hint = "last 12 months"),
             tags$datalist(id = "phrases",
                           options_html(phrase_completions(state, x, periods), "")),
             tags$div(class = "stack",
                      act_checkbox("Whole periods only", "set",
                                   identical(panel$statement$partial, "drop"), field = "partial",
                                   yes = "drop", id = "partial"),
                      if (has_own_days(panel)) htmltools::tagList(
                        tags$span(class = "quiet", "This panel has days of its own. "),
                        act_button("Follow the page", "follow"))
                      else act_button("Give this panel its own days", "own_days"))))
}

basis_choices <- function(state, x) {
  tags <- htmltools::tags
  facts <- source_facts(x)
  tree <- panel_now(state)$statement
  bases <- names(facts$dates)
  choice_sheet(
    "on", "The date that counts",
    choice_buttons("The date that counts", "on", bases, tree$on %||% state$on %||% bases[1],
                   becomes = bases),
    tags$div(class = "row",
             act_text_input("As of", "as_of", state$as_of, id = "as_of", check = "as_of",
                            says = if (is.null(state$as_of))
                              paste("The ledger's:", day_text(facts$as_of)),
                            hint = iso_day(facts$as_of)),
             act_text_input("As known on", "set", tree$known, id = "known", check = "as_of",
                            field = "known", hint = iso_day(facts$as_of),
                            says = "What was known by a day, and nothing later.")))
}

second_choices <- function(state, x) {
  tags <- htmltools::tags
  phrase <- phrase_now(state)
  second <- state$second
  back <- paste0(phrase, ", 1 year back")
  against <- function(phrase) paste("against", phrase_with_days(phrase, state, x))
  choice_sheet(
    "second", "Held against",
    tags$div(class = "choices", role = "group", "aria-label" = "Second span at hand",
             if (phrase_says(back, state, x)$ok)
               act_button("1 year back", "second", value = back, becomes = against(back),
                          pressed = identical(second, back)),
             act_button("the same days", "second_equal", becomes = against(phrase),
                        pressed = identical(second, phrase)),
             if (!is.null(second) && !holds_against(look_of(panel_now(state))))
               act_button("none", "second", value = "")),
    tags$div(class = "row",
             act_text_input("In words, or from a day to a day", "second", second, id = "second",
                            list = "phrases", check = "second",
                            says = if (is.null(second)) "Shown by the look Two spans."
                                   else phrase_says(second, state, x)$says,
                            hint = back)))
}
