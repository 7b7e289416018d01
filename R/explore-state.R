# What a page to point at is about: its state, all in the texts that briefs are written in, so that
# what checks briefs checks addresses too. It goes into the address as JSON, and back.
#
#   span, second     the page's days, and those that they are held against: phrases
#   on, as_of        the page's date basis and as-of day
#   level            the periods of the strip of bars
#   own_columns      columns of the page's own, worked out of others: code by name
#   lookups          list(table, key) each: tables whose columns are brought in
#   bands_of         the column of which bands are being made
#   column, seek     the attribute whose members are listed, and what is sought among them
#   at               the number of the panel that is pointed at
#   ledger           a mark of the ledger that it was asked of (explore-ledger.R)
#   panels           list(heading, statement, off, look) each: the tree of a statement with its
#                    steps, conditions that are switched off, and what is shown of it, as a brief
#                    says it. A panel without days of its own follows the page's.
#   behind           list(panel, figure, row, of, seek, order, down, page): a figure whose entries
#                    are shown

explore_limits <- list(text = 30000L, depth = 9L, panels = 6L, turns = 40L)

# Things that a panel can show, in the order in which they are offered.
explore_looks <- function() {
  c(table = "Table", cross_table = "Lines", compare_spans = "Two spans",
    compare_members = "New and lost", why_changed = "Why", figure_trend = "Trend",
    figure_columns = "Columns", figure_leaders = "Leaders", figure_change = "Change",
    figure_years = "Years", figure_days = "Days", figure_members = "Members",
    report_tiles = "Tiles", stands_out = "Unusual", reconcile = "Tie out")
}

# Looks that hold the page's days against the second span.
holds_against <- function(look) look %in% c("compare_spans", "compare_members", "why_changed")

# Looks that are asked of the ledger, and of no statement.
asks_ledger <- function(look) holds_against(look) || look == "stands_out"

# What an explanation has from the panel and the page's days.
why_from_page <- c("now", "by", "...", "on", "where", "as_of", "seed")

# The same of what stands out, whose days are its own.
unusual_from_page <- c("per", "by", "...", "on", "where", "as_of", "known")

span_looked_at <- function(panel) {
  panel$look$stands_out$span %||% paste("latest finished", panel$statement$per %||% "week")
}

look_of <- function(panel) names(panel$look)[1] %||% "table"

# ---- the layout of a state ---------------------------------------------------

explore_schema <- function() made_once$page %||% (made_once$page <- layout_of_pages())

layout_of_pages <- function() {
  parts <- statement_schema()
  parts$properties <- parts$properties[setdiff(names(parts$properties), comparing_verbs())]
  # Only what is named by who opened the page can be read: no paths.
  parts <- without_paths(parts)
  looks <- lapply(stats::setNames(nm = intersect(names(explore_looks()), shown_verbs())),
                  function(verb) without_paths(verb_schema(verb)))
  looks <- c(list(table = schema_object(list(rows = list(type = "number")))), looks,
             list(compare_spans = schema_object(list(rows = list(type = "number"))),
                  compare_members = schema_object(list(rows = list(type = "number"),
                                                       member = schema_text())),
                  why_changed = schema_object(verb_properties("why_changed",
                                                              leave = why_from_page)),
                  stands_out = schema_object(c(
                    verb_properties("stands_out", leave = unusual_from_page),
                    list(line = list(type = "number"))))))
  panel <- schema_object(list(heading = schema_text(), text = schema_text(), statement = parts,
                              off = schema_list(schema_text("condition")),
                              look = one_of_keys(looks)), "statement")
  told <- list(type = "object", additionalProperties = schema_text())
  behind <- schema_object(list(
    panel = list(type = "number"), figure = schema_text(), row = list(type = "number"),
    of = told, span = schema_text("phrase"), seek = schema_text(), order = schema_text(),
    down = list(type = "boolean"), page = list(type = "number")), "panel")
  schema_object(list(
    span = schema_text("phrase"), second = schema_text("phrase"), on = schema_text(),
    as_of = schema_text("day"), level = schema_text(), column = schema_text(),
    seek = schema_text(), at = list(type = "number"), ledger = schema_text(),
    own_columns = told, bands_of = schema_text(),
    lookups = schema_list(schema_object(list(table = schema_text(), key = schema_text()),
                                        c("table", "key"))),
    panels = c(schema_list(panel), list(maxItems = explore_limits$panels)), behind = behind
  ), "panels")
}

# A schema whose tables are plain texts: the names of tables that are offered.
without_paths <- function(schema) {
  if (!is.list(schema)) return(schema)
  if (identical(schema$holds, "path")) schema$holds <- "text"
  lapply(schema, without_paths)
}

# ---- address -----------------------------------------------------------------

state_text <- function(state, x = NULL) {
  if (!is.null(x)) state$ledger <- ledger_marks(x)
  as.character(jsonlite::toJSON(state_json(state), auto_unbox = TRUE, null = "null"))
}

# Lists of one text stay lists.
state_json <- function(x) {
  if (!is.list(x)) return(if (length(x) > 1) as.list(x) else x)
  lapply(x, state_json)
}

# A text as texts and lists of them; NULL where it is no JSON of that kind.
texts_of_json <- function(text, most = explore_limits$text) {
  if (!rlang::is_string(text) || is.na(text) || nchar(text, "bytes") > most) return(NULL)
  if (!validUTF8(text)) return(NULL)
  Encoding(text) <- "UTF-8"
  read <- tryCatch(jsonlite::fromJSON(text, simplifyVector = FALSE), error = function(e) NULL)
  if (!is.list(read)) return(NULL)
  tryCatch(plain_texts(read, explore_limits$depth), error = function(e) NULL)
}

