# The first look on the page: what is odd of the entries, and from there to the entries themselves.

first_look_piece <- function(page) {
  tags <- htmltools::tags
  checked <- kept_answer(page$kept, list("first look", source_facts(page$offers$ledger)$given),
                         function() quietly(checked_ledger(page$offers$ledger)))
  leads <- first_look_leads(checked)
  parts <- page_check(checked)
  # The line to type next is for those who type.
  parts <- utils::head(parts, -2)
  htmltools::tagList(
    sheet_head("First look"),
    if (length(leads) > 0) tags$div(
      class = "choices", role = "group", "aria-label" = "Entries that are odd",
      tags$span(class = "quiet", "Show the entries:"),
      lapply(leads, function(lead) {
        act_button(lead$says, "odd", begin = lead$from, end = lead$to, where = lead$where)
      })),
    parts)
}

# Each oddity with entries of its own: list(says, from, to, where), days as texts.
first_look_leads <- function(checked, most = 6L) {
  dated <- function(table, says) {
    table <- utils::head(table, most)
    lapply(seq_len(NROW(table)), function(i) {
      from <- day_numbers(table$from[i])
      to <- day_numbers(table$to[i])
      list(says = sprintf(says, days_text(from, to)), from = iso_day(from), to = iso_day(to))
    })
  }
  negative <- checked$amounts[checked$amounts$negative > 0, ]
  alike <- utils::head(checked$alike, most)
  totals <- utils::head(checked$called_totals, most)
  # The days on both sides of a gap.
  around <- checked$gaps
  if (NROW(around) > 0) {
    around$from <- around$from - 7
    around$to <- around$to + 7
  }
  c(
    dated(checked$far_off, "far from all others: %s"), dated(around, "around a gap: %s"),
    lapply(seq_len(NROW(negative)), function(i) list(
      says = sprintf("%s below zero", gsub("_", " ", negative$column[i])),
      where = sprintf("%s < 0", name_text(negative$column[i])))),
    lapply(seq_len(NROW(alike)), function(i) list(
      says = paste("perhaps one:", alike$members[i]),
      where = condition_on_group(checked$ledger, alike$column[i], alike$members[i]))),
    lapply(seq_len(NROW(totals)), function(i) list(
      says = sprintf("called a total: %s", totals$member[i]),
      where = members_condition(totals$column[i], totals$member[i])))
  )
}

# The condition on the members of a group that may be one, by how the first look writes it.
condition_on_group <- function(x, column, written) {
  members <- source_members(x, column)
  members_condition(column, members$text[groups_alike(members)[[written]]])
}

# A panel of the entries of some days, or under a condition, with the entries themselves shown.
act_on_oddity <- function(state, act, offers) {
  if (length(state$panels) >= explore_limits$panels)
    refuse("choice", sprintf("A page has at most %d panels.", explore_limits$panels), call = NULL)
  from <- act_text(act, "begin")
  where <- act_text(act, "where")
  if (!is.null(where)) check_code(where, "condition")
  span <- if (is.null(from)) "all" else paste0(from, "/", act_text(act, "end"))
  check_phrase_text(span)
  tree <- list(measures = list(entries = "entries()"), span = span)
  if (!is.null(where)) tree$where <- list(where)
  state$panels <- c(state$panels, list(list(statement = tree, look = list(table = list()))))
  at <- digits_text(length(state$panels))
  state$at <- at
  state$behind <- list(panel = at, row = "1", figure = "entries")
  state
}
