# A sentence read: clause by clause, in any order, to list(tree) or list(problem). A tree is a list
# of what was said:
#
#   measures   list(expr, name) each;  statement   fields of statement(), by name
#   spans      list(span, second), phrases of the days and of those that they are held against
#   steps, looks, questions   list(verb, args, named) each, in order; `where` conditions
#   notes      what was left to a default, in words

# Nothing is thrown beyond this but what is no fault of the sentence.
read_sentence <- function(sentence, names) {
  if (!rlang::is_string(sentence) || is.na(sentence) || !validUTF8(enc2utf8(sentence)))
    return(list(problem = list(message = "The sentence is not readable text.")))
  if (nchar(sentence) > longest_sentence)
    return(list(problem = list(message = sprintf("The sentence has more than %s letters.",
                                                 number_text(longest_sentence)))))
  r <- new_sentence_reader(enc2utf8(sentence), names)
  tryCatch(list(tree = read_clauses(r)), sentence_problem = function(problem) {
    list(problem = placed_problem(r, problem))
  })
}

placed_problem <- function(r, problem) {
  out <- unclass(problem)[c("message", "hint", "expected")]
  if (!is.null(out$expected)) out$expected <- in_own_words(out$expected, r$names)
  if (!is.null(problem$from)) {
    to <- max(problem$from, problem$to - 1L)
    out$from <- if (problem$from > r$n) nchar(r$sentence) + 1L else r$token$start[problem$from]
    out$to <- if (to > r$n) max(out$from, nchar(r$sentence)) else r$token$end[to]
    out$word <- if (problem$from > r$n) "" else words_between(r, problem$from, problem$from + 1L)
  }
  out
}

read_clauses <- function(r) {
  if (r$n == 0) refuse_empty_sentence()
  if (r$n > most_sentence_words) sentence_problem(sprintf("The sentence has more than %d words.",
                                                 most_sentence_words))
  clauses <- list()
  at <- 1L
  # Between two clauses stands a comma, a semicolon, "and", or nothing.
  repeat {
    while (word_of(r, at) %in% c(",", ";", r$and)) at <- at + 1L
    if (at > r$n) {
      if (word_of(r, r$n) %in% r$and) stop_reading(r, at)
      if (length(clauses) == 0) refuse_empty_sentence()
      break
    }
    one <- read_clause(r, at)
    if (is.null(one)) stop_reading(r, at)
    clauses <- c(clauses, list(one))
    at <- one$to
  }
  clauses
}

most_sentence_words <- 400L

refuse_empty_sentence <- function() {
  sentence_problem("The sentence is empty.", from = 1L, expected = slot_says$measure)
}

# The longest clause that stands at a word; of several as long, which is asked.
read_clause <- function(r, at) {
  found <- list()
  for (pattern in patterns_ahead(r, at)) {
    for (one in match_pattern(r, pattern, at)) {
      found <- c(found, list(new_clause(r, pattern, one, at)))
    }
  }
  found <- c(found, read_measure_clauses(r, at))
  if (length(found) == 0) return(NULL)
  to <- vapply(found, `[[`, 1, "to")
  found <- found[to == max(to)]
  found <- found[!duplicated(lapply(found, function(one) one[c("verb", "args")]))]
  if (length(found) > 1) {
    ask_which(r, at, max(to), sprintf("Say `%s`.", unique(vapply(found, function(one) {
      explicit_clause(one, r)
    }, ""))))
  }
  found[[1]]
}

# The patterns that may begin at a word: by their first word, or where that is a slot, by the word
# after what stands for it.
patterns_ahead <- function(r, at) {
  opening <- unique(c(r$text[at], r$text[r$past[at]]))
  found <- unlist(lapply(opening[nzchar(opening)], function(word) r$words$by_opening[[word]]),
                  recursive = FALSE)
  for (group in r$words$slot_first) {
    first <- slot_readings(r, group$patterns[[1]], group$patterns[[1]]$parts[[1]], at)
    if (length(first) == 0) next
    to <- vapply(first, `[[`, 1, "to")
    here <- r$past[to]
    follows <- c(r$text[to], r$text[here], r$text[r$past[here[r$text[here] == ","] + 1L]])
    found <- c(found, group$patterns[group$after == "" | group$after %in% follows])
  }
  found
}

