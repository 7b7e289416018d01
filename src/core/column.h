// Views of the columns of a ledger. The host owns the memory; a view says how to read it.
#pragma once
#include <cmath>
#include <cstdint>
#include <limits>

#include "dates.h"

namespace ledger {

enum class Kind {
  code8,    // member numbers from 0, one byte each
  code16,   // two bytes
  code32,   // four bytes
  exact32,  // amounts times 10^decimals, 32 bits
  exact64,  // the same, 64 bits
  real      // amounts that no scale up to 10^4 holds exactly
};

constexpr std::int32_t kNoAmount32 = std::numeric_limits<std::int32_t>::min();
constexpr std::int64_t kNoAmount64 = std::numeric_limits<std::int64_t>::min();
constexpr int kMostDecimals = 4;

struct Column {
  Kind kind = Kind::code32;
  const void* data = nullptr;
  int decimals = 0;  // exact columns only; days are exact32 with no decimals
  bool has_missing = false;
};

inline double power_of_ten(int decimals) {
  static const double kPowers[] = {1.0, 10.0, 100.0, 1000.0, 10000.0};
  return kPowers[decimals];
}

inline bool is_missing(std::int32_t v) { return v == kNoAmount32; }
inline bool is_missing(std::int64_t v) { return v == kNoAmount64; }
inline bool is_missing(double v) { return std::isnan(v); }
inline bool is_missing(std::uint8_t) { return false; }
inline bool is_missing(std::uint16_t) { return false; }

// Calls f with a typed pointer to the column's data.
template <class F>
auto with_data(const Column& column, F&& f) {
  switch (column.kind) {
    case Kind::code8:
      return f(static_cast<const std::uint8_t*>(column.data));
    case Kind::code16:
      return f(static_cast<const std::uint16_t*>(column.data));
    case Kind::code32:
    case Kind::exact32:
      return f(static_cast<const std::int32_t*>(column.data));
    case Kind::exact64:
      return f(static_cast<const std::int64_t*>(column.data));
    case Kind::real:
      break;
  }
  return f(static_cast<const double*>(column.data));
}

// The member number of one entry, for work in which telling the width each time costs little.
inline std::int32_t member_at(const Column& column, std::size_t i) {
  switch (column.kind) {
    case Kind::code8:
      return static_cast<const std::uint8_t*>(column.data)[i];
    case Kind::code16:
      return static_cast<const std::uint16_t*>(column.data)[i];
    default:
      return static_cast<const std::int32_t*>(column.data)[i];
  }
}

// The amount of one entry as a whole number, likewise; kNoAmount64 where it is missing. Not for
// real ones.
inline std::int64_t whole_amount_at(const Column& column, std::size_t i) {
  if (column.kind == Kind::exact64) return static_cast<const std::int64_t*>(column.data)[i];
  const std::int32_t v = static_cast<const std::int32_t*>(column.data)[i];
  return v == kNoAmount32 ? kNoAmount64 : v;
}

// The amount of one entry as it was read; NaN where it is missing.
inline double amount_at(const Column& column, std::size_t i) {
  if (column.kind == Kind::real) return static_cast<const double*>(column.data)[i];
  const std::int64_t v = whole_amount_at(column, i);
  return is_missing(v) ? std::numeric_limits<double>::quiet_NaN()
                       : static_cast<double>(v) / power_of_ten(column.decimals);
}

}  // namespace ledger
