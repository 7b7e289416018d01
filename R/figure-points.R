# What a figure draws, as a table of points: one row per panel, series and period, with the colour
# of each series.

# Columns of figures named by the user, the first one where none is.
drawn_columns <- function(s, quos, call = caller_env()) {
  names <- chosen_columns(s, column_names(quos), call)
  if (length(names) == 0)
    refuse("choice", "The statement has no figures to draw.", arg = "s", call = call)
  if (length(quos) == 0) names[1] else names
}

# One column of figures.
drawn_column <- function(s, quo, call = caller_env()) {
  if (rlang::quo_is_null(quo) || rlang::quo_is_missing(quo)) return(drawn_columns(s, list(), call))
  names <- chosen_columns(s, column_names(list(quo)), call)
  if (length(names) != 1)
    refuse("choice", "This figure draws one column of figures.", arg = "m", call = call)
  names
}

# The statement as it is drawn: totals are no member, and the whole is no period. What is to come
# is drawn by figures that know what is expected.
drawn_statement <- function(s, what, periods = NA, ahead = FALSE, call = caller_env()) {
  check_statement(s, call = call)
  plan <- statement_info(s)
  if (isTRUE(periods) && is.null(plan$per)) {
    refuse("choice",
           c(sprintf("%s needs periods, and this statement has one row per group and span.", what),
             i = "Make the statement with {per =}, such as {per = \"month\"}."), arg = "s",
           call = call)
  }
  if (nrow(s) == 0)
    refuse("choice", "There is nothing to draw: the statement has no rows.", arg = "s", call = call)
  s <- s[if (ahead) !total_rows(s) else drawn_rows(s), ]
  if (nrow(s) == 0)
    refuse("choice", "There is nothing to draw: the statement has rows of totals only.", arg = "s",
           call = call)
  s
}

most_panels <- 30L

# `panels` is one attribute of the statement, or nothing.
check_panels <- function(s, panels, call = caller_env()) {
  if (is.null(panels)) return(NULL)
  by <- statement_info(s)$by
  if (length(by) == 0)
    refuse("choice",
           c("Panels show members of an attribute, and the statement has none.",
             i = "Name it in {by}, such as by = \"route\"."), arg = "panels", call = call)
  panels <- one_of(attributes_of_plan(panels, statement_info(s)), by, "panels", call = call)
  members <- length(unique(s[[panels]]))
  if (members > most_panels) {
    refuse("choice",
           c(sprintf("`%s` has %s members here, too many for panels that can be read (at most %d).",
                     panels, number_text(members), most_panels),
             i = "Keep the largest with add_rank(keep = ), or take a condition."), arg = "panels",
           call = call)
  }
  panels
}

# The points of a figure; `of_row` numbers the rows of the statement that are drawn. Several columns
# in different units, or beside members, have a panel each, since they share no axis.
figure_points <- function(s, shown, panels = NULL, call = caller_env()) {
  plan <- statement_info(s)
  n <- nrow(s)
  k <- length(shown)
  others <- setdiff(plan$by, panels)
  by_figure <- k > 1 &&
    (length(others) > 0 || is.null(shared_unit(s, shown)) &&
     length(unique(lapply(columns_of(s)[shown], `[[`, "unit"))) > 1)
  if (by_figure && !is.null(panels)) {
    refuse("choice",
           c(sprintf(paste0("With panels by %s, columns must share a unit and the statement have ",
                            "no other attribute."), panels),
             i = "Draw one column at a time."), arg = "...", call = call)
  }
  names <- rep(make.unique(column_titles(s, shown), " "), each = n)
  member <- if (length(others) > 0) labels_told_apart(unclass(s)[others], n) else character()
  # Where a panel holds one member and one column, the member is the series, and has its colour.
  series <- if (length(member) > 0) rep(member, k)
            else if (!is.null(panels) && k == 1) member_text(s[[panels]]) else names
  units <- vapply(columns_of(s)[shown], function(column) column$unit %||% "", "")
  panel <- if (by_figure)
    paste0(names, rep(ifelse(units == "", "", paste0(" (", units, ")")), each = n))
           else if (!is.null(panels)) rep(member_text(s[[panels]]), k) else rep("", n * k)
  ranked <- if (!is.null(panels)) member_text(panels_in_order(s, panels)) else unique(panel)
  data.frame(
    panel = factor(panel, levels = ranked), series = factor(series, levels = unique(series)),
    figure = rep(shown, each = n), of_row = rep(seq_len(n), k),
    period = rep(period_names(s), k), from = rep(s$from, k), to = rep(s$to,
        k), complete = unlist(lapply(shown, function(name) s$complete & !is_short_window(s, name))),
    over = rep(s$complete, k),
    value = as.double(unlist(unclass(s)[shown], use.names = FALSE))
  )
}

