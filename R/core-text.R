# Words and numbers as people read them, and as other programs do. All text of numbers is made here,
# told by what the number is: an amount or a count (number_text), an identifier or a field of a file
# (digits_text). R's options (scipen, digits, OutDec) never reach it.

# Numbers with thousands separators and a fixed count of decimals (one for all, or one each);
# missing as an empty mark.
number_text <- function(x, decimals = 0, missing = "-") {
  if (length(unique(decimals)) > 1) return(unlist(Map(number_text, x, decimals, missing)))
  decimals <- if (length(decimals) > 0) decimals[[1]] else 0
  in_figures <- function(x) formatC(x, format = "f", digits = decimals, big.mark = ",",
                                    decimal.mark = ".")
  out <- in_figures(round(x, decimals))
  # A small negative that rounds to zero is zero.
  zero <- !is.na(x) & round(x, decimals) == 0
  out[zero] <- in_figures(0)
  out[is.na(x)] <- missing
  out
}

# Numbers in digits alone, as few as give the very number back: 100000, 12345678901234.57, never
# 1e+05. Only what is beyond 300 digits keeps its power of ten.
digits_text <- function(x) {
  if (inherits(x, "integer64")) return(core_whole_text(unclass(x)))
  x <- as.double(x)
  out <- sprintf("%.15g", x)
  for (digits in 16:17) {
    inexact <- which(is.finite(x) & suppressWarnings(as.numeric(out)) != x)
    if (length(inexact) == 0) break
    out[inexact] <- sprintf("%.*g", digits, x[inexact])
  }
  powered <- grep("e", out, fixed = TRUE)
  out[powered] <- vapply(out[powered], without_power, "", USE.NAMES = FALSE)
  out[out == "-0"] <- "0"
  out[is.na(x)] <- NA_character_
  out
}

# Rows and lines of a source are identifiers: "line 20013".
row_text <- function(rows) ifelse(is.na(rows), "-", digits_text(rows))

# "1.5e+16" as "15000000000000000".
without_power <- function(text) {
  parts <- regmatches(text, regexec("^(-?)([0-9]+)[.]?([0-9]*)e([-+][0-9]+)$", text))[[1]]
  if (length(parts) == 0) return(text)
  power <- as.integer(parts[5])
  if (abs(power) > 300) return(text)
  digits <- paste0(parts[3], parts[4])
  point <- nchar(parts[3]) + power
  if (point <= 0) return(paste0(parts[2], "0.", strrep("0", -point), digits))
  digits <- paste0(digits, strrep("0", max(0, point - nchar(digits))))
  rest <- substring(digits, point + 1)
  paste0(parts[2], substr(digits, 1, point), if (nzchar(rest)) paste0(".", rest))
}

# Small and capital letters, by Unicode's simple mappings, whatever the locale.
lower_text <- function(x) in_case(x, FALSE)
upper_text <- function(x) in_case(x, TRUE)

in_case <- function(x, upper) {
  out <- core_texts_in_case(enc2utf8(as.character(x)), upper)
  names(out) <- names(x)
  out
}

# What is worked out goes by its own text, in a name space of its own: a mark that is not seen
# stands before it, so that a column of the source that is called `price - cost` is another.
own_mark <- "\u2063"
own_name <- function(text) if (length(text) == 0) character() else paste0(own_mark, text)
calculation_name <- function(names) gsub(own_mark, "", names, fixed = TRUE)

# Names as they are meant: one of those known where it is written so; else one of ours, whose case
# and spaces fold.
names_meant <- function(names, known, ours) {
  if (!is.character(names)) return(names)
  plain <- gsub(" ", "_", lower_text(trimws(names)))
  replaced <- !names %in% known & plain %in% ours
  replace(names, replaced, plain[replaced])
}

# A name for several: "routes", "countries", "branches"; one that is for several already stays.
plural_text <- function(word) {
  # "births" are several already.
  if (grepl("([^aeious]|ie|et|le|re|ay)s$", word, ignore.case = TRUE)) return(word)
  if (grepl("[^aeiou]y$", word, ignore.case = TRUE))
    return(sub("y$", "ies", word, ignore.case = TRUE))
  paste0(word, if (grepl("(s|x|z|ch|sh)$", word, ignore.case = TRUE)) "es" else "s")
}

# "a fare", "an amount"
with_article <- function(word) {
  paste(if (grepl("^[aeiou]", word, ignore.case = TRUE)) "an" else "a", word)
}

count_text <- function(n, one, many = paste0(one, "s")) {
  paste(number_text(n), if (n == 1) one else many)
}

