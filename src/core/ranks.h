#pragma once
// Ranks within groups, the least first: those that share a value share a rank, or follow each
// other, or are counted once.

#include <cmath>
#include <cstddef>
#include <cstdint>

namespace ledger {

enum class Ties { share, order, dense };

// `at` are the places of n values (from 0) in order of their group and then of their value, missing
// ones last in each group; these have the rank `none`.
inline void rank_within(const std::int32_t* at, std::size_t n, const double* values,
                        const double* groups, Ties ties, double none, double* ranks) {
  std::size_t begins = 0, shared = 0;
  double distinct = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const auto here = static_cast<std::size_t>(at[i]);
    const bool starts = i == 0 || groups[here] != groups[static_cast<std::size_t>(at[i - 1])];
    if (starts) {
      begins = i;
      distinct = 0;
    }
    if (std::isnan(values[here])) {
      ranks[here] = none;
      continue;
    }
    if (starts || values[here] != values[static_cast<std::size_t>(at[i - 1])]) {
      shared = i;
      ++distinct;
    }
    ranks[here] = ties == Ties::dense   ? distinct
                  : ties == Ties::order ? static_cast<double>(i - begins + 1)
                                        : static_cast<double>(shared - begins + 1);
  }
}

}  // namespace ledger
