// What days to come should bring, from the days before: ways of reckoning it, which are tested on
// the past, and the one that was least wrong.
#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <vector>

#include "day-series.h"

namespace ledger {

// Finished periods of one grain, in order, the last ones counting.
struct FinishedPeriods {
  std::vector<int> ends;
  bool alone;  // whether they can do without other origins
};

constexpr int kWeeks[] = {4, 8, 13, 26, 52};
constexpr int kRates = 5;
constexpr std::size_t kLatestPeriods = 12;

// In the order in which they win where they are alike: rates of 4, 8 and 13 weeks; times the lift
// of last year for each rate; times half of it; times that of the place in the period. Then all of
// these with named days by what they brought before.
enum Way { kRate4, kRate8, kRate13, kYear4, kYear8, kYear13, kYear26, kYear52, kHalf4, kHalf8,
           kHalf13, kPlace4, kPlace13, kPlainWays };
constexpr std::size_t kWays = 2 * kPlainWays;
using Estimates = std::array<double, kWays>;

inline double mean_or_median(std::vector<double>& values) {
  const std::size_t n = values.size();
  if (n == 0) return kNoValue;
  std::sort(values.begin(), values.end());
  if (n % 2 == 1) return values[n / 2];
  return (values[n / 2 - 1] + values[n / 2]) / 2;
}

// What the same days brought in earlier years against what the rate said then: the mean of one or
// two, the median of three.
inline double lift_of_years(const RunningSums& s, int t, int days, int weeks) {
  std::vector<double> lifts;
  for (const int back : s.years) {
    if (days > back || !s.reaches(t - back)) continue;
    const double rate = weekday_rate(s, t - back, days, weeks);
    if (!(rate > 0)) continue;
    lifts.push_back(std::min(10.0, std::max(0.1, s.between(t - back, t - back + days) / rate)));
  }
  return mean_or_median(lifts);
}

// The last days of finished periods against what the rate said of them.
inline double lift_of_place(const RunningSums& s, int t, int days, int weeks,
                            const std::vector<int>& ends) {
  std::vector<double> lifts;
  const auto stop = std::upper_bound(ends.begin(), ends.end(), t);
  const auto n = static_cast<std::size_t>(stop - ends.begin());
  for (std::size_t i = n - std::min(n, kLatestPeriods); i < n; ++i) {
    const double rate = weekday_rate(s, ends[i] - days, days, weeks);
    if (rate > 0) lifts.push_back(s.between(ends[i] - days, ends[i]) / rate);
  }
  return lifts.size() < 3 ? kNoValue : mean_or_median(lifts);
}

// Thirteen ways, from what is known on day `t`.
inline void plain_estimates(const RunningSums& s, int t, int days, const std::vector<int>& ends,
                            double* out) {
  for (int i = 0; i < kRates; ++i) {
    const double rate = weekday_rate(s, t, days, kWeeks[i]);
    if (std::isnan(rate)) continue;
    const double lift = lift_of_years(s, t, days, kWeeks[i]);
    out[kYear4 + i] = rate * lift;
    if (i > 2) continue;
    out[kRate4 + i] = rate;
    out[kHalf4 + i] = rate * std::sqrt(lift);
    if (i != 1)
      out[i == 0 ? kPlace4 : kPlace13] = rate * lift_of_place(s, t, days, kWeeks[i], ends);
  }
}

// All ways, from what is known on day `t`.
inline Estimates estimates(const Series& of, int t, int days, const std::vector<int>& ends) {
  Estimates out;
  out.fill(kNoValue);
  plain_estimates(of.sums, t, days, ends, out.data());
  if (of.named == nullptr || !of.sums.reaches(t - 28)) return out;
  const RunningSums plain{of.named->sums.data(), of.sums.first, of.sums.last, of.sums.closed,
                          of.sums.years};
  plain_estimates(plain, t, days, ends, out.data() + kPlainWays);
  const double more = named_days_bring(plain, of.named->days, t, days);
  for (std::size_t w = kPlainWays; w < kWays; ++w) out[w] += more;
  return out;
}

// One row of the past: what each way would have said, what came, and what the way that the other
// rows choose would have said.
struct BackTest {
  int origin;
  bool of_period;
  Estimates said;
  double came;
  double without = kNoValue;
};

// The errors of the ways over some rows, without the one numbered `without`.
inline int best_way(const std::vector<BackTest>& rows, const Estimates& now, std::size_t without) {
  int best = -1;
  double least = std::numeric_limits<double>::infinity();
  for (std::size_t w = 0; w < kWays; ++w) {
    if (std::isnan(now[w])) continue;
    double error = 0, size = 0;
    int n = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      if (i == without || std::isnan(rows[i].said[w])) continue;
      error += std::fabs(rows[i].said[w] - rows[i].came);
      size += std::fabs(rows[i].came);
      ++n;
    }
    if (n < 6 || size <= 0) continue;
    if (error / size < least) {
      least = error / size;
      best = static_cast<int>(w);
    }
  }
  return best;
}

