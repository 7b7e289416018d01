# Controls of the page, as HTML. Each carries the act that it stands for in `data-` attributes; the
# page's script sends those and nothing else.

# <button>, with the act in its attributes; `pressed` for those that are on or off.
act_button <- function(text, do, ..., class = NULL, pressed = NULL, label = NULL, id = NULL,
                       disabled = FALSE) {
  htmltools::tags$button(
    type = "button", class = class, id = id, "data-do" = do, !!!act_data(...),
    "aria-pressed" = if (!is.null(pressed)) (if (pressed) "true" else "false"),
    "aria-label" = label, disabled = if (disabled) NA, text)
}

act_data <- function(...) {
  data <- list(...)
  data <- data[!vapply(data, is.null, TRUE)]
  if (length(data) == 0) return(list())
  stats::setNames(data, paste0("data-", names(data)))
}

# Buttons of which one or several may be on, as text: there are many of them. `label` names the
# group; `becomes` is what the part of the sentence will say.
choice_buttons <- function(label, do, values, on = character(), texts = values, lead = NULL,
                           becomes = NULL, then = NULL) {
  attribute <- function(text) htmltools::htmlEscape(text, attribute = TRUE)
  pressed <- if (is.null(on)) "" else sprintf(" aria-pressed=\"%s\"",
                                              ifelse(values %in% on, "true", "false"))
  says <- if (is.null(becomes)) "" else sprintf(" data-becomes=\"%s\"", attribute(becomes))
  then <- if (is.null(then)) "" else sprintf(" data-then=\"%s\"", attribute(then))
  buttons <- sprintf("<button type=\"button\" data-do=\"%s\" data-value=\"%s\"%s%s%s>%s</button>",
                     do, attribute(values), pressed, says, then, htmltools::htmlEscape(texts))
  if (length(values) == 0) buttons <- ""
  htmltools::tags$div(class = "choices", role = "group", "aria-label" = label,
                      if (!is.null(lead)) htmltools::tags$span(class = "quiet", lead),
                      htmltools::HTML(paste(buttons, collapse = "")))
}

options_html <- function(values, texts = values, selected = NULL) {
  htmltools::HTML(paste(sprintf("<option value=\"%s\"%s>%s</option>",
                                htmltools::htmlEscape(values, attribute = TRUE),
                                ifelse(values %in% selected, " selected", ""),
                                htmltools::htmlEscape(texts)), collapse = ""))
}

act_select <- function(label, do, choices, selected, ..., id, none = NULL, unseen = FALSE) {
  tags <- htmltools::tags
  choices <- c(if (!is.null(none)) stats::setNames("", none), choices)
  names <- names(choices) %||% rep("", length(choices))
  options <- options_html(unname(choices), ifelse(nzchar(names), names, choices), selected %||% "")
  labelled_control(label, tags$select(id = id, "data-do" = do, !!!act_data(...), options), id,
           unseen)
}

act_text_input <- function(label, do, value, ..., id, list = NULL, check = NULL, hint = NULL,
                           type = "text", unseen = FALSE, says = NULL) {
  tags <- htmltools::tags
  htmltools::tagList(
    labelled_control(label, tags$input(
      id = id, type = type, value = value %||% "", "data-do" = do, !!!act_data(...),
      list = list, "data-check" = check, placeholder = hint, autocomplete = "off",
      spellcheck = "false",
      "aria-describedby" = if (!is.null(check)) paste0(id, "-says")), id, unseen),
    if (!is.null(check)) tags$p(id = paste0(id, "-says"), class = "says", role = "status", says)
  )
}

act_checkbox <- function(label, do, checked, ..., id) {
  tags <- htmltools::tags
  tags$label(class = "tick", `for` = id,
             tags$input(id = id, type = "checkbox", checked = if (checked) NA, "data-do" = do,
                        !!!act_data(...)), label)
}

labelled_control <- function(label, control, id, unseen = FALSE) {
  htmltools::tags$div(class = "field",
                      htmltools::tags$label(`for` = id, class = if (unseen) "unseen", label),
                      control)
}

# The choices of one part of the sentence, shown when it is pressed.
choice_sheet <- function(id, title, ...) {
  tags <- htmltools::tags
  tags$section(id = paste0("choose-", id), class = "choice", hidden = NA,
               "aria-labelledby" = paste0("choose-", id, "-title"),
               tags$h2(id = paste0("choose-", id, "-title"), title), ...)
}

# ---- controls of fields --------------------------------------------------------

# The control of one argument of a verb, from the table of fields.
field_control <- function(name, one, value, do, tree, offers, ..., id) {
  label <- heading_text(field_words[[name]] %||% name)
  # Phrases may hold commas.
  text <- if (length(value) > 0)
    paste(unlist(value), collapse = if (one$kind == "phrases") "; " else ", ")
  choices <- if (is.function(one$choices)) NULL else one$choices
  control <- switch(one$kind,
    flag = act_checkbox(label, do, isTRUE(unname(flag_words[text %||% if (isTRUE(one$default)) "yes"
                                                            else "no"])), field = name, ...,
                        id = id),
    choice = if (!is.null(choices))
      act_select(label, do, choices, text %||% one$default, field = name, ..., id = id,
                 none = if (is.null(one$default)) "as fits")
      else act_text_input(label, do, text, field = name, ..., id = id, hint = one$default),
    grain = act_select(label, do, choices, text, field = name, ..., id = id, none = "none"),
    measure = , column = act_select(label, do,
                                    in_words(union(text, offers$measures %||% measures_of(tree))),
                                    text, field = name, ..., id = id),
    attribute = act_select(label, do, in_words(choices %||% as.character(unlist(tree$by))), text,
                           field = name, ...,
                           id = id, none = "none"),
    table = act_select(label, do, union(text, names(offers$tables)), text, field = name, ...,
                       id = id),
    number = if (name == "keep" && is.null(one$default)) keep_control(text, do, name, ..., id = id)
             else act_text_input(label, do, text, field = name, ..., id = id,
                                 hint = plain_text(one$default %||% "")),
    act_text_input(label, do, text, field = name, ..., id = id,
                   hint = plain_text(one$default %||% "")[1])
  )
  htmltools::tagAppendAttributes(htmltools::tags$div(control), title = field_hint(one))
}

# Names as they are said, for what is chosen by name.
in_words <- function(names) stats::setNames(names, gsub("_", " ", names))

# What fields are called on the page, where their names do not say it.
field_words <- list(m = "measure", draw = "figures to draw", of = "of the whole of",
                    from = "against", short = "short windows", stat = "as",
                    partial = "unfinished periods", share_false = "share by chance",
                    ahead = "periods to come", closed = "closed days")

field_hint <- function(one) gsub("[{}]", "", help_sentence(one$help))

# The first N on a slider, or all.
keep_control <- function(text, do, name, ..., id) {
  tags <- htmltools::tags
  now <- suppressWarnings(as.integer(text %||% "21"))
  if (is.na(now)) now <- 21L
  tags$div(
    class = "field",
    tags$label(`for` = id, "Keep the first ",
               tags$output(id = paste0(id, "-now"), `for` = id, if (now > 20) "all" else now)),
    tags$input(id = id, type = "range", min = 1, max = 21, value = min(now, 21), step = 1,
               "data-do" = do, "data-field" = name, "data-live" = "yes", "data-last" = "all",
               !!!act_data(...), "aria-valuetext" = if (now > 20) "all" else now))
}
