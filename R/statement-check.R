describe_verb("check_ledger", asked_of = "ledger",
  key = field("attributes", "columns that tell each entry from all others", value = "COLUMN",
              many = TRUE, more = "Entries that share a key are counted and shown.")
)

#' The first look at a table
#'
#' What is in it, and what is odd: each column with what it seems to hold, the columns that could be
#' the date, days without entries, rows that stand there twice, dates far off, amounts at their
#' ends, members that differ only by case, spaces or accents, and months in which the number of
#' entries steps up or down. Nothing needs to be said beforehand: of a table or a file the column
#' that is most likely the date is taken.
#'
#' @param x A [ledger()], a data frame, or the path of a file (or several) as [ledger()] reads it.
#' @eval field_params("check_ledger")
#' @param ... Arguments of [ledger()], where `x` is a table or a file: `on`, `amounts`,
#'   `date_format` and the like.
#' @return A `ledger_check`, which prints on one screen (`print(x, all = TRUE)` shows every line,
#'   [write_report()] makes a page of it): a list of
#'   \describe{
#'     \item{`ledger`}{the [ledger()] that was looked at}
#'     \item{`contents`}{a tibble with a row for each column: `column`, `holds`, `missing` (entries
#'       without a value), `distinct` (different values), `examples` (text)}
#'     \item{`dates`}{columns that hold dates: `column`, `from`, `to` (Dates), `without` (entries
#'       without a day), `note`}
#'     \item{`gaps`}{runs of days without entries: `from`, `to`, `days`}
#'     \item{`far_off`}{entries more than a year away from all others: `from`, `to`, `entries`}
#'     \item{`repeated`}{entries that are equal in every column, or share a key: `rows` (text),
#'       `count`, and the key}
#'     \item{`amounts`}{`column`, `smallest`, `largest`, `total`, `negative` and `zero` (entries)}
#'     \item{`alike`}{members that differ only by case, spaces or accents: `column`, `members`,
#'       `entries`}
#'     \item{`steps`}{months in which entries step up or down: `month`, `entries`, `before`}
#'     \item{`set_aside`}{what was set aside, as [set_aside()] gives it}
#'   }
#' @section Errors:
#' `rollingledger_error_source` and others as for [ledger()]; `rollingledger_error_column` for a key
#' that does not exist.
#' @export
#' @examples
#' check_ledger(demo_fares, key = "ticket")
#'
#' file <- system.file("extdata", "fares.csv.gz", package = "rollingledger")
#' check_ledger(file)
#' @include question-fields.R
check_ledger <- with_fields("check_ledger", function(x, key, ...) {
  asked <- list(...)
  if (inherits(x, "ledger")) {
    rlang::check_dots_empty0(...)
    return(checked_ledger(x, key))
  }
  label <- paste(deparse(substitute(x), nlines = 1), collapse = "")
  made <- ledger_to_check(x, asked, if (is.character(x)) NULL else label)
  checked_ledger(made$ledger, key, made$could_be)
})

# A ledger of a table or a file for which not even the date need be said: list(ledger, could_be).
ledger_to_check <- function(source, asked, label = NULL, call = caller_env()) {
  given <- utils::modifyList(lapply(fields_of("ledger"), function(one) one$default), asked)
  given$calendar <- asked$calendar %||% ledger_calendar()
  if (is.character(source) && (is_address(source) || isFALSE(given$hold))) {
    return(place_to_check(source, given, asked, call))
  }
  reading <- if (is.character(source)) read_table_files(source, file_ask_of(given, call), call)
             else list(table = source)
  if (!is.data.frame(reading$table)) {
    refuse("choice", sprintf("{x} must be a ledger, a data frame or a path, not %s.",
                             kind_text(source)), arg = "x", call = call)
  }
  could_be <- columns_could_be_dates(reading$table, date_format = given$date_format)
  certain <- Filter(function(one) !is.null(one$days), could_be)
  if (is.null(given$on) && length(certain) > 0) given$on <- likeliest_date(certain)
  if (is.null(given$on)) {
    could_be <- c(could_be, numbers_could_be_dates(reading$table))
    # Without any date there are columns all the same.
    reading$table[[undated]] <- rep(as_date(0), nrow(reading$table))
    given$on <- undated
  }
  x <- suppressMessages(build_ledger(reading$table, label %||% label_of_files(source), given,
                                     reading, call))
  x$files <- reading$files
  x$given <- c(if (is.null(label)) list(file = source) else list(data = label),
               asked[setdiff(names(asked), "calendar")], list(on = given$on))
  list(ledger = x, could_be = could_be)
}

