// The day cube: for every group, the running sums of each figure from day to day. Any figure
// over any window of days is then one difference.
//
// Dense: a cell per day and group, for few groups. Sparse: a cell per group and day that has
// entries, for many; its memory grows with the entries, not with groups times days.
#pragma once
#include <algorithm>
#include <cstdint>
#include <memory>
#include <vector>

#include "column.h"
#include "condition.h"
#include "groups.h"
#include "host.h"
#include "sums.h"

namespace ledger {

enum class What { count, present, sum };

struct Slot {
  What what = What::count;
  Column column;        // present and sum
  int condition = -1;   // index into CubeRequest::conditions, -1 for none
};

struct CubeRequest {
  std::size_t entries = 0;
  Day first = 0;                          // the days that the cube covers
  Day last = -1;
  const std::int32_t* offsets = nullptr;  // of each day, where entries stand in order of day
  const Day* days = nullptr;              // of each entry, for any other date basis
  std::vector<Condition> conditions;
  int where = -1;                         // the condition that every figure is under
  std::vector<Slot> slots;                // slot 0 counts the entries that pass `where`

  std::size_t day_count() const { return static_cast<std::size_t>(last - first + 1); }
};

// Group numbers, days and chosen entries of one block.
class BlockReader {
 public:
  BlockReader(const CubeRequest& request, const Groups& groups)
      : request_(request), groups_(groups), group(kBlock), answers_(kBlock),
        chosen_(request.conditions.size() + 1), counts_(chosen_.size(), 0) {
    for (auto& list : chosen_) list.resize(kBlock);
  }

  void read(std::size_t at, std::size_t n) {
    n_ = n;
    groups_.numbers(at, n, group.data());
    std::uint16_t* base = chosen_.back().data();
    std::size_t kept = 0;
    all_ = request_.where < 0 && request_.days == nullptr;
    if (!all_) {
      if (request_.where >= 0) {
        request_.conditions[static_cast<std::size_t>(request_.where)].answer(at, n, answers_.data(), scratch_);
      } else {
        std::fill(answers_.begin(), answers_.begin() + static_cast<std::ptrdiff_t>(n), kTrue);
      }
      for (std::size_t i = 0; i < n; ++i) {
        base[kept] = static_cast<std::uint16_t>(i);
        kept += answers_[i] == kTrue && (request_.days == nullptr || covered(request_.days[at + i]));
      }
    }
    counts_.back() = kept;
    for (const Slot& slot : request_.slots) {
      if (slot.condition >= 0) counts_[static_cast<std::size_t>(slot.condition)] = n + 1;  // not read yet
    }
    for (const Slot& slot : request_.slots) {
      if (slot.condition < 0) continue;
      const auto c = static_cast<std::size_t>(slot.condition);
      if (counts_[c] != n + 1) continue;
      request_.conditions[c].answer(at, n, answers_.data(), scratch_);
      std::size_t k = 0;
      for_base([&](std::size_t i) {
        chosen_[c][k] = static_cast<std::uint16_t>(i);
        k += answers_[i] == kTrue;
      });
      counts_[c] = k;
    }
  }

  // Calls f for each entry of the block that passes `where`.
  template <class F>
  void for_base(F&& f) const {
    // Bounds are copied first: what f writes could else be taken for them.
    const std::size_t n = all_ ? n_ : counts_.back();
    const std::uint16_t* base = chosen_.back().data();
    if (all_) {
      for (std::size_t i = 0; i < n; ++i) f(i);
    } else {
      for (std::size_t k = 0; k < n; ++k) f(base[k]);
    }
  }

  // Calls f for each entry of the block that counts in the slot.
  template <class F>
  void for_slot(const Slot& slot, F&& f) const {
    if (slot.condition < 0) return for_base(f);
    const auto c = static_cast<std::size_t>(slot.condition);
    const std::uint16_t* chosen = chosen_[c].data();
    const std::size_t n = counts_[c];
    for (std::size_t k = 0; k < n; ++k) f(chosen[k]);
  }

 private:
  const CubeRequest& request_;
  const Groups& groups_;

  // Another date basis may have entries without a day, or after the as-of day.
  bool covered(Day d) const { return d >= request_.first && d <= request_.last; }

 public:
  std::vector<std::int32_t> group;

