# rolling-ledger run, rolling-ledger briefs

run_options <- function() {
  in_group("Options", list(
    cli_option("--value", "NAME=VALUE: a value that the brief asks for; may be repeated", "VALUE",
               many = TRUE),
    cli_option("--from", "folder below which the brief's tables stand [that of the brief]",
               "FOLDER"),
    source_option(), allow_host_option(),
    cli_option("--out", "folder that its files are written to; without it none are", "FOLDER"),
    cli_option("--each", paste("run it for each value of NAME, all members without --value, into",
                               "a folder of its own with an index"), "NAME"),
    cli_switch("--overwrite", "with --out: replace files that are there"),
    cli_option("--compare", paste("record of an earlier run: what has changed since, and why; exit",
                                  "status 3 where what had been told is not so any more"),
               "RECORD"),
    cli_option("--rows", "rows to print: a number, or all [what fits a terminal]", "NUMBER"),
    cli_switch("--wide", "print lines as long as they are: nothing folded, no name cut"),
    cli_switch("--quiet", "print nothing but what is wrong"),
    cli_switch("--show-code", "print the R code of the brief instead of running it")))
}

allow_host_option <- function() {
  cli_option("--allow-host", paste("with a BRIEF: a server that it may ask, as its address names",
                                   "it; the password of the environment goes there; may be",
                                   "repeated"), "HOST", many = TRUE)
}

cli_run <- function(parsed) {
  o <- parsed$options
  if (length(parsed$args) == 0) {
    refuse_call(c("`run` takes a BRIEF.", i = "See rolling-ledger run --help."))
  }
  given <- named_pairs(o$value, "--value")
  check_run_options(o)
  brief <- read_brief(parsed$args[1], NULL)
  if (!is.null(o$each)) return(cli_series(brief, parsed, values_by_name(given)))
  values <- as_call_problem(asked_values(brief, values_by_name(given), NULL,
                                         terminal = asked_at_terminal()))
  files <- if (length(parsed$args) > 1) parsed$args[-1]
  made <- as_call_problem({
    hosts <- if (o$show_code) hosts_of_brief(brief) else o$allow_host
    with_targets(prepared_run(brief, values, o$from, files, NULL, there = !o$show_code,
                              hosts = hosts), o$out, o$overwrite, NULL)
  })
  if (o$show_code) {
    return(show_lines(unclass(run_code(made))))
  }
  if (!is.null(o$compare)) made$since <- as_call_problem(read_record(o$compare, NULL))
  run <- finished_run(made, NULL)
  if (!o$quiet) cli_report_aside(run$ledger)
  if (!o$quiet) print_run(run, o)
  if (!o$quiet) for (file in run$files) cli_say("Wrote ", file)
  if (!is.null(run$changes)) show_lines(c("", format(run$changes)))
  unwritten <- files_named(made$items)
  if (is.null(o$out) && length(unwritten) > 0 && !o$quiet)
    cli_say(sprintf("Not written without --out FOLDER: %s.", listed(unwritten)))
  if (isTRUE(run$changes$different) || any(vapply(run$shown, holds_difference, TRUE))) 3L else 0L
}

# Whether something that is shown, or a part of it, was held against a table and differs, or stands
# out and was not told before.
holds_difference <- function(thing) {
  if (inherits(thing, "reconciliation")) return(any(thing$result != "matched"))
  if (inherits(thing, "unusual")) {
    told <- thing[["told_before"]] %||% logical(nrow(thing))
    return(!all(told))
  }
  has_parts(thing) && any(vapply(thing, holds_difference, TRUE))
}

# Whether something that is shown is a page, of parts.
has_parts <- function(thing) {
  is.list(thing) && !is.data.frame(thing) && !inherits(thing, "ggplot")
}

# A run for each of several values.
cli_series <- function(brief, parsed, given) {
  o <- parsed$options
  files <- if (length(parsed$args) > 1) parsed$args[-1]
  series <- as_call_problem({
    rlang::local_options(rollingledger.flags = list(out = "--out", overwrite = "--overwrite",
                                                    each = "--each"))
    prepared_series(brief, o$each, given, o$out, o$from, files, o$overwrite, NULL,
                    terminal = asked_at_terminal(), hosts = o$allow_host)
  })
  finished_series(series, o$quiet, NULL)
  if (!o$quiet) cli_say("Wrote ", file.path(o$out, "index.html"))
}

