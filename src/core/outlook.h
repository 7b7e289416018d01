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

namespace ledger {

constexpr double kNoValue = std::numeric_limits<double>::quiet_NaN();

// Running sums of days: `sums[0]` is 0 before the first day, `sums[i]` that of the first i days.
struct RunningSums {
  const double* sums;
  int first;
  int last;

  bool reaches(int day) const { return day >= first - 1; }
  double up_to(int day) const { return sums[std::min(day, last) - first + 1]; }
  double between(int after, int to) const { return up_to(to) - up_to(after); }
};

// Finished periods of one grain, in order, the last ones counting.
struct FinishedPeriods {
  std::vector<int> ends;
  bool alone;  // whether they can do without other origins
};

constexpr int kWeeks[] = {4, 8, 13, 26, 52};
constexpr int kRates = 5;
constexpr std::size_t kLatestPeriods = 12;

// In the order in which they win where they are alike: rates of 4, 8 and 13 weeks; times the lift
// of last year for each rate; times half of it; times that of the place in the period.
enum Way { kRate4, kRate8, kRate13, kYear4, kYear8, kYear13, kYear26, kYear52, kHalf4, kHalf8,
           kHalf13, kPlace4, kPlace13, kWays };
using Estimates = std::array<double, kWays>;

// The days after `t` at the mean of their own weekday in so many weeks up to it.
inline double weekday_rate(const RunningSums& s, int t, int days, int weeks) {
  if (!s.reaches(t - 7 * weeks)) return kNoValue;
  const int whole = days / 7, rest = days % 7;
  double out = whole * s.between(t - 7 * weeks, t) / weeks;
  double part = 0;
  for (int m = 1; m <= weeks; ++m) part += s.between(t - 7 * m, t + rest - 7 * m);
  return out + part / weeks;
}

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
  for (int back : {364, 728, 1099}) {
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

// All ways, from what is known on day `t`.
inline Estimates estimates(const RunningSums& s, int t, int days, const std::vector<int>& ends) {
  Estimates out;
  out.fill(kNoValue);
  for (int i = 0; i < kRates; ++i) {
    const double rate = weekday_rate(s, t, days, kWeeks[i]);
    if (std::isnan(rate)) continue;
    const double lift = lift_of_years(s, t, days, kWeeks[i]);
    out[static_cast<std::size_t>(kYear4 + i)] = rate * lift;
    if (i > 2) continue;
    out[static_cast<std::size_t>(kRate4 + i)] = rate;
    out[static_cast<std::size_t>(kHalf4 + i)] = rate * std::sqrt(lift);
    if (i != 1)
      out[i == 0 ? kPlace4 : kPlace13] = rate * lift_of_place(s, t, days, kWeeks[i], ends);
  }
  return out;
}

// One row of the past: what each way would have said, what came, and the period's end or 0.
struct BackTest {
  int origin;
  bool of_period;
  Estimates said;
  double came;
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
  double off = kNoValue;
  int tested = 0;
  bool is_tested = false;
  std::vector<BackTest> rows;
};

inline Outlook outlook(const RunningSums& s, int t, int end, const FinishedPeriods& periods) {
  const int days = end - t;
  Outlook out;
  std::vector<BackTest> own, other;
  const auto stop = std::upper_bound(periods.ends.begin(), periods.ends.end(), t);
  const auto n = static_cast<std::size_t>(stop - periods.ends.begin());
  for (std::size_t i = n - std::min(n, kLatestPeriods); i < n; ++i) {
    const int origin = periods.ends[i] - days;
    if (origin < s.first) continue;
    own.push_back({origin, true, estimates(s, origin, days, periods.ends),
                   s.between(origin, periods.ends[i])});
  }
  for (int i = 0; i < 13; ++i) {
    const int origin = t - days - 28 * i;
    if (origin < s.first) break;
    other.push_back({origin, false, estimates(s, origin, days, periods.ends),
                     s.between(origin, origin + days)});
  }
  const Estimates now = estimates(s, t, days, periods.ends);
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
  std::vector<double> errors;
  for (std::size_t i = 0; i < out.rows.size(); ++i) {
    Estimates could = out.rows[i].said;
    for (std::size_t w = 0; w < kWays; ++w)
      if (std::isnan(now[w])) could[w] = kNoValue;
    const int way = best_way(out.rows, could, i);
    if (way < 0) continue;
    const double error =
        std::fabs(out.rows[i].came / out.rows[i].said[static_cast<std::size_t>(way)] - 1);
    if (std::isfinite(error)) errors.push_back(error);
  }
  out.tested = static_cast<int>(errors.size());
  if (out.is_tested && errors.size() >= 4) {
    std::sort(errors.begin(), errors.end());
    const auto at = static_cast<std::size_t>(std::ceil(0.8 * static_cast<double>(
                                                                errors.size() + 1)));
    out.off = errors[std::min(at, errors.size()) - 1];
  }
  return out;
}

}  // namespace ledger
