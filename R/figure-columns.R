describe_verb("figure_columns", asked_of = "statement",
  arrange = field("choice", "members side by side or on each other", default = "beside",
                  choices = c("beside", "stacked"), value = "WORD"),
  shared = list(figure_trend = c("...", "panels", "average", "target", "title", "subtitle"))
)

#' Draw columns
#'
#' A column per period, or per period and member, side by side or stacked. Without periods the
#' members lie below each other, the largest first, so that long names can be read; several spans
#' stand side by side. A period that is not wholly covered is pale with a dashed edge, and where it
#' is not over a small mark shows what the same days came to a year back (or in the period before).
#'
#' @param s A [statement()].
#' @eval field_params("figure_columns")
#'
#' @return A ggplot. Its data hold one row per column drawn: `panel` and `series` (factors),
#'   `figure`, `period`, `from`, `to`, `complete`, `value` as in [figure_trend()], `place` (double:
#'   where it stands), and `low` and `high` (double: the values at which it begins and ends). Where
#'   at most 24 columns are drawn, they carry their values.
#' @section Errors:
#' `rollingledger_error_choice` for figures that cannot be stacked, too many members side by side,
#' no rows, or wrong `panels` or `target`; `rollingledger_error_measure` for a column that the
#' statement does not have.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", by = "channel", span = "2026", income = total(fare)) |>
#'   figure_columns(arrange = "stacked")
#' statement(fares, by = "route", span = "2026", income = total(fare)) |>
#'   figure_columns(average = TRUE)
#' @include figure-trend.R
figure_columns <- with_fields("figure_columns", function(s, ..., arrange, panels, average, target,
                                                         title, subtitle) {
  made <- asked_show("figure_columns")
  arrange <- one_of(arrange, c("beside", "stacked"), "arrange")
  one_flag(average, "average")
  s <- drawn_statement(s, "A figure of columns", ahead = arrange == "beside")
  shown <- drawn_columns(s, rlang::enquos(...))
  panels <- check_panels(s, panels)
  if (arrange == "stacked") check_stacked(s, shown)
  points <- figure_points(s, shown, panels)
  lying <- is.null(statement_info(s)$per)
  if (lying) points <- members_as_places(points, s, panels)
  series <- figure_series(points, s, if (lying) NULL else panels)
  # Members that are named beside their bars need no colour of their own.
  if (lying && nlevels(points$series) > 8) series$colours[] <- figure_plain
  if (lying) points$complete <- TRUE  # spans are told with their days
  places <- if (lying) bar_places(points, members_in_order(s))
            else period_places(points)
  points <- placed_columns(points, places, series, arrange, lying)
  marks <- if (!lying) placed_marks(comparison_marks(s, shown, points), arrange)
  expected <- if (!lying && arrange == "beside") expected_marks(s, shown, points)
  line <- target_points(s, points, shown, if (lying && is.null(target)) FALSE else target,
                        summed = arrange == "stacked")
  lines <- reference_lines(average_columns(points, arrange), s, shown, average, line)
  title <- title %||% figure_title(s, shown, points)
  subtitle <- subtitle %||% figure_subtitle(s)
  caption <- paste(c(span_caption(s), if (!lying) series$note, kept_caption(s),
                     column_caption(s,
                                    c(shown, target_shown(s, shown, target,
                                                          line)))), collapse = "\n")
  several <- attr(points, "beside") > 1
  named <- rev_if(series$named, arrange == "stacked")
  legend <- series_legend(named)
  p <- ggplot2::ggplot(points, ggplot2::aes(fill = .data$series)) +
    zero_line(c(points$low, points$high), lying) +
    (if (lying) reference_layers(lines, lying)) +  # values stand on top of it
    column_layers(points, series, columns_of(s), lying, arrange, at_base = !lying &&
                  !is.null(line), opposite = lines_room(lines, points)) +
    expected_outlines(expected, series$colours) +
    like_strokes(marks, attr(marks, "half")) +
    (if (!lying) reference_layers(lines)) + (if (!lying) target_layers(line, places, 0.42)) +
    panel_layer(points, panels_are_columns(points), lines) +
    mark_key(1, list(box = if (!lying) partial_mark(s), like = like_mark(marks),
                     expected = expected_mark(expected, s))) +
    ggplot2::scale_fill_manual(values = series$colours,
                               breaks = named, labels = legend$labels, guide = if (several)
                                 ggplot2::guide_legend(
                                   ncol = legend$ncol, order = 1,
                                   override.aes = list(alpha = 1, linetype = 0)) else "none") +
    column_axes(points, places, s, lying, lines, c(marks$value, expected$expected, expected$most))
  finished_figure(p, s, title, subtitle, caption, c("Columns",
                                                    paste(c(latest_words(points, s, shown),
                                                            like_words(marks, s),
                                                            expected_words(expected, s)),
                                                          collapse = " ")),
                  if (!lying) shared_unit(s, shown), made) +
    (if (lying) ggplot2::labs(x = shared_unit(s, shown))) + (if (lying) lying_theme())
})

