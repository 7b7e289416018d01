#' Ask in a sentence
#'
#' Asks a [ledger()] what a sentence says: `"fare each month by route, latest 12 months, against 1
#' year back"`. A sentence is made of parts, in any order, whose words are those of the trade and
#' the ledger's own names; it is read by a small grammar, and nothing is guessed. What has two
#' meanings is asked, with both. The answer is that of the [statement()] and verbs that the sentence
#' stands for.
#'
#' @param x A [ledger()]; or a result of [ask()] or [statement()], whose question the sentence then
#'   changes: `"and by channel"`, `"last year instead"`, `"without totals"`.
#' @param sentence Text: the sentence, in the words of the section The language.
#' @param tables Named list of data frames, which a sentence may name: `"against the target plan"`
#'   with `tables = list(plan = demo_targets)`.
#' @return The answer: a [statement()], or what the sentence asks for of it: a cross table, a
#'   figure, a comparison, an explanation ([why_changed()]), what stands out ([stands_out()]). A
#'   message tells the sentence as it was understood, with its days. [question()] of the answer is
#'   its record, [save_brief()] keeps it.
#'
#' @eval sentence_help_section()
#'
#' @section Names:
#' Columns are said by their name or its words (`fare class` for `fare_class`), in the singular or
#' plural; members by themselves where one column alone has them, after their column otherwise, and
#' days as the calendar calls them (`only Fridays`, `without days off`). What stands in double
#' quotes is always a name: `by "month"`, `only channel "and"`. A column of amounts by itself is
#' added up; one of members is counted in the plural, `accounts` being the number of different
#' accounts.
#' `income` (revenue, sales, takings) is the one amount of money that there is.
#' What has no words stands as code between backticks, as in [statement()], and what else a verb
#' takes in brackets after it, by the name of its argument: ``fare against 1 year back (name
#' "before")``.
#'
#' @section Errors:
#' `rollingledger_error_sentence` for what is not understood, with the word and what could stand
#' there, or has two meanings, with both; others as for the verbs that are asked for. A sentence
#' runs no code, and reads no file.
#' @seealso [sentence()] for the way back; [span()] for the language of days.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
#'                 calendar = ledger_calendar(fiscal_start = "April"), units = c(fare = "EUR"))
#' ask(fares, "income each month by route, latest 3 months, the first 2, the rest as others")
#'
#' s <- ask(fares, "accounts each week, latest 4 weeks, only channel web, without refunds")
#' ask(s, "and by fare class")
#' ask(s, "last 2 weeks instead")
#'
#' ask(fares, "fare per passenger by route, last 2 fiscal years")
#' ask(fares, "why did fare change, last month against 1 year back")
ask <- function(x, sentence, tables = list()) {
  call <- rlang::current_env()
  if (!rlang::is_string(sentence))
    refuse("sentence", sprintf("The sentence must be one text, not %s.", kind_text(sentence)))
  before <- NULL
  if (!inherits(x, "ledger")) {
    plan <- attr(x, "plan")
    if (is.null(plan))
      refuse("choice", sprintf("{x} must be a ledger, or what was asked of one, not %s.",
                               kind_text(x)), arg = "x", call = call)
    before <- question(x)
    x <- plan_ledger(plan, call)
  }
  check_ledger_object(x)
  names <- sentence_names(x, base::names(tables))
  asked <- asked_in_words(sentence, names, before, call)
  out <- answer(asked$question, x, tables)
  tell(c(said_of_answer(out, asked$question, names), hints_of(asked$notes)),
       "rollingledger_message_sentence")
  out
}

#' The question of a statement in a sentence
#'
#' What was asked, in the words of [ask()]: the sentence, asked of the same ledger, gives the same
#' question. Days are told beside the phrases that mean them, and what was left to a default in
#' square brackets, which are read over; so is what no sentence can say, such as a lookup.
#'
#' @param x A [statement()], or anything that [question()] knows the question of.
#' @param days Logical: whether days are told beside phrases, and defaults in square brackets.
#' @return Text: one sentence.
#' @section Errors:
#' `rollingledger_error_question` for what no question stands behind,
#' `rollingledger_error_statement` where the ledger is not with it.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"))
#' s <- statement(fares, per = "month", by = "route", span = "latest 12 months", fare = total(fare),
#'                where = channel == "web") |>
#'   add_change(fare, from = "1 year back") |>
#'   add_rank(fare, keep = 3, rest = "All others")
#' sentence(s)
#' identical(question(ask(fares, sentence(s))), question(s))
sentence <- function(x, days = TRUE) {
  asked <- question(x)
  plan <- attr(x, "plan")
  if (is.null(plan))
    refuse("question", "A sentence needs what was asked of one ledger, such as a statement.")
  days <- one_flag(days, "days")
  names <- sentence_names(plan_ledger(plan), tables_named(asked))
  if (days) return(said_of_answer(x, asked, names))
  told_with_left(sentence_of_question(asked, names))
}

