# What looks and steps need of a question, and a question that is made to fit.

steps_of <- function(tree) tree$steps %||% list()

step_verb <- function(step) names(step)[1]

has_step <- function(panel, verb) {
  any(vapply(steps_of(panel$statement), step_verb, "") == verb)
}

measures_of <- function(tree) names(tree$measures) %||% "entries"

with_step <- function(tree, verb, args) {
  tree$steps <- c(steps_of(tree), list(stats::setNames(list(args), verb)))
  tree
}

# The measures of a question, the first whose change can be explained before the others.
measures_to_explain <- function(tree, x) {
  measures <- tree$measures %||% list(entries = "entries()")
  fit <- names(measures_that(tree, x, function(read) way_of_change(read, NULL)))
  explained <- names(measures) %in% fit
  # What is made of others comes after them, and so stays where it is.
  alone <- explained & lengths(lapply(measures, measures_behind)) == 0
  at <- c(which(alone), which(explained))[1]
  if (is.na(at)) return(list(entries = "entries()"))
  c(measures[at], measures[-at])
}

# The measures of a tree whose reading `way` tells a way for, and what those are made of.
measures_that <- function(tree, x, way) {
  measures <- tree$measures %||% list(entries = "entries()")
  fit <- vapply(seq_along(measures), function(i) {
    tryCatch({
      read <- read_measures(unlist(measures[seq_len(i)]), x, row_columns)
      is.character(way(read[[i]]))
    }, rollingledger_error = function(e) FALSE)
  }, TRUE)
  measures[fit | names(measures) %in% unlist(lapply(measures[fit], measures_behind))]
}

# Measures that a step can be added to, by the way in which they measure.
measures_for_step <- function(verb, tree) {
  fun <- vapply(tree$measures %||% list(entries = "entries()"), function(code) {
    expr <- tryCatch(text_expression(code), error = function(e) NULL)
    if (is.call(expr)) called_name(expr) else ""
  }, "")
  names(fun)[switch(verb,
    add_per_day = fun %in% c("total", "entries"),
    add_expected = fun %in% c("total", "entries", "average", "distinct"),
    add_share = !fun %in% c("average", "smallest", "largest", "middle", pair_ways),
    add_running = !fun %in% c("balance", "active", "lapsed"),
    add_rolling = !fun %in% c("balance", "active"),
    rep(TRUE, length(fun)))]
}

# A new step of a verb, with what it needs.
new_step <- function(verb, tree, tables) {
  m <- measures_for_step(verb, tree)[1]
  c(first_step(verb, m, tree, tables), list(name = step_name(verb, m, tree))) |>
    Filter(f = Negate(is.null))
}

# A name for what a step adds, where an earlier one of its kind has the usual one.
step_name <- function(verb, m, tree) {
  if (!"name" %in% names(fields_of(verb))) return(NULL)
  usual <- paste(m, sub("^add_", "", verb), sep = "_")
  same <- Filter(function(step) step_verb(step) == verb && identical(step[[1]]$m, m),
                 steps_of(tree))
  taken <- vapply(same, function(step) unlist(step[[1]]$name)[1] %||% usual, "")
  if (usual %in% taken)
    setdiff(paste(usual, seq_len(length(taken) + 1L) + 1L, sep = "_"), taken)[1]
}

first_step <- function(verb, m, tree, tables) {
  switch(verb,
    add_rolling = list(m = m, over = "30 days"),
    add_running = list(m = m, since = "year"),
    add_change = list(m = m, from = if (is.null(tree$per)) "1 year back" else "period before"),
    # What one ranking left over cannot be ranked again.
    add_rank = if (has_step(list(statement = tree), "add_rank")) list(m = m)
               else list(m = m, keep = "3",
                         rest = if (length(tree$by) < 2) "All others"),
    add_target = list(m = m, targets = if (length(tables) > 0) names(tables)[1] else "0"),
    list(m = m)
  )
}

# A rest is of what is not kept: none where all are kept, and the first three where it is asked for.
step_that_fits <- function(args, verb, changed) {
  if (verb != "add_rank" || is.null(args$rest) || !is.null(args$keep)) return(args)
  if (changed == "rest") args$keep <- "3" else args["rest"] <- NULL
  args
}

