# The command `rolling-ledger`. Tables go to standard output, messages to standard error. Exit
# status: 0, 1 (the data or the question is wrong), 2 (the call is wrong), 3 (checked and found
# different) or 130 (interrupted).

# Of each command: what runs it, its options, what it takes, and two calls that work on the tables
# of `rolling-ledger demo`.
cli_commands <- list(
  check = list(
    run = function(parsed) cli_check(parsed), options = function() check_options(),
    takes = "FILE...", says = "the first look at a file: its columns, dates and what is odd",
    examples = c("demo-output/tables/fares.csv.gz",
                 "demo-output/tables/fares.csv.gz --on sailed_on --key ticket")),
  statement = list(
    run = function(parsed) cli_statement(parsed), options = function() statement_options(),
    takes = "FILE...", says = "group dated entries by period and attributes",
    examples = c(paste("demo-output/tables/fares.csv.gz --on sailed_on --per month",
                       "--measure 'income=total(fare)'"),
                 paste("demo-output/tables/fares.csv.gz --on sailed_on --per week --by route",
                       "--span 'last 3 weeks' --measure 'income=total(fare)' --rank income",
                       "--keep 2 --sort income"))),
  ask = list(
    run = function(parsed) cli_ask(parsed), options = function() ask_options(),
    takes = "FILE... [SENTENCE]", says = "ask in a sentence, or line after line without one",
    examples = c(paste("demo-output/tables/fares.csv.gz",
                       "'fare each month by route, last 3 months, the first 2'",
                       "--on sailed_on"),
                 paste("demo-output/tables/fares.csv.gz",
                       "'accounts each week, latest 4 weeks, only channel web' --on sailed_on",
                       "--format csv"))),
  compare = list(
    run = function(parsed) cli_compare(parsed), options = function() compare_options(),
    takes = "FILE...", says = "two spans side by side, with difference and per cent",
    examples = c(paste("demo-output/tables/fares.csv.gz --on sailed_on --by route",
                       "--span 'month to date' --measure 'income=total(fare)'"),
                 paste("demo-output/tables/fares.csv.gz --on sailed_on --span 'week 31 2026'",
                       "--against 'week 8 2026'"))),
  members = list(
    run = function(parsed) cli_members(parsed), options = function() members_options(),
    takes = "FILE...", says = "members that are new, kept or lost between two spans",
    examples = c(paste("demo-output/tables/fares.csv.gz --on sailed_on --member account",
                       "--span 'last month' --measure 'income=total(fare)' --rows 10"),
                 paste("demo-output/tables/fares.csv.gz --on sailed_on --member account",
                       "--span 2026-08 --against 2026-07 --format csv"))),
  why = list(
    run = function(parsed) cli_why(parsed), options = function() why_options(),
    takes = "FILE...", says = "why a figure changed: lines that add up, and what stands out",
    examples = c(paste("demo-output/tables/fares.csv.gz --on sailed_on --measure",
                       "'income=total(fare)' --now 2026-07 --before 2025-07"),
                 paste("demo-output/tables/fares.csv.gz --on sailed_on --measure",
                       "'income=total(fare)' --now 'last month' --by route --by fare_class",
                       "--volume passengers"))),
  unusual = list(
    run = function(parsed) cli_unusual(parsed), options = function() unusual_options(),
    takes = "FILE...", says = "what stands out of finished periods; exit status 3 where some do",
    examples = c(paste("demo-output/tables/fares.csv.gz --on sailed_on --per week --by route",
                       "--measure 'income=total(fare)' --span '2025-W04'"),
                 paste("demo-output/tables/fares.csv.gz --on sailed_on --per day --by channel",
                       "--span 'latest finished 7 days' --format csv"))),
  entries = list(
    run = function(parsed) cli_entries(parsed), options = function() entries_options(),
    takes = "FILE...", says = "the entries behind one figure of a statement",
    examples = c(paste("demo-output/tables/fares.csv.gz --on sailed_on --per month --by route",
                       "--measure 'income=total(fare)' --of period=2026-08 --of route=Oysterby"),
                 paste("demo-output/tables/fares.csv.gz --on sailed_on --per day",
                       "--where 'fare < 0' --of period=2026-08-02 --format csv"))),
  reconcile = list(
    run = function(parsed) cli_reconcile(parsed), options = function() reconcile_options(),
    takes = "FILE...",
    says = paste("a statement against another table; exit status 3 where cells differ, as those",
                 "of the examples do"),
    examples = paste("demo-output/tables/fares.csv.gz --on booked_on --per day",
                     "--measure 'income=total(fare)'",
                     "--against demo-output/tables/deposits.csv.gz",
                     "--key period=received_on --value amount",
                     c("", "--tolerance 50 --format csv"))),
  spans = list(
    run = function(parsed) cli_spans(parsed), options = function() spans_options(),
    takes = "PHRASE...", says = "explain phrases such as 'month to date, 1 year back' in days",
    examples = c("'month to date, 1 year back'", "--list --as-of 2026-09-17")),
  run = list(
    run = function(parsed) cli_run(parsed), options = function() run_options(),
    takes = "BRIEF [FILE...]", says = "run a brief: a question kept in a file",
    examples = c("demo-output/briefs/leaders-per-week.yml --from demo-output/tables",
                 paste("demo-output/briefs/board-page.yml --from demo-output/tables",
                       "--out demo-output --overwrite"))),
  briefs = list(
    run = function(parsed) cli_briefs(parsed), options = function() briefs_options(),
    takes = "[FOLDER]", says = "list the briefs of a folder",
    examples = c("demo-output/briefs", "--check demo-output/briefs")),
  explore = list(
    run = function(parsed) cli_explore(parsed), options = function() explore_options(),
    takes = "FILE...|BRIEF", says = "open a page in the browser, to ask by pointing",
    examples = c(paste("demo-output/tables/fares.csv.gz --on sailed_on --unit fare=EUR",
                       "--briefs demo-output/briefs"),
                 "demo-output/briefs/leaders-per-week.yml --from demo-output/tables --no-browser")),
  demo = list(
    run = function(parsed) cli_demo(parsed), options = function() demo_options(),
    takes = "", says = "make tables, a statement, a page and briefs to try all this on",
    examples = c("", "--dir elsewhere")),
  help = list(
    run = function(parsed) cli_help_on(parsed), options = function() list(),
    takes = "[TOPIC]", says = "explain a command, or measures, conditions, spans and columns",
    examples = c("measures", "spans")),
  complete = list(
    run = function(parsed) cli_complete(parsed), options = function() list(), hidden = TRUE,
    takes = "WORD...", says = "what could stand next on a command line", examples = character())
)

