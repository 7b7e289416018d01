describe_verb("figure_days", asked_of = "statement",
  layout = field("choice", "days by months or by years, what fits without it",
                 choices = c("months", "years"), value = "WORD"),
  shape = field("choice", "shape of the days", default = "square", choices = c("square", "round"),
                value = "WORD"),
  gap = field("number", "part of a day's width that stays free, 0 to 0.9", default = 0.12,
              value = "NUMBER"),
  tint = field("text", "colour of the largest figure", default = "#195B75", value = "COLOUR"),
  values = field("flag", "write the figures into the days, where there is room", default = FALSE),
  first_day = field("choice", "weekday that stands first, that of the ledger's weeks without it",
                    choices = weekday_names, value = "WEEKDAY"),
  shared = list(figure_trend = c("panels", "title", "subtitle"), figure_years = "m")
)

#' Draw a calendar of days
#'
#' Every day as a tile, tinted by its figure: by month, with the weeks below each other, or by year,
#' with the weeks beside each other. Weeks begin on the calendar's week start, or on the day that is
#' told. A day without entries, a day whose figure is zero, and a day outside the span look
#' different, and the legend tells them apart.
#'
#' @param s A [statement()] with `per = "day"`, without attributes, or with the one that is
#'   `panels`. To narrow what is counted, give it a condition.
#' @eval field_params("figure_days")
#' @return A ggplot. Its data hold a row per day: `panel` (factor), `of_row` (integer: which row of
#'   those drawn it is), `from` and `to`, `value`, `entries` (double: how many entries stand
#'   behind it), `state` (text: "figure", "zero", "no entries", "no figure" or "outside the span"),
#'   `block`
#'   (factor: the month or year), `column` and `row` (double: where it stands).
#' @section Errors:
#' As for [figure_trend()]; another grain than days, more than ten years or 24 months, and wrong
#' `layout`, `shape`, `gap` or `tint` are refused.
#' @source Weeks and their first day: ISO 8601, unless [ledger_calendar()] says otherwise.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "day", span = "2025-01/2025-06", income = total(fare)) |> figure_days()
#' @include figure-trend.R figure-years.R
figure_days <- with_fields("figure_days", function(s, m, layout, shape, gap, tint, values,
                                                   first_day, panels, title, subtitle) {
  made <- asked_show("figure_days")
  s <- drawn_statement(s, "A calendar of days", periods = TRUE)
  shown <- drawn_column(s, rlang::enquo(m))
  shape <- one_of(shape, c("square", "round"), "shape")
  one_flag(values, "values")
  check_days_look(s, gap, tint)
  panels <- check_panels(s, panels)
  plan <- statement_info(s)
  if (length(setdiff(plan$by, panels)) > 0) {
    refuse("choice",
           c(sprintf("A day has one tile, but the statement is by `%s`.",
                     setdiff(plan$by, panels)[1]),
             i = "Leave it out, or give each member a panel: panels = ATTRIBUTE."), arg = "s")
  }
  layout <- days_layout(layout, s, panels)
  if (!is.null(first_day)) {
    first_day <- one_of(first_day, weekday_names, "first_day")
    plan$calendar$week_start <- match(first_day, weekday_names)
  }
  points <- day_points(s, shown, panels, layout, plan$calendar)
  column <- columns_of(s)[[shown]]
  title <- title %||% sprintf("%s by %s", column_title(s, shown), listed(c("day", panels)))
  subtitle <- subtitle %||% figure_subtitle(s)
  p <- ggplot2::ggplot(points, ggplot2::aes(.data$column, .data$row)) +
    day_layers(points, shape, gap, tint, layout, values, column) +
    day_panels(points, layout) + day_scales(points, plan, layout, tint, column) +
      ggplot2::coord_equal(clip = "off")
  caption <- paste(column_caption(s, shown), collapse = "\n")
  finished_figure(p, s, title, subtitle, if (nzchar(caption)) caption,
                  c("Calendar of days", day_words(points, column, is_of_own_days(s, shown))), NULL,
                  made) +
    ggplot2::theme(strip.placement = "outside",
                   strip.text.y.left = ggplot2::element_text(
                     angle = 0, vjust = 1, margin = ggplot2::margin(r = 8)),
                   panel.grid.major.y = ggplot2::element_blank(),
                   axis.line.x = ggplot2::element_blank(), axis.ticks.x = ggplot2::element_blank(),
                   legend.title = ggplot2::element_text(
                     size = ggplot2::rel(0.9), colour = figure_quiet),
                   panel.spacing = ggplot2::unit(10, "pt"))
})

