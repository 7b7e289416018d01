describe_verb("figure_bridge", asked_of = "explanation",
  arrange = field("choice", "bars lying below each other or standing side by side",
                  default = "lying", choices = c("lying", "standing"), value = "WORD"),
  shared = list(figure_trend = c("title", "subtitle"))
)

#' Draw a bridge
#'
#' From the figure before to the figure now, by the lines of an explanation as floating steps: rises
#' are filled, falls are pale with an edge, and every step carries its sign, its value and its per
#' cent of the figure before. The rest comes last. Where the steps are small beside the figures at
#' the ends, the axis does not begin at zero, and says so.
#'
#' @param s What [why_changed()] gave, with 3 to 15 bars in all.
#' @eval field_params("figure_bridge")
#' @return A ggplot. Its data hold one row per bar: `line`, `part`, `kind` (text: "end", "rise",
#'   "fall" or "level"), `place`, `low` and `high` (double: where the bar begins and ends), `value`,
#'   `label` (text).
#' @section Errors:
#' `rollingledger_error_choice` for what is no explanation, for fewer than 3 or more than 15 bars.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' why_changed(fares, now = "2026-07", before = "2025-07", income = total(fare)) |>
#'   figure_bridge()
#' @include figure-trend.R
figure_bridge <- with_fields("figure_bridge", function(s, arrange, title, subtitle) {
  made <- asked_show("figure_bridge")
  arrange <- one_of(arrange, c("lying", "standing"), "arrange")
  check_explanation(s)
  lying <- arrange == "lying"
  points <- bridge_points(s, lying)
  base <- bridge_base(points)
  cut <- base != 0
  points$low[points$kind == "end"] <- base
  places <- stats::setNames(points$place, bridge_names(s))
  colours <- c(end = figure_plain, rise = ledger_colours(1), fall = ledger_colours(4)[4],
               level = figure_quiet)
  sentences <- attr(s, "sentences")
  title <- title %||% bridge_title(s)
  subtitle <- subtitle %||% bridge_subtitle(s)
  caption <- c(sentences[-1], if (cut) sprintf(
    "The axis begins at %s: the bars at the ends are cut there.", number_text(base)),
    attr(s, "notes")[!startsWith(as.character(attr(s, "notes")), "Where ")])
  kinds <- intersect(c("rise", "fall"), points$kind)
  p <- ggplot2::ggplot(points, ggplot2::aes(fill = .data$kind)) +
    bridge_layers(points, colours, lying, base) +
    ggplot2::scale_fill_manual(values = bridge_fills(colours), breaks = kinds, guide = if (
      length(kinds) > 0) ggplot2::guide_legend(override.aes = list(
        colour = unname(colours[kinds]))) else "none") +
    bridge_axes(points, places, lying, base) + ggplot2::coord_cartesian(clip = "off")
  unit <- columns_of(s)[[1]]$unit
  finished_figure(p, s, title, subtitle, paste(caption, collapse = "\n"),
                  c("A bridge from before to now", bridge_words(points, s)),
                  if (!lying) unit, made) +
    (if (lying) ggplot2::labs(x = unit)) + (if (lying) lying_theme())
})

check_explanation <- function(s, call = caller_env()) {
  if (!inherits(s, "explained_change") || is.null(attr(s, "facts"))) {
    refuse("choice", sprintf("{s} must be what `why_changed()` gave, not %s.", kind_text(s)),
           arg = "s", call = call)
  }
  n <- nrow(s)
  if (n >= 3 && n <= 15) return(invisible())
  refuse("choice", c(sprintf("A bridge has 3 to 15 bars, and this explanation has %s lines.",
                             number_text(n)),
                     i = if (n > 15) "Ask for fewer members: {keep = 9}."
                         else "Give the lines as they were returned."), arg = "s", call = call)
}