check_run_options <- function(o) {
  if (!is.null(o$each)) {
    if (is.null(o$out)) refuse_call("`--each` needs `--out FOLDER`, a folder of its own.")
    for (flag in flags_typed(o, c("--compare", "--rows", "--wide", "--show-code")))
      refuse_call(sprintf("`%s` does not go with `--each`.", flag))
    if (!is.null(o$from) && !dir.exists(o$from))
      refuse_call(sprintf("The folder %s does not exist.", o$from))
    return(invisible())
  }
  if (o$overwrite && is.null(o$out)) refuse_call("`--overwrite` goes with `--out FOLDER`.")
  idle <- if (o$quiet) flags_typed(o, c("--rows", "--wide", "--show-code"))
  for (flag in idle) refuse_call(sprintf("`%s` does nothing with `--quiet`.", flag))
  cli_rows(o$rows)
  if (!is.null(o$from) && !dir.exists(o$from))
    refuse_call(sprintf("The folder %s does not exist.", o$from))
}

# Values given several times are several values.
values_by_name <- function(given) {
  if (is.null(given)) return(list())
  split(unname(given), factor(names(given), unique(names(given))))
}

# At a terminal what is missing is asked for.
asked_at_terminal <- function() {
  if (!isatty(stdin()) || !isatty(stderr())) return(NULL)
  function(name, ask) {
    cat(asked_words(name, ask), ": ", sep = "", file = stderr())
    said <- readLines(file("stdin"), n = 1)
    if (length(said) == 1 && nzchar(said)) said
  }
}

print_run <- function(run, o) {
  first <- TRUE
  for (part in run_parts(run)) {
    if (!first) writeLines("")
    first <- FALSE
    if (!is.null(part$heading)) show_lines(part$heading)
    if (is.character(part$thing)) show_lines(part$thing)
    else if (identical(part_kind(part$thing), "tiles")) print(part$thing)
    else stream_out(part$thing, o)
  }
}

# ---- briefs ------------------------------------------------------------------

briefs_options <- function() {
  in_group("Options", list(
    cli_switch("--check", "look for what is wrong in them; exit status 1 where something is"),
    cli_option("--format", "csv, tsv, json or text [text]", "FORMAT")))
}

cli_briefs <- function(parsed) {
  o <- parsed$options
  if (length(parsed$args) > 1) refuse_call("`briefs` takes one FOLDER.")
  if (!is.null(o$format) && !o$format %in% stream_formats)
    refuse_call(sprintf("`--format` must be one of %s, not \"%s\".", listed(stream_formats),
                        o$format))
  folder <- if (length(parsed$args) == 1) parsed$args
  table <- list_briefs(folder)
  wrong <- table[!is.na(table$problem), ]
  if (!is.null(o$format) && o$format != "text") {
    writeLines(plain_lines(table, o$format), useBytes = TRUE)
  } else {
    show_lines(brief_lines(table[is.na(table$problem), ], folder))
  }
  for (problem in wrong$problem) cli_say(problem)
  if (o$check && nrow(wrong) > 0) 1L else 0L
}

# Briefs by category, as they are listed.
brief_lines <- function(table, folder) {
  if (nrow(table) == 0) return(sprintf("No briefs in %s.", folder %||% "the package"))
  width <- getOption("width")
  category <- ifelse(is.na(table$category), "(no category)", table$category)
  lines <- lapply(unique(category), function(one) {
    rows <- table[category == one, ]
    c(one, unlist(lapply(seq_len(nrow(rows)), function(i) {
      row <- rows[i, ]
      c(paste0("  ", row$name, ": ", sub("^[.]/", "", row$file)),
        if (!is.na(row$description)) strwrap(row$description, width - 2, prefix = "    "),
        if (nzchar(row$asks)) paste0("    asks for ", row$asks))
    })))
  })
  unlist(lines)
}
