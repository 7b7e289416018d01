# Panels: what each shows, from its answer.

# Rows of a table that are sent at once.
table_rows_sent <- 200L

panel_piece <- function(state, i, told, offers) {
  tags <- htmltools::tags
  panel <- state$panels[[i]]
  now <- panel_at(state) == i
  parts <- if (is.null(told$problem))
    tryCatch(sentence_parts(state, panel, told, offers), error = function(e) NULL)
  title <- panel_name(panel)
  tags$section(
    class = if (now) "panel now" else "panel", "aria-labelledby" = paste0("title-", i),
    tags$div(class = "panel-head",
             tags$h2(id = paste0("title-", i),
                     act_button(title, "panel", value = i, pressed = now,
                                label = paste0(title, ", panel ", i))),
             if (has_own_days(panel)) tags$span(class = "quiet", "own days"),
             if (now) looks_piece(panel, offers),
             if (now && length(state$panels) > 1)
               act_button("\u00d7", "panel_without", label = paste("Take out panel", i),
                          class = "out")),
    if (!is.null(panel$text)) tags$p(class = "own-text", panel$text),
    if (!is.null(told$problem)) problem_piece(told$problem)
    else panel_shown(state, i, panel, told, offers, parts)
  )
}

panel_name <- function(panel) panel$heading %||% panel_title(panel)

panel_title <- function(panel) {
  tree <- panel$statement
  what <- heading_text(listed(gsub("_", " ", names(tree$measures) %||% "entries"), most = 4))
  by <- c(tree$per, gsub("_", " ", unlist(tree$by)))
  if (length(by) > 0) paste(what, "by", listed(by)) else what
}

problem_piece <- function(texts) {
  htmltools::tags$div(class = "problem", htmltools::tags$p(texts[1]),
                      if (length(texts) > 1) htmltools::tags$ul(
                        lapply(texts[-1], htmltools::tags$li)))
}

looks_piece <- function(panel, offers) {
  tags <- htmltools::tags
  x <- offers$ledger
  look <- look_of(panel)
  looks <- explore_looks()
  ties <- tryCatch(is.list(reconcile_that_fits(panel$statement, offers)),
                   rollingledger_error = function(e) FALSE)
  if (!ties) looks <- looks[names(looks) != "reconcile"]
  tags$div(class = "looks",
           choice_buttons("Shown as", "look", names(looks), look, unname(looks)),
           look_controls(panel, look, offers), if (look == "figure_days") narrow_piece(panel, x))
}

# A search that narrows what is counted: entries whose column holds a text.
narrow_piece <- function(panel, x) {
  now <- narrowed_by(panel)
  names <- attribute_names(x)
  htmltools::tags$div(
    class = "row narrow", role = "search", "data-group" = "narrow",
    act_select("Count only entries whose", "", stats::setNames(names, gsub("_", " ", names)),
               now$column %||% c(first_attribute(x), names)[1], id = "narrow-column",
               part = "column"),
    act_text_input("holds", "narrow", now$text, id = "narrow-text", type = "search",
                   from = "narrow", part = "value", hint = "part of a name"))
}

# What can be chosen of a look, from its table of fields.
look_controls <- function(panel, look, offers) {
  tags <- htmltools::tags
  fields <- if (look == "why_changed") fields_of(look)[setdiff(names(fields_of(look)), c(
    why_from_page, "before"))]
            else if (look == "stands_out") fields_of(look)[setdiff(names(fields_of(look)),
                                                                   unusual_from_page)]
            else if (look != "table" && !asks_ledger(look)) fields_of(look)
  fields <- fields[setdiff(names(fields), c("...", "title", "subtitle", "target", "figure", "row",
                                            "of", "rest", "from"))]
  tree <- panel$statement
  args <- panel$look[[look]]
  own <- switch(look,
    compare_members = act_select("Who comes and goes", "look_set",
                                 in_words(setdiff(attribute_names(offers$ledger), c(
                                   measures_of(tree), unlist(tree$by)))), args$member,
                                 field = "member", id = "look-member"),
    reconcile = reconcile_controls(tree, args, offers))
  if (look == "reconcile") fields <- fields["tolerance"]
  if (look == "why_changed") fields$volume$choices <- amount_names(offers$ledger)
  open <- look %in% c("figure_days", "compare_members", "reconcile", "why_changed", "stands_out")
  tags$details(class = "more", id = paste0("how-", look), open = if (open) NA,
               tags$summary("How it looks"),
               tags$div(class = "grid",
                        act_text_input("Title", "heading", panel$heading, id = "look-heading",
                                       hint = panel_title(panel)),
                        act_text_input("Text below it", "own_text", panel$text, id = "look-text",
                                       hint = "What a reader should know"), own,
                        lapply(names(fields), function(name) {
                          one <- fields[[name]]
                          if (name == "tint") return(tint_control(args$tint %||% one$default))
                          if (name == "gap") return(gap_control(args$gap %||% one$default))
                          field_control(name, one, args[[name]], "look_set", tree, list(),
                                        id = paste0("look-", name))
                        })))
}