# Where each bar stands, from where to where it reaches, and its text.
bridge_points <- function(s, lying) {
  n <- nrow(s)
  ends <- s$part %in% c("before", "now")
  decimals <- columns_of(s)[[1]]$decimals
  step <- ifelse(ends, 0, s$amount)
  reached <- s$amount[1] + cumsum(step)
  value <- s$amount
  kind <- ifelse(ends, "end", ifelse(value > 0, "rise", ifelse(value < 0, "fall", "level")))
  per_cent <- ifelse(ends | is.na(s$per_cent), "",
                     sprintf(" (%s %%)", signed_text(s$per_cent, 1)))
  data.frame(
    line = s$line, part = s$part, kind = kind, of_row = seq_len(n),
    place = if (lying) rev(seq_len(n)) else seq_len(n), half = 0.36, figure = "amount",
    low = ifelse(ends, 0, reached - step), high = ifelse(ends, value, reached), value = value,
    reached = ifelse(ends, value, reached),
    label = ifelse(ends, number_text(value, decimals),
                   paste0(signed_text(value, decimals), per_cent)))
}

# Where the axis begins: at zero, or nearer to the steps where they are small beside the ends.
bridge_base <- function(points) {
  levels <- c(points$reached, points$low[points$kind != "end"])
  if (min(levels) <= 0 || diff(range(levels)) > 0.4 * max(levels) || diff(range(levels)) == 0)
    return(0)
  wide <- diff(range(levels))
  breaks <- pretty(c(min(levels) - 0.8 * wide, min(levels)), n = 4)
  max(breaks[breaks <= min(levels) - 0.4 * wide], 0)
}

bridge_fills <- function(colours) {
  fills <- colours
  fills["fall"] <- paler(colours[["fall"]])
  fills
}

bridge_layers <- function(points, colours, lying, base) {
  box <- if (lying)
    ggplot2::aes(xmin = .data$low, xmax = .data$high, ymin = .data$place - .data$half,
                 ymax = .data$place + .data$half)
  else ggplot2::aes(ymin = .data$low, ymax = .data$high, xmin = .data$place - .data$half,
                    xmax = .data$place + .data$half)
  n <- nrow(points)
  # From each bar to the next, at what was reached.
  joins <- data.frame(at = points$reached[-n], from = points$place[-n], to = points$place[-1])
  join <- if (lying) ggplot2::aes(x = .data$at, xend = .data$at, y = .data$from, yend = .data$to)
          else ggplot2::aes(x = .data$from, xend = .data$to, y = .data$at, yend = .data$at)
  points$text_at <- pmax(points$low, points$high)
  size <- text_mm(3.6)
  if (!lying) points$label <- standing_labels(points$label, n, points_of_mm(size))
  text <- if (lying) ggplot2::aes(x = .data$text_at, y = .data$place, label = .data$label)
          else ggplot2::aes(x = .data$place, y = .data$text_at, label = .data$label)
  list(
    ggplot2::geom_segment(data = joins, join, inherit.aes = FALSE, colour = figure_quiet,
                          linewidth = 0.4),
    ggplot2::geom_rect(data = points, box, colour = colours[points$kind], linewidth = 0.6),
    if (base != 0) broken_ends(points, lying, base),
    if (lying) ggplot2::geom_vline(xintercept = base, colour = figure_quiet, linewidth = 0.4,
                                   linetype = if (base == 0) "solid" else "22")
    else ggplot2::geom_hline(yintercept = base, colour = figure_quiet, linewidth = 0.4,
                             linetype = if (base == 0) "solid" else "22"),
    ggplot2::geom_text(data = points, text, hjust = if (lying) -0.06 else 0.5,
                       vjust = if (lying) 0.5 else -0.4, size = size, colour = figure_ink,
                       lineheight = 0.95))
}

