# What is kept and handed over: the page's question as a brief, as code, as a command line; its
# answer as files. And briefs opened as panels.

# ---- the questions of all panels ---------------------------------------------------

# list(ledger, statements, items): of the panels, as briefs and code take them.
page_questions <- function(state, offers) {
  content <- lapply(state$panels, function(panel) {
    list(question = unclass(panel_question(state, panel, offers)), name = panel_name(panel))
  })
  question_parts_of(list(show = list(list(show = "page", content = content))))
}

# The page as a brief in a file of the folder of briefs; gives the file.
page_saved <- function(state, offers, name, category, overwrite = FALSE, asks = character()) {
  rlang::local_options(rollingledger.reader = "page")
  if (is.null(offers$briefs))
    refuse("choice", "The page was opened without a folder for briefs.", call = NULL)
  if (is.null(name) || !nzchar(trimws(name)))
    refuse("brief", "A brief needs a name.", call = NULL)
  words <- dashed_words(plain_letters(name))
  file <- file.path(offers$briefs, paste0(if (nzchar(words)) words else "brief", ".yml"))
  if (file.exists(file) && !overwrite) {
    refuse("file", c(sprintf("There is a brief %s already.", basename(file)),
                     i = "Give it another name, or tick that it is replaced."), call = NULL)
  }
  parts <- page_questions(state, offers)
  parts$items <- with_own_texts(parts$items, state$panels)
  parts$items <- if (length(parts$items) == 1) {
    parts$items[[1]]["heading"] <- NULL
    parts$items
  } else list(list(what = "page", title = name, content = parts$items))
  own <- list(name = name, category = if (nzchar(category %||% "")) category, description = NULL,
              ask = asks_of_page(state)[asks])
  quietly(save_parts(parts, file, own, overwrite, NULL))
  file
}

# The panels as items, each text of one's own below its heading.
with_own_texts <- function(items, panels) {
  unlist(Map(function(item, panel) {
    if (is.null(panel$text)) return(list(item))
    heading <- list(what = "heading", text = item$heading %||% panel_name(panel))
    item["heading"] <- NULL
    list(heading, list(what = "text", text = panel$text), item)
  }, items, panels), recursive = FALSE)
}

# ---- values that a kept brief asks for ------------------------------------------

# What a brief of this page can ask for when it is run, by name: list(kind, of, says, default), and
# `now`, what stands in the question for it.
asks_of_page <- function(state) {
  out <- list()
  if (rlang::is_string(state$span))
    out$days <- list(kind = "phrase", says = "the days", default = state$span, now = state$span)
  for (panel in state$panels) {
    for (text in panel_conditions(panel)) {
      one <- members_meant(text)
      if (length(one$members) != 1 || one$missing) next
      out[[one$column]] <- list(kind = "member", of = one$column, default = one$members,
                                says = paste("the", gsub("_", " ", one$column)), now = text)
    }
    for (step in steps_of(panel$statement)) {
      keep <- if (step_verb(step) == "add_rank") step[[1]]$keep
      if (!is.null(keep))
        out$top <- list(kind = "number", says = "how many lead", default = keep, now = keep)
    }
  }
  out[make.names(names(out)) == names(out)]
}

# How a brief that was kept is run: its tables may stand elsewhere.
run_of_kept <- function(file, state, offers) {
  parts <- page_questions(state, offers)
  root <- root_of_tables(parts$ledger, parts, file, NULL)
  from <- if (root != full_path(dirname(file))) paste(" --from", shell_word(root)) else ""
  sprintf("rolling-ledger run %s%s", shell_word(file), from)
}

page_code <- function(state, offers) {
  parts <- with_code_names(page_questions(state, offers))
  items <- vapply(Filter(function(item) item$what != "table", parts$items), item_code, "",
                  title = "Statement")
  new_ledger_code(c("library(rollingledger)", "", ledger_code(parts$ledger), "",
                    part_codes(parts$statements), items))
}

panel_command <- function(state, offers) {
  panel <- panel_now(state)
  question <- unclass(panel_question(state, panel, offers))
  look <- look_of(panel)
  part <- if (asks_ledger(look)) list(show = question$show) else question
  if (!asks_ledger(look)) part["show"] <- list(NULL)
  show <- if (length(question$show) > 0) question$show[[1]]
  command_line(question$ledger, part, look, show[setdiff(names(show), "show")])
}

# ---- files ---------------------------------------------------------------------------------

# Files that can be written of the page: list(label, ending).
page_files <- list(
  page = list(label = "The page, for mail", ending = "html"),
  workbook = list(label = "Workbook of this panel", ending = "xlsx"),
  csv = list(label = "CSV file of this panel", ending = "csv"),
  png = list(label = "Figure of this panel, PNG", ending = "png"),
  svg = list(label = "Figure of this panel, SVG", ending = "svg"),
  entries = list(label = "Entries shown", ending = "csv")
)

