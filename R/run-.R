#' Run a brief
#'
#' A brief is a question kept in a file: the entries it is asked of, what is asked, the values to be
#' asked for at each run, and what is shown and written. Run next week, "last month" is another
#' month. A brief can neither run code nor read or write outside the folders it is told to.
#'
#' @param file The path of a brief, a YAML file; the layout is below.
#' @param ... Values for what the brief asks for, by name: texts, numbers or Dates; several where it
#'   takes several.
#' @param out The folder that its files are written to, made where it is not there yet. NULL writes
#'   none.
#' @param from The folder below which the brief's tables stand; the brief's own folder by default.
#' @param ledger A [ledger()] to ask instead of the one that the brief tells, or the paths of files
#'   to read instead of its file; NULL keeps to the brief.
#' @param overwrite TRUE or FALSE: replace files that are there.
#' @param allow_host Text: hosts of database servers that the brief may ask, as its addresses name
#'   them. Without any it asks none, since a password of the environment would be sent there.
#' @param compare The path of the record of an earlier run, which is compared with; NULL for none.
#' @return A `brief_run`, invisibly where files were written: a list with `name`, `values` (named
#'   list, as used), `ledger`, `statements` (named list of [statement()]s and comparisons), `shown`
#'   (list of what the brief shows: tables, cross tables, figures, tiles, lists of parts of pages),
#'   `files` (the paths written, if any) and `changes` (with `compare`: a `run_changes`, what has
#'   changed since and why). Printing it prints its tables.
#' @section The record of a run:
#' With `out` a run leaves `NAME.record.json` beside its files: the brief, the values, the days that
#' phrases meant, each file of the source with its size and hash, control totals, the package's
#' version, and for each day the count and a check of its entries. `compare` tells by it new entries
#' (on later days), late ones (more on days that had been told), entries that are gone or changed,
#' and a question that has changed.
#' @section Layout of a brief:
#' \preformatted{
#' brief: 1
#' name: Leaders per week
#' category: Routes
#' description: The three routes with the highest income of each week.
#' ledger:
#'   file: fares.csv.gz              # or several of one layout
#'   on: {sailed: sailed_on, booked: booked_on}
#'   units: {fare: EUR}
#'   calendar: {fiscal_start: April}
#'   steps:                          # work_out, keep_entries, add_attributes
#'   - add_attributes: {table: accounts.csv.gz, key: account}
#' ask:
#'   weeks:
#'     kind: phrase                  # day, phrase, number, choice, member or text
#'     says: the weeks to show
#'     default: last 8 weeks         # "ask": must be given; without one: may be left out
#' statements:
#'   leaders:
#'     per: week
#'     by: route
#'     span: <weeks>
#'     measures: {income: total(fare)}
#'     steps:                        # the verbs that add to a statement, in order
#'     - add_rank: {m: income, keep: 3, rest: All other routes}
#' show:
#' - table: {of: leaders, file: leaders.csv}
#' - page:
#'     file: leaders.html
#'     title: Leaders of <weeks>
#'     content:
#'     - figure_leaders: {of: leaders}
#'     - table: {of: leaders}
#' }
#' Keys below `ledger`, `calendar`, `statements`, `steps` and `show` are the arguments of the
#' functions of these names. What is not shown with `show` is shown as a table. `table`, `page`,
#' `heading` and `text` are known beside the functions. In texts `<weeks>` stands for a value that
#' is asked for; in measures and conditions it stands in quotes of its own. The JSON Schema of the
#' layout ships as `system.file("briefs/brief.schema.json", package = "rollingledger")`.
#' @section Errors:
#' `rollingledger_error_brief` for what is no brief, with the line and the key of each problem, for
#' values that are missing or wrong, and for paths that leave their folder;
#' `rollingledger_error_file` for files that exist already; others as for the verbs that are asked
#' for, with the part of the brief.
#' @source YAML 1.1, without tags, anchors and aliases; JSON Schema, draft 2020-12.
#' @export
#' @examples
#' briefs <- system.file("briefs", package = "rollingledger")
#' tables <- system.file("extdata", package = "rollingledger")
#' run_brief(file.path(briefs, "passes-open.yml"), from = tables)
#' @include question-fields.R
run_brief <- function(file, ..., out = NULL, from = NULL, ledger = NULL, overwrite = FALSE,
                      compare = NULL, allow_host = NULL) {
  given <- list(...)
  call <- rlang::current_env()
  one_flag(overwrite, "overwrite", call)
  brief <- read_brief(file, call)
  values <- asked_values(brief, given, call)
  made <- prepared_run(brief, values, from, ledger, call, hosts = check_hosts(allow_host))
  made <- with_targets(made, out, overwrite, call)
  if (!is.null(compare)) made$since <- read_record(compare, call)
  run <- finished_run(made, call)
  if (length(run$files) > 0) invisible(run) else run
}

