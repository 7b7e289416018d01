#' Run a brief
#'
#' A brief is a question kept in a file: the entries it is asked of, what is asked, the values to be
#' asked for at each run, and what is shown and written. Run next week, "last month" is another
#' month. A brief can neither run code nor read or write outside the folders it is told to.
#'
#' @param file The path of a brief, a YAML file; the layout is below.
#' @param ... Values for what the brief asks for, by name: texts, numbers or Dates; several where it
#'   takes several.
#' @param out The folder that its files are written to, which must exist. NULL writes none.
#' @param from The folder below which the brief's tables stand; the brief's own folder by default.
#' @param ledger A [ledger()] to ask instead of the one that the brief tells, or the paths of files
#'   to read instead of its file; NULL keeps to the brief.
#' @param overwrite TRUE or FALSE: replace files that are there.
#' @return A `brief_run`, invisibly where files were written: a list with `name`, `values` (named
#'   list, as used), `ledger`, `statements` (named list of [statement()]s and comparisons), `shown`
#'   (list of what the brief shows: tables, cross tables, figures, tiles, lists of parts of pages)
#'   and `files` (the paths written, if any). Printing it prints its tables.
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
run_brief <- function(file, ..., out = NULL, from = NULL, ledger = NULL, overwrite = FALSE) {
  given <- list(...)
  call <- rlang::current_env()
  one_flag(overwrite, "overwrite", call)
  brief <- read_brief(file, call)
  values <- asked_values(brief, given, call)
  made <- prepared_run(brief, values, from, out, overwrite, ledger, call)
  run <- finished_run(made, call)
  if (length(run$files) > 0) invisible(run) else run
}

# A brief with its values, and all that can be checked before a file is read: list(brief, values,
# folder, out, overwrite, ledger, record, statements, items, targets). `there`: its folder must exist.
prepared_run <- function(brief, values, from, out, overwrite, ledger, call, there = TRUE) {
  schema <- brief_schema()
  asked <- brief$tree$ask
  brief$tree <- c(with_values(brief$tree[names(brief$tree) != "ask"], schema, values),
                  list(ask = asked))
  brief$tree <- brief$tree[lengths(brief$tree) > 0]
  refuse_problems(brief, schema_problems(brief$tree, schema, names_asked = names(asked)), call)
  folder <- from %||% dirname(brief$file)
  if (there && !dir.exists(folder))
    refuse("brief", sprintf("The folder %s does not exist.", folder), call = call)
  if (!is.null(out) && !dir.exists(out)) {
    refuse("file", sprintf("The folder %s does not exist.", out), call = call)
  }
  tree <- brief$tree
  files <- if (is.null(ledger) || is.character(ledger)) {
    ledger %||% in_brief(brief, c("ledger", "file"), {
      vapply(unlist(tree$ledger$file), function(path) path_below(folder, path), "",
             USE.NAMES = FALSE)
    })
  }
  statements <- Map(function(one, name) {
    in_brief(brief, c("statements", name), question_of_part(one, folder))
  }, tree$statements, names(tree$statements))
  items <- brief_items(tree, folder)
  targets <- if (!is.null(out)) checked_targets(items, out, overwrite, files, call)
  list(brief = brief, values = values, folder = folder, out = out, overwrite = overwrite,
       ledger = if (!is.character(ledger)) ledger, statements = statements, items = items,
       record = in_brief(brief, "ledger", brief_ledger_record(tree$ledger, files, folder)),
       targets = targets)
}

# list(statement, steps) or list(show): what one part asks.
question_of_part <- function(tree, folder) {
  compares <- intersect(comparing_verbs(), names(tree))
  if (length(compares) == 0) {
    return(list(statement = statement_record(tree, folder), steps = step_records(tree$steps,
                                                                                 folder)))
  }
  asked <- verb_record(compares, tree[[compares]], folder)
  asked$measures <- as.list(measure_texts(as.list(asked$measures)))
  if (!is.null(asked$where)) asked$where <- condition_text(rlang::quo(!!asked$where))
  list(show = list(c(list(show = compares), asked)))
}

