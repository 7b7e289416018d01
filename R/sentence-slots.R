# What can stand in the slots of patterns: grains, columns, days, numbers and texts. Each gives the
# readings from a word on.

# "fiscal quarter", "months"; the value is the grain.
read_grain_word <- function(r, at) {
  fiscal <- word_of(r, at) == "fiscal"
  word <- word_of(r, at + fiscal)
  if (nchar(word) < 3) return(list())
  unit <- unit_words[word]
  if (is.na(unit) || unit == "period") return(list())
  grain <- if (fiscal) paste("fiscal", unit) else unname(unit)
  if (grain %in% grains) one_reading(grain, at + fiscal + 1L) else list()
}

# ---- columns -----------------------------------------------------------------

# A column or calendar part by its name or its words, the longest that stands here.
read_column_name <- function(r, at) {
  lapply(columns_at(r, at), function(one) list(value = one$name, to = one$to))
}

# list(name, plural, to) each: exact names go before their words; the longest alone counts.
columns_at <- function(r, at) {
  before <- r$columns_read
  if (length(before) >= at && !is.null(before[[at]])) return(before[[at]])
  found <- named_at(r, at, r$names$index)
  r$columns_read[[at]] <- found
  found
}

# The same of any index of names.
named_at <- function(r, at, index) {
  if (word_kind(r, at) == "quoted") return(columns_quoted(r, at, index))
  if (!r$text[at] %in% index$first) return(list())
  for (to in rev(seq_len(min(index$size, r$n + 1L - at)))) {
    here <- at - 1L + seq_len(to)
    if (!all(nzchar(r$text[here]))) next
    rows <- index$rows[[paste(r$text[here], collapse = " ")]]
    if (length(rows) == 0) next
    rows <- rows[!duplicated(index$name[rows])]
    raw <- words_between(r, at, at + to)
    same <- index$name[rows] == raw
    if (any(same)) rows <- rows[same]
    return(lapply(rows, function(i) {
      list(name = index$name[i], plural = index$plural[i], to = at + to)
    }))
  }
  list()
}

columns_quoted <- function(r, at, index) {
  value <- r$token$value[at]
  name <- if (value %in% index$name) value
          else unique(index$name[index$key == key_of_text(value) & !index$plural])
  lapply(name, function(one) list(name = one, plural = FALSE, to = at + 1L, quoted = TRUE))
}

# "route and channel", "route, channel and weekday".
read_column_list <- function(r, at) {
  first <- columns_at(r, at)
  if (length(first) == 0) return(list())
  lapply(first, function(one) {
    names <- one$name
    to <- one$to
    repeat {
      after <- past_list_sign(r, to)
      if (after == to) break
      more <- columns_at(r, past_article(r, after))
      if (length(more) == 0) break
      # What is compared is a condition, and an amount of money a figure; what else would also be a
      # figure by itself is asked.
      if (length(read_comparisons(r, past_article(r, after))) > 0 ||
          more[[1]]$name %in% r$names$moneys && !isTRUE(more[[1]]$quoted)) break
      figure <- if (!isTRUE(more[[1]]$quoted)) read_bare_measure(r, past_article(r, after))
      if (length(figure) > 0 && figure[[1]]$to >= more[[1]]$to) {
        if (ends_column_list(r, more[[1]]$to)) break
        ask_group_or_figure(r, after, more[[1]], figure[[1]])
      }
      if (length(more) > 1) ask_which_column(r, after, more)
      names <- c(names, more[[1]]$name)
      to <- more[[1]]$to
    }
    list(value = names, to = to)
  })
}

# Words after which a name is no more one of a list of columns: "and entries against ...".
ends_column_list <- function(r, at) {
  word <- word_of(r, at)
  nzchar(word) && !word %in% c(",", ";", r$and) && word %in% r$words$operators
}

