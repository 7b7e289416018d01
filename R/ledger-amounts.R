# Amounts that arrive as text, and numbers that no sum can use.

plain_number <- "^[-+]?([0-9]+([.][0-9]*)?|[.][0-9]+)([eE][-+]?[0-9]+)?$"

# Converts the text columns named in `amounts`; list(table, unreadable).
read_amounts <- function(table, amounts, call) {
  for (name in amounts) if (!name %in% names(table)) refuse_column(name, names(table), where = "the source", call = call)
  unreadable <- aside_rows()
  for (name in names(table)) {
    values <- table[[name]]
    if (name %in% amounts && (is.character(values) || is.factor(values))) {
      text <- trimws(as.character(values))
      text[!is.na(text) & text %in% c("", "NA")] <- NA
      good <- is.na(text) | is_plain_number(text)
      numbers <- rep(NA_real_, length(text))
      numbers[good] <- as.numeric(text[good])
      table[[name]] <- numbers
      unreadable <- rbind(unreadable, aside_rows(which(!good), "unreadable amount", name, text[!good]))
    } else if (name %in% amounts && !is.numeric(values)) {
      refuse("column", sprintf("The column `%s` cannot be amounts: it holds %s.", name, kind_text(values)), call = call)
    } else if (is.double(values) && !is.object(values) && any(is.infinite(range(values, 0, na.rm = TRUE)))) {
      # An infinite amount would make every sum it touches infinite.
      at <- which(is.infinite(values))
      unreadable <- rbind(unreadable, aside_rows(at, "unreadable amount", name, values[at]))
    }
  }
  list(table = table, unreadable = unreadable)
}

is_plain_number <- function(text) grepl(plain_number, text) & is.finite(suppressWarnings(as.numeric(text)))

# Text columns of a file that hold amounts with a few unreadable values among them. A code with
# a leading zero, or too long for a number to hold, makes the whole column codes.
amounts_in_text <- function(table) {
  found <- vapply(names(table), function(name) {
    values <- table[[name]]
    if (!is.character(values)) return(FALSE)
    members <- core_encode_text(values, core_threads())
    text <- trimws(members$members)
    filled <- !is.na(text) & !text %in% c("", "NA")
    if (any(grepl("^[-+]?0[0-9]", text[filled])) || any(grepl("[0-9]{16}", text[filled]))) return(FALSE)
    number <- filled & is_plain_number(text)
    if (!any(number)) return(FALSE)
    uses <- tabulate(members$codes + 1L, length(text))
    sum(uses[number]) >= 0.95 * sum(uses[filled])
  }, TRUE)
  names(table)[found]
}
