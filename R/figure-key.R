# The key of marks: what is drawn in a way of its own is named once, beside the colours.

# Layers that name the kinds of marks that a figure has: `marks` are their words by kind, NULL
# where there are none; `x` is a place on the axis.
mark_key <- function(x, marks) {
  marks <- unlist(marks)
  if (length(marks) == 0) return(NULL)
  shapes <- c(point = 21, box = 22, like = 18, total = 15, expected = 0)[names(marks)]
  size <- 0.8 * figure_base()
  words <- fit_texts(marks, legend_room() - 40, size, lines = 3)
  each <- lines_pixels(words, size) + 40
  across <- max(1, floor(legend_room() / each))
  rows <- data.frame(kind = factor(names(marks), levels = names(marks)), x = rep(x, length(marks)),
                     y = NA_real_)
  list(
    ggplot2::geom_point(
      data = rows, ggplot2::aes(x = .data$x, y = .data$y, shape = .data$kind), inherit.aes = FALSE,
      na.rm = TRUE, colour = figure_ink, key_glyph = draw_mark,
      show.legend = c(shape = TRUE, fill = FALSE, colour = FALSE, linetype = FALSE)),
    ggplot2::scale_shape_manual(values = shapes, labels = words, name = NULL,
                                guide = ggplot2::guide_legend(order = 8, byrow = TRUE,
                                                              ncol = across))
  )
}

# A mark as the figure draws it.
draw_mark <- function(data, params, size) {
  box <- function(...) grid::rectGrob(width = 0.75, height = 0.75, gp = grid::gpar(...))
  switch(as.character(data$shape[1]),
    "18" = grid::gTree(children = grid::gList(
      grid::segmentsGrob(0, 0.5, 1, 0.5, gp = grid::gpar(col = figure_ink, lwd = 1, lty = "21")),
      grid::pointsGrob(0.5, 0.5, pch = 18, size = grid::unit(9, "pt"),
                       gp = grid::gpar(col = figure_ink)))),
    "22" = box(fill = paler(figure_plain), col = figure_plain, lty = "22", lwd = 1.2),
    "15" = box(fill = figure_all, col = NA),
    "0" = grid::gTree(children = grid::gList(
      box(fill = NA, col = figure_plain, lwd = 1.4),
      grid::segmentsGrob(0.5, 0.05, 0.5, 0.95, gp = grid::gpar(col = figure_ink, lwd = 1)))),
    grid::pointsGrob(0.5, 0.5, pch = 21, size = grid::unit(7, "pt"),
                     gp = grid::gpar(col = figure_ink, fill = "white", lwd = 1.6)))
}

# The pale total behind leaders.
figure_all <- "#E4E9EC"

# What is drawn apart or pale: the periods that are not wholly covered.
partial_mark <- function(s) {
  said <- partial_caption(s)
  if (!is.null(said)) sub("[.]$", "", paste("Part of a period:", said))
}

# What the marks of the days before are; with more than three lines, of the leading ones.
like_mark <- function(marks, of = "") {
  if (is.null(marks)) return(NULL)
  said <- heading_text(paste0(of, attr(marks, "says")))
  if (is.null(attr(marks, "of"))) said
  else sprintf("%s (the %d leading; all below)", said, length(unique(marks$series)))
}
