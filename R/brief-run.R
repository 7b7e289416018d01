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
# folder, out, overwrite, ledger, files, statements, targets). `there`: its folder must exist.
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
  targets <- if (!is.null(out)) checked_targets(brief, out, overwrite, files, call)
  list(brief = brief, values = values, folder = folder, out = out, overwrite = overwrite,
       ledger = if (!is.character(ledger)) ledger, files = files, statements = statements,
       targets = targets)
}

# list(statement, steps) or list(show): what one part asks.
question_of_part <- function(tree, folder) {
  compares <- intersect(c("compare_spans", "compare_members"), names(tree))
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
checked_targets <- function(brief, out, overwrite, inputs, call) {
  named <- Filter(function(item) !is.null(item[[1]]$file), brief$tree$show)
  lapply(named, function(item) {
    file <- path_below(out, item[[1]]$file)
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
  x <- made$ledger %||% in_brief(brief, "ledger", brief_ledger(made))
  check_ledger_object(x, "ledger", call)
  check_members(brief, made$values, x, call)
  record <- source_facts(x)$given
  statements <- Map(function(part, name) {
    in_brief(brief, c("statements", name),
             answer(c(list(ledger = record), part), x))
  }, made$statements, names(made$statements))
  show <- tree$show %||% lapply(names(statements), function(name) list(table = list(of = name)))
  shown <- lapply(seq_along(show), function(i) {
    in_brief(brief, c(if (!is.null(tree$show)) c("show", as.character(i))),
             shown_part(show[[i]], statements, made))
  })
  files <- if (!is.null(made$out)) written_parts(show, shown, made)
  structure(list(name = tree$name, values = made$values, ledger = x, statements = statements,
                 shown = shown, files = unlist(files)),
            class = "brief_run", show = show)
}

brief_ledger <- function(made) {
  tree <- made$brief$tree$ledger
  asked <- verb_record("ledger", tree[setdiff(names(tree), c("file", "steps", "calendar", "where"))],
                       made$folder)
  calendar <- brief_calendar(tree$calendar, made$folder)
  given <- utils::modifyList(lapply(fields_of("ledger"), function(one) one$default),
                             c(asked, list(calendar = calendar)))
  measures <- brief_measures(made$statements)
  x <- ledger_of_files(made$files, given, c(asked, list(calendar = calendar)),
                       measured = measured_names(unname(measures)), call = NULL)
  where <- joined_conditions(unlist(tree$where))
  x <- kept_where(x, rlang::quo(!!where), NULL)
  for (step in step_records(tree$steps, made$folder)) x <- ledger_step_again(x, step, list(), NULL)
  x
}

# The texts of all measures.
brief_measures <- function(statements) {
  unlist(lapply(statements, function(part) {
    c(part$statement$measures, unlist(lapply(part$show, function(show) show$measures)))
  }))
}

brief_calendar <- function(tree, folder) {
  if (is.null(tree)) return(ledger_calendar())
  calendar_of_record(verb_record("ledger_calendar", tree, folder), list(), NULL)
}

# What an item of show shows.
shown_part <- function(item, statements, made) {
  what <- names(item)
  own <- item[[1]]
  if (what == "page") {
    parts <- lapply(own$content, shown_part, statements = statements, made = made)
    names(parts) <- vapply(own$content, function(part) {
      if (is.list(part[[1]])) part[[1]]$heading %||% "" else ""
    }, "")
    return(parts)
  }
  if (what == "heading") return(report_heading(own))
  if (what == "text") return(own)
  s <- statements[[own$of %||% names(statements)[1]]]
  if (what == "table") return(s)
  answered_show(s, show_record(what, own, made$folder), list(), NULL)
}

# Writes what is to be written: all of it beside its place first, so that a run that fails leaves
# the files that were there.
written_parts <- function(show, shown, made) {
  attach_usual_packages()
  at <- which(vapply(show, function(item) !is.null(item[[1]]$file), TRUE))
  if (length(at) == 0) return(character())
  beside <- tempfile("part-", made$out)
  if (!dir.create(beside)) {
    refuse("file", sprintf("The folder %s cannot be written to.", made$out), call = NULL)
  }
  on.exit(unlink(beside, recursive = TRUE))
  parts <- character()
  for (i in seq_along(at)) {
    item <- show[[at[i]]]
    parts[i] <- file.path(beside, sprintf("%d.%s", i, tools::file_ext(item[[1]]$file)))
    in_brief(made$brief, c("show", as.character(at[i])),
             write_part(item, shown[[at[i]]], parts[i], made$brief$tree$name))
  }
  targets <- unlist(made$targets)
  moved <- mapply(move_into_place, parts, targets, MoreArgs = list(overwrite = made$overwrite))
  targets
}

write_part <- function(item, thing, file, title) {
  own <- item[[1]]
  if (names(item) == "page") {
    return(write_report(!!!thing, file = file, title = own$title %||% title))
  }
  switch(lower_text(tools::file_ext(file)),
    html = , htm = write_report(!!!stats::setNames(list(thing), own$heading %||% ""), file = file,
                                title = own$title %||% title),
    xlsx = {
      args <- verb_record("write_workbook", own[intersect(names(own), c("sheet_per", "subtotals",
                                                                        "title"))], ".")
      rlang::exec(write_workbook, thing, file, !!!args)
    },
    png = , svg = , pdf = {
      size <- cli_size(own$size)
      write_figure(thing, file, width = size[1], height = size[2])
    },
    write_statement(thing, file)
  )
}

#' @export
print.brief_run <- function(x, ...) {
  show <- attr(x, "show")
  seen <- list()
  for (i in seq_along(x$shown)) {
    items <- printed_parts(x$shown[[i]], show[[i]])
    # What stands on a page and was shown already is not shown again.
    for (item in items) {
      if (any(vapply(seen, identical, TRUE, item$thing))) next
      if (length(seen) > 0) writeLines("")
      seen <- c(seen, list(item$thing))
      if (!is.null(item$heading)) writeLines(item$heading)
      if (is.character(item$thing)) writeLines(item$thing) else print(item$thing)
    }
  }
  invisible(x)
}

# What can be shown as text: list(thing, heading) each.
printed_parts <- function(thing, item) {
  own <- item[[1]]
  if (names(item) == "page") {
    return(unlist(Map(printed_parts, unname(thing), own$content), recursive = FALSE))
  }
  if (inherits(thing, c("ggplot", "report_heading"))) return(NULL)
  list(list(thing = thing, heading = if (is.list(own)) own$heading))
}