# Writes one of them below a folder; gives the path.
page_file <- function(kind, state, offers, folder, kept = new_answers()) {
  rlang::local_options(rollingledger.reader = "page")
  # "workbook:route" is a workbook with a sheet for each route.
  of <- if (grepl(":", kind, fixed = TRUE)) sub("^[a-z]+:", "", kind)
  kind <- sub(":.*$", "", kind)
  one <- page_files[[one_of(kind, names(page_files), "file")]]
  panel <- panel_now(state)
  if (!is.null(of)) of <- one_of(of, unlist(panel$statement$by), "attribute")
  words <- substr(dashed_words(panel_name(panel)), 1, 60)
  file <- file.path(folder, paste0(if (nzchar(words)) words else kind, ".", one$ending))
  attach_usual_packages()
  if (kind == "page") {
    parts <- if (is.null(of)) page_parts(state, offers, kept)
             else member_sections(state, offers, kept, of)
    write_report(!!!parts, file = file, overwrite = TRUE, title = offers$title)
    return(file)
  }
  if (kind == "entries") {
    answer <- behind_answer(state, offers, kept)
    if (!is.null(answer$problem)) refuse("choice", answer$problem[1], call = NULL)
    at <- entries_sought(answer$entries, state$behind)
    rows <- tibble::as_tibble(answer$entries)[at, ]
    write_plain_table(rows, file, TRUE)
    return(file)
  }
  told <- panel_answer(state, panel, offers, kept)
  if (!is.null(told$problem)) refuse("choice", told$problem, call = NULL)
  if (kind %in% figure_endings) {
    if (!draws_figure(told$look, told$thing))
      refuse("choice", c("This panel shows no figure.", i = "Choose a look that draws one."),
             call = NULL)
    write_figure(panel_figure(told, offers), file, overwrite = TRUE)
  } else if (kind == "workbook") {
    rlang::check_installed("openxlsx", reason = "to write workbooks.")
    if (is.null(of)) write_workbook(told$thing %||% told$s, file, overwrite = TRUE)
    else write_workbook(told$s, file, sheet_per = of, overwrite = TRUE)
  } else write_statement(if (inherits(told$thing, "report_tiles")) told$s
                         else told$thing %||% told$s, file, overwrite = TRUE)
  file
}

# The parts of the page as a report takes them.
page_parts <- function(state, offers, kept) {
  unlist(lapply(state$panels, panel_parts, state = state, offers = offers, kept = kept),
         recursive = FALSE)
}

# What a panel shows, by its name; a text of one's own stands before it.
panel_parts <- function(panel, state, offers, kept, name = panel_name(panel)) {
  told <- panel_answer(state, panel, offers, kept)
  if (!is.null(told$problem)) refuse("choice", told$problem, call = NULL)
  drawn <- if (draws_figure(told$look, told$thing))
    with_canvas(report_figure_size, panel_figure(told, offers))
  table <- if (!is_drawn_look(told$look)) told$thing %||% told$s
  parts <- Filter(Negate(is.null), list(panel$text, drawn, table))
  stats::setNames(parts, c(name, rep("", length(parts) - 1)))
}

# A section for each member of an attribute of the panel, with what it shows of that member alone.
member_sections <- function(state, offers, kept, of) {
  panel <- panel_now(state)
  told <- panel_answer(state, panel, offers, kept)
  if (!is.null(told$problem)) refuse("choice", told$problem, call = NULL)
  members <- panels_in_order(told$s[drawn_rows(told$s), ], of)
  members <- members[!plain_text(members) %in% statement_info(told$s)$rest$label]
  if (length(members) > most_panels) {
    refuse("choice", sprintf("%s has %s members here; sections are of at most %d.",
                             heading_text(of), number_text(length(members)), most_panels),
           call = NULL)
  }
  unlist(lapply(seq_along(members), function(i) {
    member <- plain_text(members[i])
    own <- with_condition(panel, members_condition(
      of, if (!is.na(member)) member, is.na(member)))
    panel_parts(own, state, offers, kept, name = member_text(members[i]))
  }), recursive = FALSE)
}

# ---- briefs ----------------------------------------------------------------------------------

# A brief of the folder, or the one that the page was opened with, by the name of its file.
brief_offered <- function(offers, name) {
  if (!is.null(offers[["brief"]]) && identical(name, basename(offers[["brief"]]$file)))
    return(offers[["brief"]])
  files <- brief_files(offers$briefs %||% "")
  at <- match(name, basename(files))
  if (is.na(at)) {
    refuse("brief", c(sprintf("There is no brief %s here.", shortened_text(plain_text(name))),
                      i = nearest_hint(name, basename(files))), call = NULL)
  }
  read_brief(files[at], NULL)
}