# Bars that do not begin at zero are broken where they begin.
broken_ends <- function(points, lying, base) {
  ends <- points[points$kind == "end", ]
  wide <- diff(range(c(base, points$high)))
  at <- base + wide * c(0.02, 0.032)
  slant <- 0.008 * wide
  strokes <- data.frame(from = rep(ends$place - 1.25 * ends$half, each = 2),
                        to = rep(ends$place + 1.25 * ends$half, each = 2), at = rep(at, nrow(ends)))
  ggplot2::geom_segment(
    data = strokes, inherit.aes = FALSE, colour = "white", linewidth = 1.1,
    if (lying) ggplot2::aes(x = .data$at - slant, xend = .data$at + slant, y = .data$from,
                            yend = .data$to)
    else ggplot2::aes(y = .data$at - slant, yend = .data$at + slant, x = .data$from,
                      xend = .data$to))
}

# Texts above standing bars: the per cent below the value, and short where they have no room.
standing_labels <- function(labels, n, size) {
  labels <- sub(" (", "\n(", labels, fixed = TRUE)
  room <- panels_room() / n
  if (lines_pixels(labels, size) + 4 <= room) return(labels)
  values <- as.numeric(gsub("[^-0-9.]", "", sub("\n.*", "", labels)))
  short <- ifelse(grepl("^[+]", labels), paste0("+", short_numbers(values)), short_numbers(values))
  if (lines_pixels(short, size) + 4 <= room) short else rep("", length(labels))
}

bridge_axes <- function(points, places, lying, base) {
  reach <- range(c(base, points$low, points$high))
  if (diff(reach) == 0) reach <- reach + c(0, 1)
  size <- points_of_mm(text_mm(3.6))
  if (!lying) {
    each <- panels_room() / length(places) - 8
    return(list(
      ggplot2::scale_y_continuous(labels = axis_values, limits = c(reach[1], NA),
                                  expand = ggplot2::expansion(mult = c(
                                    if (reach[1] < 0) 0.1 else 0, 0.16))),
      ggplot2::scale_x_continuous(
        breaks = unname(places), expand = ggplot2::expansion(add = 0.3),
        labels = fit_texts(names(places), each, 0.8 * figure_base(), lines = 3))))
  }
  room <- words_room() - lines_pixels(member_names(places), 0.84 * figure_base()) - 10
  # Texts begin where their bars end: the longest way decides.
  ends <- (pmax(points$low, points$high) - reach[1]) / diff(reach)
  wide <- text_pixels(points$label, size) + 12
  least <- max(ends * room + wide) / room
  beyond <- max(0.04, min(2, max((ends + wide / room) - 1, least - 1)))
  for (i in 1:4) beyond <- max(beyond, max(ends + wide / room * (1 + beyond)) - 1)
  list(ggplot2::scale_x_continuous(labels = axis_values, breaks = value_breaks_in(room, reach),
                                   limits = reach,
                                   expand = ggplot2::expansion(mult = c(
                                     if (reach[1] < 0) 0.08 else 0, min(beyond, 2)))),
       member_axis(places))
}

# The ends are named by their days.
bridge_names <- function(s) {
  spans <- statement_info(s)$spans
  names <- s$line
  names[s$part == "before"] <- days_text(spans$from[2], spans$to[2])
  names[s$part == "now"] <- days_text(spans$from[1], spans$to[1])
  twice <- duplicated(names) | duplicated(names, fromLast = TRUE)
  names[twice] <- paste0(names[twice], " (", s$part[twice], ")")
  make.unique(names, sep = " ")
}

bridge_title <- function(s) {
  first <- attr(s, "sentences")[1]
  sub("[.]$", "", sub(", from .*", "", first))
}

bridge_subtitle <- function(s) {
  plan <- statement_info(s)
  where <- attr(plan$where, "text")
  paste0(sub("^Why .* changed: ", "", heading_text(explanation_days(s))),
         if (!is.null(where)) paste(", where", where))
}

bridge_words <- function(points, s) {
  steps <- points[points$kind != "end", ]
  sprintf("From %s to %s: %s.", points$label[1], points$label[nrow(points)],
          listed(paste(steps$line, steps$label), most = 13))
}

#' @exportS3Method ggplot2::autoplot
#' @rdname autoplot.statement
autoplot.explained_change <- function(object, ...) figure_bridge(object, ...)
