// A day cube with a cell per day and group, for few groups.
#pragma once
#include <algorithm>
#include <cstdint>
#include <vector>

#include "block.h"
#include "windows.h"

namespace ledger {

class DenseCube : public Cube {
 public:
  DenseCube(const CubeRequest& request, const Groups& groups, const Host& host)
      : first_(request.first),
        days_(request.day_count()),
        groups_(static_cast<std::size_t>(groups.count())) {
    // One row of zeros before the first day makes every window a difference of two rows.
    for (const Slot& slot : request.slots) {
      power_.push_back(is_real(slot)            ? 1.0
                       : slot.what == What::sum ? power_of_ten(slot.column.decimals)
                                                : 1.0);
      whole_.emplace_back(is_real(slot) ? 0 : (days_ + 1) * groups_, 0);
      real_.emplace_back(is_real(slot) ? (days_ + 1) * groups_ : 0);
    }
    if (request.offsets != nullptr) fill_in_order(request, groups, host);
    else fill_any_order(request, groups, host);
    for (std::size_t s = 0; s < whole_.size(); ++s) {
      run_up(whole_[s]);
      run_up(real_[s]);
    }
  }

  // The groups of another cube put together: group g of it becomes part of group to[g], of none
  // where that is below 0.
  DenseCube(const DenseCube& fine, const std::vector<std::int32_t>& to, std::int32_t groups)
      : first_(fine.first_),
        days_(fine.days_),
        groups_(static_cast<std::size_t>(groups)),
        power_(fine.power_) {
    const auto together = [&](const auto& sums) {
      std::decay_t<decltype(sums)> all(sums.empty() ? 0 : (days_ + 1) * groups_);
      if (sums.empty()) return all;
      for (std::size_t day = 0; day <= days_; ++day) {
        const auto* from = sums.data() + day * fine.groups_;
        for (std::size_t g = 0; g < fine.groups_; ++g) {
          if (to[g] >= 0) accumulate(all[day * groups_ + static_cast<std::size_t>(to[g])], from[g]);
        }
      }
      return all;
    };
    for (const auto& sums : fine.whole_) whole_.push_back(together(sums));
    for (const auto& sums : fine.real_) real_.push_back(together(sums));
  }

  void evaluate(std::size_t slot, const Windows& windows, double* out,
                const Host& host) const override {
    if (real_[slot].empty()) difference(whole_[slot], windows, power_[slot], out, host);
    else difference(real_[slot], windows, power_[slot], out, host);
  }
  void add_sums(std::size_t slot, const Windows& windows, std::int64_t* whole,
                Pair* real) const override {
    const auto add = [&](const auto& sums, auto* out) {
      for (std::size_t w = 0; w < windows.count; ++w) {
        if (windows.group[w] < 0) continue;
        const auto g = static_cast<std::size_t>(windows.group[w]);
        const std::size_t before = row(windows.from[w]),
                          to = row(static_cast<std::int64_t>(windows.to[w]) + 1);
        if (to > before) add_difference(out[w], sums[to + g], sums[before + g]);
      }
    };
    if (real_[slot].empty()) add(whole_[slot], whole);
    else add(real_[slot], real);
  }
  double power(std::size_t slot) const override { return power_[slot]; }
  bool real(std::size_t slot) const override { return !real_[slot].empty(); }
  void stretches_held(std::int32_t group, const Days& stretches,
                      std::vector<std::int32_t>& held) const override {
    held.clear();
    const std::vector<std::int64_t>& entries = whole_[0];
    const auto g = static_cast<std::size_t>(group);
    for (std::size_t s = 0; s < stretches.count; ++s) {
      const std::size_t before = row(stretches.from[s]),
                        to = row(static_cast<std::int64_t>(stretches.to[s]) + 1);
      if (to > before && entries[to + g] > entries[before + g])
        held.push_back(static_cast<std::int32_t>(s));
    }
  }
  Day latest_day(std::int32_t group, Day day) const override {
    const std::vector<std::int64_t>& entries = whole_[0];
    const auto g = static_cast<std::size_t>(group);
    std::size_t low = 0, high = row(static_cast<std::int64_t>(day) + 1) / groups_;
    const std::int64_t all = entries[high * groups_ + g];
    if (all == 0) return kNoDay;
    // The first row that counts them all stands after the day of the last one.
    while (low < high) {
      const std::size_t middle = (low + high) / 2;
      if (entries[middle * groups_ + g] < all) low = middle + 1;
      else high = middle;
    }
    return first_ + static_cast<Day>(low) - 1;
  }
  bool dense() const override { return true; }
  double bytes() const override {
    double total = 0;
    for (std::size_t s = 0; s < whole_.size(); ++s) {
      total +=
          8.0 * static_cast<double>(whole_[s].size()) + 16.0 * static_cast<double>(real_[s].size());
    }
    return total;
  }

 private:
  Day first_;
  std::size_t days_, groups_;
  std::vector<double> power_;
  std::vector<std::vector<std::int64_t>> whole_;
  std::vector<std::vector<Pair>> real_;

