#include <Rcpp.h>

#include "core/calendar.h"
#include "core/outlook.h"

using namespace Rcpp;

namespace {

// In the order of calendar_rules(): looking names up would take longer than the arithmetic.
ledger::Calendar calendar_view(const IntegerVector& rules) {
  if (rules.size() != 10) stop("a calendar has ten rules");
  ledger::Calendar calendar;
  calendar.fiscal_start = rules[0];
  calendar.label_by_end = rules[1] != 0;
  calendar.week_start = rules[2];
  calendar.week_anchor = rules[3];
  calendar.year_end_weekday = rules[4];
  calendar.year_end_nearest = rules[5] != 0;
  for (int i = 0; i < 3; ++i) calendar.pattern[i] = rules[6 + i];
  calendar.long_month = rules[9];
  return calendar;
}

}  // namespace

// [[Rcpp::export]]
IntegerVector core_iso_days(CharacterVector text) {
  IntegerVector out(no_init(text.size()));
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    SEXP item = STRING_ELT(text, i);
    out[i] = item == NA_STRING ? ledger::kNoDay : ledger::day_from_iso(CHAR(item), LENGTH(item));
  }
  return out;
}

// [[Rcpp::export]]
IntegerVector core_day_numbers(SEXP days) {
  const auto n = static_cast<std::size_t>(Rf_xlength(days));
  IntegerVector out(no_init(static_cast<R_xlen_t>(n)));
  if (TYPEOF(days) == INTSXP) ledger::day_numbers(INTEGER(days), n, INTEGER(out));
  else ledger::day_numbers(REAL(days), n, INTEGER(out));
  return out;
}

// [[Rcpp::export]]
IntegerVector core_days_of(IntegerVector year, IntegerVector month, IntegerVector day) {
  IntegerVector out(no_init(year.size()));
  for (R_xlen_t i = 0; i < year.size(); ++i) {
    out[i] = ledger::is_date(year[i], month[i], day[i]) ? ledger::day_of(year[i], month[i], day[i])
                                                        : ledger::kNoDay;
  }
  return out;
}

// [[Rcpp::export]]
IntegerMatrix core_dates_of(IntegerVector days) {
  IntegerMatrix out(static_cast<int>(days.size()), 4);
  for (int i = 0; i < days.size(); ++i) {
    const ledger::Date date = ledger::date_of(days[i]);
    out(i, 0) = date.year;
    out(i, 1) = date.month;
    out(i, 2) = date.day;
    out(i, 3) = ledger::weekday_of(days[i]);
  }
  return out;
}

// The same day so many months later; missing outside years 1 to 9999.
// [[Rcpp::export]]
IntegerVector core_moved_by_months(IntegerVector days, IntegerVector months, bool end_to_end) {
  IntegerVector out(no_init(days.size()));
  for (R_xlen_t i = 0; i < days.size(); ++i) {
    const ledger::Day moved = days[i] == NA_INTEGER
                                  ? ledger::kNoDay
                                  : ledger::moved_by_months(days[i], months[i], end_to_end);
    out[i] = moved < ledger::kFirstDay || moved > ledger::kLastDay ? ledger::kNoDay : moved;
  }
  return out;
}

// [[Rcpp::export]]
IntegerVector core_period_indexes(IntegerVector days, int grain, IntegerVector rules) {
  const ledger::Calendar calendar = calendar_view(rules);
  IntegerVector out(no_init(days.size()));
  for (R_xlen_t i = 0; i < days.size(); ++i) {
    out[i] = days[i] == NA_INTEGER ? NA_INTEGER
                                   : static_cast<int>(ledger::period_index(
                                         static_cast<ledger::Grain>(grain), days[i], calendar));
  }
  return out;
}

