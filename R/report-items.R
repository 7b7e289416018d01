# What briefs and command lines show, worked out, written and printed; brief-items.R says what an
# item is.

# The thing itself: a table, a figure, the parts of a page.
item_result <- function(item, statements) {
  switch(item$what,
    page = {
      parts <- lapply(item$content, item_result, statements = statements)
      stats::setNames(parts, vapply(item$content, function(part) part$heading %||% "", ""))
    },
    heading = report_heading(item$text),
    text = item$text,
    table = statements[[item$of]],
    with_canvas(canvas_of_item(item),
                answered_show(statements[[item$of]], item$record, list(), NULL))
  )
}

# The size at which an item's figure is looked at: that of its file, or of its place on a page.
canvas_of_item <- function(item) {
  if (!is.null(item$size)) return(figure_size(item$size))
  on_page <- is.null(item$file) || lower_text(tools::file_ext(item$file)) %in% c("html", "htm")
  if (on_page) report_figure_size else figure_size(NULL)
}

# Writes it to a file, by its ending.
write_item <- function(item, thing, file, title, overwrite = FALSE) {
  title <- item$title %||% title
  if (item$what == "page")
    return(write_report(!!!thing, file = file, title = title, overwrite = overwrite))
  switch(lower_text(tools::file_ext(file)),
    html = , htm = write_report(!!!stats::setNames(list(thing), item$heading %||% ""),
                                file = file, title = title, overwrite = overwrite),
    xlsx = rlang::exec(write_workbook, thing, file, !!!item$book, title = item$title,
                       overwrite = overwrite),
    png = , svg = , pdf = {
      size <- figure_size(item$size)
      write_figure(thing, file, overwrite, width = size[1], height = size[2])
    },
    write_statement(thing, file, overwrite = overwrite)
  )
}

# What of an item can be shown as text: list(thing, heading) each.
printed_parts <- function(thing, item) {
  if (item$what == "page") {
    return(unlist(Map(printed_parts, unname(thing), item$content), recursive = FALSE))
  }
  if (part_kind(thing) %in% c("figure", "heading")) return(NULL)
  list(list(thing = thing, heading = item$heading))
}