# The state that a brief with its values comes to: list(state, tables, said).
state_of_brief <- function(brief, values, offers) {
  rlang::local_options(rollingledger.reader = "page")
  tree <- with_values(brief$tree[names(brief$tree) != "ask"], brief_schema(), values)
  worked <- columns_of_brief(brief, tree, offers)
  fitted <- brief_for_page(brief, tree, ledger_with_columns(offers, list(own_columns = worked)))
  tree <- fitted$tree
  said <- as.character(fitted$said)
  show <- tree$show %||% lapply(names(tree$statements),
                                function(name) list(table = list(of = name)))
  items <- unlist(lapply(show, function(item) {
    if (names(item) == "page") item$page$content else list(item)
  }), recursive = FALSE)
  panels <- list()
  explained <- character()
  second <- NULL
  heading <- NULL
  text <- NULL
  for (item in items) {
    what <- names(item)
    if (what %in% c("heading", "text")) {
      if (what == "heading") heading <- item[[1]] else text <- paste(item[[1]], collapse = " ")
      next
    }
    own <- item[[1]]
    name <- own$of %||% names(tree$statements)[1]
    asked <- tree$statements[[name]]
    shown_here <- intersect(names(asked), intersect(comparing_verbs(), names(explore_looks())))
    compared <- asked[[shown_here[1] %||% ""]]
    if (!is.null(compared)) {
      what <- names(asked)[1]
      second <- compared$b %||% compared$before
      of_look <- switch(what,
        why_changed = setdiff(names(fields_of(what)), c(why_from_page, "before")),
        stands_out = setdiff(names(fields_of(what)), unusual_from_page), "member")
      # An explanation that is shown twice, as lines and drawn, is one panel here.
      if (what == "why_changed" && name %in% explained) next
      explained <- c(explained, if (what == "why_changed") name)
      own <- c(own["heading"], compared[intersect(names(compared), of_look)])
      asked <- c(list(span = compared$a %||% compared$now),
                 compared[setdiff(names(compared), c("a", "b", "now", "before", "seed", of_look))])
    }
    compares <- length(intersect(comparing_verbs(), names(asked))) > 0
    if (compares || !what %in% names(explore_looks())) {
      said <- c(said, sprintf("%s is not shown on this page; the brief itself shows it.", name))
      next
    }
    if (length(panels) >= explore_limits$panels) {
      said <- c(said, sprintf("The page has room for %d panels.", explore_limits$panels))
      break
    }
    drawn <- own[setdiff(names(own), c("of", "heading", "file", "size", "title", "sheet_per",
                                       "subtotals", "subtitle"))]
    where <- asked$where
    if (rlang::is_string(where)) asked$where <- conditions_apart(where)
    if (rlang::is_string(asked$by)) asked$by <- list(asked$by)
    panels <- c(panels, list(c(list(heading = own$heading %||% heading, text = text,
                                    statement = asked),
                               list(look = stats::setNames(list(drawn), what)))))
    heading <- NULL
    text <- NULL
  }
  if (length(panels) == 0)
    refuse("brief", c("The brief shows nothing that this page can.", i = said), call = NULL)
  panels <- lapply(panels, function(panel) panel[lengths(panel) > 0])
  state <- page_days_of(list(at = "1", second = second, level = "month", own_columns = worked,
                             panels = panels))
  list(state = state[lengths(state) > 0], tables = brief_tables(brief, tree), said = unique(said))
}

# Days that all panels share are the page's.
page_days_of <- function(state) {
  own <- lapply(state$panels, function(panel) panel$statement$span)
  several <- any(vapply(state$panels, function(panel) !is.null(panel$statement$spans), TRUE))
  if (several || length(unique(own)) > 1) return(state)
  state$span <- own[[1]] %||% "all"
  if (!rlang::is_string(state$span)) {
    state["span"] <- NULL
    return(state)
  }
  state$panels <- lapply(state$panels, function(panel) {
    panel$statement["span"] <- NULL
    panel
  })
  state
}

# "a & b" as two conditions.
conditions_apart <- function(text) {
  parts <- function(expr) {
    if (is.call(expr) && called_name(expr) %in% c("&", "&&"))
      return(unlist(lapply(as.list(expr)[-1], parts)))
    if (is.call(expr) && called_name(expr) == "(" && is.call(expr[[2]]) &&
        called_name(expr[[2]]) %in% c("&", "&&")) return(parts(expr[[2]]))
    expression_text(expr)
  }
  expr <- tryCatch(text_expression(text), error = function(e) NULL)
  if (is.null(expr)) list(text) else as.list(parts(expr))
}

# The tables that a brief's steps name, from the brief's own folder: named paths.
brief_tables <- function(brief, tree) {
  names <- unlist(lapply(tree$statements, function(asked) {
    lapply(asked$steps, function(step) step[[1]]$targets)
  }))
  names <- names[!is_plain_number(names)]
  stats::setNames(lapply(names, function(name) path_below(dirname(brief$file), name)), names)
}
