// Turning columns into the narrow forms in which a ledger keeps them: text into member
// numbers, amounts into whole numbers of their smallest decimal.
#pragma once
#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <vector>

#include "column.h"
#include "host.h"

namespace ledger {

// Gives each distinct pointer a number from 0 in order of first appearance. A host that
// keeps one copy of each text can so be encoded without reading any text.
class PointerCodes {
 public:
  PointerCodes() { resize(1024); }

  std::int32_t code(const void* item) {
    std::size_t at = slot(item);
    while (keys_[at] != nullptr) {
      if (keys_[at] == item) return codes_[at];
      at = (at + 1) & mask_;
    }
    keys_[at] = item;
    codes_[at] = static_cast<std::int32_t>(members_.size());
    members_.push_back(item);
    if (members_.size() * 2 > mask_) grow();
    return static_cast<std::int32_t>(members_.size()) - 1;
  }

  // The number of an item that has one, else -1.
  std::int32_t known(const void* item) const {
    for (std::size_t at = slot(item); keys_[at] != nullptr; at = (at + 1) & mask_) {
      if (keys_[at] == item) return codes_[at];
    }
    return -1;
  }

  const std::vector<const void*>& members() const { return members_; }

 private:
  std::vector<const void*> keys_;
  std::vector<std::int32_t> codes_;
  std::vector<const void*> members_;
  std::size_t mask_ = 0;
  int shift_ = 0;

