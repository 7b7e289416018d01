describe_verb("figure_change", asked_of = "statement",
  m = field("measure", "measure whose change is drawn, the first without it", option = "draw",
            value = "COLUMN", more = "Its name, bare or as text."),
  from = field("phrase", "what changes are from, where the statement has none of its own",
               value = "WHEN", option = "figure-from", more = "As in [add_change()]."),
  in_per_cent = field("flag", "draw changes in per cent", default = FALSE),
  shared = list(figure_trend = c("title", "subtitle"))
)

#' Draw a change
#'
#' This against before, and below it the change: up and down are told by direction and by a sign,
#' not by colour alone. Without periods the members lie below each other, the largest change first.
#'
#' @param s A [statement()], with or without [add_change()].
#' @eval field_params("figure_change")
#' @return A ggplot of two panels. Its data hold one row per figure, period and member: `part`
#'   (factor: the figures, the change), `series` ("now", "before" or the change), `panel`, `place`,
#'   `from`, `to`, `complete`, `value` and `label` (text: the change with its sign, shown where
#'   there is room).
#' @section Errors:
#' As for [figure_trend()] and [add_change()]; more than 40 members below each other, or several
#' members per period, are refused.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", span = "2026", income = total(fare)) |>
#'   figure_change(from = "1 year back")
#' statement(fares, by = "route", span = "month to date", income = total(fare)) |>
#'   figure_change(from = "1 year back", in_per_cent = TRUE)
#' @include figure-trend.R
figure_change <- with_fields("figure_change", function(s, m, from, in_per_cent, title, subtitle) {
  made <- asked_show("figure_change")
  s <- drawn_statement(s, "A figure of changes")
  one_flag(in_per_cent, "in_per_cent")
  plan <- statement_info(s)
  changed <- changed_statement(s, rlang::enquo(m),
                               from %||% if (is.null(plan$per)) "1 year back" else "period before")
  s <- changed$s
  points <- change_points(s, changed, in_per_cent)
  lying <- is.null(plan$per)
  title <- title %||% change_title(s, changed, points)
  subtitle <- subtitle %||% figure_subtitle(s)
  caption <- paste(
    column_caption(s, changed$change), collapse = "\n")
  ends <- attr(points, "places")
  colours <- c(now = ledger_colours(1), before = figure_rest, up = ledger_colours(1),
               down = ledger_colours(4)[4])
  p <- ggplot2::ggplot(points, ggplot2::aes(fill = .data$kind)) +
    change_layers(points, colours, lying) +
    mark_key(1, list(box = if (!lying) partial_mark(s))) +
    (if (lying) ggplot2::geom_vline(xintercept = 0, colour = figure_quiet, linewidth = 0.4)
     else ggplot2::geom_hline(yintercept = 0, colour = figure_quiet, linewidth = 0.4)) +
    (if (lying) ggplot2::facet_grid(cols = ggplot2::vars(.data$part), scales = "free_x")
     else ggplot2::facet_wrap(ggplot2::vars(.data$part), ncol = 1, scales = "free_y")) +
    ggplot2::scale_fill_manual(values = colours, breaks = c("now", "before"),
                               labels = c("now", before_text(s, changed)),
                               guide = ggplot2::guide_legend(
                                 order = 1, override.aes = list(alpha = 1, linetype = 0))) +
    change_axes(points$value, ends, plan, lying) + ggplot2::coord_cartesian(clip = "off")
  finished_figure(p, s, title, subtitle, caption,
                  c("Columns of now and before, and the change", change_words(points)), NULL,
                  made) + (if (lying) lying_theme())
})