new_clause <- function(r, pattern, found, at) {
  args <- c(pattern$fixed, found$value)
  out <- list(section = pattern$section, verb = pattern$verb, args = args, from = at,
              to = found$to)
  if (pattern$section == "condition") {
    out$args <- list(where = condition_of_pattern(r, pattern, found, at))
  }
  if (pattern$section %in% c("steps", "looks", "questions")) out <- with_details(r, out)
  if (pattern$section == "steps") out <- with_name_said(r, out)
  out
}

# "so far since the year as this_year": the name of what is added.
with_name_said <- function(r, clause) {
  name <- name_said_at(r, clause$to)
  if (is.null(name) || is.null(fields_of(clause$verb)$name)) return(clause)
  clause$args$name <- name
  clause$to <- clause$to + 2L
  clause
}

# The name after "as", unless that begins a look; NULL where there is none.
name_said_at <- function(r, at) {
  if (!word_of(r, at) %in% small_words(r$words, "as")) return(NULL)
  if (!word_kind(r, at + 1L) %in% c("word", "quoted")) return(NULL)
  for (pattern in r$words$by_opening[[word_of(r, at)]]) {
    if (pattern$section == "looks" && length(match_pattern(r, pattern, at)) > 0) return(NULL)
  }
  r$token$value[at + 1L]
}

# "fare", "fare as income"
read_measure_clauses <- function(r, at) {
  out <- list()
  for (one in read_measure_words(r, at)) {
    own <- list(section = "measure", verb = "measure", args = list(measure = one$value), from = at,
                to = one$to)
    out <- c(out, list(own))
    name <- name_said_at(r, one$to)
    if (is.null(name)) next
    own$args$name <- name
    own$to <- one$to + 2L
    out <- c(out, list(own))
  }
  out
}

# ---- details in brackets -----------------------------------------------------

# "(title \"Fares\", average yes)" after a verb: arguments by their name.
with_details <- function(r, clause) {
  at <- clause$to
  if (word_of(r, at) != "(") return(clause)
  fields <- fields_of(clause$verb)
  fields <- fields[setdiff(names(fields), "...")]
  said <- gsub("_", " ", names(fields), fixed = TRUE)
  at <- at + 1L
  repeat {
    name <- read_choice_words(r, at, said)
    if (length(name) == 0) {
      could_stand(r, at, listed(said, most = 20, last = "or"))
      stop_reading(r, at)
    }
    field <- names(fields)[match(name[[1]]$value, said)]
    value <- read_detail(r, name[[1]]$to, fields[[field]])
    clause$args[[field]] <- value$value
    at <- value$to
    if (word_of(r, at) == ",") {
      at <- at + 1L
      next
    }
    if (word_of(r, at) == ")") break
    could_stand(r, at, "\",\" or \")\"")
    stop_reading(r, at)
  }
  clause$to <- at + 1L
  clause
}

# The value of an argument: yes or no, a number, or texts joined by "and".
read_detail <- function(r, at, field) {
  if (field$kind == "flag") {
    found <- read_yes_or_no(r, at)
    if (length(found) > 0) return(found[[1]])
    could_stand(r, at, "yes or no")
    stop_reading(r, at)
  }
  number <- read_number_words(r, at)
  alone <- length(number) > 0 && word_of(r, number[[1]]$to) %in% c(",", ")")
  if (alone && field$kind %in% c("number", "table", "other")) return(number[[1]])
  values <- character()
  repeat {
    one <- read_detail_text(r, at)
    if (field$kind %in% c("attribute", "attributes")) one <- read_detail_column(r, at) %||% one
    if (is.null(one)) {
      could_stand(r, at, "a value")
      stop_reading(r, at)
    }
    values <- c(values, one$value)
    at <- one$to
    if (!word_of(r, at) %in% r$and) break
    at <- at + 1L
  }
  list(value = values, to = at)
}

# A column by its name or its words, as everywhere; what is none is told where it is asked for.
read_detail_column <- function(r, at) {
  found <- read_column_name(r, at)
  ends <- length(found) == 1 && word_of(r, found[[1]]$to) %in% c(",", ")", r$and)
  if (ends) found[[1]]
}