constexpr std::size_t kNone = static_cast<std::size_t>(-1);

// What the days up to `end` should bring: way (-1 for none), remainder, the share by which it may
// be off (NaN without a range), rows tested, whether it was tested, and the rows themselves.
struct Outlook {
  int way = -1;
  double rest = kNoValue;
  double lift = kNoValue;  // the remainder against the weekday averages of the same weeks
  double off = kNoValue;
  int tested = 0;
  bool is_tested = false;
  std::vector<BackTest> rows;
};

// The best of the ways that were at hand when `could` was said and are at hand now.
inline int best_way_at_hand(const std::vector<BackTest>& rows, Estimates could,
                            const Estimates& now, std::size_t without) {
  for (std::size_t w = 0; w < kWays; ++w)
    if (std::isnan(now[w])) could[w] = kNoValue;
  return best_way(rows, could, without);
}

// The share by which 8 of 10 were off at most; not known of fewer than 4.
inline double reach_of(std::vector<double>& errors) {
  if (errors.size() < 4) return kNoValue;
  std::sort(errors.begin(), errors.end());
  const auto at = static_cast<std::size_t>(std::ceil(0.8 * static_cast<double>(errors.size() + 1)));
  return errors[std::min(at, errors.size()) - 1];
}

// The remainder against the weekday averages of the weeks that its way goes by.
inline double lift_of_way(const RunningSums& s, int t, int days, int way, double rest) {
  constexpr int weeks[] = {4, 8, 13, 4, 8, 13, 26, 52, 4, 8, 13, 4, 13};
  return rest / weekday_rate(s, t, days, weeks[way % kPlainWays]);
}

inline Outlook outlook(const Series& of, int t, int end, const FinishedPeriods& periods) {
  const RunningSums& s = of.sums;
  const int days = end - t;
  Outlook out;
  std::vector<BackTest> own, other;
  const auto stop = std::upper_bound(periods.ends.begin(), periods.ends.end(), t);
  const auto n = static_cast<std::size_t>(stop - periods.ends.begin());
  for (std::size_t i = n - std::min(n, kLatestPeriods); i < n; ++i) {
    const int origin = periods.ends[i] - days;
    if (origin < s.first) continue;
    own.push_back({origin, true, estimates(of, origin, days, periods.ends),
                   s.between(origin, periods.ends[i])});
  }
  for (int i = 0; i < 13; ++i) {
    const int origin = t - days - 28 * i;
    if (origin < s.first) break;
    other.push_back({origin, false, estimates(of, origin, days, periods.ends),
                     s.between(origin, origin + days)});
  }
  const Estimates now = estimates(of, t, days, periods.ends);
  const auto has_year = [](const Estimates& e) {
    return std::any_of(e.begin() + kYear4, e.begin() + kHalf4,
                       [](double value) { return !std::isnan(value); });
  };
  const bool year = has_year(now);
  const auto able = std::count_if(own.begin(), own.end(), [&](const BackTest& row) {
    return year ? has_year(row.said) : !std::isnan(row.said[kRate4]);
  });
  out.rows = own;
  if (!(periods.alone && able >= 10)) out.rows.insert(out.rows.end(), other.begin(), other.end());
  const bool year_tested = std::any_of(out.rows.begin(), out.rows.end(),
                                       [&](const BackTest& row) { return has_year(row.said); });
  if (year && !year_tested && days > 60) {
    // The second year of a ledger: last year is there, and could not be tested.
    const int from = days <= 92 ? kHalf13 : kYear52, to = days <= 92 ? kHalf4 : kYear4;
    for (int w = from; w >= to; --w) {
      if (std::isnan(now[static_cast<std::size_t>(w)])) continue;
      out.way = w;
      out.rest = now[static_cast<std::size_t>(w)];
      out.lift = lift_of_way(s, t, days, w, out.rest);
      return out;
    }
  }
  out.way = best_way(out.rows, now, kNone);
  out.is_tested = out.way >= 0;
  if (out.way < 0) {
    if (std::isnan(now[kRate4])) return out;
    out.way = kRate4;
  }
  out.rest = now[static_cast<std::size_t>(out.way)];
  out.lift = lift_of_way(s, t, days, out.way, out.rest);
  std::vector<double> errors;
  for (std::size_t i = 0; i < out.rows.size(); ++i) {
    const int way = best_way_at_hand(out.rows, out.rows[i].said, now, i);
    if (way < 0) continue;
    out.rows[i].without = out.rows[i].said[static_cast<std::size_t>(way)];
    const double error = std::fabs(out.rows[i].came / out.rows[i].without - 1);
    if (std::isfinite(error)) errors.push_back(error);
  }
  out.tested = static_cast<int>(errors.size());
  if (out.is_tested) out.off = reach_of(errors);
  return out;
}

