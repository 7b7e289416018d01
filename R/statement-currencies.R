# Amounts of several currencies are never put together.

# Refuses measures that would add them up.
check_currencies <- function(plan, call = caller_env()) {
  over <- plan$totals %in% c("by", "both")
  met <- currencies_together(plan, if (!over) plan$by)
  if (is.null(met)) return(invisible())
  refuse_currencies(met, c(
    i = sprintf("Group by it (%s%s), or keep one (%s).", code_of_by(met$name),
                if (over) " without totals" else "",
                sprintf("{where = %s == %s}", name_text(met$name), quoted_text(met$of[1]))),
    i = sprintf("If all are in one, say {units = c(%s = \"%s\")}.",
                calculation_name(met$leaf$column), met$of[1])), call)
}

# The same for what a verb adds up of a measure over all attributes but those that stay `apart`.
check_currencies_apart <- function(plan, m, apart, remedy, call = caller_env()) {
  met <- currencies_together(plan, apart, plan$measures[m])
  if (!is.null(met)) refuse_currencies(met, c(i = remedy(met$name)), call)
}

# The first measure that puts amounts of several currencies together where only those of some
# attributes stay apart: list(leaf, name, of), with the column that tells currencies; or NULL.
currencies_together <- function(plan, apart, measures = plan$measures) {
  x <- plan_ledger(plan)
  beside <- setdiff(source_column_names(x), apart)
  beside <- beside[is_named_like(beside, words_of_currencies)]
  leaves <- Filter(function(leaf) is_money(x, leaf), measure_leaves(measures))
  for (name in if (length(leaves) > 0) beside) {
    if (length(currencies_told(x, name)) < 2) next
    for (leaf in leaves) {
      met <- currencies_met(plan, x, name, leaf$where)
      if (length(met) > 1) return(list(leaf = leaf, name = name, of = met))
    }
  }
}

refuse_currencies <- function(met, remedies, call) {
  refuse_measure(c(
    sprintf("%s(%s) would put amounts in %s together, which do not add up: `%s` tells which.",
            met$leaf$fun, calculation_name(met$leaf$column), listed(met$of, most = 4), met$name),
    remedies), column = met$leaf$column, call = call)
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