  std::size_t slot(const void* item) const {
    const auto address = static_cast<std::uint64_t>(reinterpret_cast<std::uintptr_t>(item));
    return static_cast<std::size_t>((address * 0x9E3779B97F4A7C15ull) >> shift_);
  }
  void resize(std::size_t size) {
    keys_.assign(size, nullptr);
    codes_.assign(size, 0);
    mask_ = size - 1;
    int bits = 0;
    while ((std::size_t{1} << bits) < size) ++bits;
    shift_ = 64 - bits;
  }
  void grow() {
    resize((mask_ + 1) * 4);
    for (std::size_t m = 0; m < members_.size(); ++m) {
      std::size_t at = slot(members_[m]);
      while (keys_[at] != nullptr) at = (at + 1) & mask_;
      keys_[at] = members_[m];
      codes_[at] = static_cast<std::int32_t>(m);
    }
  }
};

// Writes the member number of each item; returns the distinct items in order of appearance.
inline std::vector<const void*> encode_pointers(const void* const* items, std::size_t n,
                                                std::int32_t* codes, const Host& host) {
  const std::size_t chunk = std::size_t{1} << 20;
  const int threads = threads_for(n, host);
  PointerCodes all;
  if (threads == 1) {
    for (std::size_t at = 0; at < n; at += chunk) {
      const std::size_t end = at + chunk < n ? at + chunk : n;
      for (std::size_t i = at; i < end; ++i) codes[i] = all.code(items[i]);
      host.poll();
    }
    return all.members();
  }
  // Each thread numbers its own stretch; the stretches are then put in line, first to last,
  // so the numbers do not depend on the thread count.
  std::vector<PointerCodes> own(static_cast<std::size_t>(threads));
  const std::size_t stretch = (n + own.size() - 1) / own.size();
  for (std::size_t done = 0; done < stretch; done += chunk) {
    in_parallel(threads, [&](int t) {
      const auto part = static_cast<std::size_t>(t);
      const std::size_t last = std::min(n, (part + 1) * stretch);
      const std::size_t from = std::min(last, part * stretch + done);
      const std::size_t to = std::min(last, from + std::min(chunk, stretch - done));
      for (std::size_t i = from; i < to; ++i) codes[i] = own[part].code(items[i]);
    });
    host.poll();
  }
  std::vector<std::vector<std::int32_t>> common(own.size());
  for (std::size_t t = 0; t < own.size(); ++t) {
    for (const void* member : own[t].members()) common[t].push_back(all.code(member));
  }
  in_parallel(threads, [&](int t) {
    if (t == 0) return;  // the first stretch has its final numbers already
    const auto part = static_cast<std::size_t>(t);
    const std::size_t last = std::min(n, (part + 1) * stretch);
    for (std::size_t i = std::min(last, part * stretch); i < last; ++i) {
      codes[i] = common[part][static_cast<std::size_t>(codes[i])];
    }
  });
  return all.members();
}

// How a column of amounts can be held.
struct AmountScale {
  bool exact = true;
  int decimals = 0;    // 0 to 4, when exact
  bool fits32 = true;  // scaled values fit 32 bits
  bool has_missing = false;
  double sum_of_sizes = 0;  // of the scaled values; a bound for every sum over any entries
};

// Rounds to the nearest whole number, halves to even, for sizes below 2^51: adding 1.5 * 2^52
// leaves no room for a fraction. Much faster than the library call on the oldest x86-64.
inline double round_whole(double v) {
  constexpr double kNoRoomForFraction = 6755399441055744.0;
  return (v + kNoRoomForFraction) - kNoRoomForFraction;
}

// The least number of decimals, 0 to 4, that gives every value back unchanged. A decimal
// fraction and its nearest double are told apart from neighbours by division, which IEEE
// 754 rounds correctly, as long as the scaled value is small enough to be whole.
inline AmountScale amount_scale(const double* values, std::size_t n) {
  constexpr double kWholeLimit = 2251799813685248.0;  // 2^51
  AmountScale scale;
  double largest = 0;
  double power = 1;
  for (std::size_t i = 0; i < n; ++i) {
    const double v = values[i];
    if (std::isnan(v)) {
      scale.has_missing = true;
      continue;
    }
    const double size = std::fabs(v);
    if (size > largest) largest = size;
    while (scale.exact) {
      const bool small_enough = size * power < kWholeLimit;
      if (small_enough && round_whole(v * power) / power == v) break;
      if (scale.decimals == kMostDecimals || !small_enough) {
        scale.exact = false;
      } else {
        power = power_of_ten(++scale.decimals);
      }
    }
    scale.sum_of_sizes += size;
  }
  // Values seen before the last step up must still be small enough at the final scale.
  if (largest * power >= kWholeLimit) scale.exact = false;
  if (!scale.exact) scale.decimals = 0;
  scale.sum_of_sizes *= power;
  scale.fits32 = scale.exact && largest * power < 2147483647.0;
  return scale;
}

// Whole numbers, and those of up to 15 digits, as they are; others rounded to 15 digits, so that
// 0.1 + 0.2 is 0.3.
inline double rounded_to_15(double v) {
  constexpr double kWholeLimit = 9007199254740992.0;  // 2^53
  // Powers that doubles hold exactly.
  static const double kTens[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                 1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
  if (!std::isfinite(v) || v == 0) return v;
  const double size = std::fabs(v);
  if (size < kWholeLimit && std::nearbyint(v) == v) return v;
  const int places = 14 - static_cast<int>(std::floor(std::log10(size)));
  if (places >= 0 && places <= 22) {
    return std::nearbyint(v * kTens[places]) / kTens[places];
  }
  if (places < 0 && places >= -22) {
    return std::nearbyint(v / kTens[-places]) * kTens[-places];
  }
  char text[40];
  std::snprintf(text, sizeof(text), "%.14e", v);
  return std::strtod(text, nullptr);
}

inline std::int32_t scaled32(double v, double power) {
  return std::isnan(v) ? kNoAmount32 : static_cast<std::int32_t>(round_whole(v * power));
}

inline std::int64_t scaled64(double v, double power) {
  return std::isnan(v) ? kNoAmount64 : static_cast<std::int64_t>(round_whole(v * power));
}

inline bool any_infinite(const double* values, std::size_t n) {
  constexpr double kLargest = std::numeric_limits<double>::max();
  bool found = false;
  for (std::size_t i = 0; i < n; ++i) found |= values[i] > kLargest || values[i] < -kLargest;
  return found;
}

// The amounts as they were read.
inline void amounts_back(const Column& column, std::size_t n, double* out) {
  const double power = power_of_ten(column.decimals);
  with_data(column, [&](const auto* data) {
    for (std::size_t i = 0; i < n; ++i) {
      out[i] = is_missing(data[i]) ? std::numeric_limits<double>::quiet_NaN()
                                   : static_cast<double>(data[i]) / power;
    }
  });
}

// Sum of the sizes of 64-bit whole numbers, as a bound for every sum over any of them.
inline double sum_of_sizes(const std::int64_t* values, std::size_t n) {
  double sum = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (!is_missing(values[i])) sum += std::fabs(static_cast<double>(values[i]));
  }
  return sum;
}

}  // namespace ledger