// Year and number of weeks: a matrix of two columns.
// [[Rcpp::export]]
IntegerMatrix core_week_names(IntegerVector indexes, int grain, IntegerVector rules) {
  const ledger::Calendar calendar = calendar_view(rules);
  IntegerMatrix out(static_cast<int>(indexes.size()), 2);
  for (int i = 0; i < indexes.size(); ++i) {
    const ledger::WeekName week =
        ledger::week_name(static_cast<ledger::Grain>(grain), indexes[i], calendar);
    out(i, 0) = static_cast<int>(week.year);
    out(i, 1) = week.number;
  }
  return out;
}

// [[Rcpp::export]]
List core_periods(IntegerVector indexes, int grain, IntegerVector rules) {
  const ledger::Calendar calendar = calendar_view(rules);
  const auto g = static_cast<ledger::Grain>(grain);
  IntegerVector first(no_init(indexes.size())), last(no_init(indexes.size()));
  CharacterVector label(indexes.size());
  for (R_xlen_t i = 0; i < indexes.size(); ++i) {
    if (indexes[i] == NA_INTEGER) {
      first[i] = last[i] = NA_INTEGER;
      label[i] = NA_STRING;
      continue;
    }
    first[i] = ledger::period_first_day(g, indexes[i], calendar);
    last[i] = ledger::period_last_day(g, indexes[i], calendar);
    label[i] = ledger::period_label(g, indexes[i], calendar);
  }
  return List::create(_["first"] = first, _["last"] = last, _["label"] = label);
}

// The different days there are, and for each day given the number, from 1, of its own: there are
// many rows and few days.
// [[Rcpp::export]]
List core_distinct_days(IntegerVector days) {
  const R_xlen_t n = days.size();
  IntegerVector at(no_init(n));
  std::vector<int> distinct;
  if (n > 0) {
    const int first = *std::min_element(days.begin(), days.end()),
              last = *std::max_element(days.begin(), days.end());
    if (first == NA_INTEGER) stop("a row without days");
    std::vector<int> number(static_cast<std::size_t>(static_cast<std::int64_t>(last) - first + 1),
                            0);
    for (R_xlen_t i = 0; i < n; ++i) {
      int& known = number[static_cast<std::size_t>(static_cast<std::int64_t>(days[i]) - first)];
      if (known == 0) {
        distinct.push_back(days[i]);
        known = static_cast<int>(distinct.size());
      }
      at[i] = known;
    }
  }
  return List::create(_["days"] = IntegerVector(distinct.begin(), distinct.end()), _["at"] = at);
}

namespace {

ledger::FinishedPeriods finished_periods(const List& told) {
  const IntegerVector ends = told["ends"];
  return {std::vector<int>(ends.begin(), ends.end()), as<bool>(told["alone"])};
}

// Tests of the past as columns: origin, whether of a period, what was said and what came.
List past_of(const ledger::Outlook& one, bool of_difference) {
  const auto rows = static_cast<R_xlen_t>(one.rows.size());
  IntegerVector origin(rows);
  LogicalVector of_period(rows);
  NumericVector said(rows), came(rows);
  for (R_xlen_t k = 0; k < rows; ++k) {
    const ledger::BackTest& row = one.rows[static_cast<std::size_t>(k)];
    origin[k] = row.origin;
    of_period[k] = row.of_period;
    said[k] = of_difference ? row.without
              : one.way < 0 ? NA_REAL : row.said[static_cast<std::size_t>(one.way)];
    came[k] = row.came;
  }
  return List::create(_["origin"] = origin, _["of_period"] = of_period, _["said"] = said,
                      _["came"] = came);
}

}  // namespace

