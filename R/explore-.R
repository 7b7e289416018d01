#' Ask by pointing: a page of your own
#'
#' Opens a page in the browser on which a question is put by pointing: the days, the grain, the
#' measures, attributes and conditions, what is added to them and how it is shown. One sentence at
#' the top says what is asked, with its days, and is the control: each part of it opens its
#' choices. From every figure the page leads to the entries behind it. What was found is kept as a
#' brief, as R code or as a command line, and handed over as a page, a workbook, a CSV file or a
#' picture. The address of the page holds the whole question.
#'
#' The page works nothing out itself: each panel is a question that [answer()] answers. It runs on
#' this machine and needs no network; nothing is uploaded. Several browsers may be open at a time,
#' each with a question of its own, on one ledger. From four million entries on
#' (`options(rollingledger.explore_apart = )`) answers are worked out in a process of their own, and
#' can be stopped; files are always written so (where the system can copy a process).
#'
#' @param x A [ledger()]; or the path of a brief ([run_brief()]), whose entries and questions are
#'   then shown.
#' @param tables Named list of data frames or paths of files: what can be taken as targets, tied to,
#'   or brought in by a key.
#' @param briefs The path of a folder of briefs: those in it can be opened, and new ones are kept in
#'   it. NULL for none.
#' @param values Named list: values for what the brief asks for; those that are not given are asked
#'   for on the page.
#' @param from With a brief: the folder below which its tables stand; the brief's own by default.
#' @param host Text: the address to listen at. Anything but "127.0.0.1" can be reached from other
#'   machines: the page then needs a random token in its address, which is told.
#' @param port Whole number from 1024 to 65535, or NULL for one that is free.
#' @param open TRUE or FALSE: open the browser. FALSE only tells the address.
#' @param title Text: the title of the page, by default the name of the ledger.
#' @param allow_host With a brief: text, hosts of database servers that it may ask; see
#'   [run_brief()].
#' @return `explore()`: nothing; it ends when the page is stopped (Esc or Ctrl-C). `explore_app()`:
#'   the page as a shiny app, to be tested or put on a server of your own; it is for the machine it
#'   runs on, as long as no `token` is given.
#' @section Errors:
#' `rollingledger_error_choice` for what is not a ledger, a port out of range, or tables without
#' names; `rollingledger_error_brief` as for [run_brief()]. Needs the package shiny.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
#'                 units = c(fare = "EUR"))
#' if (interactive()) explore(fares, tables = list(plan = demo_targets))
#' @include question-fields.R
explore <- function(x, tables = list(), briefs = NULL, values = list(), from = NULL,
                    host = "127.0.0.1", port = NULL, open = interactive(), title = NULL,
                    allow_host = NULL) {
  call <- rlang::current_env()
  if (!rlang::is_string(host) || !nzchar(host))
    refuse("choice", "{host} must be one text, such as \"127.0.0.1\".", arg = "host", call = call)
  one_flag(open, "open", call)
  check_port(port, call)
  rlang::check_installed("shiny", reason = "to open a page to point at.", version = "1.7.4")
  token <- if (!host %in% loopback_hosts) new_token()
  app <- explore_app(x, tables, briefs, values, from, title, token, allow_host)
  port <- port %||% free_port(host)
  at <- sprintf("http://%s:%d/%s", if (host == "0.0.0.0") "127.0.0.1" else host, as.integer(port),
                if (is.null(token)) "" else paste0("?token=", token))
  tell(c(paste("The page is at", at),
         if (!is.null(token))
           sprintf(paste("It can be reached from other machines (%s): whoever has this address can",
                         "see the entries%s."), host,
                   if (is.null(briefs)) "" else paste(" and write briefs to", briefs)),
         i = "Ctrl-C (or Esc) ends it."))
  # Nothing is ever uploaded: one byte is the least that can be said.
  rlang::local_options(shiny.maxRequestSize = 1, shiny.launch.browser = FALSE)
  # Running a page attaches shiny, whose span() would stand before ours.
  if (!"package:shiny" %in% search())
    on.exit(if ("package:shiny" %in% search()) detach("package:shiny"), add = TRUE)
  # "localhost" may be another address to the server than to the browser.
  suppressPackageStartupMessages(shiny::runApp(
    app, port = as.integer(port), host = if (host == "localhost") "127.0.0.1" else host,
                launch.browser = if (open) function(url) utils::browseURL(at) else FALSE,
                quiet = TRUE))
  invisible()
}

