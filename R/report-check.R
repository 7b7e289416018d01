# The first look at a table as part of a page: what is odd, a calendar of days, and each table
# whole.

page_check <- function(x) {
  tags <- htmltools::tags
  odd <- unlist(odd_parts(x))
  days <- statement_of_check(x)
  list(
    lapply(check_heading(x), function(line) {
      tags$p(class = "dates", trimws(sub("^First look at .*: ([0-9])", "\\1", line)))
    }),
    tags$h3("What is odd"),
    if (length(odd) == 0) tags$p("Nothing that was looked for.")
    else tags$ul(lapply(unname(odd), tags$li)),
    tags$h3("Columns"), table_of_check(x$contents, "Columns"),
    if (nrow(x$dates) > 0) list(tags$h3("Dates"), table_of_check(x$dates, "Dates")),
    if (!is.null(days)) list(tags$h3("Entries of each day"), page_figure(figure_days(days))),
    if (nrow(x$amounts) > 0) list(tags$h3("Amounts"), table_of_check(x$amounts, "Amounts")),
    check_section(x$gaps, "Days without entries"), check_section(x$far_off, "Far from all others"),
    check_section(x$repeated, "Entries that stand there twice"),
    check_section(x$alike, "Members that may be one"),
    check_section(x$steps, "Months that step up or down"), check_section(x$set_aside, "Set aside"),
    tags$h3("The line to type next"), tags$pre(tabindex = "0", next_call(x))
  )
}

# Entries by day, of the last ten years at most, which is what a calendar of days shows.
statement_of_check <- function(x) {
  basis <- source_facts(x$ledger)$dates[[1]]
  if (basis$column == undated || basis$months) return(NULL)
  long <- basis$last - basis$first > 3650
  asked <- list(per = "day", span = if (long) "trailing 10 years" else "all",
                measures = c(entries = "entries()"))
  tryCatch(answer_statement(x$ledger, asked), rollingledger_error = function(e) NULL)
}

check_section <- function(table, heading) {
  if (is.null(table) || nrow(table) == 0) return(NULL)
  shown <- utils::head(table, rows_of_check)
  list(htmltools::tags$h3(heading), table_of_check(shown, heading),
       if (nrow(table) > rows_of_check) {
         htmltools::tags$p(sprintf("The first %s of %s.", number_text(rows_of_check),
                                   number_text(nrow(table))))
       })
}

rows_of_check <- 500L

# A table of the look, whose column `decimals` is that of its amounts.
table_of_check <- function(table, name) {
  decimals <- table[["decimals"]] %||% 0
  table <- table[setdiff(names(table), "decimals")]
  columns <- lapply(stats::setNames(nm = names(table)), function(heading) {
    values <- table[[heading]]
    figures <- is.numeric(values) && !is.object(values)
    amount <- heading %in% c("smallest", "largest", "total")
    shown_column(heading, values, is_figure = figures, text = function(at) {
      text <- if (figures) number_text(values, if (amount) decimals else 0)
              else if (is_day_column(values)) day_text(day_numbers(values))
              else as.character(values)
      ifelse(is.na(values), "", text)[at]
    })
  })
  table_on_page(new_shown_table(table, columns, title = name), name)
}
