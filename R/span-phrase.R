# A phrase in full words, from its tree; and the refusal of what is no phrase.

phrase_text <- function(tree, calendar) {
  back <- if (length(tree$shifts) > 0)
    sprintf(", %s back", counted_units(tree$shifts, names(tree$shifts), always = TRUE))
  paste0(base_text(tree$base, calendar), paste(back, collapse = ""),
         if (!is.null(tree$every)) paste(", every", tree$every))
}

# "month", "3 months"; with `always` "1 month"
counted_units <- function(n, unit, always = FALSE) {
  ifelse(n == 1 & !always, unit, paste0(n, " ", unit, ifelse(n == 1, "", "s")))
}

base_text <- function(base, calendar) {
  switch(base$kind,
    all = "all",
    range = range_text(base$from, base$to, calendar),
    "to date" = paste(base$unit, "to date"),
    finished = paste("latest finished", counted_units(base$n, base$unit)),
    recurring = paste("every", recurring_text(base)),
    newest = recurring_text(base),
    "recurring days" = sprintf("every %02d-%02d/%02d-%02d", base$from[1], base$from[2], base$to[1],
                               base$to[2]),
    paste(base$kind, counted_units(base$n, base$unit))
  )
}

range_text <- function(from, to, calendar) {
  label <- function(period) if (is.null(period)) ".."
                            else periods_at(period$index, period$grain, calendar)$label
  if (identical(from, to)) label(from) else paste0(label(from), "/", label(to))
}

recurring_text <- function(base) {
  if (base$grain == "month") return(month_names[base$number])
  letter <- c(quarter = "Q%d", week = "W%02d", month = "M%02d")[[sub("fiscal ", "", base$grain)]]
  paste0(if (is_fiscal(base$grain)) "fiscal ", sprintf(letter, base$number))
}

# One message for one phrase: which word, where it stands, what could stand there.
refuse_phrase <- function(phrase, problem, calendar, call = caller_env()) {
  shown <- if (!is.null(problem$from) && nzchar(trimws(phrase)))
    c(" " = phrase,
      " " = paste0(strrep(" ", problem$from - 1L), strrep("^", problem$to - problem$from + 1L)))
  said <- problem$message %||% if (nzchar(problem$word))
    sprintf("The span \"%s\" is not understood at \"%s\".", phrase, problem$word)
                               else if (nzchar(trimws(phrase)))
                                 sprintf("The span \"%s\" breaks off.", phrase)
                                    else "The span is empty."
  place <- if (identical(problem$word, "")) "There" else "Here"
  could <- problem$expected
  refuse("span", c(
    said, shown,
    i = problem$hint %||% word_hint(problem$word, phrase, calendar),
    i = if (length(could) == 1) sprintf("%s could stand: %s.", place, could)
        else if (length(could) > 1) paste(place, "could stand:"),
    if (length(could) > 1) stats::setNames(could, rep("*", length(could)))
  ), phrase = phrase, at = problem$word, call = call)
}

# What was meant by a word, or by a point that is nearly one. Sought only once a phrase is refused.
word_hint <- function(word, phrase, calendar) {
  if (grepl("[0-9]{1,2}[/.][0-9]{1,2}[/.][0-9]{2,4}", phrase))
    return("Days are written year first: 2026-08-31.")
  if (is.null(word)) return(NULL)
  meant <- label_meant(word, calendar)
  if (!is.null(meant)) return(sprintf("Did you mean `%s`?", meant))
  if (!grepl("^\\p{L}+$", word, perl = TRUE)) return(NULL)
  elsewhere <- words_elsewhere[lower_text(word)]
  if (!is.na(elsewhere)) return(sprintf("For \"%s\" say %s.", word, elsewhere))
  if (nchar(word) > 2 && !lower_text(word) %in% known_words)
    nearest_hint(lower_text(word), known_words[nchar(known_words) > 2])
}