# An error of a part of a brief, with its place.
in_brief <- function(brief, path, expr) {
  rlang::local_options(rollingledger.flags = getOption("rollingledger.flags") %||%
                         names_in_briefs())
  tryCatch(expr, rollingledger_error = function(e) {
    if (isTRUE(e$in_brief)) stop(e)
    line <- place_of(brief$places, path)
    head <- sprintf("%s, %s%s: %s", basename(brief$file),
                    if (is.null(line)) "" else sprintf("line %d, ", line), path_words(path),
                    rlang::cnd_header(e))
    abort(c(head, e$body), class = setdiff(class(e), c("rlang_error", "error", "condition")),
          in_brief = TRUE, call = NULL)
  })
}

# In messages arguments go by their keys.
names_in_briefs <- function() {
  verbs <- ls(verb_table)
  fields <- unique(unlist(lapply(verbs, function(verb) names(fields_of(verb)))))
  as.list(stats::setNames(paste0(fields, ":"), fields))
}

# Where the files of a brief go: named by the place in show.
checked_targets <- function(items, out, overwrite, inputs, call) {
  named <- Filter(function(item) !is.null(item$file), items)
  lapply(named, function(item) {
    file <- path_below(out, item$file)
    if (!dir.exists(dirname(file)))
      refuse("file", sprintf("The folder %s does not exist.", dirname(file)), call = call)
    check_target(file, overwrite, call, inputs)
    file
  })
}

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
  shown <- lapply(seq_along(made$items), function(i) {
    in_brief(brief, c("show", as.character(i)), item_result(made$items[[i]], statements))
  })
  files <- if (!is.null(made$out)) written_items(made, shown)
  structure(list(name = tree$name, values = made$values, ledger = x, statements = statements,
                 shown = shown, files = files),
            class = "brief_run", items = made$items)
}

brief_ledger <- function(made) {
  in_brief(made$brief, "ledger", {
    texts <- c(texts_of_parts(made$statements), unlist(made$brief$tree$ledger$where))
    ledger_of_record(made$record, measured = measured_names(texts), call = NULL)
  })
}

# How the ledger of a brief is made, as questions tell it.
brief_ledger_record <- function(tree, files, folder) {
  own <- tree[setdiff(names(tree), c("file", "steps", "calendar", "where"))]
  where <- joined_conditions(unlist(tree$where))
  keep <- if (!is.null(where)) list(list(verb = "keep_entries",
                                         condition = condition_text(rlang::quo(!!where))))
  c(list(file = files), verb_record("ledger", own, folder),
    list(calendar = if (!is.null(tree$calendar))
           verb_record("ledger_calendar", tree$calendar, folder),
         steps = c(keep, step_records(tree$steps, folder))))
}

# The texts of all measures and conditions.
texts_of_parts <- function(statements) {
  unname(unlist(lapply(statements, function(part) {
    c(part$statement[c("measures", "where")],
      lapply(part$show, function(show) show[c("measures", "where")]))
  })))
}

# Writes what is to be written: all of it beside its place first, so that a run that fails leaves
# the files that were there.
written_items <- function(made, shown) {
  attach_usual_packages()
  items <- made$items
  at <- which(vapply(items, function(item) !is.null(item$file), TRUE))
  if (length(at) == 0) return(character())
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
    in_brief(made$brief, c("show", as.character(at[i])),
             write_item(item, shown[[at[i]]], parts[i], made$brief$tree$name))
  }
  targets <- unlist(made$targets)
  for (i in seq_along(at)) move_into_place(parts[i], targets[i], made$overwrite)
  targets
}

#' @export
print.brief_run <- function(x, ...) {
  parts <- run_parts(x)
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
