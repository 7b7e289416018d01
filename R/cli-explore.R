# rolling-ledger explore

explore_options <- function() {
  c(in_group("The page", list(
    cli_option("--briefs", "folder of briefs to open from and keep in [.]", "FOLDER"),
    cli_option("--targets",
               "NAME=FILE: a table for targets, to tie to or to bring in; may be repeated",
               "TABLE", many = TRUE),
    cli_option("--value", "with a BRIEF, NAME=VALUE: a value that it asks for; may be repeated",
               "VALUE", many = TRUE),
    cli_option("--from", "with a BRIEF: folder below which its tables stand [that of the brief]",
               "FOLDER"),
    allow_host_option(),
    cli_option("--host", paste("address to listen at; any but 127.0.0.1 can be reached from other",
                               "machines, by an address with a token [127.0.0.1]"), "ADDRESS"),
    cli_option("--port", "port to listen at [one that is free]", "NUMBER"),
    cli_switch("--no-browser", "tell the address, open no browser"))),
    ledger_options(needed = FALSE), calendar_options())
}

cli_explore <- function(parsed) {
  o <- parsed$options
  if (length(parsed$args) == 0) {
    refuse_call(c("`explore` takes a FILE, several of one layout, or a BRIEF.",
                  i = "See rolling-ledger explore --help."))
  }
  is_brief <- length(parsed$args) == 1 &&
    lower_text(tools::file_ext(parsed$args)) %in% c("yml", "yaml")
  tables <- as.list(named_pairs(o$targets, "--targets"))
  values <- values_by_name(named_pairs(o$value, "--value"))
  if (!is_brief && length(values) > 0) refuse_call("`--value` goes with a BRIEF.")
  if (!is_brief && !is.null(o$from)) refuse_call("`--from` goes with a BRIEF.")
  folder <- o$briefs %||% (if (is_brief) dirname(parsed$args) else ".")
  if (!dir.exists(folder)) refuse_call(sprintf("The folder %s does not exist.", folder))
  port <- if (!is.null(o$port)) as_call_problem({
    if (!is_plain_number(o$port))
      refuse_call(sprintf("`--port` takes a number, not \"%s\".", o$port))
    rlang::local_options(rollingledger.flags = list(port = "--port"))
    check_port(as.numeric(o$port), NULL)
    as.numeric(o$port)
  })
  as_call_problem(check_offered_tables(tables, NULL))
  rlang::check_installed("shiny", reason = "to open a page to point at.", version = "1.7.4")
  x <- if (is_brief) {
    for (flag in flags_typed(o, c(field_flags("ledger"), field_flags("ledger_calendar"))))
      refuse_call(sprintf("`%s` applies to files; a brief names its own.", flag))
    parsed$args
  } else {
    if (is.null(o$on)) refuse_without_date(parsed)
    record <- cli_ledger_record(parsed, "explore")
    # What has a unit is counted in it.
    record$amounts <- union(record$amounts, names(record$units))
    cli_ledger(record, list(), whole = TRUE)
  }
  explore(x, tables = tables, briefs = folder, values = values, from = o$from,
          allow_host = o$allow_host,
          host = o$host %||% "127.0.0.1", port = port, open = !o$no_browser)
  0L
}
