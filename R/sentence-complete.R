# What could be typed next in a sentence: words of the language, columns, members and phrases.

# Everything that can be said by itself: list(text, says), `says` telling what it is - the entries
# of a member, the days of a phrase.
sentence_phrases <- function(names) {
  memo <- names$memo
  if (!is.null(memo$phrases)) return(memo$phrases)
  columns <- vapply(c(names$columns, names$parts), name_said, "", names = names,
                    USE.NAMES = FALSE)
  column_says <- c(unname(says_of_holds[names$holds[names$columns]]),
                   rep("calendar part", length(names$parts)))
  counted <- names$columns[names$holds %in% c("text", "levels", "ordered")]
  numbers <- vapply(counted, function(name) paste("number of", name_said(name, names, TRUE)), "",
                    USE.NAMES = FALSE)
  words <- words_to_offer(names$words)
  phrases <- span_example_phrases()
  members <- members_to_offer(names)
  memo$phrases <- list(
    text = c("entries", columns, numbers, words, phrases, members$text),
    says = c("number of entries", column_says, rep("", length(numbers) + length(words)),
             days_of_phrases(phrases, names), members$says))
  memo$phrases
}

says_of_holds <- c(text = "column", levels = "column", ordered = "column", flags = "yes or no",
                   amounts = "amount", days = "date")

# The words of patterns up to their first slot, each that is written.
words_to_offer <- function(words) {
  written <- vapply(words$patterns, function(one) {
    sub("\\{.*$", "", sub("^\\{m\\} ", "", one$written))
  }, "")
  measures <- vapply(words$measures, function(one) sub("\\{.*$", "", one$written), "")
  out <- unique(trimws(c(written, measures)))
  out[nzchar(out) & nchar(out) > 2]
}

# Members by themselves, where one column has them, with their entries.
members_to_offer <- function(names) {
  known <- members_said(names)
  own <- which(!known$key %in% known$key[duplicated(known$key)] & nzchar(known$member))
  own <- own[known$column[own] %in% columns_with_few(known$column)]
  says <- vapply(own, function(i) {
    sprintf("%s, %s", known$column[i], entries_of_member(names, known$column[i], known$member[i]))
  }, "")
  text <- vapply(own, function(i) {
    value_said(known$member[i], known$column[i], names)
  }, "")
  list(text = text, says = says)
}

# Columns whose members are not too many to be offered.
columns_with_few <- function(columns) {
  size <- table(columns)
  base::names(size)[size <= 200]
}

days_of_phrases <- function(phrases, names) {
  as_of <- names$facts$as_of
  first <- names$facts$dates[[1]]$first
  vapply(phrases, function(phrase) {
    tryCatch(example_days(phrase, names$calendar, as_of, first),
             rollingledger_error = function(e) "")
  }, "", USE.NAMES = FALSE)
}

# What completes a sentence that ends where it is typed: list(text, says, from), `from` being the
# letter from which the text stands in its place; the longest end of the sentence that begins
# something, `most` of these.
sentence_completions <- function(typed, names, most = 12L) {
  known <- sentence_phrases(names)
  low <- lower_text(typed)
  said <- lower_text(known$text)
  size <- nchar(low)
  starts <- c(1L, gregexpr("[ ,;(]", low)[[1]] + 1L)
  starts <- sort(unique(starts[starts > 0 & starts <= size + 1L]))
  for (from in utils::tail(starts, 6L)) {
    begun <- substr(low, from, size)
    members <- members_begun(substr(typed, 1, from - 1L), trimws(begun), names)
    own <- c(units_begun(begun), members)
    # Where nothing is typed yet only members of a column are near enough.
    near <- length(members) == 0 && nzchar(trimws(begun))
    hit <- if (near) which(startsWith(said, begun) & nchar(said) > nchar(begun))
    text <- c(own, known$text[hit])
    if (length(text) == 0) next
    says <- c(says_of_own(own, typed, from, names), known$says[hit])
    keep <- utils::head(which(!duplicated(text)), most)
    return(list(text = text[keep], says = says[keep], from = from))
  }
  list(text = character(), says = character(), from = size + 1L)
}

# "latest 6 mo" as "latest 6 months": units after a number.
units_begun <- function(begun) {
  if (!grepl("^(last|latest|trailing|latest finished) [0-9]+ [a-z ]*$", begun)) return(character())
  head <- sub("^(.*[0-9]+ ).*$", "\\1", begun)
  one <- grepl(" 1 $", head)
  all <- paste0(head, grains, if (!one) "s")
  all[startsWith(all, begun) & all != begun]
}

# Members of the column that was just said: "only channel w" as "web".
members_begun <- function(before, begun, names) {
  r <- new_sentence_reader(before, names)
  for (at in utils::tail(seq_len(r$n), 3L)) {
    for (column in columns_at(r, at)) {
      after <- column$to > r$n || r$text[column$to] %in% c("is", "not", ",", r$or, r$and)
      if (!after || !column$name %in% names$columns ||
          !names$holds[[column$name]] %in% c("text", "levels", "ordered")) next
      known <- members_of_column(names, column$name)
      hit <- utils::head(which(startsWith(lower_text(known$member), begun)), 12L)
      if (length(hit) > 0)
        return(vapply(known$member[hit], value_said, "", column = column$name, names = names,
                      USE.NAMES = FALSE))
    }
  }
  character()
}

# The entries of members, the days of phrases.
says_of_own <- function(own, typed, from, names) {
  vapply(own, function(text) {
    days <- days_of_phrases(text, names)
    if (nzchar(days)) return(days)
    known <- sentence_phrases(names)
    at <- match(text, known$text)
    if (is.na(at)) "" else known$says[at]
  }, "", USE.NAMES = FALSE)
}
