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
  starts <- sort(unique(starts[starts > 0 & starts <= size]))
  for (from in utils::tail(starts, 6L)) {
    begun <- substr(low, from, size)
    if (!nzchar(trimws(begun))) next
    hit <- which(startsWith(said, begun) & nchar(said) > nchar(begun))
    if (length(hit) == 0) next
    hit <- utils::head(hit, most)
    return(list(text = known$text[hit], says = known$says[hit], from = from))
  }
  list(text = character(), says = character(), from = size + 1L)
}
