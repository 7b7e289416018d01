#' Save a question as a brief
#'
#' Keeps what a statement, a figure, a page or another result asks as a file that [run_brief()]
#' answers again, next week or from other entries. Run on the same files it gives the same figures.
#'
#' @param x What [question()] takes: a [statement()], a table or a figure made of one, tiles, or a
#'   named list of these and of texts, as the parts of a page. A named list of statements with no
#'   page in mind is a page of them.
#' @param file The path of the brief to write; its name ends in `.yml` or `.yaml`.
#' @param name,category,description Texts: what it is called, by default the name of the file; what
#'   it is listed under; what it is for.
#' @param write Path of a file that a run writes, below the folder that it is given, by its ending;
#'   NULL writes none.
#' @param overwrite TRUE or FALSE: replace the file if it exists.
#' @return `file`, invisibly. A message says the folder below which the brief's tables stand, where
#'   that is not the folder of the brief.
#' @section Errors:
#' `rollingledger_error_brief` where the ledger was made of a data frame, where tables were given by
#' hand, or entries appended: a brief needs files. `rollingledger_error_question` for what no
#' question stands behind; `rollingledger_error_file` as for [write_statement()].
#' @export
#' @examples
#' folder <- tempfile()
#' dir.create(folder)
#' file.copy(system.file("extdata/fares.csv.gz", package = "rollingledger"), folder)
#' fares <- ledger(file.path(folder, "fares.csv.gz"), on = c(sailed = "sailed_on"),
#'                 amounts = "fare")
#' s <- statement(fares, per = "month", span = "last 3 months", income = total(fare))
#' save_brief(s, file.path(folder, "income.yml"), category = "Income")
#' run_brief(file.path(folder, "income.yml"))
save_brief <- function(x, file, name = NULL, category = NULL, description = NULL, write = NULL,
                       overwrite = FALSE) {
  call <- rlang::current_env()
  one_flag(overwrite, "overwrite", call)
  file_kind(file, c("yml", "yaml"))
  check_target(file, overwrite, call)
  for (text in list(name, category, description)) {
    if (!is.null(text) && (!rlang::is_string(text) || !nzchar(text)))
      refuse("brief", "The name, category and description of a brief are texts.", call = call)
  }
  own <- list(name = name, category = category, description = description, write = write)
  save_questions(question(x), file, own, overwrite, call)
}

# Writes the brief of a question, which may be that of a page.
save_questions <- function(question, file, own, overwrite, call) {
  parts <- question_parts_of(question)
  if (is.null(parts$ledger)) refuse("brief", "There is no statement to save.", call = call)
  if (parts$page) parts$items <- list(list(what = "page", content = parts$items))
  if (!is.null(own$write)) parts$items[[1]]$file <- own$write
  save_parts(parts, file, own, overwrite, call)
}

# Writes list(ledger, statements, items) as a brief.
save_parts <- function(parts, file, own, overwrite, call) {
  ledger <- parts$ledger
  check_target(file, overwrite, call, inputs = c(ledger$file, tables_read(
    ledger, parts$statements, item_records(parts$items))))
  root <- root_of_tables(ledger, parts, file, call)
  tree <- list(brief = structure("1", class = "verbatim"),
               name = own$name %||% name_of_file(file),
               category = own$category, description = own$description,
               ledger = ledger_tree(ledger, root),
               ask = if (length(own$ask) > 0) lapply(own$ask, function(ask) {
                 ask[c("kind", if (!is.null(ask$of)) "of", "says", "default")]
               }),
               statements = with_asked_places(
                 lapply(parts$statements, part_tree, root = root), own$ask),
               show = with_asked_places(lapply(parts$items, item_tree, root = root), own$ask))
  tree <- tree[!vapply(tree, is.null, TRUE)]
  text <- yaml::as.yaml(tree, indent.mapping.sequence = FALSE, line.sep = "\n")
  read_back(text, file, call)
  write_whole(file, overwrite, function(path) write_bytes(text, path), call)
  home <- full_path(dirname(file))
  if (root != home)
    tell(sprintf("Its tables stand below %s: say so when it is run, by {from = \"%s\"}.", root,
                 root))
  invisible(file)
}

