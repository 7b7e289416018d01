// What a cube is asked for, and entries read a block at a time: their group numbers and which of
// them count in each figure.
#pragma once
#include <algorithm>
#include <cstdint>
#include <type_traits>
#include <vector>

#include "column.h"
#include "condition.h"
#include "groups.h"
#include "sums.h"

namespace ledger {

enum class What { count, present, sum };

struct Slot {
  What what = What::count;
  Column column;       // present and sum
  int condition = -1;  // index into CubeRequest::conditions, -1 for none
};

struct CubeRequest {
  std::size_t entries = 0;
  Day first = 0;  // the days that the cube covers
  Day last = -1;
  const std::int32_t* offsets = nullptr;  // of each day, where entries stand in order of day
  const Day* days = nullptr;              // of each entry, for any other date basis
  std::vector<Condition> conditions;
  int where = -1;           // the condition that every figure is under
  std::vector<Slot> slots;  // slot 0 counts the entries that pass `where`

  std::size_t day_count() const { return static_cast<std::size_t>(last - first + 1); }
  // The entries that can be on these days.
  std::size_t begin() const {
    return offsets == nullptr ? 0 : static_cast<std::size_t>(offsets[0]);
  }
  std::size_t end() const {
    return offsets == nullptr ? entries : static_cast<std::size_t>(offsets[day_count()]);
  }
};

// Groups from `first` up to, but not, `end`.
struct GroupRange {
  std::int32_t first = 0;
  std::int32_t end = 2147483647;
  bool all() const { return first == 0 && end == 2147483647; }
  bool holds(std::int32_t group) const { return group >= first && group < end; }
};

// Group numbers, days and chosen entries of one block; of some groups alone where a range of them
// is given, so that threads can work side by side, each on its own.
class BlockReader {
 public:
  BlockReader(const CubeRequest& request, const Groups& groups, GroupRange range = {})
      : range_(range),
        request_(request),
        groups_(groups),
        group(kBlock),
        answers_(kBlock),
        chosen_(request.conditions.size() + 1),
        counts_(chosen_.size(), 0) {
    for (auto& list : chosen_) list.resize(kBlock);
  }

  void read(std::size_t at, std::size_t n) {
    n_ = n;
    groups_.numbers(at, n, group.data());
    std::uint16_t* base = chosen_.back().data();
    std::size_t kept = 0;
    all_ = request_.where < 0 && request_.days == nullptr && range_.all();
    if (!all_) {
      if (request_.where >= 0) {
        request_.conditions[static_cast<std::size_t>(request_.where)].answer(at, n, answers_.data(),
                                                                             scratch_);
      } else {
        std::fill(answers_.begin(), answers_.begin() + static_cast<std::ptrdiff_t>(n), kTrue);
      }
      for (std::size_t i = 0; i < n; ++i) {
        base[kept] = static_cast<std::uint16_t>(i);
        kept += answers_[i] == kTrue && range_.holds(group[i]) &&
                (request_.days == nullptr || covered(request_.days[at + i]));
      }
    }
    counts_.back() = kept;
    for (const Slot& slot : request_.slots) {
      if (slot.condition >= 0)
        counts_[static_cast<std::size_t>(slot.condition)] = n + 1;  // not read yet
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
  const GroupRange range_;
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
      block.for_slot(slot, [&](std::size_t i) {
        if (!is_missing(v[i])) real[cell(i)].add(v[i]);
      });
    } else if (slot.column.has_missing) {
      block.for_slot(slot, [&](std::size_t i) {
        whole[cell(i)] += is_missing(v[i]) ? 0 : static_cast<std::int64_t>(v[i]);
      });
    } else {
      block.for_slot(slot,
                     [&](std::size_t i) { whole[cell(i)] += static_cast<std::int64_t>(v[i]); });
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

}  // namespace ledger
