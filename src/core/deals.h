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
  std::vector<std::int32_t> member;
  std::vector<std::int32_t> day;
  std::vector<double> value;
  std::size_t count = 0;
};

// Cells in order of member (from 0), those of one in the order in which they come; `day` is of a
// cell, by its number.
template <class Day>
DealtCells in_order_of_members(const std::int32_t* member, const double* value, std::size_t count,
                               std::size_t members, const Day& day) {
  std::vector<std::size_t> next(members + 1, 0);
  for (std::size_t i = 0; i < count; ++i) ++next[static_cast<std::size_t>(member[i]) + 1];
  for (std::size_t m = 0; m < members; ++m) next[m + 1] += next[m];
  DealtCells cells;
  cells.count = count;
  cells.member.resize(count);
  cells.day.resize(count);
  cells.value.resize(count);
  for (std::size_t i = 0; i < count; ++i) {
    const std::size_t at = next[static_cast<std::size_t>(member[i])]++;
    cells.member[at] = member[i];
    cells.day[at] = day(i);
    cells.value[at] = value[i];
  }
  return cells;
}

// Which days each deal gives to the first span: deals one after the other, a flag for each day.
struct Deals {
  const int* first;
  std::size_t days;
  std::size_t count;
};

// Loops of a fixed length become instructions that take several numbers.
constexpr std::size_t kDealsAtOnce = 8;

// Where some hundred thousand cells end with a whole member.
inline std::size_t end_of_members(const DealtCells& cells, std::size_t begin) {
  std::size_t end = begin + 500000;
  if (end >= cells.count) return cells.count;
  while (end < cells.count && cells.member[end] == cells.member[end - 1]) ++end;
  return end;
}

// Adds what some members move in some of the deals.
inline void move_members(const DealtCells& cells, std::size_t begin, std::size_t end,
                         const std::vector<double>& flags, const std::vector<double>& ratios,
                         std::size_t wide, std::size_t first, std::size_t last,
                         std::vector<double>* moved) {
  std::vector<double> own(wide);
  std::size_t i = begin;
  while (i < end) {
    const std::int32_t member = cells.member[i];
    double all = 0;
    for (std::size_t d = first; d < last; ++d) own[d] = 0;
    for (; i < end && cells.member[i] == member; ++i) {
      const double value = cells.value[i];
      const double* flag = &flags[static_cast<std::size_t>(cells.day[i]) * wide];
      all += value;
      for (std::size_t d = first; d < last; d += kDealsAtOnce)
        for (std::size_t k = 0; k < kDealsAtOnce; ++k) own[d + k] += value * flag[d + k];
    }
    for (std::size_t d = first; d < last; ++d)
      (*moved)[d] += std::fabs(own[d] - (all - own[d]) * ratios[d]) / 2;
  }
}

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
  const std::size_t wide = (deals.count + kDealsAtOnce - 1) / kDealsAtOnce * kDealsAtOnce;
  std::vector<double> flags(deals.days * wide, 0.0);
  for (std::size_t d = 0; d < deals.count; ++d)
    for (std::size_t day = 0; day < deals.days; ++day)
      flags[day * wide + d] = deals.first[d * deals.days + day] ? 1.0 : 0.0;
  ratios.resize(wide, 0.0);
  std::vector<double> moved(wide, 0.0);
  // Threads share the deals, so that what is added up comes in one order whatever their number.
  const int parts = threads_for(cells.count, host);
  const std::size_t blocks = wide / kDealsAtOnce;
  std::size_t begin = 0;
  while (begin < cells.count) {
    const std::size_t end = end_of_members(cells, begin);
    in_parallel(parts, [&](int part) {
      const std::size_t first = blocks * static_cast<std::size_t>(part) / parts * kDealsAtOnce;
      const std::size_t last = blocks * (static_cast<std::size_t>(part) + 1) / parts * kDealsAtOnce;
      move_members(cells, begin, end, flags, ratios, wide, first, last, &moved);
    });
    begin = end;
    host.poll();
  }
  moved.resize(deals.count);
  return moved;
}

}  // namespace ledger
