# A period that is not over is never drawn as a fall: it stands apart from the whole ones, beside a
# small mark for what the same days came to before.

# The marks of a figure's points: a data frame like that of figure_points(), with the value of the
# same days a year back or, where the ledger has none, of the period before; `says` tells which
# days. NULL where there is nothing to mark.
comparison_marks <- function(s, shown, points) {
  plan <- statement_info(s)
  at <- unfinished_rows(s)
  own <- which(vapply(columns_of(s)[shown],
                      function(column) column$kind == "measure", TRUE))
  rows <- rows_select(current_rows(s), at)
  first_marks(plan, function(base) {
    parts <- lapply(own, function(k) marks_at(points[(k - 1L) * nrow(s) + at, ],
                                              earlier_values(plan, shown[k], base, rows)))
    do.call(rbind, parts)
  })
}

# The first kind of earlier days of which the ledger knows anything.
first_marks <- function(plan, ask) {
  if (is.null(plan$per)) return(NULL)
  for (base in list(c(year = 1L), stats::setNames(1L, plan$per))) {
    marks <- ask(base)
    marks <- marks[!is.na(marks$value), ]
    if (is.null(marks) || nrow(marks) == 0) next
    when <- if (identical(names(base), "year")) "a year back" else "of the period before"
    attr(marks, "says") <- sprintf("the same days %s, %s", when,
                                   listed(unique(days_of_marks(marks)), most = 2))
    return(marks)
  }
  NULL
}

# Points at the values of earlier days.
marks_at <- function(points, before) {
  points[c("value", "since", "until")] <- list(before$value, rep_len(before$from, nrow(points)),
                                               rep_len(before$to, nrow(points)))
  points
}

days_of_marks <- function(marks) mapply(days_text, marks$since, marks$until)

# Rows of the last period where that is not over; groups with days of their own have none in common.
unfinished_rows <- function(s) {
  plan <- statement_info(s)
  if (is.null(plan$per) || !is.null(plan$anchors)) return(integer())
  which(!s$complete & day_numbers(s$to) == plan$as_of)
}

# list(value, from, to): a measure in the same part of an earlier period, missing before the
# ledger's first day.
earlier_values <- function(plan, name, base, rows) {
  nothing <- list(value = rep(NA_real_, length(rows$to)), from = NA_integer_, to = NA_integer_)
  column <- measure_column(name, plan, "before", base = list(shifts = base), align = "to date")
  tryCatch({
    windows <- windows_before(plan, column, rows)
    list(value = column_values(column, plan, rows), from = windows$from, to = windows$to)
  }, rollingledger_error = function(e) nothing)
}

# Of more than three lines the leading ones have marks, and `of` tells those of all.
leading_marks <- function(marks, points, most = 3L) {
  if (is.null(marks) || length(unique(marks$series)) <= most || nlevels(points$panel) > 1)
    return(marks)
  size <- tapply(points$value, points$series, function(values) sum(abs(values), na.rm = TRUE))
  size <- size[unique(as.character(marks$series))]
  leading <- names(size)[order(-size)][seq_len(most)]
  structure(marks[as.character(marks$series) %in% leading, ], says = attr(marks, "says"),
            of = marks)
}

# What all marks say, where not all are drawn.
like_caption <- function(marks, s) {
  if (!is.null(attr(marks, "of"))) like_words(marks, s)
}

# What the marks say, for those who do not see them.
like_words <- function(marks, s) {
  if (is.null(marks)) return(NULL)
  columns <- columns_of(s)
  says <- attr(marks, "says")
  marks <- attr(marks, "of") %||% marks
  marks <- marks[order(as.integer(marks$panel), as.integer(marks$series)), ]
  told <- names_of_points(marks, marks)
  told <- ifelse(nzchar(told), paste0(told, " "), "")
  values <- mapply(function(value, figure) value_with_unit(value, columns[[figure]]), marks$value,
                   marks$figure)
  paste0(heading_text(says), ": ",
         listed(paste0(told, values), most = most_words), ".")
}

# A diamond at the value of the same days before, joined to the unfinished point by a thin line that
# tells the difference.
like_layers <- function(marks, points, x) {
  if (is.null(marks)) return(NULL)
  ends <- points[!is.na(points$value), ]
  by <- c("panel", "series", "period", "figure")
  told <- number_rows(Map(c, ends[by], marks[by]), nrow(ends) + nrow(marks))$number
  marks$end <- ends$value[match(told[nrow(ends) + seq_len(nrow(marks))], told[seq_len(nrow(ends))])]
  marks$place <- x(marks)
  joined <- ggplot2::aes(x = .data$place, xend = .data$place, y = .data$value, yend = .data$end)
  list(
    ggplot2::geom_segment(joined, marks, linewidth = 0.35, linetype = "11", na.rm = TRUE),
    ggplot2::geom_point(data = marks, ggplot2::aes(x = .data$place, y = .data$value), shape = 18,
                        size = 2.6, na.rm = TRUE)
  )
}