#' @rdname explore
#' @param token NULL, or a text that the address must have as `?token=`.
#' @export
explore_app <- function(x, tables = list(), briefs = NULL, values = list(), from = NULL,
                        title = NULL, token = NULL, allow_host = NULL) {
  call <- rlang::current_env()
  rlang::check_installed("shiny", reason = "to open a page to point at.", version = "1.7.4")
  check_offered_tables(tables, call)
  if (!is.null(briefs) && (!rlang::is_string(briefs) || !dir.exists(briefs)))
    refuse("brief", sprintf("There is no folder %s.", plain_text(briefs)[1]), call = call)
  if (!is.null(title) && !rlang::is_string(title))
    refuse("choice", "{title} must be one text.", arg = "title", call = call)
  opened <- if (rlang::is_string(x)) opened_brief(x, values, from, call, check_hosts(allow_host))
  ledger <- if (is.null(opened)) x else opened$ledger
  check_ledger_object(ledger, "x", call)
  offers <- list(ledger = ledger, tables = c(tables, opened$tables),
                 briefs = if (!is.null(briefs)) full_path(briefs),
                 brief = opened$brief,
                 title = title %||% opened$name %||% heading_text(source_facts(ledger)$label))
  # The first browser need not wait for what all of them need.
  attach_usual_packages()
  loadNamespace("ggplot2")
  page <- explore_frame(offers$title)
  ui <- function(request) {
    problem <- request_problem(request, token)
    if (is.null(problem)) return(page)
    shiny::httpResponse(403L, "text/plain; charset=utf-8", paste0(problem, "\n"))
  }
  worker <- new.env()
  app <- shiny::shinyApp(ui, explore_server(offers, token, opened$open, worker),
                         onStart = function() {
    worker$now <- start_worker(offers)
    shiny::onStop(function() {
      stop_worker(worker$now)
      worker$now <- NULL
    })
  })
  with_page_heads(app)
}

check_offered_tables <- function(tables, call) {
  named <- is.list(tables) && (length(tables) == 0 || !is.null(names(tables)) &&
                                 all(nzchar(names(tables))) && !anyDuplicated(names(tables)))
  if (!named) refuse("choice", c("{tables} must be a named list of data frames or paths.",
                                 i = "Such as list(plan = demo_targets)."), arg = "tables",
                     call = call)
  for (table in tables) {
    if (!is.data.frame(table) && !rlang::is_string(table)) {
      refuse("choice", sprintf("{tables} must hold data frames or paths of files, not %s.",
                               kind_text(table)), arg = "tables", call = call)
    }
    if (rlang::is_string(table) && !file.exists(table))
      refuse("file", sprintf("There is no file %s.", table), call = call)
  }
}

check_port <- function(port, call) {
  if (is.null(port)) return(invisible())
  fits <- is.numeric(port) && length(port) == 1 && !is.na(port) && port == round(port) &&
    port >= 1024 && port <= 65535
  if (!fits) refuse("choice", "{port} must be a whole number from 1024 to 65535.", arg = "port",
                    call = call)
}

free_port <- function(host) {
  rlang::check_installed("httpuv", reason = "to open a page to point at.")
  httpuv::randomPort(host = if (host == "localhost") "127.0.0.1" else host)
}

# A brief as the page begins with it: list(ledger, tables, name, brief, open). What it asks for and
# was not given is asked for on the page.
opened_brief <- function(file, values, from, call, hosts = NULL) {
  brief <- read_brief(file, call)
  asks <- brief$tree$ask
  needed <- vapply(asks, function(ask) identical(unlist(ask$default), "ask"), TRUE)
  missed <- setdiff(names(asks)[needed], names(values))
  given <- if (length(missed) == 0) asked_values(brief, values, call)
  made <- prepared_run(brief, given %||% stand_in_values(brief, values), from, NULL, call,
                       hosts = hosts)
  ledger <- brief_ledger(made)
  if (is.null(from)) from <- dirname(brief$file)
  moved <- brief
  moved$file <- file.path(from, basename(brief$file))
  tables <- brief_tables(moved, brief$tree)
  opened <- if (!is.null(given)) {
    check_members(brief, given, ledger, call)
    state_of_brief(moved, given, list(ledger = ledger, tables = tables))
  }
  list(ledger = ledger, tables = tables, name = brief$tree$name, brief = moved,
       open = list(state = opened$state, said = opened$said,
                   asks = length(missed) > 0 || length(asks) > 0 && length(values) == 0))
}

# Values that a brief's ledger can be made with before they are asked for.
stand_in_values <- function(brief, values) {
  for (name in names(brief$tree$ask)) {
    ask <- brief$tree$ask[[name]]
    if (!is.null(values[[name]])) next
    default <- unlist(ask$default)
    values[[name]] <- if (!is.null(default) && !identical(default, "ask")) default
                      else switch(ask$kind, day = "2000-01-01", phrase = "all", number = 1,
                                  choice = unlist(ask$choices)[1], "")
  }
  values
}
