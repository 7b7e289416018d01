# The reader: a phrase as a small tree, list(base, shifts, every).
#
#   base    list(kind, ...) with kind "all", "range" (two periods, either NULL for an open end),
#   "this",
#           "to date", "last", "latest", "finished", "trailing" (unit, n), "recurring" (grain,
#           number) or
#           "recurring days" (from, to as month and day)
#   shifts  how many units back, by unit, longest unit first
#   every   NULL, "year" or "fiscal year"

# The tree, or list(problem = list(expected, message, hint, from, to, word)): nothing is thrown
# beyond this, so that trying whether a text is a phrase costs little.
read_phrase <- function(phrase, calendar) {
  if (!validUTF8(phrase)) return(list(problem = list(message = "The span is not readable text.")))
  if (nchar(phrase) > longest_phrase) {
    return(
      list(problem = list(message = sprintf("The span has more than %d letters.", longest_phrase))))
  }
  reader <- new.env(parent = emptyenv())
  reader$words <- phrase_words(phrase)
  reader$text <- reader$words$text
  reader$at <- 1L
  reader$calendar <- calendar
  tryCatch(read_parts(reader), phrase_problem = function(problem) {
    list(problem = c(problem[c("expected", "message", "hint")],
                     phrase_place(reader$words, problem$place, problem$reach, phrase)))
  })
}

not_understood <- function(place, expected = NULL, reach = place, message = NULL, hint = NULL) {
  stop(structure(class = c("phrase_problem", "condition"), list(
    message = message, call = NULL, place = place, reach = reach, expected = expected,
    hint = hint)))
}

# Where in the phrase a word stands: its letters and its text; past the last word, the end.
phrase_place <- function(words, place, reach, phrase) {
  if (place > length(words$text))
    return(list(from = nchar(phrase) + 1L, to = nchar(phrase) + 1L, word = ""))
  list(from = words$start[place], to = words$end[reach],
       word = substr(phrase, words$start[place], words$end[reach]))
}

starts_expected <- c("this, last, latest, trailing or every",
                     "a unit and \"to date\", such as month to date",
                     "a point such as 2026, 2026-08, 2026-W35, FY2027-Q2 or September 2026", "all")
units_expected <-
  paste0("a unit: day, week, month, quarter, year, fiscal week, fiscal month, fiscal quarter, ",
         "fiscal year or, in a statement, period")
modifiers_expected <- c("a number of units back, such as 1 year back", "every year",
                        "every fiscal year")
points_expected <-
  "a point such as 2026, 2026-08, 2026-08-31, 2026-W35, FY2027-Q2 or September 2026"

week_words <- c("w", "wk", "week")

word_at <- function(reader, ahead = 0L) {
  at <- reader$at + ahead
  if (at <= length(reader$text)) reader$text[at] else ""
}

number_at <- function(reader, ahead = 0L) isTRUE(reader$words$number[reader$at + ahead])

read_parts <- function(reader) {
  base <- NULL
  shifts <- integer()
  every <- NULL
  open <- TRUE  # something must follow: the phrase or a comma has just begun
  while (word_at(reader) != "") {
    if (word_at(reader) == ",") {
      if (open) not_understood(reader$at,
                               if (is.null(base)) starts_expected else modifiers_expected)
      open <- TRUE
      reader$at <- reader$at + 1L
      next
    }
    open <- FALSE
    if (shift_ahead(reader)) shifts <- add_shift(shifts, read_shift(reader))
    else if (every_year_ahead(reader)) {
      if (!is.null(every)) not_understood(reader$at, modifiers_expected[1])
      every <- read_every_year(reader)
    } else if (is.null(base)) {
      base <- read_base(reader)
      if (!is.null(base$shift)) shifts <- add_shift(shifts, base$shift)
      base$shift <- NULL
    } else not_understood(reader$at, modifiers_expected)
  }
  if (is.null(base) || open)
    not_understood(reader$at, if (is.null(base)) starts_expected else modifiers_expected)
  check_modifiers(base, shifts, every, reader)
  if (length(shifts) > 1) shifts <- shifts[order(match(names(shifts), shift_order))]
  list(base = base, shifts = shifts, every = every)
}

