describe_verb("figure_leaders", asked_of = "statement",
  m = field("measure", "measure to rank by, the first without it", option = "draw",
            value = "COLUMN", more = "Its name, bare or as text."),
  keep = field("number", "ranks to keep in each period", default = 3, value = "NUMBER",
               option = "leaders"),
  rest = field("text", "name of what is left over", default = "All others", value = "TEXT",
               option = "leaders-rest"),
  shared = list(figure_trend = c("panels", "title", "subtitle"))
)

#' Draw the leaders of each period
#'
#' The top members of each period, in front of the pale total of all. Figures that add up are piled,
#' the largest at the foot, with what is left over on top in a tint of its own; others stand side by
#' side. Who leads may change from period to period, so that more members appear than are kept: the
#' caption says how many. Where the last period is not over, a small mark shows what all together
#' came to on the same days a year back (or in the period before).
#'
#' @param s A [statement()] with `per` and one attribute, or two of which one is `panels`. One that
#'   [add_rank()] has ranked with `keep` is drawn as it is.
#' @eval field_params("figure_leaders")
#' @return A ggplot. Its data hold one row per leader and period, the leaders of a period in order
#'   of their rank: `panel`, `series`, `figure`, `period`, `from`, `to`, `complete` and `value` as
#'   in [figure_trend()], `place`, and `low` and `high`. The pale totals are the data of its first
#'   layer.
#' @section Errors:
#' As for [figure_columns()] and [add_rank()].
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, per = "month", by = "route", span = "2026", income = total(fare)) |>
#'   figure_leaders(income, keep = 2, rest = "All other routes")
#' @include figure-trend.R
figure_leaders <- with_fields("figure_leaders",
                              function(s, m, keep, rest, panels, title, subtitle) {
  made <- asked_show("figure_leaders")
  s <- drawn_statement(s, "A figure of leaders", periods = TRUE)
  panels <- check_panels(s, panels)
  ranked <- ranked_statement(s, rlang::enquo(m), keep, rest, panels)
  s <- ranked$s
  m <- ranked$m
  points <- figure_points(s, m, panels)
  if (length(setdiff(statement_info(s)$by, panels)) != 1) {
    refuse("choice",
           c("Leaders are members of one attribute.",
             i = "Draw a statement by one attribute, or give the other one panels."), arg = "s")
  }
  series <- leader_series(points, s, panels)
  places <- period_places(points)
  piled <- is_additive(statement_info(s)$measures[[m]])
  points <- placed_leaders(points, places, s, piled)
  together <- together_points(s, m, panels, places, points)
  marks <- together$marks
  together <- together$points
  title <- title %||% sprintf("%s by %s: the leading %s", column_title(s, m),
                              listed(c(statement_info(s)$per, panels)), leaders_text(s, points))
  subtitle <- subtitle %||% figure_subtitle(s)
  caption <- paste(c(ranked$note, series$note), collapse = "\n")
  legend <- series_legend(series$named)
  p <- ggplot2::ggplot(points, ggplot2::aes(fill = .data$series)) +
    ggplot2::geom_rect(data = together,
                       ggplot2::aes(xmin = .data$place - 0.46, xmax = .data$place + 0.46, ymin = 0,
                                    ymax = .data$value), inherit.aes = FALSE, fill = figure_all) +
    zero_line(c(points$low, together$value)) + leader_layers(points, series,
                                                          piled) + like_strokes(marks,
                                                              0.4) + panel_layer(points) +
    mark_key(1, list(total = "All together", box = partial_mark(s),
                     like = like_mark(marks, "all together on "))) +
    ggplot2::scale_fill_manual(values = series$colours, breaks = series$named,
                               labels = legend$labels, guide = ggplot2::guide_legend(
                                 ncol = legend$ncol, order = 1,
                                 override.aes = list(alpha = 1, linetype = 0))) +
    value_axis(c(points$value, together$value, marks$value),
               if (any(c(points$low, together$value) < 0, na.rm = TRUE)) 0.06 else 0) +
    period_axis(places, nlevels(points$panel), statement_info(s)$per)
  finished_figure(p, s, title, subtitle, caption,
                  c("Columns of leaders in front of the total", leaders_words(points, s, m)),
                  shared_unit(s, m), made)
})

# The statement with its leaders only: list(s, m, note).
ranked_statement <- function(s, quo, keep, rest, panels, call = caller_env()) {
  columns <- columns_of(s)
  own <- Filter(function(name) columns[[name]]$kind == "rank" && name %in% names(s), names(columns))
  already <- Filter(function(name) !is.null(columns[[name]]$keep), own)
  if (!is.null(panels) && identical(statement_info(s)$rest$attribute, panels)) {
    refuse("choice",
           c(sprintf(paste0("`%s` holds what a ranking left over (\"%s\"), so its members are ",
                            "the leaders and have no panels."), panels,
                     statement_info(s)$rest$label),
                       i = "Give another attribute panels, or rank within this one."),
           arg = "panels", call = call)
  }
  if (length(already) > 0 && rlang::quo_is_null(quo))
    return(list(s = s, m = columns[[already[1]]]$measure, note = leader_caption(s, already[1])))
  m <- if (rlang::quo_is_null(quo)) names(statement_info(s)$measures)[1]
       else statement_measure(s, bare_name(quo), call)
  if (!is.null(statement_info(s)$rest)) {
    refuse("choice",
           c("The statement is ranked already, and what is left over stands in it.",
             i = "Leave out {m} to draw it as it is."), arg = "m", call = call)
  }
  rank <- "leader place"
  within <- if (is.null(panels)) "period" else panels
  check_ranking(statement_info(s), within, keep, rest, call)
  s <- add_rank(s, !!m, within = within, keep = keep, rest = rest, name = rank)
  list(s = s, m = m, note = leader_caption(s, rank))
}

