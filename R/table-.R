# One table, many writers: a result as a table that is shown. table-text.R (the terminal),
# table-html.R (pages), table-markdown.R (documents), table-workbook.R and table-plain.R (files)
# write it; what a column is called, how its values are written and what a row is stand here.

# What a table is, each part worked out when it is first asked for:
#   name     what the rows are, shortly
#   title    lines that say it in full; `dates` is the one that a page shows, `about` what else a
#            workbook says of them
#   fields   columns, of shown_column(), by their names in the table
#   says     sentences that stand above it
#   rows     the count of rows; `seen` numbers those that are shown, where not all are
#   kinds    what each row is, in words: "total", "rest", "partial"
#   notes    what a reader must know; `words` is the same with titles in place of names
#   periods  whether rows are periods, of which the newest matter most
new_shown_table <- function(x, fields, title, name = title[1], dates = title, about = NULL,
                            says = NULL, rows = nrow(x), seen = seq_len(rows),
                            kinds = rep("", rows), notes = NULL, words = notes, periods = FALSE) {
  environment()
}

# A column: `text(at)` is how it is written in rows. `heading` is one line, or three (label, days,
# figure), `words` the lines on a page, `file` the heading in a file. `is_figure` tells figures from
# what tells the rows; `hidden` columns stand in files alone; `unit`, `decimals` (one, or one for
# each row), `scale` (what is shown is so many) and `is_change` are those of figures, `group` the
# columns that it stays with; `whole` texts are not cut.
shown_column <- function(name, values, text, heading = name, words = heading_text(heading),
                         file = name, is_figure = FALSE, right = is_figure, decimals = NULL,
                         unit = NULL, scale = 1, is_change = FALSE, group = NULL, hidden = FALSE,
                         whole = FALSE) {
  list(name = name, values = values, text = text, heading = heading, words = words, file = file,
       is_figure = is_figure, right = right, decimals = decimals, unit = unit,
       scale = scale, is_change = is_change, group = group, hidden = hidden, whole = whole)
}

# What tells the rows: numbers among them are names, and written in digits.
shown_members <- function(name, values, hidden = FALSE) {
  shown_column(name, values, function(at) member_text(values[at]), hidden = hidden,
               right = is.numeric(values))
}

# Figures that are called by their name.
shown_figure <- function(name, values, decimals, as_text = number_text) {
  shown_column(name, values, function(at) as_text(values[at], decimals), is_figure = TRUE,
               decimals = decimals)
}

# Days of a row, which are text; the first day and the last are columns of files.
shown_days <- function(x) {
  shown_column("from", x$from, heading = "days", text = function(at) {
    span_text(day_numbers(x$from[at]), day_numbers(x$to[at]))
  })
}

shown_period <- function(x, is_span) {
  shown_column("period", x$period, heading = if (is_span) "span" else "period", whole = is_span,
               text = function(at) marked_periods(x, at))
}

#' @rawNamespace
#' S3method(as_shown_table, default)
#' S3method(as_shown_table, statement)
#' S3method(as_shown_table, cross_table)
#' S3method(as_shown_table, entries_behind)
#' S3method(as_shown_table, known_comparison)
#' S3method(as_shown_table, reconciliation)
NULL

as_shown_table <- function(x) UseMethod("as_shown_table")

# Rows that no verb of ours made, such as those that were set aside.
as_shown_table.default <- function(x) {
  new_shown_table(x, Map(shown_members, names(x), unclass(x)[names(x)]), title = "Rows")
}

as_shown_table.statement <- function(x) {
  plan <- statement_info(x)
  one_span <- is_one_span(x)
  hidden <- c(if (!shows_days(x)) "from", "to", "complete", if (one_span) "period")
  figures <- scaled_columns(x)
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]]
    column <- figures[[name]]
    if (name %in% hidden) shown_members(name, values, hidden = TRUE)
    else if (name == "period") shown_period(x, shows_days(x))
    else if (name == "from") shown_days(x)
    else if (is.null(column)) shown_members(name, values)
    else shown_measure(x, name, column)
  })
  partial <- partial_words(x)
  new_shown_table(
    x, columns, periods = !is.null(plan$per),
    title = paste0(statement_subject(x), ", ", statement_days(x), ", ", as_of_text(plan), partial),
    dates = paste0(figure_subtitle(x), if (!is.null(plan$per)) partial),
    notes = statement_footer(x),
    words = plain_notes(x, statement_footer(x, marks = !one_span)),
    kinds = row_kinds(x))
}

