describe_verb("figure_years", asked_of = "statement",
  m = field("column", "column of figures to draw, the first without it", option = "draw",
            value = "COLUMN", more = "Its name, bare or as text."),
  year = field("choice", "the years that are laid over each other",
               choices = c("calendar", "fiscal"),
               value = "WORD", more = "By default those of the statement's grain."),
  shared = list(figure_trend = c("panels", "average", "title", "subtitle"))
)

#' Lay years over each other
#'
#' A line per year over the days, weeks or months of the year, so that seasons can be compared: the
#' newest year stands out, the one before it has a colour of its own, older ones are grey. A period
#' that is not over stands apart, as in [figure_trend()]. Years are calendar years, or fiscal ones
#' where the statement's grain is fiscal.
#'
#' @param s A [statement()] per day, week, month, quarter or a fiscal one of these, without
#'   attributes, or with the one that is `panels`.
#' @eval field_params("figure_years")
#' @return A ggplot. Its data hold one row per point: `series` (factor: the year), `place` (double:
#'   day, week or month of the year, from 1), and `panel`, `period`, `from`, `to`, `complete`,
#'   `value` as in [figure_trend()].
#' @section Errors:
#' As for [figure_trend()]; a statement per year or with other attributes is refused.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", income = total(fare)) |> figure_years()
#' statement(fares, per = "day", income = total(fare)) |>
#'   add_running(income, since = "year") |>
#'   figure_years(income_running)
#' @include figure-trend.R
figure_years <- with_fields("figure_years", function(s, m, year, panels, average, title, subtitle) {
  made <- asked_show("figure_years")
  s <- drawn_statement(s, "A figure of years", periods = TRUE)
  shown <- drawn_column(s, rlang::enquo(m))
  one_flag(average, "average")
  panels <- check_panels(s, panels)
  plan <- statement_info(s)
  year <- check_year(plan, year, panels)
  points <- figure_points(s, shown, panels)
  marks <- comparison_marks(s, shown, points)
  points <- points_in_years(points, plan, year)
  if (!is.null(marks))
    marks <- structure(points_in_years(marks, plan, year), says = attr(marks, "says"))
  from_zero <- from_zero_up(s, shown) && all(points$value >= 0, na.rm = TRUE)
  colours <- year_colours(levels(points$series))
  lines <- reference_lines(points, s, shown, average, NULL)
  legend <- nlevels(points$panel) > 6 && nlevels(points$series) > 1
  title <- title %||% sprintf("%s: years laid over each other by %s", column_title(s, shown),
                              listed(c(plan$per, panels)))
  subtitle <- subtitle %||% figure_subtitle(s)
  caption <- paste(c(begun_with_ledger(points, plan), if (nlevels(points$series) > 8)
                       sprintf("Years before %s are grey.",
                               rev(levels(points$series))[2]), column_caption(s,
                                   shown)), collapse = "\n")
  last <- points[!is.na(points$value), ]
  last <- last[order(last$panel, last$series, last$place), ]
  last <- last[!duplicated(last[c("panel", "series")], fromLast = TRUE), ]
  p <- ggplot2::ggplot(
    points, ggplot2::aes(.data$place, .data$value, group = .data$series, colour = .data$series)) +
    reference_layers(lines) +
    (if (from_zero) ggplot2::expand_limits(y = 0)) + zero_line(points$value) +
      year_layers(points, colours) +
    like_layers(marks, points, function(marks) marks$place) +
    mark_key(1, list(point = partial_mark(s), like = like_mark(marks))) +
    (if (!legend) year_labels(last, colours, points)) + panel_layer(points, lines = lines) +
    ggplot2::scale_colour_manual(values = colours, guide = if (legend)
      ggplot2::guide_legend(override.aes = list(linetype = "solid")) else "none") +
    value_axis(c(points$value, marks$value), if (from_zero) 0 else 0.06,
               panels = nlevels(points$panel), sec.axis = reference_axis(lines, points,
                   points$value)) +
    year_axis(points, plan, year, if (legend) 0 else max(nchar(levels(points$series)))) +
      ggplot2::coord_cartesian(clip = "off")
  finished_figure(p, s, title, subtitle, caption,
                  c("Lines of years laid over each other", latest_words(points, s, shown)),
                  shared_unit(s, shown), made)
})

