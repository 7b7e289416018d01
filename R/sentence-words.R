# The words of sentences, from a file of plain text (inst/sentence/english.txt), as patterns that
# reading and writing share. A pattern is list(section, verb, fixed, slots, parts, written):
#
#   verb     a verb, or a part of a question; `fixed` are arguments that the words themselves say
#   parts    list(word) or list(slot, kind) each, in order, without articles
#   written  the words with their articles and slots, for writing

sentence_words_file <- function(language = "english") {
  system.file("sentence", paste0(language, ".txt"), package = "rollingledger")
}

# Kept once it is read.
words_read <- new.env(parent = emptyenv())

sentence_words <- function(language = "english") {
  if (is.null(words_read[[language]])) {
    words_read[[language]] <- read_sentence_words(sentence_words_file(language))
  }
  words_read[[language]]
}

# list(section = list(name = alternatives)); of sections of patterns the patterns, in their order.
read_sentence_words <- function(file) {
  lines <- trimws(readLines(file, encoding = "UTF-8", warn = FALSE))
  lines <- lines[nzchar(lines) & !startsWith(lines, "#")]
  heads <- startsWith(lines, "[") & endsWith(lines, "]") & !grepl("=", lines, fixed = TRUE)
  section <- gsub("^\\[|\\]$", "", lines[heads])[cumsum(heads)]
  at <- which(!heads)
  # A name may itself hold a sign or an equals sign, as in ">= = at least".
  name <- sub("^(\\S+(?: [a-z_]+=\\S+)*) = .*$", "\\1", lines[at], perl = TRUE)
  said <- substring(lines[at], nchar(name) + 4L)
  alternatives <- strsplit(said, " | ", fixed = TRUE)
  out <- split(stats::setNames(alternatives, name), factor(section[at], unique(section[at])))
  article <- out[["small words"]]$article
  for (one in intersect(pattern_sections, names(out))) {
    out[[one]] <- unlist(Map(function(key, words) patterns_of(one, key, words, article),
                             names(out[[one]]), out[[one]]), recursive = FALSE, use.names = FALSE)
  }
  out$patterns <- unlist(out[question_sections], recursive = FALSE, use.names = FALSE)
  # Signs of comparisons as rows of words, and the words that they begin with.
  out$compare$between <- sub(" \\{.*$", "", out$compare$between)
  out$compare_first <- unique(sub(" .*$", "", unlist(out$compare)))
  out$operators <- unlist(strsplit(unlist(out[["between measures"]]), " ", fixed = TRUE))
  literal <- unlist(lapply(c(out$patterns, out$measures), function(pattern) {
    lapply(pattern$parts, function(part) part$word)
  }))
  # Words that begin or join clauses, which names in plain words would be taken for.
  out$reserved <- unique(c(unlist(out[["small words"]]), literal, known_words,
                           unlist(strsplit(unlist(out$compare), " ", fixed = TRUE))))
  opening <- vapply(out$patterns, function(one) one$parts[[1]]$word %||% "", "")
  out$opening <- unique(opening[nzchar(opening)])
  # Patterns by the word that they begin with; those that begin with a slot.
  out$by_opening <- list2env(split(out$patterns[nzchar(opening)], opening[nzchar(opening)]))
  out$slot_first <- by_first_slot(out$patterns[!nzchar(opening)])
  out$measures_by_opening <- list2env(split(out$measures, vapply(out$measures, function(one) {
    one$parts[[1]]$word
  }, "")))
  out
}

# Sections of which each line is a pattern; those of a question's own parts.
question_sections <- c("condition", "statement", "days", "steps", "looks", "questions")
pattern_sections <- c("measures", question_sections)

# The patterns of one line: one for each of its alternatives, with and without what may be left out.
patterns_of <- function(section, key, words, article) {
  key <- strsplit(key, " ", fixed = TRUE)[[1]]
  # Parts of a statement are called by their field alone.
  own <- section == "statement"
  verb <- if (own) "statement" else key[1]
  pairs <- strsplit(if (own) key else key[-1], "=", fixed = TRUE)
  fixed <- lapply(Filter(function(pair) length(pair) == 2, pairs), function(pair) pair[2])
  names(fixed) <- vapply(Filter(function(pair) length(pair) == 2, pairs), `[`, "", 1)
  out <- lapply(words, function(one) {
    lapply(with_and_without(one), function(said) {
      parts <- pattern_parts(said, article)
      slots <- Filter(Negate(is.null), lapply(parts, function(part) part$slot))
      with_slot_kinds(list(section = section, verb = verb, fixed = fixed, slots = unlist(slots),
                           parts = parts, written = said))
    })
  })
  unlist(out, recursive = FALSE)
}