# A column of figures; those of short windows have a mark.
shown_measure <- function(x, name, known) {
  values <- x[[name]]
  heading <- c(name, if (!is.null(known$unit_shown)) sprintf("(%s)", known$unit_shown))
  shown_column(name, values, heading = paste(heading, collapse = " "), is_figure = TRUE,
               words = c(sub(" in per cent$", "", column_title(x, name)), known$unit_shown),
               decimals = known$decimals, unit = known$unit, scale = known$scale,
               is_change = identical(known$kind, "change"), text = function(at) {
                 marked_values(values[at], known, x$to, at, statement_info(x))
               })
}

as_shown_table.cross_table <- function(x) {
  plan <- statement_info(x)
  is_span <- is.null(plan$per)
  line <- attr(x, "line") %||% ""
  hidden <- c("to", "complete", if (!is_span) "from")
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]]
    column <- columns_of(x)[[name]]
    if (!is.null(column))
      shown_across(name, values, column, file_heading(name, column, figures_across(x)))
    else if (name == line) shown_line(x, name)
    else if (name %in% hidden) shown_members(name, values, hidden = TRUE)
    else if (name == "from") shown_days(x)
    else if (name == "period") shown_period(x, is_span)
    else shown_members(name, values)
  })
  across <- days_in_files(x)
  columns <- c(columns, Map(shown_members, names(across), across, MoreArgs = list(hidden = TRUE)))
  days <- paste(plan$on, spans_text(plan))
  new_shown_table(x, columns, name = attr(x, "subject"),
                  about = c(days, as_of_text(plan), attr(x, "notes")),
                  title = paste(c(attr(x, "subject"), days, as_of_text(plan)), collapse = ", "),
                  notes = attr(x, "notes"), kinds = row_kinds(x),
                  periods = "period" %in% names(x) && !is_span)
}

# A column across: its heading has a line for the label, for the days and for the figure.
shown_across <- function(name, values, known, file) {
  decimals <- known$decimals
  scale <- known$scale %||% 1
  lines <- known$lines
  shown_column(name, values, heading = lines, words = lines[nzchar(lines)], is_figure = TRUE,
               file = file,
               decimals = decimals, unit = known$unit, scale = scale,
               is_change = isTRUE(known$change),
               group = known$group, text = function(at) {
                 own <- function(each) if (length(each) > 1) each[at] else each
                 number_text(values[at] / own(scale), own(decimals))
               })
}

# The names of lines, with the units of their figures. A statement without rows has nothing across,
# and no units.
shown_line <- function(x, name) {
  columns <- columns_of(x)
  units <- if (length(columns) > 0) columns[[length(columns)]]$units
  units <- units %||% rep("", nrow(x))
  shown_column(name, x[[name]], heading = "", words = "Line", text = function(at) {
    paste0(x[[name]][at], ifelse(nzchar(units[at]), sprintf(" (%s)", units[at]), ""))
  })
}

# Rows of the source and other identifiers are written in digits, amounts with their decimals; a day
# that is not there is no member.
as_shown_table.entries_behind <- function(x) {
  decimals <- attr(x, "decimals")
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]]
    own <- decimals[[name]]
    column <- if (is.numeric(values) && !is.null(own)) shown_figure(name, values, own)
              else if (is.numeric(values) || is_day_column(values))
                shown_column(name, values, right = is.numeric(values), text = function(at) {
                  ifelse(is.na(values[at]), "-", plain_text(values[at]))
                })
              else shown_members(name, values)
    column$is_figure <- name != names(x)[1]
    column
  })
  says <- attr(x, "says")
  new_shown_table(x, columns, title = says, about = says[-1])
}

as_shown_table.known_comparison <- function(x) {
  measures <- names(statement_info(x)$measures)
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    values <- x[[name]]
    measure <- sub("_(known|later|difference)$", "", name)
    if (measure %in% measures && measure != name)
      shown_figure(name, values, columns_of(x)[[measure]]$decimals,
                    if (endsWith(name, "_difference")) signed_text else number_text)
    else if (name == "late") shown_figure(name, values, 0L)
    else shown_members(name, values, hidden = name %in% c("from", "to"))
  })
  says <- attr(x, "says")
  new_shown_table(x, columns, title = says, about = says[-1], periods = TRUE)
}

