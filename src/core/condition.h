// Conditions on single entries, evaluated a block of entries at a time. Three answers, as in
// SQL: a comparison with a missing value is unknown, and only a true entry is kept.
#pragma once
#include <algorithm>
#include <cstdint>
#include <stdexcept>
#include <vector>

#include "column.h"

namespace ledger {

constexpr std::size_t kBlock = 2048;  // entries worked on at a time; a block stays in cache

enum : std::uint8_t { kFalse = 0, kUnknown = 1, kTrue = 2 };

enum class Op {
  table,  // answer looked up by member number
  less,
  less_equal,
  equal,
  unequal,
  greater_equal,
  greater,   // amount against a value
  one_of,    // amount among sorted values
  missing,   // amount is missing
  constant,  // the same answer for every entry
  both,
  either,
  negate  // combine the answers before
};

struct Step {
  Op op = Op::constant;
  Column column;
  std::vector<std::uint8_t> table;  // Op::table: one answer per member; Op::constant: one
  std::vector<double> values;       // comparisons: one value; one_of: sorted values
};

// Steps in the order of evaluation: operands before the step that combines them.
class Condition {
 public:
  explicit Condition(std::vector<Step> steps) : steps_(std::move(steps)) {
    int depth = 0;
    for (const Step& step : steps_) {
      if (step.op == Op::both || step.op == Op::either) --depth;
      else if (step.op != Op::negate) ++depth;
      if (depth < 1) throw std::invalid_argument("a condition lacks an operand");
      deepest_ = std::max(deepest_, depth);
    }
    if (depth != 1) throw std::invalid_argument("a condition has operands left over");
  }

  // Writes kTrue, kUnknown or kFalse for entries at ... at + n - 1; n is at most kBlock.
  void answer(std::size_t at, std::size_t n, std::uint8_t* out,
              std::vector<std::uint8_t>& scratch) const {
    if (scratch.size() < static_cast<std::size_t>(deepest_) * kBlock) {
      scratch.resize(static_cast<std::size_t>(deepest_) * kBlock);
    }
    int depth = 0;
    for (const Step& step : steps_) {
      std::uint8_t* top = scratch.data() + static_cast<std::size_t>(depth) * kBlock;
      switch (step.op) {
        case Op::both:
          for (std::size_t i = 0; i < n; ++i)
            top[i - 2 * kBlock] = std::min(top[i - 2 * kBlock], top[i - kBlock]);
          --depth;
          break;
        case Op::either:
          for (std::size_t i = 0; i < n; ++i)
            top[i - 2 * kBlock] = std::max(top[i - 2 * kBlock], top[i - kBlock]);
          --depth;
          break;
        case Op::negate:
          for (std::size_t i = 0; i < n; ++i)
            top[i - kBlock] = static_cast<std::uint8_t>(2 - top[i - kBlock]);
          break;
        default:
          leaf(step, at, n, top);
          ++depth;
      }
    }
    std::copy(scratch.data(), scratch.data() + n, out);
  }

 private:
  std::vector<Step> steps_;
  int deepest_ = 0;

  static void leaf(const Step& step, std::size_t at, std::size_t n, std::uint8_t* out) {
    if (step.op == Op::constant) {
      std::fill(out, out + n, step.table.at(0));
      return;
    }
    with_data(step.column, [&](const auto* data) {
      if (step.op == Op::table) {
        for (std::size_t i = 0; i < n; ++i)
          out[i] = step.table[static_cast<std::size_t>(data[at + i])];
      } else {
        compare(step, data + at, n, out);
      }
    });
  }

  template <class T>
  static void compare(const Step& step, const T* data, std::size_t n, std::uint8_t* out) {
    const double power = power_of_ten(step.column.decimals);
    const auto each = [&](auto test) {
      for (std::size_t i = 0; i < n; ++i) {
        // Division gives back the very double the amount was read from.
        out[i] = is_missing(data[i])                          ? kUnknown
                 : test(static_cast<double>(data[i]) / power) ? kTrue
                                                              : kFalse;
      }
    };
    if (step.op == Op::missing) {
      for (std::size_t i = 0; i < n; ++i) out[i] = is_missing(data[i]) ? kTrue : kFalse;
      return;
    }
    if (step.op == Op::one_of) {
      each([&](double v) { return std::binary_search(step.values.begin(), step.values.end(), v); });
      return;
    }
    const double value = step.values.at(0);
    switch (step.op) {
      case Op::less:
        each([=](double v) { return v < value; });
        break;
      case Op::less_equal:
        each([=](double v) { return v <= value; });
        break;
      case Op::equal:
        each([=](double v) { return v == value; });
        break;
      case Op::unequal:
        each([=](double v) { return v != value; });
        break;
      case Op::greater_equal:
        each([=](double v) { return v >= value; });
        break;
      case Op::greater:
        each([=](double v) { return v > value; });
        break;
      default:
        throw std::invalid_argument("not a comparison");
    }
  }
};

}  // namespace ledger