 private:
  std::vector<std::uint8_t> answers_;
  std::vector<std::uint8_t> scratch_;
  std::vector<std::vector<std::uint16_t>> chosen_;  // per condition; last: those passing `where`
  std::vector<std::size_t> counts_;
  std::size_t n_ = 0;
  bool all_ = false;
};

// Adds a slot's entries of a block into sums[cell(i)].
template <class Cell>
void add_block(const BlockReader& block, const Slot& slot, std::size_t at, Cell cell,
               std::int64_t* whole, Pair* real) {
  if (slot.what == What::count) {
    block.for_slot(slot, [&](std::size_t i) { ++whole[cell(i)]; });
    return;
  }
  with_data(slot.column, [&](const auto* data) {
    const auto* v = data + at;
    if (slot.what == What::present) {
      block.for_slot(slot, [&](std::size_t i) { whole[cell(i)] += !is_missing(v[i]); });
    } else if constexpr (std::is_same_v<std::decay_t<decltype(*v)>, double>) {
      block.for_slot(slot, [&](std::size_t i) { if (!is_missing(v[i])) real[cell(i)].add(v[i]); });
    } else if (slot.column.has_missing) {
      block.for_slot(slot, [&](std::size_t i) {
        whole[cell(i)] += is_missing(v[i]) ? 0 : static_cast<std::int64_t>(v[i]);
      });
    } else {
      block.for_slot(slot, [&](std::size_t i) { whole[cell(i)] += static_cast<std::int64_t>(v[i]); });
    }
  });
}

// A count and a sum over the same entries in one go, the commonest pair by far; false where the
// slots are not such a pair.
inline bool add_pair(const BlockReader& block, const Slot& count, const Slot& sum, std::size_t at,
                     const std::int32_t* cell, std::int64_t* counts, std::int64_t* sums) {
  if (count.what != What::count || sum.what != What::sum || count.condition != sum.condition ||
      sum.column.kind != Kind::exact32 || sum.column.has_missing) {
    return false;
  }
  const std::int32_t* v = static_cast<const std::int32_t*>(sum.column.data) + at;
  block.for_slot(sum, [=](std::size_t i) {
    const std::int32_t c = cell[i];
    ++counts[c];
    sums[c] += v[i];
  });
  return true;
}

inline bool is_real(const Slot& slot) {
  return slot.what == What::sum && slot.column.kind == Kind::real;
}

// One window: a group and its first and last day, both included.
struct Windows {
  const std::int32_t* group = nullptr;  // numbers from 0
  const Day* from = nullptr;
  const Day* to = nullptr;
  std::size_t count = 0;
};

class Cube {
 public:
  virtual ~Cube() = default;
  // Writes the slot's figure for each window; a window that ends before it starts gives 0.
  virtual void evaluate(std::size_t slot, const Windows& windows, double* out, const Host& host) const = 0;
  virtual bool dense() const = 0;
  virtual double bytes() const = 0;
};

class DenseCube : public Cube {
 public:
  DenseCube(const CubeRequest& request, const Groups& groups, const Host& host)
      : first_(request.first), days_(request.day_count()),
        groups_(static_cast<std::size_t>(groups.count())) {
    // One row of zeros before the first day makes every window a difference of two rows.
    for (const Slot& slot : request.slots) {
      power_.push_back(is_real(slot) ? 1.0 : slot.what == What::sum ? power_of_ten(slot.column.decimals) : 1.0);
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

  void evaluate(std::size_t slot, const Windows& windows, double* out, const Host& host) const override {
    if (real_[slot].empty()) difference(whole_[slot], windows, power_[slot], out, host);
    else difference(real_[slot], windows, power_[slot], out, host);
  }
  bool dense() const override { return true; }
  double bytes() const override {
    double total = 0;
    for (std::size_t s = 0; s < whole_.size(); ++s) {
      total += 8.0 * static_cast<double>(whole_[s].size()) + 16.0 * static_cast<double>(real_[s].size());
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
        fill_days(request, groups, share[static_cast<std::size_t>(t)], share[static_cast<std::size_t>(t) + 1]);
      });
      host.poll();
      day = end;
    }
  }

  void fill_days(const CubeRequest& request, const Groups& groups, std::size_t from, std::size_t to) {
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
        cells[i] = static_cast<std::int32_t>(static_cast<std::size_t>(request.days[at + i] - first_ + 1) * groups_) +
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
      if (s + 1 < request.slots.size() && add_pair(block, request.slots[s], request.slots[s + 1], at, cell,
                                                   whole_[s].data(), whole_[s + 1].data())) {
        ++s;
        continue;
      }
      add_block(block, request.slots[s], at, [cell](std::size_t i) { return cell[i]; },
                whole_[s].data(), real_[s].data());
    }
  }

  template <class Sum>
  void run_up(std::vector<Sum>& sums) const {
    for (std::size_t i = groups_; i < sums.size(); ++i) accumulate(sums[i], sums[i - groups_]);
  }

