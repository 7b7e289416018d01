describe_verb("write_report", asked_of = "result",
  ... = field("other", "what the page shows", option = FALSE),
  file = file_field(c("html", "htm")),
  title = field("text", "the title of the page", default = "Statement", value = "TEXT"),
  shared = list(write_statement = "overwrite")
)

#' Write a page to hand over
#'
#' One self-contained HTML file, with nothing loaded from elsewhere, from any mix of headings, text,
#' tiles, tables and figures, in the order given. Each table and figure has its own days, which it
#' shows. Tables can be sorted and filtered in the browser, totals stand apart from their rows,
#' headings stay in sight, and changes have signs and arrows. The foot says where the entries come
#' from, how many were used and set aside, proves the totals ([control_totals()]), and tells how
#' each figure is worked out. The page prints, and opens on a phone.
#'
#' @param ... What the page shows. A name becomes a heading above its part.
#'   * a [statement()], or a table made of one ([cross_table()], [compare_spans()],
#'     [compare_members()]): a table;
#'   * a ggplot, such as [figure_trend()] makes: a picture, with its text for those who do not see
#'     it (`ggplot2::labs(alt = )`);
#'   * [report_tiles()]: figures to date with their comparison;
#'   * [report_heading()], or text: a heading or a paragraph;
#'   * what [reconcile()] or [entries_behind()] gave: as it is printed;
#'   * what [check_ledger()] gave: its tables, and a calendar of days.
#' @eval field_params("write_report", leave = "...")
#' @return `file`, invisibly.
#' @section Errors:
#' `rollingledger_error_choice` where something else is given; `rollingledger_error_file` as for
#' [write_statement()].
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' income <- statement(fares, per = "month", span = "2026", income = total(fare)) |>
#'   add_running(income, since = "year")
#' so_far <- statement(fares, span = "month to date", income = total(fare)) |>
#'   add_change(income, from = "1 year back")
#' file <- tempfile(fileext = ".html")
#' write_report(report_tiles(so_far), "Income this year" = figure_columns(income), income,
#'              "Mind" = "September is not over.", file = file, title = "Saltmarsh Ferries")
#' @include table-plain.R
write_report <- with_fields("write_report", function(..., file, title, overwrite) {
  parts <- rlang::list2(...)
  if (length(parts) == 0)
    refuse("choice", "`write_report()` needs at least one part, for example a statement.",
           arg = "...")
  check_parts(parts)
  if (!rlang::is_string(title)) refuse("choice", "{title} must be one text.", arg = "title")
  file_kind(file, file_endings("write_report"))
  check_target(file, overwrite,
               inputs = unlist(lapply(parts, files_behind)))
  page <- page_frame(title, parts, names(parts) %||% rep("", length(parts)))
  write_whole(file, overwrite, function(path) {
    write_bytes(paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page), "\n"), path)
  })
})

#' Headings and tiles of a page
#'
#' Parts of [write_report()].
#'
#' @param text Text of length one.
#' @param level 1 or 2: a heading, or one below it.
#' @param s A [statement()]; of one with `per`, the newest period is shown. Each row gives a tile
#'   per figure.
#' @param ... Measures to show, bare or as text; all of them by default. A measure that has a change
#'   ([add_change()]) or a target ([add_target()]) is shown with it.
#' @return `report_heading()` and `report_tiles()`: a part for [write_report()]. Printing it shows
#'   its text; that of tiles is a data frame with `label`, `value`, `unit`, `days`, `change` and
#'   `target` (all text), one row per tile.
#' @section Errors:
#' `rollingledger_error_choice` for another level, or more than 24 tiles;
#' `rollingledger_error_measure` for a column that the statement does not have.
#' @export
#' @examples
#' report_heading("Income")
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, span = "month to date", income = total(fare), trips = entries()) |>
#'   add_change(income, from = "1 year back") |>
#'   report_tiles()
report_heading <- function(text, level = 1) {
  if (!rlang::is_string(text) || !nzchar(text))
    refuse("choice", "{text} must be one text that is not empty.", arg = "text")
  if (!is.numeric(level) || length(level) != 1 || !level %in% 1:2)
    refuse("choice", "{level} must be 1 or 2.", arg = "level")
  structure(list(text = text, level = as.integer(level)), class = "report_heading")
}

