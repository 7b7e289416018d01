describe_verb("figure_unusual", asked_of = "list",
  line = field("number", "the number of the line that is drawn", default = 1, value = "NUMBER"),
  shared = list(figure_trend = c("title", "subtitle"))
)

#' Draw what stands out
#'
#' One line of what stands out with its past: what came in each period, the range in which it was to
#' be expected, and the period that stands out.
#'
#' @param s What [stands_out()] gave.
#' @eval field_params("figure_unusual")
#' @return A ggplot. Its data are the past periods of the line: `period`, `from`, `to`, `came`,
#'   `expected`, `low`, `high` and `is_line` (logical: the one that stands out).
#' @section Errors:
#' `rollingledger_error_choice` for what is no such list, or a number beyond its lines.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' stands_out(fares, income = total(fare), span = "2025-01-20/2025-01-26") |>
#'   figure_unusual()
#' @include figure-trend.R
figure_unusual <- with_fields("figure_unusual", function(s, line, title, subtitle) {
  made <- asked_show("figure_unusual")
  call <- rlang::current_env()
  if (!inherits(s, "unusual") || is.null(attr(s, "facts")))
    refuse("choice", "{s} must be what `stands_out()` gave.", arg = "s", call = call)
  at <- line_number(s, line, call)
  points <- attr(s, "past")[[at]]
  points <- points[!is.na(points$expected), ]
  points$is_line <- points$from == s$from[at]
  points <- points[points$from <= s$from[at], ]
  column <- columns_of(s)[[s$measure[at]]]
  own <- points[points$is_line, ]
  days <- ggplot2::aes(x = .data$from)
  title <- title %||% sub("[.]$", "", line_sentence(s, at))
  subtitle <- subtitle %||% unusual_title(s)
  p <- ggplot2::ggplot(points, days) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low, ymax = .data$high,
                                      fill = "Expected, 8 of 10 in the range"), alpha = 0.35) +
    ggplot2::geom_line(ggplot2::aes(y = .data$expected), linetype = "22", linewidth = 0.5,
                       colour = figure_quiet) +
    ggplot2::geom_line(ggplot2::aes(y = .data$came), linewidth = 0.8,
                       colour = ledger_colours(1)) +
    ggplot2::geom_point(ggplot2::aes(y = .data$came), size = 1.2, colour = ledger_colours(1)) +
    ggplot2::geom_point(ggplot2::aes(y = .data$came, shape = "Stands out"), own, size = 4,
                        stroke = 1.2, colour = ledger_colours(2)[2]) +
    ggplot2::scale_fill_manual(NULL, values = figure_plain) +
    ggplot2::scale_shape_manual(NULL, values = 21) +
    value_axis(c(points$low, points$high, points$came), 0.06) +
    ggplot2::scale_x_date(expand = ggplot2::expansion(mult = c(0.02, 0.04)))
  # The page says conditions in words of its own.
  notes <- attr(s, "notes")
  if (message_reader() == "page") notes <- notes[!startsWith(as.character(notes), "Where ")]
  finished_figure(p, s, title, subtitle, paste(c(attr(s, "sentences")[1], notes),
                                               collapse = "\n"),
                  c("A trend with its range", line_sentence(s, at)), column$unit, made)
})

#' @rdname autoplot.statement
#' @exportS3Method ggplot2::autoplot
autoplot.unusual <- function(object, ...) figure_unusual(object, ...)
