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

is_money <- function(x, leaf) {
  if (!leaf$fun %in% money_functions) return(FALSE)
  if (leaf$column %in% names(source_facts(x)$units)) return(FALSE)
  column <- source_column(x, leaf$column)
  if (column$holds != "amounts" || is_named_like(leaf$column, c(words_of_codes, words_of_pieces)))
    return(FALSE)
  is_named_like(leaf$column, words_of_money) || !column$exact || column$decimals > 0
}
