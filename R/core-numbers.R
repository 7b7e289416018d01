# Numbers as people write them, from text: which mark stands before the decimals and which between
# thousands, over a whole column (src/core/number-text.h).

# Writings by an example each; their places, from 0, are those of the core.
number_writings <- c("1234.56", "1,234.56", "1 234.56", "1'234.56", "1234,56", "1.234,56",
                     "1 234,56", "1'234,56")

# The writings that are stated, by column or (without a name) for all.
stated_writings <- function(given, call) {
  if (is.null(given)) return(NULL)
  if (!is.character(given) || anyNA(given)) given <- ""
  for (one in given) one_of(one, number_writings, "number_format", call)
  stats::setNames(as.list(match(given, number_writings) - 1L), names(given))
}

stated_writing <- function(ask, name) {
  said <- ask$number_format
  if (is.null(said)) NULL else if (is.null(names(said))) said[[1]] else said[[name]]
}

# The writing of a column: the one that is stated, where it reads any of the texts, or the one
# that they prove; NULL where there is none, or it cannot be told. Where one writing is stated for
# several files, each file that proves another by itself keeps it.
writing_of <- function(known, stated = NULL, several = FALSE) {
  proved <- if (!known$both && known$writing >= 0) known$writing
  if (is.null(stated)) return(proved)
  stated_reads <- function(some) bitwAnd(some, bitwShiftL(1L, stated)) > 0
  if (several && !stated_reads(known$allowed) && !is.null(proved)) return(proved)
  if (stated_reads(known$some)) stated
}

# "fare: decimal comma, point between thousands, in EUR, per cent as parts of a hundred"
writing_says <- function(name, known, writing) {
  marks <- c("1,234.56" = "comma between thousands", "1 234.56" = "space between thousands",
             "1'234.56" = "apostrophe between thousands", "1234,56" = "decimal comma",
             "1.234,56" = "decimal comma, point between thousands",
             "1 234,56" = "decimal comma, space between thousands",
             "1'234,56" = "decimal comma, apostrophe between thousands")
  said <- c(if (number_writings[writing + 1] %in% names(marks))
              marks[[number_writings[writing + 1]]],
            if (nzchar(known$unit)) paste("in", known$unit),
            if (known$percent) "per cent, 12% being 0.12")
  if (length(said) > 0) sprintf("%s: %s", name, paste(said, collapse = ", "))
}

# Texts as numbers, whatever else stands among them: list(numbers, bad, says, problem); each
# distinct text is read once, `bad` are positions of what is no number. Several files are read file
# by file.
numbers_of_text <- function(values, name = "", stated = NULL, marks = missing_marks,
                            of_file = NULL) {
  if (is.null(of_file)) return(numbers_of_one_file(values, name, stated, marks))
  parts <- by_file(values, of_file, function(own, file) {
    numbers_of_one_file(own, name, stated, marks, several = TRUE)
  })
  for (part in parts) {
    if (!is.null(part$problem)) {
      part$problem[1] <- sprintf("%s: %s", part$file, part$problem[1])
      return(list(problem = part$problem))
    }
  }
  units <- unique(Filter(nzchar, vapply(parts, function(part) part$unit, "")))
  if (length(units) > 1) return(list(problem = units_problem(name, units[1], units[2])))
  percent <- vapply(parts, function(part) part$percent, TRUE)
  plain <- vapply(parts, function(part) part$plain, TRUE)
  if (any(percent) && any(plain)) return(list(problem = percent_problem(name)))
  numbers <- rep(NA_real_, length(values))
  for (part in parts) numbers[part$at] <- part$numbers
  list(numbers = numbers, bad = sort(unlist(lapply(parts, function(part) part$at[part$bad]))),
       rounded = any(vapply(parts, function(part) part$rounded, TRUE)),
       unit = if (length(units) > 0) units else "", says = said_of_files(parts))
}

numbers_of_one_file <- function(values, name, stated, marks, several = FALSE) {
  encoded <- core_encode_text(enc2utf8(values), core_threads())
  text <- encoded$members
  text[is_missing_mark(text, marks)] <- NA
  known <- core_survey_numbers(text, FALSE)
  writing <- writing_of(known, stated, several)
  if (is.null(writing)) {
    if (known$numbers > 0) return(list(problem = writing_problem(text, name, known, stated)))
    writing <- 0L
  }
  if (nzchar(known$other_unit)) return(list(problem = writing_problem(text, name, known)))
  numbers <- core_numbers_by(text, writing)
  odd <- is.na(numbers) & !is.na(text)
  list(numbers = numbers[encoded$codes + 1L],
       bad = if (any(odd)) which(odd[encoded$codes + 1L]) else integer(),
       rounded = known$digits > 15 && !keep_all_digits(text[!odd]),
       unit = known$unit, percent = known$percent, plain = known$plain,
       says = writing_says(name, known, writing))
}

