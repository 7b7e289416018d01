# A figure of the page: a picture and, laid over it, where its marks are, so that each can be
# pointed at, reached by arrow keys, told in words and followed to its entries.

# list(picture, width, height, alt, days, marks): an SVG as text, whether it is a calendar of days,
# and a data frame of marks with x, y, width and height in parts of the picture, their words, and
# the row and figure of the statement.
drawn_figure <- function(figure, s, width, height) {
  attach_usual_packages()
  figure <- figure + ggplot2::theme(plot.margin = ggplot2::margin(2, 10, 2, 0))
  path <- tempfile(fileext = ".svg")
  on.exit(unlink(path))
  # Legends and labels are laid out by the fonts of the device that they are drawn on.
  grDevices::svg(path, width / 96, height / 96)
  panels <- tryCatch({
    built <- ggplot2::ggplot_build(figure)
    table <- ggplot2::ggplot_gtable(built)
    grid::grid.newpage()
    grid::grid.draw(table)
    panel_places(table, width / 96, height / 96)
  }, finally = grDevices::dev.off())
  list(picture = readChar(path, file.size(path), useBytes = TRUE), width = width, height = height,
       alt = figure_alt(figure), days = is_calendar_of_days(figure$data),
       marks = figure_marks(figure, built, panels, s))
}

# Where panels stand, in parts of the picture: a data frame of left, bottom, right and top, in the
# order of their rows and columns.
panel_places <- function(table, width, height) {
  panels <- table$layout[grepl("^panel", table$layout$name), ]
  panels <- panels[order(panels$t, panels$l), ]
  drawn <- vapply(match(panels$name, table$layout$name), function(i) {
    !inherits(table$grobs[[i]], "zeroGrob")
  }, TRUE)
  panels <- panels[drawn, ]
  ends <- vapply(seq_len(nrow(panels)), function(i) {
    one <- panels[i, ]
    grid::seekViewport(sprintf("%s.%d-%d-%d-%d", one$name, one$t, one$r, one$b, one$l))
    low <- grid::deviceLoc(grid::unit(0, "npc"), grid::unit(0, "npc"), valueOnly = TRUE)
    high <- grid::deviceLoc(grid::unit(1, "npc"), grid::unit(1, "npc"), valueOnly = TRUE)
    grid::upViewport(0)
    c(low$x / width, low$y / height, high$x / width, high$y / height)
  }, numeric(4))
  data.frame(left = ends[1, ], bottom = ends[2, ], right = ends[3, ], top = ends[4, ])
}

# What a mark covers in the units of its axes: a data frame of x0, x1, y0 and y1.
mark_boxes <- function(points, lying) {
  n <- nrow(points)
  if (is_calendar_of_days(points)) {
    return(data.frame(x0 = points$column - 0.45, x1 = points$column + 0.45, y0 = points$row - 0.45,
                      y1 = points$row + 0.45))
  }
  if (!is.null(points$part)) {
    points <- change_boxes(points, lying)
    points$place <- points$at
    points$low <- rep(0, n)
    points$high <- points$value
  }
  if (!is.null(points$half)) {
    place <- list(points$place - points$half, points$place + points$half)
    value <- list(pmin(points$low, points$high), pmax(points$low, points$high))
    return(if (lying) data.frame(x0 = value[[1]], x1 = value[[2]], y0 = place[[1]],
                                 y1 = place[[2]])
           else data.frame(x0 = place[[1]], x1 = place[[2]], y0 = value[[1]], y1 = value[[2]]))
  }
  x <- points$place %||% as.numeric(points$at %||% points$from)
  data.frame(x0 = x, x1 = x, y0 = points$value, y1 = points$value)
}

