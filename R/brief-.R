# Briefs: questions kept in a file, and run again. brief-text.R reads the text, brief-schema.R says
# what may stand in it, brief-check.R holds it against that, brief-ask.R puts in what is asked for,
# brief-record.R makes questions of it, and brief-run.R has them answered.

# A brief that was read and checked as far as it can be before values are known:
# list(file, tree, places, calendar).
read_brief <- function(file, call = caller_env()) {
  if (!rlang::is_string(file) || is.na(file)) {
    refuse("brief", "{file} must be the path of one brief.", call = call)
  }
  if (!file.exists(file) || dir.exists(file)) {
    near <- brief_names_near(file)
    refuse("brief", c(sprintf("There is no brief %s.", file), i = near), call = call)
  }
  bytes <- tryCatch(readBin(file, "raw", most_brief_bytes + 1), error = function(e) NULL,
                    warning = function(w) NULL)
  if (is.null(bytes)) refuse("brief", sprintf("The brief %s cannot be read.", file), call = call)
  read <- read_brief_text(bytes, file)
  brief <- list(file = file, tree = read$value, places = read$places)
  refuse_problems(brief, problems_of_brief(brief))
  brief
}

problems_of_brief <- function(brief) {
  asked <- if (is.list(brief$tree) && is.list(brief$tree$ask)) names(brief$tree$ask)
  problems <- schema_problems(brief$tree %||% list(), brief_schema(), names_asked = asked)
  in_ask <- any(vapply(problems, function(p) identical(p$path[1], "ask"), TRUE))
  if (is.list(brief$tree) && is.list(brief$tree$ask) && !in_ask)
    problems <- c(problems, ask_problems(brief))
  if (length(problems) == 0) sense_problems(brief$tree) else problems
}

# Other briefs in the folder of one that is not there.
brief_names_near <- function(file) {
  others <- brief_files(dirname(file))
  if (length(others) > 0) nearest_hint(basename(file), basename(others))
}

brief_files <- function(folder) {
  list.files(folder, "[.]ya?ml$", full.names = TRUE, ignore.case = TRUE)
}

# All problems of a brief in one message, in the order of its lines.
refuse_problems <- function(brief, problems, call = NULL) {
  if (length(problems) == 0) return(invisible())
  lines <- vapply(problems, function(p) place_of(brief$places, p$path) %||% 1L, 1L)
  # What is not there may be what is misspelt.
  at <- order(vapply(problems, function(p) startsWith(p$says, "has no `"), TRUE), lines)
  problems <- problems[at]
  lines <- lines[at]
  said <- vapply(seq_along(problems), function(i) {
    p <- problems[[i]]
    where <- paste(c(sprintf("line %d", lines[i]),
                     if (length(p$path) > 0) path_words(p$path)), collapse = ", ")
    sprintf("%s: %s", where, p$says)
  }, "")
  most <- 10L
  more <- length(said) - most
  body <- unlist(lapply(seq_len(min(most, length(said))), function(i) {
    c(if (i > 1) c(x = said[i]), as_hints(problems[[i]]$hint))
  }))
  refuse("brief", c(paste0(basename(brief$file), ", ", said[1]), body,
                    x = if (more > 0) sprintf("and %s more", number_text(more))),
         file = brief$file, call = call)
}

# "statements, monthly, steps, 2, add_rank, keep"
path_words <- function(path) paste(path, collapse = " > ")

# What run_brief() takes beside values.
run_arguments <- c("file", "out", "from", "ledger", "overwrite", "compare", "each", "quiet")

# What is wrong with the values that are asked for, beyond their layout.
ask_problems <- function(brief) {
  problem <- function(path, says, hint = NULL) list(list(path = path, says = says, hint = hint))
  out <- list()
  for (name in names(brief$tree$ask)) {
    ask <- brief$tree$ask[[name]]
    at <- c("ask", name)
    if (!grepl("^[A-Za-z][A-Za-z0-9_]*$", name) || name %in% run_arguments)
      out <- c(out, problem(at, "is not a name for a value: letters, digits and _ are allowed.",
                            sprintf("%s have a meaning of their own.", listed(run_arguments, 20))))
    if (ask$kind == "choice" && is.null(ask$choices))
      out <- c(out, problem(at, "is a choice without `choices`."))
    if (ask$kind != "choice" && !is.null(ask$choices))
      out <- c(out, problem(c(at, "choices"), "goes with kind: choice."))
    if (ask$kind == "member" && is.null(ask$of))
      out <- c(out, problem(at, "must say `of` which attribute it is a member."))
    if (ask$kind != "member" && !is.null(ask$of))
      out <- c(out, problem(c(at, "of"), "goes with kind: member."))
    default <- unlist(ask$default)
    if (is.null(default) || identical(default, "ask")) next
    wrong <- tryCatch({
      checked_value(default, ask, name, brief, NULL)
      NULL
    }, rollingledger_error = function(e) e)
    if (!is.null(wrong))
      out <- c(out, problem(c(at, "default"),
                            sub("^[^:]*: `[^`]*` ", "", rlang::cnd_header(wrong)),
                            unname(wrong$body)))
  }
  out
}