# Columns of numbers that could count from a day on, in the likeliest way of each.
numbers_could_be_dates <- function(table) {
  found <- lapply(names(table), function(name) {
    values <- table[[name]]
    if (!is.numeric(values) || is_named_like(name, c(words_of_pieces, words_of_prices)))
      return(NULL)
    there <- unique(values[!is.na(values)])
    if (length(there) == 0 || any(there != trunc(there)) || any(there < 1e4)) return(NULL)
    ways <- numbers_as_dates(utils::head(there, 1000))
    if (length(ways) == 0) return(NULL)
    list(column = name, format = names(ways)[1], count = sum(!is.na(values)),
         says = sprintf("could be %s: %s is %s", names(ways)[1], digits_text(there[1]),
                        day_text(ways[[1]])))
  })
  Filter(Negate(is.null), found)
}

# The same of a database, or of files that stay where they are.
place_to_check <- function(source, given, asked, call) {
  could_be <- NULL
  if (is.null(given$on)) {
    could_be <- columns_could_be_dates(rows_to_look_at(source, given, call))
    certain <- Filter(function(one) !is.null(one$days), could_be)
    if (length(certain) == 0) check_bases(NULL, rows_to_look_at(source, given, call), call)
    given$on <- asked$on <- likeliest_date(certain)
  }
  x <- suppressMessages(ledger_of_place(source, given, asked, call = call))
  list(ledger = x, could_be = NULL)
}

undated <- ".no date"

# The first of the columns of dates that are as good as filled; one that goes by the name of a code
# (order numbers may read as days) only where there is no other.
likeliest_date <- function(certain) {
  coded <- is_named_like(vapply(certain, function(one) one$column, ""), words_of_numbers)
  if (!all(coded)) certain <- certain[!coded]
  counts <- vapply(certain, function(one) as.double(one$count), 0)
  certain[[which(counts >= 0.99 * max(counts))[1]]]$column
}

checked_ledger <- function(x, key = NULL, could_be = NULL, call = caller_env()) {
  answering(x)
  facts <- source_facts(x)
  if (isTRUE(facts$of_cells)) {
    refuse("cells", c(
      sprintf("A first look needs single entries, and %s holds sums of days.", facts$label),
      i = "Look at the ledger of the entries themselves; printing this one says what it holds."),
      call = call)
  }
  columns <- setdiff(source_column_names(x), undated)
  columns <- c(intersect(facts$columns_read, columns), setdiff(columns, facts$columns_read))
  for (name in key) if (!name %in% columns) refuse_column(name, columns, call = call)
  dated <- facts$dates[[1]]$column != undated
  days <- if (dated) entries_by_day(x, facts)
  structure(list(
    ledger = x, could_be = could_be, contents = columns_checked(x, facts, columns),
    dates = dates_checked(x, facts, columns, could_be),
    gaps = if (dated) gaps_between(days), far_off = if (dated) far_off_entries(days),
    repeated = repeated_entries(x, facts, columns, key), key = key,
    amounts = amounts_checked(x, facts, columns), alike = members_alike(x, columns),
    called_totals = members_called_totals(x, columns),
    currencies = currencies_beside(x, columns),
    steps = if (dated) steps_by_month(x, facts), set_aside = source_set_aside(x)
  ), class = "ledger_check")
}

# ---- columns ---------------------------------------------------------------------

columns_checked <- function(x, facts, columns) {
  rows <- lapply(columns, function(name) {
    known <- source_column(x, name)
    members <- source_members(x, name)
    absent <- if (members$absent > 0) members$counts[members$absent] else 0
    held <- length(members$values) - (members$absent > 0)
    list(holds = column_seems(x, name, known, members, held, entries_used(x)),
         missing = as.double(absent), distinct = as.double(held),
         examples = examples_of(known, members))
  })
  of <- function(what, type) vapply(rows, function(row) row[[what]], type)
  tibble::tibble(column = columns, holds = of("holds", ""), missing = of("missing", 0),
                 distinct = of("distinct", 0), examples = of("examples", ""))
}

