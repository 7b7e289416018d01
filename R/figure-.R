# The look of figures: one theme and one set of colours.

figure_ink <- "#1F2D3A"
figure_quiet <- "#5B6975"
figure_rule <- "#DDE3E7"
figure_pale <- "#C3CBD1"
figure_rest <- "#A3AFBA"   # what a ranking leaves over
figure_plain <- "#3F566B"  # one colour for all where members are told apart by panels alone

#' Colours and theme of the figures
#'
#' `ledger_colours()` gives up to eight colours that stay apart under the common kinds of colour
#' blindness, and from white by a contrast of 3 to 1 (tests measure both); `theme_ledger()` is the
#' plain theme that every figure starts from. Both can be used on any ggplot.
#'
#' @param n Whole number from 1 to 8: how many colours.
#' @param base_size Number: size of the text in points.
#' @return `ledger_colours()`: text, `n` colours as "#RRGGBB". `theme_ledger()`: a ggplot2 theme.
#' @section Errors:
#' `rollingledger_error_choice` where `n` is not from 1 to 8.
#' @export
#' @examples
#' ledger_colours(3)
#' ggplot2::ggplot(demo_fuel, ggplot2::aes(read_on, litres, colour = vessel)) +
#'   ggplot2::geom_point() +
#'   ggplot2::scale_colour_manual(values = ledger_colours(2)) +
#'   theme_ledger()
ledger_colours <- function(n = 8) {
  colours <- c("#195B75", "#D23714", "#0EA946", "#85111D", "#9C3CEE", "#301780", "#C875C0",
               "#705CC0")
  if (!is.numeric(n) || length(n) != 1 || is.na(n) || n < 1 || n > length(colours)) {
    refuse("choice", "{n} must be a whole number from 1 to 8.", arg = "n")
  }
  colours[seq_len(n)]
}

#' @rdname ledger_colours
#' @export
theme_ledger <- function(base_size = 13) {
  text <- function(...) ggplot2::element_text(...)
  wide <- if (legends_are_wide()) ggplot2::theme(legend.location = "plot")
  ggplot2::theme_minimal(base_size = base_size) + wide + ggplot2::theme(
    text = text(colour = figure_ink),
    axis.text = text(colour = figure_quiet),
    axis.text.x = text(margin = ggplot2::margin(t = 7)),
    axis.title = text(colour = figure_quiet, size = ggplot2::rel(0.9)),
    axis.title.y = text(angle = 90, margin = ggplot2::margin(r = 8)),
    axis.text.y.right = text(colour = figure_ink, hjust = 0, margin = ggplot2::margin(l = 6)),
    axis.text.x.top = text(colour = figure_ink),
    axis.ticks.x = ggplot2::element_line(colour = figure_rule),
    axis.line.x = ggplot2::element_line(colour = figure_quiet, linewidth = 0.4),
    panel.grid.major.y = ggplot2::element_line(colour = figure_rule, linewidth = 0.4),
    panel.grid.major.x = ggplot2::element_blank(),
    panel.grid.minor = ggplot2::element_blank(),
    plot.title = text(face = "bold", size = ggplot2::rel(1.35), margin = ggplot2::margin(b = 4)),
    plot.subtitle = text(colour = figure_quiet, margin = ggplot2::margin(b = 14)),
    plot.caption = text(colour = figure_quiet, hjust = 0, size = ggplot2::rel(0.8),
                        margin = ggplot2::margin(t = 12)),
    plot.title.position = "plot", plot.caption.position = "plot",
    plot.background = ggplot2::element_rect(fill = "white", colour = NA),
    plot.margin = ggplot2::margin(18, 22, 14, 18),
    strip.text = text(colour = figure_ink, face = "bold", hjust = 0, size = ggplot2::rel(0.95),
                      margin = ggplot2::margin(t = 4, b = 6)),
    panel.spacing = ggplot2::unit(18, "pt"),
    legend.position = "top", legend.justification = "left", legend.title = ggplot2::element_blank(),
    legend.box = "vertical", legend.box.just = "left", legend.spacing.y = ggplot2::unit(2, "pt"),
    legend.margin = ggplot2::margin(b = 2), legend.key.size = ggplot2::unit(14, "pt")
  )
}
