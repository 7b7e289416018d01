// A day cube with a cell per group and day that has entries, for many groups: its memory grows
// with the entries, not with groups times days.
#pragma once
#include <algorithm>
#include <cstdint>
#include <type_traits>
#include <utility>
#include <vector>

#include "block.h"
#include "windows.h"

namespace ledger {

class SparseCube : public Cube {
 public:
  SparseCube(const CubeRequest& request, const Groups& groups, const Host& host) {
    for (const Slot& slot : request.slots) {
      power_.push_back(slot.what == What::sum && !is_real(slot) ? power_of_ten(slot.column.decimals)
                                                                : 1.0);
      is_real_.push_back(is_real(slot));
    }
    const std::vector<std::int64_t> starts = count_by_group(request, groups, host);
    spread(request, groups, starts, host);
    compress(starts, host);
  }

  void evaluate(std::size_t slot, const Windows& windows, double* out,
                const Host& host) const override {
    if (is_real_[slot]) difference(real_[slot], windows, power_[slot], out, host);
    else difference(whole_[slot], windows, power_[slot], out, host);
  }
  void add_sums(std::size_t slot, const Windows& windows, std::int64_t* whole,
                Pair* real) const override {
    const auto add = [&](const auto& sums, auto* out) {
      for (std::size_t w = 0; w < windows.count; ++w) {
        if (windows.group[w] < 0) continue;
        const auto [from, to] = cells(windows, w);
        if (to == from) continue;
        using Sum = std::decay_t<decltype(sums[0])>;
        add_difference(out[w], sums[to - 1],
                       from == first_cell(windows.group[w]) ? Sum{} : sums[from - 1]);
      }
    };
    if (is_real_[slot]) add(real_[slot], real);
    else add(whole_[slot], whole);
  }
  double power(std::size_t slot) const override { return power_[slot]; }
  bool real(std::size_t slot) const override { return is_real_[slot]; }
  void stretches_held(std::int32_t group, const Days& stretches,
                      std::vector<std::int32_t>& held) const override {
    held.clear();
    const auto g = static_cast<std::size_t>(group);
    const Day* end = day_.data() + offsets_[g + 1];
    for (const Day* day = day_.data() + offsets_[g]; day != end;) {
      const Day* after = std::upper_bound(stretches.from, stretches.from + stretches.count, *day);
      if (after == stretches.from) {  // before the first stretch
        day = std::lower_bound(day, end, stretches.count == 0 ? kLastDay + 1 : *stretches.from);
        continue;
      }
      const auto s = static_cast<std::size_t>(after - stretches.from) - 1;
      if (*day <= stretches.to[s]) held.push_back(static_cast<std::int32_t>(s));
      // On to the first cell that the next stretch could hold.
      if (s + 1 == stretches.count) return;
      day = std::lower_bound(day, end, stretches.from[s + 1]);
    }
  }
  Day latest_day(std::int32_t group, Day day) const override {
    const Day* begin = day_.data() + offsets_[static_cast<std::size_t>(group)];
    const Day* end = day_.data() + offsets_[static_cast<std::size_t>(group) + 1];
    const Day* after = std::upper_bound(begin, end, day);
    return after == begin ? kNoDay : *(after - 1);
  }
  bool dense() const override { return false; }
  double bytes() const override {
    double total =
        4.0 * static_cast<double>(day_.size()) + 8.0 * static_cast<double>(offsets_.size());
    for (std::size_t s = 0; s < whole_.size(); ++s) {
      total +=
          8.0 * static_cast<double>(whole_[s].size()) + 16.0 * static_cast<double>(real_[s].size());
    }
    return total;
  }

 private:
  std::vector<double> power_;
  std::vector<bool> is_real_;
  std::vector<std::int64_t> offsets_;  // cells of group g: offsets_[g] to offsets_[g + 1]
  std::vector<Day> day_;
  std::vector<std::vector<std::int64_t>> whole_;
  std::vector<std::vector<Pair>> real_;

  static std::vector<std::int64_t> count_by_group(const CubeRequest& request, const Groups& groups,
                                                  const Host& host) {
    std::vector<std::int64_t> starts(static_cast<std::size_t>(groups.count()) + 1, 0);
    BlockReader block(request, groups);
    const std::size_t end = request.end();
    for (std::size_t at = request.begin(); at < end; at += kBlock) {
      block.read(at, std::min(kBlock, end - at));
      block.for_base(
          [&](std::size_t i) { ++starts[static_cast<std::size_t>(block.group[i]) + 1]; });
      if ((at - request.begin()) % (kBlock << 9) == 0) host.poll();
    }
    for (std::size_t g = 1; g < starts.size(); ++g) starts[g] += starts[g - 1];
    return starts;
  }

