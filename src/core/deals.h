// Days dealt anew to two spans, and how much their members then move beyond an alike change.
#pragma once
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

#include "host.h"

namespace ledger {

// Figures of members on days, those of one member side by side.
struct DealtCells {
  const std::int32_t* member;
  const std::int32_t* day;
  const double* value;
  std::size_t count;
};

// Which days each deal gives to the first span: deals one after the other, a flag for each day.
struct Deals {
  const int* first;
  std::size_t days;
  std::size_t count;
};

// Half of what all members change beyond `alike` times their figure in the second span; without an
// `alike` the totals of each deal tell it.
inline std::vector<double> moved_by_deals(const DealtCells& cells, const Deals& deals, double alike,
                                          const Host& host) {
  std::vector<double> days(deals.days, 0.0);
  for (std::size_t i = 0; i < cells.count; ++i) days[cells.day[i]] += cells.value[i];
  std::vector<double> ratios(deals.count, alike);
  if (std::isnan(alike)) {
    for (std::size_t d = 0; d < deals.count; ++d) {
      double one = 0, other = 0;
      for (std::size_t day = 0; day < deals.days; ++day)
        (deals.first[d * deals.days + day] ? one : other) += days[day];
      ratios[d] = other == 0 ? 0 : one / other;
    }
  }
  // The flags of a day for all deals side by side, as each cell asks for all of them.
  std::vector<double> flags(deals.days * deals.count);
  for (std::size_t d = 0; d < deals.count; ++d)
    for (std::size_t day = 0; day < deals.days; ++day)
      flags[day * deals.count + d] = deals.first[d * deals.days + day] ? 1.0 : 0.0;
  std::vector<double> moved(deals.count, 0.0), own(deals.count, 0.0);
  std::size_t i = 0, met = 0;
  while (i < cells.count) {
    const std::int32_t member = cells.member[i];
    double all = 0;
    own.assign(deals.count, 0.0);
    for (; i < cells.count && cells.member[i] == member; ++i) {
      const double value = cells.value[i];
      const double* flag = &flags[static_cast<std::size_t>(cells.day[i]) * deals.count];
      all += value;
      for (std::size_t d = 0; d < deals.count; ++d) own[d] += value * flag[d];
      if (++met % 65536 == 0) host.poll();
    }
    for (std::size_t d = 0; d < deals.count; ++d)
      moved[d] += std::fabs(own[d] - (all - own[d]) * ratios[d]) / 2;
  }
  return moved;
}

}  // namespace ledger
