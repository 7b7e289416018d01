# Where days and periods stand in their year, so that years can be laid over each other.

days_of_months <- c(31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)

# Days of months stand at the same place in every year: the 29th of February has a place of its own.
day_in_year <- function(day, first) {
  begins <- core_dates_of(first)
  if (any(begins[, 3] != 1)) return(as.double(day - first + 1L))
  date <- core_dates_of(day)
  turned <- (begins[1, 2] - 1 + 0:11) %% 12 + 1
  before <- c(0, cumsum(days_of_months[turned]))[match(date[, 2], turned)]
  before + date[, 3]
}

# Number of the period in its year.
period_in_year <- function(first, year_first, grain, calendar) {
  told <- number_rows(list(year_first, first), length(first))
  once <- told$first
  number <- mapply(function(from, to) length(periods_between(from, to, grain, calendar)$label),
                   year_first[once], first[once])
  if (is_tabled(grain, calendar)) {
    year <- period_indexes(first[once], "fiscal year", calendar)
    cut <- which(year == 1L)
    number[cut] <- number[cut] + periods_before_table(grain, "fiscal year", calendar)
    if (anyNA(number)) refuse_place_unknown("fiscal year", calendar)
  }
  as.double(number[told$number])
}
