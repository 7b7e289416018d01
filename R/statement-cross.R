describe_verb("cross_table", asked_of = "statement",
  across = field("other", "what goes across: span or period, as the rows are, or an attribute",
                 default = "span", value = "WORD"),
  ... = field("columns", "columns of figures to show, all without any", option = "draw",
              value = "COLUMN", many = TRUE, more = "Names, bare or as text."),
  down = field("choice", "what goes down: a row per group, or a line per figure and group",
               default = "groups", choices = c("groups", "figures"), value = "WORD")
)

#' Put spans, periods or members side by side
#'
#' Turns one column of a [statement()] into columns: its spans, its periods or the members of an
#' attribute. Each heading of a span shows its days. The figures are those of the statement, cell by
#' cell; nothing is added up.
#'
#' @param s A [statement()].
#' @eval field_params("cross_table")
#'
#' @return A `cross_table`, a tibble with one row for each combination of what is left of periods
#'   and attributes: `period`, `from`, `to` and `complete` where periods go down, the attributes,
#'   and one column of doubles per span, period or member and figure. Columns are named after the
#'   span, period or member, and where there are several figures also after the figure ("2026-08:
#'   income"). A cell without a row in the statement is missing. Printed headings show days and
#'   units. With `down = "figures"` a column `line` (text) names the figure, and there is one column
#'   per span, period or member.
#' @section Errors:
#' `rollingledger_error_choice` where `across` is neither of these; `rollingledger_error_measure`
#' for a column of figures that the statement does not have.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' statement(fares, by = "route", spans = c("month to date", "month to date, 1 year back"),
#'           income = total(fare)) |>
#'   cross_table(across = "span")
#' statement(fares, per = "quarter", by = "channel", span = "2026", income = total(fare)) |>
#'   cross_table(across = "period")
#'
#' # Lines down the page: parts by code range, and what is left
#' statement(fares, per = "quarter", span = "2026", web = total(fare, where = channel %in% c("web",
#'
#'   "app")),
#'           counter = total(fare, where = channel %in% c("quay", "agent")),
#'   income = web + counter) |>
#'   cross_table(across = "period", down = "figures")
#' @include question-fields.R
cross_table <- with_fields("cross_table", function(s, across, ..., down) {
  check_statement(s)
  asked <- asked_fields("cross_table")
  names(asked)[names(asked) == "..."] <- "draw"
  crossed_table(s, asked, rlang::current_env())
})

# The cross table that a record asks for.
crossed_table <- function(s, asked, call = caller_env()) {
  args <- filled_fields("cross_table", asked[setdiff(names(asked), "draw")], call = call)
  lines <- args$down == "figures"
  shown <- chosen_columns(s, asked$draw, call)
  plan <- attr(s, "plan")
  across <- check_across(s, args$across, call)
  down <- c(if (across != "period") row_columns, setdiff(plan$by, across))
  if (is.null(plan$per)) {
    # One span, the same in all rows, is told by the heading line.
    several <- length(unique(s$period)) > 1 || !is.null(plan$anchors)
    if (!several) down <- setdiff(down, row_columns)
  }
  values <- unclass(s)
  heads <- cross_heads(s, across)
  rows <- number_rows(values[down], nrow(s))
  cells <- unlist(lapply(seq_along(heads$label), function(i) {
    at <- match(seq_len(rows$count), rows$number[heads$number == i])
    lapply(stats::setNames(nm = shown), function(name) values[[name]][heads$number == i][at])
  }), recursive = FALSE)
  left <- lapply(values[down], function(column) column[rows$first])
  if (lines) {
    turned <- lines_down(left, cells, shown, rows$count, length(heads$label))
    left <- turned$left
    cells <- turned$cells
  }
  columns <- if (lines) line_columns(s, heads, shown, down, rows$count)
             else cross_columns(s, heads, shown, down)
  table <- new_table(c(left, stats::setNames(cells %||% list(), columns$name)),
                              nrow = rows$count * if (lines) length(shown) else 1L,
                              class = "cross_table")
  attr(table, "plan") <- plan
  attr(table, "columns") <- stats::setNames(columns$known, columns$name)
  attr(table, "subject") <- cross_subject(s, if (!lines) shown)
  attr(table, "days_across") <- heads$across
  attr(table, "line") <- if (lines) free_name("line", down)
  attr(table, "cells") <- list(row = rows_behind(heads, rows), figures = shown, lines = lines)
  attr(table, "notes") <- statement_footer(s, marks = "period" %in% down)
  with_show(table, attr(s, "question"), "cross_table", asked)
}

# What a table is of; one figure is named here, and not over each column.
cross_subject <- function(s, shown) {
  subject <- statement_subject(s)
  if (length(shown) != 1) return(subject)
  unit <- scaled_columns(s)[[shown]]$unit_shown
  paste0(shown, if (!is.null(unit)) sprintf(" (%s)", unit), ", ", lower_text(substr(subject, 1, 1)),
         substring(subject, 2))
}

# Which row of the statement each cell is: a row per group, a column per head.
rows_behind <- function(heads, rows) {
  behind <- vapply(seq_along(heads$label), function(i) {
    own <- which(heads$number == i)
    own[match(seq_len(rows$count), rows$number[own])]
  }, integer(rows$count))
  matrix(behind, nrow = rows$count, ncol = length(heads$label))
}