read_detail_text <- function(r, at) {
  if (word_kind(r, at) %in% c("quoted", "code"))
    return(list(value = r$token$value[at], to = at + 1L))
  to <- at
  while (to <= r$n && !word_of(r, to) %in% c("", ",", ")", "(", r$and)) to <- to + 1L
  if (to == at) NULL else list(value = words_between(r, at, to), to = to)
}

# ---- where it stops ----------------------------------------------------------

stop_reading <- function(r, at) {
  far <- max(at, r$far)
  expected <- if (r$far >= at) unique(r$expected)
  if (far > r$n) {
    sentence_problem(sprintf("The sentence breaks off after \"%s\".",
                             words_between(r, min(at, r$n), r$n + 1L)),
                     from = r$n + 1L, expected = expected)
  }
  sentence_problem(sprintf("The sentence is not understood at \"%s\".",
                           words_between(r, far, far + 1L)),
                   hint = nearest_words(r, far), from = far, to = far + 1L, expected = expected)
}

# "each", "every": the words before a grain.
words_before_grain <- function(words) {
  grains <- Filter(function(one) identical(one$slots, "per"), words$patterns)
  unique(unlist(lapply(grains, function(one) one$parts[[1]]$word)))
}

# Examples of what could stand in the words of the ledger: its amounts, attributes and members.
in_own_words <- function(expected, names) {
  amount <- names$measured[1]
  text <- names$columns[names$holds %in% c("text", "levels", "ordered")]
  # One by which people group says more than a number of tickets.
  few <- if (!names$far) Filter(function(name) length(known_members(names$x, name)) <= 50, text)
  attribute <- c(few, text)[1]
  if (is.na(amount)) amount <- "entries"
  expected <- gsub("fare above 100", paste(column_said(as.symbol(amount)), "above 100"), expected,
                   fixed = TRUE)
  if (is.na(attribute)) return(sub(" or number of accounts", "", sub(
    "such as fare", paste("such as", column_said(as.symbol(amount))), expected, fixed = TRUE)))
  words <- column_said(as.symbol(attribute))
  expected <- gsub("fare or number of accounts", sprintf("%s or number of %s", column_said(
    as.symbol(amount)), words), expected, fixed = TRUE)
  member <- if (!names$far) known_members(names$x, attribute)[1] else NA
  gsub("channel web", if (is.na(member)) paste(words, "is \"...\"")
                      else paste(words, quoted_name(member)), expected, fixed = TRUE)
}

# What was meant by a word: a member of the column before it, or the nearest word that there is.
nearest_words <- function(r, at) {
  word <- word_of(r, at)
  if (nchar(word) < 3) return(NULL)
  # "each weekday"
  group <- columns_at(r, at)
  if (length(group) > 0 && at > 1L && word_of(r, at - 1L) %in% words_before_grain(r$words)) {
    return(sprintf("For a row for each %s say `by %s`.", group[[1]]$name,
                   column_said(as.symbol(group[[1]]$name))))
  }
  if (identical(r$sought$at, at)) {
    members <- members_of_column(r$names, r$sought$column)$member
    if (length(members) <= 10000) {
      hint <- nearest_hint(words_between(r, at, at + 1L), members)
      if (!is.null(hint)) return(hint)
    }
  }
  known <- c(r$words$opening, unlist(strsplit(unlist(r$words$compare), " ", fixed = TRUE)),
             r$names$index$key, r$names$base_index$key, start_words, "entries", "number")
  known <- unique(known[nchar(known) > 2 & !grepl("[{}]", known)])
  if (word %in% known) return(NULL)
  if (word %in% unlist(lapply(parts_said_alone(r$names), function(part) {
    days_of_part(r$names, part)$key
  }))) return(sprintf("For some days of the week say `only %s`.", words_between(r, at, at + 1L)))
  elsewhere <- c(words_elsewhere, weekend = "`only Saturdays and Sundays`",
                 weekends = "`only Saturdays and Sundays`")[word]
  if (!is.na(elsewhere)) return(sprintf("For \"%s\" say %s.", word, elsewhere))
  nearest_hint(word, known)
}
