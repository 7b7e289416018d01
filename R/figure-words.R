# The words that every figure carries: what is drawn, of which days, as of when, and what is
# partial. They come from the statement, so that they cannot say other days than its numbers do.

# What a column of figures is called in titles and labels.
column_title <- function(s, name) {
  column <- columns_of(s)[[name]]
  measure <- gsub("_", " ", column$measure %||% name, fixed = TRUE)
  own <- gsub("_", " ", name, fixed = TRUE)
  label <- if (!is.null(column$kind)) kind_of(column)$label
  heading_text((if (!is.null(label)) label(column, measure, own)) %||% own)
}

column_titles <- function(s, shown) vapply(shown, column_title, "", s = s, USE.NAMES = FALSE)

# "Income by month and route", with the value to date where there is one figure and its last period
# is not over.
figure_title <- function(s, shown, points = NULL) {
  plan <- statement_info(s)
  what <- heading_text(listed(tolower_first(column_titles(s, shown))))
  by <- c(plan$per, gsub("_", " ", plan$by))
  title <- if (length(by) == 0) what else sprintf("%s by %s", what, listed(by))
  paste0(title, value_to_date(s, shown, points))
}

# First letters small, but not those of abbreviations.
tolower_first <- function(text) ifelse(grepl("^[A-Z][A-Z]", text), text,
                                       paste0(lower_text(substr(text, 1, 1)), substring(text, 2)))

value_to_date <- function(s, shown, points) {
  plan <- statement_info(s)
  if (is.null(points) || length(shown) != 1 || nlevels(points$series) > 1 ||
      nlevels(points$panel) > 1 || !is.null(plan$anchors)) return("")
  last <- points[which.max(points$to), ]
  if (nrow(last) != 1 || is.na(last$value)) return("")
  if (nrow(points) > 1 && last$complete) return("")  # a whole period needs no special mention
  value <- value_with_unit(last$value, columns_of(s)[[shown]])
  sprintf("%s %s %s %s", if (is.null(plan$per)) ":" else ",", value,
          if (last$from == last$to) "on" else "from",
          days_text(day_numbers(last$from), day_numbers(last$to)))
}

figure_subtitle <- function(s) {
  plan <- statement_info(s)
  where <- attr(plan$where, "text")
  paste0(heading_text(statement_days(s)), ", ", as_of_text(plan),
         if (!is.null(where)) paste(", where", where))
}

# What a reader must know of the partial periods drawn.
partial_caption <- function(s) {
  rows <- partial_rows(s)
  if (nrow(rows) == 0) return(NULL)
  said <- sprintf("%s covers %s", rows$period, mapply(days_text, rows$from, rows$to))
  paste0(listed(said, most = 3), ".")
}

# What is true of the columns drawn alone: short windows, what changes are from, who leads.
column_caption <- function(s, shown) {
  columns <- columns_of(s)[shown]
  # Where running figures begin, their names say.
  own <- columns[vapply(columns, function(column) column$kind != "running", TRUE)]
  notes <- sub("are short (~)", "are short, and drawn as partial", column_notes(own, s),
               fixed = TRUE)
  if (length(own) < length(columns)) {
    running <- columns[setdiff(names(columns), names(own))]
    notes <- c(notes, unlist(lapply(running, function(column) column$notes), use.names = FALSE))
  }
  if (length(notes) > 0) sub("([^.])$", "\\1.", plain_notes(s, notes))
}

# Notes speak of columns by their names in code; figures and pages call them what their titles and
# headings do.
plain_notes <- function(s, notes) {
  for (name in names(columns_of(s))) {
    # What the heading says already.
    if (grepl(" since the ", column_title(s, name)))
      notes <- notes[!startsWith(notes, paste(name, "runs from the start of the"))]
    own <- grepl(paste0("^", name, "[: ]"), notes)
    notes[own] <- paste0(column_title(s, name), substring(notes[own], nchar(name) + 1))
  }
  notes
}

# Members that a ranking left out without a rest are not in the figure, whose parts then make no
# whole.
kept_caption <- function(s) {
  plan <- statement_info(s)
  columns <- columns_of(s)[intersect(names(columns_of(s)), names(s))]
  kept <- Filter(function(column) column$kind == "rank" && !is.null(column$keep), columns)
  if (length(kept) == 0 || !is.null(plan$rest)) return(NULL)
  column <- kept[[1]]
  sprintf("Only the first %s by %s of each %s are drawn.", number_text(column$keep),
          gsub("_", " ", column$measure),
          if (identical(column$within, "period")) plan$per %||% "span" else listed(column$within))
}

# Unit of the axis: that of all columns drawn, where they share one.
shared_unit <- function(s, shown) {
  units <- lapply(columns_of(s)[shown], function(column) column$unit %||% "")
  if (length(unique(units)) == 1 && units[[1]] != "") units[[1]]
}

# Long lines of a figure's words, folded to what fits its width.
folded_words <- function(text, size, bold = FALSE) {
  if (is.null(text) || length(text) == 0) return(NULL)
  lines <- unlist(strsplit(text, "\n", fixed = TRUE))
  if (length(lines) == 0) return(NULL)
  paste(fold_texts(lines, words_room(), size * figure_base(), bold), collapse = "\n")
}