# What periods are called: by their labels, with their days where a period stands in two spans.
period_names <- function(s) {
  plan <- statement_info(s)
  if (is.null(plan$per) || !is.null(plan$anchors)) return(s$period)
  told <- number_rows(list(s$period, s$from, s$to), nrow(s))
  label <- s$period[told$first]
  twice <- label %in% label[duplicated(label)]
  days <- span_text(day_numbers(s$from[told$first[twice]]), day_numbers(s$to[told$first[twice]]))
  label[twice] <- sprintf("%s (%s)", label[twice], days)
  label[told$number]
}

# Points of one panel and place stand on each other.
pile_numbers <- function(points, place) number_rows(list(points$panel, place), nrow(points))$number

# Whether the window behind a rolling figure reaches back before the ledger's first day.
is_short_window <- function(s, name) {
  is_short(columns_of(s)[[name]], s$to, statement_info(s))
}

# The most series that stand in one panel.
series_per_panel <- function(points) max(rowSums(table(points$panel, points$series) > 0))

# The points that a line joins, list(a, b): of one series, whose periods follow each other and are
# whole.
neighbours <- function(points) {
  points <- points[order(points$panel, points$series, points$from), ]
  a <- points[-nrow(points), ]
  b <- points[-1, ]
  joined <- a$panel == b$panel & a$series == b$series & b$from == a$to + 1 & a$over & b$over
  list(a = a[joined, ], b = b[joined, ])
}

# Whether the figures of members are parts of that of all.
adds_up <- function(s, name) {
  column <- columns_of(s)[[name]]
  kind_of(column)$additive(column) && is_additive(statement_info(s)$measures[[column$measure]])
}

# Whether the members that rows stand for have an order of their own, such as that of the calendar.
members_in_order <- function(s) {
  plan <- statement_info(s)
  ordered <- vapply(unclass(s)[plan$by], is.ordered, TRUE) | plan$by %in% plan$calendar_by
  length(plan$by) > 0 && all(ordered)
}

panels_in_order <- function(s, name) {
  members <- unique(s[[name]])
  members[order(ranks_of_ledger(s, name, members))]
}

# Colours of the series: list(named, colours, note). Of more than eight, the seven with the largest
# sums are named and the others pale. A member of an attribute has the same colour in every figure
# of its ledger.
figure_series <- function(points, s, panels = NULL) {
  plan <- statement_info(s)
  if (!is.null(panels) && series_per_panel(points) == 1 && nlevels(points$series) > 1) {
    return(list(named = levels(points$series), colours = panel_colours(points, s, panels),
                note = NULL))
  }
  every <- levels(points$series)
  most <- 8L
  others <- setdiff(plan$by, panels)
  members <- length(others) == 1 &&
    all(every %in% c(member_text(unique(s[[others]])), plan$rest$label))
  rest <- plan$rest$label
  own <- setdiff(every, rest)
  named <- own
  note <- NULL
  if (length(own) > most) {
    size <- tapply(abs(points$value), points$series, sum, na.rm = TRUE)[own]
    size[is.na(size)] <- 0
    named <- own[sort(order(-size)[seq_len(most - 1L)])]
    note <- sprintf("The %d largest of %s are named; the others are pale.", length(named),
                    number_text(length(own)))
  }
  colours <- stats::setNames(rep(figure_pale, length(every)), every)
  colours[named] <- if (members) member_colours(plan, others, named)
                    else ledger_colours()[seq_along(named)]
  if (length(rest) > 0 && rest %in% every) {
    colours[rest] <- figure_rest
    named <- c(named, rest)
  }
  list(named = named, colours = colours, note = note)
}

# Colours of the panels where each holds one member of an attribute and one series.
panel_colours <- function(points, s, panels) {
  every <- levels(points$series)
  members <- plan_members(statement_info(s), panels)$values
  colours <- if (length(members) <= 8) member_colours(statement_info(s), panels, every)
             else rep(figure_plain, length(every))
  stats::setNames(ifelse(is.na(colours), figure_plain, colours), every)
}

# The colour that belongs to each member, in every figure: by its place among up to eight members of
# the ledger; of more, the eight with the most entries have these, and others darker ones.
member_colours <- function(plan, attribute, named) {
  members <- plan_members(plan, attribute)
  at <- match(named, members$shown)
  if (length(members$values) <= 8) return(ledger_colours()[members$rank[at]])
  place <- rank(-members$counts, ties.method = "first")[at] - 1L
  own <- ledger_colours()[place %% 8L + 1L]
  round <- place %/% 8L
  later <- which(round > 0)
  # Each round is darker than the one before, and none is black.
  own[later] <- darker(own[later], 0.75 * 0.62^(round[later] - 1))
  own
}

# What a figure was asked for, from the frame of its function: list(question, show, asked).
asked_show <- function(show, frame = caller_env()) {
  asked <- asked_fields(show, frame)
  names(asked)[names(asked) == "..."] <- "draw"
  list(question = question_behind(get("s", envir = frame)), show = show, asked = asked)
}