check_stacked <- function(s, shown, call = caller_env()) {
  for (name in shown) {
    if (!adds_up(s, name)) {
      refuse("choice",
             c(sprintf("`%s` cannot be stacked: its parts do not add up to a whole.", name),
               i = "Draw them side by side: arrange = \"beside\"."),
             arg = "arrange", call = call)
    }
  }
}

# Rows without periods: the members are the places, and spans, where there are several, the series.
members_as_places <- function(points, s, panels) {
  plan <- statement_info(s)
  spans <- length(unique(s$period)) > 1
  others <- setdiff(plan$by, panels)
  points$place_label <- if (length(others) > 0) as.character(points$series)
                        else if (spans && is.null(panels)) points$period
                        else if (!is.null(panels)) "" else as.character(points$series)
  if (spans && length(others) > 0) points$series <- factor(points$period, levels = unique(s$period))
  else if (length(others) == 0 && spans && !is.null(panels))
    points$series <- factor(points$period, levels = unique(s$period))
  else if (length(others) == 0 && spans)
    points$series <- factor(rep(column_title(s, points$figure[1]), nrow(points)))
  if (spans && series_per_panel(points) > 8 && length(others) > 0)
    refuse("choice", "More than eight spans cannot be told apart side by side.", arg = "s",
           call = caller_env(2))
  points
}

# The largest at the top; what a ranking left over at the bottom. Members that have an order, such
# as weekdays, keep it.
bar_places <- function(points, in_order = FALSE) {
  if (nlevels(points$panel) > 1 && all(points$place_label == "")) return(stats::setNames(1, ""))
  labels <- unique(points$place_label)
  if (!in_order && !identical(labels, unique(points$period))) {
    first <- points[as.integer(points$series) == min(as.integer(points$series)) |
                    nlevels(points$series) == length(labels), ]
    size <- tapply(first$value, factor(first$place_label, levels = labels), sum, na.rm = TRUE)
    labels <- labels[order(-size, na.last = TRUE)]
  }
  stats::setNames(rev(seq_along(labels)), labels)
}

# Where each column stands, and from where to where it reaches.
placed_columns <- function(points, places, series, arrange, lying) {
  label <- if (is.null(points$place_label)) points$period else points$place_label
  points$place <- unname(places[label])
  beside <- max(tabulate(pile_numbers(points, points$place)))
  attr(points, "beside") <- beside
  points$low <- 0
  points$high <- points$value
  points$half <- 0.4
  if (beside < 2) return(points)
  if (arrange == "stacked") {
    at <- order(points$panel, points$place,
                match(points$series, c(series$named, setdiff(levels(points$series), series$named))))
    for (sign in c(1, -1)) {
      some <- at[!is.na(points$value[at]) &
                 (if (sign > 0) points$value[at] >= 0 else points$value[at] < 0)]
      if (length(some) == 0) next
      points$high[some] <- stats::ave(points$value[some], pile_numbers(points, points$place)[some],
                                      FUN = cumsum)
      points$low[some] <- points$high[some] - points$value[some]
    }
    return(points)
  }
  if (beside > 8) {
    refuse("choice",
           c(sprintf("%s members side by side cannot be told apart.", number_text(beside)),
             i = paste0("Keep the largest with add_rank(keep = , rest = ), stack them, or give ",
                        "each a panel.")), arg = "s", call = caller_env(2))
  }
  points$half <- 0.42 / beside
  points$place <- points$place + (as.integer(points$series) - (nlevels(points$series) + 1) / 2) *
    (if (lying) -0.84 else 0.84) / nlevels(points$series)
  points
}