// What the days after `between` up to `end` should bring: the difference of the two outlooks, and
// how far off such differences were. `sooner` is that up to `between`, `later` that up to `end`.
inline Outlook difference(const Series& of, int t, int between, int end, const Outlook& sooner,
                          const Outlook& later, const FinishedPeriods& periods) {
  Outlook out = later;
  out.rest = later.rest - sooner.rest;
  out.off = kNoValue;
  out.tested = 0;
  const int days = between - t, all = end - t;
  std::vector<double> errors;
  const Estimates now = estimates(of, t, days, periods.ends);
  for (BackTest& row : out.rows) {
    if (sooner.rows.empty() || std::isnan(row.without)) continue;
    // The nearest test of the sooner one is of the same days, and is left out as well.
    std::size_t nearest = 0;
    for (std::size_t k = 1; k < sooner.rows.size(); ++k)
      if (std::abs(sooner.rows[k].origin - row.origin) <
          std::abs(sooner.rows[nearest].origin - row.origin)) nearest = k;
    const Estimates then = estimates(of, row.origin, days, periods.ends);
    const int way = best_way_at_hand(sooner.rows, then, now, nearest);
    if (way < 0) continue;
    row.without -= then[static_cast<std::size_t>(way)];
    row.came = of.sums.between(row.origin + days, row.origin + all);
    const double error = std::fabs(row.came / row.without - 1);
    if (std::isfinite(error)) errors.push_back(error);
  }
  out.tested = static_cast<int>(errors.size());
  if (later.is_tested && sooner.is_tested) out.off = reach_of(errors);
  return out;
}

// What would have been said of each of some periods, in order, before it began: by the way that was
// least wrong in the `latest` periods before it, the first of all where none could be tested.
inline void said_before(const Series& of, const std::vector<int>& from, const std::vector<int>& to,
                        std::size_t latest, double* said) {
  const std::size_t n = from.size();
  std::vector<int> ends;
  // Errors of each way, and what came of the periods it was tested on, added up.
  std::vector<std::array<double, kWays>> error(n + 1), size(n + 1);
  std::vector<std::array<int, kWays>> count(n + 1);
  error[0].fill(0);
  size[0].fill(0);
  count[0].fill(0);
  for (std::size_t p = 0; p < n; ++p) {
    const int t = from[p] - 1, days = to[p] - t;
    said[p] = kNoValue;
    error[p + 1] = error[p];
    size[p + 1] = size[p];
    count[p + 1] = count[p];
    if (!of.sums.reaches(t - 28)) {
      ends.push_back(to[p]);
      continue;
    }
    // A day has no place in its period.
    const Estimates now = estimates(of, t, days, days > 1 ? ends : std::vector<int>());
    const std::size_t since = p - std::min(p, latest);
    int best = -1;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t w = 0; w < kWays; ++w) {
      if (std::isnan(now[w]) || count[p][w] - count[since][w] < 6) continue;
      const double sum = size[p][w] - size[since][w];
      if (!(sum > 0)) continue;
      const double share = (error[p][w] - error[since][w]) / sum;
      if (share < least) {
        least = share;
        best = static_cast<int>(w);
      }
    }
    said[p] = now[static_cast<std::size_t>(best < 0 ? kRate4 : best)];
    const double came = of.sums.between(t, to[p]);
    for (std::size_t w = 0; w < kWays; ++w) {
      if (std::isnan(now[w])) continue;
      error[p + 1][w] += std::fabs(now[w] - came);
      size[p + 1][w] += std::fabs(came);
      ++count[p + 1][w];
    }
    ends.push_back(to[p]);
  }
}

}  // namespace ledger