# Of one column of a cross table: list(row, figure), the row of the statement and the figure that
# each of its cells shows.
cells_of_column <- function(x, name) {
  cells <- attr(x, "cells")
  at <- match(name, names(attr(x, "columns")))
  f <- length(cells$figures)
  if (cells$lines) {
    row <- cells$row[, at]
    return(list(row = rep(row, each = f), figure = rep(cells$figures, length(row))))
  }
  row <- cells$row[, (at - 1L) %/% f + 1L]
  list(row = row, figure = rep(cells$figures[(at - 1L) %% f + 1L], length(row)))
}

# A name for a column of ours beside those of the source, which may be called the same.
free_name <- function(name, taken) utils::tail(make.unique(c(taken, name), sep = " "), 1)

# Figures that stand side by side within each head, put below each other: a row per group and
# figure.
lines_down <- function(left, cells, shown, groups, heads) {
  f <- length(shown)
  left <- c(lapply(left, rep, each = f),
            stats::setNames(list(rep(shown, groups)), free_name("line", names(left))))
  list(left = left, cells = lapply(seq_len(heads), function(head) {
    as.vector(do.call(rbind, unname(cells[(head - 1) * f + seq_len(f)])))
  }))
}

# The columns of such a table; decimals and units go with the lines.
line_columns <- function(s, heads, shown, down, groups) {
  figures <- scaled_columns(s)[shown]
  of_lines <- function(part, kind) unname(rep(vapply(figures, part, kind), groups))
  decimals <- of_lines(function(figure) as.integer(figure$decimals), 0L)
  units <- of_lines(function(figure) figure$unit_shown %||% "", "")
  scale <- of_lines(function(figure) figure$scale, 0)
  name <- utils::tail(make.unique(c(down, free_name("line", down), heads$name), sep = " "),
                      length(heads$label))
  list(name = name, known = lapply(seq_along(heads$label), function(i) {
    list(decimals = decimals, units = units, scale = scale, group = i,
         lines = c(heads$label[i], if (is.null(heads$days)) "" else heads$days[i], ""))
  }))
}

# "period" where spans or periods go across.
check_across <- function(s, across, call = caller_env()) {
  plan <- attr(s, "plan")
  rows <- if (is.null(plan$per)) "span" else "period"
  across <- one_of(attributes_of_plan(across, plan), c(rows, plan$by), "across", call = call)
  if (across == rows) "period" else across
}

# Places of members in the ledger's own order: beside totals they are text, whose order is another.
ranks_of_ledger <- function(s, name, members) {
  if (!is.character(members) || !has_ledger(attr(s, "plan"))) return(member_ranks(members))
  held <- plan_members(attr(s, "plan"), name)
  ranks <- held$rank[match(members, held$text)]
  ifelse(is.na(ranks), max(held$rank, 0) + member_ranks(members), ranks)
}

# What stands across: its labels, in order, the days below them, and the number of each row's.
cross_heads <- function(s, across) {
  if (across != "period") {
    members <- unique(s[[across]])
    # Totals and what is left over come last.
    plan <- attr(s, "plan")
    last <- match(plain_text(members), c(plan$rest$label, total_members(plan)), nomatch = 0L)
    members <- members[order(last, ranks_of_ledger(s, across, members))]
    return(list(label = member_text(members), name = member_text(members), days = NULL,
                number = match(s[[across]], members)))
  }
  plan <- attr(s, "plan")
  # Two parts of one period have its label, so periods are told apart by their days.
  told <- number_rows(if (is.null(plan$anchors)) list(s$period, s$from, s$to)
                          else list(s$period), nrow(s))
  first <- told$first
  labels <- s$period[first]
  days <- if (!is.null(plan$anchors)) rep("own days", length(first))
          else span_text(day_numbers(s$from[first]), day_numbers(s$to[first]))
  # The label of a period tells its days, unless it is cut.
  twice <- labels %in% labels[duplicated(labels)]
  names <- ifelse(twice, sprintf("%s (%s)", labels, days), labels)
  if (!is.null(plan$per)) days[s$complete[first]] <- ""
  list(label = labels, name = names, days = days, number = told$number,
       across = if (is.null(plan$per) && is.null(plan$anchors))
         days_across(names, s$from[first], s$to[first]))
}

# The days of spans that go across, as files have them: a first and a last day each, by their names.
days_across <- function(names, from, to) {
  if (length(names) == 0) return(NULL)
  stats::setNames(as.list(as_date(rbind(day_numbers(from), day_numbers(to)))),
                  paste(rep(names, each = 2), c("from", "to")))
}

# Names of the columns and what is known of each: the heading's lines, decimals and unit.
cross_columns <- function(s, heads, shown, down) {
  figures <- scaled_columns(s)
  places <- expand.grid(figure = shown, head = seq_along(heads$label), stringsAsFactors = FALSE)
  if (nrow(places) == 0) return(list(name = character(), known = list()))
  several <- length(shown) > 1
  name <- if (several) paste0(heads$name[places$head], ": ", places$figure) else heads$name
  # A member may be called like another column.
  name <- utils::tail(make.unique(c(down, name), sep = " "), length(name))
  list(name = name, known = lapply(seq_len(nrow(places)), function(i) {
    figure <- figures[[places$figure[i]]]
    head <- places$head[i]
    in_unit <- function(unit) {
      paste0(places$figure[i], if (!is.null(unit)) sprintf(" (%s)", unit))
    }
    c(figure[c("decimals", "unit", if (figure$scale != 1) "scale")],
      list(change = identical(figure$kind, "change"), group = head,
           lines = c(heads$label[head], if (is.null(heads$days)) "" else heads$days[head],
                     if (several) in_unit(figure$unit_shown) else "")))
  }))
}