#' @export
print.report_heading <- function(x, ...) {
  writeLines(paste0(strrep("#", x$level), " ", x$text))
  invisible(x)
}

#' @rawNamespace
#' S3method(part_kind, default)
#' S3method(part_kind, statement)
#' S3method(part_kind, cross_table)
#' S3method(part_kind, ggplot)
#' S3method(part_kind, report_tiles)
#' S3method(part_kind, report_heading)
#' S3method(part_kind, ledger_check)
#' S3method(part_kind, reconciliation)
#' S3method(part_kind, entries_behind)
#' S3method(part_kind, known_comparison)
#' S3method(part_kind, explained_change)
#' S3method(part_kind, tested_past)
#' S3method(part_kind, unusual)
NULL

# What a part of a page is, or NULL for what a page cannot show.
part_kind <- function(part) UseMethod("part_kind")
part_kind.default <- function(part) if (is.character(part) && !anyNA(part)) "text"
part_kind.statement <- function(part) "statement"
part_kind.cross_table <- function(part) "table"
part_kind.ggplot <- function(part) "figure"
part_kind.report_tiles <- function(part) "tiles"
part_kind.report_heading <- function(part) "heading"
part_kind.ledger_check <- function(part) "check"
part_kind.reconciliation <- function(part) "printed"
part_kind.entries_behind <- function(part) "printed"
part_kind.known_comparison <- function(part) "printed"
part_kind.explained_change <- function(part) "table"
part_kind.tested_past <- function(part) "printed"
part_kind.unusual <- function(part) "table"

check_parts <- function(parts, call = caller_env()) {
  for (i in seq_along(parts)) {
    kind <- part_kind(parts[[i]])
    if (is.null(kind)) {
      refuse("choice",
             c(sprintf(paste0("Part %d of the page must be a statement, a table made of one, a ",
                              "figure, tiles, a heading or text, not %s."), i,
                       kind_text(parts[[i]])),
               i = "See ?write_report."), arg = "...", call = call)
    }
    if (kind == "statement") check_statement(parts[[i]], call = call)
    if (kind == "table" && is.null(statement_info(parts[[i]]))) {
      refuse("choice",
             sprintf(
               "Part %d of the page has lost how it was made; give the table as it was returned.",
               i), arg = "...", call = call)
    }
  }
}

page_frame <- function(title, parts, names) {
  tags <- htmltools::tags
  asset <- function(name) htmltools::HTML(
    paste(readLines(system.file("report", name, package = "rollingledger"), encoding = "UTF-8"),
          collapse = "\n"))
  heads <- page_headings(parts, names)
  progress <- progress_steps(length(parts), "Making the page")
  on.exit(progress$done())
  shown <- lapply(seq_along(parts), function(i) {
    out <- page_part(parts[[i]], heads$text[i])
    progress$step()
    out
  })
  tags$html(
    lang = "en",
    tags$head(
      tags$meta(charset = "utf-8"),
      tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
      tags$title(title), tags$style(asset("page.css"))
    ),
    tags$body(
      tags$header(tags$h1(title), tags$p(class = "dates", page_dates(parts))),
      page_contents(heads),
      tags$main(page_sections(heads, shown)),
      page_foot(parts, heads),
      tags$script(asset("page.js"))
    )
  )
}