# Marks of the same days before, where their columns stand; those of a pile are one, since its parts
# add up.
placed_marks <- function(marks, arrange) {
  if (is.null(marks)) return(NULL)
  half <- marks$half[1] * 0.8
  says <- attr(marks, "says")
  if (arrange == "stacked") {
    sums <- stats::aggregate(value ~ panel + period + place, marks, sum)
    marks <- cbind(sums, figure = marks$figure[1], series = factor("all"))
  }
  structure(marks, says = says, half = half)
}

# Whole periods are filled, others pale with a dashed edge.
column_layers <- function(points, series, columns, lying, arrange, at_base, opposite) {
  drawn <- points[!is.na(points$value), ]
  box <- function(rows, ...) {
    if (nrow(rows) == 0) return(NULL)
    box_aes <- if (lying)
      ggplot2::aes(xmin = .data$low, xmax = .data$high, ymin = .data$place - .data$half,
                   ymax = .data$place + .data$half)
               else ggplot2::aes(ymin = .data$low, ymax = .data$high,
                                 xmin = .data$place - .data$half, xmax = .data$place + .data$half)
    ggplot2::geom_rect(data = rows, box_aes, ...)
  }
  part <- drawn[!drawn$complete, ]
  edge <- if (arrange == "stacked") "white" else NA
  list(box(drawn[drawn$complete, ], colour = edge, linewidth = 0.3),
       box(part, alpha = 0.35, colour = series$colours[as.character(part$series)], linewidth = 0.5,
           linetype = "22"),
       if (arrange == "stacked" && !lying)
         part_names(drawn, series$colours, length(unique(drawn$place)) * nlevels(drawn$panel)),
       column_values_shown(drawn, columns, lying, arrange, if (at_base) series$colours,
                           panels_room() - opposite))
}

# The values, where they fit between their neighbours.
column_values_shown <- function(drawn, columns, lying, arrange, within, room) {
  if (nrow(drawn) == 0 || nrow(drawn) > 24 || arrange == "stacked" || nlevels(drawn$panel) > 4)
    return(NULL)
  drawn$text <- mapply(function(value, figure) number_text(value, columns[[figure]]$decimals),
                       drawn$value, drawn$figure)
  across <- length(unique(drawn$place)) *
    (if (nlevels(drawn$panel) > 1) nlevels(drawn$panel) else 1)
  size <- text_mm(3.6)
  fits <- function() {
    lying || lines_pixels(drawn$text, points_of_mm(size)) + 6 <= room / across
  }
  across <- across * if (arrange == "beside") max(1, attr(drawn, "beside") %||% 1) else 1
  if (!fits()) drawn$text <- short_numbers(drawn$value)
  if (!fits()) return(NULL)
  down <- drawn$value < 0
  if (!is.null(within)) {  # the ends are kept free for targets
    ink <- ifelse(drawn$complete, ink_on(within[as.character(drawn$series)]), figure_ink)
    return(
      list(ggplot2::geom_text(data = drawn,
                              ggplot2::aes(x = .data$place, y = 0, label = .data$text),
                              vjust = ifelse(down, 1.6, -0.8), size = size, colour = ink)))
  }
  list(if (lying)
    ggplot2::geom_text(data = drawn,
                       ggplot2::aes(x = .data$high, y = .data$place, label = .data$text),
                       hjust = ifelse(down, 1.1, -0.1), size = size, colour = figure_ink)
       else ggplot2::geom_text(data = drawn,
                               ggplot2::aes(x = .data$place, y = .data$high, label = .data$text),
                               vjust = ifelse(down, 1.4, -0.5), size = size, colour = figure_ink))
}

