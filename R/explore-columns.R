# Columns of the page's own: worked out of others, members made one, or brought in from a table that
# was offered. They belong to the page's ledger, so that every panel has them.

# The ledger with the columns of a state. `offers$base` is the ledger that the page was opened with.
ledger_with_columns <- function(offers, state, tell = FALSE) {
  base <- offers$base %||% offers$ledger
  if (length(state$lookups) == 0 && length(state$own_columns) == 0) return(base)
  make <- function() {
    # What needs no lookup comes first, as on a command line.
    first <- columns_without_lookup(base, state$own_columns)
    x <- with_page_columns(base, first)
    for (lookup in state$lookups) {
      # The table goes by its name in the record and in code.
      call <- rlang::call2(add_attributes, x, as.name(lookup$table), lookup$key)
      table <- table_on_offer(offers$tables, lookup$table)
      call <- if (tell) call else rlang::call2(quietly, call)
      x <- eval(call, stats::setNames(list(table), lookup$table))
    }
    with_page_columns(x, state$own_columns[setdiff(names(state$own_columns), names(first))])
  }
  if (is.null(offers$made)) return(make())
  # A table of the same name may be another by now: a brief that is opened brings its own.
  used <- offers$tables[vapply(state$lookups, function(lookup) lookup$table, "")]
  kept_answer(offers$made, list("ledger", state$lookups, used, state$own_columns), make)
}

with_page_columns <- function(x, columns) {
  if (length(columns) == 0) x else quietly(work_out(x, !!!columns))
}

columns_without_lookup <- function(base, columns) {
  there <- source_column_names(base)
  first <- list()
  for (name in names(columns)) {
    of <- all.vars(tryCatch(text_expression(columns[[name]]), error = function(e) NULL))
    if (all(of %in% c(there, names(first)))) first[name] <- columns[name]
  }
  first
}

table_on_offer <- function(tables, name) {
  tables[[name]] %||% refuse("choice", c(
    sprintf("No table \"%s\" is offered on this page.", name),
    i = nearest_hint(name, names(tables))), call = NULL)
}

# The state with other columns, as far as the ledger can have them.
with_own_columns <- function(state, columns, offers) {
  state <- with_key(state, "own_columns", columns)
  ledger_with_columns(offers, state)
  state
}

with_own_column <- function(state, name, code, offers) {
  taken <- c(source_column_names(offers$ledger), names(state$own_columns))
  if (name %in% taken) name <- setdiff(paste(name, 2:100, sep = "_"), taken)[1]
  state <- with_own_columns(state, c(state$own_columns, stats::setNames(list(code), name)), offers)
  # Text is there to split by, a number to be added up.
  made <- source_column(ledger_with_columns(offers, state), name)
  with_statement(state, function(tree) {
    if (made$holds == "amounts") {
      known <- tree$measures %||% list(entries = "entries()")
      known[[free_name(name, names(known))]] <- code_of_call("total", name)
      tree$measures <- known
      return(tree)
    }
    with_key(tree, "by", as.list(union(unlist(tree$by), name)))
  })
}

column_ways <- c("times" = "*", "divided by" = "/", "plus" = "+", "less" = "-")

acts_on_columns <- list(
  column_of_two = function(state, act, offers) {
    among <- amount_names(offers$ledger)
    a <- one_of(act_text(act, "a"), among, "a")
    b <- one_of(act_text(act, "b"), among, "b")
    how <- one_of(act_text(act, "how"), names(column_ways), "how")
    word <- c(times = "times", "divided by" = "per", plus = "and", less = "less")[[how]]
    with_own_column(state, paste(a, word, b, sep = "_"),
                sprintf("%s %s %s", name_text(a), column_ways[[how]], name_text(b)), offers)
  },
  bands_of = function(state, act, offers) {
    with_key(state, "bands_of", one_of(act_text(act, "value"), amount_names(offers$ledger),
                                       "column"))
  },
  bands = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), amount_names(offers$ledger), "column")
    edges <- unlist(several_texts(act_text(act, "edges")))
    wrong <- edges[!is_plain_number(edges)]
    if (length(edges) == 0 || length(wrong) > 0) {
      refuse("choice", c(sprintf("Bands of %s need numbers as their edges%s.", column,
                                 if (length(wrong) > 0) sprintf(", not \"%s\"", wrong[1]) else ""),
                         i = "Press the places at which a band begins."), call = NULL)
    }
    edges <- edges[order(as.numeric(edges))]
    with_own_column(state, paste0(column, "_bands"),
                sprintf("band(%s, %s)", name_text(column), paste(unique(edges), collapse = ", ")),
                offers)
  },
  names_as_one = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    name <- trimws(act_text(act, "value") %||% "")
    panel <- panel_now(state)
    members <- members_meant(members_chip(panel, column) %||% "")$members
    if (length(members) < 2 || !nzchar(name)) {
      refuse("choice", c("Names are made one from two of them on, under a name for both.",
                         i = "Tick the members, and type the name."), call = NULL)
    }
    pairs <- paste(sprintf("%s = %s", vapply(members, name_text, ""), value_text(name)),
                   collapse = ", ")
    grouped <- paste0(column, "_as_one")
    before <- state$own_columns[[grouped]]
    if (!is.null(before) && startsWith(before, sprintf("renamed(%s, ", name_text(column)))) {
      state <- with_own_columns(state, utils::modifyList(state$own_columns, stats::setNames(list(
        sub("\\)$", paste0(", ", pairs, ")"), before)), grouped)), offers)
    } else {
      state <- with_own_column(state, grouped, sprintf("renamed(%s, %s)", name_text(column), pairs),
                           offers)
    }
    # The members were picked to be made one, and the new column stands in place of the old.
    state <- with_panel(state, with_members, column, character(), FALSE)
    with_statement(state, function(tree) {
      with_key(tree, "by", as.list(setdiff(unlist(tree$by), column)))
    })
  },
  lookup = function(state, act, offers) {
    name <- one_of(act_text(act, "table"), names(offers$tables), "table")
    key <- one_of(act_text(act, "key"), source_column_names(offers$ledger), "key")
    state$lookups <- c(state$lookups, list(list(table = name, key = key)))
    # What did not match is told.
    offers["made"] <- NULL
    with_said(state, told_meanwhile(ledger_with_columns(offers, state, tell = TRUE)))
  },
  column_without = function(state, act, offers) {
    name <- one_of(act_text(act, "value"), names(state$own_columns), "column")
    left <- state$own_columns[setdiff(names(state$own_columns), name)]
    state_of_columns(with_key(state, "own_columns", left), offers)
  },
  lookup_without = function(state, act, offers) {
    state$lookups[[act_number(act, "value", length(state$lookups))]] <- NULL
    if (length(state$lookups) == 0) state["lookups"] <- NULL
    state_of_columns(state, offers)
  }
)

