# A ledger as it was known at the end of a day: without the entries that were entered later.

# The date basis that says when entries were entered.
entered_basis <- "entered"

ledger_known <- function(x, day, call = caller_env()) {
  column <- entered_column(x, call)
  text <- sprintf("%s <= %s", name_text(column), value_text(iso_day(day)))
  kept_in(ledger_cache(x), list("known", day), function() {
    keep_entries_where(x, rlang::quo(!!text), call)
  }, function(kept) 1e6)
}

# The column of that basis.
entered_column <- function(x, call = caller_env()) {
  dates <- source_facts(x)$dates
  if (!entered_basis %in% names(dates)) {
    refuse("date", c(
      "What was known on a day needs a date basis called `entered`: when each entry was entered.",
      i = paste("Name its column so: {on = c(sailed = \"sailed_on\", entered = \"booked_on\")}",
                "(on the command line --on entered=booked_on).")), call = call)
  }
  dates[[entered_basis]]$column
}