shift_order <- c("fiscal year", "year", "fiscal quarter", "quarter", "fiscal month", "month",
                 "fiscal week", "week", "day")

add_shift <- function(shifts, shift) {
  known <- shift$unit %in% names(shifts)
  shifts[[shift$unit]] <- (if (known) shifts[[shift$unit]] else 0L) + shift$n
  if (shifts[[shift$unit]] > 9999L)
    not_understood(1L, message = "The span goes back by more than 9999 units.")
  shifts
}

check_modifiers <- function(base, shifts, every, reader) {
  if (base$kind == "all" && (length(shifts) > 0 || !is.null(every))) {
    not_understood(
      1L, message = "The span \"all\" is every day there is: it can neither go back nor recur.")
  }
  recurring <- startsWith(base$kind, "recurring") || base$kind == "range" &&
    (is.null(base$from) || is.null(base$to))
  if (recurring && !is.null(every)) {
    not_understood(length(reader$text),
                   message = sprintf("The span already %s, so it cannot be repeated every year.",
                          if (base$kind == "range") "has an open end" else "recurs"))
  }
}

# A number and a unit are a step back; but a year may be followed by a letter (2026 Q3).
shift_ahead <- function(reader) {
  if (!number_at(reader)) return(FALSE)
  unit <- word_at(reader, 1L)
  if (unit != "fiscal" && is.na(unit_words[unit])) return(FALSE)
  nchar(word_at(reader)) != 4 || word_at(reader, if (unit == "fiscal") 3L else 2L) == "back"
}

read_shift <- function(reader) {
  n <- read_count(reader)
  unit <- read_unit(reader)
  if (word_at(reader) != "back") not_understood(reader$at, "back")
  reader$at <- reader$at + 1L
  list(unit = unit, n = n)
}

every_year_ahead <- function(reader) {
  if (word_at(reader) != "every") return(FALSE)
  next_word <- word_at(reader, 1L)
  if (next_word == "fiscal") next_word <- word_at(reader, 2L)
  next_word %in% names(unit_words) && unit_words[[next_word]] %in% c("year", "fiscal year")
}

read_every_year <- function(reader) {
  reader$at <- reader$at + 1L
  read_unit(reader)
}

# A count of units; 1 where there is none and none is needed.
read_count <- function(reader, needed = TRUE) {
  word <- word_at(reader)
  if (!number_at(reader)) {
    if (needed) not_understood(reader$at, "a number of units")
    return(1L)
  }
  n <- if (nchar(word) <= 9) as.integer(word) else NA
  if (is.na(n) || n < 1L || n > 9999L) not_understood(reader$at, "a whole number from 1 to 9999")
  reader$at <- reader$at + 1L
  n
}

read_unit <- function(reader) {
  word <- word_at(reader)
  if (word == "fiscal") {
    reader$at <- reader$at + 1L
    unit <- unit_words[word_at(reader)]
    if (is.na(unit) || !unit %in% c("week", "month", "quarter", "year"))
      not_understood(reader$at, "week, month, quarter or year")
    unit <- paste("fiscal", unit)
  } else {
    unit <- unit_words[word]
    if (is.na(unit)) not_understood(reader$at, units_expected)
  }
  reader$at <- reader$at + 1L
  unname(unit)
}

read_base <- function(reader) {
  own <- read_own_label(reader)
  if (!is.null(own)) return(read_range(reader, own))
  word <- word_at(reader)
  take <- function(count = 1L) reader$at <- reader$at + count
  if (word == "all") {
    take()
    return(list(kind = "all"))
  }
  if (word %in% c("today", "yesterday")) {
    take()
    return(list(kind = if (word == "today") "this" else "last", unit = "day", n = 1L))
  }
  if (word %in% names(to_date_words)) {
    take()
    return(list(kind = "to date", unit = to_date_words[[word]], n = 1L))
  }
  if (word %in% c("this", "last", "latest", "trailing")) {
    take()
    finished <- word == "latest" && word_at(reader) == "finished"
    if (finished) take()
    n <- if (word == "this") 1L else read_count(reader, needed = FALSE)
    return(list(kind = if (finished) "finished" else word, unit = read_unit(reader), n = n))
  }
  if (word == "same") return(read_same(reader))
  if (word == "every") return(read_recurring(reader))
  if (part_alone(reader)) return(read_part(reader, "newest"))
  if (word == "fiscal" ||
      (!is.na(unit_words[word]) && !(word %in% c("q", "fy", week_words) && number_at(reader, 1L))))
        return(read_to_date(reader))
  read_range(reader, NULL)
}

