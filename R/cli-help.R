# Help of the command: made of the same tables as its options.

cli_help <- function() {
  commands <- cli_commands[shown_commands()]
  says <- vapply(commands, function(command) command$says, "")
  c("Usage: rolling-ledger COMMAND [options]",
    "",
    "Statements from dated transactions: totals by period, running totals, pages.",
    "",
    "Commands:",
    sprintf("  %-*s  %s", max(nchar(names(says))), names(says), says),
    "",
    folded_text(paste(
      "rolling-ledger COMMAND --help explains each; rolling-ledger help measures, conditions,",
      "columns, spans and sentences explain what options take. Tables go to standard output,",
      "messages to standard error. Exit status: 0 done, 1 the data or the question is wrong, 2 the",
      "call is wrong, 3 checked and found different, 130 interrupted."), getOption("width")))
}

# The help of one command: what must be given first, then the options in groups.
command_help <- function(name) {
  command <- cli_commands[[name]]
  width <- getOption("width")
  options <- command$options()
  needed <- vapply(options, function(o) o$needed, TRUE)
  group <- vapply(options, function(o) o$group %||% "Options", "")
  must <- vapply(options[needed], function(o) paste(o$flag, o$value), "")
  parts <- lapply(unique(group[!needed]), function(heading) {
    c("", paste0(heading, ":"), option_lines(options[!needed & group == heading], width))
  })
  c(trimws(paste(c(paste("Usage: rolling-ledger", name), command$takes, must,
                   if (any(!needed)) "[options]"), collapse = " ")),
    "", heading_first(paste0(command$says, ".")),
    if (any(needed)) c("", "Needed:", option_lines(options[needed], width)),
    unlist(parts),
    if (any(c("--measure", "--where") %in% vapply(options, function(o) o$flag, "")))
      c("", language_lines(width)),
    if (length(command$examples) > 0)
      c("", "Examples, on the tables of `rolling-ledger demo`:",
        paste0("  ", example_calls(name))))
}

example_calls <- function(name) {
  trimws(paste("rolling-ledger", name, cli_commands[[name]]$examples), "right")
}

# Each option with its help beside it.
option_lines <- function(options, width) {
  head <- vapply(options, function(o) paste0("  ", o$flag, if (!o$switch) paste0(" ", o$value)), "")
  wide <- 28L
  unlist(Map(function(o, head) {
    text <- strwrap(option_help(o), max(width - wide - 2L, 30L))
    space <- strrep(" ", wide)
    if (nchar(head) > wide - 2L) c(head, paste0(space, text))
    else c(paste0(sprintf("%-*s", wide, head), text[1]), paste0(space, text[-1])[length(text) > 1])
  }, options, head), use.names = FALSE)
}

# Measures and conditions, one line each.
language_lines <- function(width) {
  c("Measures (rolling-ledger help measures says more):",
    cut_lines(paste0("  ", measure_lines()), width),
    "Conditions (rolling-ledger help conditions):",
    cut_lines(paste0("  ", condition_lines()), width))
}

cut_lines <- function(lines, width) {
  ifelse(nchar(lines) > width, paste0(substr(lines, 1, width - 3L), "..."), lines)
}

measure_lines <- function() {
  c(vapply(measure_functions, function(f) f$says, ""),
    "a / b, a + b, ...: arithmetic on measures, always that of their sums",
    "per_cent(a / b): the same in per cent")
}

condition_lines <- function() {
  sprintf("%-26s %s", names(condition_examples), condition_examples)
}

condition_examples <- c(
  "channel == \"web\"" = "is this member; != is another one",
  "fare > 10" = "also <, <= and >=; days as text: booked_on >= \"2026-08-01\"",
  "route %in% c(\"a\", \"b\")" = "is one of these",
  "is_missing(account)" = "has no value; a comparison with none is never true",
  "has_text(holder, \"sand\")" = "holds this text, whatever the case",
  "starts_with(account, \"A1\")" = "begins with it; ends_with() ends so",
  "a & b, a | b, !a" = "both, one of them, not",
  "weekday == \"Monday\"" = "calendar parts too: rolling-ledger help columns"
)

# ---- topics ------------------------------------------------------------------

cli_topics <- list(
  measures = function() c("Measures: figures worked out of entries, such as 'income=total(fare)'.",
                          "", paste0("  ", measure_lines()), "",
                          "Each takes where = and a condition, as in",
                          "  total(fare, where = channel == \"web\").",
                          "A name before = names the column; later measures may use it."),
  conditions = function() c("Conditions on single entries, before any summing.", "",
                            paste0("  ", condition_lines())),
  columns = function() c("Columns worked out of others: --column 'sales=quantity * price'.", "",
                         paste0("  ", vapply(entry_functions, function(f) f$says, "")), "",
                         "Calendar parts, as attributes and in conditions:",
                         paste0("  ", listed(names(calendar_parts), 40))),
  sentences = function() c(
    "Sentences: rolling-ledger ask FILE 'SENTENCE'. Parts stand in any order.", "",
    sentence_examples_lines(), "",
    "Names in double quotes are names always; code stands between backticks. See also ?ask."),
  spans = function() spans_list(ledger_calendar(), as.integer(Sys.Date()), NULL)
)

cli_help_on <- function(parsed) {
  topic <- paste(parsed$args, collapse = " ")
  if (topic %in% shown_commands()) return(show_lines(command_help(topic)))
  if (is.null(cli_topics[[topic]])) {
    known <- c(names(cli_topics), shown_commands())
    refuse_call(c(sprintf("There is no help on `%s`.", shortened_text(topic)),
                  i = nearest_hint(topic, known),
                  i = sprintf("There is on %s.", listed(known, 30))))
  }
  show_lines(cli_topics[[topic]]())
}