check_year <- function(plan, year, panels, call = caller_env()) {
  fiscal <- startsWith(plan$per, "fiscal")
  if (plan$per %in% c("year", "fiscal year")) {
    refuse("choice",
           c(sprintf(paste0("A statement per %s has one figure a year, which leaves nothing to ",
                            "lay over each other."), plan$per),
             i = "Make it per month, week or day."), arg = "s", call = call)
  }
  others <- setdiff(plan$by, panels)
  if (length(others) > 0) {
    refuse("choice",
           c(sprintf(paste0("Years of several members cannot be told apart; the statement has ",
                            "the attribute `%s`."), others[1]),
             i = "Give each member a panel: panels = ATTRIBUTE, or leave the attribute out."),
           arg = "s", call = call)
  }
  year <- if (is.null(year)) (if (fiscal) "fiscal" else "calendar")
          else one_of(year, c("calendar", "fiscal"), "year", call = call)
  if (fiscal && year == "calendar" || !fiscal && year == "fiscal" && plan$per == "week") {
    refuse("choice",
           c(sprintf("Periods of a %s do not fit %s years.", plan$per, year),
             i = sprintf("Make the statement per %s.",
                         if (fiscal) sub("fiscal ", "", plan$per) else paste("fiscal", plan$per))),
           arg = "year", call = call)
  }
  year
}

# The year of each point, and its place in it: days of a calendar year by month and day, so that 1
# March stands below 1 March.
points_in_years <- function(points, plan, year) {
  calendar <- plan$calendar
  from <- day_numbers(points$from)
  # A first period may begin before its year's first day in the ledger.
  held <- periods_holding(from, plan$per, calendar)
  if (endsWith(plan$per, "week")) {
    # Labels of weeks tell the year and the number by the calendar's own rule.
    if (year == "fiscal" && any(grepl(", week from ", held$label, fixed = TRUE)))
      refuse_place_unknown("fiscal year", calendar)
    label <- sub("-W[0-9]+$", "", held$label)
    points$place <- as.double(sub("^.*-W", "", held$label))
    own <- list(first = held$first)
  } else {
    grain <- if (year == "fiscal") "fiscal year" else "year"
    own <- periods_holding(if (plan$per == "day") from else held$first, grain, calendar)
    label <- own$label
    if (plan$per == "day" && year == "fiscal" && any(begins_unknown(
      period_indexes(from, "fiscal year", calendar), "fiscal year", calendar))) {
      refuse_place_unknown("fiscal year", calendar)
    }
    points$place <- if (plan$per == "day") day_in_year(from, own$first)
                    else period_in_year(held$first, own$first, plan$per, calendar)
  }
  years <- unique(label[order(own$first)])
  points$series <- factor(label, levels = years)
  points
}

# A first year of which the ledger has not the beginning is no small year.
begun_with_ledger <- function(points, plan) {
  first <- points[which.min(points$from), ]
  holds <- day_numbers(first$from) <= plan$first && day_numbers(first$to) >= plan$first
  if (first$place == 1 || !holds) return(NULL)
  sprintf("%s begins with the ledger, on %s.", first$series, day_text(plan$first))
}

year_colours <- function(years) {
  n <- length(years)
  strong <- rev(ledger_colours(2))
  greys <- if (n > 2) grDevices::colorRampPalette(c("#C9D1D7", "#7E8C98"))(n - 2)
  stats::setNames(utils::tail(c(greys, strong), n), years)
}

