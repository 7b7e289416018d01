#include <Rcpp.h>

#include "core/calendar.h"

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
