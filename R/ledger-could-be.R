# Columns that could hold the dates that count, for whoever has not said which.

# list(column, says, days, count) each: columns whose values are dates, with their days, or with
# both readings where these are not certain.
columns_could_be_dates <- function(table, leave = NULL, date_format = NULL) {
  found <- lapply(setdiff(names(table), leave), function(name) {
    days <- days_if_dates(table[[name]], date_format)
    if (is.null(days)) return(NULL)
    says <- days$problem %||% days_text(min(days$days), max(days$days))
    list(column = name, says = says, days = days$days, count = days$count, every = days$every,
         digits = isTRUE(days$digits))
  })
  Filter(Negate(is.null), found)
}

# list(days, count, every, digits), first and last, how many values, a function that gives the days
# and whether they are written in digits alone, or list(problem); NULL for what is no
# column of dates. Of text half the values must be dates: some odd ones hide none.
days_if_dates <- function(values, date_format = NULL) {
  if (inherits(values, "POSIXt")) values <- as.Date(values)
  if (inherits(values, "Date")) {
    values <- unclass(values)
    there <- if (is.integer(values) && !anyNA(values)) values else values[is.finite(values)]
    return(if (length(there) > 0) list(
      days = day_numbers(range(there)), count = length(there), every = function() there))
  }
  if (rlang::is_string(date_format)) return(days_if_stated(values, date_format))
  if (is.numeric(values) && !is.object(values)) values <- days_of_digits(values, NULL)
  if (is.factor(values)) values <- levels(values)
  if (!is.character(values)) return(NULL)
  members <- members_of_text(values)
  there <- function(some) enc2utf8(some[!is_missing_mark(some, missing_marks)])
  first <- utils::head(there(utils::head(members, 10)), 3)
  if (length(first) == 3 && core_survey_dates(first)$others == 3) return(NULL)
  members <- there(members)
  if (length(members) == 0) return(NULL)
  known <- core_survey_dates(members)
  if (known$others * 2 > length(members)) return(NULL)
  form <- date_form(members, "", known)
  if (is.null(form$form)) {
    fits <- orders_that_fit(known)
    return(list(problem = if (length(fits) == 0) "dates written in several ways"
                          else sprintf("%s first", listed(paste("the", fits), last = "or"))))
  }
  days <- core_dates_by(members, form$form)$days
  read <- values %in% members[!is.na(days)]
  list(days = range(days, na.rm = TRUE), count = sum(read), every = function() days[!is.na(days)],
       digits = !any(grepl("[^0-9]", members)))
}

# The same where the format of dates is stated.
days_if_stated <- function(values, date_format) {
  if (!is.character(values) && !is.numeric(values)) return(NULL)
  text <- plain_text(values)
  members <- unique(text[!is_missing_mark(text, missing_marks)])
  days <- tryCatch(dates_by_format(trimws(members), date_format, NULL)$days,
                   rollingledger_error = function(e) NULL)
  if (sum(!is.na(days)) * 2 <= length(members)) return(NULL)
  list(days = range(days, na.rm = TRUE), count = sum(text %in% members[!is.na(days)]),
       every = function() days[!is.na(days)])
}

could_be_text <- function(table, leave = NULL) {
  found <- columns_could_be_dates(table, leave)
  if (length(found) == 0) {
    return(sprintf("No column seems to hold dates; there are %s.",
                   listed(setdiff(names(table), leave), most = 12)))
  }
  sprintf("It could be %s.", listed(vapply(found, function(one) {
    sprintf("%s (%s)", one$column, one$says)
  }, ""), last = "or"))
}

# Evaluates what reads a date basis; where it is not one, the columns that could be it are named.
naming_columns <- function(table, column, expr) {
  withCallingHandlers(expr, rollingledger_error_date = function(e) {
    if (isTRUE(e$named)) return()
    found <- columns_could_be_dates(table, leave = column)
    if (length(found) == 0) return()
    refuse("date", c(e$message, e$body, i = could_be_text(table, leave = column)), column = column,
           named = TRUE, call = e$call)
  })
}
