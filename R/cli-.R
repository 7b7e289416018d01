# The command `rolling-ledger`. Tables go to standard output, messages to standard error. Exit
# status: 0, 1 (the data or the question is wrong) or 2 (the call is wrong).

cli_commands <- list(
  demo = list(run = function(parsed) cli_demo(parsed), options = function() demo_options(),
              usage = "demo [options]",
              says = "make a statement, a figure and a page from the demo ledger"),
  check = list(run = function(parsed) cli_check(parsed), options = function() check_options(),
               usage = "check FILE... [options]",
               says = "the first look at a file: its columns, dates and what is odd"),
  statement = list(run = function(parsed) cli_statement(parsed),
                   options = function() statement_options(),
                   usage = "statement FILE... --on COLUMN [options]",
                   says = "group a file of dated entries by period and attributes"),
  compare = list(run = function(parsed) cli_compare(parsed), options = function() compare_options(),
                 usage = "compare FILE... --on COLUMN --span PHRASE [--against PHRASE] [options]",
                 says = "compare two spans: figures, difference, per cent"),
  entries = list(run = function(parsed) cli_entries(parsed), options = function() entries_options(),
                 usage = "entries FILE... --on COLUMN --of period=PERIOD [options]",
                 says = "show the entries behind one figure of a statement"),
  spans = list(run = function(parsed) cli_spans(parsed), options = function() spans_options(),
               usage = "spans PHRASE... [options]",
               says = paste0("explain phrases such as 'month to date, 1 year back' in days; ",
                             "--list shows all"))
)

# Runs one call; returns the exit status.
cli_main <- function(args = commandArgs(trailingOnly = TRUE)) {
  rlang::local_options(width = cli_width())
  withCallingHandlers(
    tryCatch(
      cli_dispatch(args),
      rollingledger_error_call = function(e) cli_failure(e, 2L),
      rollingledger_error = function(e) cli_failure(e, 1L),
      error = function(e) cli_failure(e, 1L)
    ),
    rollingledger_message = function(m) {
      # The command tells the rows themselves (cli_report_aside).
      if (!inherits(m, "rollingledger_message_aside")) cli_say(sub("\n$", "", conditionMessage(m)))
      rlang::cnd_muffle(m)
    }
  )
}

# Columns of text that fit: what the environment says, or the terminal, which R does not ask.
cli_width <- function() {
  given <- Sys.getenv("COLUMNS", "")
  if (!grepl("^[0-9]+$", given) && isatty(stdout())) {
    given <- tryCatch(system2("tput", "cols", stdout = TRUE, stderr = FALSE)[1],
                      error = function(e) "", warning = function(w) "")
  }
  if (grepl("^[0-9]+$", given)) min(max(as.integer(given), 40L), 10000L) else getOption("width")
}

cli_dispatch <- function(args) {
  if (length(args) == 0 || args[1] %in% c("--help", "-h", "help")) {
    writeLines(cli_help())
    return(0L)
  }
  if (args[1] == "--version") {
    writeLines(paste("rolling-ledger", utils::packageVersion("rollingledger")))
    return(0L)
  }
  command <- cli_commands[[args[1]]]
  if (is.null(command)) {
    refuse_call(c(
      sprintf("There is no command `%s`.", args[1]), i = nearest_hint(args[1], names(cli_commands)),
      i = sprintf("Commands: %s. See rolling-ledger --help.", listed(names(cli_commands)))
    ))
  }
  if (any(args[-1] %in% c("--help", "-h"))) {
    optparse::print_help(cli_parser(command))
    return(0L)
  }
  command$run(cli_parse(command, args[-1]))
  0L
}

cli_help <- function() {
  says <- vapply(cli_commands, function(command) command$says, "")
  c("Usage: rolling-ledger COMMAND [options]",
    "",
    "Statements from dated transactions: totals by period, running totals, pages.",
    "",
    "Commands:",
    sprintf("  %-*s  %s", max(nchar(names(says))), names(says), says),
    "",
    "rolling-ledger COMMAND --help explains each. Tables go to standard output, messages to",
    paste0("standard error. Exit status: 0 done, 1 the data or the question is wrong, 2 the call ",
           "is wrong."))
}

# The command starts without the packages that R attaches, to answer at once. Others count on them
# when they draw and write.
attach_usual_packages <- function() {
  usual <- c("methods", "stats", "graphics", "grDevices", "utils")
  for (name in setdiff(usual, sub("^package:", "", search()))) attachNamespace(name)
}

cli_say <- function(...) writeLines(paste0(...), stderr())

cli_failure <- function(e, status) {
  # Without the name of the R function, which says nothing to someone who types commands.
  lines <- if (inherits(e, "rlang_error")) strsplit(rlang::cnd_message(e), "\n")[[1]]
           else conditionMessage(e)
  cli_say("rolling-ledger: ", paste(lines, collapse = "\n  "))
  status
}

