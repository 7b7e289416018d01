// Group numbers: one whole number per combination of the members of the grouping attributes.
#pragma once
#include <algorithm>
#include <cstdint>
#include <vector>

#include "column.h"
#include "condition.h"
#include "host.h"

namespace ledger {

// Few possible combinations are numbered by arithmetic, with no table; where there are many,
// only those that occur get a number, in order of first appearance.
class Groups {
 public:
  Groups(std::vector<Column> keys, std::vector<std::int32_t> members, std::size_t entries,
         const Host& host)
      : keys_(std::move(keys)), members_(std::move(members)), entries_(entries) {
    const double combinations = combinations_of(members_);
    if (combinations > 9.2e18)
      throw Refusal("the attributes in `by` have too many combinations to number");
    if (by_arithmetic(members_, entries)) {
      count_ = static_cast<std::int32_t>(combinations);
    } else {
      arithmetic_ = false;
      number_seen(entries, host);
    }
  }

  // The same groups, with the same numbers, of entries in another order: entry i was at[i], from 1.
  Groups(const Groups& other, std::vector<Column> keys, const std::int32_t* at)
      : keys_(std::move(keys)),
        members_(other.members_),
        entries_(other.entries_),
        count_(other.count_),
        ids_(other.ids_.size()),
        seen_(other.seen_),
        arithmetic_(other.arithmetic_) {
    for (std::size_t i = 0; i < ids_.size(); ++i)
      ids_[i] = other.ids_[static_cast<std::size_t>(at[i]) - 1];
  }

  // Groups numbered in the order in which entries show them, however few could be.
  static Groups listed(std::vector<Column> keys, std::vector<std::int32_t> members,
                       std::size_t entries, const Host& host) {
    Groups out;
    out.keys_ = std::move(keys);
    out.members_ = std::move(members);
    out.entries_ = entries;
    if (combinations_of(out.members_) > 9.2e18)
      throw Refusal("the attributes in `by` have too many combinations to number");
    out.arithmetic_ = false;
    out.number_seen(entries, host);
    return out;
  }

  // The same groups of entries whose group numbers are known.
  Groups(const Groups& other, std::vector<std::int32_t> numbers)
      : members_(other.members_),
        entries_(numbers.size()),
        count_(other.count_),
        ids_(std::move(numbers)),
        seen_(other.seen_),
        arithmetic_(other.arithmetic_) {}

  // Whether groups are numbered by arithmetic, which needs no look at entries.
  static bool by_arithmetic(const std::vector<std::int32_t>& members, std::size_t entries) {
    const double combinations = combinations_of(members);
    return combinations <= std::max(65536.0, 2.0 * static_cast<double>(entries)) &&
           combinations < 2147483647.0;
  }

  std::int32_t count() const { return count_; }
  // Entries whose group numbers are known; groups by arithmetic know those of any.
  std::size_t entries() const { return entries_; }
  std::size_t attributes() const { return members_.size(); }
  double bytes() const {
    return 4.0 * static_cast<double>(ids_.size()) + 8.0 * static_cast<double>(seen_.size());
  }

  // Group numbers of entries at ... at + n - 1.
  void numbers(std::size_t at, std::size_t n, std::int32_t* out) const {
    if (!ids_.empty() || !arithmetic_) {
      std::copy(ids_.begin() + static_cast<std::ptrdiff_t>(at),
                ids_.begin() + static_cast<std::ptrdiff_t>(at + n), out);
    } else {
      combine(at, n, out);
    }
  }

  // The member number that each of some groups has in attribute k.
  void members_in(std::size_t k, const std::int32_t* groups, std::size_t n,
                  std::int32_t* out) const {
    std::uint64_t below = 1;
    for (std::size_t after = k + 1; after < members_.size(); ++after)
      below *= static_cast<std::uint64_t>(members_[after]);
    const auto count = static_cast<std::uint64_t>(members_[k]);
    for (std::size_t i = 0; i < n; ++i) {
      const std::uint64_t key = seen_.empty() ? static_cast<std::uint64_t>(groups[i])
                                              : seen_[static_cast<std::size_t>(groups[i])];
      out[i] = static_cast<std::int32_t>(key / below % count);
    }
  }

  // The member number that group g has in each attribute.
  std::vector<std::int32_t> members_of(std::int32_t g) const {
    std::uint64_t rest =
        seen_.empty() ? static_cast<std::uint64_t>(g) : seen_[static_cast<std::size_t>(g)];
    std::vector<std::int32_t> result(members_.size());
    for (std::size_t k = members_.size(); k-- > 0;) {
      const auto m = static_cast<std::uint64_t>(members_[k]);
      result[k] = static_cast<std::int32_t>(rest % m);
      rest /= m;
    }
    return result;
  }

