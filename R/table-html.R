# A table as a page has it, of a report and of the page that is pointed at alike.

# A table with its days above it and its notes below.
page_shown_table <- function(x, heading) {
  tags <- htmltools::tags
  table <- as_shown_table(x)
  # Where sentences say that there is nothing, no empty table says so again.
  empty <- table$rows == 0 && length(table$says) > 0
  list(tags$p(class = "dates", table$dates), says_on_page(table$says),
       if (!empty) table_on_page(table, if (nzchar(heading)) heading else page_heading(x)),
       notes_on_page(table$words))
}

says_on_page <- function(says) {
  if (length(says) > 0) htmltools::tags$ul(class = "says", lapply(says, htmltools::tags$li))
}

notes_on_page <- function(notes) {
  if (length(notes) > 0) htmltools::tags$ul(class = "notes", lapply(notes, htmltools::tags$li))
}

# `lead(text, name)` makes HTML of the texts of a column of figures that lead further.
table_on_page <- function(table, name, lead = NULL) {
  columns <- lapply(seen_columns(table), column_on_page)
  for (own in if (!is.null(lead)) names(columns)) {
    if (table$fields[[own]]$is_figure) columns[[own]]$html <- lead(columns[[own]]$text, own)
  }
  page_table(columns, table$kinds, name)
}

# list(heading (lines), text, class)
column_on_page <- function(column) {
  at <- seq_along(column$values)
  change <- if (column$is_change) shown_change(column$values / column$scale, column$decimals)
  list(heading = column$words, text = change$text %||% column$text(at),
       class = trimws(paste(if (column$right) "number" else "text", change$class %||% "")))
}

# A table with a heading row that stays in sight. The first column names the row.
page_table <- function(columns, classes, name) {
  tags <- htmltools::tags
  side <- vapply(columns, function(column) sub(" .*", "", column$class[1]), "")
  side[is.na(side)] <- "text"
  head <- Map(function(column, class) {
    lines <- column$heading
    tags$th(scope = "col", class = class, tags$span(class = "label", lines[1]),
            lapply(lines[-1], function(line) tags$span(class = "unit", line)))
  }, columns, side)
  cells <- Map(function(column, first) {
    text <- column$html %||% htmltools::htmlEscape(column$text)
    class <- trimws(column$class)
    if (first) sprintf("<th scope=\"row\" class=\"%s\">%s</th>", class, text)
    else sprintf("<td class=\"%s\">%s</td>", class, text)
  }, unname(columns), seq_along(columns) == 1)
  # Rows are put together as text: a page of a thousand rows should not take a second.
  classes <- gsub(" +", " ", trimws(classes))
  body <- if (length(classes) > 0)
    sprintf("<tr%s>%s</tr>", ifelse(nzchar(classes), sprintf(" class=\"%s\"", classes), ""),
            do.call(paste0, cells))
  tags$div(
    class = if (length(classes) > 36) "table long" else "table", tabindex = "0", role = "region",
    "aria-label" = paste("Table:", name),
    tags$table(tags$caption(class = "unseen", name), tags$thead(tags$tr(unname(head))),
               tags$tbody(htmltools::HTML(paste(body, collapse = "\n"))))
  )
}