ask_group_or_figure <- function(r, at, column, figure) {
  column_words <- quoted_name(column$name)
  ask_which(r, at, column$to, c(
    sprintf("For rows of each %s say `by %s`, before the columns that are to be groups.",
            column$name, column_words),
    sprintf("For a figure say `%s`, before the groups or after a semicolon.",
            explicit_measure(figure$value))))
}

ask_which_column <- function(r, at, columns) {
  ask_which(r, at, columns[[1]]$to, vapply(columns, function(one) {
    sprintf("It is the column `%s`: say `%s`.", one$name, quoted_name(one$name))
  }, ""))
}

quoted_name <- function(text) paste0("\"", gsub("\"", "\"\"", text, fixed = TRUE), "\"")

# The word after "and" or a comma, where there is one.
past_list_sign <- function(r, at, signs = c(",", r$and)) {
  to <- at
  if (word_of(r, to) %in% signs) to <- to + 1L
  if (to > at && word_of(r, at) == "," && word_of(r, to) %in% signs) to <- to + 1L
  to
}

read_basis <- function(r, at) {
  lapply(named_at(r, at, r$names$base_index), function(one) list(value = one$name, to = one$to))
}

# ---- columns of a statement ------------------------------------------------------

# The name of a figure that is or will be there: in quotes, or one word with low lines in it.
read_figure_name <- function(r, at) {
  kind <- word_kind(r, at)
  if (kind == "quoted" || kind == "word" && grepl("_", r$token$text[at], fixed = TRUE))
    return(one_reading(list(name = r$token$value[at]), at + 1L))
  attribute <- columns_at(r, at)
  lapply(attribute, function(one) {
    list(value = list(name = one$name, attribute = TRUE), to = one$to)
  })
}

# A column of amounts is its figure, also where attributes may stand.
read_figure_or_attribute <- function(r, at) {
  figures <- read_measure_named(r, at)
  ends <- vapply(figures, `[[`, 1, "to")
  c(figures, Filter(function(one) !isTRUE(one$value$attribute) || !one$to %in% ends,
                    read_figure_name(r, at)))
}

read_figure_names <- function(r, at) {
  one <- function(at) read_figure_or_attribute(r, at)
  values <- list()
  to <- at
  repeat {
    found <- one(to)
    if (length(found) == 0) break
    found <- found[[which.max(vapply(found, `[[`, 1, "to"))]]
    values <- c(values, list(found$value))
    end <- found$to
    to <- past_list_sign(r, end)
    if (to == end) break
  }
  if (length(values) == 0) list() else one_reading(values, end)
}

# ---- days --------------------------------------------------------------------

# A span: the longest phrase that stands here, as words of its own; in quotes, as it is written.
read_phrase_words <- function(r, at) {
  if (word_kind(r, at) == "quoted") {
    phrase <- r$token$value[at]
    if (!is.null(read_phrase(phrase, r$names$calendar)$problem)) return(list())
    return(past_days(r, phrase, at + 1L))
  }
  if (!starts_phrase(r, at)) return(list())
  # "1 year back, latest 12 months" are two clauses, though one phrase may begin so.
  back <- read_units_back(r, at)
  if (length(back) > 0 && word_of(r, back[[1]]$to) == ",") return(list())
  to <- phrase_end(r, at)
  while (to > at) {
    phrase <- words_between(r, at, to)
    tree <- read_phrase(phrase, r$names$calendar)
    if (is.null(tree$problem)) {
      return(past_days(r, phrase_text(tree, r$names$calendar), to))
    }
    # Up to where it is no more understood.
    stopped <- tree$problem$from
    if (isTRUE(stopped > nchar(phrase))) could_stand(r, to, tree$problem$expected)
    to <- if (is.null(stopped)) at else {
      cut <- sum(r$token$start[at:(to - 1L)] < r$token$start[at] + stopped - 1L)
      if (cut == to - at || cut == 0L) to - 1L else at + cut
    }
    while (to > at && word_of(r, to - 1L) %in% c(",", r$and, "to", "/")) to <- to - 1L
  }
  list()
}