# A tree of a brief with the places of what is asked for.
with_asked_places <- function(tree, asks) {
  for (name in names(asks)) tree <- with_asked_place(tree, asks[[name]], sprintf("<%s>", name))
  tree
}

with_asked_place <- function(tree, ask, place, key = "") {
  if (is.list(tree)) {
    keys <- names(tree) %||% rep(key, length(tree))
    return(Map(function(one, key) with_asked_place(one, ask, place, key), tree, keys))
  }
  if (!is.character(tree)) return(tree)
  switch(ask$kind,
    # What is held against them is said by the same days.
    phrase = if (key %in% c("span", "a", "b", "now", "before")) {
      same <- tree == ask$now | startsWith(tree, paste0(ask$now, ","))
      ifelse(same, paste0(place, substring(tree, nchar(ask$now) + 1)), tree)
    } else tree,
    member = if (key == "where")
      ifelse(tree == ask$now, sub(value_text(ask$default), place, tree, fixed = TRUE), tree)
      else tree,
    number = if (key == "keep") ifelse(tree == ask$now, place, tree) else tree)
}

# "monday-page.yml" is called "Monday page".
name_of_file <- function(file) {
  heading_first(gsub("[-_]+", " ", tools::file_path_sans_ext(basename(file))))
}

# What is written must be read again; a text that cannot be is told here, not next week.
read_back <- function(text, file, call) {
  read <- read_brief_text(charToRaw(enc2utf8(text)), file)
  brief <- list(file = file, tree = read$value, places = read$places)
  refuse_problems(brief, problems_of_brief(brief), call)
}

# The statements behind a question, by name, and what is shown of them:
# list(ledger, statements, items, page).
question_parts_of <- function(question) {
  page <- Filter(function(show) identical(show$show, "page"), question$show)
  content <- if (length(page) > 0) page[[1]]$content
             else list(list(question = unclass(question)))
  statements <- list()
  items <- list()
  ledger <- NULL
  for (part in content) {
    own <- part$question
    if (is.null(own)) {
      items <- c(items, list(if (is.null(part$heading))
        list(what = "text", text = paste(part$text, collapse = "\n\n"))
        else list(what = "heading", text = part$heading)))
      next
    }
    if (!is.null(ledger) && !identical(ledger, own$ledger)) {
      refuse("brief", "The parts are of different ledgers; a brief has one.", call = NULL)
    }
    ledger <- own$ledger
    shows <- own$show
    compares <- length(shows) > 0 && shows[[1]]$show %in% names(asked_of_ledgers())
    asked <- if (compares) list(show = shows[1]) else own[c("statement", "steps")]
    known <- vapply(statements, identical, TRUE, asked)
    name <- if (any(known)) names(statements)[which(known)[1]]
            else free_name(statement_name(asked), c(names(statements), ""))
    statements[[name]] <- asked
    record <- if (length(shows) > compares) shows[[1 + compares]]
    items <- c(items, list(list(what = record$show %||% "table", of = name, record = record,
                                heading = part$name)))
  }
  list(ledger = ledger, statements = statements, items = items, page = length(page) > 0)
}

# "income and trips by month and route"
statement_name <- function(asked) {
  statement <- asked[["statement"]]
  if (length(asked$show) > 0) {
    statement <- asked$show[[1]]
    if (!is.null(statement$member)) statement$by <- c(statement$by, statement$member)
  }
  measures <- names(named_values(statement$measures)) %||% "entries"
  by <- c(statement$per, statement$by)
  what <- listed(utils::head(measures, 2))
  if (length(by) > 0) paste(what, "by", listed(by)) else what
}

# ---- the tree ----------------------------------------------------------------

# Of a record, as a brief writes it.
ledger_tree <- function(record, root) walk_ledger(record, brief_grammar(root))

part_tree <- function(asked, root) walk_asked(asked, brief_grammar(root))

fields_tree <- function(verb, args, root) walk_fields(verb, args, brief_grammar(root))

