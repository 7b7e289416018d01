# Amounts that arrive as text, and numbers that no sum can use.

# Converts the text columns named in `amounts`; list(table, unreadable).
read_amounts <- function(table, amounts, call) {
  for (name in amounts) if (!name %in% names(table))
    refuse_column(name, names(table), where = "the source", call = call)
  unreadable <- aside_rows()
  for (name in names(table)) {
    values <- table[[name]]
    if (name %in% amounts && (is.character(values) || is.factor(values))) {
      read <- numbers_of_text(as.character(values))
      table[[name]] <- read$numbers
      unreadable <- rbind(unreadable,
                          aside_rows(read$bad, "unreadable amount", name, values[read$bad]))
    } else if (name %in% amounts && !is.numeric(values)) {
      refuse("column",
             sprintf("The column `%s` cannot be amounts: it holds %s.", name, kind_text(values)),
             call = call)
    } else if (is.double(values) && !is.object(values) && core_any_infinite(values)) {
      # An infinite amount would make every sum it touches infinite.
      at <- which(is.infinite(values))
      unreadable <- rbind(unreadable, aside_rows(at, "unreadable amount", name, values[at]))
    }
  }
  list(table = table, unreadable = unreadable)
}

# list(numbers, bad): each distinct text is read once; `bad` are positions of what is no number.
numbers_of_text <- function(values) {
  encoded <- core_encode_text(values, core_threads())
  text <- trimws(encoded$members)
  text[!is.na(text) & text %in% c("", "NA")] <- NA
  good <- is_plain_number(text)
  numbers <- rep(NA_real_, length(text))
  numbers[good] <- as.numeric(text[good])
  odd <- !good & !is.na(text)
  list(numbers = numbers[encoded$codes + 1L],
       bad = if (any(odd)) which(odd[encoded$codes + 1L]) else integer())
}

# Text columns of a file that hold amounts with a few unreadable values among them. A code with
# a leading zero, or too long for a number to hold, makes the whole column codes.
amounts_in_text <- function(table) {
  found <- vapply(table, function(values) {
    if (!is.character(values) ||
        !mostly_numbers(values[seq.int(1, length(values), length.out = min(2000, length(values)))],
                        0.8)) return(FALSE)
    members <- unique(values)
    if (any(grepl("^\\s*[-+]?0[0-9]", members)) || any(grepl("[0-9]{16}", members))) return(FALSE)
    mostly_numbers(values, 0.95)
  }, TRUE)
  names(table)[found]
}

mostly_numbers <- function(values, share) {
  filled <- trimws(values[!is.na(values) & !values %in% c("", "NA")])
  members <- unique(filled)
  number <- is_plain_number(members)
  any(number) && sum(number[match(filled, members)]) >= share * length(filled)
}
