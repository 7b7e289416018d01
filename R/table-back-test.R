# Tests of what is expected, as they are shown.

#' @rawNamespace
#' S3method(as_shown_table, tested_past)
#' @include statement-words.R table-text.R
NULL

as_shown_table.tested_past <- function(x) {
  column <- attr(x, "facts")$column
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]]
    if (name %in% c("expected", "low", "high", "came")) {
      one <- shown_figure(name, values, column$decimals)
      one$heading <- paste0(name, if (!is.null(column$unit)) sprintf(" (%s)", column$unit))
      one$words <- one$heading
      one["unit"] <- list(column$unit)
      one
    } else if (name == "off_pct") {
      shown_column(name, values, function(at) number_text(values[at], 1), heading = "off by (%)",
                   is_figure = TRUE, decimals = 1, unit = "%")
    } else if (name == "inside") {
      shown_column(name, values, heading = "in the range", is_figure = TRUE, function(at) {
        ifelse(is.na(values[at]), "-", ifelse(values[at], "yes", "no"))
      })
    } else if (name == "as_of") {
      shown_column(name, values, heading = "as of", function(at) day_text(day_numbers(values[at])))
    } else shown_members(name, values, hidden = name %in% c("from", "to"))
  })
  says <- attr(x, "says")
  new_shown_table(x, columns, title = says[1], about = says[-1], notes = says[-1], periods = TRUE)
}

#' @export
format.tested_past <- function(x, ..., rows = NULL, width = NULL) {
  if (is.null(attr(x, "says")) || !all(c("expected", "came", "inside") %in% names(x)))
    return(format(tibble::as_tibble(x), ...))
  shown_lines(as_shown_table(x), rows, width %||% getOption("width"))
}

#' @rdname print.statement
#' @export
print.tested_past <- print.statement
#' @exportS3Method tibble::as_tibble
as_tibble.tested_past <- as_tibble.statement
#' @export
as.data.frame.tested_past <- as.data.frame.statement