  // Threads take days of their own, so no two write to one cell.
  void fill_in_order(const CubeRequest& request, const Groups& groups, const Host& host) {
    const std::int32_t* offsets = request.offsets;
    const int threads = threads_for(request.entries, host);
    constexpr std::size_t kRound = 8000000;  // entries between two polls
    std::size_t day = 0;
    while (day < days_) {
      const std::size_t from = static_cast<std::size_t>(offsets[day]);
      std::size_t end = day + 1;
      while (end < days_ && static_cast<std::size_t>(offsets[end]) - from < kRound) ++end;
      std::vector<std::size_t> share{day};
      for (int t = 1; t < threads; ++t) {
        const auto goal = static_cast<std::int32_t>(
            from + (static_cast<std::size_t>(offsets[end]) - from) * static_cast<std::size_t>(t) /
                       static_cast<std::size_t>(threads));
        const auto at = std::lower_bound(offsets + share.back(), offsets + end, goal);
        share.push_back(static_cast<std::size_t>(at - offsets));
      }
      share.push_back(end);
      in_parallel(threads, [&](int t) {
        fill_days(request, groups, share[static_cast<std::size_t>(t)],
                  share[static_cast<std::size_t>(t) + 1]);
      });
      host.poll();
      day = end;
    }
  }

  void fill_days(const CubeRequest& request, const Groups& groups, std::size_t from,
                 std::size_t to) {
    BlockReader block(request, groups);
    std::vector<std::int32_t> cells(kBlock);
    const std::int32_t* offsets = request.offsets;
    const auto end = static_cast<std::size_t>(offsets[to]);
    std::size_t day = from;
    for (std::size_t at = static_cast<std::size_t>(offsets[from]); at < end; at += kBlock) {
      const std::size_t n = std::min(kBlock, end - at);
      block.read(at, n);
      for (std::size_t i = 0; i < n;) {
        while (static_cast<std::size_t>(offsets[day + 1]) <= at + i) ++day;
        const std::size_t run = std::min(n, static_cast<std::size_t>(offsets[day + 1]) - at);
        const auto row = static_cast<std::int32_t>((day + 1) * groups_);
        const std::int32_t* group = block.group.data();
        std::int32_t* cell = cells.data();
#pragma omp simd
        for (std::size_t k = i; k < run; ++k) cell[k] = row + group[k];
        i = run;
      }
      add(block, request, at, cells);
    }
  }

  void fill_any_order(const CubeRequest& request, const Groups& groups, const Host& host) {
    BlockReader block(request, groups);
    std::vector<std::int32_t> cells(kBlock);
    for (std::size_t at = 0; at < request.entries; at += kBlock) {
      const std::size_t n = std::min(kBlock, request.entries - at);
      block.read(at, n);
      block.for_base([&](std::size_t i) {
        cells[i] = static_cast<std::int32_t>(
                       static_cast<std::size_t>(request.days[at + i] - first_ + 1) * groups_) +
                   block.group[i];
      });
      add(block, request, at, cells);
      if (at % (kBlock << 9) == 0) host.poll();
    }
  }

  void add(const BlockReader& block, const CubeRequest& request, std::size_t at,
           const std::vector<std::int32_t>& cells) {
    const std::int32_t* cell = cells.data();
    for (std::size_t s = 0; s < request.slots.size(); ++s) {
      if (s + 1 < request.slots.size() &&
          add_pair(block, request.slots[s], request.slots[s + 1], at, cell, whole_[s].data(),
                   whole_[s + 1].data())) {
        ++s;
        continue;
      }
      add_block(
          block, request.slots[s], at, [cell](std::size_t i) { return cell[i]; }, whole_[s].data(),
          real_[s].data());
    }
  }

  // Where the running sums up to the day before `day` stand.
  std::size_t row(std::int64_t day) const {
    return static_cast<std::size_t>(
               std::clamp<std::int64_t>(day - first_, 0, static_cast<std::int64_t>(days_))) *
           groups_;
  }

  template <class Sum>
  void run_up(std::vector<Sum>& sums) const {
    for (std::size_t i = groups_; i < sums.size(); ++i) accumulate(sums[i], sums[i - groups_]);
  }

  template <class Sum>
  void difference(const std::vector<Sum>& sums, const Windows& windows, double power, double* out,
                  const Host& host) const {
    in_stretches(windows.count, threads_for(windows.count, host),
                 [&](std::size_t begin, std::size_t end) {
                   for (std::size_t w = begin; w < end; ++w) {
                     const auto g = static_cast<std::size_t>(windows.group[w]);
                     const std::size_t before = row(windows.from[w]);
                     const std::size_t to = row(static_cast<std::int64_t>(windows.to[w]) + 1);
                     out[w] = to > before ? figure(sums[to + g], sums[before + g], power) : 0.0;
                   }
                 });
    host.poll();
  }
};

}  // namespace ledger