leader_caption <- function(s, name) {
  notes <- columns_of(s)[[name]]$notes
  if (length(notes) > 0) paste0(heading_text(sub("^[^:]*: ", "", notes)), ".")
}

# "2 of each month", or fewer.
leaders_text <- function(s, points) {
  own <- points[!points$series %in% statement_info(s)$rest$label, ]
  kept <- unlist(
    lapply(columns_of(s), function(column) if (column$kind == "rank") column$keep))
  sprintf("%d of each %s", min(kept, max(0L, tabulate(pile_numbers(own, own$place_of)))),
          statement_info(s)$per)
}

# Leaders without a colour of their own stand out from the pale total all the same.
leader_series <- function(points, s, panels) {
  series <- figure_series(points, s, panels)
  others <- setdiff(names(series$colours), series$named)
  series$colours[others] <- figure_quiet
  if (length(others) > 0)
    series$note <- sub("the others are pale", "the others are dark grey", series$note)
  series
}

# Leaders piled in order of their rank, or side by side where figures do not add up.
placed_leaders <- function(points, places, s, piled) {
  points$place_of <- unname(places[points$period])
  rest <- points$series %in% statement_info(s)$rest$label
  points <- points[order(points$panel, points$place_of, rest, -points$value), ]
  pile <- pile_numbers(points, points$place_of)
  value <- ifelse(is.na(points$value), 0, points$value)
  if (piled) {
    up <- pmax(value, 0)
    down <- pmin(value, 0)
    points$high <- ifelse(value >= 0, stats::ave(up, pile, FUN = cumsum),
                          stats::ave(down, pile, FUN = cumsum) - down)
    points$low <- points$high - abs(value)
    points$place <- points$place_of
    points$half <- 0.33
  } else {
    number <- stats::ave(seq_along(pile), pile, FUN = seq_along)
    of <- max(number)
    points$place <- points$place_of + (number - (of + 1) / 2) * 0.76 / of
    points$half <- 0.36 / of
    points$high <- pmax(value, 0)
    points$low <- pmin(value, 0)
  }
  points
}

# list(points, marks): the figure of all members together in each period, worked out from entries,
# and what the same days of one that is not over came to before.
together_points <- function(s, m, panels, places, drawn) {
  plan <- statement_info(s)
  rows <- current_rows(s)
  values <- rows$values[panels]
  once <- number_rows(c(list(rows$from, rows$to), unname(values)), nrow(s))$first
  # All together is a statement by the panels alone.
  plan$totals <- "by"
  plan["by"] <- list(panels)
  plan$rest <- NULL
  values <- lapply(values, function(value) value[once])
  groups <- group_numbers(plan_ledger(plan), panels, values, length(once))
  part <- new_rows(rows$period[once], rows$from[once], rows$to[once], groups, length(panels),
                   values = values)
  figures <- column_values(columns_of(s)[[m]], plan, part)
  panel <- factor(if (is.null(panels)) rep("", length(once)) else member_text(part$values[[1]]),
                  levels = levels(drawn$panel))
  points <- data.frame(panel = panel, period = period_names(s)[once], value = figures,
                       place = unname(places[period_names(s)[once]]))
  open <- which(once %in% unfinished_rows(s))
  list(points = points,
       marks = first_marks(plan, function(base) marks_at(points[open, ],
                                                         earlier_values(plan, m, base,
                                                             rows_select(part, open)))))
}

leader_layers <- function(points, series, piled) {
  list(leader_boxes(points, series$colours), if (piled)
    part_names(points, series$colours, length(unique(points$place_of)) * nlevels(points$panel)))
}

# Piled boxes; those of partial periods pale with a dashed edge.
leader_boxes <- function(points, colours) {
  box <- ggplot2::aes(xmin = .data$place - .data$half, xmax = .data$place + .data$half,
                      ymin = .data$low, ymax = .data$high)
  part <- points[!points$complete, ]
  list(ggplot2::geom_rect(data = points[points$complete, ], box, colour = "white", linewidth = 0.3),
       if (nrow(part) > 0)
         ggplot2::geom_rect(data = part, box, alpha = 0.35,
                            colour = colours[as.character(part$series)], linewidth = 0.5,
                            linetype = "22"))
}

leaders_words <- function(points, s, m) {
  last <- points[points$place_of == max(points$place_of), ]
  column <- columns_of(s)[[m]]
  paste0("In ", last$period[1], ": ",
         listed(sprintf("%s%s %s", ifelse(last$panel == "", "", paste0(last$panel, " ")),
                        last$series, value_with_unit(last$value, column)), most = 12), ".")
}