# The table that is tied to, which of its columns stand for the statement's, and its amounts.
reconcile_controls <- function(tree, args, offers) {
  rows <- tryCatch(offered_rows(offers, args$against), error = function(e) NULL)
  columns <- names(rows)
  amounts <- columns[vapply(rows, is.numeric, TRUE)]
  htmltools::tagList(
    act_select("Tie to", "look_set", names(offers$tables), args$against, field = "against",
               id = "look-against"),
    lapply(reconciled_with(tree), function(key) {
      act_select(paste(heading_text(key), "is its"), "look_key", in_words(columns),
                 as.list(args$by)[[key]], field = key, id = paste0("look-key-", key),
                 none = "as it fits")
    }),
    act_select("Its amounts", "look_set", in_words(amounts), args$value, field = "value",
               id = "look-value", none = "as it fits"))
}

tint_control <- function(value) {
  htmltools::tags$div(class = "field", htmltools::tags$label(`for` = "look-tint", "Tint"),
                      htmltools::tags$input(id = "look-tint", type = "color", value = value,
                                            "data-do" = "look_set", "data-field" = "tint"))
}

gap_control <- function(value) {
  htmltools::tags$div(class = "field", htmltools::tags$label(`for` = "look-gap", "Gap"),
                      htmltools::tags$input(id = "look-gap", type = "range", min = 0, max = 0.9,
                                            step = 0.02, value = value, "data-do" = "look_set",
                                            "data-field" = "gap"))
}

panel_shown <- function(state, i, panel, told, offers, parts) {
  tags <- htmltools::tags
  # That of the panel which is pointed at stands at the top of the page.
  own <- if (length(parts) > 0 && panel_at(state) != i) tags$p(class = "dates",
                                                               sentence_text(parts))
  shown <- switch(told$look,
    table = shown_statement(i, panel, told$s),
    cross_table = shown_cross_table(i, told$thing, panel, told$s),
    compare_spans = , compare_members = shown_comparison(state, i, told$thing, panel),
    why_changed = shown_explanation(i, told$thing, panel),
    stands_out = shown_unusual(i, told$thing, panel, told$line),
    reconcile = shown_with_leads(as_shown_table(told$thing), panel, NULL),
    report_tiles = shown_tiles(i, told$thing),
    figure_place(i))
  htmltools::tagList(own, shown)
}

figure_place <- function(i) {
  htmltools::tags$div(class = "figure", id = sprintf("figure-%d", i), "data-panel" = i,
                      htmltools::tags$p(class = "quiet", "Drawing \u2026"))
}

# ---- tables whose figures lead to their entries ---------------------------------------------

shown_statement <- function(i, panel, s) {
  sent <- rows_sent(panel, nrow(s))
  part <- if (sent < nrow(s)) s[seq_len(sent), ] else s
  lead <- function(text, name) {
    if (has_entries_behind(columns_of(s)[[name]])) cell_buttons(text, i, seq_len(sent), name)
  }
  shown_with_leads(as_shown_table(part), panel, lead, as_shown_table(s)$words,
                   more_rows(i, sent, nrow(s)))
}

shown_with_leads <- function(table, panel, lead, notes = table$words, below = NULL) {
  # Conditions are said by the sentence, in words.
  notes <- notes[!startsWith(as.character(notes), "Where ")]
  htmltools::tagList(says_on_page(table$says), table_on_page(table, panel_title(panel), lead),
                     below, notes_on_page(notes))
}

rows_sent <- function(panel, n) {
  asked <- suppressWarnings(as.integer(panel$look[[look_of(panel)]]$rows %||% table_rows_sent))
  min(n, if (is.na(asked)) table_rows_sent else max(asked, 1L), 5000L)
}

more_rows <- function(i, sent, n) {
  if (sent >= n) return(NULL)
  htmltools::tags$p(
    class = "quiet",
    sprintf("%s of %s rows. ", number_text(sent), number_text(n)),
    act_button(sprintf("Show %s", if (n <= 5000) "all" else "5,000"), "look_set", field = "rows",
               value = min(n, 5000L)))
}

has_entries_behind <- function(column) {
  !is.function(kind_of(column)$behind)
}

# "<button ...>55,798.65</button>", for figures that are there.
cell_buttons <- function(text, panel, row, figure, span = NULL) {
  there <- text != "-" & !is.na(row)
  ifelse(there, sprintf(paste0("<button type=\"button\" class=\"cell\" tabindex=\"-1\"",
                               " data-do=\"behind\" data-panel=\"%d\" data-row=\"%d\"",
                               " data-figure=\"%s\"%s>%s</button>"), panel, row,
                        htmltools::htmlEscape(figure, attribute = TRUE),
                        if (is.null(span)) ""
                        else sprintf(" data-span=\"%s\"",
                                     htmltools::htmlEscape(span, attribute = TRUE)),
                        htmltools::htmlEscape(text)), htmltools::htmlEscape(text))
}