has_numbers <- function(values) {
  core_survey_numbers(enc2utf8(unique(values)), FALSE)$numbers > 0
}

# Why texts that are numbers each are not all numbers of one column: lines of a message.
writing_problem <- function(text, name, known, stated = NULL) {
  if (nzchar(known$other_unit)) return(units_problem(name, known$unit, known$other_unit))
  if (known$percent && known$plain) return(percent_problem(name))
  if (!is.null(stated)) {
    return(c(sprintf("No number in `%s` is written as \"%s\": the first is \"%s\".", name,
                     number_writings[stated + 1], text[known$first_number]),
             i = "Leave {number_format} out, or say another."))
  }
  if (known$both) {
    shown <- text[known$first_marked]
    return(c(sprintf("The numbers in `%s`, such as \"%s\", could be %s or %s.", name, shown,
                     digits_text(core_numbers_by(shown, first_writing(known, 0:3))),
                     digits_text(core_numbers_by(shown, first_writing(known, 4:7)))),
             i = sprintf("Say {number_format = \"%s\"} or {number_format = \"%s\"}.",
                         number_writings[first_writing(known, 0:3) + 1],
                         number_writings[first_writing(known, 4:7) + 1])))
  }
  c(sprintf("The numbers in `%s` are written in several ways, so none can be told.", name),
    i = paste("Say which with {number_format =}, such as {number_format = \"1.234,56\"}; the",
              "others are set aside."))
}

units_problem <- function(name, unit, other) {
  c(sprintf("`%s` holds amounts in %s and in %s, which do not add up.", name, unit, other),
    i = "Keep the entries of one currency first.")
}

percent_problem <- function(name) {
  c(sprintf("`%s` holds numbers with %% and without, and which is meant is not certain.", name),
    i = "Write them alike in the source.")
}

first_writing <- function(known, among) {
  for (w in among) if (bitwAnd(known$allowed, bitwShiftL(1L, w)) > 0) return(w)
  among[1]
}

# What stands for a missing value, in text, numbers and dates alike, whatever the case of its
# letters and whether in quotes or not.
missing_marks <- c("", "NA", "N/A", "null", "-")

is_missing_mark <- function(text, marks) {
  out <- is.na(text)
  # Few texts are as short as a mark; spaces may stand around it.
  short <- which(!out & (nchar(text, "bytes") <= max(nchar(marks, "bytes"), 0L) |
                           startsWith(text, " ") | endsWith(text, " ")))
  # Of these many are the same.
  each <- unique(text[short])
  out[short] <- text[short] %in% each[lower_text(trimws(each)) %in% lower_text(marks)]
  out
}

# Numbers of more than 15 digits that doubles give back as they stand.
keep_all_digits <- function(texts) {
  texts <- trimws(texts[!is.na(texts)])
  values <- suppressWarnings(as.numeric(texts))
  plain <- sub("^[+]", "", texts)
  all(!is.na(values) & (sprintf("%.17g", values) == plain | digits_text(values) == plain))
}

plain_number <- "^[-+]?([0-9]+([.][0-9]*)?|[.][0-9]+)([eE][-+]?[0-9]+)?$"

is_plain_number <- function(text) {
  plain <- grepl(plain_number, text)
  plain[plain] <- is.finite(as.numeric(text[plain]))
  plain
}

# The size of the largest figure, 0 where there is none.
largest_size <- function(values) {
  values <- values[is.finite(values)]
  if (length(values) == 0) 0 else max(max(values), -min(values))
}

# Figures rounded to decimals: the double nearest to each decimal number, as round() gives it, in a
# tenth of the time.
in_decimals <- function(values, decimals) {
  power <- 10^decimals
  if (largest_size(values) * power >= 2^52) round(values, decimals)
  else round(values * power) / power
}

# Which figures are the same: exact ones to the last digit. Arithmetic leaves other last digits by
# the way it took, and an engine adds doubles in the order in which its threads come to them, so
# figures that need more than 15 digits may differ in their last ones.
are_alike <- function(a, b) {
  out <- a == b
  near <- which(!out & abs(a - b) <= 1e-12 * pmax(abs(a), abs(b)) & is.finite(a) & is.finite(b))
  out[near] <- signif(a[near], 15) != a[near] | signif(b[near], 15) != b[near]
  out
}

# The place of each figure among all, from the least; those that are alike have one place, missing
# ones none.
places_of_figures <- function(values) {
  at <- order(values, na.last = NA)
  sorted <- values[at]
  n <- length(at)
  out <- rep(NA_integer_, length(values))
  out[at] <- cumsum(c(TRUE[n > 0], !are_alike(sorted[-1], sorted[-n])))
  out
}
