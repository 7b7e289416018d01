# Acts on which entries count: conditions, members, columns.

acts_on_conditions <- list(
  condition = function(state, act, offers) {
    with_panel(state, with_condition, act_text(act, "value") %||% "")
  },
  members = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    only <- act_text(act, "only")
    with_panel(state, function(panel) {
      now <- members_meant(members_chip(panel, column) %||% "") %||%
        list(members = character(), missing = FALSE)
      if (!is.null(act$missing)) {
        alone <- identical(act_text(act, "missing"), "only")
        return(with_members(panel, column, if (alone) character() else now$members,
                            alone || !now$missing))
      }
      if (!is.null(only)) return(with_members(panel, column, only, FALSE))
      value <- act_text(act, "value")
      members <- if (value %in% now$members) setdiff(now$members, value) else c(now$members, value)
      with_members(panel, column, members, now$missing)
    })
  },
  numbers = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    given <- function(name) if (nzchar(act_text(act, name) %||% "")) act_text(act, name)
    with_panel(state, with_condition, number_condition(column, given("from"), given("to")))
  },
  text = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    sought <- act_text(act, "value") %||% ""
    if (!nzchar(sought)) refuse("choice", "Say a text to look for.", call = NULL)
    with_panel(state, with_condition,
               sprintf("has_text(%s, %s)", name_text(column), value_text(sought)))
  },
  narrow = function(state, act, offers) {
    column <- one_of(act_text(act, "column"), source_column_names(offers$ledger), "column")
    sought <- act_text(act, "value") %||% ""
    with_panel(state, function(panel) {
      now <- narrowed_by(panel)$condition
      on <- setdiff(panel_conditions(panel), now)
      new <- if (nzchar(sought)) sprintf("has_text(%s, %s)", name_text(column), value_text(sought))
      with_conditions(panel, c(on, new), setdiff(unlist(panel$off), now))
    })
  },
  condition_switch = function(state, act, offers) {
    text <- act_text(act, "value")
    with_panel(state, function(panel) {
      on <- panel_conditions(panel)
      off <- as.character(unlist(panel$off))
      if (text %in% on) with_conditions(panel, setdiff(on, text), c(off, text))
      else if (text %in% off) with_conditions(panel, c(on, text), setdiff(off, text))
      else panel
    })
  },
  condition_without = function(state, act, offers) {
    text <- act_text(act, "value")
    with_panel(state, function(panel) {
      with_conditions(panel, setdiff(panel_conditions(panel), text),
                      setdiff(unlist(panel$off), text))
    })
  },
  column = function(state, act, offers) {
    state["seek"] <- NULL
    with_key(state, "column", one_of(act_text(act, "value"), source_column_names(offers$ledger),
                                     "column"))
  },
  seek = function(state, act, offers) with_key(state, "seek", act_text(act, "value"))
)
