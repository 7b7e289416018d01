# A ledger as it is printed: entries, days, attributes, amounts, and how it was read.

#' @export
format.ledger <- function(x, ...) {
  basis <- vapply(names(x$bases), function(name) {
    b <- x$bases[[name]]
    apart <- sum(x$aside$kept_out_of == name)
    missed <- if (apart > 0) sprintf("; %s without", count_text(apart, "entry", "entries")) else ""
    if (!is.finite(b$first)) return(sprintf("no days (%s)%s", b$column, missed))
    sprintf("%s (%s)%s", days_text(b$first, b$last), b$column, missed)
  }, "")
  kinds <- vapply(x$columns[setdiff(names(x$columns), x$hidden)], function(c) c$kind, "")
  attributes <- names(kinds)[startsWith(kinds, "code")]
  members <- vapply(x$columns[attributes], function(c) length(c$members), 0L)
  amounts <- names(kinds)[kinds %in% c("exact32", "exact64", "real")]
  lines <- c(
    entries = entries_text(list(counts = entry_counts(x), kept = x$kept)),
    basis,
    "as of" = day_with_weekday(x$as_of),
    until = x$until,
    where = if (!is.null(x$kept))
      sprintf("%s: %s of %s kept", attr(x$kept$where, "text"), number_text(x$used),
              number_text(x$kept$of)),
    attributes = listed(sprintf("%s (%s)", attributes, number_text(members)), most = 12),
    amounts = listed(amounts_with_units(amounts, x$units), most = 12),
    dates = listed(names(kinds)[kinds == "day"]),
    "left out" = listed(x$left_out),
    read = paste(x$says, collapse = "; ")
  )
  ledger_lines(x$source, lines, x$calendar)
}

day_with_weekday <- function(day) {
  sprintf("%s, a %s", day_text(day), weekday_names[core_dates_of(day)[4]])
}

amounts_with_units <- function(amounts, units) {
  paste0(amounts, ifelse(amounts %in% names(units), sprintf(" (%s)", units[amounts]), ""))
}

# Lines under their heading, those of the calendar last.
ledger_lines <- function(label, lines, calendar) {
  lines <- lines[nzchar(lines)]
  calendar <- trimws(format(calendar)[-1])
  calendar <- sub("^(fiscal year|weeks|working days) +", "\\1: ", calendar)
  lines <- c(lines, calendar = calendar[1], calendar[-1])
  c(paste("Ledger of", label),
    sprintf("  %-*s  %s", max(nchar(names(lines))), names(lines), lines))
}

#' @export
print.ledger <- function(x, ...) {
  show_lines(format(x))
  invisible(x)
}
