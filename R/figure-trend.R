#' Draw a trend
#'
#' A line per member over the periods of a statement, broken where periods do not follow each other. A period that is not wholly covered is drawn
#' as such: a dashed line to a hollow point, named below. The dates in the subtitle are those of the numbers.
#'
#' @param s A [statement()] with `per`.
#' @param ... Columns of figures to draw, bare or as text: measures or added figures. The first
#'   measure by default. Several can be drawn together where the statement has no attributes.
#' @param title Text of length one, instead of the one made from the statement.
#'
#' @return A ggplot. Its data hold one row per point: `series` (factor), `from` and `to` (Dates), `value` (double),
#'   `complete` (logical) and `period` (text). Up to eight members have a colour and a label at the
#'   end of their line; of more, the seven with the largest sums do and the others are pale, which the
#'   caption says.
#' @section Errors:
#' `rollingledger_error_measure` for a column that the statement does not have;
#' `rollingledger_error_choice` for a statement without periods, or several columns with attributes.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", by = "route", span = "2025-01/..", income = total(fare)) |>
#'   figure_trend()
figure_trend <- function(s, ..., title = NULL) {
  check_statement(s)
  shown <- drawn_figures(s, rlang::enquos(...))
  plan <- attr(s, "plan")
  if (is.null(plan$per)) {
    refuse("choice", c("A trend needs periods, and this statement has one row per group and span.",
                       i = "Make the statement with `per =`, such as `per = \"month\"`."), arg = "s")
  }
  if (nrow(s) == 0) refuse("choice", "There is nothing to draw: the statement has no rows.", arg = "s")
  s <- s[drawn_rows(s), ]  # totals are no member, and the whole is no period
  points <- trend_points(s, shown)
  series <- trend_series(points, s, shown)
  from_zero <- trend_additive(plan, s, shown) && all(points$value >= 0, na.rm = TRUE)
  series$floor <- if (from_zero) 0 else 0.05
  caption <- paste(c(partial_caption(s), series$note), collapse = "\n")
  ggplot2::ggplot(points, ggplot2::aes(.data$from, .data$value, group = .data$series, colour = .data$series)) +
    trend_layers(points, series, from_zero) +
    ggplot2::scale_colour_manual(values = series$colours, guide = "none") +
    ggplot2::scale_y_continuous(labels = axis_numbers, expand = ggplot2::expansion(mult = c(series$floor, 0.05))) +
    ggplot2::scale_x_date(labels = axis_days, breaks = days_up_to(max(points$from)), expand = ggplot2::expansion(mult = c(0.02, series$room))) +
    ggplot2::coord_cartesian(clip = "off") +
    ggplot2::labs(title = title %||% trend_title(s, shown), subtitle = figure_subtitle(s), x = NULL,
                  y = trend_unit(s, shown), caption = if (nzchar(caption)) caption) +
    theme_ledger()
}

# Breaks of an axis of days, none in the room that is kept for labels.
days_up_to <- function(last) {
  function(limits) {
    breaks <- scales::breaks_pretty(8)(limits)
    breaks[breaks <= last]
  }
}

# Columns of figures named by the user, the first one where none is.
drawn_figures <- function(s, quos, call = caller_env()) {
  names <- figures_named(s, quos, call)
  if (length(names) == 0) refuse("choice", "The statement has no figures to draw.", arg = "s", call = call)
  if (length(quos) == 0) return(names[1])
  if (length(names) > 1 && length(attr(s, "plan")$by) > 0) {
    refuse("choice", "Draw one column of figures at a time where the statement has attributes.", arg = "...", call = call)
  }
  names
}

trend_points <- function(s, shown) {
  by <- attr(s, "plan")$by
  label <- if (length(by) == 0) rep(heading_text(shown), each = nrow(s))
           else do.call(paste, c(lapply(unclass(s)[by], member_text), sep = ", "))
  data.frame(
    series = factor(label, levels = unique(label)), from = rep(s$from, length(shown)), to = rep(s$to, length(shown)),
    period = rep(s$period, length(shown)), complete = rep(s$complete, length(shown)),
    value = unlist(unclass(s)[shown], use.names = FALSE)
  )
}

