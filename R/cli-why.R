# rolling-ledger why

why_options <- function() {
  options_once(c(
    in_group("What is asked", c(field_options("why_changed"), list(
      cli_option("--line", "the entries behind this line, in place of the lines", "NAME")))),
    own_figure_options("figure_bridge"),
    ledger_options(), calendar_options(), output_options(c(table_endings(), figure_endings))))
}

cli_why <- function(parsed) {
  o <- parsed$options
  if (is.null(o$now)) {
    refuse_call(c("`--now` is missing: the change of which span is to be explained?",
                  i = "For example --now 'last month'."))
  }
  ending <- own_figure_ending(o, "figure_bridge")
  if (!is.null(o$line) && ending %in% figure_endings)
    refuse_call("`--line` gives a table of entries, and no figure.")
  part <- list(show = list(c(list(show = "why_changed"),
                             typed_statement(o, verb = "why_changed"))))
  cli_answer(parsed, part, function(s) why_item(s, o, ending), command = "why",
             endings = c(table_endings(), if (is.null(o$line)) figure_endings))
}

# What is shown of an explanation: its lines, the entries of one, the bridge, or a page of both.
why_item <- function(s, o, ending) {
  if (!is.null(o$line)) {
    return(list(what = "entries_behind", of = "s",
                record = list(show = "entries_behind", of = list(line = o$line))))
  }
  table <- list(what = "table", of = "s")
  bridge <- list(what = "figure_bridge", of = "s", size = o$size,
                 record = c(list(show = "figure_bridge"), typed_fields(o, "figure_bridge")))
  if (ending %in% figure_endings) return(bridge)
  if (ending != "html") return(table)
  bridge["size"] <- list(NULL)
  bridge$heading <- "Why it changed"
  list(what = "page", title = o$title,
       content = if (nrow(s) <= 15) list(bridge, table) else list(table))
}
