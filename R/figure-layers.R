# Layers that several figures share: the line of an average and of a target, panels, axes of periods.

# The average of the values drawn in each panel, over whole periods only; of the first column where there are several.
average_points <- function(points, s, shown) {
  several <- !panels_are_figures(points) && length(shown) > 1
  if (several) points <- points[points$figure == shown[1], ]
  whole <- points[points$complete & !is.na(points$value), ]
  if (nrow(whole) == 0) whole <- points[!is.na(points$value), ]
  if (nrow(whole) == 0) return(NULL)
  values <- tapply(whole$value, whole$panel, mean)
  values <- values[!is.na(values)]
  figure <- whole$figure[match(names(values), whole$panel)]
  of <- if (several) paste("", tolower_first(figure_name(s, shown[1]))) else if ((attr(points, "beside") %||% series_per_panel(points)) > 1) " of all shown" else ""
  data.frame(panel = factor(names(values), levels = levels(points$panel)), value = as.vector(values),
             label = paste0("Average", of, " ", mapply(figure_value, as.vector(values), attr(s, "columns")[figure])))
}

# list of layers for `average = TRUE`. The value stands at the left end of the line, on a ground of its own.
average_layers <- function(points, s, shown, at, lying = FALSE) {
  line <- average_points(points, s, shown)
  if (is.null(line)) return(NULL)
  if (lying) {
    return(list(ggplot2::geom_vline(data = line, ggplot2::aes(xintercept = .data$value), colour = figure_ink, linewidth = 0.5, linetype = "dotdash"),
                ggplot2::geom_label(data = line, ggplot2::aes(x = .data$value, y = Inf, label = .data$label), inherit.aes = FALSE, hjust = -0.03, vjust = 1.1, size = 3.5,
                                    colour = figure_ink, fill = "white", label.size = 0, label.padding = ggplot2::unit(2, "pt"))))
  }
  line$at <- at
  list(
    ggplot2::geom_hline(data = line, ggplot2::aes(yintercept = .data$value), colour = figure_ink, linewidth = 0.5, linetype = "dotdash"),
    ggplot2::geom_label(data = line, ggplot2::aes(x = .data$at, y = .data$value, label = .data$label), inherit.aes = FALSE, hjust = 0, vjust = -0.25,
                        size = 3.5, colour = figure_ink, fill = grDevices::adjustcolor("white", 0.8), label.size = 0, label.padding = ggplot2::unit(2, "pt"))
  )
}

# The target of each point: a number for all, or the statement's own column of targets for the measure drawn.
target_points <- function(s, points, shown, target, call = caller_env()) {
  if (isFALSE(target) || length(shown) != 1 && is.null(target)) return(NULL)
  one_series <- series_per_panel(points) == 1
  if (is.numeric(target) && length(target) == 1 && !is.na(target)) {
    points$value <- target
  } else if (is.null(target) || isTRUE(target)) {
    own <- target_column(s, shown[1])
    if (is.null(own) || !one_series) {
      if (is.null(target)) return(NULL)
      refuse("choice", if (is.null(own)) c(sprintf("The statement has no targets of `%s`.", shown[1]), i = "Add them with add_target(), or give one number.")
             else c("Targets of several members cannot be told apart in one panel.", i = "Give each a panel: panels = ATTRIBUTE."), arg = "target", call = call)
    }
    points$value <- as.double(s[[own]])
  } else {
    refuse("choice", "`target` must be one number, TRUE for the statement's own targets, or FALSE.", arg = "target", call = call)
  }
  points <- points[!is.na(points$value), ]
  if (nrow(points) > 0) points
}

# The statement's targets of a measure, if the column drawn is that measure.
target_column <- function(s, name) {
  columns <- attr(s, "columns")
  if (!identical(columns[[name]]$kind, "measure")) return(NULL)
  own <- Filter(function(other) identical(columns[[other]]$kind, "target") && columns[[other]]$measure == name, intersect(names(columns), names(s)))
  if (length(own) > 0) own[[1]]
}

# A short thick stroke for each period, or one line where the target is a number; with its name.
target_layers <- function(line, column, x, half) {
  if (is.null(line)) return(NULL)
  line$x <- x[match(line$period, names(x))]
  first <- line[!duplicated(line$panel), ]
  same <- length(unique(line$value)) == 1
  first$label <- if (same) paste("Target", figure_value(first$value, column)) else "Target"
  list(
    if (same) ggplot2::geom_hline(data = first, ggplot2::aes(yintercept = .data$value), colour = figure_target, linewidth = 0.8, linetype = "longdash")
    else ggplot2::geom_segment(data = line, ggplot2::aes(x = .data$x - half, xend = .data$x + half, y = .data$value, yend = .data$value), inherit.aes = FALSE,
                               colour = figure_target, linewidth = 1.1),
    ggplot2::geom_label(data = first, ggplot2::aes(x = .data$x - half, y = .data$value, label = .data$label), inherit.aes = FALSE,
                        hjust = if (same) 0 else 1, vjust = if (same) -0.25 else 0.5, size = 3.5, fontface = "bold", colour = figure_target, fill = grDevices::adjustcolor("white", 0.8), label.size = 0,
                        label.padding = ggplot2::unit(2, "pt"))
  )
}

