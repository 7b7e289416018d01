// The entries of one figure side by side by group, in order of day: what figures need that are no
// sums (distinct counts, extremes, medians, latest values).
#pragma once
#include <algorithm>
#include <cstdint>
#include <numeric>
#include <vector>

#include "block.h"

namespace ledger {

template <class Value>
struct Lists {
  std::vector<std::int64_t> offsets;  // cells of group g: offsets[g] to offsets[g + 1]
  std::vector<Day> day;
  std::vector<Value> value;

  std::size_t groups() const { return offsets.size() - 1; }
  double bytes() const {
    return 8.0 * static_cast<double>(offsets.size()) +
           static_cast<double>(day.size()) * (sizeof(Day) + sizeof(Value));
  }
  std::size_t begin(std::size_t g) const { return static_cast<std::size_t>(offsets[g]); }
  std::size_t end(std::size_t g) const { return static_cast<std::size_t>(offsets[g + 1]); }
};

namespace lists_detail {

// Entries of another date basis are not in order of its days.
template <class Value>
void sort_by_day(Lists<Value>& lists, std::size_t g) {
  const std::size_t from = lists.begin(g), to = lists.end(g);
  if (std::is_sorted(lists.day.data() + from, lists.day.data() + to)) return;
  std::vector<std::size_t> order(to - from);
  std::iota(order.begin(), order.end(), from);
  std::stable_sort(order.begin(), order.end(),
                   [&](std::size_t a, std::size_t b) { return lists.day[a] < lists.day[b]; });
  std::vector<Day> day;
  std::vector<Value> value;
  for (std::size_t at : order) {
    day.push_back(lists.day[at]);
    value.push_back(lists.value[at]);
  }
  std::copy(day.begin(), day.end(), lists.day.begin() + static_cast<std::ptrdiff_t>(from));
  std::copy(value.begin(), value.end(), lists.value.begin() + static_cast<std::ptrdiff_t>(from));
}

}  // namespace lists_detail

// Puts the entries that count in `slot`, and for which keep(i) holds, side by side with value(i).
// Entries of one group and day stay in the order of the ledger.
template <class Value, class Keep, class Read>
Lists<Value> gather(const CubeRequest& request, const Groups& groups, const Slot& slot,
                    const Keep& keep, const Read& value, const Host& host) {
  const auto group_count = static_cast<std::size_t>(groups.count());
  const std::size_t begin = request.begin(), n = request.end() - begin;
  // Each thread has a stretch of entries and a count per group, which many groups would make too
  // long.
  const std::size_t threads =
      group_count > n / 16 ? 1 : static_cast<std::size_t>(threads_for(n, host));
  const std::size_t blocks = (n + kBlock - 1) / kBlock,
                    share = (blocks + threads - 1) / threads * kBlock;
  std::vector<std::vector<std::int64_t>> next(threads, std::vector<std::int64_t>(group_count, 0));

  const auto each = [&](std::size_t part, const auto& f) {
    BlockReader block(request, groups);
    const std::size_t from = std::min(n, part * share), to = std::min(n, from + share);
    for (std::size_t at = from; at < to; at += kBlock) {
      block.read(begin + at, std::min(kBlock, to - at));
      block.for_slot(slot, [&](std::size_t i) {
        if (keep(begin + at + i)) f(static_cast<std::size_t>(block.group[i]), begin + at + i);
      });
      if (threads == 1 && at % (kBlock << 9) == 0) host.poll();
    }
  };
  in_parallel(static_cast<int>(threads), [&](int t) {
    auto& counts = next[static_cast<std::size_t>(t)];
    each(static_cast<std::size_t>(t), [&](std::size_t g, std::size_t) { ++counts[g]; });
  });
  host.poll();

  Lists<Value> lists;
  lists.offsets.assign(group_count + 1, 0);
  std::int64_t at = 0;
  for (std::size_t g = 0; g < group_count; ++g) {
    for (auto& counts : next) {
      const std::int64_t count = counts[g];
      counts[g] = at;
      at += count;
    }
    lists.offsets[g + 1] = at;
  }
  lists.day.resize(static_cast<std::size_t>(at));
  lists.value.resize(static_cast<std::size_t>(at));
  in_parallel(static_cast<int>(threads), [&](int t) {
    auto& place = next[static_cast<std::size_t>(t)];
    std::size_t day = 0;
    if (request.offsets != nullptr) {
      const auto first =
          static_cast<std::int32_t>(begin + std::min(n, static_cast<std::size_t>(t) * share));
      const auto after =
          std::upper_bound(request.offsets, request.offsets + request.day_count() + 1, first);
      day = static_cast<std::size_t>(std::max<std::ptrdiff_t>(after - request.offsets, 1) - 1);
    }
    each(static_cast<std::size_t>(t), [&](std::size_t g, std::size_t i) {
      const auto to = static_cast<std::size_t>(place[g]++);
      if (request.offsets == nullptr) {
        lists.day[to] = request.days[i];
      } else {
        while (static_cast<std::size_t>(request.offsets[day + 1]) <= i) ++day;
        lists.day[to] = request.first + static_cast<Day>(day);
      }
      lists.value[to] = value(i);
    });
  });
  host.poll();
  if (request.offsets == nullptr) {
    for (std::size_t g = 0; g < group_count; ++g) lists_detail::sort_by_day(lists, g);
  }
  return lists;
}

// Makes one cell of the cells of a group and day that follow each other and that `join` merges into
// the one before; join(g, to, from) is true where it did.
template <class Value, class Join>
void compact(Lists<Value>& lists, const Join& join) {
  std::size_t cells = 0;
  for (std::size_t g = 0; g < lists.groups(); ++g) {
    const std::size_t from = lists.begin(g), to = lists.end(g);
    lists.offsets[g] = static_cast<std::int64_t>(cells);
    const std::size_t first = cells;
    for (std::size_t i = from; i < to; ++i) {
      if (cells > first && lists.day[cells - 1] == lists.day[i] &&
          join(lists.value[cells - 1], lists.value[i]))
        continue;
      lists.day[cells] = lists.day[i];
      lists.value[cells] = lists.value[i];
      ++cells;
    }
  }
  lists.offsets.back() = static_cast<std::int64_t>(cells);
  if (cells == lists.day.size()) return;
  lists.day.resize(cells);
  lists.value.resize(cells);
  lists.day.shrink_to_fit();
  lists.value.shrink_to_fit();
}

}  // namespace ledger