column_seems <- function(x, name, known, members, held, entries) {
  if (known$is_blank || held == 0) return("nothing")
  units <- source_facts(x)$units
  unit <- if (name %in% names(units)) units[[name]]
  switch(known$holds,
    flags = "TRUE or FALSE", days = "dates", levels = "text, in levels",
    ordered = "text, in order",
    amounts = paste0(
      if (known$decimals == 0 && known$exact) "whole numbers"
      else if (known$exact) sprintf("numbers, %s", count_text(known$decimals, "decimal"))
      else "numbers, many decimals",
      if (!is.null(unit)) sprintf(", %s", unit),
      if (known$decimals == 0 && held == entries && held > 1) ", all different"),
    text_seems(members, held, entries)
  )
}

# A text column may be dates, or mostly numbers.
text_seems <- function(members, held, entries) {
  text <- members$text
  if (members$is_dated) return("dates with times, as text")
  text <- enc2utf8(text[!is.na(text)])
  known <- core_survey_numbers(utils::head(text, 10000), FALSE)
  dates <- core_survey_dates(utils::head(text, 2000))
  if (known$others == 0 && known$both) return("numbers, 1.234 in two readings")
  if (known$others == 0 && nzchar(known$other_unit)) return("amounts of several currencies")
  if (known$others == 0) return(if (held == entries) "codes, all different" else "codes in digits")
  if (known$numbers > 4 * known$others) return("mostly numbers, kept as text")
  if (dates$others == 0) return("dates, day or month first")
  if (dates$plain + dates$numbered > 4 * dates$others) return("mostly dates, kept as text")
  if (held == entries && held > 1) "text, all different" else "text"
}

# The most frequent members, or the ends of what is in order.
examples_of <- function(known, members) {
  there <- which(!is.na(members$values))
  if (length(there) == 0) return("")
  ends <- known$holds %in% c("amounts", "days", "ordered")
  at <- if (ends) there[order(members$rank[there])][unique(c(1, length(there)))]
        else utils::head(there[order(-members$counts[there])], 3)
  plain <- known$holds == "amounts" && !known$large
  shown <- if (plain) number_text(members$values[at], known$decimals)
           else shortened_text_each(members$shown[at], 24L)
  paste(shown, collapse = if (ends) " to " else ", ")
}

shortened_text_each <- function(texts, most) {
  vapply(texts, shortened_text, "", most = most, USE.NAMES = FALSE)
}

dates_checked <- function(x, facts, columns, could_be) {
  bases <- vapply(facts$dates, function(basis) basis$column, "")
  bases <- bases[bases != undated]
  of_bases <- lapply(names(bases), function(name) {
    basis <- facts$dates[[name]]
    aside <- source_set_aside(x)
    lacking <- aside$column %in% basis$column & aside$reason %in% c("no date", "unreadable date")
    without <- if (name == names(facts$dates)[1]) sum(lacking) else source_absent(x, name)$without
    list(column = basis$column, from = basis$first, to = basis$last, without = without,
         note = if (name == names(facts$dates)[1]) "taken as the date" else "another date basis")
  })
  held <- Filter(function(name) source_column(x, name)$holds == "days", setdiff(columns, bases))
  of_columns <- lapply(held, function(name) {
    members <- source_members(x, name)
    values <- day_numbers(members$values)
    list(column = name, from = min(values, Inf, na.rm = TRUE), to = max(values, -Inf, na.rm = TRUE),
         without = if (members$absent > 0) members$counts[members$absent] else 0,
         note = "could be the date")
  })
  others <- Filter(function(one) !one$column %in% c(bases, held), could_be)
  of_text <- lapply(others, function(one) {
    days <- if (length(one$days) > 0) range(one$days) else c(NA, NA)
    list(column = one$column, from = days[1], to = days[2], without = NA,
         note = if (is.null(one$days)) one$says else "could be the date")
  })
  rows <- c(of_bases, of_columns, of_text)
  tibble::tibble(
    column = vapply(rows, function(row) row$column, ""),
    from = as_date(vapply(rows, function(row) as.double(row$from), 0)),
    to = as_date(vapply(rows, function(row) as.double(row$to), 0)),
    without = vapply(rows, function(row) as.double(row$without), 0),
    note = vapply(rows, function(row) row$note, ""))
}

# ---- days ------------------------------------------------------------------------

