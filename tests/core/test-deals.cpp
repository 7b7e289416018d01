// Days dealt anew, against adding up each member by each deal.
#include "../../src/core/deals.h"

#include <limits>
#include <random>
#include <vector>

#include "check.h"

using namespace ledger;

TEST("what members move is added up over all of their days, whatever the threads and the order") {
  std::mt19937 random(4);
  const double nan = std::numeric_limits<double>::quiet_NaN();
  for (int run = 0; run < 60; ++run) {
    const std::size_t n = random() % 400, members = 1 + random() % 9, days = 1 + random() % 12;
    const std::size_t count = 1 + random() % 20;
    std::vector<std::int32_t> member(n), day(n);
    std::vector<double> value(n);
    for (std::size_t i = 0; i < n; ++i) {
      member[i] = static_cast<std::int32_t>(random() % members);
      day[i] = static_cast<std::int32_t>(random() % days);
      value[i] = static_cast<double>(random() % 100);
    }
    std::vector<int> first(days * count);
    for (int& flag : first) flag = static_cast<int>(random() % 2);
    const Deals deals{first.data(), days, count};
    const DealtCells cells = in_order_of_members(member.data(), value.data(), n, members,
                                                 [&](std::size_t i) { return day[i]; });
    for (const double alike : {nan, 1.5}) {
      for (const int threads : {1, 3}) {
        Host host;
        host.threads = threads;
        host.small = 0;
        const std::vector<double> moved = moved_by_deals(cells, deals, alike, host);
        CHECK(moved.size() == count);
        for (std::size_t d = 0; d < count; ++d) {
          std::vector<double> one(members, 0), other(members, 0);
          double all_one = 0, all_other = 0;
          for (std::size_t i = 0; i < n; ++i) {
            const bool now = first[d * days + static_cast<std::size_t>(day[i])] != 0;
            (now ? one : other)[static_cast<std::size_t>(member[i])] += value[i];
            (now ? all_one : all_other) += value[i];
          }
          const double told = all_other == 0 ? 0 : all_one / all_other;
          const double ratio = std::isnan(alike) ? told : alike;
          double wanted = 0;
          for (std::size_t m = 0; m < members; ++m)
            wanted += std::fabs(one[m] - other[m] * ratio) / 2;
          CHECK(std::fabs(moved[d] - wanted) <= 1e-9 * (1 + wanted));
        }
      }
    }
  }
}
