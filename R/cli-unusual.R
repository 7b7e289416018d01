# rolling-ledger unusual

unusual_options <- function() {
  options_once(c(
    in_group("What is asked", c(field_options("stands_out"), list(
      cli_option("--line", "the entries behind the line of this number, in place of the list",
                 "NUMBER")))),
    own_figure_options("figure_unusual", leave = "line"),
    ledger_options(), calendar_options(), output_options(c(table_endings(), figure_endings))))
}

cli_unusual <- function(parsed) {
  o <- parsed$options
  ending <- own_figure_ending(o, "figure_unusual", leave = "line")
  if (!is.null(o$line) && !is_plain_number(o$line))
    refuse_call(sprintf("`--line` takes a number, not \"%s\".", o$line))
  part <- list(show = list(c(list(show = "stands_out"),
                             typed_statement(o, verb = "stands_out"))))
  found <- 0L
  cli_answer(parsed, part, function(s) {
    found <<- nrow(s)
    unusual_item(s, o, ending)
  }, command = "unusual", endings = c(table_endings(), figure_endings))
  # For a script: something stands out.
  if (found > 0) 3L else 0L
}

# What is shown: the list, the entries of a line, a line's figure, or a page.
unusual_item <- function(s, o, ending) {
  number <- as.numeric(o$line %||% 1)
  figure <- list(what = "figure_unusual", of = "s", size = o$size,
                 record = c(list(show = "figure_unusual", line = number),
                            typed_fields(o, "figure_unusual", leave = "line")))
  if (ending %in% figure_endings) return(figure)
  if (!is.null(o$line)) {
    return(list(what = "entries_behind", of = "s",
                record = list(show = "entries_behind", of = list(line = o$line))))
  }
  table <- list(what = "table", of = "s")
  if (ending != "html") return(table)
  figure["size"] <- list(NULL)
  list(what = "page", title = o$title %||% "What stands out",
       content = c(if (nrow(s) > 0) list(figure), list(table)))
}