# The heading of each part: list(text, level, id, told). Names of parts are below headings of their
# own, where there are any. A statement that begins a page has a heading in any case, and one that
# follows another thing tells what it is.
page_headings <- function(parts, names) {
  kinds <- vapply(parts, part_kind, "")
  own <- any(kinds == "heading")
  text <- names
  level <- rep(if (own) 2L else 1L, length(parts))
  for (i in which(kinds == "heading")) {
    text[i] <- parts[[i]]$text
    level[i] <- parts[[i]]$level
  }
  begun <- cumsum(nzchar(text)) > 0
  bare <- which(kinds %in% c("statement", "table") & !nzchar(text) & !begun)
  text[bare] <- vapply(parts[bare], page_heading, "")
  id <- dashed_words(text)
  id <- make.unique(paste0("part-", ifelse(id == "", seq_along(id), id)), sep = "-")
  list(text = text, level = level, id = id, told = nzchar(text))
}

# Contents, where there is something to choose from.
page_contents <- function(heads) {
  tags <- htmltools::tags
  told <- which(heads$told)
  if (length(told) < 2) return(NULL)
  links <- lapply(told,
                  function(i) tags$li(class = if (heads$level[i] == 2L) "below",
                                      tags$a(href = paste0("#", heads$id[i]), heads$text[i])))
  tags$nav(class = "contents", "aria-label" = "Contents", tags$ol(links))
}

# Parts under the headings they belong to.
page_sections <- function(heads, shown) {
  tags <- htmltools::tags
  number <- cumsum(heads$told)
  lapply(unname(split(seq_along(shown), number)), function(at) {
    head <- if (heads$told[at[1]])
      (if (heads$level[at[1]] == 1L) tags$h2 else tags$h3)(id = heads$id[at[1]], heads$text[at[1]])
    if (is.null(head)) tags$div(class = "part", shown[at])
    else tags$section("aria-labelledby" = heads$id[at[1]], head, shown[at])
  })
}

page_dates <- function(parts) {
  made <- Filter(Negate(is.null), lapply(parts, part_made_from))
  if (length(made) == 0) return("")
  days <- unique(vapply(made, function(m) m$days, ""))
  as_of <- unique(vapply(made, function(m) sub("^as of ", "", m$as_of), ""))
  sprintf("%s. As of %s.", heading_text(listed(days, most = 3)), listed(as_of))
}

# What is known of the ledger behind a part, if anything.
part_made_from <- function(part) {
  switch(part_kind(part),
    statement = , table = made_from(part),
    figure = attr(part, "made_from"),
    tiles = attr(part, "made_from"),
    check = {
      days <- statement_of_check(part)
      if (!is.null(days)) made_from(days)
    }
  )
}

page_part <- function(part, heading) {
  tags <- htmltools::tags
  switch(part_kind(part),
    statement = , table = page_shown_table(part, heading),
    figure = page_figure(part),
    tiles = page_tiles(part),
    check = page_check(part),
    text = lapply(part, tags$p),
    printed = tags$pre(tabindex = "0",
                       paste(format(part, rows = Inf, width = 140), collapse = "\n"))
  )
}

page_heading <- function(s) {
  plan <- statement_info(s)
  what <- heading_text(listed(gsub("_", " ", names(plan$measures))))
  if (length(c(plan$per, plan$by)) == 0) what
  else paste(what, "by", listed(gsub("_", " ", c(plan$per, plan$by))))
}

report_figure_size <- c(1120, 660)

page_figure <- function(figure) {
  path <- tempfile(fileext = ".png")
  on.exit(unlink(path))
  width <- report_figure_size[1]
  height <- report_figure_size[2]
  # The page has margins of its own.
  write_figure(figure + ggplot2::theme(plot.margin = ggplot2::margin(2, 10, 2, 0)), path,
               width = width, height = height, scale = 2)
  bytes <- readBin(path, "raw", file.size(path))
  tags <- htmltools::tags
  tags$figure(tags$img(
    src = paste0("data:image/png;base64,",
                 gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE)),
    alt = figure_alt(figure), width = width, height = height
  ))
}

# What a figure shows, for those who do not see it.
figure_alt <- function(figure) {
  alt <- ggplot2::get_alt_text(figure)
  if (length(alt) == 1 && nzchar(alt)) return(as.character(alt))
  labels <- c(figure$labels$title, figure$labels$subtitle)
  if (length(labels) > 0) paste(labels, collapse = ". ") else "Figure"
}