check_days_look <- function(s, gap, tint, call = caller_env()) {
  if (statement_info(s)$per != "day") {
    refuse("choice",
           c(sprintf("A calendar of days needs a statement per day, not per %s.",
                     statement_info(s)$per), i = "Make it with per = \"day\"."), arg = "s",
           call = call)
  }
  if (!is.numeric(gap) || length(gap) != 1 || is.na(gap) || gap < 0 || gap > 0.9)
    refuse("choice", "{gap} must be a number from 0 to 0.9.", arg = "gap", call = call)
  known <- is.character(tint) && length(tint) == 1 && !is.na(tint) &&
    tryCatch(is.matrix(grDevices::col2rgb(tint)), error = function(e) FALSE)
  if (!known) refuse("choice", "{tint} must be a colour, such as \"#195B75\".", arg = "tint",
                     call = call)
}

days_layout <- function(layout, s, panels, call = caller_env()) {
  from <- min(s$from)
  to <- max(s$to)
  months <- length(unique(format(seq(from, to, by = "day"), "%Y-%m")))
  layout <- if (is.null(layout)) (if (months <= 12 && is.null(panels)) "months" else "years")
            else one_of(layout, c("months", "years"), "layout", call = call)
  if (layout == "months" && (months > 24 || !is.null(panels))) {
    refuse("choice",
           c(if (is.null(panels))
             sprintf("%d months are too many to show each day of (at most 24).", months)
             else "Panels have their days by year.",
             i = "Take layout = \"years\", or a shorter span."), arg = "layout", call = call)
  }
  years <- as.integer(format(to, "%Y")) - as.integer(format(from, "%Y")) + 1L
  rows <- years * if (is.null(panels)) 1 else length(unique(s[[panels]]))
  if (layout == "years" && rows > 12) {
    refuse("choice",
           c(sprintf("%d years below each other cannot be read (at most 12).", rows),
             i = "Take a shorter span."), arg = "s", call = call)
  }
  layout
}

# One row for each day of the months or years shown, those outside the statement's days too.
day_points <- function(s, shown, panels, layout, calendar = statement_info(s)$calendar) {
  held <- entries_of_rows(s)
  of_day <- is_of_own_days(s, shown)
  members <- if (is.null(panels)) "" else member_text(panels_in_order(s, panels))
  first <- day_numbers(min(s$from))
  last <- day_numbers(max(s$to))
  grain <- if (layout == "months") "month" else "year"
  begin <- periods_holding(first, grain, calendar)$first
  end <- periods_holding(last, grain, calendar)$last
  days <- seq.int(begin, end)
  parts <- lapply(members, function(member) {
    mine <- if (is.null(panels)) rep(TRUE, nrow(s)) else member_text(s[[panels]]) == member
    at <- match(days, day_numbers(s$from)[mine])
    value <- as.double(s[[shown]])[mine][at]
    entries <- held[mine][at]
    data.frame(panel = member, of_row = which(mine)[at], from = as_date(days), to = as_date(days),
               value = value,
               entries = entries,
               state = ifelse(is.na(at), "outside the span", day_state(value, entries, of_day)))
  })
  points <- do.call(rbind, parts)
  points$panel <- factor(points$panel, levels = members)
  placed_days(points, calendar, layout)
}

# Whether a figure is one of each row's own entries: not what runs over other days, or is carried.
is_of_own_days <- function(s, name) {
  column <- columns_of(s)[[name]]
  measure <- statement_info(s)$measures[[column$measure %||% name]]
  column$kind %in% c("measure", "share", "per day", "target") && !is_level(measure)
}

day_state <- function(value, entries, of_day) {
  without <- if (of_day) is.na(value) | entries == 0 & value == 0 else is.na(value)
  ifelse(without, if (of_day) "no entries" else "no figure", ifelse(value == 0, "zero", "figure"))
}

