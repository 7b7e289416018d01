# The look of figures: one theme, one set of colours, and the words that every figure carries.

figure_ink <- "#1F2D3A"
figure_quiet <- "#5B6975"
figure_rule <- "#DDE3E7"
figure_pale <- "#C3CBD1"

#' Colours and theme of the figures
#'
#' `ledger_colours()` gives up to eight colours that stay apart under the common kinds of colour
#' blindness (tests measure the distance); `theme_ledger()` is the plain theme that every figure
#' starts from. Both can be used on any ggplot.
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
  colours <- c("#195B75", "#BF751B", "#1CBC84", "#85111D", "#BC91F9", "#610FA0", "#D68FC6", "#695DAF")
  if (!is.numeric(n) || length(n) != 1 || is.na(n) || n < 1 || n > length(colours)) {
    refuse("choice", "`n` must be a whole number from 1 to 8.", arg = "n")
  }
  colours[seq_len(n)]
}

#' @rdname ledger_colours
#' @export
theme_ledger <- function(base_size = 13) {
  text <- function(...) ggplot2::element_text(...)
  ggplot2::theme_minimal(base_size = base_size) + ggplot2::theme(
    text = text(colour = figure_ink),
    axis.text = text(colour = figure_quiet),
    axis.text.x = text(margin = ggplot2::margin(t = 7)),
    axis.title = text(colour = figure_quiet, size = ggplot2::rel(0.9)),
    axis.title.y = text(angle = 90, margin = ggplot2::margin(r = 8)),
    axis.ticks.x = ggplot2::element_line(colour = figure_rule),
    axis.line.x = ggplot2::element_line(colour = figure_quiet, linewidth = 0.4),
    panel.grid.major.y = ggplot2::element_line(colour = figure_rule, linewidth = 0.4),
    panel.grid.major.x = ggplot2::element_blank(),
    panel.grid.minor = ggplot2::element_blank(),
    plot.title = text(face = "bold", size = ggplot2::rel(1.35), margin = ggplot2::margin(b = 4)),
    plot.subtitle = text(colour = figure_quiet, margin = ggplot2::margin(b = 14)),
    plot.caption = text(colour = figure_quiet, hjust = 0, size = ggplot2::rel(0.8), margin = ggplot2::margin(t = 12)),
    plot.title.position = "plot", plot.caption.position = "plot",
    plot.background = ggplot2::element_rect(fill = "white", colour = NA),
    plot.margin = ggplot2::margin(18, 22, 14, 18),
    legend.position = "top", legend.justification = "left", legend.title = ggplot2::element_blank()
  )
}

# "income_running" as "Income running"
heading_text <- function(name) {
  words <- gsub("_", " ", name, fixed = TRUE)
  paste0(toupper(substr(words, 1, 1)), substr(words, 2, nchar(words)))
}

figure_subtitle <- function(s) {
  plan <- attr(s, "plan")
  where <- attr(plan$where, "text")
  paste0(heading_text(statement_days(s)), ", ", as_of_text(plan),
         if (!is.null(where)) paste(", where", where))
}

# What a reader must know of the partial periods drawn.
partial_caption <- function(s) {
  rows <- unique(data.frame(period = s$period, from = whole_days(s$from), to = whole_days(s$to))[!s$complete, ])
  if (nrow(rows) == 0) return(NULL)
  said <- sprintf("%s covers %s", rows$period, mapply(days_text, rows$from, rows$to))
  paste0("Dashed, hollow: ", listed(said, most = 3), ".")
}

# Day labels on an axis, in English whatever the locale, no finer than they need to be.
axis_days <- function(breaks) {
  days <- whole_days(as.Date(breaks))
  out <- rep("", length(days))
  known <- !is.na(days)
  date <- core_dates_of(days[known])
  month <- substr(month_names[date[, 2]], 1, 3)
  out[known] <- if (all(date[, 2] == 1 & date[, 3] == 1)) date[, 1]
    else if (all(date[, 3] == 1)) paste(month, date[, 1])
    else sprintf("%d %s %d", date[, 3], month, date[, 1])
  out
}

axis_numbers <- function(breaks) {
  known <- breaks[!is.na(breaks)]
  decimals <- 0L
  while (decimals < 4L && any(abs(known - round(known, decimals)) > 1e-9)) decimals <- decimals + 1L
  ifelse(is.na(breaks), NA, number_text(breaks, decimals))
}