# list(first, count): entries of each day from the first to the last.
entries_by_day <- function(x, facts) {
  basis <- facts$dates[[1]]
  last <- min(basis$last, facts$as_of)
  ask <- new_ask(names(facts$dates)[1], NULL, NULL, list(entry_count))
  days <- seq.int(basis$first, last)
  windows <- new_windows(rep(0L, length(days)), days, days)
  list(first = basis$first, count = values_in_windows(x, ask, entry_count, windows),
       months = basis$months)
}

# Runs of days without entries, longest first. Weekdays on which there never is any are no gaps.
gaps_between <- function(days) {
  if (days$months) return(no_gaps())
  there <- seq_along(days$count) - 1L + days$first
  weekday <- weekday_of(there)
  never <- which(tabulate(weekday[days$count > 0], 7) == 0)
  empty <- days$count == 0 & !weekday %in% never
  # A day that is never one does not break a run.
  gone <- days$count == 0
  run <- cumsum(c(TRUE, diff(gone) != 0))
  counted <- tapply(empty, run, sum)
  first <- tapply(there, run, min)
  last <- tapply(there, run, max)
  at <- which(tapply(gone, run, all) & counted > 0)
  at <- at[order(-counted[at], first[at])]
  out <- tibble::tibble(from = as_date(first[at]), to = as_date(last[at]),
                        days = as.double(counted[at]))
  attr(out, "never") <- weekday_names[never]
  out
}

no_gaps <- function() tibble::tibble(from = as_date(numeric()), to = as_date(numeric()),
                                     days = numeric())

# Few entries that a year or more without any parts from all others.
far_off_entries <- function(days) {
  there <- which(days$count > 0)
  out <- tibble::tibble(from = as_date(numeric()), to = as_date(numeric()), entries = numeric())
  breaks <- which(diff(there) > 366)
  if (length(breaks) == 0) return(out)
  group <- findInterval(seq_along(there), breaks + 1)
  entries <- tapply(days$count[there], group, sum)
  far <- which(entries <= sum(entries) / 100)
  if (length(far) == 0) return(out)
  tibble::tibble(from = as_date(tapply(there, group, min)[far] + days$first - 1L),
                 to = as_date(tapply(there, group, max)[far] + days$first - 1L),
                 entries = as.double(entries[far]))
}

# Months with two and a half times the entries of the month before, or less than four tenths, unless
# the same month of the year before was like that.
steps_by_month <- function(x, facts) {
  basis <- facts$dates[[1]]
  months <- periods_between(basis$first, min(basis$last, facts$as_of), "month", facts$calendar)
  ask <- new_ask(names(facts$dates)[1], NULL, NULL, list(entry_count))
  count <- values_in_windows(x, ask, entry_count,
                             new_windows(rep(0L, length(months$from)), months$from, months$to))
  n <- length(count)
  whole <- months$complete
  ratio <- c(NA, count[-1] / count[-n])
  year_before <- c(rep(NA, min(12, n)), ratio)[seq_len(n)]
  seasonal <- !is.na(year_before) & ratio / year_before < 1.6 & ratio / year_before > 0.6
  at <- which(whole & c(FALSE, whole[-n]) & is.finite(ratio) & (ratio >= 2.5 | ratio <= 0.4) &
                pmax(count, c(0, count[-n])) >= 20 & !seasonal)
  tibble::tibble(month = months$label[at], entries = count[at], before = count[at - 1])
}

# ---- rows, amounts, members --------------------------------------------------------

# Entries that are equal in every column, or in those of the key.
repeated_entries <- function(x, facts, columns, key) {
  basis <- names(facts$dates)[1]
  names <- if (is.null(key)) columns else key
  # Which rows they are can be told only where rows have an order.
  found <- tryCatch(source_repeated(x, basis, names), rollingledger_error_order = function(e) NULL)
  if (is.null(found)) return(structure(tibble::tibble(), extra = NA_real_))
  told <- rows_told_apart(unname(found$values), length(found$row))
  times <- tabulate(told$number)
  twice <- which(times > 1)
  again <- which(told$number %in% twice)
  rows <- source_rows_told(x, found$row[again])$at
  by_group <- split(rows, told$number[again])
  shown <- vapply(by_group, function(rows) listed(number_text(sort(rows)), most = 4), "")
  first <- told$first[twice]
  held <- if (!is.null(key)) lapply(found$values, function(values) values[first])
  out <- tibble::as_tibble(c(held, list(rows = unname(shown), count = as.double(times[twice]))))
  attr(out, "extra") <- sum(times[twice] - 1)
  out
}

