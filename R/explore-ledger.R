# Whose questions a page answers: a brief, or an address, may be of another ledger than the page's.
# What tells ledgers apart is held against each other; what the page can take over it does, the rest
# is said, each difference for itself.

# What a ledger is beside its entries: list(dates, calendar, conditions, worked, lookups, settings).
ledger_nature <- function(record, bases, calendar) {
  steps <- record$steps
  of <- function(verb) Filter(function(step) identical(step$verb, verb), steps)
  worked <- c(as.list(record["columns"][[1]]),
              unlist(lapply(of("work_out"), function(step) as.list(step["columns"][[1]])),
                     recursive = FALSE))
  settings <- record[intersect(names(record), settings_that_tell)]
  list(dates = bases, calendar = unname(unlist(format(calendar))),
       conditions = unlist(c(record$where, lapply(of("keep_entries"), function(step) {
         step$condition
       }))),
       worked = lapply(worked, as.character),
       lookups = vapply(of("add_attributes"), function(step) {
         paste(names(step$key) %||% "", unlist(step$key), collapse = ",")
       }, ""),
       settings = lapply(settings, function(value) paste(unlist(value), collapse = ", ")))
}

# Arguments of ledger() by which the same source is another one.
settings_that_tell <- c("until", "as_of", "date_format", "number_format", "time_zone", "missing",
                        "skip", "column_names", "sheet", "cells", "table", "order", "counts")

nature_of_page <- function(x) {
  facts <- source_facts(x)
  ledger_nature(facts$given, vapply(facts$dates, function(base) base$column, ""), facts$calendar)
}

# The same for a brief, as it stands.
nature_of_brief <- function(record) {
  on <- named_values(record$on)
  bases <- stats::setNames(as.character(on), names(on) %||% on)
  names(bases)[!nzchar(names(bases))] <- bases[!nzchar(names(bases))]
  ledger_nature(record, bases, calendar_of_record(record$calendar, list(), NULL))
}

# What a page of `page` cannot take over from `other`, a line each; and what it can:
# list(differs, on, conditions). `on` are names of the page's date bases by those of the other.
ledgers_compared <- function(page, other, texts) {
  differs <- character()
  say <- function(...) differs <<- c(differs, sprintf(...))
  on <- names(page$dates)[match(other$dates, page$dates)]
  for (i in which(is.na(on))) {
    say("It counts days of `%s`, which is not a date basis here.", other$dates[i])
  }
  lines <- setdiff(other$calendar, page$calendar)
  lines <- lines[calendar_lines_spoken_of(lines, other$calendar, texts)]
  if (length(lines) > 0) {
    say("Its calendar is another: %s.", listed(gsub(" +", " ", trimws(lines)), last = "and"))
  }
  for (text in setdiff(page$conditions, other$conditions)) {
    say("The entries here are those of %s alone, and its are not.", text)
  }
  more <- setdiff(other$conditions, page$conditions)
  # First and former entries are looked for among those that a ledger keeps.
  seen <- grepl("\\b(newcomers|returning|lapsed)\\(", texts)
  if (length(more) > 0 && any(seen)) {
    say("Its entries are those of %s, and `%s` looks at all there are here.", listed(more),
        texts[seen][1])
  }
  for (name in names(other$worked)) {
    if (identical(page$worked[[name]], other$worked[[name]])) next
    say("It works out `%s` as %s.", name, other$worked[[name]])
  }
  for (lookup in setdiff(other$lookups, page$lookups)) {
    say("It brings in columns by `%s`.", trimws(sub("^ ", "", lookup)))
  }
  for (name in union(names(page$settings), names(other$settings))) {
    own <- page$settings[[name]] %||% "not said"
    its <- other$settings[[name]] %||% "not said"
    if (own != its) say("Its `%s` is %s, and here it is %s.", gsub("_", " ", name), its, own)
  }
  list(differs = differs, on = stats::setNames(on, names(other$dates)), conditions = more)
}

