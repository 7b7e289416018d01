# A brief made ready: values put in, records made, all checked that needs no file.

# A brief with its values, and all that can be checked before a file is read: list(brief, values,
# ledger, statements, items, files, record). `there`: its folder must exist.
# `hosts` are those of servers that it may ask; NULL where nothing is asked.
prepared_run <- function(brief, values, from, ledger, call, there = TRUE, hosts = character()) {
  schema <- brief_schema()
  asked <- brief$tree$ask
  brief$tree <- c(with_values(brief$tree[names(brief$tree) != "ask"], schema, values),
                  list(ask = asked))
  brief$tree <- brief$tree[lengths(brief$tree) > 0]
  refuse_problems(brief, schema_problems(brief$tree, schema, names_asked = names(asked)), call)
  folder <- from %||% dirname(brief$file)
  if (there && !dir.exists(folder))
    refuse("brief", sprintf("The folder %s does not exist.", folder), call = call)
  tree <- brief$tree
  files <- if (is.null(ledger) || is.character(ledger)) {
    ledger %||% in_brief(brief, c("ledger", "file"), {
      vapply(unlist(tree$ledger$file), function(path) {
        if (is_address(path)) address_below(folder, path, hosts) else path_below(folder, path)
      }, "", USE.NAMES = FALSE)
    })
  }
  statements <- Map(function(one, name) {
    in_brief(brief, c("statements", name), question_of_part(one, folder))
  }, tree$statements, names(tree$statements))
  list(brief = brief, values = values,
       ledger = if (!is.character(ledger)) ledger, statements = statements,
       items = brief_items(tree, folder), files = files,
       record = in_brief(brief, "ledger", brief_ledger_record(tree$ledger, files, folder)))
}

# list(statement, steps) or list(show): what one part asks.
question_of_part <- function(tree, folder) {
  compares <- intersect(comparing_verbs(), names(tree))
  if (length(compares) == 0) {
    return(list(statement = statement_record(tree, folder), steps = step_records(tree$steps,
                                                                                 folder)))
  }
  asked <- verb_record(compares, tree[[compares]], folder)
  asked$measures <- measure_record(asked$measures)
  list(show = list(c(list(show = compares), asked)))
}

# An error of a part of a brief, with its place.
in_brief <- function(brief, path, expr) {
  # Whoever runs it, by the command or from the page: what is wrong is in the brief.
  keys <- names_in_briefs()
  # What a run is given is no key of it.
  own <- if (message_reader() == "command") c("allow_host", "from")
  rlang::local_options(rollingledger.reader = "brief", rollingledger.flags = c(
    keys, stats::setNames(as.list(paste0("--", gsub("_", "-", own, fixed = TRUE))[seq_along(own)]),
                          own)))
  tryCatch(expr, rollingledger_error = function(e) {
    if (isTRUE(e$in_brief)) stop(e)
    path <- path_blamed(brief$tree, path, e)
    line <- place_of(brief$places, path)
    head <- sprintf("%s, %s%s: %s", basename(brief$file),
                    if (is.null(line)) "" else sprintf("line %d, ", line), path_words(path),
                    rlang::cnd_header(e))
    abort(c(head, e$body), class = setdiff(class(e), c("rlang_error", "error", "condition")),
          in_brief = TRUE, call = NULL)
  })
}

# The path of the text that an error speaks of, below the part in which it came up.
path_blamed <- function(tree, path, e) {
  part <- tree
  for (key in path) part <- if (grepl("^[0-9]+$", key)) part[[as.integer(key)]] else part[[key]]
  said <- rlang::cnd_header(e)
  texts <- texts_within(part, path)
  given <- if (rlang::is_string(e$given)) e$given
  named <- function(text) {
    if (!is.null(given)) grepl(sprintf("(?<![\\w.])\\Q%s\\E(?![\\w.])", given), text, perl = TRUE)
    else nchar(text) > 2 && grepl(text, said, fixed = TRUE)
  }
  hits <- Filter(function(one) named(one$text), texts)
  if (length(hits) == 0) return(path)
  exact <- Filter(function(one) identical(one$text, given), hits)
  if (length(exact) > 0) hits <- exact
  hits[[which.max(vapply(hits, function(one) nchar(one$text), 0L) * is.null(given))]]$path
}

# All texts of a part, list(text, path) each.
texts_within <- function(part, path) {
  if (rlang::is_string(part)) return(list(list(text = part, path = path)))
  if (!is.list(part)) return(NULL)
  keys <- names(part) %||% as.character(seq_along(part))
  unlist(Map(function(one, key) texts_within(one, c(path, key)), part, keys), recursive = FALSE,
         use.names = FALSE)
}

# In messages arguments go by their keys.
names_in_briefs <- function() {
  verbs <- ls(verb_table)
  fields <- unique(unlist(lapply(verbs, function(verb) names(fields_of(verb)))))
  as.list(stats::setNames(paste0(fields, ":"), fields))
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
  keep <- if (!is.null(where)) list(list(verb = "keep_entries", condition = where))
  c(list(file = files), verb_record("ledger", own, folder),
    list(calendar = if (!is.null(tree$calendar))
           verb_record("ledger_calendar", tree$calendar, folder),
         steps = c(keep, step_records(tree$steps, folder))))
}

# The texts of all measures and conditions.
texts_of_parts <- function(statements) {
  unname(unlist(lapply(statements, function(part) {
    c(part$statement[c("measures", "where")],
      lapply(part$show, function(show) {
        c(show[c("measures", "where")], if (!is.null(show$volume)) volume_text(show$volume))
      }))
  })))
}
