# An explanation as it is shown: its lines, with what they come to in sentences.

#' @rawNamespace
#' S3method(as_shown_table, explained_change)
NULL

as_shown_table.explained_change <- function(x) {
  column <- columns_of(x)[[1]]
  in_unit <- function(name) {
    paste0(name, if (!is.null(column$unit)) sprintf(" (%s)", column$unit))
  }
  ends <- x$part %in% c("before", "now")
  figure <- function(name, values, text) {
    shown_column(name, values, text, heading = in_unit(gsub("_", " ", name)), is_figure = TRUE,
                 decimals = column$decimals, unit = column$unit)
  }
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]]
    switch(name,
      line = shown_column(name, values, function(at) values[at], heading = "", words = "Line",
                          whole = TRUE),
      part = shown_members(name, values, hidden = TRUE),
      amount = figure(name, values, function(at) {
        ifelse(ends[at], number_text(values[at], column$decimals),
               signed_text(values[at], column$decimals))
      }),
      per_cent = shown_column(name, values, function(at) signed_text(values[at], 1),
                              heading = "per cent", is_figure = TRUE, decimals = 1, unit = "%"),
      standing = shown_column(name, values, function(at) ifelse(is.na(values[at]), "",
                                                                values[at])),
      beyond_alike = figure(name, values, function(at) signed_text(values[at], column$decimals)),
      figure(name, values, function(at) number_text(values[at], column$decimals)))
  })
  if ("standing" %in% names(columns) && !any(x$standing %in% c("new", "lost")))
    columns$standing$hidden <- TRUE
  title <- explanation_title(x)
  sentences <- attr(x, "sentences")
  notes <- explanation_notes(x)
  new_shown_table(x, columns, title = title, name = title, says = sentences,
                  about = c(sentences, notes), notes = notes,
                  kinds = ifelse(ends, "total-end", ifelse(x$part == "rest", "rest", "")))
}

# What was looked at and what else is to be known, in lines.
explanation_notes <- function(x) {
  c(attributes_words(x), attr(x, "notes"))
}

# Each attribute with what it moved and how often chance does as much.
attributes_words <- function(x) {
  table <- attr(x, "attributes")
  if (is.null(table) || nrow(table) == 0 || all(is.na(table$p))) return(NULL)
  decimals <- columns_of(x)[[1]]$decimals
  said <- sprintf("%s moved %s, by chance %s, p %s%s", gsub("_", " ", table$attribute),
                  number_text(table$moved, decimals), number_text(table$by_chance, decimals),
                  number_text(table$p, 3), ifelse(table$stands_out, " (stands out)", ""))
  sprintf("Looked at: %s.", paste(said, collapse = "; "))
}

#' @export
format.explained_change <- function(x, ..., rows = NULL, width = NULL) {
  if (is.null(attr(x, "facts")) || !all(c("line", "part", "amount") %in% names(x)))
    return(format(tibble::as_tibble(x), ...))
  width <- width %||% getOption("width")
  table <- as_shown_table(x)
  looked <- attributes_shown(x)
  c(folded_text(table$title, width),
    unlist(lapply(attr(x, "sentences"), folded_text, width = width)),
    "", row_lines(table, rows, width),
    if (!is.null(looked)) c("", "What was looked at:", row_lines(looked, rows, width)),
    folded_text(attr(x, "notes"), width))
}

# The attributes that were looked at, as a table.
attributes_shown <- function(x) {
  told <- attr(x, "attributes")
  if (is.null(told) || nrow(told) == 0 || all(is.na(told$p))) return(NULL)
  decimals <- columns_of(x)[[1]]$decimals
  words <- stats::setNames(nm = c("attribute", "members", "moved", "by_chance", "p", "stands_out"))
  columns <- lapply(words, function(name) {
    values <- told[[name]]
    heading <- gsub("_", " ", name)
    if (name == "attribute") return(shown_column(name, values, function(at) {
      gsub("_", " ", values[at])
    }))
    if (name == "stands_out") return(shown_column(name, values, heading = heading,
                                                  function(at) ifelse(values[at], "yes", "no")))
    digits <- c(members = 0L, moved = decimals, by_chance = decimals, p = 3L)[[name]]
    shown_column(name, values, function(at) number_text(values[at], digits), heading = heading,
                 is_figure = TRUE, decimals = digits)
  })
  new_shown_table(told, columns, title = "What was looked at")
}

#' @rdname print.statement
#' @export
print.explained_change <- print.statement