// What the days after `t` up to the last of `until` should bring, from running sums of days (a
// column each, the first of them 0), tested on `periods`; with two last days, those after the
// first, tested on theirs. `closed` tells of days from the first on whether they are closed,
// `named` are days with names by number. Columns: way (from 1, 0 for none), rest, the share by
// which it may be off, how many rows were tested, whether the way was, and the past.
// [[Rcpp::export]]
List core_outlook(NumericMatrix sums, int first, int t, IntegerVector until, List periods,
                  LogicalVector closed, IntegerVector named, IntegerVector names) {
  const int last = first + sums.nrow() - 2;
  const R_xlen_t ends = until.size();
  if (t > last || ends < 1 || ends > 2 || until[0] <= t || until[ends - 1] < until[0])
    stop("no days to come");
  const ledger::FinishedPeriods sooner_on = finished_periods(periods[0]);
  const ledger::FinishedPeriods later_on = finished_periods(periods[ends - 1]);
  const std::vector<std::uint8_t> shut(closed.begin(), closed.end());
  std::vector<ledger::NamedDay> days;
  for (R_xlen_t i = 0; i < named.size(); ++i)
    days.push_back({named[i], names[i], NA_REAL, NA_REAL});
  const R_xlen_t n = sums.ncol();
  IntegerVector way(n), tested(n);
  NumericVector rest(n), off(n), lift(n);
  LogicalVector is_tested(n);
  List past(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    ledger::Series series{{&sums(0, static_cast<int>(i)), first, last,
                           shut.empty() ? nullptr : &shut}};
    ledger::NamedDays apart;
    if (!days.empty()) {
      apart = ledger::without_named_days(series.sums, days);
      series.named = &apart;
    }
    ledger::Outlook one = ledger::outlook(series, t, until[ends - 1], later_on);
    if (ends == 2) {
      const ledger::Outlook sooner = ledger::outlook(series, t, until[0], sooner_on);
      one = ledger::difference(series, t, until[0], until[1], sooner, one, sooner_on);
    }
    way[i] = one.way + 1;
    rest[i] = one.rest;
    off[i] = one.off;
    lift[i] = one.lift;
    tested[i] = one.tested;
    is_tested[i] = one.is_tested;
    past[i] = past_of(one, ends == 2);
    if (i % 64 == 0) Rcpp::checkUserInterrupt();
  }
  return List::create(_["way"] = way, _["rest"] = rest, _["off"] = off, _["lift"] = lift,
                      _["tested"] = tested, _["is_tested"] = is_tested, _["past"] = past);
}

// What would have been said of each of some periods before it began, and what came: matrices with a
// row for each period and a column for each column of running sums. `latest` is how many periods
// before it each is chosen by, `years` how far back earlier years are, in days of the sums.
// [[Rcpp::export]]
List core_said_before(NumericMatrix sums, int first, IntegerVector from, IntegerVector to,
                      int latest, IntegerVector years, LogicalVector closed, IntegerVector named,
                      IntegerVector names) {
  const int last = first + sums.nrow() - 2;
  const R_xlen_t periods = from.size();
  for (R_xlen_t p = 0; p < periods; ++p)
    if (from[p] < first || to[p] < from[p] || to[p] > last || (p > 0 && from[p] <= to[p - 1]))
      stop("periods must be in order, and lie in the days");
  if (years.size() != 3 || latest < 1) stop("three years, and at least one period");
  const std::vector<std::uint8_t> shut(closed.begin(), closed.end());
  std::vector<ledger::NamedDay> days;
  for (R_xlen_t i = 0; i < named.size(); ++i)
    days.push_back({named[i], names[i], NA_REAL, NA_REAL});
  const std::vector<int> begin(from.begin(), from.end()), end(to.begin(), to.end());
  const int n = sums.ncol(), rows = static_cast<int>(periods);
  NumericMatrix said(rows, n), came(rows, n);
  for (int i = 0; i < n; ++i) {
    ledger::Series series{{&sums(0, i), first, last, shut.empty() ? nullptr : &shut,
                           {years[0], years[1], years[2]}}};
    ledger::NamedDays apart;
    if (!days.empty()) {
      apart = ledger::without_named_days(series.sums, days);
      series.named = &apart;
    }
    if (rows == 0) continue;
    ledger::said_before(series, begin, end, static_cast<std::size_t>(latest), &said(0, i));
    for (int p = 0; p < rows; ++p)
      came(p, i) = series.sums.between(begin[static_cast<std::size_t>(p)] - 1,
                                       end[static_cast<std::size_t>(p)]);
    if (i % 64 == 0) Rcpp::checkUserInterrupt();
  }
  return List::create(_["said"] = said, _["came"] = came);
}
