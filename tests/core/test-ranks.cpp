// Ranks within groups, against counting those before.
#include "../../src/core/ranks.h"

#include <algorithm>
#include <limits>
#include <numeric>
#include <random>
#include <set>
#include <vector>

#include "check.h"

using namespace ledger;

TEST("a rank counts those of its group that come before, by each way of ties") {
  std::mt19937 random(11);
  const double missing = std::numeric_limits<double>::quiet_NaN();
  for (int run = 0; run < 300; ++run) {
    const std::size_t n = random() % 40;
    std::vector<double> values(n), groups(n);
    for (std::size_t i = 0; i < n; ++i) {
      values[i] = random() % 9 == 0 ? missing : static_cast<double>(random() % 6) - 2.5;
      groups[i] = static_cast<double>(random() % 3);
    }
    std::vector<std::int32_t> at(n);
    std::iota(at.begin(), at.end(), 0);
    std::stable_sort(at.begin(), at.end(), [&](std::int32_t a, std::int32_t b) {
      const auto i = static_cast<std::size_t>(a), j = static_cast<std::size_t>(b);
      if (groups[i] != groups[j]) return groups[i] < groups[j];
      if (std::isnan(values[j])) return !std::isnan(values[i]);
      return values[i] < values[j];
    });
    for (const Ties ties : {Ties::share, Ties::order, Ties::dense}) {
      std::vector<double> ranks(n, -1);
      rank_within(at.data(), n, values.data(), groups.data(), ties, missing, ranks.data());
      bool same = true;
      for (std::size_t i = 0; i < n; ++i) {
        if (std::isnan(values[i])) {
          same = same && std::isnan(ranks[i]);
          continue;
        }
        double before = 0;
        std::set<double> kinds;
        for (std::size_t j = 0; j < n; ++j) {
          if (groups[j] != groups[i] || std::isnan(values[j])) continue;
          const bool less = values[j] < values[i];
          before += less || (ties == Ties::order && values[j] == values[i] && j < i);
          if (less) kinds.insert(values[j]);
        }
        if (ties == Ties::dense) before = static_cast<double>(kinds.size());
        same = same && ranks[i] == before + 1;
      }
      CHECK(same);
    }
  }
}