# The statement with before and change of one measure: list(s, m, before, change, pct).
changed_statement <- function(s, quo, from, call = caller_env()) {
  columns <- columns_of(s)
  own <- Filter(function(name) columns[[name]]$kind == "before" && name %in% names(s),
                names(columns))
  m <- if (!rlang::quo_is_null(quo)) statement_measure(s, bare_name(quo), call)
       else if (length(own) > 0) columns[[own[1]]]$measure else names(statement_info(s)$measures)[1]
  if (!any(vapply(own, function(name) columns[[name]]$measure == m, TRUE))) {
    read_change_base(from, statement_info(s), call)  # refused in the name of the figure
    s <- add_change(s, !!m, from = from)
  }
  columns <- columns_of(s)
  of <- function(kind, part = NULL) {
    names(Filter(function(column) column$kind == kind && identical(column$measure, m) &&
                 identical(column$part, part), columns[intersect(names(columns), names(s))]))[1]
  }
  out <- list(s = s, m = m, before = of("before"), change = of("change", "difference"),
              pct = of("change", "pct"))
  lost <- names(Filter(is.na, out[c("before", "change", "pct")]))
  if (length(lost) > 0)
    refuse("statement",
           sprintf("The statement has lost a column of the change of `%s` (%s).", m, lost[1]),
           call = call)
  out
}

change_points <- function(s, changed, in_per_cent, call = caller_env()) {
  plan <- statement_info(s)
  lying <- is.null(plan$per)
  several <- length(unique(s$period)) > 1
  label <- period_names(s)
  if (lying && length(plan$by) > 0) {
    label <- labels_told_apart(unclass(s)[c(plan$by, if (several) "period")], nrow(s))
  }
  if (anyDuplicated(label)) {
    refuse("choice",
           c(paste0("A figure of changes has one change per period, and this statement has ",
                    "several members."),
             i = "Leave out {per}, or take a condition for one member."), arg = "s", call = call)
  }
  if (lying && nrow(s) > 40) {
    refuse("choice",
           c(sprintf("%s members below each other cannot be read.", number_text(nrow(s))),
             i = "Keep the largest with add_rank(keep = )."), arg = "s", call = call)
  }
  shown <- if (in_per_cent) changed$pct else changed$change
  by_size <- lying && length(plan$by) > 0 && !members_in_order(s)
  order <- if (by_size) order(-s[[shown]], na.last = TRUE)
           else if (lying) seq_len(nrow(s)) else order(s$from, s$to)
  places <- stats::setNames(if (lying) rev(seq_along(order)) else seq_along(order), label[order])
  columns <- columns_of(s)
  unit <- function(name) if (is.null(columns[[name]]$unit)) ""
                         else sprintf(" (%s)", columns[[name]]$unit)
  parts <- c(paste0(column_title(s, changed$m), unit(changed$m)), paste0("Change", unit(shown)))
  points <- data.frame(
    part = factor(rep(parts[c(1, 1, 2)], each = nrow(s)), levels = parts),
    kind = rep(c("before", "now", "change"), each = nrow(s)), label_of = rep(label, 3),
    place = rep(unname(places[label]), 3), of_row = rep(seq_len(nrow(s)), 3),
    figure = rep(c(changed$before, changed$m, changed$m), each = nrow(s)),
    told_of = rep(c(changed$before, changed$m, shown), each = nrow(s)),
    from = rep(s$from, 3), to = rep(s$to, 3),
    complete = rep(s$complete | lying, 3),
    value = c(s[[changed$before]], s[[changed$m]], s[[shown]])
  )
  change <- points$kind == "change"
  points$label <- ifelse(change & !is.na(points$value),
                         signed_text(points$value, columns[[shown]]$decimals), "")
  points$kind[change] <- ifelse(points$value[change] < 0 & !is.na(points$value[change]), "down",
                                "up")
  points$series <- points$kind
  attr(points, "places") <- places
  points
}

# Before and now stand side by side, their change in the middle: `at` and `half`.
change_boxes <- function(points, lying) {
  beside <- c(before = 0.21, now = -0.21, up = 0, down = 0)[points$kind]
  points$at <- points$place + beside * if (lying) 1 else -1
  points$half <- ifelse(points$kind %in% c("up", "down"), 0.4, 0.2)
  points
}

