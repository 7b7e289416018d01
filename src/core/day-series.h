// Sums of days as a series: running sums, what weekdays bring on average, days that are closed, and
// days with names, such as holidays, set apart.
#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

namespace ledger {

constexpr double kNoValue = std::numeric_limits<double>::quiet_NaN();

// Running sums of days: `sums[0]` is 0 before the first day, `sums[i]` that of the first i days.
// `closed` tells of days from the first on whether they are said to be closed, coming ones too.
struct RunningSums {
  const double* sums;
  int first;
  int last;
  const std::vector<std::uint8_t>* closed = nullptr;
  std::array<int, 3> years{364, 728, 1099};  // how far back last year is, and the ones before

  bool reaches(int day) const { return day >= first - 1; }
  double up_to(int day) const { return sums[std::min(day, last) - first + 1]; }
  double between(int after, int to) const { return up_to(to) - up_to(after); }
  bool is_closed(int day) const {
    const auto at = static_cast<std::size_t>(day - first);
    return closed != nullptr && day >= first && at < closed->size() && (*closed)[at] != 0;
  }
};

// The mean of a weekday, that of `day`, in so many weeks up to `t`, closed days left out; not known
// where all are.
inline double weekday_mean(const RunningSums& s, int t, int day, int weeks) {
  const int ahead = (day - t - 1) % 7 + 1;
  double sum = 0;
  int open = 0;
  for (int m = 1; m <= weeks; ++m) {
    const int past = t + ahead - 7 * m;
    if (s.is_closed(past)) continue;
    sum += s.between(past - 1, past);
    ++open;
  }
  return open == 0 ? kNoValue : sum / open;
}

// The days after `t` at the mean of their own weekday in so many weeks up to it; closed days bring
// nothing.
inline double weekday_rate(const RunningSums& s, int t, int days, int weeks) {
  if (!s.reaches(t - 7 * weeks)) return kNoValue;
  if (s.closed != nullptr) {
    double out = 0;
    for (int day = t + 1; day <= t + days; ++day)
      if (!s.is_closed(day)) out += weekday_mean(s, t, day, weeks);
    return out;
  }
  const int whole = days / 7, rest = days % 7;
  const double out = whole * s.between(t - 7 * weeks, t) / weeks;
  if (rest == 0) return out;
  double part = 0;
  for (int m = 1; m <= weeks; ++m) part += s.between(t - 7 * m, t + rest - 7 * m);
  return out + part / weeks;
}

// A day with a name, by number: what its weekday brought at that time, and what came.
struct NamedDay {
  int day;
  int name;
  double usual;
  double came;
};

// Days with names, in order, and the series in which they bring what their weekdays do.
struct NamedDays {
  std::vector<NamedDay> days;
  std::vector<double> sums;
};

inline NamedDays without_named_days(const RunningSums& s, std::vector<NamedDay> days) {
  NamedDays out;
  out.sums.assign(s.sums, s.sums + (s.last - s.first + 2));
  std::size_t next = 0;
  double moved = 0;
  const RunningSums plain{out.sums.data(), s.first, s.last, s.closed, s.years};
  for (int day = s.first; day <= s.last; ++day) {
    while (next < days.size() && days[next].day < day) ++next;
    if (next < days.size() && days[next].day == day) {
      days[next].came = s.between(day - 1, day);
      days[next].usual = plain.reaches(day - 29) ? weekday_mean(plain, day - 1, day, 4) : kNoValue;
      if (!std::isnan(days[next].usual)) moved += days[next].usual - days[next].came;
    }
    out.sums[static_cast<std::size_t>(day - s.first + 1)] += moved;
  }
  out.days = std::move(days);
  return out;
}

// What named days to come bring beyond their weekdays: as the last three of their name did, else as
// all did.
inline double named_days_bring(const RunningSums& plain, const std::vector<NamedDay>& named, int t,
                               int days) {
  double out = 0;
  for (const NamedDay& coming : named) {
    if (coming.day <= t || coming.day > t + days || plain.is_closed(coming.day)) continue;
    const double usual = weekday_mean(plain, t, coming.day, 4);
    double own = 0, all = 0;
    int n_own = 0, n_all = 0;
    for (auto past = named.rbegin(); past != named.rend(); ++past) {
      if (past->day > t || past->day > plain.last || !(past->usual > 0)) continue;
      all += past->came / past->usual;
      ++n_all;
      if (past->name != coming.name || n_own == 3) continue;
      own += past->came / past->usual;
      ++n_own;
    }
    if (n_all == 0 || std::isnan(usual)) continue;
    out += usual * ((n_own > 0 ? own / n_own : all / n_all) - 1);
  }
  return out;
}

// What is known of days: their sums and, where some have names, these.
struct Series {
  RunningSums sums;
  const NamedDays* named = nullptr;
};

}  // namespace ledger
