# Layers that several figures share: the line of an average and of a target, panels, axes of
# periods.

# The average of the values drawn in each panel, over whole periods only; of the first column where
# there are several.
average_points <- function(points, s, shown) {
  several <- !panels_are_columns(points) && length(shown) > 1
  if (several) points <- points[points$figure == shown[1], ]
  whole <- points[points$complete & !is.na(points$value), ]
  if (nrow(whole) == 0) whole <- points[!is.na(points$value), ]
  if (nrow(whole) == 0) return(NULL)
  values <- tapply(whole$value, whole$panel, mean)
  values <- values[!is.na(values)]
  figure <- whole$figure[match(names(values), whole$panel)]
  of <- if (several) paste("", tolower_first(column_title(s, shown[1])))
        else if ((attr(points, "beside") %||% series_per_panel(points)) > 1) " of all shown" else ""
  data.frame(panel = factor(names(values), levels = levels(points$panel)),
             value = as.vector(values),
             label = paste0("Average", of, " ",
                            mapply(value_with_unit, as.vector(values),
                                   columns_of(s)[figure])))
}

# Lines at one value across a panel: the average, and a target that is one number. list(value,
# label, kind, panel).
reference_lines <- function(points, s, shown, average, target) {
  lines <- list()
  if (average) lines$average <- average_points(points, s, shown)
  if (!is.null(target) && length(unique(target$value)) == 1) {
    lines$target <- data.frame(panel = unique(target$panel), value = target$value[1],
                               label = paste("Target",
                                             value_with_unit(
                                               target$value[1],
                                               columns_of(s)[[shown[1]]])))
  }
  Map(function(line, kind) cbind(line, kind = rep(kind, nrow(line))),
      Filter(Negate(is.null), lines), names(Filter(Negate(is.null), lines)))
}

# The lines themselves. Their values stand outside, where they hide nothing: beside the panel, or
# below the panel's name.
reference_layers <- function(lines, lying = FALSE) {
  lapply(unname(lines), function(line) {
    average <- line$kind[1] == "average"
    colour <- if (average) figure_ink else figure_target
    type <- if (average) "dotdash" else "longdash"
    if (lying) ggplot2::geom_vline(data = line, ggplot2::aes(xintercept = .data$value),
                                   colour = colour, linewidth = 0.6, linetype = type)
    else ggplot2::geom_hline(data = line, ggplot2::aes(yintercept = .data$value), colour = colour,
                             linewidth = 0.6, linetype = type)
  })
}

# "Average 12.50 EUR" in two lines.
value_below <- function(labels) sub("^(Average[^0-9-]*|Target) ", "\\1\n", labels)

# The room that an axis opposite takes for the values of lines.
lines_room <- function(lines, points) {
  if (length(lines) == 0 || nlevels(points$panel) > 1) return(0)
  labels <- unlist(lapply(lines, function(line) value_below(line$label)))
  lines_pixels(labels, 0.8 * figure_base()) + 10
}

# An axis opposite that tells the values of the lines of a single panel; those too close to each
# other share a place.
reference_axis <- function(lines, points, reach, lying = FALSE) {
  if (length(lines) == 0 || nlevels(points$panel) > 1) return(ggplot2::waiver())
  known <- do.call(rbind, unname(lines))
  known <- known[order(known$value), ]
  if (!lying) known$label <- value_below(known$label)
  close <- nrow(known) == 2 && abs(diff(known$value)) < 0.08 * diff(range(c(reach, known$value)))
  if (close) known <- data.frame(value = mean(known$value),
                                 label = paste(rev(known$label), collapse = "\n"))
  ggplot2::dup_axis(name = NULL, breaks = known$value, labels = known$label)
}

# The target of each point: a number for all, or the statement's own column of targets for the
# measure drawn.
target_points <- function(s, points, shown, target, summed = FALSE, call = caller_env()) {
  if (isFALSE(target) || length(shown) != 1 && is.null(target)) return(NULL)
  one_series <- series_per_panel(points) == 1
  if (is.numeric(target) && length(target) == 1 && !is.na(target)) {
    points$value <- target
    # the others have other units
    if (panels_are_columns(points)) points <- points[points$figure == shown[1], ]
  } else if (is.null(target) || isTRUE(target)) {
    own <- target_column(s, shown[1])
    if (is.null(own) || !one_series && !summed) {
      if (is.null(target)) return(NULL)
      refuse("choice",
             if (is.null(own))
               c(sprintf("The statement has no targets of `%s`.", shown[1]),
                 i = "Add them with add_target(), or give one number.")
             else c("Targets of several members cannot be told apart in one panel.",
                    i = "Give each a panel: panels = ATTRIBUTE."), arg = "target", call = call)
    }
    points$value <- as.double(s[[own]])
    # A pile is held against the targets of all its parts, where each has one.
    if (summed) points$value <- stats::ave(points$value, points$panel, points$period, FUN = sum)
  } else {
    refuse("choice", "{target} must be one number, TRUE for the statement's own targets, or FALSE.",
           arg = "target", call = call)
  }
  points <- points[!is.na(points$value), ]
  if (nrow(points) > 0) points
}

