describe_verb("figure_trend", asked_of = "statement",
  ... = field("columns", "columns of figures to draw, the first without any", option = "draw",
              value = "COLUMN", many = TRUE, more = "Names, bare or as text."),
  panels = field("attribute", "a small panel for each member of this attribute",
                 value = "COLUMN"),
  average = field("flag", "a line at the average of the whole periods shown", default = FALSE),
  target = field("other", "targets: those of the statement, none (FALSE), or one number",
                 option = "target-line", value = "NUMBER", more = paste(
    "By default those of add_target() are drawn, where the figure shows one column that has",
    "them.")),
  title = field("text", "title, in words of the statement without one", value = "TEXT"),
  subtitle = field("text", "line below the title, the days and conditions without one",
                   value = "TEXT")
)

#' Draw a trend
#'
#' A line per member, or per column of figures, over the whole periods of a statement, broken where
#' periods do not follow each other. A period that is not wholly covered is no end of a line, since
#' half a month would look like a fall: it stands apart as a hollow point, beyond the names of the
#' lines. Beside the last period, where it is not over, a small mark shows what the same days came
#' to a year back, or in the period before where the ledger has no year before it; of more than
#' three lines the three with the largest sums have one, and the caption tells all. A key names
#' these marks. The dates in the subtitle are those of the numbers.
#'
#' Figures are laid out for 1280 by 800 pixels, or for `options(rollingledger.canvas=)`, a width and
#' a height: texts are folded, and long names shortened in the middle, to fit. The command, briefs
#' and pages lay them out for the size at which they write them.
#'
#' Columns in the same unit share a panel, such as income beside its rolling total; columns in
#' different units, and several columns of a statement with attributes, have a panel each.
#'
#' @param s A [statement()] with `per`.
#' @eval field_params("figure_trend")
#'
#' @return A ggplot. Its data hold one row per point: `panel` and `series` (factors), `figure`
#'   (text: the column), `of_row` (integer: which row of those drawn it is), `period`
#'   (text), `from` and `to` (Dates), `complete` and `over` (logical:
#'   the window is full and the period whole; the period is whole), `value` (double) and `at` (Date:
#'   where the point stands, which is `from` but for one that stands apart). Up to eight
#'   members have a colour and a label at the end of their line, or a legend where labels would not
#'   fit; of more, the seven with the largest sums do and the others are pale, which the caption
#'   says. A member has the same colour in every figure of its ledger; of more than eight in the
#'   ledger, the eight with the most entries do. `ggplot2::get_alt_text()` gives a text for those
#'   who do not see it.
#' @section Errors:
#' `rollingledger_error_measure` for a column that the statement does not have;
#' `rollingledger_error_choice` for a statement without periods or rows, or wrong `panels` or
#' `target`.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", by = "route", span = "2025-01/..", income = total(fare)) |>
#'   figure_trend()
#' statement(fares, per = "month", span = "2025-01/..", income = total(fare)) |>
#'   add_rolling(income, over = "3 months", stat = "average") |>
#'   figure_trend(income, income_rolling_3_months_average, average = TRUE)
#' @include question-fields.R
figure_trend <- with_fields("figure_trend", function(s, ..., panels, average, target, title,
                                                     subtitle) {
  made <- asked_show("figure_trend")
  s <- drawn_statement(s, "A trend", periods = TRUE, ahead = TRUE)
  shown <- drawn_columns(s, rlang::enquos(...))
  one_flag(average, "average")
  panels <- check_panels(s, panels)
  points <- figure_points(s, shown, panels)
  series <- trend_series(points, s, panels)
  from_zero <- from_zero_up(s, shown) && all(points$value >= 0, na.rm = TRUE)
  line <- target_points(s, points, shown, target)
  points <- points_apart(points, series)
  marks <- leading_marks(comparison_marks(s, shown, points), points)
  expected <- expected_marks(s, shown, points)
  places <- stats::setNames(points$from, points$period)
  half <- if (nrow(points) > 1) as.numeric(stats::median(points$to - points$from)) * 0.4 else 3
  lines <- reference_lines(points, s, shown, average, line)
  caption <- paste(c(like_caption(marks, s), series$note,
                     kept_caption(s), column_caption(s,
                                                     c(shown, target_shown(s, shown, target,
                                                         line)))), collapse = "\n")
  title <- title %||% figure_title(s, shown, points)
  subtitle <- subtitle %||% figure_subtitle(s)
  legend <- series_legend(series$named)
  p <- ggplot2::ggplot(
    points, ggplot2::aes(.data$at, .data$value, group = .data$series, colour = .data$series)) +
    reference_layers(lines) +
    trend_layers(points, series, from_zero) +
    like_layers(marks, points, function(marks) marks$at) +
    expected_squares(expected) +
    mark_key(min(points$from), list(point = partial_mark(s), like = like_mark(marks),
                                    expected = expected_mark(expected, s))) +
    zero_in_panels(points, s) +
    target_layers(line, places, half) +
    panel_layer(points, panels_are_columns(points), lines) +
    ggplot2::scale_colour_manual(values = series$colours, breaks = if (series$legend) series$named,
                                 labels = if (series$legend) legend$labels
                                          else ggplot2::waiver(),
                                 guide = if (series$legend)
                                   ggplot2::guide_legend(
                                     ncol = legend$ncol, order = 1,
                                     override.aes = list(linetype = "solid")) else "none") +
    value_axis(c(points$value, marks$value, expected$most), if (from_zero) 0 else 0.06,
               panels = nlevels(points$panel), sec.axis = reference_axis(lines, points,
                   points$value)) +
    ggplot2::scale_x_date(labels = labels_apart(points),
                          breaks = days_up_to(points, panels_are_columns(points)),
                          expand = ggplot2::expansion(mult = c(0.02, series$room))) +
    ggplot2::coord_cartesian(clip = if (series$legend || nlevels(points$panel) > 1) "on" else "off")
  finished_figure(p, s, title, subtitle, caption,
                  c("Line chart",
                    paste(c(latest_words(points[points$series %in% series$named, ], s, shown),
                            like_words(marks, s), expected_words(expected, s)),
                          collapse = " ")), shared_unit(s, shown), made)
})

