# Calendar parts: what a day is within its week, month or year, as an attribute in the order of the
# calendar. They are worked out on days, never on entries.

# `day` gives a factor or a number for each day of a run of days; the hour comes from times.
calendar_parts <- list(
  weekday = list(says = "Monday to Sunday, in the order of the week",
                 of_days = function(days, calendar) {
                   order <- (calendar$week_start - 1L + 0:6) %% 7L + 1L
                   named_part(weekday_of(days), weekday_names, order)
                 }),
  working_day = list(says = "working day or day off",
                     of_days = function(days, calendar) {
                       named_part(2L - is_working_day(days, calendar),
                                  c("working day", "day off"))
                     }),
  day_of_month = list(says = "1 to 31", of_days = function(days, calendar) {
    as.double(core_dates_of(days)[, 3])
  }),
  month_of_year = list(says = "January to December", of_days = function(days, calendar) {
    named_part(core_dates_of(days)[, 2], month_names)
  }),
  quarter_of_year = list(says = "Q1 to Q4", of_days = function(days, calendar) {
    named_part((core_dates_of(days)[, 2] + 2L) %/% 3L, paste0("Q", 1:4))
  }),
  week_of_year = list(says = "number of the week, as weeks are numbered",
                      of_days = function(days, calendar) {
                        number_in_year(days, "week", calendar)
                      }),
  hour = list(says = "0 to 23, where the date basis has times"),
  fiscal_month_of_year = list(
    says = "months from the fiscal year's first, or the number of the fiscal month",
    of_days = function(days, calendar) {
      if (fiscal_kind(calendar) != "months") return(number_in_year(days, "fiscal month", calendar))
      order <- (calendar$fiscal_start - 1L + 0:11) %% 12L + 1L
      named_part(core_dates_of(days)[, 2], month_names, order)
    }),
  fiscal_quarter_of_year = list(says = "Q1 to Q4 of the fiscal year",
                                of_days = function(days, calendar) {
                                  number <- number_in_year(days, "fiscal quarter", calendar)
                                  most <- max(4, number, na.rm = TRUE)
                                  named_part(number, paste0("Q", seq_len(most)))
                                }),
  fiscal_week_of_year = list(says = "number of the week in the fiscal year",
                             of_days = function(days, calendar) {
                               number_in_year(days, "fiscal week", calendar)
                             })
)

# Attributes as they are meant, in every field that takes them: a column of that very name; then a
# calendar part, whose case and spaces fold, so that "Month of year" is month_of_year. Anything else
# stays as it is.
attributes_meant <- function(names, known) {
  names_meant(names, known, base::names(calendar_parts))
}

# Whether all of some days have a place in their year, as far as calendar parts need one; NA for
# those that have none.
first_day_without_part <- function(part, from, to, calendar) {
  if (is.null(calendar$table) || !startsWith(part, "fiscal_")) return(NA_integer_)
  without <- which(is.na(calendar_parts[[part]]$of_days(seq.int(from, to), calendar)))
  if (length(without) == 0) NA_integer_ else from + without[1] - 1L
}

# Members by number, in an order of their own.
named_part <- function(number, names, order = seq_along(names)) {
  factor(names[number], levels = names[order], ordered = TRUE)
}

# The number of the period that holds each day within its year; missing where a table of periods
# does not tell.
number_in_year <- function(days, grain, calendar) {
  if (is_fiscal(grain) && !is.null(calendar$table)) {
    table <- tabled_periods("fiscal year", calendar)
    within <- days >= table$first[1] & days <= table$last[length(table$last)]
    if (!all(within)) {
      out <- rep(NA_real_, length(days))
      if (any(within)) out[within] <- number_in_year(days[within], grain, calendar)
      return(out)
    }
  }
  index <- period_indexes(days, grain, calendar)
  if (grain %in% c("week", "fiscal week")) {
    return(as.double(week_name(index, grain, calendar)$number))
  }
  year <- period_indexes(days, year_of(grain), calendar)
  as.double(index - periods_of_year(year, grain, calendar)$first + 1L)
}
