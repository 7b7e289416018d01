// What is expected: from sums of days by group, group by group.
#include <Rcpp.h>

#include <memory>
#include <vector>

#include "core/daily-sums.h"
#include "core/outlook.h"
#include "glue.h"

using namespace Rcpp;

namespace {

// Sums of days by group as R has them: groups and days from 1.
ledger::DailySums daily_sums(const NumericVector& values, const IntegerVector& day,
                             const IntegerVector& group, int groups, int days) {
  const R_xlen_t n = values.size();
  if (day.size() != n || group.size() != n) stop("columns of unequal length");
  std::vector<std::int32_t> own_day(static_cast<std::size_t>(n)), own_group(own_day.size());
  for (R_xlen_t i = 0; i < n; ++i) {
    if (day[i] < 1 || day[i] > days || group[i] < 1 || group[i] > groups)
      stop("no such day or group");
    own_day[static_cast<std::size_t>(i)] = day[i] - 1;
    own_group[static_cast<std::size_t>(i)] = group[i] - 1;
  }
  return ledger::daily_sums(own_group.data(), own_day.data(), values.begin(),
                            static_cast<std::size_t>(n), static_cast<std::size_t>(groups),
                            static_cast<std::size_t>(days));
}

// What is known of days beside their sums: which are closed, from the first on, and which have
// names; and how far back earlier years are.
struct Days {
  std::vector<std::uint8_t> closed;
  std::vector<ledger::NamedDay> named;
  std::array<int, 3> years{{364, 728, 1099}};

  Days(const LogicalVector& shut, const IntegerVector& day, const IntegerVector& name)
      : closed(shut.begin(), shut.end()) {
    if (day.size() != name.size()) stop("names of days of unequal length");
    for (R_xlen_t i = 0; i < day.size(); ++i)
      named.push_back({day[i], name[i], NA_REAL, NA_REAL});
  }

  // Calls f with the series of some running sums.
  template <class F>
  void with_series(const double* sums, int first, int last, const F& f) const {
    ledger::Series series{{sums, first, last, closed.empty() ? nullptr : &closed, years}};
    ledger::NamedDays apart;
    if (!named.empty()) {
      apart = ledger::without_named_days(series.sums, named);
      series.named = &apart;
    }
    f(series);
  }
};

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

// What the days after `t` up to the last of `until` should bring, from sums of days by group (both
// numbered from 1, the first day being `first`), tested on `periods`; with two last days, those
// after the first, tested on theirs. `closed` tells of days from the first on whether they are
// closed, `named` are days with names by number. Of each group: way (from 1, 0 for none), rest, the
// share by which it may be off, its lift, how many rows were tested, whether the way was; and the
// past of a single group.
// [[Rcpp::export]]
List core_outlook(NumericVector values, IntegerVector day, IntegerVector group, int groups,
                  int days, int first, int t, IntegerVector until, List periods,
                  LogicalVector closed, IntegerVector named, IntegerVector names, int threads) {
  const int last = first + days - 1;
  const R_xlen_t ends = until.size();
  if (t > last || ends < 1 || ends > 2 || until[0] <= t || until[ends - 1] < until[0])
    stop("no days to come");
  const int sooner = until[0], later = until[ends - 1];
  const ledger::FinishedPeriods sooner_on = finished_periods(periods[0]);
  const ledger::FinishedPeriods later_on = finished_periods(periods[ends - 1]);
  const Days known(closed, named, names);
  const ledger::DailySums daily = daily_sums(values, day, group, groups, days);
  IntegerVector way(groups), tested(groups), is_tested(groups);
  NumericVector rest(groups), off(groups), lift(groups);
  int* to_way = way.begin();
  int* to_tested = tested.begin();
  int* to_is_tested = is_tested.begin();
  double* to_rest = rest.begin();
  double* to_off = off.begin();
  double* to_lift = lift.begin();
  ledger::Outlook only;
  ledger::each_running(daily, glue::host(threads), [&](std::size_t g, const double* sums) {
    known.with_series(sums, first, last, [&](const ledger::Series& series) {
      ledger::Outlook one = ledger::outlook(series, t, later, later_on);
      if (ends == 2) {
        const ledger::Outlook before = ledger::outlook(series, t, sooner, sooner_on);
        one = ledger::difference(series, t, sooner, later, before, one, sooner_on);
      }
      to_way[g] = one.way + 1;
      to_rest[g] = one.rest;
      to_off[g] = one.off;
      to_lift[g] = one.lift;
      to_tested[g] = one.tested;
      to_is_tested[g] = one.is_tested ? 1 : 0;
      if (groups == 1) only = one;
    });
  });
  return List::create(_["way"] = way, _["rest"] = rest, _["off"] = off, _["lift"] = lift,
                      _["tested"] = tested, _["is_tested"] = is_tested,
                      _["past"] = past_of(only, ends == 2));
}

// What would have been said of each of some periods before it began, and what came: matrices with a
// row for each period and a column for each group. `latest` is how many periods before it each is
// chosen by, `years` how far back earlier years are; the rest is as in core_outlook().
// [[Rcpp::export]]
List core_said_before(NumericVector values, IntegerVector day, IntegerVector group, int groups,
                      int days, int first, IntegerVector from, IntegerVector to, int latest,
                      IntegerVector years, LogicalVector closed, IntegerVector named,
                      IntegerVector names, int threads) {
  const int last = first + days - 1;
  const R_xlen_t periods = from.size();
  for (R_xlen_t p = 0; p < periods; ++p)
    if (from[p] < first || to[p] < from[p] || to[p] > last || (p > 0 && from[p] <= to[p - 1]))
      stop("periods must be in order, and lie in the days");
  if (years.size() != 3 || latest < 1) stop("three years, and at least one period");
  Days known(closed, named, names);
  known.years = {{years[0], years[1], years[2]}};
  const ledger::DailySums daily = daily_sums(values, day, group, groups, days);
  const std::vector<int> begin(from.begin(), from.end()), end(to.begin(), to.end());
  const int rows = static_cast<int>(periods);
  NumericMatrix said(rows, groups), came(rows, groups);
  double* to_said = said.begin();
  double* to_came = came.begin();
  ledger::each_running(daily, glue::host(threads), [&](std::size_t g, const double* sums) {
    known.with_series(sums, first, last, [&](const ledger::Series& series) {
      const std::size_t at = g * begin.size();
      ledger::said_before(series, begin, end, static_cast<std::size_t>(latest), to_said + at);
      for (std::size_t p = 0; p < begin.size(); ++p)
        to_came[at + p] = series.sums.between(begin[p] - 1, end[p]);
    });
  });
  return List::create(_["said"] = said, _["came"] = came);
}