starts_phrase <- function(r, at) nzchar(r$text[at]) && words_of_phrases(r)[at]

# Up to where only words stand that phrases are made of.
phrase_end <- function(r, at) {
  within <- words_of_phrases(r)
  to <- at
  while (to <= r$n && to - at < 24L && within[to]) to <- to + 1L
  to
}

# Which words may stand in a phrase, in no order; labels of a calendar's own are any words.
words_of_phrases <- function(r) {
  if (!is.null(r$of_phrases)) return(r$of_phrases)
  own <- !is.null(r$names$calendar$table)
  may <- if (own) nzchar(r$text) & !r$text %in% c(";", ":", "(", ")")
         else r$text %in% c(known_words, ",", "/", "-", ".") |
           grepl("^(fy|fq|q|w|wk|m|fm|fw)?[0-9]", r$text)
  # Words written together.
  if (!own) for (i in which(!may & nchar(r$text) > 4)) {
    may[i] <- length(word_lengths(r$text[i])) > 1
  }
  r$of_phrases <- may
  may
}

# Days that are told after a phrase, "last month: 1 Aug to 31 Aug 2026" or in round brackets, are no
# part of it; they are kept to be compared with those that it means.
past_days <- function(r, phrase, at) {
  sign <- word_of(r, at)
  ends <- if (sign == ":") c(",", ";", "(", "") else if (sign == "(") c(")", "")
  if (is.null(ends)) return(one_reading(phrase, at))
  to <- at + 1L
  while (to <= r$n && !word_of(r, to) %in% ends) to <- to + 1L
  told <- words_between(r, at + 1L, to)
  if (sign == "(") {
    days <- all(words_of_phrases(r)[seq.int(at + 1L, length.out = max(0L, to - at - 1L))])
    if (word_of(r, to) != ")" || !days) return(one_reading(phrase, at))
    to <- to + 1L
  }
  one_reading(structure(phrase, told = told), to)
}

# "1 year back", "a year ago", "the year before", "the period before".
read_units_back <- function(r, at) {
  if (word_of(r, at) == "period" && word_of(r, at + 1L) == "before")
    return(one_reading("period before", at + 2L))
  # Also in the language of spans.
  back <- c("back", small_words(r$words, "back"))
  one <- read_unit_words(r, at)
  if (!is.null(one) && one$value != "period" && word_of(r, one$to) %in% back)
    return(one_reading(paste(counted_units(1L, one$value, always = TRUE), "back"), one$to + 1L))
  to <- at
  parts <- list()
  while (is_whole_number(r, to)) {
    unit <- read_unit_words(r, to + 1L)
    if (is.null(unit) || !word_of(r, unit$to) %in% back) break
    n <- as.integer(word_of(r, to))
    parts <- c(parts, counted_units(n, unit$value, always = TRUE))
    to <- unit$to + 1L
    if (word_of(r, to) == "," && word_kind(r, to + 1L) == "number") to <- to + 1L else break
  }
  if (length(parts) != 1) return(list())
  one_reading(paste(parts, "back"), to)
}

read_unit_words <- function(r, at) {
  fiscal <- word_of(r, at) == "fiscal"
  unit <- unit_words[word_of(r, at + fiscal)]
  if (is.na(unit) || nchar(word_of(r, at + fiscal)) < 2) return(NULL)
  list(value = if (fiscal) paste("fiscal", unit) else unname(unit), to = at + fiscal + 1L)
}

# "30 days and 3 months"
read_lengths <- function(r, at) {
  values <- character()
  to <- at
  repeat {
    n <- if (is_whole_number(r, to)) as.integer(word_of(r, to))
    unit <- if (!is.null(n)) read_unit_words(r, to + 1L)
    if (is.null(unit)) break
    values <- c(values, counted_units(n, unit$value, always = TRUE))
    end <- unit$to
    to <- past_list_sign(r, end)
    if (to == end) break
  }
  if (length(values) == 0) list() else one_reading(values, end)
}

