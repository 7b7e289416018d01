# A sentence matched with patterns. A reader is an environment: the words of the sentence (`token`,
# as of sentence_tokens()), `n` of them, `names` (sentence_names()), and how far it came: `far`, the
# word at which nothing more fitted, and `expected`, what could stand there.
#
# What is read at a word is a list of readings, list(value, to) each, `to` being the word after it.

new_sentence_reader <- function(sentence, names) {
  r <- new.env(parent = emptyenv())
  r$sentence <- sentence
  r$token <- sentence_tokens(sentence)
  r$n <- length(r$token$text)
  # Past the last word there is nothing, so that looking ahead needs no care.
  r$text <- c(r$token$text, rep("", ahead_words))
  r$kinds <- c(r$token$kind, rep("end", ahead_words))
  r$names <- names
  r$words <- names$words
  r$article <- small_words(r$words, "article")
  r$and <- small_words(r$words, "and")
  r$or <- small_words(r$words, "or")
  r$far <- 1L
  r$expected <- character()
  r$past <- seq_along(r$text) + r$text %in% r$article
  r$memo <- list()
  r$columns_read <- list()
  r$measures_read <- list()
  r$named <- names_given(r)
  r
}

# Names that the sentence gives to measures: "fare as income".
names_given <- function(r) {
  as <- small_words(r$words, "as")
  at <- which(r$token$text %in% as)
  at <- at[at < r$n]
  r$token$value[at + 1L][r$token$kind[at + 1L] %in% c("word", "quoted")]
}

# Something else could have stood at a word: list(says) each.
could_stand <- function(r, at, what) {
  if (at < r$far) return(NULL)
  if (at > r$far) {
    r$far <- at
    r$expected <- character()
  }
  r$expected <- c(r$expected, what)
  NULL
}

# A problem is thrown as a condition and caught where the sentence is read.
sentence_problem <- function(message, hint = NULL, from = NULL, to = from, expected = NULL) {
  stop(structure(class = c("sentence_problem", "condition"),
                 list(message = message, call = NULL, hint = hint, from = from, to = to,
                      expected = expected)))
}

# What an error says first.
first_line <- function(e) strsplit(conditionMessage(e), "\n", fixed = TRUE)[[1]][1]

# What has two readings is asked, with both.
ask_which <- function(r, from, to, readings) {
  sentence_problem(sprintf("\"%s\" has %s.", words_between(r, from, to),
                           if (length(readings) == 2) "two meanings" else "several meanings"),
                   hint = readings, from = from, to = to)
}

# The sentence from one word to before another.
words_between <- function(r, from, to) {
  if (from > r$n || to <= from) return("")
  substr(r$sentence, r$token$start[from], r$token$end[min(to, r$n + 1L) - 1L])
}

# The word in small letters, "" for what is in quotes or code, and past the end.
word_of <- function(r, at) r$text[at]

word_kind <- function(r, at) r$kinds[at]

# The word after an article that stands there.
past_article <- function(r, at) r$past[at]

ahead_words <- 12L

one_reading <- function(value, to) list(list(value = value, to = to))

# All ways in which a pattern fits from a word on: list(value = named list, to) each.
match_pattern <- function(r, pattern, at) match_parts(r, pattern, 1L, at, list())

match_parts <- function(r, pattern, i, at, values) {
  if (i > length(pattern$parts)) return(one_reading(values, at))
  part <- pattern$parts[[i]]
  if (!is.null(part$word)) {
    here <- word_ahead(r, at, part$word, i > 1L)
    if (here > 0L) return(match_parts(r, pattern, i + 1L, here + 1L, values))
    if (i > 1) could_stand(r, at, sprintf("\"%s\"", pattern_rest(pattern, i)))
    return(list())
  }
  found <- slot_readings(r, pattern, part, at)
  out <- list()
  for (one in found) {
    # A slot that stands twice has both.
    own <- values
    own[[part$slot]] <- if (is.null(values[[part$slot]])) one$value
                        else c(values[[part$slot]], one$value)
    out <- c(out, match_parts(r, pattern, i + 1L, one$to, own))
  }
  out
}

