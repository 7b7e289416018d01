// A second way to a figure, kept apart from the day cube on purpose: every entry is looked
// at once, on its own, and added up in the widest arithmetic there is.
#pragma once
#include "block.h"

namespace ledger {

inline double control_figure(const CubeRequest& request, const Slot& slot, Day from, Day to) {
  std::int64_t whole = 0;
  Pair real;
  std::vector<std::uint8_t> answer(kBlock, kTrue), scratch;
  const auto passes = [&](int condition, std::size_t i) {
    if (condition < 0) return true;
    request.conditions[static_cast<std::size_t>(condition)].answer(i, 1, answer.data(), scratch);
    return answer[0] == kTrue;
  };
  const auto count = [&](std::size_t i) {
    if (slot.what == What::count) {
      ++whole;
      return;
    }
    with_data(slot.column, [&](const auto* data) {
      if (is_missing(data[i])) return;
      if (slot.what == What::present) ++whole;
      else if (slot.column.kind == Kind::real) real.add(static_cast<double>(data[i]));
      else whole += static_cast<std::int64_t>(data[i]);
    });
  };
  std::size_t day = 0;
  for (std::size_t i = request.begin(); i < request.end(); ++i) {
    Day d = kNoDay;
    if (request.offsets != nullptr) {
      while (static_cast<std::size_t>(request.offsets[day + 1]) <= i) ++day;
      d = request.first + static_cast<Day>(day);
    } else {
      d = request.days[i];
    }
    if (d == kNoDay || d < from || d > to) continue;
    if (passes(request.where, i) && passes(slot.condition, i)) count(i);
  }
  if (slot.what == What::sum && slot.column.kind == Kind::real) return real.high + real.low;
  return static_cast<double>(whole) /
         power_of_ten(slot.what == What::sum ? slot.column.decimals : 0);
}

}  // namespace ledger