  template <class Sum>
  void difference(const std::vector<Sum>& sums, const Windows& windows, double power, double* out,
                  const Host& host) const {
    const auto row = [this](std::int64_t day) {
      return static_cast<std::size_t>(std::clamp<std::int64_t>(day - first_, 0, static_cast<std::int64_t>(days_))) *
             groups_;
    };
    in_stretches(windows.count, threads_for(windows.count, host), [&](std::size_t begin, std::size_t end) {
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

class SparseCube : public Cube {
 public:
  SparseCube(const CubeRequest& request, const Groups& groups, const Host& host) {
    for (const Slot& slot : request.slots) {
      power_.push_back(slot.what == What::sum && !is_real(slot) ? power_of_ten(slot.column.decimals) : 1.0);
    }
    const std::vector<std::int64_t> starts = count_by_group(request, groups, host);
    spread(request, groups, starts, host);
    compress(starts, host);
  }

  void evaluate(std::size_t slot, const Windows& windows, double* out, const Host& host) const override {
    if (real_[slot].empty()) difference(whole_[slot], windows, power_[slot], out, host);
    else difference(real_[slot], windows, power_[slot], out, host);
  }
  bool dense() const override { return false; }
  double bytes() const override {
    double total = 4.0 * static_cast<double>(day_.size()) + 8.0 * static_cast<double>(offsets_.size());
    for (std::size_t s = 0; s < whole_.size(); ++s) {
      total += 8.0 * static_cast<double>(whole_[s].size()) + 16.0 * static_cast<double>(real_[s].size());
    }
    return total;
  }

 private:
  std::vector<double> power_;
  std::vector<std::int64_t> offsets_;  // cells of group g: offsets_[g] to offsets_[g + 1]
  std::vector<Day> day_;
  std::vector<std::vector<std::int64_t>> whole_;
  std::vector<std::vector<Pair>> real_;

  static std::vector<std::int64_t> count_by_group(const CubeRequest& request, const Groups& groups,
                                                  const Host& host) {
    std::vector<std::int64_t> starts(static_cast<std::size_t>(groups.count()) + 1, 0);
    BlockReader block(request, groups);
    for (std::size_t at = 0; at < request.entries; at += kBlock) {
      block.read(at, std::min(kBlock, request.entries - at));
      block.for_base([&](std::size_t i) { ++starts[static_cast<std::size_t>(block.group[i]) + 1]; });
      if (at % (kBlock << 9) == 0) host.poll();
    }
    for (std::size_t g = 1; g < starts.size(); ++g) starts[g] += starts[g - 1];
    return starts;
  }

  // Puts the entries of each group side by side, in the order in which they come.
  void spread(const CubeRequest& request, const Groups& groups, const std::vector<std::int64_t>& starts,
              const Host& host) {
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
    for (std::size_t at = 0; at < request.entries; at += kBlock) {
      block.read(at, std::min(kBlock, request.entries - at));
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
        add_block(block, request.slots[s], at,
                  [&](std::size_t i) { return static_cast<std::size_t>(place[i]); },
                  whole_[s].data(), real_[s].data());
      }
      if (at % (kBlock << 9) == 0) host.poll();
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
      if (g % 100000 == 0) host.poll();
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
    if (std::is_sorted(day_.begin() + static_cast<std::ptrdiff_t>(from), day_.begin() + static_cast<std::ptrdiff_t>(to))) return;
    std::vector<std::size_t> order(to - from);
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = from + i;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return day_[a] < day_[b]; });
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

  template <class Sum>
  void difference(const std::vector<Sum>& sums, const Windows& windows, double power, double* out,
                  const Host& host) const {
    const Sum zero{};
    in_stretches(windows.count, threads_for(windows.count, host), [&](std::size_t first, std::size_t last) {
      for (std::size_t w = first; w < last; ++w) {
        const auto g = static_cast<std::size_t>(windows.group[w]);
        const Day* begin = day_.data() + offsets_[g];
        const Day* end = day_.data() + offsets_[g + 1];
        const Day* from = std::lower_bound(begin, end, windows.from[w]);
        const Day* to = std::upper_bound(from, end, windows.to[w]);
        if (to == from) {
          out[w] = 0.0;
          continue;
        }
        const Sum& before = from == begin ? zero : sums[static_cast<std::size_t>(from - day_.data()) - 1];
        out[w] = figure(sums[static_cast<std::size_t>(to - day_.data()) - 1], before, power);
      }
    });
    host.poll();
  }
};

// Dense while the cells are not many more than the entries.
inline bool dense_pays(const CubeRequest& request, const Groups& groups) {
  const double cells = static_cast<double>(request.day_count() + 1) * groups.count();
  return cells <= std::max(1048576.0, static_cast<double>(request.entries)) && cells < 2147483647.0;
}

inline std::unique_ptr<Cube> build_cube(const CubeRequest& request, const Groups& groups, const Host& host) {
  if (dense_pays(request, groups)) return std::make_unique<DenseCube>(request, groups, host);
  return std::make_unique<SparseCube>(request, groups, host);
}

}  // namespace ledger
