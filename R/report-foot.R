# The foot of a page: where the entries come from, what was set aside, proof of the totals, and how
# the figures are made.

page_foot <- function(parts, heads) {
  tags <- htmltools::tags
  made <- Filter(Negate(is.null), lapply(parts, part_made_from))
  sources <- unique(unlist(lapply(made, function(m) c(m$source, m$kept, m$set_aside))))
  measures <- unique(unlist(lapply(made, function(m) m$measures)))
  tags$footer(
    page_controls(parts, heads),
    if (length(made) > 0) tags$h2("How this was made"),
    lapply(sources, tags$p),
    if (length(measures) > 0) tags$ul(lapply(measures, function(line) tags$li(tags$code(line)))),
    tags$p(sprintf("Made with Rolling Ledger %s.", utils::packageVersion("rollingledger")))
  )
}

# Control totals of all statements of the page, in one table.
page_controls <- function(parts, heads) {
  tags <- htmltools::tags
  under <- heads$text[pmax(1, cummax(ifelse(heads$told, seq_along(heads$told), 0)))]
  lines <- unlist(lapply(seq_along(parts), function(i) {
    if (part_kind(parts[[i]]) == "statement" && is.null(statement_info(parts[[i]])$anchors))
      control_lines(parts[[i]], under[i])
  }), recursive = FALSE)
  if (length(lines) == 0) return(NULL)
  tags$div(
    class = "control", tags$h2("Control totals"),
    tags$div(class = "scroll", tabindex = "0", role = "region", "aria-label" = "Control totals",
             tags$table(tags$thead(tags$tr(
tags$th(scope = "col", "part"), tags$th(scope = "col", "measure"),
tags$th(scope = "col", class = "number", "sum of the rows"),
tags$th(scope = "col", class = "number", "straight from the entries"), tags$th(scope = "col", "")
)), tags$tbody(lines)))
  )
}

control_lines <- function(s, part) {
  tags <- htmltools::tags
  control <- control_totals(s)
  columns <- columns_of(s)
  lapply(seq_len(nrow(control)), function(i) {
    line <- control[i, ]
    decimals <- held_decimals(columns[[line$measure]])
    ties <- control_ties(line, columns)
    tags$tr(
      class = if (ties) NULL else "differs", tags$td(part),
      tags$th(scope = "row", control_label(line, control)),
      tags$td(class = "number", number_text(line$statement, decimals)),
      tags$td(class = "number", number_text(line$entries, decimals)),
      tags$td(class = "text",
              if (ties) "ties" else paste("differs by", number_text(line$difference, decimals)))
    )
  })
}

control_ties <- function(line, columns) {
  abs(line$difference) < 0.5 * 10^-held_decimals(columns[[line$measure]])
}

# A measure, and its days where there are several spans of it.
control_label <- function(line, control) {
  if (sum(control$measure == line$measure) == 1) return(line$measure)
  paste0(line$measure, ", ", days_text(day_numbers(line$from), day_numbers(line$to)))
}