# Weeks as rows of a month, or as columns of a year.
placed_days <- function(points, calendar, layout) {
  day <- day_numbers(points$from)
  date <- core_dates_of(day)
  weekday <- (date[, 4] - calendar$week_start) %% 7  # 0 is the first day of the week
  if (layout == "months") {
    first <- core_dates_of(day - date[, 3] + 1L)
    lead <- (first[, 4] - calendar$week_start) %% 7
    points$column <- as.double(weekday + 1)
    points$row <- -as.double((date[, 3] - 1 + lead) %/% 7 + 1)
    label <- paste(month_names[date[, 2]], date[, 1])
  } else {
    begin <- periods_holding(day, "year", calendar)$first
    lead <- (core_dates_of(begin)[, 4] - calendar$week_start) %% 7
    points$column <- as.double((day - begin + lead) %/% 7 + 1)
    points$row <- -as.double(weekday + 1)
    label <- paste0(ifelse(points$panel == "", "", paste0(points$panel, ", ")), date[, 1])
  }
  points$block <- factor(label, levels = unique(label))
  points
}

# How many entries stand behind each row.
entries_of_rows <- function(s) {
  rows <- current_rows(s)
  plan <- statement_info(s)
  group_entries(plan_ledger(plan), plan_ask(plan), rows$group, rows$from, rows$to)
}

day_layers <- function(points, shape, gap, tint, layout, values, column) {
  inside <- points[points$state == "figure", ]
  empty <- points[points$state %in% c("no entries", "no figure"), ]
  zero <- points[points$state == "zero", ]
  outside <- points[points$state == "outside the span", ]
  side <- 1 - gap
  tile <- function(rows, ..., tinted = FALSE) {
    if (nrow(rows) == 0) return(NULL)
    if (shape == "square")
      return(ggplot2::geom_tile(if (tinted) ggplot2::aes(fill = .data$value), rows, width = side,
                                height = side, ...))
    circle <- seq(0, 2 * pi, length.out = 25)[-25]
    rounds <- rows[rep(seq_len(nrow(rows)), each = 24), ]
    rounds$which <- rep(seq_len(nrow(rows)), each = 24)
    rounds$column <- rounds$column + rep(cos(circle) * side / 2, nrow(rows))
    rounds$row <- rounds$row + rep(sin(circle) * side / 2, nrow(rows))
    ggplot2::geom_polygon(if (tinted) ggplot2::aes(group = .data$which, fill = .data$value)
                          else ggplot2::aes(group = .data$which), rounds, ...)
  }
  list(tile(outside, fill = NA, colour = "#E9EDF0", linewidth = 0.25),
       tile(empty, fill = "white", colour = "#A3AFBA", linewidth = 0.35),
       tile(zero, fill = "#EDF0F2"), tile(inside, tinted = TRUE),
       day_marks(points[points$state %in% names(day_shapes), ]),
       day_texts(points, inside, layout, values, column, tint))
}

# A small cross for a day without entries and a ring for a zero, both told in the legend.
day_shapes <- c("no entries" = 4, "no figure" = 4, zero = 1)

day_marks <- function(marked) {
  if (nrow(marked) == 0) return(NULL)
  list(ggplot2::geom_point(data = marked, ggplot2::aes(shape = .data$state), size = 1.1,
                           colour = figure_quiet))
}

day_texts <- function(points, inside, layout, values, column, tint) {
  if (layout != "months") return(NULL)
  blocks <- nlevels(points$block)
  if (values && blocks <= 3) {
    inside$text <- short_numbers(inside$value)
    inside$ink <- tile_ink(inside$value, tint)
    return(
      list(ggplot2::geom_text(data = inside, ggplot2::aes(label = .data$text),
                              size = c(4.2, 3.6, 3)[blocks], colour = inside$ink)))
  }
  if (blocks > 12) return(NULL)
  shown <- points[!points$state %in% names(day_shapes), ]
  shown$number <- core_dates_of(day_numbers(shown$from))[, 3]
  ink <- rep("#B9C3CB", nrow(shown))
  own <- shown$state == "figure"
  ink[own] <- tile_ink(shown$value[own], tint, of = inside$value)
  list(ggplot2::geom_text(data = shown, ggplot2::aes(label = .data$number), size = if (blocks <= 3)
    4 else if (blocks <= 6) 3.2 else 2.5, colour = ink))
}

day_breaks <- function(values) {
  values <- values[!is.na(values)]
  if (length(values) == 0) return(c(0, 1))
  reach <- range(c(0, values))
  if (diff(reach) == 0) return(c(0, 1))
  breaks <- scales::breaks_extended(5)(reach)
  step <- diff(breaks)[1]
  breaks <- seq(min(breaks), max(breaks), by = step)
  if (breaks[1] > reach[1]) breaks <- c(breaks[1] - step, breaks)
  if (breaks[length(breaks)] < reach[2]) breaks <- c(breaks, breaks[length(breaks)] + step)
  breaks
}