# The column of targets that is drawn, whose notes the figure must tell: which are missing, and
# which hold for a part.
target_shown <- function(s, shown, target, line) {
  if (is.null(line) || is.numeric(target)) NULL else target_column(s, shown[1])
}

# A thick stroke for each period whose target is its own, told in the legend.
target_layers <- function(line, x, half) {
  if (is.null(line) || length(unique(line$value)) == 1) return(NULL)
  line$x <- x[match(line$period, names(x))]
  list(
    ggplot2::geom_segment(data = line,
                          ggplot2::aes(x = .data$x - half, xend = .data$x + half, y = .data$value,
                                       yend = .data$value, linetype = "target"),
                          inherit.aes = FALSE,
                          colour = figure_target, linewidth = 1.1),
    ggplot2::scale_linetype_manual(values = c(target = "solid"), name = NULL,
                                   guide = ggplot2::guide_legend(order = 9))
  )
}

figure_target <- "#7A0F4A"

# Small multiples, all with the same axes, unless they show different things. Lines that belong to a
# panel are told below its name.
panel_layer <- function(points, free = FALSE, lines = list()) {
  n <- nlevels(points$panel)
  if (n < 2) return(NULL)
  across <- if (free) 1 else panels_across(n)
  names <- stats::setNames(
    fit_texts(levels(points$panel), panels_room() / across - 24, 0.95 * figure_base(), TRUE),
    levels(points$panel))
  for (line in lines) {
    own <- match(names(names), as.character(line$panel))
    names[!is.na(own)] <- paste0(names[!is.na(own)], "\n",
                                 tolower_first(line$label[own[!is.na(own)]]))
  }
  list(ggplot2::facet_wrap(ggplot2::vars(.data$panel), scales = if (free) "free_y" else "fixed",
                           ncol = across, labeller = ggplot2::as_labeller(names)))
}

# How many panels stand beside each other, none narrower than can be read.
panels_across <- function(n) {
  if (n <= 1) 1 else max(1, min(grDevices::n2mfrow(n)[1], floor(panels_room() / 140)))
}

panels_are_columns <- function(points) nlevels(points$panel) > 1 &&
  length(unique(points$figure)) > 1 && all(rowSums(table(points$panel, points$figure) > 0) == 1)

# Places of periods on an axis: 1, 2, 3 ... in order of time.
period_places <- function(points) {
  once <- !duplicated(points$period)
  labels <- points$period[once]
  stats::setNames(seq_along(labels), labels[order(points$from[once], points$to[once])])
}

# No more labels than fit; of months, those that begin quarters or years. Few periods do not fill
# the width.
period_axis <- function(places, panels = 1, grain = NULL) {
  each <- lines_pixels(names(places), 0.8 * figure_base()) + 20
  room <- max(2, floor(panels_room() / panels_across(panels) / each))
  shown <- seq_along(places)
  if (length(places) > room) {
    step <- ceiling(length(places) / room)
    month <- suppressWarnings(as.integer(sub("^.*[-M]([0-9]{2})$", "\\1", names(places))))
    if (identical(grain, "month") && !anyNA(month)) {
      step <- c(2, 3, 6, 12, 24, 60, 120)[match(TRUE, c(2, 3, 6, 12, 24, 60, 120) >= step)]
      shown <- which((seq_along(places) + month[1] - 2) %% step == 0)
    } else shown <- seq(1, length(places), by = step)
  }
  ggplot2::scale_x_continuous(breaks = unname(places[shown]), labels = names(places)[shown],
                              expand = ggplot2::expansion(
                                add = 0.25 + 0.45 * max(0, 4 - length(places))))
}