# "same month last year": this one, a year back.
read_same <- function(reader) {
  reader$at <- reader$at + 1L
  unit <- read_unit(reader)
  if (word_at(reader) != "last") not_understood(reader$at, "last year, as in same month last year")
  reader$at <- reader$at + 1L
  at <- reader$at
  year <- read_unit(reader)
  if (!year %in% c("year", "fiscal year") || unit %in% c("year", "fiscal year"))
    not_understood(at, "year, as in same month last year")
  list(kind = "this", unit = unit, n = 1L, shift = list(unit = year, n = 1L))
}

# A quarter, week or month of a year that is not named: "Q3", "week 49", "September", "fiscal Q2".
part_alone <- function(reader) {
  ahead <- if (word_at(reader) == "fiscal") 1L else 0L
  word <- word_at(reader, ahead)
  is_month <- ahead == 0L && word %in% month_words
  numbered <- number_at(reader, ahead + 1L) && nchar(word_at(reader, ahead + 1L)) <= 2
  if (!is_month && !(word %in% c("q", week_words, if (ahead) "m") && numbered)) return(FALSE)
  after <- ahead + if (is_month) 1L else 2L
  # What follows tells the year, or makes it something else.
  word_at(reader, after) %in% c("", ",") || number_at(reader, after) &&
    shift_ahead_at(reader, after)
}

shift_ahead_at <- function(reader, ahead) {
  at <- reader$at
  on.exit(reader$at <- at)
  reader$at <- at + ahead
  shift_ahead(reader)
}

read_to_date <- function(reader) {
  unit <- read_unit(reader)
  for (word in c("to", "date")) {
    if (word_at(reader) != word) not_understood(reader$at, if (word == "to") "to date" else "date")
    reader$at <- reader$at + 1L
  }
  list(kind = "to date", unit = unit, n = 1L)
}

recurring_expected <-
  paste0("a quarter (Q3), a month (September), a week (W35), days (11-15/01-15), fiscal Q2, ",
         "fiscal M06 or fiscal W05")

read_recurring <- function(reader) {
  reader$at <- reader$at + 1L
  if (number_at(reader)) return(read_recurring_days(reader))
  read_part(reader, "recurring")
}

# A part of each year, told by its name or number.
read_part <- function(reader, kind) {
  fiscal <- word_at(reader) == "fiscal"
  if (fiscal) reader$at <- reader$at + 1L
  word <- word_at(reader)
  month <- if (nzchar(word) && !fiscal) month_number(word) else NA
  if (!is.na(month)) {
    reader$at <- reader$at + 1L
    return(list(kind = kind, grain = "month", number = month))
  }
  most <- c(q = 4L, w = 53L, week = 53L, wk = 53L, if (fiscal) c(m = 99L))
  if (!word %in% names(most) || word %in% c("week", "wk") && !number_at(reader, 1L)) {
    not_understood(reader$at, recurring_expected, hint = if (word %in% names(unit_words)) {
      sprintf("For a row per %s say per = \"%s\"; \"every\" takes one part of each year.",
              unit_words[[word]], unit_words[[word]])
    })
  }
  number <- word_at(reader, 1L)
  if (!number_at(reader, 1L) || nchar(number) > 2 ||
      !as.integer(number) %in% seq_len(most[[word]])) {
    not_understood(reader$at + 1L, sprintf("a number from 1 to %d", most[[word]]))
  }
  reader$at <- reader$at + 2L
  grain <- c(q = "quarter", w = "week", week = "week", wk = "week", m = "month")[[word]]
  list(kind = kind, grain = if (fiscal) paste("fiscal", grain) else grain,
       number = as.integer(number))
}

