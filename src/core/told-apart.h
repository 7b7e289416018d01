#pragma once
// Things numbered in order of appearance by what they are: those with the same number so far and
// the same value in one more column keep one number.

#include <cstddef>
#include <cstdint>
#include <vector>

namespace ledger {

class ToldApart {
 public:
  // One thing of each kind so far.
  explicit ToldApart(std::size_t n) : numbers_(n, 0) {
    if (n > 0) first_.push_back(0);
  }

  // Tells them apart by one more value each.
  void by(const std::int32_t* values) {
    std::size_t room = 16;
    while (room < 4 * first_.size()) room *= 2;
    std::vector<std::int32_t> table(room, -1);
    std::vector<std::uint64_t> keys;
    std::vector<std::size_t> first;
    std::uint64_t newest = 0;
    std::int32_t number = -1;
    for (std::size_t i = 0; i < numbers_.size(); ++i) {
      const std::uint64_t key =
          (static_cast<std::uint64_t>(static_cast<std::uint32_t>(numbers_[i])) << 32) |
          static_cast<std::uint32_t>(values[i]);
      // Rows that follow each other are often alike.
      if (number < 0 || key != newest) {
        if (4 * keys.size() >= 3 * table.size()) grow(table, keys);
        std::size_t at = place(key, table.size());
        while (table[at] >= 0 && keys[static_cast<std::size_t>(table[at])] != key)
          at = (at + 1) & (table.size() - 1);
        if (table[at] < 0) {
          table[at] = static_cast<std::int32_t>(keys.size());
          keys.push_back(key);
          first.push_back(i);
        }
        number = table[at];
        newest = key;
      }
      numbers_[i] = number;
    }
    first_ = std::move(first);
  }

  // The number of each thing from 0, and which thing was the first of each number.
  const std::vector<std::int32_t>& numbers() const { return numbers_; }
  const std::vector<std::size_t>& first() const { return first_; }

 private:
  static std::size_t place(std::uint64_t key, std::size_t room) {
    key *= 0x9E3779B97F4A7C15ULL;  // spreads neighbours (Knuth, multiplicative hashing)
    return static_cast<std::size_t>(key >> 32) & (room - 1);
  }

  static void grow(std::vector<std::int32_t>& table, const std::vector<std::uint64_t>& keys) {
    table.assign(table.size() * 4, -1);
    for (std::size_t k = 0; k < keys.size(); ++k) {
      std::size_t at = place(keys[k], table.size());
      while (table[at] >= 0) at = (at + 1) & (table.size() - 1);
      table[at] = static_cast<std::int32_t>(k);
    }
  }

  std::vector<std::int32_t> numbers_;
  std::vector<std::size_t> first_;
};

}  // namespace ledger
