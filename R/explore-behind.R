# The entries behind a figure, as they are shown on the page: searched, sorted, a page at a time.

entries_per_page <- 50L

# list(entries, says, told): the entries of a figure that a state speaks of, by the panel's answer.
behind_answer <- function(state, offers, kept) {
  behind <- state$behind
  at <- suppressWarnings(as.integer(behind$panel %||% "1"))
  panel <- state$panels[[min(max(at, 1L, na.rm = TRUE), length(state$panels))]]
  told <- panel_answer(state, panel, offers, kept)
  if (!is.null(told$problem)) return(list(problem = told$problem))
  tryCatch({
    row <- suppressWarnings(as.numeric(behind$row %||% "1"))
    if (told$look == "why_changed")
      return(list(entries = quietly(entries_behind(told$thing, row = row))))
    if (told$look == "stands_out") {
      own <- quietly(statement_of_line(told$thing, row, NULL))
      name <- names(statement_info(own$s)$measures)
      return(list(entries = quietly(entries_behind(told$thing, line = row)),
                  why = figure_that_changed(own$s, own$row, name)))
    }
    s <- if (is.null(told$s)) spans_statement(state, panel, behind, offers, kept) else told$s
    if (!is.null(attr(s, "row_of"))) row <- attr(s, "row_of")(row, told$thing)
    figure <- behind$figure
    list(entries = quietly(entries_behind(s, figure = !!figure, row = row)),
         why = figure_that_changed(s, row, figure))
  }, error = function(e) list(problem = problem_texts(e)))
}

# Of a comparison: the statement of one of its spans, and which row of it a row of the comparison
# is.
spans_statement <- function(state, panel, behind, offers, kept) {
  tree <- panel_tree(state, panel)
  tree$span <- behind$span %||% tree$span
  tree[c("per", "steps")] <- NULL
  member <- panel$look$compare_members$member
  if (!is.null(member)) tree$by <- as.list(c(unlist(tree$by), member))
  alone <- list(statement = tree, look = list(table = list()))
  told <- panel_answer(state, alone, offers, kept)
  if (!is.null(told$problem)) refuse("choice", told$problem[1], call = NULL)
  s <- told$s
  attr(s, "row_of") <- function(row, thing) {
    by <- statement_info(s)$by
    if (length(by) == 0) return(1)
    same <- rep(TRUE, nrow(s))
    for (name in by) same <- same & plain_text(s[[name]]) %in% plain_text(thing[[name]][row])
    at <- which(same)
    if (length(at) != 1)
      refuse("choice", "There are no entries behind this figure.", call = NULL)
    at
  }
  s
}

# The numbers of the entries that are shown, in order: all that hold what is sought.
entries_sought <- function(entries, behind) {
  at <- seq_len(nrow(entries))
  seek <- behind$seek
  if (!is.null(seek) && nzchar(seek)) {
    words <- strsplit(lower_text(trimws(seek)), "\\s+")[[1]]
    text <- lower_text(do.call(paste, c(lapply(unclass(entries)[names(entries)], plain_text),
                                        sep = "\n")))
    for (word in words) at <- at[grepl(word, text[at], fixed = TRUE)]
  }
  order_by <- behind$order
  if (!is.null(order_by) && order_by %in% names(entries)) {
    values <- entries[[order_by]][at]
    key <- if (is.numeric(values) || inherits(values, "Date")) as.numeric(values)
           else if (is.ordered(values)) as.integer(values)
           else match(plain_text(values), sort(unique(plain_text(values)), method = "radix"))
    at <- at[order(if (identical(behind$down, "yes")) -key else key, at, na.last = TRUE)]
  }
  at
}

behind_piece <- function(state, answer) {
  tags <- htmltools::tags
  behind <- state$behind
  why <- answer$why
  head <- tags$div(class = "sheet-head", tags$h2(id = "behind-title", tabindex = "-1",
                                                 "The entries behind it"),
                   if (!is.null(why)) act_button("Why did it change?", "why", span = why$span,
                                                 where = why$where, figure = why$figure),
                   act_button("Back", "back", class = "main"))
  if (!is.null(answer$problem))
    return(htmltools::tagList(head, problem_piece(answer$problem)))
  entries <- answer$entries
  at <- entries_sought(entries, behind)
  pages <- max(1L, ceiling(length(at) / entries_per_page))
  page <- suppressWarnings(as.integer(behind$page %||% "1"))
  page <- if (is.na(page)) 1L else min(max(page, 1L), pages)
  shown <- at[seq_along(at) > (page - 1L) * entries_per_page &
                seq_along(at) <= page * entries_per_page]
  says <- attr(entries, "says")
  coded <- startsWith(says, "Where ")
  says[coded] <- paste("Where", vapply(sub("^Where ", "", says[coded]), condition_text_words, ""))
  htmltools::tagList(
    head, lapply(says, tags$p),
    tags$div(class = "row",
             act_text_input("Search them", "behind_set", behind$seek, field = "seek",
                            id = "behind-seek", type = "search", hint = "part of a value"),
             tags$p(class = "quiet", role = "status",
                    sprintf("%s of %s", number_text(length(at)),
                            count_text(nrow(entries), "entry", "entries"))),
             act_button("Write to a CSV file", "file", value = "entries")),
    entries_table(entries, shown, behind),
    if (pages > 1) tags$div(
      class = "row", act_button("Earlier rows", "behind_set", field = "page", value = page - 1L,
                                disabled = page == 1L),
      tags$span(class = "quiet", sprintf("Page %s of %s", number_text(page), number_text(pages))),
      act_button("Later rows", "behind_set", field = "page", value = page + 1L,
                 disabled = page == pages)))
}

entries_table <- function(entries, at, behind) {
  tags <- htmltools::tags
  cells <- cells_at(as_shown_table(entries), at)
  head <- lapply(names(entries), function(name) {
    sorted <- identical(behind$order, name)
    tags$th(scope = "col", class = if (cells[[name]]$right) "number",
            "aria-sort" = if (sorted) (if (identical(behind$down, "yes")) "descending"
                                       else "ascending"),
            act_button(paste0(gsub("_", " ", name), if (sorted)
              (if (identical(behind$down, "yes")) " \u2193" else " \u2191")), "behind_set",
              field = "order", value = name, class = "head",
              label = paste("Sort by", gsub("_", " ", name))))
  })
  body <- do.call(paste0, lapply(unname(cells), function(cell) {
    sprintf("<td%s>%s</td>", if (cell$right) " class=\"number\"" else "",
            htmltools::htmlEscape(cell$text))
  }))
  tags$div(class = "table", tabindex = "0", role = "region", "aria-label" = "Entries",
           tags$table(tags$thead(tags$tr(head)), tags$tbody(htmltools::HTML(
             paste(sprintf("<tr>%s</tr>", body), collapse = "\n")))))
}
