# What is likely to be added up of a ledger: the first line that a look proposes, and the first
# figures of a page. A worked-out column comes first, then what has a unit, then money, then counts;
# never a code, a number of something, or a price per piece where a quantity stands beside it.

# Measures by name, as texts of code, the likeliest first.
likely_measures <- function(x) {
  facts <- source_facts(x)
  dates <- vapply(facts$dates, function(date) date$column, "")
  names <- setdiff(source_column_names(x), dates)
  known <- lapply(stats::setNames(nm = names), function(name) source_column(x, name))
  amounts <- names[vapply(known, function(column) column$holds == "amounts", TRUE)]
  amounts <- amounts[!vapply(known[amounts], function(column) column$is_blank, TRUE)]
  worked <- intersect(worked_out_names(facts$given), amounts)
  coded <- is_named_like(amounts, words_of_codes)
  pieces <- is_named_like(amounts, words_of_pieces) & !coded
  priced <- is_named_like(amounts, words_of_prices) & !coded
  money <- vapply(known[amounts], function(column) column$decimals > 0 || !column$exact, TRUE)
  united <- amounts %in% names(facts$units) & !coded
  plain <- !coded & !(priced & any(pieces))
  product <- if (any(pieces) && any(priced) && length(worked) == 0) {
    sprintf("%s * %s", name_text(amounts[pieces][1]), name_text(amounts[priced][1]))
  }
  total <- function(which) {
    columns <- amounts[which]
    if (length(columns) > 0)
      stats::setNames(sprintf("total(%s)", name_text(columns)), measure_name_of(columns))
  }
  out <- c(total(amounts %in% worked), total(united & plain),
           if (!is.null(product)) c(sales = sprintf("total(%s)", product)),
           total(plain & money & !united), total(pieces & !united),
           total(plain & !money & !united & !pieces))
  out[!duplicated(out)]
}

worked_out_names <- function(given) {
  steps <- Filter(function(step) identical(step$verb, "work_out"), given$steps)
  c(names(given["columns"][[1]]),
    unlist(lapply(steps, function(step) names(step["columns"][[1]]))))
}

measure_name_of <- function(columns) {
  paste0("total_", gsub("^_+|_+$", "", gsub("[^A-Za-z0-9]+", "_", columns)))
}