figure_marks <- function(figure, built, places, s) {
  points <- figure$data
  # The line of what stands out is drawn as it is.
  if (inherits(s, "unusual")) return(NULL)
  explains <- inherits(s, "explained_change")
  rows <- if (explains) seq_len(nrow(s)) else which(drawn_rows(s))
  shown <- !is.na(points$value) & !is.na(points$of_row)
  points <- points[shown, , drop = FALSE]
  if (nrow(points) == 0) return(NULL)
  lying <- is.null(statement_info(s)$per)
  boxes <- mark_boxes(points, lying)
  layout <- built$layout$layout
  layout <- layout[order(layout$ROW, layout$COL), ]
  facet <- intersect(c("block", "part", "panel"), names(layout))
  panel <- if (length(facet) == 0) rep(1L, nrow(points))
           else match(as.character(points[[facet[1]]]), as.character(layout[[facet[1]]]))
  out <- data.frame(x = rep(NA_real_, nrow(points)), y = NA_real_, width = NA_real_,
                    height = NA_real_)
  for (i in seq_len(nrow(layout))) {
    own <- which(panel == i)
    if (length(own) == 0 || i > nrow(places)) next
    params <- built$layout$panel_params[[as.integer(layout$PANEL[i])]]
    ends <- lapply(c("0", "1"), function(end) {
      built$layout$coord$transform(data.frame(x = boxes[[paste0("x", end)]][own],
                                              y = boxes[[paste0("y", end)]][own]), params)
    })
    across <- places$right[i] - places$left[i]
    up <- places$top[i] - places$bottom[i]
    out$x[own] <- places$left[i] + across * (ends[[1]]$x + ends[[2]]$x) / 2
    out$y[own] <- 1 - places$bottom[i] - up * (ends[[1]]$y + ends[[2]]$y) / 2
    out$width[own] <- across * abs(ends[[2]]$x - ends[[1]]$x)
    out$height[own] <- up * abs(ends[[2]]$y - ends[[1]]$y)
  }
  out$row <- rows[points$of_row]
  out$figure <- points$figure %||% rep(figure_column(figure, s), nrow(points))
  out$says <- if (explains) paste0(points$line, ": ", points$label)
              else mark_words(s, out$row, out$figure, points)
  out <- out[is.finite(out$x) & is.finite(out$y), ]
  # In the order in which keys go through them: days by their dates, others from left to right.
  out[if (is_calendar_of_days(points)) order(out$row) else order(out$x, out$y), ]
}

is_calendar_of_days <- function(points) !is.null(points$block)

# The column that a calendar of days is drawn of.
figure_column <- function(figure, s) {
  drawn <- question(figure)$show[[1]]
  drawn$m %||% chosen_columns(s, NULL)[1]
}

# "2026-08, Tern Head: income 55,798.65 EUR, 1 to 31 Aug 2026"; with the days that the figure
# covers, which need not be the row's own.
mark_words <- function(s, row, figure, points) {
  columns <- columns_of(s)
  plan <- statement_info(s)
  told <- points$told_of %||% figure
  value <- vapply(seq_along(row), function(i) {
    column <- columns[[told[i]]]
    if (column$kind != "change") return(value_with_unit(s[[told[i]]][row[i]], column))
    paste0(signed_text(s[[told[i]]][row[i]], column$decimals),
           if (!is.null(column$unit)) paste0(" ", column$unit))
  }, "")
  if (!is.null(points$state)) {
    empty <- points$state %in% c("no entries", "no figure")
    value[empty] <- points$state[empty]
    own <- !empty & !is.na(points$entries)
    value[own] <- paste0(value[own], ", ", vapply(points$entries[own], count_text, "",
                                                  one = "entry", many = "entries"))
  }
  days <- days_of_figures(s, row, told)
  members <- lapply(plan$by, function(name) member_text(s[[name]][row]))
  label <- do.call(paste, c(list(s$period[row]), members, list(sep = ", ")))
  name <- gsub("_", " ", told, fixed = TRUE)
  same <- label == days
  paste0(label, ": ", name, " ", value, ifelse(same, "", paste0(", ", days)))
}

# The days that figures of rows cover: of a change both.
days_of_figures <- function(s, row, figure) {
  plan <- statement_info(s)
  own <- unname(span_text(day_numbers(s$from[row]), day_numbers(s$to[row])))
  for (name in unique(figure)) {
    at <- which(figure == name)
    column <- columns_of(s)[[name]]
    rows <- rows_select(current_rows(s), row[at])
    windows <- if (column$kind == "change") windows_before(plan, column, rows)
               else if (identical(kind_of(column)$behind, "windows"))
                 column_windows(column, plan, rows)
    if (is.null(windows)) next
    known <- !is.na(windows$from) & !is.na(windows$to)
    days <- own[at]
    other <- unname(span_text(windows$from[known], windows$to[known]))
    days[known] <- if (column$kind == "change") paste(days[known], "against", other) else other
    own[at] <- days
  }
  own
}
