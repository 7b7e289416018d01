# The words of the language as they are written: patterns filled, lists, yes and no.

# The first pattern that says just these values, with them in its slots; NULL where there is none.
words_filled <- function(w, section, verb, values = character()) {
  for (pattern in w$words$patterns) {
    if (pattern$section != section || pattern$verb != verb || length(pattern$fixed) > 0 ||
        !setequal(pattern$slots, names(values))) next
    text <- pattern$written
    for (slot in names(values)) text <- slot_filled(text, slot, values[[slot]])
    return(text)
  }
}

slot_filled <- function(text, slot, said) {
  hole <- regmatches(text, regexpr(sprintf("\\{%s[^}]*\\}", slot), text))
  sub(hole, said, text, fixed = TRUE)
}

# "a, b and c", the last two joined by the word of the language.
joined_said <- function(said, w, last = "and") {
  listed(said, most = Inf, last = small_words(w$words, last)[1])
}

flags_said <- function(values, words) {
  ifelse(values, small_words(words, "yes")[1], small_words(words, "no")[1])
}

# For words that stand by themselves, beside no ledger: names are told as they are.
words_alone <- function() {
  words <- sentence_words()
  list(names = list(words = words, style = "alone"), style = "alone", words = words,
       measures = list())
}
