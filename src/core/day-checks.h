// What the entries of each day come to: a count, and a check that is the same whatever the order of
// the rows, and another one when any value of any row is. Rows are mixed column by column, so that
// values that change places between rows of a day are noticed; the rows of a day are added up.
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <vector>

namespace ledger {

// A finaliser of 64 bits in which every bit of the input reaches every bit of the output (Steele,
// Lea and Flood, "Fast splittable pseudorandom number generators", 2014).
inline std::uint64_t mixed(std::uint64_t x) {
  x += 0x9E3779B97F4A7C15ULL;
  x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9ULL;
  x = (x ^ (x >> 27)) * 0x94D049BB133111EBULL;
  return x ^ (x >> 31);
}

// FNV-1a over bytes.
inline std::uint64_t bytes_check(const char* text, std::size_t n) {
  std::uint64_t check = 0xCBF29CE484222325ULL;
  for (std::size_t i = 0; i < n; ++i) {
    check ^= static_cast<unsigned char>(text[i]);
    check *= 0x100000001B3ULL;
  }
  return mixed(check);
}

// A number by its value: the two zeros are one.
inline std::uint64_t number_check(double value) {
  if (value == 0) value = 0;
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  return mixed(bits ^ 0x5851F42D4C957F2DULL);
}

constexpr std::uint64_t missing_check = 0xD1B54A32D192ED03ULL;

class DayChecks {
 public:
  explicit DayChecks(std::size_t rows) : rows_(rows, 0x2545F4914F6CDD1DULL) {}

  // One more value of a row.
  void add(std::size_t row, std::uint64_t value) { rows_[row] = mixed(rows_[row] ^ value) + value; }

  struct Days {
    std::vector<std::int64_t> count;
    std::vector<std::uint64_t> check;
  };

  // By day: day[i] from 0 to days - 1, others are left out.
  Days by_day(const std::int32_t* day, std::size_t days) const {
    Days out{std::vector<std::int64_t>(days, 0), std::vector<std::uint64_t>(days, 0)};
    for (std::size_t i = 0; i < rows_.size(); ++i) {
      if (day[i] < 0 || static_cast<std::size_t>(day[i]) >= days) continue;
      ++out.count[static_cast<std::size_t>(day[i])];
      out.check[static_cast<std::size_t>(day[i])] += mixed(rows_[i]);
    }
    return out;
  }

 private:
  std::vector<std::uint64_t> rows_;
};

}  // namespace ledger
