// Entries in order of day: a counting sort over the days between the first and the last,
// stable, so entries of one day stay in the order of their source.
#pragma once
#include <cstdint>
#include <vector>

#include "dates.h"
#include "host.h"

namespace ledger {

struct DayOrder {
  Day first = 0;                       // day of offsets[0]
  std::vector<std::int32_t> order;     // source position of each ledger entry
  std::vector<std::int32_t> offsets;   // entries of day first + k: offsets[k] to offsets[k + 1]
  bool as_it_stands = true;            // order is 0, 1, 2, ...

  std::size_t days() const { return offsets.empty() ? 0 : offsets.size() - 1; }
};

// Entries whose day is kNoDay are left out.
inline DayOrder order_by_day(const Day* days, std::size_t n, const Host& host) {
  DayOrder result;
  Day first = kLastDay + 1, last = kFirstDay - 1;
  std::size_t used = 0;
  bool sorted = true;
  Day before = kFirstDay;
  for (std::size_t i = 0; i < n; ++i) {
    const Day d = days[i];
    if (d == kNoDay) continue;
    ++used;
    if (d < first) first = d;
    if (d > last) last = d;
    if (d < before) sorted = false;
    before = d;
  }
  if (used == 0) return result;
  result.first = first;
  result.offsets.assign(static_cast<std::size_t>(last - first) + 2, 0);
  for (std::size_t i = 0; i < n; ++i) {
    if (days[i] != kNoDay) ++result.offsets[days[i] - first + 1];
  }
  for (std::size_t k = 1; k < result.offsets.size(); ++k) result.offsets[k] += result.offsets[k - 1];
  host.poll();
  result.as_it_stands = sorted && used == n;
  result.order.resize(used);
  if (sorted) {
    std::size_t at = 0;
    for (std::size_t i = 0; i < n; ++i) {
      if (days[i] != kNoDay) result.order[at++] = static_cast<std::int32_t>(i);
    }
  } else {
    std::vector<std::int32_t> next(result.offsets.begin(), result.offsets.end() - 1);
    for (std::size_t i = 0; i < n; ++i) {
      if (days[i] != kNoDay) result.order[next[days[i] - first]++] = static_cast<std::int32_t>(i);
    }
  }
  host.poll();
  return result;
}

}  // namespace ledger