# "month to date as now and last month": phrases, some with names.
read_phrases <- function(r, at) {
  values <- character()
  names <- character()
  to <- at
  as <- small_words(r$words, "as")
  repeat {
    one <- read_phrase_words(r, to)
    if (length(one) == 0) break
    values <- c(values, one[[1]]$value)
    end <- one[[1]]$to
    name <- ""
    if (word_of(r, end) %in% as && word_kind(r, end + 1L) == "quoted") {
      name <- r$token$value[end + 1L]
      end <- end + 2L
    }
    names <- c(names, name)
    to <- past_list_sign(r, end)
    if (to == end) break
  }
  if (length(values) == 0) return(list())
  one_reading(if (any(nzchar(names))) stats::setNames(values, names) else values, end)
}

# One day, as text: 2026-08-31.
read_day_words <- function(r, at) {
  quoted <- word_kind(r, at) == "quoted"
  found <- if (quoted) list(list(value = r$token$value[at], to = at + 1L))
           else read_phrase_words(r, at)
  if (length(found) == 0) return(list())
  tree <- read_phrase(found[[1]]$value, r$names$calendar)
  base <- tree$base
  one <- identical(base$kind, "range") && identical(base$from, base$to) &&
    identical(base$from$grain, "day") && length(tree$shifts) == 0 && is.null(tree$every)
  if (!one) return(list())
  one_reading(iso_day(base$from$index), found[[1]]$to)
}

# ---- numbers and texts -----------------------------------------------------------

is_whole_number <- function(r, at) grepl("^[0-9]{1,5}$", word_of(r, at))

# 12, 1.5, -3
read_number_words <- function(r, at) {
  to <- at
  minus <- word_of(r, to) == "-"
  if (minus) to <- to + 1L
  if (word_kind(r, to) != "number") return(list())
  text <- word_of(r, to)
  to <- to + 1L
  joined <- function(i) i <= r$n && r$token$start[i] == r$token$end[i - 1L] + 1L
  if (word_of(r, to) == "." && joined(to) && word_kind(r, to + 1L) == "number" && joined(to + 1L)) {
    text <- paste0(text, ".", word_of(r, to + 1L))
    to <- to + 2L
  }
  if (!grepl("^[0-9.]+(e[0-9]+)?$", text)) return(list())
  value <- suppressWarnings(as.double(text))
  if (is.na(value) || !is.finite(value)) return(list())
  one_reading(if (minus) -value else value, to)
}

# One number; or a table that was given beside the sentence, by its name.
read_number_or_table <- function(r, at) {
  number <- read_number_words(r, at)
  if (length(number) > 0) return(number)
  name <- if (word_kind(r, at) %in% c("word", "quoted")) r$token$value[at]
  if (is.null(name) || !name %in% r$names$tables) return(list())
  one_reading(list(by_hand = name), at + 1L)
}

# A text in quotes; without, one word, or "all others".
read_text_words <- function(r, at) {
  kind <- word_kind(r, at)
  if (kind == "quoted") return(one_reading(r$token$value[at], at + 1L))
  if (kind != "word") return(list())
  out <- one_reading(r$token$value[at], at + 1L)
  if (word_of(r, at) == "all" && word_kind(r, at + 1L) == "word")
    out <- c(one_reading(words_between(r, at, at + 2L), at + 2L), out)
  out
}

# One of some words, the longest that stands here.
read_choice_words <- function(r, at, choices) {
  if (!nzchar(r$text[at])) return(list())
  near <- startsWith(choices, substr(r$text[at], 1, 1))
  best <- list()
  for (choice in choices[near]) {
    words <- strsplit(choice, " ", fixed = TRUE)[[1]]
    to <- at + length(words)
    if (length(best) > 0 && to <= best[[1]]$to) next
    if (to <= r$n + 1L && all(r$text[at - 1L + seq_along(words)] == words))
      best <- one_reading(choice, to)
  }
  best
}