figure_target <- "#7A0F4A"

# Small multiples, all with the same axes, unless they show different things.
panel_layer <- function(points, free = FALSE) {
  if (nlevels(points$panel) < 2) return(NULL)
  list(ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = if (free) "free_y" else "fixed", ncol = if (free) 1 else NULL,
                           labeller = ggplot2::label_wrap_gen(34)))
}

panels_are_figures <- function(points) nlevels(points$panel) > 1 && length(unique(points$figure)) > 1 && all(rowSums(table(points$panel, points$figure) > 0) == 1)

# Places of periods on an axis: 1, 2, 3 ... in order of time, or of the statement where rows are spans.
period_places <- function(points) {
  once <- !duplicated(points$period)
  labels <- points$period[once]
  if (all(diff(order(points$from[once])) == 1)) return(stats::setNames(seq_along(labels), labels))
  stats::setNames(seq_along(labels), labels[order(points$from[once], points$to[once])])
}

# No more labels than fit; of months, those that begin quarters or years.
period_axis <- function(places, panels = 1, grain = NULL, left = 0.25) {
  across <- if (panels <= 1) 1 else if (panels <= 3) panels else ceiling(sqrt(panels))
  room <- max(2, floor(150 / across / (max(nchar(names(places), type = "width")) + 3)))
  shown <- seq_along(places)
  if (length(places) > room) {
    step <- ceiling(length(places) / room)
    month <- suppressWarnings(as.integer(sub("^.*[-M]([0-9]{2})$", "\\1", names(places))))
    if (identical(grain, "month") && !anyNA(month)) {
      step <- c(2, 3, 6, 12, 24, 60, 120)[match(TRUE, c(2, 3, 6, 12, 24, 60, 120) >= step)]
      shown <- which((seq_along(places) + month[1] - 2) %% step == 0)
    } else shown <- seq(1, length(places), by = step)
  }
  ggplot2::scale_x_continuous(breaks = unname(places[shown]), labels = names(places)[shown], expand = ggplot2::expansion(add = c(left, 0.25)))
}

# An axis of values that begins at zero where parts add up and none is negative.
value_axis <- function(values, from_zero, room = 0.06, ...) {
  low <- if (from_zero) 0 else room
  ggplot2::scale_y_continuous(labels = axis_numbers, expand = ggplot2::expansion(mult = c(low, room)), ...)
}

zero_line <- function(values, lying = FALSE) {
  if (!any(values < 0, na.rm = TRUE)) return(NULL)
  line <- if (lying) ggplot2::geom_vline(xintercept = 0, colour = figure_quiet, linewidth = 0.4) else ggplot2::geom_hline(yintercept = 0, colour = figure_quiet, linewidth = 0.4)
  list(line)
}

# Spans beside each other are told with their days.
span_caption <- function(s) {
  if (!is.null(attr(s, "plan")$per)) return(partial_caption(s, "Pale, dashed"))
  rows <- unique(data.frame(period = s$period, from = whole_days(s$from), to = whole_days(s$to)))
  if (nrow(rows) < 2 || nrow(rows) > 8) return(NULL)
  paste0(paste(sprintf("%s: %s", rows$period, mapply(days_text, rows$from, rows$to)), collapse = "; "), ".")
}

# Colours that hold for text: it needs more contrast than a line.
darker <- function(colours) {
  mixed <- 0.65 * grDevices::col2rgb(colours) + 0.35 * as.vector(grDevices::col2rgb(figure_ink))
  grDevices::rgb(t(mixed), maxColorValue = 255)
}

# Ink on a coloured ground: white or dark, whichever stands out more.
ink_on <- function(colours) {
  light <- colSums(c(0.2126, 0.7152, 0.0722) * (grDevices::col2rgb(colours) / 255)^2.2)
  ifelse(light > 0.25, figure_ink, "white")
}

paler <- function(colours, share = 0.65) {
  grDevices::rgb(t((1 - share) * grDevices::col2rgb(colours) + share * 255), maxColorValue = 255)
}

legend_columns <- function(labels) max(1, floor(150 / (max(nchar(labels, type = "width"), 1) + 5)))