# Runs one call; returns the exit status.
cli_main <- function(args = commandArgs(trailingOnly = TRUE)) {
  use_utf8()
  core_catch_ending_signals()
  rlang::local_options(width = cli_width(), rollingledger.flags = words_of_options(),
                       rollingledger.reader = "command", OutDec = ".",
                       scipen = 0, digits = 7, rollingledger.rows = NULL, warn = 1,
                       # Messages show controls as text, colours among them.
                       cli.num_colors = 1L,
                       rollingledger.plain_tables = TRUE)
  args <- enc2utf8(as.character(unname(args)))
  status <- withCallingHandlers(
    tryCatch(
      cli_dispatch(args),
      rollingledger_error_call = function(e) cli_failure(e, 2L),
      rollingledger_error = function(e) cli_failure(e, 1L),
      error = function(e) cli_failure(e, 1L),
      interrupt = function(e) {
        cli_say("rolling-ledger: interrupted")
        signal <- core_signal_asked()
        if (signal > 0) 128L + signal else 130L
      }
    ),
    # What R itself warns of is in R's words; what matters is refused or told in ours.
    warning = function(w) {
      if (!inherits(w, "rollingledger_warning")) invokeRestart("muffleWarning")
    },
    rollingledger_message = function(m) {
      # The command tells the rows themselves (cli_report_aside).
      if (!inherits(m, "rollingledger_message_aside")) cli_say(sub("\n$", "", conditionMessage(m)))
      rlang::cnd_muffle(m)
    }
  )
  if (status %in% c(0L, 3L)) finished_output(status) else status
}

