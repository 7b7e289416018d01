# Amounts of several currencies are never put together.

# Refuses measures that would add them up.
check_currencies <- function(plan, call = caller_env()) {
  x <- plan_ledger(plan)
  over <- plan$totals %in% c("by", "both")
  beside <- setdiff(source_column_names(x), if (!over) plan$by)
  leaves <- Filter(function(leaf) is_money(x, leaf), measure_leaves(plan$measures))
  if (length(leaves) == 0) return(invisible())
  for (name in beside[is_named_like(beside, words_of_currencies)]) {
    if (length(currencies_told(x, name)) < 2) next
    for (leaf in leaves) {
      met <- currencies_met(plan, x, name, leaf$where)
      if (length(met) < 2) next
      column <- calculation_name(leaf$column)
      refuse_measure(c(
        sprintf("%s(%s) would put amounts in %s together, which do not add up: `%s` tells which.",
                leaf$fun, column, listed(met, most = 4), name),
        i = sprintf("Group by it (%s%s), or keep one (%s).", code_of_by(name),
                    if (over) " without totals" else "",
                    sprintf("{where = %s == %s}", name_text(name), quoted_text(met[1]))),
        i = sprintf("If all are in one, say {units = c(%s = \"%s\")}.", column, met[1])),
        column = leaf$column, call = call)
    }
  }
}

code_of_by <- function(name) sprintf("{by = \"%s\"}", name)

# The members of a column with entries that pass a statement's conditions and a measure's own.
currencies_met <- function(plan, x, name, where) {
  ask <- new_ask(plan$on, name, both_conditions(plan$where, where), list(entry_count))
  groups <- groups_by(x, name)
  every <- all_groups(groups)
  held <- group_entries(x, ask, every, plan$first, plan$last) > 0
  members <- plain_text(groups_values(groups, every[held])[[1]])
  unique(members[!is_missing_mark(members, missing_marks)])
}