# What the schema cannot tell: names that must fit each other.
sense_problems <- function(tree) {
  problem <- function(path, says, hint = NULL) list(list(path = path, says = says, hint = hint))
  out <- placeholder_problems(tree[setdiff(names(tree), c("ask", "description"))], names(tree$ask))
  if (is.null(tree$ask)) out <- NULL
  for (name in names(tree$statements)) {
    keys <- names(tree$statements[[name]])
    compares <- intersect(comparing_verbs(), keys)
    if (length(compares) > 0 && length(keys) > 1)
      out <- c(out, problem(c("statements", name, compares[1]), sprintf(
        "stands alone: what else is asked goes into it, not beside it (`%s`).",
        setdiff(keys, compares[1])[1])))
  }
  for (i in seq_along(tree$show)) {
    out <- c(out, shown_problems(tree$show[[i]], c("show", as.character(i)), tree))
  }
  c(out, twice_written(tree$show))
}

shown_problems <- function(item, path, tree, on_page = FALSE) {
  problem <- function(path, says, hint = NULL) list(list(path = path, says = says, hint = hint))
  what <- names(item)
  own <- item[[1]]
  at <- c(path, what)
  if (what %in% c("heading", "text")) return(NULL)
  out <- list()
  if (what == "page") {
    out <- unlist(lapply(seq_along(own$content), function(i) {
      shown_problems(own$content[[i]], c(at, "content", as.character(i)), tree, TRUE)
    }), recursive = FALSE)
  } else {
    names_there <- names(tree$statements)
    if (is.null(own$of) && length(names_there) > 1)
      out <- c(out, problem(at, "does not say `of` which statement it is.",
                            sprintf("There are: %s.", listed(names_there))))
    if (!is.null(own$of) && !own$of %in% names_there)
      out <- c(out, problem(c(at, "of"), sprintf("names a statement `%s`, which is not there.",
                                                 own$of),
                            nearest_hint(own$of, names_there) %||%
                              sprintf("There are: %s.", listed(names_there))))
    compared <- tree$statements[[own$of %||% names_there[1]]]
    out <- c(out, comparison_problem(what, names(compared), problem, c(at, "of")))
  }
  if (is.null(own$file)) return(out)
  if (on_page) return(c(out, problem(c(at, "file"), "goes with things outside of a page.")))
  endings <- shown_endings(what)
  if (!lower_text(tools::file_ext(own$file)) %in% endings)
    out <- c(out, problem(c(at, "file"), sprintf("must end in %s, not \"%s\".",
                                                 listed(paste0(".", endings), 10, "or"),
                                                 own$file)))
  out
}

# What a verb of ledgers gives that more can be made of than a table, and the verbs for that.
made_of_results <- function() list(
  why_changed = list(is = "an explanation", of = "explanation"),
  stands_out = list(is = "a list of what stands out", of = "list"))

# Of what a thing can be made.
comparison_problem <- function(what, keys, problem, path) {
  results <- made_of_results()
  for (verb in names(results)) {
    one <- results[[verb]]
    can <- c("table", verbs_of(one$of), "entries_behind")
    if (what %in% verbs_of(one$of) && !verb %in% keys) {
      return(problem(path, sprintf("is not %s; `%s` is of what `%s` gives.", one$is, what, verb)))
    }
    if (!verb %in% keys) next
    if (what %in% can) return(NULL)
    return(problem(path, sprintf("is %s; it can be shown as %s.", one$is,
                                 listed(sprintf("`%s`", can), last = "or"))))
  }
  if (what == "table") return(NULL)
  if (any(comparing_verbs() %in% keys))
    problem(path, "is a comparison; it can be shown as `table` alone.")
}

# Endings of the files that a thing can be written to.
shown_endings <- function(what) {
  if (what == "page" || what == "report_tiles") return(file_endings("write_report"))
  if (startsWith(what, "figure_")) return(figure_endings)
  table_endings()
}

twice_written <- function(show) {
  files <- vapply(show, function(item) item[[1]]$file %||% NA_character_, "")
  twice <- which(duplicated(files) & !is.na(files))
  lapply(twice, function(i) {
    list(path = c("show", as.character(i), names(show[[i]]), "file"), hint = NULL,
         says = sprintf("names %s, which is written already.", files[i]))
  })
}
