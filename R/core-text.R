# Words and numbers as people read them.

# Numbers with thousands separators and a fixed count of decimals (one for all, or one each); missing as an empty mark.
number_text <- function(x, decimals = 0, missing = "-") {
  if (length(unique(decimals)) > 1) return(unlist(Map(number_text, x, decimals, missing)))
  decimals <- if (length(decimals) > 0) decimals[[1]] else 0
  out <- formatC(round(x, decimals), format = "f", digits = decimals, big.mark = ",")
  # A small negative that rounds to zero is zero.
  zero <- !is.na(x) & round(x, decimals) == 0
  out[zero] <- formatC(0, format = "f", digits = decimals)
  out[is.na(x)] <- missing
  out
}

count_text <- function(n, one, many = paste0(one, "s")) {
  paste(number_text(n), if (n == 1) one else many)
}

# "a, b and c", cut short where there are many
listed <- function(x, most = 8, last = "and") {
  x <- as.character(x)
  if (length(x) > most) return(sprintf("%s and %s more", paste(x[seq_len(most)], collapse = ", "),
                                       number_text(length(x) - most)))
  if (length(x) < 2) return(paste(x, collapse = ""))
  paste(paste(x[-length(x)], collapse = ", "), last, x[length(x)])
}

# A member as shown: missing and empty ones get a name of their own.
member_text <- function(x) {
  out <- as.character(x)
  out[is.na(x)] <- "(missing)"
  out[!is.na(x) & out == ""] <- "(empty)"
  out
}

# What kind of values something holds, for messages.
kind_text <- function(values) {
  if (is.numeric(values)) "numbers" else if (is.logical(values)) "TRUE and FALSE"
  else if (is.list(values)) "lists" else paste("values of class", class(values)[[1]])
}