amounts_checked <- function(x, facts, columns) {
  amounts <- Filter(function(name) source_column(x, name)$holds == "amounts", columns)
  basis <- facts$dates[[1]]
  figures <- function(name) {
    known <- source_column(x, name)
    members <- source_members(x, name)
    values <- as.double(members$values)
    there <- !is.na(values)
    slot <- list(what = "sum", column = name, where = NULL)
    total <- source_control(x, names(facts$dates)[1], NULL, list(slot), basis$first,
                            min(basis$last, facts$as_of))
    list(column = name, smallest = min(values[there]), largest = max(values[there]), total = total,
         negative = sum(members$counts[there & values < 0]),
         zero = sum(members$counts[there & values == 0]), decimals = known$decimals)
  }
  amounts <- Filter(function(name) !source_column(x, name)$is_blank, amounts)
  rows <- lapply(amounts, figures)
  column <- function(what) vapply(rows, function(row) as.double(row[[what]]), 0)
  tibble::tibble(column = amounts, smallest = column("smallest"), largest = column("largest"),
                 total = column("total"), negative = column("negative"), zero = column("zero"),
                 decimals = column("decimals"))
}

# Members of text columns that are one once case, spaces and accents are overlooked.
members_alike <- function(x, columns) {
  # Where nearly every entry has a member of its own, members are no names.
  text <- Filter(function(name) {
    source_column(x, name)$holds %in% c("text", "levels") &&
      length(source_members(x, name)$values) * 2 <= entries_used(x) + 20
  }, columns)
  found <- lapply(text, function(name) {
    members <- source_members(x, name)
    there <- which(!is.na(members$text))
    plain <- plain_letters(members$text[there])
    same <- split(there, match(plain, unique(plain)))
    same <- same[lengths(same) > 1]
    written <- vapply(same, function(at) {
      at <- at[order(-members$counts[at])]
      listed(dQuote(with_spaces_seen(members$text[at]), FALSE), most = 4)
    }, "", USE.NAMES = FALSE)
    entries <- vapply(same, function(at) as.double(sum(members$counts[at])), 0, USE.NAMES = FALSE)
    list(column = rep(name, length(same)), members = written, entries = entries)
  })
  out <- one_table(found, list(column = character(), members = character(), entries = numeric()))
  out[order(-out$entries), ]
}

# Texts that differ by spaces, with those that could not be seen: "\u2423" for one at an end or
# beside another, the number of others.
with_spaces_seen <- function(texts) {
  squeezed <- gsub("[[:space:]\u00a0\u2009\u202f]+", "", texts, perl = TRUE)
  if (!anyDuplicated(lower_text(squeezed)) || length(unique(squeezed)) == length(texts))
    return(texts)
  seen <- gsub("^ | $|(?<= ) | (?= )", "\u2423", texts, perl = TRUE)
  for (odd in c("\t", "\u00a0", "\u2009", "\u202f")) {
    seen <- gsub(odd, sprintf("<U+%04X>", utf8ToInt(odd)), seen, fixed = TRUE)
  }
  seen
}

# Members that read as totals, and are entries: what they come to is not that of other entries.
members_called_totals <- function(x, columns) {
  text <- Filter(function(name) source_column(x, name)$holds %in% c("text", "levels"), columns)
  found <- lapply(text, function(name) {
    members <- source_members(x, name)
    at <- which(!is.na(members$text) & is_total_word(trimws(members$text)))
    list(column = rep(name, length(at)), member = members$text[at],
         entries = as.double(members$counts[at]))
  })
  one_table(found, list(column = character(), member = character(), entries = numeric()))
}

# Parts with the same columns, lists of vectors, as one table; `none` are the columns of none.
one_table <- function(parts, none) {
  tibble::as_tibble(lapply(stats::setNames(nm = names(none)), function(name) {
    c(none[[name]], unlist(lapply(parts, function(part) part[[name]])))
  }))
}

# Columns that tell currencies, where there are several: list(column, members) each.
currencies_beside <- function(x, columns) {
  found <- lapply(columns, function(name) {
    members <- currencies_told(x, name)
    if (length(members) > 1) list(column = name, members = members)
  })
  Filter(Negate(is.null), found)
}
