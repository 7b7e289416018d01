# The words of the language of spans, and a phrase cut into words.

unit_words <- c(
  period = "period", periods = "period",
  day = "day", days = "day", d = "day",
  week = "week", weeks = "week", w = "week", wk = "week", wks = "week",
  month = "month", months = "month", m = "month", mo = "month", mos = "month", mth = "month",
  mths = "month",
  quarter = "quarter", quarters = "quarter", q = "quarter", qtr = "quarter", qtrs = "quarter",
  year = "year", years = "year", y = "year", yr = "year", yrs = "year",
  fw = "fiscal week", fm = "fiscal month", fq = "fiscal quarter", fy = "fiscal year"
)

to_date_words <- c(wtd = "week", mtd = "month", qtd = "quarter", ytd = "year", fwtd = "fiscal week",
                   fmtd = "fiscal month",
                   fqtd = "fiscal quarter", fytd = "fiscal year")

start_words <- c("all", "this", "same", "last", "latest", "trailing", "every")
other_words <- c("to", "date", "back", "fiscal", "finished", "today", "yesterday")
month_words <- tolower(c(month_names, substr(month_names, 1, 3), "sept"))
known_words <- unique(
  c(start_words, other_words, names(unit_words), names(to_date_words), month_words))

# What people say elsewhere, and what says it here.
words_elsewhere <- c(
  previous = "\"last\" (whole periods before the current one)",
  prior = "\"last\" (whole periods before the current one)",
  current = "\"this\" (the whole period) or \"to date\" (its days so far)",
  past = "\"last\" (whole periods before the current one) or \"trailing\" (ends on the as-of day)",
  rolling = "\"trailing\" (ends on the as-of day)", ago = "\"back\"", before = "\"back\"",
  earlier = "\"back\"",
  each = "\"every\"", since = "\"from/..\", such as 2026-06/..",
  until = "\"../to\", such as ../2026-06",
  from = "\"from/to\", such as 2026-06-01/2026-06-15",
  between = "\"from/to\", such as 2026-06-01/2026-06-15"
)

longest_phrase <- 200L

# list(text = words in lower case, number = which are numbers, start, end): runs of letters or of
# digits, "..", or one sign. Words written together ("monthtodate") are taken apart.
phrase_words <- function(phrase) {
  at <- gregexpr("\\p{L}+|[0-9]+|\\.\\.|\\S", phrase, perl = TRUE)[[1]]
  if (at[1] == -1)
    return(list(text = character(), number = logical(), start = integer(), end = integer()))
  start <- as.integer(at)
  end <- start + attr(at, "match.length") - 1L
  text <- lower_text(substring(phrase, start, end))
  unknown <- which(nchar(text) > 4 & !text %in% known_words)
  for (i in rev(unknown)) {
    lengths <- word_lengths(text[i])
    if (is.null(lengths)) next
    ends <- start[i] + cumsum(lengths) - 1L
    starts <- ends - lengths + 1L
    text <- append(text[-i], substring(text[i], starts - start[i] + 1L, ends - start[i] + 1L),
                   i - 1)
    start <- append(start[-i], starts, i - 1)
    end <- append(end[-i], ends, i - 1)
  }
  list(text = text, number = startsWith(chartr("123456789", "000000000", text), "0"), start = start,
       end = end)
}

# Lengths of the known words that make up a run of letters, the longest first word that leads to an
# end; NULL where there are none. Single letters are not looked for.
word_lengths <- function(run) {
  size <- nchar(run)
  if (size > 40 || !any(startsWith(run, long_words))) return(NULL)
  from <- rep(seq_len(size), each = longest_word - 1L)
  to <- from + seq_len(longest_word - 1L)
  known <- matrix(substring(run, from, to) %in% known_words & to <= size, longest_word - 1L)
  take <- integer(size + 1)  # length of the word to take at each place, 0 where none leads on
  take[size + 1] <- 1L
  for (place in size:1) {
    lengths <- which(known[, place]) + 1L
    lengths <- lengths[take[place + lengths] > 0L]
    if (length(lengths) > 0) take[place] <- max(lengths)
  }
  if (take[1] == 0L) return(NULL)
  out <- integer()
  place <- 1L
  while (place <= size) {
    out <- c(out, take[place])
    place <- place + take[place]
  }
  out
}

longest_word <- max(nchar(known_words))
long_words <- known_words[nchar(known_words) > 1]
