# rolling-ledger spans

spans_options <- function() {
  c(list(cli_switch("--list", "show the whole language with what it means now"),
         cli_option("--first", "the first day there is, for spans that recur or have no beginning",
                    "DAY"),
         cli_option("--as-of", "the day that phrases hang on, today without it", "DAY")),
    calendar_options())
}

cli_spans <- function(parsed) {
  o <- parsed$options
  calendar <- cli_calendar(o)
  if (o$list) {
    if (length(parsed$args) > 0)
      refuse_call("`--list` shows the whole language; leave out the phrases.")
    as_of <- cli_day(o$as_of, "--as-of") %||% as.integer(Sys.Date())
    first <- cli_day(o$first, "--first")
    return(writeLines(spans_list(calendar, as_of, first)))
  }
  if (length(parsed$args) == 0) {
    refuse_call(c(
      "`spans` needs a phrase, such as \"month to date\" or \"last 3 months, 1 year back\".",
                  i = "rolling-ledger spans --list shows the language."))
  }
  for (phrase in cli_named(named_pairs(one_phrase(parsed$args, calendar)))) {
    print(span(phrase, calendar, as_of = o$as_of, first = o$first))
  }
}

# Each element as a vector of one that keeps its name.
cli_named <- function(pairs) lapply(seq_along(pairs), function(i) unlist(pairs[i]))

# Words of one phrase that were not put in quotes stand as several arguments.
one_phrase <- function(args, calendar) {
  reads <- function(text) is.null(read_phrase(sub("^[^=]*=", "", text), calendar)$problem)
  together <- paste(args, collapse = " ")
  if (length(args) > 1 && !all(vapply(args, reads, TRUE)) && reads(together)) together else args
}

cli_day <- function(day, flag) {
  if (is.null(day)) return(NULL)
  read <- core_iso_days(day)
  if (is.na(read))
    refuse_call(sprintf("`%s` takes a day such as 2026-09-17, not \"%s\".", flag, day))
  read
}

# The language by examples: the phrase, what it means, its days now.
spans_list <- function(calendar, as_of, first) {
  phrases <- span_example_phrases()
  means <- unlist(unname(span_examples))
  # A table of periods need not reach as far, nor have quarters or years.
  days <- vapply(phrases, function(phrase) {
    tryCatch(example_days(phrase, calendar, as_of, first),
             rollingledger_error = function(e) "(not in the calendar's table)")
  }, "")
  wide <- c(max(nchar(phrases)), max(nchar(means)))
  lines <- sprintf("  %-*s  %-*s  %s", wide[1], phrases, wide[2], means, days)
  starts <- cumsum(c(1, lengths(span_examples)))[seq_along(span_examples)]
  out <- unlist(lapply(seq_along(span_examples), function(i) {
    c(names(span_examples)[i], lines[seq.int(starts[i], length.out = length(span_examples[[i]]))])
  }))
  c(sprintf("Phrases and the days they mean, as of %s, a %s", day_text(as_of),
            weekday_names[weekday_of(as_of)]), out,
    paste0("Units: day, week, month, quarter, year, fiscal week, fiscal month, fiscal quarter, ",
           "fiscal year. See also ?span."))
}