# The same in figures of columns: a thin dark stroke with a diamond across the column.
like_strokes <- function(marks, half) {
  if (is.null(marks)) return(NULL)
  across <- ggplot2::aes(x = .data$place - half, xend = .data$place + half, y = .data$value,
                         yend = .data$value)
  list(
    ggplot2::geom_segment(across, marks, inherit.aes = FALSE, colour = figure_ink, linewidth = 0.45,
                          linetype = "21"),
    ggplot2::geom_point(data = marks, ggplot2::aes(x = .data$place, y = .data$value),
                        inherit.aes = FALSE, colour = figure_ink, shape = 18, size = 2.6)
  )
}

# ---- where it should end -------------------------------------------------------------

# The expected ends of the measures drawn, where the statement has them: points with `expected`,
# `least` and `most`; NULL where there are none.
expected_marks <- function(s, shown, points) {
  at <- which(seq_len(nrow(s)) %in% unfinished_rows(s) | ahead_rows(s))
  columns <- columns_of(s)[intersect(names(columns_of(s)), names(s))]
  parts <- lapply(seq_along(shown), function(k) {
    of <- function(part) {
      names(Filter(function(column) column$kind == "expected" && column$measure == shown[k] &&
                     column$part == part, columns))[1]
    }
    if (!identical(columns[[shown[k]]]$kind, "measure") || is.na(of("end"))) return(NULL)
    marks <- points[(k - 1L) * nrow(s) + at, ]
    value <- function(part) if (is.na(of(part))) NA_real_ else s[[of(part)]][at]
    marks[c("expected", "least", "most")] <- list(value("end"), value("low"), value("high"))
    marks$value[ahead_rows(s)[at]] <- 0  # nothing has come of what is to come
    marks[!is.na(marks$expected) & !is.na(marks$value), ]
  })
  marks <- do.call(rbind, parts)
  if (!is.null(marks) && nrow(marks) > 0) marks
}

# What the key says of them: the figure itself where there is one.
expected_mark <- function(marks, s) {
  if (is.null(marks)) return(NULL)
  if (nrow(marks) > 1) return("Expected at its end, with the range of 8 of 10")
  paste("Expected at its end:", expected_text(marks, s))
}

# "133,157.65 EUR (126,095.46 to 140,219.85)"
expected_text <- function(marks, s) {
  columns <- columns_of(s)
  vapply(seq_len(nrow(marks)), function(i) {
    column <- columns[[marks$figure[i]]]
    text <- function(value) number_text(value, column$decimals)
    paste0(value_with_unit(marks$expected[i], column), if (!is.na(marks$least[i]))
      sprintf(" (%s to %s)", text(marks$least[i]), text(marks$most[i])))
  }, "")
}

expected_words <- function(marks, s) {
  if (is.null(marks)) return(NULL)
  told <- names_of_points(marks, marks)
  told <- ifelse(nzchar(told), paste0(told, " "), "")
  paste0("Expected at the end of it: ", listed(paste0(told, expected_text(marks, s)),
                                               most = most_words), ".")
}

# An outline from what is there to what is expected, and a stroke over its range.
expected_outlines <- function(marks, colours) {
  if (is.null(marks)) return(NULL)
  colour <- colours[as.character(marks$series)]
  ranged <- which(!is.na(marks$least))
  ends <- data.frame(place = rep(marks$place[ranged], 2), half = rep(marks$half[ranged], 2),
                     at = c(marks$least[ranged], marks$most[ranged]))
  list(
    ggplot2::geom_rect(
      data = marks, ggplot2::aes(xmin = .data$place - .data$half, xmax = .data$place + .data$half,
                                 ymin = .data$value, ymax = .data$expected),
      inherit.aes = FALSE, fill = NA, colour = colour, linewidth = 0.6),
    if (length(ranged) > 0) ggplot2::geom_segment(
      data = marks[ranged, ], ggplot2::aes(x = .data$place, xend = .data$place, y = .data$least,
                                           yend = .data$most),
      inherit.aes = FALSE, colour = figure_ink, linewidth = 0.45),
    if (length(ranged) > 0) ggplot2::geom_segment(
      data = ends, ggplot2::aes(x = .data$place - 0.25 * .data$half,
                                xend = .data$place + 0.25 * .data$half, y = .data$at,
                                yend = .data$at),
      inherit.aes = FALSE, colour = figure_ink, linewidth = 0.45))
}

# The same in a trend: a hollow square where it is expected to end.
expected_squares <- function(marks) {
  if (is.null(marks)) return(NULL)
  list(
    ggplot2::geom_segment(data = marks, ggplot2::aes(x = .data$at, xend = .data$at,
                                                     y = .data$least, yend = .data$most),
                          linewidth = 0.5, na.rm = TRUE),
    ggplot2::geom_point(data = marks, ggplot2::aes(x = .data$at, y = .data$expected), shape = 22,
                        fill = "white", size = 2.6, stroke = 0.9))
}