# What is told while something is worked out, as texts.
told_meanwhile <- function(expr) {
  said <- character()
  withCallingHandlers(expr, message = function(m) {
    said <<- c(said, trimws(conditionMessage(m)))
    invokeRestart("muffleMessage")
  })
  said
}

# What of the page's questions holds without a column that is no longer there.
state_of_columns <- function(state, offers) {
  state["behind"] <- NULL
  repeat {
    x <- tryCatch(ledger_with_columns(offers, state), rollingledger_error = function(e) NULL)
    if (!is.null(x)) break
    # A column that was worked out of it goes too.
    state <- with_key(state, "own_columns", utils::head(state$own_columns, -1))
  }
  if (!is.null(state$bands_of) && !state$bands_of %in% amount_names(x)) state["bands_of"] <- NULL
  state_that_answers(state, x, offers$tables)$state
}

# ---- the choices ---------------------------------------------------------------

column_choices <- function(state, x, offers, kept) {
  tags <- htmltools::tags
  amounts <- amount_names(x)
  choice_sheet(
    "columns", "Columns of one's own",
    if (length(c(state$own_columns, state$lookups)) > 0) tags$ul(
      class = "chips",
      lapply(names(state$own_columns), function(name) tags$li(
        class = "chip", tags$span(tags$b(gsub("_", " ", name)), " ", tags$span(
          class = "quiet", column_code_words(state$own_columns[[name]]))),
        act_button("\u00d7", "column_without", value = name, class = "out",
                   label = paste("Take out", name)))),
      lapply(seq_along(state$lookups), function(i) tags$li(
        class = "chip", tags$span(sprintf("from %s by %s", state$lookups[[i]]$table,
                                          gsub("_", " ", state$lookups[[i]]$key))),
        act_button("\u00d7", "lookup_without", value = i, class = "out",
                   label = paste("Take out what is from", state$lookups[[i]]$table))))),
    if (length(amounts) > 1) tags$div(
      class = "row", "data-group" = "two",
      act_select("One column by another, entry by entry", "", in_words(amounts), amounts[1],
                 id = "two-a", part = "a"),
      act_select("How", "", names(column_ways), "divided by", id = "two-how", part = "how",
                 unseen = TRUE),
      act_select("The other column", "", in_words(amounts), amounts[2], id = "two-b", part = "b",
                 unseen = TRUE),
      act_button("Add", "column_of_two", from = "two")),
    lookup_choices(x, offers$tables, kept),
    if (length(amounts) > 0) choice_buttons("Bands of", "bands_of", amounts, state$bands_of,
                                            gsub("_", " ", amounts), lead = "Bands of:"),
    if (!is.null(state$bands_of)) histogram_piece(x, state$bands_of, kept)
  )
}

# Tables with a column that the entries have too, with one row for each of its members.
lookup_choices <- function(x, tables, kept) {
  tags <- htmltools::tags
  own <- attribute_names(x)
  offers <- list(tables = tables, made = kept)
  keys <- lapply(stats::setNames(nm = names(tables)), function(name) {
    rows <- tryCatch(offered_rows(offers, name), error = function(e) NULL)
    Filter(function(key) !anyDuplicated(rows[[key]]), intersect(own, names(rows)))
  })
  keys <- keys[lengths(keys) > 0]
  if (length(keys) == 0) return(NULL)
  lapply(names(keys), function(name) tags$div(
    class = "choices", role = "group", "aria-label" = paste("Bring in from", name),
    tags$span(class = "quiet", sprintf("Bring in the columns of %s, by:", name)),
    lapply(keys[[name]], function(key) act_button(gsub("_", " ", key), "lookup", table = name,
                                                  key = key))))
}