plain_texts <- function(x, depth) {
  if (depth == 0) stop("too deep")
  if (is.null(x)) return(NULL)
  if (is.list(x)) {
    if (!is.null(names(x)) && (anyDuplicated(names(x)) || any(!nzchar(names(x))))) stop("keys")
    out <- lapply(x, plain_texts, depth = depth - 1)
    return(out[!vapply(out, is.null, TRUE)])
  }
  if (is.logical(x)) return(if (x) "yes" else "no")
  if (is.numeric(x)) return(digits_text(x))
  shown <- escaped_controls(enc2utf8(x))
  if (!identical(shown, enc2utf8(x))) stop("controls")
  shown
}

# The nearest right state to what an address says: list(state, said), the texts telling what was
# left out. `x` is the ledger, `tables` those that are offered.
state_of_address <- function(text, x, tables = list()) {
  rlang::local_options(rollingledger.reader = "page")
  start <- first_state(x)
  if (is.null(text) || !nzchar(text)) return(list(state = start, said = character()))
  tree <- texts_of_json(text)
  if (is.null(tree)) {
    return(list(state = start, said = "The address could not be read; this is a fresh page."))
  }
  other <- marks_compared(tree$ledger, x)
  if (length(other) > 0) {
    return(list(state = start, said = sprintf(
      "The address is of a ledger with %s; this is a fresh page.", listed(other))))
  }
  tree$ledger <- NULL
  sound <- sound_tree(tree, explore_schema())
  said <- sound$said
  state <- sound$tree
  offers <- list(ledger = x, tables = tables)
  x <- tryCatch(ledger_with_columns(offers, state), rollingledger_error = function(e) {
    said <<- c(said, paste("Left out of the address: its own columns.", problem_texts(e)[1]))
    state[c("own_columns", "lookups", "bands_of")] <<- NULL
    x
  })
  if (length(state$panels) == 0) {
    return(list(state = start, said = c(said, "The address holds no panel; this is a fresh page.")))
  }
  nearest <- state_that_answers(state, x, tables)
  list(state = nearest$state, said = c(said, nearest$said))
}

# A tree less what breaks the layout: list(tree, said).
sound_tree <- function(tree, schema) {
  said <- character()
  for (turn in seq_len(explore_limits$turns)) {
    problems <- tryCatch(schema_problems(tree, schema), error = function(e) {
      list(list(path = character(), says = "is unreadable."))
    })
    if (length(problems) == 0) return(list(tree = tree, said = said))
    one <- problems[[1]]
    said <- c(said, sprintf("Left out of the address: %s %s", path_words(one$path), one$says))
    if (length(one$path) == 0) return(list(tree = list(), said = said))
    tree <- without_path(tree, one$path)
  }
  list(tree = list(), said = said)
}

# The tree without what stands at a path; what is left empty by it and must not be is a problem of
# its own.
without_path <- function(tree, path) {
  key <- if (is.null(names(tree))) as.integer(path[1]) else path[1]
  there <- if (is.character(key)) key %in% names(tree) else isTRUE(key <= length(tree))
  if (!there) return(list())
  if (length(path) == 1 || !is.list(tree[[key]])) tree[[key]] <- NULL
  else tree[[key]] <- without_path(tree[[key]], path[-1])
  tree
}

# ---- a fresh page ------------------------------------------------------------

first_state <- function(x) {
  facts <- source_facts(x)
  likely <- likely_measures(x)
  measures <- c(if (length(likely) > 0) {
    stats::setNames(list(likely[[1]]), free_name(sub("^total_", "", names(likely)[1]), "entries"))
  }, list(entries = "entries()"))
  groups <- first_attribute(x)
  # Days of the whole ledger where it is shorter than a year.
  bases <- facts$dates[[1]]
  grain <- if (bases$last - bases$first > 120) "month" else "day"
  span <- if (grain == "month") "latest 12 months" else "all"
  panels <- list(list(statement = list(per = grain, measures = measures),
                      look = list(figure_columns = list())),
                 list(statement = c(list(by = as.list(groups)[length(groups) > 0],
                                         measures = measures)), look = list(table = list())))
  panels <- lapply(panels, function(panel) {
    panel$statement <- panel$statement[lengths(panel$statement) > 0]
    panel
  })
  list(span = span, level = grain, at = "1", panels = panels)
}

# "total(fare)", the column in code.
code_of_call <- function(fun, column) sprintf("%s(%s)", fun, name_text(column))

# The attribute that groups a first page: the first that has a handful of members.
first_attribute <- function(x) {
  for (name in attribute_names(x)) {
    members <- length(source_members(x, name)$values)
    if (members > 1 && members <= 20) return(name)
  }
  character()
}

# Columns that entries are grouped by, dates and amounts with decimals not among them.
attribute_names <- function(x) {
  dates <- vapply(source_facts(x)$dates, function(date) date$column, "")
  names <- setdiff(source_column_names(x), dates)
  names[vapply(names, function(name) {
    column <- source_column(x, name)
    !isTRUE(column$is_blank) && !(column$holds == "amounts" && column$decimals > 0)
  }, TRUE)]
}

# Columns that can be added up.
amount_names <- function(x) {
  dates <- vapply(source_facts(x)$dates, function(date) date$column, "")
  names <- setdiff(source_column_names(x), dates)
  names[vapply(names, function(name) source_column(x, name)$holds == "amounts", TRUE)]
}