# Arguments and output are UTF-8, whatever the locale of a nightly job.
use_utf8 <- function() {
  if (isTRUE(l10n_info()[["UTF-8"]])) return(invisible())
  for (locale in c("C.UTF-8", "en_US.UTF-8", "UTF-8")) {
    if (suppressWarnings(nzchar(Sys.setlocale("LC_CTYPE", locale)))) return(invisible())
  }
}

# All that was printed must have arrived; a full disk behind standard output is an error.
finished_output <- function(status) {
  if (core_flush_output() != "broken") return(status)
  cli_say("rolling-ledger: standard output could not be written to its end. Is the disk full?")
  1L
}

# Columns of text that fit: what the environment says, or the terminal, which R does not ask.
cli_width <- function() {
  given <- Sys.getenv("COLUMNS", "")
  if (!grepl("^[0-9]+$", given) && isatty(stdout())) given <- terminal_size("cols")
  if (grepl("^[0-9]+$", given)) as.integer(min(max(as.double(given), 40), 10000)) else 80L
}

# "cols" or "lines" of the terminal, or "".
terminal_size <- function(what) {
  tryCatch(system2("tput", what, stdout = TRUE, stderr = FALSE)[1],
           error = function(e) "", warning = function(w) "")
}

cli_dispatch <- function(args) {
  if (length(args) == 0 || args[1] %in% c("--help", "-h") ||
        args[1] == "help" && length(args) == 1) {
    show_lines(cli_help())
    return(0L)
  }
  if (args[1] == "--version") {
    writeLines(paste("rolling-ledger", utils::packageVersion("rollingledger")))
    return(0L)
  }
  command <- cli_commands[[args[1]]]
  if (is.null(command)) {
    refuse_call(c(
      sprintf("There is no command `%s`.", shortened_text(args[1])),
      i = nearest_hint(args[1], shown_commands()),
      i = sprintf("Commands: %s. See rolling-ledger --help.", listed(shown_commands(), 20))
    ))
  }
  if (args[1] == "complete") return(cli_complete(args[-1]))
  options <- command$options()
  if (asks_for_help(args[-1], options)) {
    show_lines(command_help(args[1]))
    return(0L)
  }
  parsed <- cli_parse(options, args[1], args[-1])
  # The address of a database stands for the files.
  parsed$args <- c(parsed$args, parsed$options$source)
  out <- command$run(parsed)
  if (is.integer(out) && length(out) == 1) out else 0L
}

shown_commands <- function() {
  names(cli_commands)[!vapply(cli_commands, function(command) isTRUE(command$hidden), TRUE)]
}

# Help is asked for where --help is no value and no file.
asks_for_help <- function(args, options) {
  ended <- which(args == "--")
  if (length(ended) > 0) args <- args[seq_len(ended[1] - 1)]
  flags <- vapply(Filter(function(o) !o$switch, options), function(o) o$flag, "")
  at <- which(args %in% c("--help", "-h"))
  any(!c("", args)[at] %in% flags)
}

cli_say <- function(...) writeLines(shown_controls(paste0(...)), stderr())

cli_failure <- function(e, status) {
  # Without the name of the R function, which says nothing to someone who types commands.
  lines <- if (inherits(e, "rlang_error")) strsplit(rlang::cnd_message(e), "\n")[[1]]
           else c("Something went wrong that no message is made for.",
                  paste("R says:", without_passwords(conditionMessage(e))),
                  "Please report it with the call.")
  cli_say("rolling-ledger: ", paste(lines, collapse = "\n  "))
  status
}

refuse_call <- function(message) refuse("call", message, call = NULL)