# Which series have a colour and a label of their own. With one attribute of up to eight members the
# colour belongs to the member, so it is the same in every figure of the ledger.
trend_series <- function(points, s, shown) {
  plan <- attr(s, "plan")
  named <- levels(points$series)
  most <- 8L
  note <- NULL
  place <- seq_along(named)
  if (length(named) > most) {
    size <- tapply(abs(points$value), points$series, sum, na.rm = TRUE)
    named <- named[sort(order(-size)[seq_len(most - 1L)])]
    note <- sprintf("The %d largest of %s are named; the others are pale.", length(named),
                    number_text(nlevels(points$series)))
    place <- seq_along(named)
  } else if (length(plan$by) == 1) {
    members <- ledger_attribute(plan$x, plan$by)$members
    if (length(members) <= most) place <- member_ranks(members)[match(named, member_text(members))]
  }
  colours <- stats::setNames(rep(figure_pale, nlevels(points$series)), levels(points$series))
  colours[named] <- ledger_colours()[place]
  longest <- if (length(colours) > 1) max(nchar(named, type = "width")) else 0
  list(named = named, colours = colours, note = note, room = min(0.3, 0.03 + 0.012 * longest))
}

trend_layers <- function(points, series, from_zero) {
  pale <- points[!points$series %in% series$named, ]
  strong <- points[points$series %in% series$named, ]
  few <- length(unique(points$period)) <= 24
  c(
    if (from_zero) list(ggplot2::expand_limits(y = 0)),
    if (any(points$value < 0, na.rm = TRUE)) list(ggplot2::geom_hline(yintercept = 0, colour = figure_quiet, linewidth = 0.4)),
    if (nrow(pale) > 0) trend_lines(pale, 0.5),
    trend_lines(strong, 0.95),
    if (few) list(ggplot2::geom_point(data = strong[strong$complete, ], size = 1.7, na.rm = TRUE)),
    list(ggplot2::geom_point(data = strong[!strong$complete, ], shape = 21, fill = "white", size = 2.4, stroke = 1,
                             na.rm = TRUE)),
    trend_labels(strong, series$colours, from_zero)
  )
}

# Solid between covered periods; dashed where either end is partial.
trend_lines <- function(points, linewidth) {
  points <- points[order(points$series, points$from), ]
  n <- nrow(points)
  if (n < 2) return(NULL)
  a <- points[-n, ]
  b <- points[-1, ]
  steps <- data.frame(series = a$series, from = a$from, value = a$value, to = b$from, next_value = b$value,
                      complete = a$complete & b$complete)[a$series == b$series & b$from == a$to + 1, ]
  segments <- function(rows, linetype) {
    ggplot2::geom_segment(
      data = rows, ggplot2::aes(xend = .data$to, yend = .data$next_value), linewidth = linewidth,
      linetype = linetype, lineend = "round", na.rm = TRUE
    )
  }
  list(segments(steps[steps$complete, ], "solid"), segments(steps[!steps$complete, ], "22"))
}

# The name of each series at its last point, moved apart where they would overlap.
trend_labels <- function(points, colours, from_zero) {
  if (length(colours) < 2) return(NULL)
  points <- points[!is.na(points$value), ]
  last <- points[!duplicated(points$series, fromLast = TRUE), ]
  last$label <- paste0("  ", last$series)
  span <- diff(range(c(if (from_zero) 0, points$value)))
  last$at <- spread_out(last$value, 0.055 * span)
  # Text needs more contrast than a line.
  list(ggplot2::geom_text(data = last, ggplot2::aes(y = .data$at, label = .data$label), hjust = 0, size = 3.9,
                          fontface = "bold", colour = darker(colours[as.character(last$series)])))
}

darker <- function(colours) {
  mixed <- 0.65 * grDevices::col2rgb(colours) + 0.35 * as.vector(grDevices::col2rgb(figure_ink))
  grDevices::rgb(t(mixed), maxColorValue = 255)
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

trend_additive <- function(plan, s, shown) {
  all(vapply(attr(s, "columns")[shown], function(column) is_additive(plan$measures[[column$measure]]), TRUE))
}

trend_title <- function(s, shown) {
  plan <- attr(s, "plan")
  sprintf("%s by %s", heading_text(listed(gsub("_", " ", shown))), listed(c(plan$per, gsub("_", " ", plan$by))))
}

trend_unit <- function(s, shown) {
  units <- unique(unlist(lapply(attr(s, "columns")[shown], function(column) column$unit)))
  if (length(units) == 1) units
}
