# Amounts of several currencies do not add up. Which is which stands in a column beside them.

money_functions <- c("total", "average", "balance", "smallest", "largest", "middle")

# The currencies that a column of such a name tells, as codes and signs; NULL where it holds
# anything else.
currencies_told <- function(x, name) {
  if (!is_named_like(name, words_of_currencies)) return(NULL)
  if (!source_column(x, name)$holds %in% c("text", "levels")) return(NULL)
  text <- source_members(x, name)$text
  text <- enc2utf8(text[!is_missing_mark(text, missing_marks)])
  if (length(text) == 0 || length(text) > 200) return(NULL)
  units <- vapply(text, function(one) core_survey_numbers(paste(trimws(one), "1"), TRUE)$unit, "")
  if (all(nzchar(units))) unique(unname(units))
}

# Refuses measures that would add up amounts of several currencies.
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

is_money <- function(x, leaf) {
  if (!leaf$fun %in% money_functions) return(FALSE)
  if (leaf$column %in% names(source_facts(x)$units)) return(FALSE)
  known <- source_column(x, leaf$column)
  if (known$holds != "amounts" || is_named_like(leaf$column, c(words_of_codes, words_of_pieces)))
    return(FALSE)
  is_named_like(leaf$column, words_of_money) || !known$exact || known$decimals > 0
}

# The members of a column with entries that pass a statement's conditions and a measure's own.
currencies_met <- function(plan, x, name, where) {
  ask <- new_ask(plan$on, name, both_conditions(plan$where, where), list(entry_count))
  groups <- groups_by(x, name)
  every <- all_groups(groups)
  held <- group_entries(x, ask, every, plan$first, plan$last) > 0
  members <- plain_text(groups_values(groups, every[held])[[1]])
  unique(members[!is_missing_mark(members, missing_marks)])
}
