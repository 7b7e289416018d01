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
#' # The days without sailings are those of the storm
#' check_ledger(demo_fares, on = c(sailed = "sailed_on"), key = "ticket")
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

# The first of the columns of dates that are as good as filled and have no days far from all others;
# one that goes by the name of a code (order numbers may read as days) only where there is no other.
likeliest_date <- function(certain) {
  coded <- is_named_like(vapply(certain, function(one) one$column, ""), words_of_numbers) &
    vapply(certain, function(one) isTRUE(one$digits), TRUE)
  if (!all(coded)) certain <- certain[!coded]
  counts <- vapply(certain, function(one) as.double(one$count), 0)
  filled <- certain[counts >= 0.99 * max(counts)]
  if (length(filled) == 1) return(filled[[1]]$column)
  near <- Filter(function(one) !has_days_far_off(one), filled)
  c(near, filled)[[1]]$column
}

has_days_far_off <- function(one) {
  days <- if (!is.null(one$every)) one$every()
  if (length(days) == 0) return(FALSE)
  first <- min(days)
  nrow(far_off_entries(list(first = first, count = tabulate(days - first + 1L)))) > 0
}

checked_ledger <- function(x, key = NULL, could_be = NULL, call = caller_env()) {
  force(call)
  consistent(x, function() look_over_ledger(x, key, could_be, call))
}

look_over_ledger <- function(x, key, could_be, call) {
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
  held <- lapply(stats::setNames(nm = columns), function(name) source_column(x, name))
  dated <- facts$dates[[1]]$column != undated
  days <- if (dated) entries_by_day(x, facts)
  structure(list(
    ledger = x, could_be = could_be, contents = columns_checked(x, facts, held),
    dates = dates_checked(x, facts, held, could_be),
    gaps = if (dated) gaps_between(days), far_off = if (dated) far_off_entries(days),
    repeated = repeated_entries(x, facts, columns, key), key = key,
    amounts = amounts_checked(x, facts, held), alike = members_alike(x, held),
    called_totals = members_called_totals(x, held),
    currencies = currencies_beside(x, columns),
    steps = if (dated) steps_by_month(x, facts), set_aside = source_set_aside(x)
  ), class = "ledger_check")
}