# What a look needs of its question: a grain, a ranking, a change.
panel_for_look <- function(panel, look, offers, level = "month") {
  tree <- panel$statement
  args <- panel$look[[look]]
  if (look == "compare_members") {
    args <- list(member = args$member %||% members_of_page(offers$ledger, measures_of(tree)))
    tree <- with_key(tree, "by", as.list(setdiff(unlist(tree$by), args$member)))
  }
  if (look == "reconcile") {
    fit <- reconcile_that_fits(tree, offers)
    tree <- fit$tree
    args <- fit$args
  }
  timed <- c("figure_trend", "figure_columns", "figure_leaders", "figure_years", "figure_members")
  if (look %in% c(timed, "figure_days", "figure_change") || holds_against(look))
    tree["spans"] <- NULL
  if (look %in% timed && is.null(tree$per)) tree$per <- level
  if (look == "figure_years" && tree$per %in% c("year", "fiscal year")) tree$per <- "month"
  if (look == "figure_days") tree$per <- "day"
  if (holds_against(look)) tree["per"] <- NULL
  if (look == "stands_out") {
    tree["spans"] <- NULL
    tree$per <- tree$per %||% "week"
    tree$measures <- measures_that(tree, offers$ledger, way_of_looking)
    if (length(tree$measures) == 0) tree$measures <- list(entries = "entries()")
  }
  if (look %in% c("figure_years", "figure_days") && length(tree$by) > 0) tree["by"] <- NULL
  # A change has one value for each period, or for each member.
  if (look == "figure_change" && length(tree$by) > 0) tree["per"] <- NULL
  if (look == "figure_members") tree["by"] <- NULL
  tree <- parts_that_fit(tree)
  if (look == "figure_leaders") {
    if (length(tree$by) > 1) tree$by <- tree$by[1]
    if (length(tree$by) == 0) tree$by <- as.list(first_attribute(offers$ledger))
    if (!has_step(list(statement = tree), "add_rank"))
      tree <- with_step(tree, "add_rank", new_step("add_rank", tree, offers$tables))
  }
  if (look == "figure_change" && !has_step(list(statement = tree), "add_change"))
    tree <- with_step(tree, "add_change", new_step("add_change", tree, offers$tables))
  if (look == "figure_members" && !counts_members(tree)) {
    column <- code_name_of_members(offers$ledger)
    tree$steps <- NULL
    tree$measures <- list(new = sprintf("newcomers(%s)", column),
                          kept = sprintf("returning(%s)", column),
                          lost = sprintf("lapsed(%s)", column))
  }
  if (look == "why_changed") tree$measures <- measures_to_explain(tree, offers$ledger)
  panel$statement <- tree
  if (look == "cross_table")
    args <- list(across = if (is.null(tree$per)) "span" else "period", down = "figures")
  if (!look %in% c("cross_table", "compare_members", "reconcile", "why_changed",
                    "stands_out")) args <- NULL
  panel$look <- stats::setNames(list(args %||% list()), look)
  panel
}

# Members are ranked where there are some; targets are of periods, and members are lost from one to
# the next; totals are of rows that there are.
parts_that_fit <- function(tree) {
  tree <- with_key(tree, "totals", totals_that_fit(tree))
  tree <- with_key(tree, "steps", Filter(function(step) step_verb(step) %in% steps_offered(tree),
                                         steps_of(tree)))
  tree <- with_key(tree, "steps", lapply(steps_of(tree), function(step) {
    verb <- step_verb(step)
    # A rest is of one attribute, and a period before of periods.
    if (verb == "add_rank" && length(tree$by) > 1) step[[1]]["rest"] <- NULL
    if (verb == "add_change" && is.null(tree$per) && identical(step[[1]]$from, "period before"))
      step[[1]]$from <- "1 year back"
    step
  }))
  loses <- function(code) grepl("\\blapsed\\(", code)
  lost <- if (is.null(tree$per)) names(Filter(loses, tree$measures))
  for (name in lost) tree <- tree_without_measure(tree, name)
  tree
}

steps_offered <- function(tree) {
  steps <- setdiff(statement_steps(), c(if (length(tree$by) == 0) "add_rank",
                                        if (is.null(tree$per)) "add_target",
                                        if (is.null(tree$per) || tree$per == "day") "add_expected"))
  Filter(function(verb) length(measures_for_step(verb, tree)) > 0, steps)
}