change_layers <- function(points, colours, lying) {
  points <- change_boxes(points, lying)
  drawn <- points[!is.na(points$value), ]
  box <- if (lying)
    ggplot2::aes(xmin = 0, xmax = .data$value, ymin = .data$at - .data$half,
                 ymax = .data$at + .data$half)
         else ggplot2::aes(ymin = 0, ymax = .data$value, xmin = .data$at - .data$half,
                           xmax = .data$at + .data$half)
  part <- drawn[!drawn$complete, ]
  told <- drawn[drawn$label != "", ]
  across <- length(unique(points$place))
  size <- text_mm(3.6)
  room <- if (lying) change_panel_room(attr(points, "places")) / 2.7 else panels_room() / across
  fits <- function() lines_pixels(told$label, points_of_mm(size)) + 6 <= room
  if (nrow(told) > 0 && !fits())
    told$label <- short_changes(told$value)
  if (!fits()) told <- told[0, ]
  down <- told$value < 0
  list(
    ggplot2::geom_rect(data = drawn[drawn$complete, ], box),
    if (nrow(part) > 0)
      ggplot2::geom_rect(data = part, box, alpha = 0.35, colour = colours[part$kind],
                         linewidth = 0.5, linetype = "22"),
    if (nrow(told) == 0) NULL
    else if (lying)
      ggplot2::geom_text(data = told,
                         ggplot2::aes(x = .data$value, y = .data$place, label = .data$label),
                         hjust = ifelse(down, 1.1, -0.1), size = size, colour = figure_ink)
    else ggplot2::geom_text(data = told,
                            ggplot2::aes(x = .data$place, y = .data$value, label = .data$label),
                            vjust = ifelse(down, 1.4, -0.5), size = size, colour = figure_ink)
  )
}

# "+0.4", "-1.2 k", "0": a sign, but for zero.
short_changes <- function(values) {
  paste0(ifelse(values > 0, "+", ""), short_numbers(values))
}

# Two panels share what is left beside the names.
change_panel_room <- function(places) {
  (words_room() - lines_pixels(member_names(places), 0.84 * figure_base())) / 2 - 24
}

# Each panel begins at zero on the side that has no values, and leaves room for the texts on the
# other.
change_axes <- function(values, places, plan, lying) {
  half <- change_panel_room(places)
  told <- lines_pixels(signed_text(values, 2), points_of_mm(text_mm(3.6))) + 8
  room <- function(limits) {
    size <- diff(range(c(0, limits)))
    if (size == 0) return(c(0, 1))
    sides <- sum(limits[1] < 0, limits[2] > 0)
    share <- if (lying) min(3, 1.1 * told / max(half - sides * told, 1)) else 0.14
    c(if (limits[1] < 0) limits[1] - share * size else 0,
      if (limits[2] > 0) limits[2] + share * size else 0)
  }
  axis <- if (lying) ggplot2::scale_x_continuous else ggplot2::scale_y_continuous
  list(axis(labels = axis_values, breaks = value_breaks(values, if (lying) half else Inf),
            limits = room,
            expand = ggplot2::expansion()),
       if (lying) member_axis(places) else period_axis(places, 1, plan$per))
}

# What "before" is: "1 year back", "the period before", or a span.
before_text <- function(s, changed) {
  note <- columns_of(s)[[changed$change]]$notes
  said <- sub(";.*", "",
              sub("^[^:]*: against (the days )?", "",
                  utils::head(grep(": against ", note, value = TRUE), 1)))
  if (length(said) == 0) "before" else said
}

change_title <- function(s, changed, points) {
  plan <- statement_info(s)
  by <- c(plan$per, gsub("_", " ", plan$by))
  what <- paste0(column_title(s, changed$m), if (length(by) > 0) paste(" by", listed(by)) else "")
  if (nrow(s) == 1)
    what <- sprintf("%s: %s", what,
                    value_with_unit(s[[changed$m]], columns_of(s)[[changed$m]]))
  windows <- windows_before(plan, columns_of(s)[[changed$before]], current_rows(s))
  same <- length(unique(s$period)) == 1 && length(unique(windows$from)) == 1 &&
    length(unique(windows$to)) == 1
  if (is.null(plan$anchors) && same) {
    return(sprintf("%s, %s against %s", what,
                   days_text(day_numbers(s$from[1]), day_numbers(s$to[1])),
                   days_text(windows$from[1], windows$to[1])))
  }
  sprintf("%s, against %s", what, before_text(s, changed))
}

change_words <- function(points) {
  told <- points[points$label != "", ]
  if (nrow(told) == 0) return("No change is known.")
  paste0("Change: ",
         listed(utils::tail(sprintf("%s %s", told$label_of, told$label), 12), most = 12), ".")
}
