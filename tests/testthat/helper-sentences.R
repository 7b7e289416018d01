# Sentences for tests: the ledgers that examples speak of, and sentences changed at random.

sentence_ledgers <- function() {
  list(fares = ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
                      calendar = april),
       fuel = suppressMessages(ledger(demo_fuel, on = "read_on")),
       passes = suppressMessages(ledger(demo_passes, on = "from_on", until = "until_on")))
}

# The question without its ledger, as sentences tell it.
asked_alone <- function(question) own("question_without_ledger")(question)

# The question that R code asks of some ledgers.
question_of_code <- function(code, ledgers) {
  asked_alone(question(suppressMessages(eval(parse(text = code), list2env(
    ledgers, parent = environment(question_of_code))))))
}

read_alone <- function(sentence, names) {
  read <- own("read_question")(sentence, names)
  if (!is.null(read$problem)) return(read)
  asked_alone(read$question)
}

# The clauses of a sentence as texts, each with what of the question it says.
clauses_of_text <- function(sentence, names) {
  r <- own("new_sentence_reader")(sentence, names)
  clauses <- own("read_clauses")(r)
  text <- vapply(clauses, function(one) own("words_between")(r, one$from, one$to), "")
  kind <- vapply(clauses, function(one) {
    if (one$section == "statement") names(one$args)[1] else one$section
  }, "")
  list(text = text, kind = kind)
}

# The same question in other words: its parts in another order (those of one kind in theirs), other
# signs between them, other case, spaces and articles.
varied_sentence <- function(sentence, names) {
  parts <- clauses_of_text(sentence, names)
  # Measures come first in their order: they name what follows.
  groups <- split(seq_along(parts$text), factor(parts$kind, unique(parts$kind)))
  # What a change is from is said in one with what it is of, "why" with its days.
  order <- if ("questions" %in% parts$kind) seq_along(parts$text)
           else unlist(groups[sample(length(groups))], use.names = FALSE)
  text <- parts$text[order]
  kind <- parts$kind[order]
  signs <- sample(c(", ", "; ", " ; ", ",  "), length(text), TRUE)
  # After a list of groups a comma would go on with it.
  signs[kind == "measure"] <- "; "
  out <- paste0(text, c(signs[-1], ""), collapse = "")
  # Names that are given keep their case.
  plain <- !grepl("[\"`]| as ", out)
  if (plain && sample(3, 1) == 1) out <- toupper(out)
  else if (plain && sample(3, 1) == 1) out <- paste0(toupper(substr(out, 1, 1)), substring(out, 2))
  if (sample(2, 1) == 1) out <- paste0("  ", out, " .")
  for (pair in list(c("each month", "monthly"), c(" by route", " by the route"),
                    c("only channel", "only the channel"), c("by route", "by routes"),
                    c("fare above", "fare is more than"),
                    c("total of fare", "fare"), c("number of accounts", "accounts"))) {
    if (sample(2, 1) == 1) out <- sub(pair[1], pair[2], out, fixed = TRUE)
  }
  out
}

# A sentence with words taken out, put in, exchanged or spoilt.
harmed_sentence <- function(sentences, words) {
  text <- strsplit(sample(sentences, 1), " ")[[1]]
  for (turn in seq_len(sample(3, 1))) {
    how <- sample(6, 1)
    at <- if (length(text) > 0) sample(length(text), 1)
    if (how == 1) text <- sample(text)
    else if (how == 2 && !is.null(at)) text <- text[-at]
    else if (how == 3) text <- append(text, sample(words, 1), sample(0:length(text), 1))
    else if (how == 4) text <- sample(words, sample(12, 1), TRUE)
    else if (how == 5 && !is.null(at) && nchar(text[at]) > 0) {
      letters_of <- strsplit(text[at], "")[[1]]
      letters_of[sample(length(letters_of), 1)] <-
        sample(c(letters, "\"", "`", "(", "]", " ", "\n", "\u00e9"), 1)
      text[at] <- paste(letters_of, collapse = "")
    } else text <- c(text, strsplit(sample(sentences, 1), " ")[[1]])
  }
  paste(text, collapse = " ")
}