# An axis of values; where all are zero it shows no more than that.
value_axis <- function(values, low = 0.06, high = 0.06, panels = 1, ...) {
  if (all(values %in% c(0, NA)))
    return(ggplot2::scale_y_continuous(breaks = 0, limits = c(-0.05, 1), labels = axis_values,
                                       expand = ggplot2::expansion(mult = 0)))
  ggplot2::scale_y_continuous(labels = axis_values,
                              breaks = scales::breaks_extended(if (panels > 12) 2 else 5),
                              expand = ggplot2::expansion(mult = c(low, high)), ...)
}

# The same for panels with an axis each, some of which may show nothing but zero.
value_breaks <- function(values, room = Inf) {
  least <- min(abs(values[!values %in% c(0, NA)]), Inf)
  function(limits) {
    if (all(abs(limits) < least)) return(0)
    each <- lines_pixels(axis_values(limits), 0.8 * figure_base())
    scales::breaks_extended(max(2, min(4, floor(room / each) - 1)))(limits)
  }
}

zero_line <- function(values, lying = FALSE) {
  if (!any(values < 0, na.rm = TRUE)) return(NULL)
  line <- if (lying) ggplot2::geom_vline(xintercept = 0, colour = figure_quiet, linewidth = 0.4)
          else ggplot2::geom_hline(yintercept = 0, colour = figure_quiet, linewidth = 0.4)
  list(line)
}

# Spans beside each other are told with their days.
span_caption <- function(s) {
  if (!is.null(statement_info(s)$per)) return(NULL)
  rows <- unique(data.frame(period = s$period, from = day_numbers(s$from), to = day_numbers(s$to)))
  if (nrow(rows) < 2 || nrow(rows) > 8) return(NULL)
  paste0(paste(sprintf("%s: %s", rows$period, mapply(days_text, rows$from, rows$to)),
               collapse = "; "), ".")
}

# Colours that hold for text: it needs more contrast than a line.
darker <- function(colours, share = 0.65) {
  if (length(colours) == 0) return(colours)
  share <- rep_len(share, length(colours))
  mixed <- t(t(grDevices::col2rgb(colours)) * share) +
    outer(as.vector(grDevices::col2rgb(figure_ink)), 1 - share)
  grDevices::rgb(t(mixed), maxColorValue = 255)
}

# How far two colours stand apart in lightness, 1 to 21 (WCAG 2.1, contrast ratio).
contrast_of <- function(a, b) {
  light <- function(colours) {
    part <- grDevices::col2rgb(colours) / 255
    part <- ifelse(part <= 0.03928, part / 12.92, ((part + 0.055) / 1.055)^2.4)
    colSums(c(0.2126, 0.7152, 0.0722) * part)
  }
  a <- light(a) + 0.05
  b <- light(b) + 0.05
  ifelse(a > b, a / b, b / a)
}

# Ink on a coloured ground: white or dark, whichever stands out more.
ink_on <- function(colours) {
  ifelse(contrast_of(colours, figure_ink) > contrast_of(colours, "white"), figure_ink, "white")
}

# A colour for text on white: as dark as it takes to be read.
text_colour <- function(colours) {
  for (share in seq(1, 0.3, by = -0.05)) {
    pale <- contrast_of(colours, "white") < 4.5
    if (!any(pale)) break
    colours[pale] <- darker(colours[pale], 0.93)
  }
  colours
}

# The names of the parts of piles, within those that are high enough; all names or none, so that a
# missing one means nothing. They tell the parts apart in grey.
part_names <- function(parts, colours, across) {
  canvas <- figure_canvas()
  size <- text_mm(3.2)
  least <- max(0.05, 18 / (canvas$height - 200))
  range <- diff(range(c(0, parts$low, parts$high), na.rm = TRUE))
  parts <- parts[!is.na(parts$value) & parts$high - parts$low > least * range & parts$complete, ]
  parts$text <- as.character(parts$series)
  parts <- parts[parts$text %in% names(colours)[!colours %in% c(figure_pale, figure_quiet)], ]
  rest <- colours[parts$text] == figure_rest
  bar <- 0.66 * panels_room() / across - 4
  fits <- text_pixels(parts$text, points_of_mm(size)) <= bar
  parts <- parts[if (all(fits[!rest])) fits else logical(nrow(parts)), ]
  if (nrow(parts) == 0) return(NULL)
  list(ggplot2::geom_text(data = parts,
                          ggplot2::aes(x = .data$place, y = (.data$low + .data$high) / 2,
                                       label = .data$text), size = size,
                          colour = ink_on(colours[parts$text])))
}

paler <- function(colours, share = 0.65) {
  grDevices::rgb(t((1 - share) * grDevices::col2rgb(colours) + share * 255), maxColorValue = 255)
}
