# Notes of a statement: which entries are in no figure, and how measures are meant.

# On another date basis than the first, entries without a day on it are in no figure, nor are those
# set aside for the first.
basis_notes <- function(plan) {
  facts <- source_facts(plan_ledger(plan))
  first <- names(facts$dates)[1]
  months <- if (facts$dates[[plan$on]]$months) {
    sprintf("Entries are by month, and count on its first day (%s).",
            facts$dates[[plan$on]]$column)
  }
  if (plan$on == first) return(months)
  counts <- facts$dates[[plan$on]]$absent()
  says <- function(n, what) {
    sprintf("%s %s in no figure here: %s.", count_text(n, "entry", "entries"),
            if (n == 1) "is" else "are", what)
  }
  c(months, if (counts$without > 0) {
      has <- if (counts$without == 1) "it has" else "they have"
      says(counts$without, sprintf("%s no day on %s", has, plan$on))
    },
    if (counts$late > 0) says(counts$late, sprintf("%s after the as-of day", plan$on)),
    if (facts$later > 0) {
      says(facts$later, sprintf("set aside as %s after the as-of day, whenever %s", first, plan$on))
    })
}

# What is to be known of measures: how they are meant, and which entries they leave out.
measure_notes <- function(plan) {
  leaves <- measure_leaves(plan$measures)
  c(unique(unlist(lapply(leaves, meaning_note, plan = plan))), missing_notes(plan))
}

meaning_note <- function(leaf, plan) {
  first <- day_text(plan$first)
  switch(leaf$fun,
    active = sprintf("Active on the last day of a row: began by then, and %s, or without an end.",
                     if (leaf$options$last_day) "open up to and with the day they end"
                     else "not ended by that day"),
    newcomers = , returning = sprintf(
      paste0("The first entry of each %s is looked for in the whole ledger, from %s, whatever ",
             "the conditions."),
      leaf$column, first),
    lapsed = sprintf("Lapsed: each %s seen in the period before and not in the row's days.",
                     leaf$column),
    balance = c(sprintf("A balance is the latest %s on or before a row's last day%s.", leaf$column,
                        if (!is.null(leaf$options$each)) {
                          sprintf(", added up over each %s", leaf$options$each)
                        } else ""),
                balance_of_several(leaf, plan))
  )
}

# Without `each` a balance is the reading of one of several things, which must be said.
balance_of_several <- function(leaf, plan) {
  if (!is.null(leaf$options$each)) return(NULL)
  x <- plan_ledger(plan)
  told <- c(plan$by, leaf$column, conditioned_columns(list(plan$where, leaf$where)))
  entries <- entries_used(x)
  several <- Filter(function(name) {
    source_column(x, name)$holds %in% c("text", "levels") &&
      length(source_members(x, name)$values) %in% 2:max(2, entries / 2)
  }, setdiff(source_column_names(x), told))
  if (length(several) == 0) return(NULL)
  members <- source_members(x, several[1])
  paste(sprintf("The readings are of %s %s (%s): this is the latest of any of them.",
                number_text(length(members$values)), plural_text(several[1]),
                listed(members$shown[order(members$rank)], most = 3)),
        balance_of_each_text(leaf$column, several[1]))
}

# What adds up, in the words of who reads.
balance_of_each_text <- function(column, each) {
  if (message_reader() == "page") {
    return(sprintf("The balance of %s of each %s adds up the latest of each.",
                   gsub("_", " ", column), gsub("_", " ", each)))
  }
  sprintf("balance(%s, each = %s) adds up the latest of each.", column, each)
}

# Columns that conditions speak of.
conditioned_columns <- function(trees) {
  unlist(lapply(trees, function(tree) {
    c(tree$column, if (!is.null(tree$a)) conditioned_columns(list(tree$a, tree$b)))
  }))
}

# Amounts and members that are missing are left out of a measure, and said.
missing_notes <- function(plan) {
  lacking <- Filter(function(leaf) isTRUE(leaf$known$has_missing), measure_leaves(plan$measures))
  measured <- unique(lapply(lacking, function(leaf) leaf[c("column", "where")]))
  unlist(lapply(measured, function(leaf) {
    absent <- entries_without(plan, leaf)
    if (absent == 0) return(NULL)
    sprintf("%s without %s %s left out of it.", count_text(absent, "entry", "entries"),
            with_article(leaf$column), if (absent == 1) "is" else "are")
  }))
}

entries_without <- function(plan, leaf) {
  count <- function(what, column, where) list(what = what, column = column, where = where)
  if (source_column(plan_ledger(plan), leaf$column)$only_counted) {
    both <- list(count("count", NULL, leaf$where), count("present", leaf$column, leaf$where))
    held <- held_in_spans(plan, both)
    return(held[[1]] - held[[2]])
  }
  where <- both_conditions(leaf$where, list(node = "missing", column = leaf$column))
  held_in_spans(plan, list(count("count", NULL, where)))
}

# Figures of slots over all days of the statement, days of several spans counted once.
held_in_spans <- function(plan, slots) {
  x <- plan_ledger(plan)
  if (is.null(plan$anchors)) {
    days <- days_together(plan$spans)
    figures <- Map(function(from, to) source_control(x, plan$on, plan$where, slots, from, to),
                   days$from, days$to)
    return(Reduce(`+`, figures))
  }
  ask <- new_ask(plan$on, plan$by, plan$where, c(list(entry_count), slots))
  days <- lapply(anchor_classes(plan, which(!is.na(plan$anchors)) - 1L), function(class) {
    together <- days_together(class$spans)
    new_windows(rep(class$groups, each = length(together$from)),
                rep(together$from, length(class$groups)), rep(together$to, length(class$groups)))
  })
  windows <- do.call(Map, c(c, lapply(unname(days), `[`, c("group", "from", "to"))))
  vapply(slots, function(slot) sum(values_in_windows(x, ask, slot, windows)), 0)
}