# Those that match are not shown one by one.
as_shown_table.reconciliation <- function(x) {
  facts <- attr(x, "facts")
  decimals <- reconciled_decimals(x)
  figures <- c("here", "there", "difference")
  columns <- lapply(stats::setNames(nm = names(x)), function(name) {
    if (name %in% figures) shown_figure(name, x[[name]], decimals)
    else shown_members(name, x[[name]])
  })
  columns$result$is_figure <- TRUE
  sums <- reconciled_sums(x)
  money <- function(values) number_text(values, decimals)
  keys <- setdiff(names(x), c(figures, "result"))
  new_shown_table(
    x, columns, seen = which(x$result != "matched"), periods = TRUE, notes = facts$notes,
    title = sprintf("%s here against %s there, by %s, %s%s", facts$name, facts$value, listed(keys),
                    facts$days, if (facts$tolerance > 0)
                      sprintf(", differences up to %s match", digits_text(facts$tolerance))
                    else ""),
    about = c(sprintf("%s: %s, here %s, there %s, difference %s", sums$result,
                      vapply(sums$cells, count_text, "", one = "cell"), money(sums$here),
                      money(sums$there), money(sums$difference)), facts$notes))
}

# A difference is shown with the decimals that it takes to see it.
reconciled_decimals <- function(x) {
  least <- min(abs(x$difference[which(x$difference != 0)]), Inf)
  max(attr(x, "facts")$decimals, 2L,
      if (least < 0.005) min(12L, as.integer(ceiling(-log10(least)))))
}

# ---- rows ----------------------------------------------------------------------------

#' @rawNamespace
#' S3method(row_kinds, statement)
#' S3method(row_kinds, cross_table)
NULL

# What each row is, in words: a total, what a ranking left over, partial, or to come.
row_kinds <- function(x) UseMethod("row_kinds")
row_kinds.statement <- function(x) {
  plan <- statement_info(x)
  rest <- if (is.null(plan$rest)) FALSE
          else plain_text(x[[plan$rest$attribute]]) %in% plan$rest$label
  ahead <- ahead_rows(x)
  trimws(paste(words_of_row(total_rows(x), rest,
                            !(x$complete | ahead | shows_days(x) | is_one_span(x))),
               ifelse(ahead, "expected", "")))
}

row_kinds.cross_table <- function(x) {
  plan <- statement_info(x)
  marks <- c(list(period = overall_labels(plan)),
             lapply(stats::setNames(nm = plan$by), function(name) total_members(plan)))
  marks <- marks[intersect(names(marks), names(x))]
  totals <- Map(function(values, marks) plain_text(values) %in% marks,
                unclass(x)[names(marks)], marks)
  partial <- "complete" %in% names(x) && !is.null(plan$per)
  words_of_row(Reduce(`|`, totals, logical(nrow(x))), FALSE, if (partial) !x$complete else FALSE)
}

words_of_row <- function(total, rest, partial) {
  trimws(gsub(" +", " ", paste(ifelse(total, "total", ""), ifelse(rest, "rest", ""),
                               ifelse(partial, "partial", ""))))
}

# ---- what all writers ask --------------------------------------------------------------

seen_columns <- function(table) Filter(function(column) !column$hidden, table$fields)

# The headings of columns in files. Those of a cross table are one line, "month to date: income
# (EUR)", which is the same tomorrow: the days have columns of their own.
file_heads <- function(x) {
  known <- columns_of(x)
  vapply(names(x), function(name) file_heading(name, known[[name]], figures_across(x)), "",
         USE.NAMES = FALSE)
}

file_heading <- function(name, known, figures = NULL) {
  if (is.null(known$lines) || !is.null(known$heads)) return(known$heads %||% name)
  # One figure is named by the title alone, which files do not have.
  paste0(name, if (length(figures) == 1) paste0(": ", figures),
         if (!is.null(known[["unit"]])) sprintf(" (%s)", known[["unit"]]))
}

# The figures that columns across are of, where their names do not tell.
figures_across <- function(x) if (!isTRUE(attr(x, "cells")$lines)) attr(x, "cells")$figures

# The first and last days of what goes across, in every row.
days_in_files <- function(x) {
  lapply(attr(x, "days_across"), function(day) rep(day, nrow(x)))
}

# A change as people see it anywhere: its text with sign and arrow, so that it can be told without
# colour, and the word by which it is coloured. What is shown as zero is neither a rise nor a fall.
shown_change <- function(values, decimals) {
  sign <- change_sign(values, decimals) + 2
  list(text = paste0(ifelse(is.na(values), "", c("\u25bc ", "= ", "\u25b2 ")[sign]),
                     signed_text(values, decimals)),
       class = ifelse(is.na(values), "", c("down", "", "up")[sign]))
}