# The totals nearest to those asked for, or NULL.
totals_that_fit <- function(tree) {
  asked <- tree$totals
  fit <- totals_offered(tree)
  if (is.null(asked) || asked %in% fit) return(asked)
  part <- setdiff(fit, "none")
  if (asked == "both" && length(part) == 1) part
}

# Totals over all members need some, and those over all periods need periods.
totals_offered <- function(tree) {
  by <- length(tree$by) > 0
  per <- !is.null(tree$per)
  c("none", if (per) "period", if (by) "by", if (by && per) "both")
}

counts_members <- function(tree) sum(grepl("^(newcomers|returning|lapsed)\\(", tree$measures)) > 1

# The attribute whose members come and go: the one with the most of them, short of a name for each
# entry.
code_name_of_members <- function(x) name_text(members_of_page(x))

members_of_page <- function(x, taken = character()) {
  names <- setdiff(attribute_names(x), taken)
  # Whole numbers are counted more often than they come and go.
  called <- names[vapply(names, function(name) source_column(x, name)$holds != "amounts", TRUE)]
  if (length(called) > 0) names <- called
  if (length(names) == 0) refuse("choice", "The ledger has no attribute to count.", call = NULL)
  count <- vapply(names, function(name) length(source_members(x, name)$values), 0L)
  some <- count <= entries_used(x) / 2
  if (!any(some)) some[] <- TRUE
  names[some][which.max(count[some])]
}

# What of a statement goes together with columns of a table: its periods, its attributes.
reconciled_with <- function(tree) c(if (!is.null(tree$per)) "period", as.character(unlist(tree$by)))

# A question that can be tied to a table on offer, with what ties them: list(tree, args). Its
# periods go by a column called so or the first one of days, its attributes by columns of their
# names; what no table has is no key of the question any more.
reconcile_that_fits <- function(asked, offers, among = names(offers$tables)) {
  for (name in among) {
    # What one table would change is nothing to the next.
    tree <- asked
    table <- offered_rows(offers, name)
    days <- names(table)[vapply(table, is_day_column, TRUE)]
    period <- c(intersect(c("period", grains), names(table)), days)[1]
    by <- intersect(as.character(unlist(tree$by)), names(table))
    if (is.null(tree$per) && length(by) == 0)
      by <- utils::head(intersect(attribute_names(offers$ledger), names(table)), 1)
    if (is.na(period) && length(by) == 0) next
    if (is.na(period)) tree["per"] <- NULL
    else {
      tree["spans"] <- NULL
      if (period %in% grains) tree$per <- period
    }
    tree <- with_key(tree, "by", as.list(by))
    keys <- reconciled_with(tree)
    if (length(keys) == 0) next
    numbers <- setdiff(names(table)[vapply(table, is.numeric, TRUE)], c(period, by))
    value <- c(intersect(measures_of(tree), numbers), numbers)[1]
    if (is.na(value)) next
    theirs <- stats::setNames(as.list(ifelse(keys == "period", period, keys)), keys)
    return(list(tree = parts_that_fit(tree), args = list(against = name, by = theirs,
                                                         value = value)))
  }
  refuse("choice", c("No table on offer has a column in common with these entries.",
                     i = "A table to tie to has days or members, and amounts."), call = NULL)
}

is_tied_as_it_is <- function(tree, offers) {
  fit <- tryCatch(reconcile_that_fits(tree, offers)$tree, rollingledger_error = function(e) NULL)
  identical(fit$per, tree$per) && setequal(unlist(fit$by), unlist(tree$by))
}

# The rows of a table on offer; a file is read once.
offered_rows <- function(offers, name) {
  table <- table_on_offer(offers$tables, name)
  if (is.data.frame(table)) return(table)
  kept_answer(offers$made %||% new_answers(), list("rows of", table),
              function() quietly(table_given(given_table(table, NULL))))
}

panel_without_measure <- function(panel, name, offers) {
  if (length(panel$statement$measures) < 2)
    refuse("choice", "A question has at least one measure.", call = NULL)
  panel$statement <- tree_without_measure(panel$statement, name)
  look <- look_of(panel)
  own <- if (look %in% c("compare_members", "why_changed", "stands_out")) panel$look[[look]]
         else list()
  panel$look <- stats::setNames(list(own), look)
  panel_for_question(panel, offers)
}

