# Amounts that arrive as text, and numbers that no sum can use.

# Converts the text columns named in `amounts`; list(table, unreadable, units, says).
read_amounts <- function(table, amounts, ask, call) {
  for (name in amounts) if (!name %in% names(table))
    refuse_column(name, names(table), where = "the source", call = call)
  unreadable <- aside_rows()
  units <- character()
  says <- character()
  for (name in names(table)) {
    values <- table[[name]]
    if (name %in% amounts && (is.character(values) || is.factor(values))) {
      read <- numbers_of_text(as.character(values), name, stated_writing(ask, name), ask$missing,
                              ask$of_file)
      if (!is.null(read$problem)) refuse("column", read$problem, column = name, call = call)
      if (isTRUE(read$rounded)) {
        tell(sprintf("`%s` holds numbers of more than 15 digits, which are rounded in sums.", name))
      }
      table[[name]] <- read$numbers
      says <- c(says, read$says)
      if (nzchar(read$unit %||% "")) units[[name]] <- read$unit
      unreadable <- rbind(unreadable,
                          aside_rows(read$bad, "unreadable amount", name, values[read$bad]))
    } else if (name %in% amounts && !is.numeric(values) && !all(is.na(values))) {
      refuse("column",
             sprintf("The column `%s` cannot be amounts: it holds %s.", name, kind_text(values)),
             call = call)
    } else if (is.double(values) && !is.object(values) && core_any_infinite(values)) {
      # An infinite amount would make every sum it touches infinite.
      at <- which(is.infinite(values))
      unreadable <- rbind(unreadable, aside_rows(at, aside_reasons$amount, name, values[at]))
    }
  }
  list(table = table, unreadable = unreadable, units = units, says = says)
}

# What text columns of files hold is decided over the rows that are used: those without a day are in
# no figure, and nothing in them makes a column text.
decided_over_used <- function(table, days, on, given) {
  used <- !is.na(days)
  if (all(used) || !any(used)) return(NULL)
  text <- setdiff(names(Filter(is.character, table)),
                  c(on, given$until, given$codes, given$amounts, "file", "source_file"))
  if (length(text) == 0) return(NULL)
  of_file <- given$of_file
  if (!is.null(of_file)) of_file$at <- of_file$at[used]
  ask <- list(number_format = stated_writings(given$number_format, NULL), missing = given$missing,
              of_file = of_file)
  decided <- decide_columns(lapply(table[text], function(values) values[used]), ask, NULL)
  for (name in text) {
    values <- decided$table[[name]]
    if (is.character(values) || all(is.na(values))) next
    whole <- values[rep(NA_integer_, length(used))]
    whole[used] <- values
    table[[name]] <- whole
  }
  list(table = table, says = decided$says, units = decided$units)
}
