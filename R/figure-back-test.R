describe_verb("figure_back_test", asked_of = "statement",
  m = field("measure", "measure whose expected ends are drawn, the first without it",
            value = "MEASURE"),
  shared = list(figure_trend = c("title", "subtitle"))
)

#' Draw what would have been expected
#'
#' For each finished period on which [add_expected()] is tested: what would have been expected with
#' as many days left as now, with its range, and what came.
#'
#' @param s A [statement()] with a period that is not over.
#' @eval field_params("figure_back_test")
#' @return A ggplot. Its data are the rows of [back_test()], with `place` (integer) and `hit` (text:
#'   "Came, within the range", "Came, outside").
#' @section Errors:
#' As for [back_test()].
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", span = "this month", income = total(fare)) |>
#'   figure_back_test()
#' @include figure-trend.R
figure_back_test <- with_fields("figure_back_test", function(s, m, title, subtitle) {
  made <- asked_show("figure_back_test")
  past <- tested_past(s, rlang::enquo(m), "back_test", list(), rlang::current_env())
  points <- as.data.frame(tibble::as_tibble(past))
  points <- points[!is.na(points$expected), ]
  if (nrow(points) == 0)
    refuse("choice", "There is nothing to draw: no finished period could be tested.", arg = "s")
  points$place <- seq_len(nrow(points))
  hits <- c("Came, within the range", "Came, outside of it")
  points$hit <- factor(ifelse(points$inside %in% FALSE, hits[2], hits[1]), levels = hits)
  says <- attr(past, "says")
  column <- attr(past, "facts")$column
  place <- ggplot2::aes(x = .data$place)
  p <- ggplot2::ggplot(points, place) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data$low, ymax = .data$high), linewidth = 5,
                            colour = figure_plain, alpha = 0.5, na.rm = TRUE) +
    ggplot2::geom_point(ggplot2::aes(y = .data$expected, shape = "Expected, with its range"),
                        size = 3, fill = "white", stroke = 0.9, colour = figure_ink) +
    ggplot2::geom_point(ggplot2::aes(y = .data$came, shape = .data$hit), size = 1.8, stroke = 1.3,
                        colour = ledger_colours(1)) +
    ggplot2::scale_shape_manual(
      NULL, breaks = c("Expected, with its range", as.character(unique(points$hit))),
      values = stats::setNames(c(22, 16, 4), c("Expected, with its range", hits))) +
    ggplot2::scale_x_continuous(breaks = points$place, labels = points$period) +
    value_axis(c(points$low, points$high, points$came, points$expected), 0.06)
  finished_figure(p, s, title %||% heading_text(says[1]), subtitle %||% figure_subtitle(s),
                  paste(says[-1], collapse = "\n"),
                  c("Points and ranges", paste(says[-1], collapse = " ")), column$unit, made)
})
