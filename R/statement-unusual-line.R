# What is behind a line of what stands out: its entries, and why it changed.

# The statement of the line's own figure: list(s, row).
statement_of_line <- function(u, line, call) {
  line <- line_number(u, line, call)
  plan <- attr(u, "plan")
  asked <- attr(u, "facts")$asked
  group <- attr(u, "groups")[[line]]
  m <- u$measure[line]
  own <- c(asked[intersect(names(asked), c("on", "where", "as_of", "known"))],
           list(by = plan$by[seq_len(group$level)],
                span = paste(iso_day(day_numbers(u$from[line])), iso_day(day_numbers(u$to[line])),
                             sep = "/"),
                measures = stats::setNames(measure_alone(plan$measures, m), m)))
  own <- own[lengths(own) > 0]
  s <- answer_statement(plan_ledger(plan, call), own, call)
  row <- match(group$group, current_rows(s, call)$group)
  if (is.na(row)) {
    refuse("choice", sprintf("Line %d has no entries in %s.", line,
                             days_text(day_numbers(u$from[line]), day_numbers(u$to[line]))),
           call = call)
  }
  list(s = s, row = row)
}

# The text of a measure without the names of others that it is made of.
measure_alone <- function(measures, m) {
  texts <- vapply(measures, function(tree) attr(tree, "text"), "")
  before <- texts[seq_len(match(m, names(texts)) - 1L)]
  alone <- function(expr) {
    if (is.symbol(expr) && as.character(expr) %in% names(before))
      return(call("(", text_expression(measure_alone(measures, as.character(expr)))))
    if (!is.call(expr) || called_name(expr) %in% names(measure_functions)) return(expr)
    expr[-1] <- lapply(as.list(expr)[-1], alone)
    expr
  }
  expression_text(alone(text_expression(texts[[m]])))
}

# The number of a line, also as text.
line_number <- function(u, line, call) {
  at <- suppressWarnings(as.numeric(line))
  if (length(at) == 1 && !is.na(at) && at %in% seq_len(nrow(u))) return(as.integer(at))
  refuse("choice", if (nrow(u) == 0) "Nothing stands out, so there are no lines."
                   else sprintf("A line is told by its number, 1 to %d.", nrow(u)), call = call)
}

entries_of_unusual <- function(u, told, row, call) {
  if (length(told) > 0 && !identical(names(told), "line"))
    refuse("choice", "Lines are told by their number, such as line = 1.", call = call)
  own <- statement_of_line(u, told$line %||% row %||% 1, call)
  plan <- attr(own$s, "plan")
  consistent(plan_ledger(plan), function() {
    entries_of_figure(own$s, own$row, names(plan$measures), call)
  }, plan$id)
}

# The record of why a line differs from the period before, or from another one.
why_of_unusual <- function(u, asked, call) {
  own <- statement_of_line(u, asked$now %||% 1, call)
  plan <- attr(own$s, "plan")
  facts <- attr(u, "facts")
  changed <- figure_that_changed(own$s, own$row, names(plan$measures))
  where <- c(facts$asked$where, asked$where, changed$where)
  asked$now <- changed$span
  asked$before <- asked$before %||% sprintf("1 %s back", facts$per)
  asked$measures <- stats::setNames(attr(plan$measures[[1]], "text"), names(plan$measures))
  if (length(where) > 0)
    asked$where <- paste(if (length(where) > 1) sprintf("(%s)", where) else where, collapse = " & ")
  kept <- facts$asked[intersect(names(facts$asked), c("on", "as_of", "known"))]
  list(ledger = plan_ledger(plan, call), asked = c(asked, kept[setdiff(names(kept), names(asked))]))
}