# MM-DD/MM-DD
read_recurring_days <- function(reader) {
  ends <- lapply(1:2, function(end) {
    if (end == 2) {
      if (!word_at(reader) %in% c("/", "to"))
        not_understood(reader$at, "/ and a second day, such as 11-15/01-15")
      reader$at <- reader$at + 1L
    }
    number <- suppressWarnings(as.integer(c(word_at(reader), word_at(reader, 2L))))
    if (anyNA(number) || word_at(reader, 1L) != "-" ||
        is.na(core_days_of(2024L, number[1], number[2]))) {
      not_understood(reader$at, "a day as month and day, such as 11-15",
                     reach = min(reader$at + 2L, length(reader$text)))
    }
    reader$at <- reader$at + 3L
    number
  })
  list(kind = "recurring days", from = ends[[1]], to = ends[[2]])
}

# A label of the calendar's own table, which may consist of any words: the longest that stands here.
read_own_label <- function(reader) {
  if (is.null(reader$calendar$table)) return(NULL)
  begins <- reader$at
  for (end in rev(seq_along(reader$text))) {
    if (end < begins) break
    bare <- upper_text(paste(reader$text[begins:end], collapse = ""))
    for (grain in names(reader$calendar$table)) {
      at <- match(bare, bare_label(reader$calendar$table[[grain]]$label))
      if (is.na(at)) next
      reader$at <- end + 1L
      if (word_at(reader) != "-") return(list(grain = grain, index = at))
      # Something else than a week of that year may still be read, or refused, as a point.
      if (grain == "fiscal year" && word_at(reader, 1L) == "w" && number_at(reader, 2L))
        return(read_own_week(reader, at, bare))
      reader$at <- begins
      return(NULL)
    }
  }
  NULL
}

# A week of a fiscal year of the table: the year's label and -Wnn.
read_own_week <- function(reader, year, label) {
  number <- word_at(reader, 2L)
  reader$at <- reader$at + 3L
  missing <- list(
    problem = sprintf("There is no fiscal week \"%s-W%s\" in the calendar.", label, number))
  week <- numbered_in_year(year, as.integer(number), "fiscal week", reader$calendar, missing)
  if (!is.null(week$problem))
    not_understood(reader$at - 1L, message = week$problem, hint = week$hint)
  week
}

# A point, or two of them; `from` is the first one where it has been read.
read_range <- function(reader, from) {
  begins <- reader$at
  if (is.null(from)) from <- read_point(reader, starts_expected)
  if (!word_at(reader) %in% c("/", "to")) {
    if (identical(from, "..")) not_understood(reader$at, "/ and a point, such as ../2026-08")
    return(list(kind = "range", from = from, to = from))
  }
  reader$at <- reader$at + 1L
  to <- read_own_label(reader) %||% read_point(reader, c(points_expected, "\"..\" for an open end"))
  if (identical(from, "..") && identical(to, "..")) {
    not_understood(begins, message = "The span is open at both ends.",
                   hint = "Say \"all\" for every day there is.")
  }
  list(kind = "range", from = if (!identical(from, "..")) from, to = if (!identical(to, "..")) to)
}

# The words of a point end where something else begins.
read_point <- function(reader, expected) {
  begins <- reader$at
  if (word_at(reader) == "..") {
    reader$at <- reader$at + 1L
    return("..")
  }
  while (!word_at(reader) %in% c("", ",", "/", "to", "every", "back") &&
         (reader$at == begins || !shift_ahead(reader))) {
    reader$at <- reader$at + 1L
  }
  if (reader$at == begins) not_understood(begins, expected)
  ends <- reader$at - 1L
  text <- paste(reader$text[begins:ends], collapse = "")
  period <- period_named(text, reader$calendar)
  if (is.null(period)) {
    word <- reader$text[begins]
    is_word <- grepl("^\\p{L}", word, perl = TRUE) && !word %in% c("q", "fy", week_words) &&
      !word %in% month_words
    not_understood(begins, expected, reach = if (is_word) begins else ends)
  }
  if (!is.null(period$problem))
    not_understood(begins, reach = ends, message = period$problem, hint = period$hint)
  period
}