# Colours of the classes between breaks: the larger the figure the nearer to the tint, or to another
# colour below zero.
day_colours <- function(breaks, tint) {
  low <- breaks[-length(breaks)]
  high <- breaks[-1]
  strength <- pmax(abs(low), abs(high)) / max(abs(breaks))
  ramp <- function(colour) grDevices::colorRamp(c(paler(colour, 0.93), colour))
  rgb <- ifelse(matrix(high > 0, length(high), 3), ramp(tint)(strength), ramp("#85111D")(strength))
  grDevices::rgb(rgb, maxColorValue = 255)
}

tile_ink <- function(values, tint, of = values) {
  breaks <- day_breaks(of)
  ink_on(day_colours(breaks,
                     tint)[pmin(pmax(findInterval(values, breaks, rightmost.closed = TRUE), 1),
                                length(breaks) - 1)])
}

# Blocks of months in as many columns as leave the tiles largest on a page that is about twice as
# wide as high.
day_panels <- function(points, layout) {
  if (layout == "years") {
    return(
      list(ggplot2::facet_wrap(ggplot2::vars(.data$block), ncol = 1, strip.position = "left",
                               labeller = ggplot2::label_wrap_gen(14))))
  }
  n <- nlevels(points$block)
  columns <- seq_len(n)
  side <- pmin(1.9 / (7.4 * columns), 1 / (8.2 * ceiling(n / columns)))
  list(ggplot2::facet_wrap(ggplot2::vars(.data$block), ncol = columns[which.max(side)]))
}

day_scales <- function(points, plan, layout, tint, column) {
  breaks <- day_breaks(points$value[points$state == "figure"])
  order <- (plan$calendar$week_start - 1 + 0:6) %% 7 + 1
  short <- substr(weekday_names[order], 1, if (layout == "months") 2 else 3)
  # Each class has one colour from its lower to its upper break.
  inset <- 1e-9 * diff(range(breaks))
  ends <- scales::rescale(sort(c(breaks[-length(breaks)] + inset, breaks[-1] - inset)))
  legend <- ggplot2::guide_coloursteps(barwidth = ggplot2::unit(260, "pt"),
                                       barheight = ggplot2::unit(10, "pt"), title.position = "left",
                                       title.vjust = 0.8,
                                       even.steps = FALSE, order = 1)
  marks <- ggplot2::guide_legend(order = 2, override.aes = list(size = 2))
  list(
    ggplot2::scale_fill_stepsn(colours = rep(day_colours(breaks, tint), each = 2), values = ends,
                               breaks = breaks, limits = range(breaks), labels = axis_numbers,
                               name = column$unit %||% " ", guide = legend),
    if (any(points$state %in% names(day_shapes)))
      ggplot2::scale_shape_manual(values = day_shapes[names(day_shapes) %in% points$state],
                                  name = NULL, guide = marks),
    if (layout == "months")
      ggplot2::scale_x_continuous(breaks = 1:7, labels = short,
                                  expand = ggplot2::expansion(add = 0.1), position = "top") else
      ggplot2::scale_x_continuous(breaks = year_week_breaks(), labels = substr(month_names, 1, 3),
                                  expand = ggplot2::expansion(add = 0.1)),
    if (layout == "months")
      ggplot2::scale_y_continuous(breaks = NULL, expand = ggplot2::expansion(add = 0.1)) else
      ggplot2::scale_y_continuous(breaks = -c(1, 3, 5), labels = short[c(1, 3, 5)],
                                  expand = ggplot2::expansion(add = 0.1))
  )
}

# About the middle of each month, in weeks of the year.
year_week_breaks <- function() (cumsum(c(0, days_of_months))[1:12] + 15) / 7 + 0.9

day_words <- function(points, column, of_day) {
  own <- points[points$state %in% c("figure", "zero"), ]
  if (nrow(own) == 0) return(if (of_day) "No day has entries." else "No day has a figure.")
  top <- own[which.max(own$value), ]
  # What runs or is carried has a figure on days without entries.
  sprintf("%s with %s, %s without; the largest is %s on %s.", count_text(nrow(own), "day"),
          if (of_day) "entries" else "a figure",
          number_text(sum(points$state %in% c("no entries", "no figure"))),
          value_with_unit(top$value, column), day_text(day_numbers(top$from)))
}
