# Tiles: a figure to date, large, with what it is compared with.

describe_verb("report_tiles", asked_of = "statement",
  ... = field("columns", "figures to show as tiles, the measures without any", option = FALSE,
              many = TRUE, more = "Names, bare or as text.")
)

#' @rdname report_heading
#' @export
report_tiles <- with_fields("report_tiles", function(s, ...) {
  check_statement(s)
  made <- asked_show("report_tiles")
  quos <- rlang::enquos(...)
  plan <- statement_info(s)
  shown <- if (length(quos) > 0) chosen_columns(s, column_names(quos))
           else intersect(names(plan$measures), names(s))
  rows <- which(drawn_rows(s))
  s <- s[rows, ]
  if (!is.null(plan$per) && nrow(s) > 0) {
    latest <- latest_rows(s)
    rows <- rows[latest]
    s <- s[latest, ]
  }
  if (nrow(s) == 0 || length(shown) == 0)
    refuse("choice", "There is nothing to show as a tile: the statement has no rows or no figures.",
           arg = "s")
  if (nrow(s) * length(shown) > 24) {
    refuse("choice",
           c(sprintf("%s tiles are too many to be taken in at a glance (at most 24).",
                     number_text(nrow(s) * length(shown))),
             i = "Name the figures to show, or take fewer groups."), arg = "s")
  }
  tiles <- do.call(rbind,
                   lapply(seq_len(nrow(s)),
                          function(i) do.call(rbind, lapply(shown, tile_of, s = s, i = i))))
  tiles <- structure(tiles, class = c("report_tiles", "data.frame"), made_from = made_from(s),
                     cells = list(row = rep(rows, each = length(shown)),
                                  figure = rep(shown, length(rows))))
  with_show(tiles, made$question, made$show, made$asked)
})

# The number of the latest row of each group, which may end before those of others.
latest_rows <- function(s) {
  at <- order(day_numbers(s$to))
  group <- number_rows(unname(unclass(s)[statement_info(s)$by]), nrow(s))$number
  sort(at[!duplicated(group[at], fromLast = TRUE)])
}

tile_of <- function(name, s, i) {
  plan <- statement_info(s)
  columns <- columns_of(s)
  column <- columns[[name]]
  member <- vapply(unclass(s)[plan$by], function(values) member_text(values[i]), "")
  span <- if (is.null(plan$per) && length(plan$spans$from) > 1) s$period[i]
  data.frame(label = paste(c(column_title(s, name), unname(member), span), collapse = ", "),
             value = number_text(s[[name]][i], column$decimals), unit = column$unit %||% "",
             days = days_text(day_numbers(s$from[i]), day_numbers(s$to[i])),
             change = tile_change(s, name, i), target = tile_target(s, name, i),
             expected = tile_expected(s, name, i))
}

# "expected 133,157.65 (126,095.46 to 140,219.85)", for a measure whose end is expected.
tile_expected <- function(s, name, i) {
  marks <- expected_marks(s, name, data.frame(figure = rep(name, nrow(s)), value = s[[name]],
                                              of_row = seq_len(nrow(s))))
  marks <- marks[marks$of_row == i, ]
  if (is.null(marks) || nrow(marks) == 0) "" else paste("expected", expected_text(marks, s))
}

# "+4,810.00 (+7.0 %) against 68,584.50, 1 to 17 Sep 2025", for a measure that has a change.
tile_change <- function(s, name, i) {
  columns <- columns_of(s)[intersect(names(columns_of(s)), names(s))]
  of <- function(kind, part = NULL) names(
    Filter(function(column) column$kind == kind && identical(column$measure, name) &&
           identical(column$part, part), columns))[1]
  before <- of("before")
  change <- of("change", "difference")
  pct <- of("change", "pct")
  if (is.na(before) || is.na(change) || is.na(pct) || columns[[name]]$kind != "measure") return("")
  plan <- statement_info(s)
  days <- windows_before(plan, columns[[before]], rows_select(current_rows(s), i))
  when <- days_text(days$from, days$to)
  if (is.na(s[[before]][i])) return(sprintf("nothing to compare with, %s", when))
  decimals <- columns[[change]]$decimals
  paste0(shown_change(s[[change]][i], decimals)$text,
         if (!is.na(s[[pct]][i])) sprintf(" (%s %%)", signed_text(s[[pct]][i], 1)),
         sprintf(" against %s, %s", number_text(s[[before]][i], decimals), when))
}

tile_target <- function(s, name, i) {
  own <- target_column(s, name)
  if (is.null(own) || is.na(s[[own]][i])) return("")
  target <- s[[own]][i]
  column <- columns_of(s)[[own]]
  pct <- per_cent_of_target(s[[name]][i], target)
  said <- if (is.na(pct)) paste(signed_text(s[[name]][i] - target, column$decimals), "against")
          else sprintf("%s %% of", number_text(pct, 1))
  sprintf("%s the target, %s", said, value_with_unit(target, column))
}

#' @export
print.report_tiles <- function(x, ...) {
  for (i in seq_len(nrow(x))) {
    writeLines(c(
      sprintf("%s: %s%s, %s", x$label[i], x$value[i],
              if (nzchar(x$unit[i])) paste0(" ", x$unit[i]) else "", x$days[i]),
      sprintf("  %s", Filter(nzchar, c(x$change[i], x$target[i], x$expected[i])))))
  }
  invisible(x)
}

page_tiles <- function(tiles) {
  tags <- htmltools::tags
  tags$div(class = "tiles", lapply(seq_len(nrow(tiles)), function(i) {
    tile <- unclass(tiles)
    class <- if (startsWith(tile$change[i], "\u25bc")) "down"
             else if (startsWith(tile$change[i], "\u25b2")) "up"
    tags$div(
      class = "tile", tags$p(class = "label", tile$label[i]),
      tags$p(class = "value", tile$value[i],
             if (nzchar(tile$unit[i])) tags$span(class = "unit", tile$unit[i])),
      tags$p(class = "days", tile$days[i]),
      if (nzchar(tile$change[i])) tags$p(class = class, tile$change[i]),
      if (nzchar(tile$target[i])) tags$p(tile$target[i]),
      if (nzchar(tile$expected[i])) tags$p(heading_first(tile$expected[i]))
    )
  }))
}
