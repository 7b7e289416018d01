# What stands in the sheets of the page: briefs to open, their values, keeping and handing over.

hand_piece <- function(what, page) {
  switch(what %||% "", briefs = briefs_piece(page), keep = keep_piece(page),
         over = hand_over_piece(page), look = first_look_piece(page),
         refuse("choice", "The page has no such sheet.", call = NULL))
}

sheet_head <- function(title) {
  tags <- htmltools::tags
  tags$div(class = "sheet-head", tags$h2(id = "hand-title", tabindex = "-1", title),
           tags$button(type = "button", "data-close" = "hand", "Close"))
}

briefs_piece <- function(page) {
  tags <- htmltools::tags
  folder <- page$offers$briefs
  briefs <- if (!is.null(folder)) list_briefs(folder)
  head <- sheet_head("Open a brief")
  if (is.null(briefs) || nrow(briefs) == 0) {
    says <- if (is.null(folder)) "The page was opened without a folder for briefs."
            else sprintf("%s holds no brief.", folder)
    return(htmltools::tagList(head, tags$p(class = "quiet", says)))
  }
  rows <- lapply(seq_len(nrow(briefs)), function(i) {
    one <- lapply(briefs, `[[`, i)
    file <- basename(one$file)
    tags$tr(
      tags$td(if (is.na(one$category)) "" else one$category),
      tags$th(scope = "row", if (is.na(one$problem)) act_button(one$name, "brief", value = file)
              else file),
      tags$td(class = "text", if (!is.na(one$problem)) one$problem
              else if (is.na(one$description)) "" else one$description),
      tags$td(class = "text", if (is.na(one$problem) && nzchar(one$asks))
        paste("asks for", one$asks) else ""))
  })
  htmltools::tagList(head, tags$div(class = "table", tabindex = "0", role = "region",
                                    "aria-label" = "Briefs", tags$table(
    tags$thead(tags$tr(lapply(c("category", "brief", "what it is for", ""),
                              function(text) tags$th(scope = "col", text)))),
    tags$tbody(rows))))
}

# The values that a brief asks for, before it is opened.
ask_piece <- function(brief, page) {
  tags <- htmltools::tags
  x <- page$offers$ledger
  fields <- lapply(names(brief$tree$ask), function(name) {
    ask <- brief$tree$ask[[name]]
    id <- paste0("ask-", name)
    label <- paste0(heading_text(name), if (!is.null(ask$says)) paste0(": ", ask$says))
    default <- unlist(ask$default)
    needed <- identical(default, "ask")
    if (needed) default <- NULL
    members <- if (identical(ask$kind, "member") && ask$of %in% source_column_names(x)) {
      source_members(x, ask$of)$text
    }
    choices <- if (identical(ask$kind, "choice")) as.character(unlist(ask$choices)) else members
    many <- flag_of(ask$many)
    if (length(choices) > 0 && length(choices) <= 60 && !many) {
      return(act_select(label, "", choices[!is.na(choices)], default, id = id,
                        part = paste0("value_", name), none = if (!needed && is.null(default))
                          "left out"))
    }
    act_text_input(paste0(label, if (many) ", several with commas"), "",
                   paste(default, collapse = ", "), id = id, part = paste0("value_", name),
                   list = if (identical(ask$kind, "phrase")) "phrases",
                   check = if (identical(ask$kind, "phrase")) "span",
                   hint = switch(ask$kind, day = "2026-09-17", number = "3", NULL))
  })
  htmltools::tagList(
    sheet_head(brief$tree$name),
    if (!is.null(brief$tree$description)) tags$p(brief$tree$description),
    tags$div(class = "grid", "data-group" = "asked", fields,
             act_button("Open it", "brief", from = "asked", value = basename(brief$file),
                        ready = "yes", class = "main")))
}

keep_piece <- function(page) {
  tags <- htmltools::tags
  asks <- asks_of_page(page$state)
  htmltools::tagList(
    sheet_head("Keep this question"),
    tags$p("The question is kept as a brief, with its phrases and not the days they mean today: ",
           "run next week, \"last month\" is another month."),
    tags$div(class = "grid", "data-group" = "keep",
             act_text_input("Name", "", panel_title(panel_now(page$state)), id = "keep-name",
                            part = "name"),
             act_text_input("Category", "", NULL, id = "keep-category", part = "category"),
             act_checkbox("Replace one of this name", "", FALSE, id = "keep-replace",
                          part = "replace"),
             lapply(names(asks), function(name) act_checkbox(
               sprintf("Ask for %s at each run (%s otherwise)", asks[[name]]$says,
                       asks[[name]]$default), "", FALSE, id = paste0("keep-ask-", name),
               part = paste0("ask_", name))),
             act_button("Keep it", "keep", from = "keep", class = "main")),
    tags$p(class = "quiet", if (is.null(page$offers$briefs)) "No folder for briefs was given."
           else paste("Briefs are kept in", page$offers$briefs)),
    tags$p("Undo and redo go back and forth; so does the browser. The address of this page holds ",
           "the whole question: sent to someone with the same ledger, it opens the same page."))
}

# Of what a panel is grouped by: a sheet or a section for each member.
hand_over_members <- function(panel) {
  by <- unlist(panel$statement$by)
  if (length(by) == 0 || isTRUE(look_of(panel) %in% comparing_verbs())) return(NULL)
  htmltools::tags$div(
    class = "choices", role = "group", "aria-label" = "For each member",
    lapply(by, function(name) htmltools::tagList(
      act_button(sprintf("Workbook, a sheet for each %s", gsub("_", " ", name)), "file",
                 value = paste0("workbook:", name)),
      act_button(sprintf("Page, a section for each %s", gsub("_", " ", name)), "file",
                 value = paste0("page:", name)))))
}

hand_over_piece <- function(page) {
  tags <- htmltools::tags
  files <- page_files[setdiff(names(page_files), c("entries",
    if (!is_drawn_look(look_of(panel_now(page$state)))) c("png", "svg")))]
  htmltools::tagList(
    sheet_head("Hand over"),
    tags$div(class = "choices", role = "group", "aria-label" = "Write a file",
             lapply(names(files), function(kind) act_button(files[[kind]]$label, "file",
                                                            value = kind))),
    hand_over_members(panel_now(page$state)),
    tags$div(class = "choices", role = "group", "aria-label" = "Copy",
             act_button("Copy as R code", "code"),
             act_button("Copy this panel as a command line", "command")),
    tags$pre(id = "copied", tabindex = "0", hidden = NA))
}
