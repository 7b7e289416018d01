# The names that a sentence can say of a ledger: its columns by their name or its words, in the
# singular or plural, and the members of columns by themselves.

# What a ledger has, looked up once for many sentences: list(x, facts, calendar, columns, index,
# members, words, likely, main). `columns` are list(holds, likely) by name.
sentence_names <- function(x, tables = character(), words = sentence_words()) {
  facts <- source_facts(x)
  names <- source_column_names(x)
  dates <- vapply(facts$dates, function(date) date$column, "", USE.NAMES = FALSE)
  bases <- names(facts$dates)
  holds <- vapply(names, function(name) source_column(x, name)$holds, "")
  holds[names %in% c(dates, facts$until)] <- "days"
  # Text that is mostly numbers is meant as amounts, whose reading says what is odd.
  # A database has types, and asking it for members takes time.
  far <- inherits(x, "engine_ledger")
  for (name in names[holds == "text" & !far]) {
    if (is_mostly_numbers(x, name)) holds[name] <- "amounts"
  }
  likely <- likely_measures(x)
  as_text <- names[holds == "amounts" & vapply(names, function(name) {
    source_column(x, name)$holds == "text"
  }, TRUE)]
  parts <- setdiff(names(calendar_parts), names)
  hours <- vapply(facts$dates, function(date) isTRUE(date$hours), TRUE)
  if (!any(hours)) parts <- setdiff(parts, "hour")
  out <- list(x = x, far = far, facts = facts, calendar = facts$calendar, bases = bases,
              columns = names, parts = parts, holds = holds, words = words,
              measured = c(names[sprintf("total(%s)", name_text(names)) %in% likely], as_text),
              main = c(likely[grepl("^total\\(", likely)],
                       sprintf("total(%s)", name_text(as_text))), tables = tables,
              memo = new.env(parent = emptyenv()))
  # The one amount of money, where there is one: what is counted in a unit, or has decimals.
  amounts <- setdiff(names[holds == "amounts"], c(dates, facts$until))
  money <- intersect(amounts, names(facts$units))
  if (length(money) == 0) {
    money <- amounts[amounts %in% as_text | vapply(amounts, function(name) {
      isTRUE(source_column(x, name)$decimals > 0)
    }, TRUE)]
  }
  out$moneys <- money
  out$money <- intersect(sprintf("total(%s)", name_text(money)), out$main)
  out$index <- names_index(c(names, parts))
  out$base_index <- names_index(bases)
  out
}

# Text of which some is no number, and at least four times as much is.
is_mostly_numbers <- function(x, name) {
  members <- known_members(x, name)
  if (length(members) < 5 || length(members) > most_members_alone * 50) return(FALSE)
  # Some members tell names from numbers; all of them whether any is odd.
  some <- members[unique(round(seq(1, length(members), length.out = 500)))]
  if (core_survey_numbers(enc2utf8(some), FALSE)$numbers * 2 < length(some)) return(FALSE)
  known <- core_survey_numbers(enc2utf8(members), FALSE)
  known$others > 0 && known$numbers > 4 * known$others
}

# Rows of how names can be said: list(key, name, plural), the key being words in small letters.
names_index <- function(names) {
  if (length(names) == 0) return(list(size = 0L))
  words <- key_of_text(gsub("[_.-]+", " ", names))
  several <- vapply(words, plural_text, "", USE.NAMES = FALSE)
  one <- singular_text(words)
  exact <- key_of_text(names)
  key <- c(exact, words, one, several)
  plural <- rep(c(FALSE, FALSE, FALSE, TRUE), each = length(names))
  # A name that is for several already is both.
  plural[seq_len(2 * length(names))] <- rep(several == words & one != words, 2)
  keep <- nzchar(key) & !duplicated(data.frame(key, rep(names, 4)))
  key <- key[keep]
  words <- strsplit(key, " ", fixed = TRUE)
  list(key = key, name = rep(names, 4)[keep], plural = plural[keep],
       rows = list2env(split(seq_along(key), key)), size = max(lengths(words)),
       first = unique(vapply(words, `[[`, "", 1L)))
}

# A text as the words of a sentence part it, with single spaces.
key_of_text <- function(text) {
  text <- gsub("([^\\p{L}\\p{N}_\\s])", " \\1 ", lower_text(text), perl = TRUE)
  trimws(gsub("[[:space:]]+", " ", text))
}

# "passengers" as "passenger"; what is no plural stays.
singular_text <- function(word) {
  out <- ifelse(grepl("[^aeiou]ies$", word), sub("ies$", "y", word),
                ifelse(grepl("(ss|x|z|ch|sh)es$", word), sub("es$", "", word),
                       ifelse(grepl("[^sui]s$", word), sub("s$", "", word), word)))
  ifelse(nchar(out) < 2, word, out)
}

# Members by themselves: list(key, member, column), of the columns of text that have not too many.
members_said <- function(names) {
  memo <- names$memo
  if (!is.null(memo$members)) return(memo$members)
  text <- names$columns[names$holds %in% c("text", "levels", "ordered")]
  each <- lapply(text, function(column) {
    members <- known_members(names$x, column)
    if (length(members) > most_members_alone) members <- character()
    list(member = members, column = rep(column, length(members)))
  })
  member <- unlist(lapply(each, `[[`, "member"), use.names = FALSE)
  column <- unlist(lapply(each, `[[`, "column"), use.names = FALSE)
  key <- member_keys(member)
  memo$members <- list(key = key, member = member, column = column,
                       size = max(0L, lengths(strsplit(unique(key), " ", fixed = TRUE))),
                       rows = if (length(key) > 0) list2env(split(seq_along(key), key),
                                                            hash = TRUE))
  memo$members
}

# Keys of members; an empty text has none that words could be.
member_keys <- function(members) {
  if (length(members) == 0) return(character())
  key <- key_of_text(members)
  replace(key, !nzchar(key), " ")
}

most_members_alone <- 20000L

# The members of one column: list(key, member, rows).
members_of_column <- function(names, column) {
  memo <- names$memo
  slot <- match(column, c(names$columns, names$parts))
  if (is.null(memo$of)) memo$of <- list()
  if (length(memo$of) >= slot && !is.null(memo$of[[slot]])) return(memo$of[[slot]])
  member <- if (column %in% names$columns) known_members(names$x, column)
            else part_members(column, names)
  key <- member_keys(member)
  made <- list(key = key, member = member, size = max(0L, lengths(strsplit(key, " ",
                                                                           fixed = TRUE))),
               rows = list2env(split(seq_along(key), key), hash = TRUE))
  memo$of[[slot]] <- made
  made
}

# Members of a calendar part, as text; none of those that are numbers.
part_members <- function(part, names) {
  days <- names$facts$dates[[1]]
  if (is.na(days$last) || part == "hour") return(character())
  known <- calendar_parts[[part]]$of_days(days$last - 370:0, names$calendar)
  if (is.factor(known)) levels(known) else character()
}

# Rows of a key in an index by words.
rows_of_key <- function(index, key) {
  if (is.null(index$rows) || !nzchar(key)) return(integer())
  index$rows[[key]] %||% integer()
}

# "61,204 entries" of a member.
entries_of_member <- function(names, column, member) {
  found <- source_members(names$x, column)
  at <- match(member, found$text)
  if (is.na(at)) return("no entries")
  count_text(found$counts[at], "entry", "entries")
}