# Tables stand below the folder `root`; those given by hand were refused by root_of_tables().
brief_grammar <- function(root) {
  list(value = function(name, one, value, verb) {
         if (name == "span" && is_by_grain(value)) list("by grain" = value_tree(value))
         else if (one$kind != "table") value_tree(value)
         else if (is.list(value)) paths_below(value$file, root) else number_verbatim(value)
       },
       step = function(verb, said, step) stats::setNames(list(said()), verb),
       made = function(record, said, calendar, steps) {
         c(list(file = paths_below(record$file, root)), said,
           if (!is.null(calendar)) list(calendar = calendar),
           if (length(steps) > 0) list(steps = steps))
       },
       asked = function(verb, said, steps, record) {
         if (verb != "statement") return(stats::setNames(list(said), verb))
         c(said, if (length(steps) > 0) list(steps = steps))
       })
}

value_tree <- function(value) {
  if (is.list(value) && is.null(names(value))) value <- named_values(value)
  if (!is.null(names(value))) {
    out <- lapply(as.list(value), value_tree)
    if (all(nzchar(names(value)))) return(out)
    # Of which some have no name, a list: texts, and one key with its value.
    return(unname(Map(function(one, name) {
      if (nzchar(name)) stats::setNames(list(one), name) else one
    }, out, names(value))))
  }
  if (is.logical(value)) return(structure(ifelse(value, "yes", "no"), class = "verbatim"))
  if (is.numeric(value)) return(number_verbatim(value))
  if (is.list(value)) lapply(value, value_tree) else value
}

number_verbatim <- function(value) structure(digits_text(value), class = "verbatim")

# ---- where tables stand ------------------------------------------------------

# The folder below which the tables of a question stand: the brief's, or the lowest that holds all.
root_of_tables <- function(ledger, parts, file, call) {
  tables <- c(list(list(file = ledger$file, data = ledger$data)),
              tables_within(ledger$steps), tables_within(ledger$calendar),
              tables_within(parts$statements), tables_within(item_records(parts$items)))
  if (!is.null(ledger$query)) refuse_query_in_brief()
  for (step in ledger$steps) if (!is.null(step$table$in_source)) {
    refuse("brief", c(sprintf("The lookup `%s` is a table of the database.",
                              step$table$in_source),
                      "A brief names files alone as lookups.",
                      i = "Join it in a view of the database, and name that by {table =}."),
           call = call)
  }
  for (table in tables) {
    if (is.null(table$file)) {
      refuse("brief", c(sprintf("The table `%s` was given by hand; a brief needs a file.",
                                table$by_hand %||% table$data %||% "of entries"),
                        i = "Write it to a file, and give the path instead."), call = call)
    }
  }
  paths <- Filter(Negate(is_address), unlist(lapply(tables, function(table) table$file)))
  if (any(paths == "-"))
    refuse("brief", "What came by standard input cannot be read again; a brief needs a file.",
           call = call)
  if (any(vapply(ledger$steps, function(step) !step$verb %in% ledger_steps, TRUE))) {
    refuse("brief", "Entries were appended to the ledger; a brief needs them in files.",
           call = call)
  }
  home <- full_path(dirname(file))
  if (length(paths) == 0) return(home)
  paths <- full_path(paths)
  below <- function(root) all(is_below(paths, root))
  if (below(home)) return(home)
  root <- dirname(paths[1])
  while (!below(root) && dirname(root) != root) root <- dirname(root)
  root
}

# What items are asked for; their own `file` is one that is written.
item_records <- function(items) {
  lapply(items, function(item) c(list(item$record), item_records(item$content)))
}

# The paths of the tables that records speak of, beside the ledger's own files.
tables_read <- function(record, statements, items) {
  within <- tables_within(list(record$calendar, record$steps, statements, items))
  unlist(lapply(within, function(table) table$file))
}

# The tables that a record speaks of: list(file) or list(by_hand).
tables_within <- function(record) {
  if (!is.list(record)) return(NULL)
  if (!is.null(record$by_hand) || rlang::is_string(record$file)) return(list(record))
  unlist(lapply(record, tables_within), recursive = FALSE, use.names = FALSE)
}

paths_below <- function(paths, root) {
  if (is_address(paths)) return(paths)
  full <- full_path(paths)
  substring(full, nchar(sub("/$", "", root)) + 2L)
}
