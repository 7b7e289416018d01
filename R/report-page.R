#' Write a page to hand over
#'
#' One self-contained HTML file, with nothing loaded from elsewhere: for each statement its dates,
#' a figure, the table, and the control totals; at the foot the ledger's source, its as-of day and
#' the entries used and set aside.
#'
#' @param ... One or more statements. A name becomes the heading of its part.
#' @param file Text of length one: a path that ends in `.html`.
#' @param title Text of length one: the title of the page.
#' @param overwrite TRUE replaces an existing file.
#' @return `file`, invisibly.
#' @section Errors:
#' `rollingledger_error_choice` where something else than statements is given;
#' `rollingledger_error_file` as for [write_statement()].
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' income <- statement(fares, per = "month", span = "2026", income = total(fare)) |>
#'   add_running(income, since = "year")
#' file <- tempfile(fileext = ".html")
#' write_report("Income this year" = income, file = file, title = "Saltmarsh Ferries")
write_report <- function(..., file, title = "Statement", overwrite = FALSE) {
  parts <- rlang::list2(...)
  if (length(parts) == 0) refuse("choice", "`write_report()` needs at least one statement.", arg = "...")
  for (s in parts) check_statement(s)
  file_kind(file, c("html", "htm"))
  check_target(file, overwrite)
  headings <- names(parts) %||% rep("", length(parts))
  sections <- Map(page_section, parts, headings)
  page <- page_frame(title, parts, unname(sections))
  write_whole(file, overwrite, function(path) {
    con <- file(path, "wb")
    on.exit(close(con))
    writeBin(charToRaw(enc2utf8(paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page), "\n"))), con)
  })
}

page_frame <- function(title, parts, sections) {
  tags <- htmltools::tags
  style <- paste(readLines(system.file("report", "page.css", package = "rollingledger"), encoding = "UTF-8"), collapse = "\n")
  tags$html(
    lang = "en",
    tags$head(
      tags$meta(charset = "utf-8"), tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
      tags$title(title), tags$style(htmltools::HTML(style))
    ),
    tags$body(
      tags$header(tags$h1(title), tags$p(class = "dates", page_dates(parts))),
      tags$main(sections),
      page_foot(parts)
    )
  )
}

page_dates <- function(parts) {
  days <- unique(vapply(parts, statement_days, ""))
  as_of <- unique(vapply(parts, function(s) day_text(attr(s, "plan")$as_of), ""))
  sprintf("%s. As of %s.", heading_text(listed(days, most = 3)), listed(as_of))
}

page_section <- function(s, heading) {
  tags <- htmltools::tags
  plan <- attr(s, "plan")
  heading <- if (nzchar(heading)) heading else page_heading(s)
  notes <- statement_footer(s, character())
  tags$section(
    tags$h2(heading),
    # The figure carries the dates itself.
    if (!is.null(plan$per) && nrow(s) > 0) page_figure(s)
    else tags$p(class = "dates", paste0(figure_subtitle(s), partial_words(s))),
    page_table(s, heading),
    if (length(notes) > 0) tags$ul(class = "notes", lapply(notes, tags$li)),
    if (is.null(plan$anchors)) page_control(s)
  )
}

page_heading <- function(s) {
  plan <- attr(s, "plan")
  what <- listed(heading_text(names(plan$measures)))
  if (length(c(plan$per, plan$by)) == 0) what else paste(what, "by", listed(c(plan$per, plan$by)))
}

page_figure <- function(s) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  figure <- figure_trend(s)
  write_figure(figure, path, width = 1080, height = 540, scale = 2)
  bytes <- readBin(path, "raw", file.size(path))
  tags <- htmltools::tags
  tags$figure(tags$img(
    src = paste0("data:image/png;base64,", gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE)),
    alt = figure_words(s, figure), width = 1080, height = 540
  ))
}

# What a figure shows, for those who do not see it.
figure_words <- function(s, figure) {
  points <- figure$data
  last <- points[!is.na(points$value), ]
  last <- last[!duplicated(last$series, fromLast = TRUE), ]
  column <- attr(s, "columns")[[1]]
  values <- sprintf("%s %s in %s", last$series, number_text(last$value, column$decimals), last$period)
  paste0("Line chart: ", figure$labels$title, ". ", figure$labels$subtitle, ". Latest: ", listed(values, most = 12), ".")
}

page_table <- function(s, heading) {
  tags <- htmltools::tags
  cells <- statement_cells(s, seq_len(nrow(s)))
  side <- vapply(cells, function(column) if (column$right) "number" else "text", "")
  head <- Map(function(column, class) tags$th(scope = "col", class = class, column$heading), cells, side)
  text <- lapply(cells, function(column) htmltools::htmlEscape(column$text))
  # Rows are put together as text: a page of a thousand rows should not take a second.
  body <- do.call(paste0, unname(Map(function(column, class) sprintf("<td class=\"%s\">%s</td>", class, column), text, side)))
  rows <- sprintf("<tr%s>%s</tr>", ifelse(s$complete, "", " class=\"partial\""), body)
  tags$div(
    class = "table", tabindex = "0", role = "region", "aria-label" = paste("Table:", heading),
    tags$table(tags$thead(tags$tr(unname(head))), tags$tbody(htmltools::HTML(paste(rows, collapse = "\n"))))
  )
}

page_control <- function(s) {
  tags <- htmltools::tags
  control <- control_totals(s)
  if (nrow(control) == 0) return(NULL)
  columns <- attr(s, "columns")
  lines <- lapply(seq_len(nrow(control)), function(i) {
    line <- control[i, ]
    decimals <- columns[[line$measure]]$decimals
    ties <- abs(line$difference) < 0.5 * 10^-decimals
    tags$tr(
      class = if (ties) NULL else "differs", tags$th(scope = "row", control_label(line, control)),
      tags$td(class = "number", number_text(line$statement, decimals)),
      tags$td(class = "number", number_text(line$entries, decimals)),
      tags$td(class = "text", if (ties) "ties" else paste("differs by", number_text(line$difference, decimals)))
    )
  })
  tags$div(
    class = "control",
    tags$h3("Control totals"),
    tags$table(tags$thead(tags$tr(
      tags$th(scope = "col", "measure"), tags$th(scope = "col", class = "number", "sum of the rows"),
      tags$th(scope = "col", class = "number", "straight from the entries"), tags$th(scope = "col", "")
    )), tags$tbody(lines))
  )
}

# A measure, and its days where there are several spans of it.
control_label <- function(line, control) {
  if (sum(control$measure == line$measure) == 1) return(line$measure)
  paste0(line$measure, ", ", days_text(whole_days(line$from), whole_days(line$to)))
}

page_foot <- function(parts) {
  tags <- htmltools::tags
  sources <- unique(vapply(parts, function(s) {
    x <- attr(s, "plan")$x
    every <- sum(x$aside$kept_out_of == "every figure")
    sprintf("Source: %s, as of %s. %s read = %s used + %s set aside.", x$source, day_text(x$as_of),
            count_text(x$read, "entry", "entries"), number_text(x$used), number_text(every))
  }, ""))
  made <- unique(unlist(lapply(parts, function(s) {
    trees <- attr(s, "plan")$measures
    sprintf("%s = %s", names(trees), vapply(trees, function(tree) attr(tree, "text"), ""))
  })))
  tags$footer(
    lapply(sources, tags$p),
    tags$p(paste("Measures:", listed(made, most = 20))),
    tags$p(sprintf("Made with Rolling Ledger %s.", utils::packageVersion("rollingledger")))
  )
}