# Where a word stands: here, or past an article, or past a comma where a pattern goes on; else 0.
word_ahead <- function(r, at, word, inside) {
  if (r$text[at] == word) return(at)
  here <- r$past[at]
  if (inside && r$text[here] == ",") here <- r$past[here + 1L]
  if (here != at && r$text[here] == word) here else 0L
}

# The words of a pattern from one of its parts up to the next slot.
pattern_rest <- function(pattern, i) {
  rest <- pattern$parts[i:length(pattern$parts)]
  is_word <- vapply(rest, function(part) !is.null(part$word), TRUE)
  paste(vapply(rest[seq_len(match(FALSE, is_word, length(rest) + 1L) - 1L)], `[[`, "", "word"),
        collapse = " ")
}

# What can stand for a slot at a word, remembered.
slot_readings <- function(r, pattern, part, at) {
  kind <- part$kind
  own <- kind
  choices <- part$choices
  if (!is.null(choices)) own <- paste(kind, pattern$verb, part$slot)
  before <- r$memo[[own]]
  if (!is.null(before) && length(before) >= at && !is.null(before[[at]])) return(before[[at]])
  found <- read_slot(r, kind, at, choices)
  if (length(found) == 0 && past_article(r, at) > at)
    found <- read_slot(r, kind, at + 1L, choices)
  if (is.null(r$memo[[own]])) r$memo[[own]] <- list()
  r$memo[[own]][[at]] <- found
  found
}

# The kind of a slot is that of the field that it is called after.
slot_kind <- function(pattern, slot) {
  if (slot %in% names(slot_kinds)) return(slot_kinds[[slot]])
  fields <- fields_of(pattern$verb)
  if (slot == "draw") return("columns")
  kind <- fields[[slot]]$kind
  if (identical(kind, "measure")) return("m")
  if (pattern$verb == "statement" && slot == "on") return("basis")
  if (slot == "across") return("across")
  if (slot == "over") return("lengths")
  kind %||% "text"
}

slot_kinds <- c(condition = "condition", comparison = "comparison", measure = "measure",
                amount = "amount", members = "attribute", each = "attribute", value = "value",
                span = "phrase", per = "grain")

slot_choices <- function(pattern, slot) {
  choices <- fields_of(pattern$verb)[[slot]]$choices
  if (is.function(choices)) c("period", "span") else choices
}

read_slot <- function(r, kind, at, choices) {
  if (at > r$n) {
    could_stand(r, at, slot_says[[kind]] %||% kind)
    return(list())
  }
  out <- switch(kind,
    grain = read_grain_word(r, at),
    attribute = read_column_name(r, at),
    attributes = read_column_list(r, at),
    amount = read_amount(r, at),
    measure = read_measure_words(r, at),
    m = read_measure_named(r, at),
    column = read_figure_or_attribute(r, at),
    columns = read_figure_names(r, at),
    basis = read_basis(r, at),
    phrase = read_phrase_words(r, at),
    back = read_units_back(r, at),
    phrases = read_phrases(r, at),
    lengths = read_lengths(r, at),
    day = read_day_words(r, at),
    number = read_number_words(r, at),
    table = read_number_or_table(r, at),
    text = read_text_words(r, at),
    across = c(read_choice_words(r, at, c("period", "span")), read_column_name(r, at)),
    choice = , choices = c(read_choice_words(r, at, choices),
                           if (any(c("period", "span") %in% choices)) read_column_name(r, at)),
    condition = read_conditions(r, at),
    comparison = read_comparison_words(r, at),
    stop("no reader of ", kind))
  if (length(out) == 0) could_stand(r, at, slot_says[[kind]] %||% kind)
  out
}

slot_says <- list(grain = "a grain such as month", attribute = "a column",
                  attributes = "columns to group by", amount = "a column of amounts",
                  measure = "a measure such as fare or number of accounts",
                  m = "one of the measures", column = "a column of figures",
                  columns = "columns of figures", basis = "a date basis",
                  phrase = "days such as last 12 months", back = "so many units back",
                  phrases = "several spans", lengths = "a length such as 30 days",
                  day = "a day such as 2026-08-31", number = "a number", table = "a number",
                  text = "a text in quotes", across = "period, span or a column",
                  condition = "a condition such as channel web",
                  comparison = "a comparison such as fare above 100")
