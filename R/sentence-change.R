# A sentence that changes the question before it: "and by channel", "last year instead", "without
# totals". Any other sentence is a new question.

changed_question <- function(sentence, before, names) {
  r <- new_sentence_reader(enc2utf8(sentence), names)
  changes <- names$words$changes
  if (r$n > 0) {
    left <- part_left_out(r, changes)
    if (!is.null(left)) return(list(question = question_less(before, left), notes = character()))
  }
  last <- if (r$n > 0) word_of(r, r$n) else ""
  instead <- last %in% changes$instead
  adds <- r$n > 0 && word_of(r, 1L) %in% changes$and
  if (!instead && !adds) return(read_question(sentence, names))
  text <- if (instead) substr(sentence, 1, r$token$start[r$n] - 1L) else sentence
  if (adds) text <- substr(text, r$token$end[1] + 1L, nchar(text))
  read <- read_sentence(text, names)
  if (!is.null(read$problem)) return(read)
  tryCatch({
    old <- read_sentence(sentence_of_question(before, names)$text, names)$tree
    list_of <- joined_clauses(old, read$tree, instead)
    question_of_clauses(list_of, names)
  }, sentence_problem = function(problem) {
    list(problem = list(message = conditionMessage(problem) %||% problem$message,
                        hint = problem$hint))
  })
}

# The part of a question that "without totals" leaves out; NULL where the sentence is another.
part_left_out <- function(r, changes) {
  without <- read_choice_words(r, 1L, changes$without)
  if (length(without) == 0) return(NULL)
  for (part in grep("^part:", base::names(changes), value = TRUE)) {
    found <- read_choice_words(r, past_article(r, without[[1]]$to), changes[[part]])
    if (length(found) > 0 && found[[1]]$to > r$n) return(sub("^part:", "", part))
  }
}

question_less <- function(question, part) {
  question <- question[setdiff(base::names(question), "ledger")]
  if (part %in% c("steps", "show")) question[[part]] <- list()
  else question[["statement"]][[part]] <- NULL
  # What groups or periods are needed for goes with them.
  if (part == "by") question$statement <- question$statement[
    setdiff(base::names(question$statement), c("totals", "list_all"))]
  question
}

# The clauses before with those that follow: added, or in the place of those of their kind.
joined_clauses <- function(old, new, instead) {
  kind <- function(one) {
    switch(one$section, statement = base::names(one$args)[1], days = "days",
           steps = if (instead) paste("step", one$verb) else "",
           looks = "look", questions = "question", one$section)
  }
  single <- setdiff(unique(vapply(new, kind, "")), "")
  # Columns to group by, measures, conditions and steps add up; the rest there is one of.
  if (!instead) single <- setdiff(single, c("by", "measure", "condition"))
  keep <- !vapply(old, function(one) kind(one) %in% single, TRUE)
  # Measures stand in the place of measures.
  at <- if (instead && "measure" %in% single) 0L else sum(keep)
  c(utils::head(old[keep], at), new, utils::tail(old[keep], length(old[keep]) - at))
}