# "[a] b" as "a b" and "b".
with_and_without <- function(said) {
  if (!grepl("[", said, fixed = TRUE)) return(trimws(gsub(" +", " ", said)))
  c(with_and_without(sub("\\[([^]]*)\\]", "\\1", said)),
    with_and_without(sub("\\[[^]]*\\]", "", said)))
}

# "so far since the {since}" as its parts.
pattern_parts <- function(said, article) {
  found <- regmatches(said, gregexpr("\\{[^}]*\\}|[\\p{L}\\p{N}_]+|[^\\s{}]", said,
                                     perl = TRUE))[[1]]
  parts <- lapply(found, function(piece) {
    if (!startsWith(piece, "{")) return(list(word = lower_text(piece)))
    slot <- strsplit(gsub("[{}]", "", piece), ":", fixed = TRUE)[[1]]
    list(slot = slot[1], kind = slot[2])
  })
  Filter(function(part) is.null(part$word) || !part$word %in% c(article, ","), parts)
}

# Patterns that begin with a slot, those of one kind together: list(patterns, after) each, `after`
# being the words that must follow, "" where none must.
by_first_slot <- function(patterns) {
  key <- vapply(patterns, function(one) {
    part <- one$parts[[1]]
    paste(part$kind, if (!is.null(part$choices)) one$verb)
  }, "")
  lapply(unname(split(patterns, factor(key, unique(key)))), function(own) {
    list(patterns = own, after = vapply(own, function(one) {
      if (length(one$parts) > 1) one$parts[[2]]$word %||% "" else ""
    }, ""))
  })
}

# The kinds of the slots, which are those of the fields that they are called after.
with_slot_kinds <- function(pattern) {
  pattern$parts <- lapply(pattern$parts, function(part) {
    if (is.null(part$slot)) return(part)
    if (is.null(part$kind) || is.na(part$kind)) part$kind <- slot_kind(pattern, part$slot)
    if (part$kind %in% c("choice", "choices"))
      part$choices <- slot_choices(pattern, part$slot)
    part
  })
  pattern
}

# The words of a small thing, such as "and".
small_words <- function(words, name) words[["small words"]][[name]]

# ---- a sentence cut into words ------------------------------------------------------

# Columns, one row a word: `text` in small letters, `kind` ("word", "number", "mark", "quoted",
# "code"), `value` (what stands in quotes or as code), `start` and `end` in letters. What stands in
# square brackets is a remark, and not read.
sentence_tokens <- function(sentence) {
  at <- gregexpr(token_pattern, sentence, perl = TRUE)[[1]]
  if (at[1] == -1) {
    return(list(text = character(), kind = character(), value = character(), start = integer(),
                end = integer()))
  }
  start <- as.integer(at)
  end <- start + attr(at, "match.length") - 1L
  raw <- substring(sentence, start, end)
  first <- substr(raw, 1, 1)
  size <- nchar(raw)
  quoted <- first %in% c("\"", "\u201c") & size > 1
  code <- first == "`" & size > 1
  kind <- ifelse(quoted, "quoted", ifelse(code, "code", ifelse(
    grepl("^[0-9]", raw), "number", ifelse(grepl("^[\\p{L}\\p{N}_]", raw, perl = TRUE), "word",
                                           "mark"))))
  value <- raw
  value[quoted] <- gsub("\"\"", "\"", substr(raw[quoted], 2, size[quoted] - 1L), fixed = TRUE)
  value[code] <- trimws(gsub("^`+|`+$", "", raw[code]))
  text <- lower_text(raw)
  text[quoted | code] <- ""
  remark <- first == "[" & size > 1
  keep <- !remark
  # A full stop ends the sentence.
  last <- which(keep)
  if (length(last) > 0 && raw[max(last)] == ".") keep[max(last)] <- FALSE
  list(text = text[keep], kind = kind[keep], value = value[keep], start = start[keep],
       end = end[keep])
}

# Text in quotes, in which a quote is written twice; code between backticks, as many at its end as
# at its beginning; a remark; a word or number; or one sign.
token_pattern <- paste0("\"(?:[^\"]|\"\")*\"|\u201c[^\u201d]*\u201d|",
                        "(?s:(`+)(?!`).+?(?<!`)\\1(?!`))|\\[[^\\]\\[]*\\]|",
                        "[\\p{L}\\p{N}_]+|\\S")

longest_sentence <- 4000L
