# What stands out, as it is shown: the list, with what was looked at in sentences.

#' @rawNamespace
#' S3method(as_shown_table, unusual)
#' @include statement-words.R table-text.R
NULL

as_shown_table.unusual <- function(x) {
  known <- columns_of(x)[x$measure]
  decimals <- vapply(known, function(column) as.integer(column$decimals), 0L, USE.NAMES = FALSE)
  units <- vapply(known, function(column) column$unit %||% "", "", USE.NAMES = FALSE)
  unit <- if (length(unique(units)) == 1 && nzchar(units[1])) units[1]
  figure <- function(name, heading = gsub("_", " ", name), as_text = number_text) {
    shown_column(name, x[[name]], function(at) {
      vapply(at, function(i) as_text(x[[name]][i], decimals[i]), "")
    }, heading = paste0(heading, if (!is.null(unit)) sprintf(" (%s)", unit)), is_figure = TRUE,
    decimals = decimals, unit = unit)
  }
  by <- statement_info(x)$by
  several <- length(columns_of(x)) > 1
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]]
    if (name == "measure") shown_column(name, values, function(at) gsub("_", " ", values[at]),
                                        hidden = !several)
    else if (name %in% by) shown_members(name, values)
    else switch(name,
      from = , to = , p = , high = shown_members(name, values, hidden = TRUE),
      period = shown_members(name, values, hidden = attr(x, "facts")$periods == 1),
      low = range_of_lines(x, decimals, unit),
      came = , expected = figure(name),
      difference = figure(name, as_text = signed_text),
      times_usual = shown_column(name, values, heading = "usual errors", is_figure = TRUE,
                                 decimals = 1, text = function(at) {
                                   ifelse(is.infinite(values[at]), "never before",
                                          signed_text(values[at], 1))
                                 }),
      since = shown_column(name, values, function(at) day_text(day_numbers(values[at]))),
      shown_members(name, values))
  })
  told <- x[["told_before"]]
  if (!is.null(told)) {
    columns$told_before <- shown_column("told_before", told, heading = "told before",
                                        text = function(at) ifelse(told[at], "yes", "new"))
    # What is new matters most, and stands where it is seen.
    columns <- columns[union(c("measure", by, "told_before"), names(columns))]
  }
  sentences <- attr(x, "sentences")
  notes <- attr(x, "notes")
  new_shown_table(x, columns, title = unusual_title(x), name = unusual_title(x), says = sentences,
                  about = c(sentences, notes), notes = notes,
                  kinds = ifelse(levels_of_lines(x) < length(by), "total", ""))
}

# "229 to 281", in one column; files have two.
range_of_lines <- function(x, decimals, unit) {
  shown_column("low", x$low, heading = paste0("range", if (!is.null(unit)) sprintf(" (%s)", unit)),
               is_figure = TRUE, decimals = decimals, unit = unit, text = function(at) {
                 vapply(at, function(i) paste(number_text(x$low[i], decimals[i]), "to",
                                              number_text(x$high[i], decimals[i])), "")
               })
}

levels_of_lines <- function(x) {
  vapply(attr(x, "groups"), function(group) as.integer(group$level), 0L)
}

#' @export
format.unusual <- function(x, ..., rows = NULL, width = NULL) {
  if (is.null(attr(x, "facts")) || !all(c("measure", "came", "expected") %in% names(x)))
    return(format(tibble::as_tibble(x), ...))
  width <- width %||% getOption("width")
  table <- as_shown_table(x)
  c(folded_text(table$title, width),
    unlist(lapply(attr(x, "sentences"), folded_text, width = width)),
    if (nrow(x) > 0) c("", row_lines(table, rows, width)), folded_text(attr(x, "notes"), width))
}

#' @rdname print.statement
#' @export
print.unusual <- print.statement
#' @exportS3Method tibble::as_tibble
as_tibble.unusual <- as_tibble.statement
#' @export
as.data.frame.unusual <- as.data.frame.statement