# What is made of the measure goes with it.
tree_without_measure <- function(tree, name) {
  tree$measures[[name]] <- NULL
  for (other in names(tree$measures)) {
    if (name %in% measures_behind(tree$measures[[other]]))
      tree <- tree_without_measure(tree, other)
  }
  if (length(tree$measures) == 0) tree$measures <- list(entries = "entries()")
  with_key(tree, "steps", Filter(function(step) !identical(step[[1]]$m, name), steps_of(tree)))
}

# After a change of what the rows are, a look that cannot show them gives way to one that can.
panel_for_question <- function(panel, offers) {
  panel$statement <- parts_that_fit(panel$statement)
  tree <- panel$statement
  look <- look_of(panel)
  no_periods <- is.null(tree$per)
  many <- length(tree$by) > 0
  fits <- switch(look,
    figure_trend = !no_periods,
    figure_members = !no_periods && !many,
    figure_leaders = !no_periods && length(tree$by) == 1,
    figure_years = !no_periods && !many && !tree$per %in% c("year", "fiscal year"),
    figure_days = identical(tree$per, "day") && !many,
    compare_spans = , compare_members = , why_changed = no_periods,
    stands_out = !no_periods,
    figure_change = no_periods || !many,
    reconcile = is_tied_as_it_is(tree, offers),
    TRUE)
  if (!fits) {
    table <- no_periods || holds_against(look) || look == "reconcile"
    panel$look <- if (table) list(table = list()) else list(figure_columns = list())
  }
  again <- look_of(panel) %in% c("cross_table", "reconcile")
  if (again) panel_for_look(panel, look, offers) else panel
}

# What an act changed beside what it was about, so that its question holds: a line, or NULL.
fit_said <- function(before, after, act) {
  at <- panel_at(after)
  if (length(before$panels) != length(after$panels) || panel_at(before) != at) return(NULL)
  if (act$do %in% c("column_of_two", "bands", "names_as_one")) return(NULL)
  was <- before$panels[[at]]
  now <- after$panels[[at]]
  said <- c(
    statement_fit_said(was$statement, now$statement, act),
    if (!act$do %in% "look" && look_of(was) != look_of(now))
      sprintf("shown as %s, no longer as %s", explore_looks()[[look_of(now)]],
              explore_looks()[[look_of(was)]]))
  if (length(said) == 0) return(NULL)
  lead <- if (act$do == "look") paste0("For ", explore_looks()[[look_of(now)]])
          else if (length(now$statement$by) == 0 && length(was$statement$by) > 0)
            "Nothing is split any more"
          else if (is.null(now$statement$per) && !is.null(was$statement$per))
            "There are no periods any more"
          else "To fit this"
  sprintf("%s: %s.", lead, listed(said))
}

statement_fit_said <- function(was, now, act) {
  about <- function(...) act$do %in% c(...)
  words <- function(names) listed(gsub("_", " ", unlist(names)))
  verbs <- function(tree) vapply(steps_of(tree), function(step) {
    step_words(step)
  }, "")
  c(if (!about("span_beside", "follow", "span") && length(was$spans) > length(now$spans))
      "spans side by side taken out",
    if (!about("set") && !identical(was$totals, now$totals)) "totals taken out",
    if (!about("grain") && !identical(was$per, now$per))
      if (!is.null(now$per)) sprintf("a row for each %s", now$per)
      else if (about("look")) "one row for all days",
    if (!about("by") && !identical(unlist(was$by), unlist(now$by)))
      if (length(now$by) == 0) sprintf("no split by %s", words(was$by))
      else sprintf("split by %s", words(now$by)),
    if (!about("step", "step_set", "step_without")) c(
      sprintf("\"%s\" taken out", setdiff(verbs(was), verbs(now))),
      sprintf("\"%s\" added", setdiff(verbs(now), verbs(was)))),
    if (!about("measure", "measure_pair"))
      sprintf("%s taken out", words(setdiff(setdiff(names(was$measures), names(now$measures)),
                                            act$value)))[
        length(setdiff(setdiff(names(was$measures), names(now$measures)), act$value)) > 0])
}

# Measures that a measure is made of, by name; within total() and its like stand columns.
measures_behind <- function(code) {
  of <- function(expr) {
    if (is.symbol(expr)) return(as.character(expr))
    if (!is.call(expr) || called_name(expr) %in% names(measure_functions)) return(character())
    unlist(lapply(as.list(expr)[-1], of))
  }
  of(tryCatch(text_expression(code), error = function(e) NULL))
}
