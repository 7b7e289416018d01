// Sums of days by group, in order of the groups, and the running sums of one group at a time.
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

#include "host.h"

namespace ledger {

struct DailySums {
  std::size_t groups = 0;
  std::size_t days = 0;
  std::vector<std::size_t> begins;  // where each group begins, and the end of the last
  std::vector<std::int32_t> day;    // from 0
  std::vector<double> value;
};

// `group` and `day` are numbers from 0.
inline DailySums daily_sums(const std::int32_t* group, const std::int32_t* day, const double* value,
                            std::size_t count, std::size_t groups, std::size_t days) {
  DailySums out;
  out.groups = groups;
  out.days = days;
  out.begins.assign(groups + 1, 0);
  for (std::size_t i = 0; i < count; ++i) ++out.begins[static_cast<std::size_t>(group[i]) + 1];
  for (std::size_t g = 0; g < groups; ++g) out.begins[g + 1] += out.begins[g];
  out.day.resize(count);
  out.value.resize(count);
  std::vector<std::size_t> next(out.begins.begin(), out.begins.end() - 1);
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t at = next[static_cast<std::size_t>(group[i])]++;
    out.day[at] = day[i];
    out.value[at] = value[i];
  }
  return out;
}

// Calls f(group, sums) for each group, `sums` being its running sums, the first of them 0; several
// at a time, and the host is asked after some.
template <class F>
void each_running(const DailySums& daily, const Host& host, const F& f) {
  constexpr std::size_t at_once = 1000;
  const int threads = threads_for(daily.groups * daily.days, host);
  for (std::size_t begin = 0; begin < daily.groups; begin += at_once) {
    const std::size_t count = std::min(at_once, daily.groups - begin);
    in_stretches(count, threads, [&](std::size_t from, std::size_t to) {
      std::vector<double> sums(daily.days + 1);
      for (std::size_t g = begin + from; g < begin + to; ++g) {
        std::fill(sums.begin(), sums.end(), 0.0);
        for (std::size_t i = daily.begins[g]; i < daily.begins[g + 1]; ++i)
          sums[static_cast<std::size_t>(daily.day[i]) + 1] += daily.value[i];
        for (std::size_t d = 0; d < daily.days; ++d) sums[d + 1] += sums[d];
        f(g, sums.data());
      }
    });
    host.poll();
  }
}

}  // namespace ledger