# "fare / passengers" as "fare divided by passengers", bands by their edges.
column_code_words <- function(code) {
  expr <- text_expression(code)
  args <- as.list(expr)[-1]
  # What is worked out within what is worked out is said as it was written.
  if (!is.call(expr) || any(vapply(args, is.call, TRUE))) return(code)
  fun <- called_name(expr)
  said <- vapply(args, function(one) gsub("_", " ", plain_text(
    if (is.symbol(one)) as.character(one) else one)), "")
  if (fun %in% column_ways) return(paste(said[1], names(column_ways)[match(fun, column_ways)],
                                         said[2]))
  if (fun == "band") return(sprintf("%s in bands from %s on", said[1], listed(said[-1])))
  if (fun == "renamed")
    return(sprintf("%s with %s", said[1], listed(paste(names(args)[-1], "as", said[-1]), most = 4)))
  code
}

# Entries by steps of a number: each place can be pressed, so that a band begins there.
histogram_piece <- function(x, column, kept) {
  tags <- htmltools::tags
  bins <- kept_answer(kept, list("bins", column, source_facts(x)$version, source_facts(x)$given),
                      function() histogram_bins(x, column))
  if (is.null(bins)) return(tags$p(class = "quiet", "It has one value only."))
  most <- max(bins$entries, 1)
  edge <- digits_text(bins$from)
  label <- sprintf("A band begins at %s; %s from there to below the next", edge,
                   vapply(bins$entries, count_text, "", "entry", "entries"))
  places <- sprintf(paste0(
    "<button type=\"button\" class=\"edge\" aria-pressed=\"false\" data-edge=\"%s\"%s",
    " aria-label=\"%s\"><i style=\"height:%.1f%%\"></i><span>%s</span></button>"),
    edge, ifelse(seq_along(edge) == 1, " disabled", ""),
    htmltools::htmlEscape(label, attribute = TRUE), 78 * bins$entries / most, edge)
  places[1] <- sprintf(paste0("<span class=\"edge\" title=\"below %s\"><i style=\"height:%.1f%%\">",
                              "</i><span>below</span></span>"), edge[2],
                       78 * bins$entries[1] / most)
  tags$div(
    class = "row", "data-group" = "bands",
    tags$div(class = "histogram", role = "group",
             "aria-label" = sprintf("Where bands of %s begin", gsub("_", " ", column)),
             htmltools::HTML(paste(places, collapse = ""))),
    tags$input(type = "hidden", id = "band-edges", "data-part" = "edges", value = ""),
    act_button("Make bands", "bands", from = "bands", column = column))
}

# Round steps over where most of the values lie, with the entries in each: list(from, entries); the
# first step holds all below the second. NULL where there is nothing to part.
histogram_bins <- function(x, column, steps = 14) {
  ends <- asked_of_column(x, list(measures = list(low = code_of_call("smallest", column),
                                                  high = code_of_call("largest", column))))
  if (nrow(ends) == 0 || is.na(ends$low[1]) || ends$low[1] == ends$high[1]) return(NULL)
  low <- ends$low[1]
  high <- ends$high[1]
  # Few far-off values do not push the rest into one step: it is narrowed to where 96 of 100 are.
  for (turn in 1:6) {
    edges <- edges_between(low, high, 30, ends)
    share <- cumsum(entries_between(x, column, edges)) / entries_used(x)
    inner <- which(share > 0.02 & c(0, utils::head(share, -1)) < 0.98)
    narrow <- c(c(low, edges)[min(inner)], c(edges, high)[max(inner)])
    if (diff(narrow) > 0.5 * (high - low)) break
    low <- narrow[1]
    high <- narrow[2]
  }
  edges <- edges_between(low, high, steps, ends)
  list(from = c(ends$low[1], edges), entries = entries_between(x, column, edges))
}

edges_between <- function(low, high, steps, ends) {
  edges <- pretty(c(low, high), steps)
  edges <- edges[edges > ends$low[1] & edges <= ends$high[1]]
  if (length(edges) == 0) ends$high[1] else edges
}

# Entries below the first edge, from there to below the next, and so on.
entries_between <- function(x, column, edges) {
  band <- free_name("band", source_column_names(x))
  code <- sprintf("band(%s, %s)", name_text(column), paste(digits_text(edges), collapse = ", "))
  made <- quietly(work_out(x, !!!stats::setNames(list(code), band)))
  s <- asked_of_column(made, list(by = list(band), measures = list(entries = "entries()")))
  at <- match(levels(s[[band]]), as.character(s[[band]]))
  ifelse(is.na(at), 0, s$entries[at])
}

asked_of_column <- function(x, tree) {
  quietly(answer(as_question(list(ledger = source_facts(x)$given,
                                  statement = statement_record(tree, NULL))), x))
}