refuse_call <- function(message) refuse("call", message, call = NULL)

# An option of a command: `many` marks one that may be repeated.
cli_option <- function(flag, help, metavar, many = FALSE, default = NULL) {
  list(flag = flag, many = many, switch = FALSE,
       made = optparse::make_option(flag, type = "character", default = default, help = help,
                                    metavar = metavar))
}

cli_switch <- function(flag, help) {
  list(flag = flag, many = FALSE, switch = TRUE,
       made = optparse::make_option(flag, action = "store_true", default = FALSE, help = help))
}

cli_parser <- function(command) {
  optparse::OptionParser(usage = paste("rolling-ledger", command$usage),
                         option_list = lapply(command$options(), function(o) o$made))
}

# list(options, args, typed); `typed` holds what may be repeated, list(flag, value) each, in the
# order in which it was typed. Whatever optparse refuses is a wrong call.
cli_parse <- function(command, args) {
  options <- command$options()
  flags <- vapply(options, function(o) o$flag, "")
  problem <- function(e) {
    text <- conditionMessage(e)
    unknown <- setdiff(regmatches(text, regexpr("--[A-Za-z-]+", text)), flags)
    refuse_call(c(
      sprintf("The call is not understood: %s.",
              trimws(sub("[.]$", "", sub("^Error in [^:]*: *", "", text)))),
                  i = if (length(unknown) == 1) nearest_flag(unknown, flags),
                  i = sprintf("See rolling-ledger %s --help.", sub(" .*", "", command$usage))))
  }
  many <- vapply(options, function(o) o$many, TRUE)
  switches <- vapply(options, function(o) o$switch, TRUE)
  repeated <- gather_repeated(args, flags[many], flags[!many & !switches])
  parsed <- tryCatch(
    optparse::parse_args(cli_parser(command), repeated$args, positional_arguments = TRUE,
                         convert_hyphens_to_underscores = TRUE),
    error = problem, warning = problem
  )
  for (flag in names(repeated$values)) {
    parsed$options[[option_name(flag)]] <- repeated$values[[flag]]
  }
  known <- c(names(step_flags()), unlist(lapply(step_flags(), field_flags)))
  parsed$typed <- Filter(function(one) one$flag %in% known, repeated$typed)
  # Each option has a place, so that `$per` never finds `periods`.
  absent <- setdiff(option_name(flags), names(parsed$options))
  parsed$options[absent] <- list(NULL)
  parsed
}

option_name <- function(flags) gsub("-", "_", sub("^--", "", flags))

nearest_flag <- function(flag, flags) {
  near <- nearest_hint(sub("^--", "", flag), sub("^--", "", flags))
  if (!is.null(near)) sub("`", "`--", near, fixed = TRUE)
}

# optparse keeps only the last of a repeated option, so the values of those that may be repeated
# are taken out beforehand: list(args, values, typed). Others must not be given twice.
gather_repeated <- function(args, flags, single) {
  values <- list()
  typed <- list()
  rest <- character()
  seen <- character()
  take <- function(flag, value) {
    values[[flag]] <<- c(values[[flag]], value)
    typed <<- c(typed, list(list(flag = flag, value = value)))
  }
  i <- 1
  while (i <= length(args)) {
    if (args[i] == "--") {
      rest <- c(rest, args[i:length(args)])
      break
    }
    flag <- flag_begun(sub("=.*$", "", args[i]), c(flags, single))
    if (startsWith(args[i], "--")) args[i] <- sub("^[^=]*", flag, args[i])
    if (flag %in% seen) refuse_call(sprintf("`%s` is given twice; it takes one value.", flag))
    if (flag %in% single) seen <- c(seen, flag)
    if (!flag %in% flags) {
      rest <- c(rest, args[i])
      # A value is no option, whatever it looks like.
      if (flag %in% single && !grepl("=", args[i], fixed = TRUE) && i < length(args)) {
        rest[length(rest)] <- paste0(flag, "=", args[i + 1])
        i <- i + 1
      }
    } else if (grepl("=", args[i], fixed = TRUE)) {
      take(flag, sub("^[^=]*=", "", args[i]))
    } else if (i == length(args)) {
      refuse_call(sprintf("`%s` needs a value.", flag))
    } else {
      take(flag, args[i + 1])
      i <- i + 1
    }
    i <- i + 1
  }
  list(args = rest, values = values, typed = typed)
}

# The beginning of one option stands for it.
flag_begun <- function(flag, flags) {
  if (!startsWith(flag, "--") || flag %in% flags) return(flag)
  begun <- flags[startsWith(flags, flag)]
  if (length(begun) == 1) begun else flag
}
