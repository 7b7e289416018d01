# What is shown of a question's statements: tables, figures, pages. A brief and a command line alike
# come to a list of items, which are worked out, printed, written, told as code and saved here.
# An item: list(what, of, record, heading, file, size, title, book, content, text), with `what`
# "table", "page", "heading", "text" or the verb that `record` is asked of.

# The items that a brief's tree tells.
brief_items <- function(tree, folder) {
  show <- tree$show %||%
    lapply(names(tree$statements), function(name) list(table = list(of = name)))
  lapply(show, item_of_tree, only = names(tree$statements)[1], folder = folder)
}

item_of_tree <- function(tree, only, folder) {
  what <- names(tree)
  own <- tree[[1]]
  if (what %in% c("heading", "text")) return(list(what = what, text = own))
  if (what == "page") {
    return(list(what = what, file = own$file, title = own$title,
                content = lapply(own$content, item_of_tree, only = only, folder = folder)))
  }
  book <- if (what == "table") {
    verb_record("write_workbook", own[intersect(names(own), c("sheet_per", "subtotals"))], folder)
  }
  list(what = what, of = own$of %||% only, heading = own$heading, file = own$file,
       size = own$size, title = if (what == "table") own$title, book = book,
       record = if (what != "table") show_record(what, own, folder))
}

# ---- as code -----------------------------------------------------------------

item_code <- function(item, title) {
  file <- if (!is.null(item$file)) value_text(item$file)
  if (item$what == "page") {
    parts <- vapply(item$content, function(part) {
      said <- thing_code(part)
      if (is.null(part$heading)) said else paste(name_text(part$heading), "=", said)
    }, "")
    if (is.null(file)) return(call_code("list", parts))
    return(call_code("write_report", c(parts, paste("file =", file),
                                       paste("title =", value_text(item$title %||% title)))))
  }
  code <- thing_code(item)
  if (is.null(file)) return(code)
  switch(lower_text(tools::file_ext(item$file)),
    html = , htm = call_code("write_report", c(code, paste("file =", file))),
    xlsx = call_code("write_workbook", c(code, file, verb_arguments("write_workbook",
                                                                     item$book))),
    png = , svg = , pdf = {
      size <- figure_size(item$size) / 96
      call_code("ggplot2::ggsave", c(file, code, sprintf(c("width = %s", "height = %s"),
                                                         digits_text(round(size, 4)))))
    },
    call_code("write_statement", c(code, file))
  )
}

thing_code <- function(item) {
  switch(item$what,
    heading = call_code("report_heading", value_text(item$text)),
    text = value_text(item$text),
    table = name_text(item$of),
    show_code(item$record, name_text(item$of))
  )
}

# ---- as a brief --------------------------------------------------------------

item_tree <- function(item, root) {
  own <- switch(item$what,
    heading = , text = item$text,
    page = c(list(file = item$file, title = item$title),
             list(content = lapply(item$content, item_tree, root = root))),
    {
      record <- item$record
      told <- if (item$what == "entries_behind") record$of
      args <- record[setdiff(names(record), c("show", "of"))]
      c(list(of = item$of, heading = item$heading, file = item$file, size = item$size,
             title = item$title),
        lapply(item$book, value_tree), if (length(args) > 0) fields_tree(item$what, args, root),
        if (!is.null(told)) list(row_of = as.list(told)))
    }
  )
  if (is.list(own)) own <- own[!vapply(own, is.null, TRUE)]
  stats::setNames(list(own), item$what)
}
