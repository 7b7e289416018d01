# Statements and tables made of them as tables of a page.

page_statement <- function(s, heading) {
  tags <- htmltools::tags
  notes <- plain_notes(s, statement_footer(s, marks = !is_one_span(s)))
  list(
    tags$p(class = "dates",
           paste0(figure_subtitle(s), if (!is.null(statement_info(s)$per)) partial_words(s))),
    page_table(statement_columns(s), row_classes(s), table_name(s, heading)),
    if (length(notes) > 0) tags$ul(class = "notes", lapply(notes, tags$li))
  )
}

page_cross_table <- function(x, heading) {
  tags <- htmltools::tags
  plan <- statement_info(x)
  notes <- attr(x, "notes")
  list(
    tags$p(class = "dates",
           paste0(attr(x, "subject"), ", ", paste(plan$on, spans_text(plan)), ", ",
                  as_of_text(plan))),
    page_table(cross_table_columns(x), cross_row_classes(x), table_name(x, heading)),
    if (length(notes) > 0) tags$ul(class = "notes", lapply(notes, tags$li))
  )
}

table_name <- function(s, heading) if (nzchar(heading)) heading else page_heading(s)

# Columns of a statement as a page shows them: list(heading (lines), text, class).
statement_columns <- function(s) {
  known <- columns_of(s)
  cells <- statement_cells(s, seq_len(nrow(s)))
  if (is_one_span(s)) cells <- cells[names(cells) != "period"]
  Map(function(cell, name) {
    column <- known[[name]]
    if (is.null(column))
      return(list(heading = heading_text(cell$heading), text = cell$text,
                  class = if (cell$right) "number" else "text"))
    changes <- identical(column$kind, "change")
    list(heading = c(sub(" in per cent$", "", column_title(s, name)), if (!is.null(column$unit))
      column$unit), text = if (changes) change_text(s[[name]], column$decimals) else cell$text,
         class = paste0("number", if (changes) paste("", change_classes(s[[name]],
                                                                        column$decimals))))
  }, cells, names(cells))
}

# Differences and per cents have a sign and an arrow, so that they can be told without colour. What
# is shown as zero is neither a rise nor a fall.
change_text <- function(values, decimals) {
  arrow <- c("\u25bc ", "= ", "\u25b2 ")[change_sign(values, decimals) + 2]
  paste0(ifelse(is.na(values), "", arrow), signed_text(values, decimals))
}

change_classes <- function(values, decimals) {
  ifelse(is.na(values), "", c("down", "", "up")[change_sign(values, decimals) + 2])
}

cross_table_columns <- function(x) {
  known <- columns_of(x)
  cells <- cross_cells(x, seq_len(nrow(x)))
  Map(function(cell, name) {
    lines <- cell$heading[nzchar(cell$heading)]
    figure <- known[[name]]
    if (is.null(figure))
      return(list(heading = heading_text(if (length(lines) > 0) lines else "Line"),
                  text = cell$text, class = if (cell$right) "number" else "text"))
    changes <- isTRUE(figure$change)
    if (changes) cell$text <- change_text(x[[name]], figure$decimals)
    list(heading = lines, text = cell$text,
         class = paste0("number", if (changes) paste("", change_classes(x[[name]],
                                                                        figure$decimals))))
  }, cells, names(cells))
}

# Rows that are totals, what a ranking left over, or partial.
row_classes <- function(s) {
  plan <- statement_info(s)
  rest <- if (is.null(plan$rest)) FALSE
          else plain_text(s[[plan$rest$attribute]]) %in% plan$rest$label
  paste(ifelse(drawn_rows(s), "", "total"), ifelse(rest, "rest", ""),
        ifelse(s$complete | shows_days(s) | is_one_span(s), "", "partial"))
}

cross_row_classes <- function(x) {
  plan <- statement_info(x)
  marks <- c(list(period = overall_labels(plan)),
             lapply(stats::setNames(nm = plan$by), function(name) total_members(plan)))
  totals <- Map(function(values, marks) plain_text(values) %in% marks,
                unclass(x)[intersect(names(marks), names(x))],
                marks[intersect(names(marks), names(x))])
  totals <- Reduce(`|`, totals, logical(nrow(x)))
  paste(ifelse(totals, "total", ""), if (!"complete" %in% names(x))
    "" else ifelse(x$complete | is.null(plan$per), "", "partial"))
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