# Of what a calendar says, as it is printed, the part that some texts hang on: fiscal years, weeks
# or working days.
calendar_lines_spoken_of <- function(lines, all, texts) {
  about <- c("fiscal year" = "fiscal|\\bFY|FQTD|FYTD", weeks = "week|WTD|W[0-9]|days",
             "working days" = "working")
  of <- vapply(lines, function(line) {
    # A line without a word of its own goes on with the one before it.
    at <- match(line, all)
    heads <- regmatches(all, regexpr("^  [a-z]+( [a-z]+)?", all))
    held <- which(grepl("^  [a-z]", all))
    name <- trimws(heads[max(which(held <= at), 1)])
    names(about)[startsWith(name, names(about))][1] %||% NA_character_
  }, "")
  vapply(of, function(name) {
    is.na(name) || any(grepl(about[[name]], texts, ignore.case = TRUE))
  }, TRUE, USE.NAMES = FALSE)
}

# Columns that a brief works out and the page's ledger does not, as far as it can: code by name.
columns_of_brief <- function(brief, tree, offers) {
  record <- brief_ledger_record(tree$ledger, unlist(tree$ledger$file), dirname(brief$file))
  x <- offers$base %||% offers$ledger
  theirs <- nature_of_brief(record)$worked
  own <- theirs[setdiff(names(theirs), c(names(nature_of_page(x)$worked),
                                         source_column_names(x)))]
  can <- tryCatch(length(ledger_with_columns(offers, list(own_columns = own))) > 0,
                  rollingledger_error = function(e) FALSE)
  if (can && length(own) > 0) own
}

# A brief's tree as the page's ledger answers it: list(tree, said), or an error with each
# difference.
brief_for_page <- function(brief, tree, x) {
  folder <- dirname(brief$file)
  record <- brief_ledger_record(tree$ledger, unlist(tree$ledger$file), folder)
  spoken <- tree[c("statements", "show")]
  texts <- c(unlist(spoken), names(rapply(list(spoken), as.character, how = "unlist")))
  compared <- ledgers_compared(nature_of_page(x), nature_of_brief(record), texts)
  if (length(compared$differs) > 0) {
    refuse("brief", c(
      sprintf("%s belongs to another ledger than this page, so its answers would be wrong.",
              basename(brief$file)),
      stats::setNames(compared$differs, rep("x", length(compared$differs))),
      i = "Open a page of the brief itself."), call = NULL)
  }
  first <- names(compared$on)[1]
  tree$statements <- lapply(tree$statements, asked_of_page, compared = compared, first = first,
                            own = names(source_facts(x)$dates)[1])
  label <- source_facts(x)$label
  file <- basename(unlist(tree$ledger$file))
  said <- c(
    if (!any(file == basename(label)))
      sprintf("The brief is of %s; here it is answered from %s.", listed(file), label),
    if (length(compared$conditions) > 0)
      sprintf("Taken over from the brief's ledger: %s.", listed(compared$conditions)))
  list(tree = tree, said = said)
}

# A statement, or a comparison, on the date basis and under the conditions of its own ledger.
asked_of_page <- function(asked, compared, first, own) {
  within <- intersect(comparing_verbs(), names(asked))
  if (length(within) > 0) {
    asked[[within]] <- asked_of_page(asked[[within]], compared, first, own)
    return(asked)
  }
  on <- compared$on[[asked$on %||% first]] %||% asked$on
  if (!identical(on, own) || !is.null(asked$on)) asked$on <- on
  if (length(compared$conditions) > 0) {
    asked$where <- as.list(c(compared$conditions, unlist(asked$where)))
  }
  asked
}

# ---- addresses ------------------------------------------------------------------------------

# A short mark of what a page's ledger is, for addresses: bases, calendar, conditions and columns.
ledger_marks <- function(x) {
  nature <- nature_of_page(x)
  parts <- list(nature$dates, nature$calendar, nature$conditions,
                list(nature$worked, nature$lookups, nature$settings))
  paste(vapply(parts, function(part) substr(rlang::hash(part), 1, 6), ""), collapse = "-")
}

# What differs of the ledger that an address was made on; nothing where it does not say.
marks_compared <- function(marks, x) {
  if (!rlang::is_string(marks)) return(character())
  words <- c("other date bases", "another calendar", "other conditions",
             "other worked-out columns, lookups or settings")
  theirs <- strsplit(marks, "-", fixed = TRUE)[[1]]
  own <- strsplit(ledger_marks(x), "-", fixed = TRUE)[[1]]
  if (length(theirs) != length(own)) return("another ledger")
  words[theirs != own]
}