# The last touch of every figure: its words, its look, a text for those who do not see it, and what
# a page tells of its ledger.
finished_figure <- function(p, s, title, subtitle, caption, alt, unit, made,
                            call = caller_env()) {
  for (arg in c("title", "subtitle")) {
    if (!rlang::is_string(get(arg)))
      refuse("choice", sprintf("{%s} must be one text.", arg), arg = arg, call = call)
  }
  caption <- folded_words(caption, 0.8)
  p <- p + ggplot2::labs(title = folded_words(title, 1.35, TRUE),
                         subtitle = folded_words(subtitle, 1),
                         x = NULL, y = unit, caption = caption,
                         alt = paste0(alt[1], ": ", gsub("\n", " ", title), ". ",
                                      gsub("\n", " ", subtitle), ". ", alt[2])) +
    theme_ledger(figure_base())
  attr(p, "made_from") <- made_from(s)
  with_show(p, made$question, made$show, made$asked)
}

# The values that are drawn, as words, each by its own name: the latest of each series, with what is
# not over; without periods all of them, the first ones where there are many.
latest_words <- function(points, s, shown) {
  last <- points[!is.na(points$value), ]
  if (nrow(last) == 0) return("No values.")
  lying <- is.null(statement_info(s)$per)
  last <- last[if (lying) seq_len(nrow(last)) else order(last$from, last$to), ]
  last$told <- names_of_points(last, points)
  if (!lying) {
    last <- last[!duplicated(last$told, fromLast = TRUE), ]
    last <- last[order(match(last$told, names_of_points(points, points))), ]
  }
  columns <- columns_of(s)
  values <- mapply(function(value, figure) value_with_unit(value, columns[[figure]]), last$value,
                   last$figure)
  # How things stand is true of a day.
  level <- vapply(last$figure, function(figure) {
    is_level(statement_info(s)$measures[[columns[[figure]]$measure]])
  }, TRUE)
  when <- ifelse(level, paste("on", day_text(day_numbers(last$to))),
                 if (lying) "" else paste("in", last$period))
  over <- last$over %||% last$complete
  part <- ifelse(over | level | lying, "",
                 sprintf(" (part of it, %s)", mapply(days_text, day_numbers(last$from),
                                                     day_numbers(last$to))))
  space <- ifelse(nzchar(last$told), " ", "")
  paste0(if (lying) "Values: " else "Latest: ",
         listed(trimws(paste0(last$told, space, values, ifelse(nzchar(when), " ", ""), when, part)),
                most = most_words), ".")
}

most_words <- 12L

# What points are called: by their panel, place, series and period, as far as there are several.
names_of_points <- function(points, all) {
  parts <- list(
    if (nlevels(all$panel) > 1) as.character(points$panel),
    if (!is.null(all$place_label) && length(unique(all$place_label)) > 1) points$place_label,
    if (nlevels(all$series) > 1) as.character(points$series))
  parts <- Filter(Negate(is.null), parts)
  if (length(parts) == 0) return(rep("", nrow(points)))
  # What stands for itself twice is said once.
  vapply(seq_len(nrow(points)), function(i) {
    paste(unique(vapply(parts, function(part) part[i], "")), collapse = " ")
  }, "")
}

# Day labels on an axis, in English whatever the locale, no finer than they need to be.
axis_days <- function(breaks) {
  days <- day_numbers(as.Date(breaks))
  out <- rep("", length(days))
  known <- !is.na(days)
  date <- core_dates_of(days[known])
  month <- substr(month_names[date[, 2]], 1, 3)
  out[known] <- if (all(date[, 2] == 1 & date[, 3] == 1)) date[, 1]
    else if (all(date[, 3] == 1)) paste(month, date[, 1])
    else sprintf("%d %s %d", date[, 3], month, date[, 1])
  out
}

# As many decimals as tell the breaks of an axis apart.
axis_numbers <- function(breaks) {
  known <- breaks[!is.na(breaks)]
  fine <- 1e-6 * min(diff(sort(unique(known))), max(abs(known), 0), 1)
  decimals <- 0L
  while (decimals < 12L && any(abs(known - round(known, decimals)) > fine)) {
    decimals <- decimals + 1L
  }
  ifelse(is.na(breaks), NA, number_text(breaks, decimals))
}

# Breaks of values: above a million in millions or billions, each with the word.
axis_values <- function(breaks) {
  most <- largest_size(breaks)
  by <- if (most >= 1e9) 1e9 else if (most >= 1e6) 1e6 else return(axis_numbers(breaks))
  word <- if (by == 1e9) " billion" else " million"
  ifelse(breaks %in% 0, "0", ifelse(is.na(breaks), NA, paste0(axis_numbers(breaks / by), word)))
}

# What a page tells of the ledger behind a figure.
made_from <- function(s) {
  plan <- statement_info(s)
  x <- plan_ledger(plan)
  facts <- source_facts(x)
  aside <- if (facts$has_aside) source_set_aside(x)
  list(
    source = sprintf("Source: %s, as of %s. %s.", facts$label, day_text(facts$as_of),
                     entries_text(facts, unit = TRUE)),
    kept = if (!is.null(facts$kept)) sprintf("Kept: entries where %s.", facts$kept),
    set_aside = if (facts$has_aside) {
      only <- sprintf("%s (%s only)", aside$reason, aside$kept_out_of)
      reasons <- table(ifelse(aside$kept_out_of == "every figure", aside$reason, only))
      sprintf("Set aside: %s.",
              listed(sprintf("%s %s", number_text(as.integer(reasons)), names(reasons))))
    },
    measures = sprintf("%s = %s", names(plan$measures),
                       vapply(plan$measures, function(tree) attr(tree, "text"), "")),
    days = statement_days(s), as_of = as_of_text(plan)
  )
}
