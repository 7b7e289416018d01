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
    const int threads = threads_for(request.end() - request.begin(), host);
    const std::vector<std::int64_t> starts = count_by_group(request, groups, threads, host);
    const std::vector<GroupRange> shares = shares_of_entries(starts, threads);
    spread(request, groups, starts, shares, host);
    compress(starts, shares, host);
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
    for_held(group, stretches,
             [&](std::int32_t s, std::size_t, std::size_t) { held.push_back(s); });
  }
  void figures_held(std::int32_t group, const Days& stretches, std::size_t slots,
                    std::vector<std::int32_t>& held, std::vector<double>& figures) const override {
    stretches_held(group, stretches, held);
    figures.resize(slots * held.size());
    std::size_t k = 0;
    for_held(group, stretches, [&](std::int32_t, std::size_t from, std::size_t to) {
      for (std::size_t slot = 0; slot < slots; ++slot) {
        figures[slot * held.size() + k] =
            is_real_[slot] ? between(real_[slot], group, from, to, power_[slot])
                           : between(whole_[slot], group, from, to, power_[slot]);
      }
      ++k;
    });
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

  // Entries are read by every thread, and each takes those of its own groups: what is far apart in
  // memory is written by one alone, and in the order in which entries come. Between rounds the host
  // is asked whether to go on.
  template <class F>
  static void in_rounds(const CubeRequest& request, const Groups& groups,
                        const std::vector<GroupRange>& shares, const Host& host, const F& f) {
    std::vector<BlockReader> readers;
    for (const GroupRange& share : shares) readers.emplace_back(request, groups, share);
    const std::size_t end = request.end(), round = kBlock << 9;
    for (std::size_t from = request.begin(); from < end; from += round) {
      const std::size_t to = std::min(end, from + round);
      in_parallel(static_cast<int>(shares.size()), [&](int part) {
        BlockReader& block = readers[static_cast<std::size_t>(part)];
        for (std::size_t at = from; at < to; at += kBlock) {
          const std::size_t n = std::min(kBlock, to - at);
          block.read(at, n);
          f(block, at);
        }
      });
      host.poll();
    }
  }

  static std::vector<std::int64_t> count_by_group(const CubeRequest& request, const Groups& groups,
                                                  int threads, const Host& host) {
    std::vector<std::int64_t> starts(static_cast<std::size_t>(groups.count()) + 1, 0);
    in_rounds(request, groups, equal_shares(groups.count(), threads), host,
              [&](const BlockReader& block, std::size_t) {
                block.for_base(
                    [&](std::size_t i) { ++starts[static_cast<std::size_t>(block.group[i]) + 1]; });
              });
    for (std::size_t g = 1; g < starts.size(); ++g) starts[g] += starts[g - 1];
    return starts;
  }

  static std::vector<GroupRange> equal_shares(std::int32_t groups, int threads) {
    if (threads == 1) return {GroupRange{}};
    std::vector<GroupRange> shares;
    for (int part = 0; part < threads; ++part) {
      const auto bound = [&](int k) {
        return static_cast<std::int32_t>(static_cast<std::int64_t>(groups) * k / threads);
      };
      shares.push_back({bound(part), bound(part + 1)});
    }
    return shares;
  }

  // As many entries for each thread, as far as groups allow.
  static std::vector<GroupRange> shares_of_entries(const std::vector<std::int64_t>& starts,
                                                   int threads) {
    if (threads == 1) return {GroupRange{}};
    std::vector<GroupRange> shares;
    std::int32_t first = 0;
    for (int part = 1; part <= threads; ++part) {
      const auto bound = std::lower_bound(starts.begin() + first, starts.end() - 1,
                                          starts.back() * part / threads);
      const auto end = part == threads ? static_cast<std::int32_t>(starts.size() - 1)
                                       : static_cast<std::int32_t>(bound - starts.begin());
      shares.push_back({first, end});
      first = end;
    }
    return shares;
  }

  // Puts the entries of each group side by side, in the order in which they come.
  void spread(const CubeRequest& request, const Groups& groups,
              const std::vector<std::int64_t>& starts, const std::vector<GroupRange>& shares,
              const Host& host) {
    const auto total = static_cast<std::size_t>(starts.back());
    day_.resize(total);
    for (const Slot& slot : request.slots) {
      whole_.emplace_back(is_real(slot) ? 0 : total, 0);
      real_.emplace_back(is_real(slot) ? total : 0);
    }
    std::vector<std::int64_t> next(starts.begin(), starts.end() - 1);
    in_rounds(request, groups, shares, host, [&](const BlockReader& block, std::size_t at) {
      std::int64_t place[kBlock];
      std::size_t day = 0;
      if (request.offsets != nullptr) {
        // The last day that begins with this entry or before it.
        const std::int32_t* after =
            std::upper_bound(request.offsets, request.offsets + request.day_count() + 1,
                             static_cast<std::int32_t>(at));
        day = static_cast<std::size_t>(after - request.offsets) - 1;
      }
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
    });
  }

  // Merges the entries of a group and day into one cell and runs the sums up within groups: each
  // thread from where its entries begin, then all are put together.
  void compress(const std::vector<std::int64_t>& starts, const std::vector<GroupRange>& shares,
                const Host& host) {
    const std::size_t groups = starts.size() - 1, round = 20000;
    offsets_.assign(starts.size(), 0);
    std::vector<std::size_t> next, begins, cells;
    for (const GroupRange& share : shares) {
      next.push_back(static_cast<std::size_t>(share.first));
      begins.push_back(static_cast<std::size_t>(starts[next.back()]));
    }
    cells = begins;
    const auto end_of = [&](std::size_t part) {
      return std::min(groups, static_cast<std::size_t>(shares[part].end));
    };
    const auto all_done = [&] {
      for (std::size_t part = 0; part < shares.size(); ++part)
        if (next[part] < end_of(part)) return false;
      return true;
    };
    while (!all_done()) {
      in_parallel(static_cast<int>(shares.size()), [&](int number) {
        const auto part = static_cast<std::size_t>(number);
        const std::size_t to = std::min(end_of(part), next[part] + round);
        for (; next[part] < to; ++next[part]) {
          compress_group(static_cast<std::size_t>(starts[next[part]]),
                         static_cast<std::size_t>(starts[next[part] + 1]), cells[part]);
          offsets_[next[part] + 1] = static_cast<std::int64_t>(cells[part]);
        }
      });
      host.poll();
    }
    std::size_t total = 0;
    for (std::size_t part = 0; part < shares.size(); ++part) {
      const std::size_t moved = begins[part] - total;
      const auto move_down = [&](auto& values) {
        if (values.empty() || moved == 0) return;
        std::copy(values.begin() + static_cast<std::ptrdiff_t>(begins[part]),
                  values.begin() + static_cast<std::ptrdiff_t>(cells[part]),
                  values.begin() + static_cast<std::ptrdiff_t>(total));
      };
      move_down(day_);
      for (auto& sums : whole_) move_down(sums);
      for (auto& sums : real_) move_down(sums);
      for (auto g = static_cast<std::size_t>(shares[part].first); g < end_of(part); ++g)
        offsets_[g + 1] -= static_cast<std::int64_t>(moved);
      total += cells[part] - begins[part];
    }
    shrink(day_, total);
    for (auto& sums : whole_) shrink(sums, total);
    for (auto& sums : real_) shrink(sums, total);
  }

  // `cells` is where the next cell goes, and is moved on.
  void compress_group(std::size_t from, std::size_t to, std::size_t& cells) {
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

  // Calls f(stretch, from, to) for each stretch in which a group has cells, from one up to, but
  // not, the other.
  template <class F>
  void for_held(std::int32_t group, const Days& stretches, const F& f) const {
    const Day* day = day_.data() + first_cell(group);
    const Day* end = day_.data() + first_cell(group + 1);
    const Day *from = stretches.from, *none = stretches.from + stretches.count;
    while (day != end && from != none) {
      if (from + 1 != none && from[1] <= *day) from = std::upper_bound(from + 1, none, *day) - 1;
      const Day last = stretches.to[from - stretches.from];
      if (*day >= *from && *day <= last) {
        const Day* past = day + 1;
        while (past != end && *past <= last) ++past;
        f(static_cast<std::int32_t>(from - stretches.from),
          static_cast<std::size_t>(day - day_.data()),
          static_cast<std::size_t>(past - day_.data()));
        day = past;
      } else {
        // Before the first stretch, or between two.
        if (*day > last) ++from;
        if (from != none) day = std::lower_bound(day, end, *from);
      }
    }
  }

  template <class Sum>
  double between(const std::vector<Sum>& sums, std::int32_t group, std::size_t from, std::size_t to,
                 double power) const {
    return figure(sums[to - 1], from == first_cell(group) ? Sum{} : sums[from - 1], power);
  }

  template <class Sum>
  void difference(const std::vector<Sum>& sums, const Windows& windows, double power, double* out,
                  const Host& host) const {
    in_stretches(
        windows.count, threads_for(windows.count, host), [&](std::size_t first, std::size_t last) {
          for (std::size_t w = first; w < last; ++w) {
            const auto [from, to] = cells(windows, w);
            out[w] = to == from ? 0.0 : between(sums, windows.group[w], from, to, power);
          }
        });
    host.poll();
  }
};

}  // namespace ledger