# Of panels that show different columns, those whose size is read from zero begin there.
zero_in_panels <- function(points, s) {
  if (!panels_are_columns(points)) return(NULL)
  some <- points[!duplicated(points$panel), ]
  some <- some[vapply(some$figure, from_zero_up, TRUE, s = s), ]
  some$value <- rep(0, nrow(some))
  list(ggplot2::geom_blank(data = some))
}

# Where points stand: on their first day; those of a period that is not over beyond the names of
# the lines, which stand between them and their ends.
points_apart <- function(points, series) {
  points$at <- points$from
  over <- points$over | points$from < max(points$from)
  if (!series$labels || all(over) || length(unique(points$from[over])) < 2) return(points)
  last <- max(points$from[over])
  reach <- as.numeric(last - min(points$from))
  names <- series$pixels + 40
  days <- names * reach / max(panels_room() - names - 24, 80)
  points$at[!over] <- last + ceiling(max(days, as.numeric(max(points$from) - last)))
  points
}

# Breaks of an axis of days, none in the room that is kept for names; what stands apart has its own.
days_up_to <- function(points, stacked) {
  room <- panels_room() / if (stacked) 1 else panels_across(nlevels(points$panel))
  most <- max(2, min(8, floor(room / (7 * figure_base()))))
  apart <- unique(points$at[points$at != points$from])
  last <- max(points$from[points$at == points$from])
  function(limits) {
    if (length(apart) > 0) limits[2] <- last
    breaks <- scales::breaks_pretty(most)(limits)
    c(breaks[breaks <= last], apart)
  }
}

labels_apart <- function(points) {
  apart <- which(points$at != points$from)[1]
  function(breaks) {
    own <- !is.na(apart) & breaks %in% points$at[apart]
    out <- rep("", length(breaks))
    out[!own] <- axis_days(breaks[!own])
    if (any(own)) out[own] <- fold_texts(days_text(points$from[apart], points$to[apart]),
                                         5 * figure_base(), 0.8 * figure_base())
    out
  }
}

# How the series of a trend look: figure_series() with the place of their names, at the ends of
# lines or in a legend.
trend_series <- function(points, s, panels) {
  series <- figure_series(points, s, panels)
  several <- series_per_panel(points) > 1
  size <- points_of_mm(text_mm(3.9))
  room <- 0.2 * figure_canvas()$width
  # Names of two lines fit where there are few.
  fits <- several && (lines_pixels(series$named, size, TRUE) <= room ||
                        lines_pixels(series$named, size, TRUE) <= 1.7 * room &&
                        length(series$named) <= 5)
  series$legend <- several && (nlevels(points$panel) > 1 || !fits)
  series$labels <- several && !series$legend
  series$names <- if (series$labels) fit_texts(series$named, room, size, TRUE)
  series$pixels <- lines_pixels(series$names, size, TRUE)
  # What stands apart stands beyond the names.
  ends <- all(points$over[points$from == max(points$from)])
  series$room <- if (series$labels && ends)
    (series$pixels + 16) / max(panels_room() - series$pixels - 16, 80) else 0.02
  series
}