year_layers <- function(points, colours) {
  pairs <- neighbours(points)
  steps <- cbind(pairs$a[c("panel", "series", "place", "value")], next_place = pairs$b$place,
                 next_value = pairs$b$value, whole = pairs$a$complete & pairs$b$complete,
                 newest = pairs$a$series == utils::tail(levels(points$series), 1))
  part <- points[!points$complete, ]
  line <- function(steps, newest, whole) {
    rows <- steps[steps$newest == newest & steps$whole == whole, ]
    if (nrow(rows) == 0) return(NULL)
    ggplot2::geom_segment(data = rows,
                          ggplot2::aes(xend = .data$next_place, yend = .data$next_value),
                          linewidth = if (newest) 1.4 else 0.8,
                          linetype = if (whole) "solid" else "22", lineend = "round", na.rm = TRUE)
  }
  few <- length(unique(points$place)) <= 24
  list(line(steps, FALSE, TRUE), line(steps, FALSE, FALSE), line(steps, TRUE, TRUE),
       line(steps, TRUE, FALSE),
       if (few) ggplot2::geom_point(data = points[points$complete, ], size = 1.7, na.rm = TRUE),
       if (nrow(part) > 0)
         ggplot2::geom_point(data = part, shape = 21, fill = "white", size = 2.6, stroke = 1.1,
                             na.rm = TRUE))
}

# The year at the end of each line, in every panel.
year_labels <- function(last, colours, points) {
  span <- diff(range(c(0, points$value), na.rm = TRUE))
  last$at <- last$value
  gap <- if (nlevels(points$panel) > 3) 0.08 else if (nlevels(points$panel) > 1) 0.06 else 0.035
  gap <- gap * 620 / max(120, figure_canvas()$height - 180)
  # Only lines that end at the same place are in each other's way.
  for (mine in split(seq_len(nrow(last)), list(last$panel, last$place),
                     drop = TRUE)) last$at[mine] <- spread_out(last$value[mine], gap * span)
  list(ggplot2::geom_text(data = last,
                          ggplot2::aes(y = .data$at, label = paste0("  ", .data$series)), hjust = 0,
                          size = text_mm(3.7), fontface = "bold",
                          colour = text_colour(colours[as.character(last$series)])))
}

# Names of months along the year where it is made of months; numbers of weeks, quarters or fiscal
# periods otherwise.
year_axis <- function(points, plan, year, longest) {
  calendar <- plan$calendar
  several <- nlevels(points$panel)
  axis <- function(breaks, labels) {
    ggplot2::scale_x_continuous(breaks = breaks, labels = labels,
                                expand = ggplot2::expansion(
                                  mult = c(0.02,
                                           0.03 + 0.009 * longest * if (several > 1) 2.2 else 1)))
  }
  in_months <- year == "calendar" || is.null(calendar$pattern) && is.null(calendar$table)
  first <- if (year == "calendar") 1L else calendar$fiscal_start
  if (in_months && plan$per %in% c("month", "fiscal month", "day")) {
    turned <- (first - 1 + 0:11) %% 12 + 1
    each <- lines_pixels(if (plan$per == "day") "1 May" else "May", 0.8 * figure_base()) + 12
    few <- 12 * each > panels_room() / panels_across(several)
    every <- if (several > 2 || few) c(1, 4, 7, 10) else 1:12
    names <- substr(month_names[turned], 1, 3)[every]
    if (plan$per != "day") return(axis(every, names))
    return(axis(cumsum(c(1, days_of_months[turned]))[every], paste(1, names)))
  }
  if (plan$per == "day") return(axis(c(1, seq(30, 360, 30)), paste("day", c(1, seq(30, 360, 30)))))
  if (endsWith(plan$per, "week"))
    return(axis(c(1, seq(5, 50, 5)), paste0("W", c(1, seq(5, 50, 5)))))
  axis(seq_len(max(points$place)),
       paste0(if (endsWith(plan$per, "quarter")) "Q" else "M", seq_len(max(points$place))))
}