# "a, b and c", cut short where there are many
listed <- function(x, most = 8, last = "and") {
  x <- plain_text(x)
  if (length(x) > most) return(sprintf("%s and %s more", paste(x[seq_len(most)], collapse = ", "),
                                       number_text(length(x) - most)))
  if (length(x) < 2) return(paste(x, collapse = ""))
  paste(paste(x[-length(x)], collapse = ", "), last, x[length(x)])
}

# Members as text of their own: numbers in digits, whatever their size; a missing member stays
# missing.
plain_text <- function(x) {
  if (is.numeric(x) && !is.object(x) || inherits(x, "integer64")) return(digits_text(x))
  if (inherits(x, "Date")) iso_day(day_numbers(x)) else as.character(x)
}

# A member as shown: missing and empty ones get a name of their own.
member_text <- function(x) {
  out <- plain_text(x)
  # A member that is called like one of these marks is shown in quotes.
  marks <- which(out %in% c("(missing)", "(empty)"))
  out[marks] <- dQuote(out[marks], FALSE)
  out[is.na(x)] <- "(missing)"
  out[!is.na(x) & out == ""] <- "(empty)"
  out
}

# What kind of values something holds, for messages.
kind_text <- function(values) {
  if (is.numeric(values)) "numbers" else if (is.logical(values)) "TRUE and FALSE"
  else if (is.list(values)) "lists" else paste("values of class", class(values)[[1]])
}

# "income_running" as "Income running"
heading_text <- function(name) {
  words <- gsub("_", " ", name, fixed = TRUE)
  paste0(upper_text(substr(words, 1, 1)), substr(words, 2, nchar(words)))
}

heading_first <- function(text) paste0(upper_text(substr(text, 1, 1)), substring(text, 2))

# "Income by month" as "income-by-month", for names of files and places on pages.
dashed_words <- function(text) gsub("^-+|-+$", "", gsub("[^a-z0-9]+", "-", lower_text(text)))

shortened_text <- function(text, most = 60L) {
  if (nchar(text) > most) paste0(substr(text, 1, most - 3L), "...") else text
}

# Text without regard to case, spaces and accents, for finding what may be one thing.
plain_letters <- function(text) {
  text <- lower_text(enc2utf8(text))
  text <- chartr(accented_letters, bare_letters, text)
  gsub("[[:space:]\u00a0]+", " ", gsub("^[[:space:]\u00a0]+|[[:space:]\u00a0]+$", "", text))
}

accented_letters <- paste0(
  "\u00e0\u00e1\u00e2\u00e3\u00e4\u00e5\u00e7\u00e8\u00e9\u00ea\u00eb\u00ec\u00ed\u00ee\u00ef",
  "\u00f1\u00f2\u00f3\u00f4\u00f5\u00f6\u00f8\u00f9\u00fa\u00fb\u00fc\u00fd\u00ff\u0101\u0103",
  "\u0105\u0107\u010d\u010f\u0113\u0119\u011b\u011f\u012b\u0131\u0142\u0144\u0148\u014d\u0151",
  "\u0159\u015b\u015f\u0161\u0165\u016b\u016f\u0171\u017a\u017c\u017e")
bare_letters <- paste0("aaaaaaceeeeiiii", "noooooouuuuyyaa", "accdeeegiilnnoo", "rssstuuuzzz")

# Control characters in data are shown, never sent to a terminal, which they could command.
shown_controls <- function(lines) {
  odd <- grepl("[\001-\010\013-\037\177]|\302[\200-\237]", lines, useBytes = TRUE)
  lines[odd] <- vapply(lines[odd], escaped_controls, "", keep = c(10L, 9L), USE.NAMES = FALSE)
  lines
}

# What is printed goes out by this one way.
show_lines <- function(lines) writeLines(shown_controls(enc2utf8(lines)))

escaped_controls <- function(text, keep = integer()) {
  code <- utf8ToInt(text)
  controls <- (code < 32 | code >= 127 & code < 160) & !code %in% keep
  letters <- vapply(code, intToUtf8, "")
  paste(ifelse(controls, sprintf("\\u%04x", code), letters), collapse = "")
}

# "+1,204.50", "-3.1": the sign is always said, but of what is shown as zero.
signed_text <- function(values, decimals) {
  text <- number_text(values, decimals)
  ifelse(!is.na(values) & change_sign(values, decimals) > 0, paste0("+", text), text)
}

# Whether a change is a rise (1), a fall (-1) or nothing (0), as it is shown.
change_sign <- function(values, decimals) sign(round(values, decimals))

# A word as the shell takes it (POSIX: in single quotes all characters stand for themselves), and
# several, one after the other.
shell_words <- function(texts) paste(shell_word(texts), collapse = " ")

shell_word <- function(text) {
  plain <- grepl("^[A-Za-z0-9_./=:,+@%-]+$", text)
  ifelse(plain, text, paste0("'", gsub("'", "'\\''", text, fixed = TRUE), "'"))
}