  // The number of the group with the given members, -1 where there is none: one per row of
  // `codes`, which holds a list of member numbers per attribute.
  std::vector<std::int32_t> numbers_of(const std::vector<const std::int32_t*>& codes,
                                       std::size_t rows) const {
    std::vector<std::int32_t> by_key(seen_.size());
    for (std::size_t g = 0; g < by_key.size(); ++g) by_key[g] = static_cast<std::int32_t>(g);
    const auto key_of = [this](std::int32_t g) { return seen_[static_cast<std::size_t>(g)]; };
    std::sort(by_key.begin(), by_key.end(),
              [&](std::int32_t a, std::int32_t b) { return key_of(a) < key_of(b); });
    std::vector<std::int32_t> result(rows, -1);
    for (std::size_t i = 0; i < rows; ++i) {
      std::uint64_t key = 0;
      bool known = true;
      for (std::size_t k = 0; k < codes.size(); ++k) {
        known = known && codes[k][i] >= 0 && codes[k][i] < members_[k];
        key =
            key * static_cast<std::uint64_t>(members_[k]) + static_cast<std::uint64_t>(codes[k][i]);
      }
      if (!known) continue;
      if (arithmetic_) {
        result[i] = static_cast<std::int32_t>(key);
        continue;
      }
      const auto at =
          std::lower_bound(by_key.begin(), by_key.end(), key,
                           [&](std::int32_t g, std::uint64_t v) { return key_of(g) < v; });
      if (at != by_key.end() && key_of(*at) == key) result[i] = *at;
    }
    return result;
  }

 private:
  Groups() = default;

  static double combinations_of(const std::vector<std::int32_t>& members) {
    double combinations = 1;
    for (std::int32_t m : members) combinations *= m;
    return combinations;
  }

  std::vector<Column> keys_;
  std::vector<std::int32_t> members_;
  std::size_t entries_ = 0;
  std::int32_t count_ = 1;
  std::vector<std::int32_t> ids_;    // per entry, only where combinations are many
  std::vector<std::uint64_t> seen_;  // combination of each group, likewise
  bool arithmetic_ = true;

  template <class Number>
  void combine(std::size_t at, std::size_t n, Number* out) const {
    if (keys_.empty()) std::fill(out, out + n, Number{0});
    for (std::size_t k = 0; k < keys_.size(); ++k) {
      const auto stride = static_cast<Number>(members_[k]);
      with_data(keys_[k], [=](const auto* data) {
        const auto* from = data + at;
        if (k == 0) {
#pragma omp simd
          for (std::size_t i = 0; i < n; ++i) out[i] = static_cast<Number>(from[i]);
        } else {
#pragma omp simd
          for (std::size_t i = 0; i < n; ++i)
            out[i] = out[i] * stride + static_cast<Number>(from[i]);
        }
      });
    }
  }

  void number_seen(std::size_t entries, const Host& host) {
    ids_.resize(entries);
    std::size_t mask = (std::size_t{1} << 16) - 1;
    int shift = 64 - 16;
    std::vector<std::int32_t> table(mask + 1, -1);
    const auto slot = [&](std::uint64_t key) {
      return static_cast<std::size_t>((key * 0x9E3779B97F4A7C15ull) >> shift);
    };
    std::vector<std::uint64_t> block(kBlock);
    for (std::size_t at = 0; at < entries; at += kBlock) {
      const std::size_t n = std::min(kBlock, entries - at);
      combine(at, n, block.data());
      for (std::size_t i = 0; i < n; ++i) {
        std::size_t s = slot(block[i]);
        while (table[s] >= 0 && seen_[static_cast<std::size_t>(table[s])] != block[i])
          s = (s + 1) & mask;
        if (table[s] < 0) {
          table[s] = static_cast<std::int32_t>(seen_.size());
          seen_.push_back(block[i]);
        }
        ids_[at + i] = table[s];
        if (seen_.size() * 2 > mask) {
          mask = mask * 4 + 3;
          shift -= 2;
          table.assign(mask + 1, -1);
          for (std::size_t g = 0; g < seen_.size(); ++g) {
            std::size_t to = slot(seen_[g]);
            while (table[to] >= 0) to = (to + 1) & mask;
            table[to] = static_cast<std::int32_t>(g);
          }
        }
      }
      if (at % (kBlock << 9) == 0) host.poll();
    }
    count_ = static_cast<std::int32_t>(seen_.size());
  }
};

}  // namespace ledger
