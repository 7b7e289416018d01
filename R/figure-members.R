describe_verb("figure_members", asked_of = "statement",
  shared = list(figure_trend = c("panels", "title", "subtitle"))
)

#' Draw new, kept and lost members
#'
#' Per period, how many members are new, how many were seen before, and, below zero, how many were
#' lost since the period before.
#'
#' @param s A [statement()] with `per` and the measures `newcomers()`, `returning()` and `lapsed()`
#'   of one column (at least two of them), without attributes, or with the one that is `panels`.
#' @eval field_params("figure_members")
#' @return A ggplot. Its data hold one row per period and measure: `series` (factor: the measures),
#'   `panel`, `figure`, `period`, `from`, `to`, `complete`, `value` (as in the statement, never
#'   negative), `place`, `low` and `high`.
#' @section Errors:
#' `rollingledger_error_choice` where the measures are missing or are of different columns;
#' otherwise as for [figure_columns()].
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", span = "2025-07/..", new = newcomers(account),
#'           kept = returning(account),
#'           lost = lapsed(account)) |>
#'   figure_members()
#' @include figure-trend.R
figure_members <- with_fields("figure_members", function(s, panels, title, subtitle) {
  made <- asked_show("figure_members")
  s <- drawn_statement(s, "A figure of members", periods = TRUE)
  panels <- check_panels(s, panels)
  shown <- member_columns(s, panels)
  column <- statement_info(s)$measures[[shown[1]]]$column
  points <- figure_points(s, unname(shown), panels)
  if (is.null(panels) || length(shown) > 1)
    points$series <- factor(rep(column_titles(s, shown), each = nrow(s)),
                            levels = column_titles(s, shown))
  places <- period_places(points)
  points <- placed_members(points, places, shown)
  colours <- stats::setNames(
    c(newcomers = ledger_colours(3)[3], returning = ledger_colours(1),
      lapsed = ledger_colours(2)[2])[names(shown)], levels(points$series))
  title <- title %||% sprintf("%s by %s: %s", heading_text(plural_text(gsub("_", " ", column))),
                              listed(c(statement_info(s)$per,
                                       panels)), listed(tolower_first(column_titles(s, shown))))
  meaning <- c(newcomers = "first entry ever in the period", returning = "seen before, and again",
               lapsed = "seen in the period before, not in this one")[names(shown)]
  caption <- paste0(paste(sprintf("%s: %s", column_titles(s, shown), meaning), collapse = "; "),
                    ".")
  p <- ggplot2::ggplot(points, ggplot2::aes(fill = .data$series)) + leader_boxes(points, colours) +
    ggplot2::geom_hline(yintercept = 0, colour = figure_ink, linewidth = 0.5) +
      member_values(points, colours) + panel_layer(points) +
    mark_key(1, list(box = partial_mark(s))) +
    ggplot2::scale_fill_manual(values = colours,
                               guide = ggplot2::guide_legend(
                                 order = 1, override.aes = list(alpha = 1, linetype = 0))) +
    # Both sides of zero count members.
    ggplot2::scale_y_continuous(labels = function(breaks) axis_numbers(abs(breaks)),
                                expand = ggplot2::expansion(mult = 0.08)) +
    period_axis(places, nlevels(points$panel), statement_info(s)$per)
  finished_figure(p, s, title, subtitle %||% figure_subtitle(s), caption,
                  c("Columns of members",
                    latest_words(points, s, shown)), plural_text(gsub("_", " ", column)), made)
})

# The measures of members: names are what they count.
member_columns <- function(s, panels, call = caller_env()) {
  plan <- statement_info(s)
  others <- setdiff(plan$by, panels)
  if (length(others) > 0) {
    refuse("choice",
           c(sprintf("A period has one column, but the statement is by `%s`.",
                     others[1]),
             i = "Leave it out, or give each member a panel: panels = ATTRIBUTE."), arg = "s",
           call = call)
  }
  fun <- vapply(plan$measures, function(tree) if (tree$node == "measure") tree$fun else "", "")
  found <- match(c("newcomers", "returning", "lapsed"), fun)
  names <- stats::setNames(names(plan$measures)[found], c("newcomers", "returning", "lapsed"))
  names <- names[!is.na(names) & names %in% names(s)]
  if (length(names) < 2) {
    refuse("choice",
           c(paste0("A figure of members needs at least two of the measures newcomers(), ",
                    "returning() and lapsed()."),
             i = paste0("Such as statement(x, per = \"month\", new = newcomers(account), kept = ",
                        "returning(account), lost = lapsed(account)).")), arg = "s", call = call)
  }
  counted <- unique(vapply(names, function(name) plan$measures[[name]]$column, ""))
  if (length(counted) > 1)
    refuse("choice",
           sprintf("The measures count members of different columns: %s.", listed(counted)),
           arg = "s", call = call)
  names
}

# New on top of kept, lost below zero.
placed_members <- function(points, places, shown) {
  kind <- names(shown)[match(points$figure, shown)]
  value <- ifelse(is.na(points$value), 0, points$value)
  points$place <- unname(places[points$period])
  kept <- stats::ave(ifelse(kind == "returning", value, 0), pile_numbers(points, points$place),
                     FUN = sum)
  points$low <- ifelse(kind == "lapsed", -value, ifelse(kind == "newcomers", kept, 0))
  points$high <- ifelse(kind == "lapsed", 0, points$low + value)
  points$half <- 0.36
  points
}

member_values <- function(points, colours) {
  range <- diff(range(c(points$low, points$high)))
  told <- points[!is.na(points$value) & points$high - points$low > 0.05 * range, ]
  told$text <- number_text(told$value)
  size <- text_mm(3.5)
  bar <- 0.72 * panels_room() / length(unique(points$place)) / panels_across(nlevels(points$panel))
  if (nrow(told) == 0 || lines_pixels(told$text, points_of_mm(size)) > bar) return(NULL)
  ink <- ifelse(told$complete, ink_on(colours[as.character(told$series)]), figure_ink)
  list(ggplot2::geom_text(data = told,
                          ggplot2::aes(x = .data$place, y = (.data$low + .data$high) / 2,
                                       label = .data$text), size = size, colour = ink))
}