# Labels as short as can be read: all in one unit, as long as the smallest still shows in it. What
# is not zero never reads as zero.
short_numbers <- function(values) {
  there <- abs(values[is.finite(values) & values != 0])
  if (length(there) == 0) return(number_text(values))
  for (unit in list(list(by = 1e6, from = 1e7, mark = " M"),
                    list(by = 1e3, from = 1e4, mark = " k"))) {
    if (max(there) < unit$from || any(round(there / unit$by, 1) == 0)) next
    return(ifelse(values %in% 0, "0", paste0(number_text(values / unit$by, 1), unit$mark)))
  }
  number_text(values, decimals_that_show(there, 0L))
}

# As many decimals as the smallest of some values needs.
decimals_that_show <- function(sizes, decimals) {
  while (decimals < 12L && any(round(sizes, decimals) == 0)) decimals <- decimals + 1L
  decimals
}

average_columns <- function(points, arrange) {
  if (arrange == "beside") return(points)
  points$value[is.na(points$value)] <- 0
  sums <- stats::aggregate(value ~ panel + figure + period + complete, points, sum)
  sums$series <- factor("all")
  sums
}

rev_if <- function(values, turn) if (turn) rev(values) else values

column_axes <- function(points, places, s, lying, lines, marked = NULL) {
  values <- c(0, points$low, points$high, marked, unlist(lapply(lines, `[[`, "value")))
  reach <- range(values, na.rm = TRUE)
  low <- if (reach[1] < 0) 0.1 else 0
  opposite <- reference_axis(lines, points, reach, lying)
  if (!lying) {
    return(list(value_axis(c(points$value, marked), low, 0.1, panels = nlevels(points$panel),
                           sec.axis = opposite),
                period_axis(places, if (panels_are_columns(points)) 1 else nlevels(points$panel),
                            statement_info(s)$per)))
  }
  room <- words_room() - lines_pixels(member_names(places), 0.84 * figure_base()) - 10
  told <- value_labels_room(points, room)
  list(ggplot2::scale_x_continuous(labels = axis_values, breaks = if (all(reach == 0))
    0 else value_breaks_in(room, reach),
                                   expand = ggplot2::expansion(mult = c(low, told)),
                                   limits = if (all(reach == 0)) c(0, 1), sec.axis = opposite),
       member_axis(places))
}

# The part of an axis that is left for values beyond the ends of bars.
value_labels_room <- function(points, room) {
  drawn <- points[!is.na(points$value), ]
  wide <- lines_pixels(number_text(drawn$value, 2), points_of_mm(text_mm(3.6))) + 8
  max(0.05, min(1, wide / max(room - wide, 1)))
}

# As many breaks of values as find their place beside each other.
value_breaks_in <- function(room, reach) {
  each <- lines_pixels(axis_values(reach), 0.8 * figure_base()) + 18
  scales::breaks_extended(max(3, min(5, floor(room / each) - 1)))
}

# Names down the side: folded where there is room for two lines.
member_axis <- function(places) {
  ggplot2::scale_y_continuous(breaks = unname(places), labels = member_names(places),
                              expand = ggplot2::expansion(add = 0.6))
}

member_names <- function(places) {
  fit_texts(names(places), 0.32 * figure_canvas()$width, 0.84 * figure_base(),
            lines = if (length(places) <= 12) 2 else 1)
}

# Members down the side: lines of the grid stand, and names are as dark as text.
lying_theme <- function() {
  ggplot2::theme(panel.grid.major.x = ggplot2::element_line(colour = figure_rule, linewidth = 0.4),
                 panel.grid.major.y = ggplot2::element_blank(),
                 axis.line.x = ggplot2::element_blank(),
                 axis.text.y = ggplot2::element_text(
                   colour = figure_ink, size = ggplot2::rel(1.05)))
}