# Where the files of a brief go, checked before any work: list(..., out, overwrite, targets).
with_targets <- function(made, out, overwrite, call) {
  made$overwrite <- overwrite
  if (is.null(out)) return(made)
  if (file.exists(out) && !dir.exists(out))
    refuse("file", sprintf("%s is a file, not a folder.", out), call = call)
  if (!dir.exists(dirname(out)))
    refuse("file", sprintf("The folder %s does not exist.", dirname(out)), call = call)
  made$out <- out
  inputs <- c(made$files, made$brief$file,
              tables_read(made$record, made$statements, item_records(made$items)))
  names <- c(files_named(made$items), record_name(made$brief))
  made$targets <- vapply(names, function(name) {
    file <- path_below(out, name)
    if (dir.exists(dirname(file))) check_target(file, overwrite, call, inputs)
    file
  }, "", USE.NAMES = FALSE)
  check_targets_apart(made$targets, call)
  made
}

files_named <- function(items) unlist(lapply(items, function(item) item$file))

# The run itself.
finished_run <- function(made, call) {
  brief <- made$brief
  tree <- brief$tree
  x <- made$ledger %||% brief_ledger(made)
  check_ledger_object(x, "ledger", call)
  check_members(brief, made$values, x, call)
  record <- source_facts(x)$given
  statements <- Map(function(part, name) {
    in_brief(brief, c("statements", name),
             answer(c(list(ledger = record), part), x))
  }, made$statements, names(made$statements))
  if (!is.null(made$since)) statements <- with_told_before(statements, made$since)
  shown <- lapply(seq_along(made$items), function(i) {
    in_brief(brief, c("show", as.character(i)), item_result(made$items[[i]], statements))
  })
  run <- structure(list(name = tree$name, values = made$values, ledger = x,
                        statements = statements, shown = shown, files = NULL),
                   class = "brief_run", items = made$items)
  record <- if (!is.null(made$out) || !is.null(made$since)) run_record(made, run)
  if (!is.null(made$since)) run$changes <- changes_since(made$since, record)
  if (!is.null(made$out)) run$files <- written_items(made, shown, record)
  run
}

# Writes what is to be written: all of it beside its place first, so that a run that fails leaves
# the files that were there.
written_items <- function(made, shown, record) {
  attach_usual_packages()
  items <- made$items
  at <- which(vapply(items, function(item) !is.null(item$file), TRUE))
  for (folder in unique(c(made$out, dirname(made$targets)))) {
    check_leads_below(folder, made$out, folder)
    dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  }
  remove_old_leftovers(made$out)
  beside <- path_beside(file.path(made$out, "run"))
  if (!dir.create(beside)) {
    refuse("file", sprintf("The folder %s cannot be written to.", made$out), call = NULL)
  }
  core_add_leftover(beside)
  on.exit({
    unlink(beside, recursive = TRUE)
    core_forget_leftover(beside)
  })
  parts <- character()
  for (i in seq_along(at)) {
    item <- items[[at[i]]]
    parts[i] <- file.path(beside, sprintf("%d.%s", i, tools::file_ext(item$file)))
    in_brief(made$brief, c("show", as.character(at[i])), {
      as_file_of(parts[i], made$targets[i],
                 write_item(item, shown[[at[i]]], parts[i], made$brief$tree$name))
    })
  }
  parts <- c(parts, file.path(beside, "record.json"))
  write_record(record, parts[length(parts)])
  for (i in seq_along(parts)) {
    # A folder may have been swapped for a link while the run worked.
    check_leads_below(made$targets[i], made$out, made$targets[i])
    move_into_place(parts[i], made$targets[i], made$overwrite)
  }
  made$targets
}

# An error that speaks of a file beside its place, in the words of the file that is meant.
as_file_of <- function(beside, file, expr) {
  tryCatch(expr, rollingledger_error = function(e) {
    said <- gsub(beside, file, c(rlang::cnd_header(e), e$body), fixed = TRUE)
    abort(said, class = setdiff(class(e), c("rlang_error", "error", "condition")), call = NULL)
  })
}

#' @export
print.brief_run <- function(x, ...) {
  parts <- run_parts(x)
  if (!is.null(x$changes)) parts <- c(list(list(thing = x$changes)), parts)
  for (i in seq_along(parts)) {
    if (i > 1) writeLines("")
    if (!is.null(parts[[i]]$heading)) show_lines(parts[[i]]$heading)
    if (is.character(parts[[i]]$thing)) show_lines(parts[[i]]$thing) else print(parts[[i]]$thing)
  }
  invisible(x)
}

# What a run shows as text, list(thing, heading) each. What stands on a page and was shown already
# is not shown again.
run_parts <- function(run) {
  parts <- unlist(Map(printed_parts, run$shown, attr(run, "items")), recursive = FALSE)
  once <- list()
  for (part in parts) {
    if (!any(vapply(once, function(other) identical(other$thing, part$thing), TRUE)))
      once <- c(once, list(part))
  }
  once
}
