// Running sums of one figure: whole numbers, exact in any order, or doubles in two parts so
// that what rounding drops is kept.
#pragma once
#include <cstdint>
#include <vector>

namespace ledger {

struct Pair {
  double high = 0;
  double low = 0;

  // Knuth's two-sum: high + low holds the sum of high and v without loss.
  void add(double v) {
    const double sum = high + v;
    const double part = sum - high;
    low += (high - (sum - part)) + (v - part);
    high = sum;
  }
  void add(const Pair& other) {
    add(other.high);
    low += other.low;
  }
  double minus(const Pair& before) const {
    Pair difference = *this;
    difference.add(-before.high);
    return difference.high + (difference.low - before.low);
  }
};

// Difference of two running sums as the figure people read.
inline double figure(std::int64_t to, std::int64_t before, double power) {
  return static_cast<double>(to - before) / power;
}
inline double figure(const Pair& to, const Pair& before, double) { return to.minus(before); }

// Adds the difference of two running sums to a sum.
inline void add_difference(std::int64_t& sum, std::int64_t to, std::int64_t before) {
  sum += to - before;
}
inline void add_difference(Pair& sum, const Pair& to, const Pair& before) {
  sum.add(to);
  sum.add(-before.high);
  sum.low -= before.low;
}

inline void accumulate(std::int64_t& sum, std::int64_t v) { sum += v; }
inline void accumulate(Pair& sum, double v) { sum.add(v); }
inline void accumulate(Pair& sum, const Pair& v) { sum.add(v); }

}  // namespace ledger