trend_layers <- function(points, series, from_zero) {
  pale <- points[!points$series %in% series$named, ]
  strong <- points[points$series %in% series$named, ]
  few <- length(unique(points$period)) <= 24
  c(
    if (from_zero) list(ggplot2::expand_limits(y = 0)),
    if (any(points$value < 0, na.rm = TRUE))
      list(ggplot2::geom_hline(yintercept = 0, colour = figure_quiet, linewidth = 0.4)),
    if (nrow(pale) > 0) trend_lines(pale, 0.5),
    trend_lines(strong, 0.95),
    if (few) list(ggplot2::geom_point(data = strong[strong$complete, ], size = 1.7, na.rm = TRUE)),
    list(ggplot2::geom_point(data = strong[!strong$complete, ], shape = 21, fill = "white",
                             size = 2.4, stroke = 1,
                             na.rm = TRUE)),
    if (series$labels) trend_labels(strong, series, from_zero)
  )
}

# Solid between whole periods; dashed where a window is short. A period that is not over is no end
# of a line.
trend_lines <- function(points, linewidth) {
  pairs <- neighbours(points)
  steps <- cbind(pairs$a[c("panel", "series", "at", "value")], to = pairs$b$at,
                 next_value = pairs$b$value, complete = pairs$a$complete & pairs$b$complete)
  if (nrow(steps) == 0) return(NULL)
  segments <- function(rows, linetype) {
    ggplot2::geom_segment(
      data = rows, ggplot2::aes(xend = .data$to, yend = .data$next_value), linewidth = linewidth,
      linetype = linetype, lineend = "round", na.rm = TRUE
    )
  }
  list(segments(steps[steps$complete, ], "solid"), segments(steps[!steps$complete, ], "22"))
}

# The name of each series at the height of its line's end, moved apart where they would overlap, and
# beyond what stands apart.
trend_labels <- function(points, series, from_zero) {
  points <- points[!is.na(points$value), ]
  ends <- points[order(points$over, points$from), ]
  last <- ends[!duplicated(ends$series, fromLast = TRUE), ]
  last <- last[order(last$series), ]
  # Lines that end early have their names where the others do.
  shown <- points[points$at == points$from, ]
  last$at <- max(if (nrow(shown) > 0) shown$at else points$at)
  last$label <- series$names[match(as.character(last$series), series$named)]
  span <- diff(range(c(if (from_zero) 0, points$value)))
  least <- (if (any(grepl("\n", last$label))) 0.1 else 0.055) * 620 /
    max(120, figure_canvas()$height - 180)
  last$height <- spread_out(last$value, least * span)
  last$label <- gsub("(^|\n)", "\\1  ", last$label)
  # Text needs more contrast than a line.
  list(ggplot2::geom_text(data = last, ggplot2::aes(y = .data$height, label = .data$label),
                          hjust = 0, size = text_mm(3.9), lineheight = 0.9, fontface = "bold",
                          colour = text_colour(series$colours[as.character(last$series)])))
}

# Values moved as little as it takes to stand `gap` apart: neighbours that are too close are joined
# into a run around their mean.
spread_out <- function(values, gap) {
  at <- order(values)
  runs <- list()
  for (i in at) {
    runs[[length(runs) + 1]] <- list(members = i, centre = values[i])
    while (length(runs) > 1) {
      a <- runs[[length(runs) - 1]]
      b <- runs[[length(runs)]]
      reach <- gap * (length(a$members) + length(b$members)) / 2
      if (b$centre - a$centre >= reach) break
      members <- c(a$members, b$members)
      # The mean of where each would put the run, its own place in it taken into account.
      own <- values[members] - gap * (seq_along(members) - (length(members) + 1) / 2)
      runs <- c(runs[seq_len(length(runs) - 2)],
                list(list(members = members, centre = mean(own))))
    }
  }
  out <- values
  for (run in runs) {
    n <- length(run$members)
    out[run$members] <- run$centre + gap * (seq_len(n) - (n + 1) / 2)
  }
  out
}

counting_measures <- c("distinct", "active", "newcomers", "returning", "lapsed")

# Whether figures are amounts or counts, whose size is read from zero.
from_zero_up <- function(s, shown) {
  all(vapply(shown, function(name) {
    column <- columns_of(s)[[name]]
    tree <- statement_info(s)$measures[[column$measure]]
    counted <- tree$node == "measure" && tree$fun %in% counting_measures
    adds_up(s, name) || kind_of(column)$counts && (counted || is_additive(tree))
  }, TRUE))
}