shown_cross_table <- function(i, x, panel, s) {
  shown_with_leads(as_shown_table(x), panel, function(text, name) {
    cells <- cells_of_column(x, name)
    # A change, or a target, has no entries of its own.
    leads <- vapply(cells$figure, function(figure) {
      column <- columns_of(s)[[figure]]
      is.null(column) || has_entries_behind(column)
    }, TRUE)
    cells$row[!leads] <- NA
    cell_buttons(text, i, cells$row, cells$figure)
  })
}

# Two spans: figures of either lead to the entries of its days.
shown_comparison <- function(state, i, x, panel) {
  record <- compared_record(state, panel)
  days <- list(a = record$a %||% record$now, b = record$b %||% record$before)
  sent <- rows_sent(panel, nrow(x))
  table <- as_shown_table(if (sent < nrow(x)) x[seq_len(sent), ] else x)
  shown_with_leads(table, panel, function(text, name) {
    measure <- sub("_[ab]$", "", name)
    side <- substring(name, nchar(measure) + 2)
    if (measure %in% names(record$measures) && nzchar(side))
      cell_buttons(text, i, seq_len(sent), measure, days[[side]])
  }, c(table$words, left_out_of_comparison(panel$statement)),
  more_rows(i, sent, nrow(x)))
}

# The bridge, then its lines, which lead to their entries.
shown_explanation <- function(i, x, panel) {
  table <- as_shown_table(x)
  other <- names(panel$statement$measures)[-1]
  # What the figure and the tables say is said once.
  drawn <- draws_figure("why_changed", x)
  if (drawn) table$says <- NULL
  notes <- c(attr(x, "notes"), if (length(other) > 0) sprintf(
    "One figure is explained at a time: the first, and not %s.", listed(gsub("_", " ", other))),
    left_out_of_comparison(panel$statement))
  htmltools::tagList(
    if (drawn) figure_place(i),
    shown_with_leads(table, panel, function(text, name) {
      if (name == "amount") cell_buttons(text, i, seq_len(nrow(x)), name)
    }, notes, looked_at_on_page(x, panel)))
}

# The line that is drawn, then the list: what came leads to its entries, how far off to its figure.
shown_unusual <- function(i, x, panel, line) {
  drawn <- draws_figure("stands_out", x)
  other <- setdiff(names(panel$statement$measures), names(columns_of(x)))
  notes <- c(attr(x, "notes"), if (length(other) > 0) sprintf(
    "Nothing can be expected of %s, so it is not looked at.", listed(gsub("_", " ", other))),
    left_out_of_comparison(panel$statement))
  notes <- notes[!startsWith(as.character(notes), "Where ")]
  if (!drawn)
    return(htmltools::tagList(says_on_page(attr(x, "sentences")), notes_on_page(notes)))
  # What stands below the figure is said once.
  table <- as_shown_table(x)
  table$says <- table$says[-1]
  htmltools::tagList(
    figure_place(i),
    shown_with_leads(table, panel, function(text, name) {
      if (name == "came") return(cell_buttons(text, i, seq_len(nrow(x)), name))
      if (name != "times_usual") return(NULL)
      vapply(seq_along(text), function(k) {
        as.character(act_button(text[k], "line", panel = i, value = k, class = "cell",
                                pressed = k == line))
      }, "")
    }, notes))
}

looked_at_on_page <- function(x, panel) {
  looked <- attributes_shown(x)
  if (is.null(looked)) return(NULL)
  htmltools::tagList(htmltools::tags$p(class = "dates", "What was looked at"),
                     table_on_page(looked, "What was looked at"))
}

# What a panel asks that two spans do not show: said, or NULL.
left_out_of_comparison <- function(tree) {
  steps <- unique(vapply(steps_of(tree), step_verb, ""))
  out <- c(if (!(tree$totals %||% "none") %in% "none") "totals",
           gsub("_", " ", sub("^add_|_rows$", "", steps)),
           if (identical(tree$partial, "drop")) "leaving out periods that are not over")
  if (length(out) == 0) return(NULL)
  sprintf("Two spans do not show what else was asked for: %s. The table does.", listed(out))
}

shown_tiles <- function(i, tiles) {
  made <- page_tiles(tiles)
  cells <- attr(tiles, "cells")
  made$children[[1]] <- Map(function(tile, row, figure) {
    htmltools::tagAppendChild(tile, htmltools::tags$p(
      act_button("Entries behind it", "behind", panel = i, row = row, figure = figure,
                 class = "out-word")))
  }, made$children[[1]], cells$row, cells$figure)
  made
}

# ---- figures -----------------------------------------------------------------------------------

# What the page's script needs of a figure: its picture, and its marks by rows.
figure_message <- function(i, drawn) {
  marks <- drawn$marks
  list(panel = i, alt = drawn$alt, width = drawn$width, height = drawn$height,
       days = drawn$days,
       picture = paste0("data:image/svg+xml;base64,",
                        gsub("\n", "", jsonlite::base64_enc(charToRaw(drawn$picture)),
                             fixed = TRUE)),
       marks = if (is.null(marks)) list() else unname(Map(
         function(x, y, w, h, row, figure, says) list(x, y, w, h, row, figure, says),
         round(marks$x, 5), round(marks$y, 5), round(marks$width, 5), round(marks$height, 5),
         marks$row, marks$figure, marks$says)))
}