# Names of the tables that a question was given.
tables_named <- function(question) {
  unlist(lapply(question$steps, function(step) {
    if (is.list(step$targets)) step$targets$by_hand
  }))
}

told_with_left <- function(said) {
  if (length(said$left) == 0) return(said$text)
  paste0(sub("[.]$", "", said$text), " [and ", listed(said$left, most = Inf), "].")
}

# The question that a sentence asks, or that it makes of one before: list(question, notes).
asked_in_words <- function(sentence, names, before = NULL, call = caller_env()) {
  read <- if (is.null(before)) read_question(sentence, names)
          else changed_question(sentence, before, names)
  if (!is.null(read$problem)) refuse_sentence(sentence, read$problem, call)
  read$question <- as_question(c(list(ledger = names$facts$given), read$question))
  read
}

# One message for one sentence: which word, where it stands, what could stand there.
refuse_sentence <- function(sentence, problem, call = caller_env()) {
  message <- problem$message
  could <- utils::head(unique(problem$expected), 8)
  shown <- sentence_shown(sentence, problem)
  hints <- hints_of(problem$hint)
  refuse("sentence", c(
    message, shown, hints,
    i = if (length(could) == 1) sprintf("Here could stand: %s.", could)
        else if (length(could) > 1) "Here could stand:",
    if (length(could) > 1) stats::setNames(could, rep("*", length(could)))
  ), sentence = sentence, at = problem$word, call = call)
}

# The part of the sentence where it stops, with marks below it.
sentence_shown <- function(sentence, problem) {
  if (is.null(problem$from) || grepl("[[:cntrl:]]", sentence) || !nzchar(trimws(sentence)))
    return(NULL)
  begin <- max(1L, problem$from - 50L)
  piece <- substr(sentence, begin, begin + 69L)
  width <- max(1L, min(problem$to, begin + 69L) - problem$from + 1L)
  c(" " = piece,
    " " = paste0(strrep(" ", nchar(substr(sentence, begin, problem$from - 1L), "width")),
                 strrep("^", width)))
}

# ---- as it was understood ----------------------------------------------------

# The sentence with its days: those of the answer, not of the phrases anew.
said_of_answer <- function(x, question, names) {
  said <- sentence_of_question(question, names)
  plan <- attr(x, "plan")
  pieces <- said$pieces
  days <- days_of_answer(question, plan)
  at <- which(vapply(pieces, function(one) identical(one$part, "days"), TRUE))
  told <- length(at) > 0 && !is.null(days) && length(days) == 1 && is_phrase_piece(question)
  if (told && !identical(pieces[[at[1]]]$text, days))
    pieces[[at[1]]]$text <- paste0(pieces[[at[1]]]$text, ": ", days)
  remarks <- c(
    if (!told && length(days) > 0) listed(unsaid_days(question, days), most = 4),
    if (is.null(on_of_question(question)) && !is.null(plan$on)) plan$on,
    if (length(said$left) > 0) paste("and", listed(said$left, most = Inf)))
  remarks <- gsub("[][]", "", remarks)
  if (length(remarks) > 0) {
    # After the days, or the last of what the statement is of.
    after <- if (length(at) > 0) max(at) else sum(!vapply(pieces, is_added_piece, TRUE))
    if (after > 0) pieces[[after]]$text <- sprintf("%s [%s]", pieces[[after]]$text,
                                                   paste(remarks, collapse = ", "))
    else pieces <- c(list(new_piece(sprintf("entries [%s]", paste(remarks, collapse = ", ")),
                                    "what")), pieces)
  }
  pieces_text(pieces)
}

is_added_piece <- function(piece) grepl("^step-|^look$", piece$part)

asked_record <- function(question) {
  show <- if (length(question$show) > 0) question$show[[1]]
  if (isTRUE(show$show %in% verbs_of("ledger"))) show else question[["statement"]]
}

on_of_question <- function(question) asked_record(question)$on

is_phrase_piece <- function(question) rlang::is_string(asked_record(question)$span)

# The days of each span of an answer, in words.
days_of_answer <- function(question, plan) {
  spans <- plan$spans
  if (is.null(spans) || !is.null(plan$anchors)) return(NULL)
  unique(vapply(seq_along(spans$from), function(i) days_text(spans$from[i], spans$to[i]), ""))
}

unsaid_days <- function(question, days) {
  record <- asked_record(question)
  said <- c(record[["span"]], record$spans, record[["a"]], record[["now"]])
  if (is.null(said)) paste("all:", listed(days, most = 4)) else days
}

# Texts as lines of a message of their own.
hints_of <- function(texts) if (length(texts) > 0) stats::setNames(texts, rep("i", length(texts)))
