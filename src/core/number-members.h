#pragma once
// Entries numbered by the values of a column of numbers: the distinct values in order, and the
// place of each entry's among them. What is missing comes after all others.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <limits>
#include <numeric>
#include <vector>

#include "column.h"

namespace ledger {

// A value as the bits by which it is told from others; zero has no sign.
inline std::uint64_t bits_of(std::int64_t v) { return static_cast<std::uint64_t>(v); }
inline std::uint64_t bits_of(std::int32_t v) { return bits_of(static_cast<std::int64_t>(v)); }
inline std::uint64_t bits_of(double v) {
  if (v == 0) return 0;
  std::uint64_t bits;
  std::memcpy(&bits, &v, sizeof bits);
  return bits;
}

// Spreads bits over all places of a number (Steele, Lea and Flood, SplitMix).
inline std::uint64_t spread_bits(std::uint64_t x) {
  x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9ULL;
  x = (x ^ (x >> 27)) * 0x94D049BB133111EBULL;
  return x ^ (x >> 31);
}

template <class Value>
struct NumberMembers {
  std::vector<Value> values;
  bool has_missing = false;

  // Fills `codes` with the place of each of n entries.
  NumberMembers(const Value* data, std::size_t n, std::int32_t* codes) {
    if (!by_table(data, n, codes)) by_hash(data, n, codes);
    const auto last = static_cast<std::int32_t>(values.size());
    for (std::size_t i = 0; i < n; ++i) {
      if (codes[i] < 0) {
        codes[i] = last;
        has_missing = true;
      }
    }
  }

 private:
  static bool by_table(const double*, std::size_t, std::int32_t*) { return false; }

  // Whole numbers that lie near each other: a table with a place for each that could be.
  template <class Whole>
  bool by_table(const Whole* data, std::size_t n, std::int32_t* codes) {
    std::int64_t least = std::numeric_limits<std::int64_t>::max(), most = -least;
    for (std::size_t i = 0; i < n; ++i) {
      if (is_missing(data[i])) continue;
      least = std::min<std::int64_t>(least, data[i]);
      most = std::max<std::int64_t>(most, data[i]);
    }
    if (least > most) {
      std::fill(codes, codes + n, -1);
      return true;
    }
    const auto width = static_cast<std::uint64_t>(most) - static_cast<std::uint64_t>(least);
    if (width > 4 * static_cast<std::uint64_t>(n) + 1024) return false;
    std::vector<std::int32_t> place(width + 1, -1);
    for (std::size_t i = 0; i < n; ++i)
      if (!is_missing(data[i])) place[static_cast<std::size_t>(data[i] - least)] = 0;
    for (std::size_t v = 0; v <= width; ++v) {
      if (place[v] < 0) continue;
      place[v] = static_cast<std::int32_t>(values.size());
      values.push_back(static_cast<Value>(least + static_cast<std::int64_t>(v)));
    }
    for (std::size_t i = 0; i < n; ++i)
      codes[i] = is_missing(data[i]) ? -1 : place[static_cast<std::size_t>(data[i] - least)];
    return true;
  }

  void by_hash(const Value* data, std::size_t n, std::int32_t* codes) {
    std::vector<std::int32_t> table(1024, -1);
    const auto at = [&](Value value) {
      std::size_t place = spread_bits(bits_of(value)) & (table.size() - 1);
      while (table[place] >= 0 && bits_of(values[static_cast<std::size_t>(table[place])]) !=
                                      bits_of(value))
        place = (place + 1) & (table.size() - 1);
      return place;
    };
    for (std::size_t i = 0; i < n; ++i) {
      codes[i] = -1;
      if (is_missing(data[i])) continue;
      std::size_t place = at(data[i]);
      if (table[place] < 0) {
        if (2 * (values.size() + 1) > table.size()) {
          table.assign(4 * table.size(), -1);
          for (std::size_t k = 0; k < values.size(); ++k)
            table[at(values[k])] = static_cast<std::int32_t>(k);
          place = at(data[i]);
        }
        table[place] = static_cast<std::int32_t>(values.size());
        values.push_back(data[i] + 0);
      }
      codes[i] = table[place];
    }
    std::vector<std::int32_t> in_order(values.size()), rank(values.size());
    std::iota(in_order.begin(), in_order.end(), 0);
    std::sort(in_order.begin(), in_order.end(), [&](std::int32_t a, std::int32_t b) {
      return values[static_cast<std::size_t>(a)] < values[static_cast<std::size_t>(b)];
    });
    std::vector<Value> sorted;
    sorted.reserve(values.size());
    for (const std::int32_t k : in_order) {
      rank[static_cast<std::size_t>(k)] = static_cast<std::int32_t>(sorted.size());
      sorted.push_back(values[static_cast<std::size_t>(k)]);
    }
    values = std::move(sorted);
    for (std::size_t i = 0; i < n; ++i)
      if (codes[i] >= 0) codes[i] = rank[static_cast<std::size_t>(codes[i])];
  }
};

// Which of n rows may hold what another holds in all of some columns: all that do, and a few more,
// as rows are told by a fingerprint.
class RowsMaybeTwice {
 public:
  explicit RowsMaybeTwice(std::size_t n) : prints_(n, 0) {}

  template <class Value>
  void by(const Value* values) {
    for (std::size_t i = 0; i < prints_.size(); ++i) {
      // Missing values are alike, however they are kept.
      const std::uint64_t bits = is_missing(values[i]) ? ~0ULL : bits_of(values[i]);
      prints_[i] = spread_bits(prints_[i] * 0x9E3779B97F4A7C15ULL + bits + 1);
    }
  }

  std::vector<std::size_t> rows() const {
    int size = 10;
    while (size < 31 && (std::size_t{1} << size) < 32 * prints_.size()) ++size;
    std::vector<bool> once(std::size_t{1} << size), again(std::size_t{1} << size);
    for (const std::uint64_t print : prints_) {
      const std::size_t place = print >> (64 - size);
      if (once[place]) again[place] = true;
      once[place] = true;
    }
    std::vector<std::size_t> rows;
    for (std::size_t i = 0; i < prints_.size(); ++i)
      if (again[prints_[i] >> (64 - size)]) rows.push_back(i);
    return rows;
  }

 private:
  std::vector<std::uint64_t> prints_;
};

}  // namespace ledger