  // Puts the entries of each group side by side, in the order in which they come.
  void spread(const CubeRequest& request, const Groups& groups,
              const std::vector<std::int64_t>& starts, const Host& host) {
    const auto total = static_cast<std::size_t>(starts.back());
    day_.resize(total);
    for (const Slot& slot : request.slots) {
      whole_.emplace_back(is_real(slot) ? 0 : total, 0);
      real_.emplace_back(is_real(slot) ? total : 0);
    }
    std::vector<std::int64_t> next(starts.begin(), starts.end() - 1);
    std::vector<std::int64_t> place(kBlock);
    BlockReader block(request, groups);
    std::size_t day = 0;
    const std::size_t end = request.end();
    for (std::size_t at = request.begin(); at < end; at += kBlock) {
      block.read(at, std::min(kBlock, end - at));
      block.for_base([&](std::size_t i) {
        const std::int64_t to = next[static_cast<std::size_t>(block.group[i])]++;
        place[i] = to;
        if (request.offsets == nullptr) {
          day_[static_cast<std::size_t>(to)] = request.days[at + i];
        } else {
          while (static_cast<std::size_t>(request.offsets[day + 1]) <= at + i) ++day;
          day_[static_cast<std::size_t>(to)] = request.first + static_cast<Day>(day);
        }
      });
      for (std::size_t s = 0; s < request.slots.size(); ++s) {
        add_block(
            block, request.slots[s], at,
            [&](std::size_t i) { return static_cast<std::size_t>(place[i]); }, whole_[s].data(),
            real_[s].data());
      }
      if ((at - request.begin()) % (kBlock << 9) == 0) host.poll();
    }
  }

  // Merges the entries of a group and day into one cell and runs the sums up within groups.
  void compress(const std::vector<std::int64_t>& starts, const Host& host) {
    offsets_.assign(starts.size(), 0);
    std::size_t cells = 0;
    for (std::size_t g = 0; g + 1 < starts.size(); ++g) {
      const auto from = static_cast<std::size_t>(starts[g]);
      const auto to = static_cast<std::size_t>(starts[g + 1]);
      sort_group(from, to);
      const std::size_t first_cell = cells;
      for (std::size_t i = from; i < to; ++i) {
        const bool same_day = cells > first_cell && day_[cells - 1] == day_[i];
        if (!same_day) {
          day_[cells] = day_[i];
          ++cells;
        }
        for (auto& sums : whole_) run_up(sums, i, cells - 1, same_day, cells - 1 > first_cell);
        for (auto& sums : real_) run_up(sums, i, cells - 1, same_day, cells - 1 > first_cell);
      }
      offsets_[g + 1] = static_cast<std::int64_t>(cells);
      if (g % 20000 == 0) host.poll();
    }
    day_.resize(cells);
    day_.shrink_to_fit();
    for (auto& sums : whole_) shrink(sums, cells);
    for (auto& sums : real_) shrink(sums, cells);
  }

  template <class Sum>
  static void run_up(std::vector<Sum>& sums, std::size_t entry, std::size_t cell, bool same_day,
                     bool has_before) {
    if (sums.empty()) return;
    Sum sum = sums[entry];
    if (same_day) accumulate(sum, sums[cell]);
    else if (has_before) accumulate(sum, sums[cell - 1]);
    sums[cell] = sum;
  }

  template <class Sum>
  static void shrink(std::vector<Sum>& sums, std::size_t cells) {
    if (sums.empty()) return;
    sums.resize(cells);
    sums.shrink_to_fit();
  }

  // Entries come in order of the ledger's first date basis; another basis needs its own.
  void sort_group(std::size_t from, std::size_t to) {
    if (std::is_sorted(day_.begin() + static_cast<std::ptrdiff_t>(from),
                       day_.begin() + static_cast<std::ptrdiff_t>(to)))
      return;
    std::vector<std::size_t> order(to - from);
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = from + i;
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return day_[a] < day_[b]; });
    const auto rearrange = [&](auto& values) {
      if (values.empty()) return;
      std::decay_t<decltype(values)> copy(order.size());
      for (std::size_t i = 0; i < order.size(); ++i) copy[i] = values[order[i]];
      std::copy(copy.begin(), copy.end(), values.begin() + static_cast<std::ptrdiff_t>(from));
    };
    for (auto& sums : whole_) rearrange(sums);
    for (auto& sums : real_) rearrange(sums);
    rearrange(day_);
  }

  std::size_t first_cell(std::int32_t group) const {
    return static_cast<std::size_t>(offsets_[static_cast<std::size_t>(group)]);
  }

  // The cells of a window: the first, and the one after the last.
  std::pair<std::size_t, std::size_t> cells(const Windows& windows, std::size_t w) const {
    const Day* begin = day_.data() + first_cell(windows.group[w]);
    const Day* end = day_.data() + first_cell(windows.group[w] + 1);
    const Day* from = std::lower_bound(begin, end, windows.from[w]);
    const Day* to = std::upper_bound(from, end, windows.to[w]);
    return {static_cast<std::size_t>(from - day_.data()),
            static_cast<std::size_t>(to - day_.data())};
  }

  template <class Sum>
  void difference(const std::vector<Sum>& sums, const Windows& windows, double power, double* out,
                  const Host& host) const {
    in_stretches(
        windows.count, threads_for(windows.count, host), [&](std::size_t first, std::size_t last) {
          for (std::size_t w = first; w < last; ++w) {
            const auto [from, to] = cells(windows, w);
            out[w] =
                to == from
                    ? 0.0
                    : figure(sums[to - 1],
                             from == first_cell(windows.group[w]) ? Sum{} : sums[from - 1], power);
          }
        });
    host.poll();
  }
};

}  // namespace ledger
