// What days to come should bring, on series whose answer is known, and at the ends of short ones.
#include "../../src/core/outlook.h"

#include <random>
#include <vector>

#include "check.h"

using namespace ledger;

namespace {

std::vector<double> sums_of(const std::vector<double>& days) {
  std::vector<double> sums(days.size() + 1, 0.0);
  for (std::size_t i = 0; i < days.size(); ++i) sums[i + 1] = sums[i] + days[i];
  return sums;
}

FinishedPeriods months(int first, int last) {
  FinishedPeriods periods;
  periods.alone = true;
  for (int end = first + 29; end <= last; end += 30) periods.ends.push_back(end);
  return periods;
}

}  // namespace

TEST("a week that repeats itself is met exactly, and closed weekdays bring nothing") {
  const double week[] = {5, 0, 3, 8, 1, 0, 2};
  for (const int n : {30, 100, 400, 1500}) {
    std::vector<double> days(static_cast<std::size_t>(n));
    for (std::size_t i = 0; i < days.size(); ++i) days[i] = week[i % 7];
    const std::vector<double> sums = sums_of(days);
    const int first = 1000, t = first + n - 1;
    for (const int ahead : {1, 6, 7, 20, 60, 130}) {
      const RunningSums series{sums.data(), first, t};
      const Outlook out = outlook({series}, t, t + ahead, months(first, t));
      double wanted = 0;
      for (int i = 0; i < ahead; ++i) wanted += week[(n + i) % 7];
      CHECK(out.way >= 0);
      CHECK(std::fabs(out.rest - wanted) < 1e-6);
      if (!std::isnan(out.off)) CHECK(out.off < 1e-9);
    }
  }
}

TEST("series of any length give an answer or none, and look at no day that is not there") {
  std::mt19937 random(8);
  for (int run = 0; run < 400; ++run) {
    const int n = 1 + static_cast<int>(random() % 900);
    std::vector<double> days(static_cast<std::size_t>(n));
    for (double& day : days) day = static_cast<double>(random() % 50) - 10;
    if (run % 5 == 0) std::fill(days.begin(), days.end(), 0.0);
    const std::vector<double> sums = sums_of(days);
    const int first = static_cast<int>(random() % 20000), t = first + n - 1;
    const int ahead = 1 + static_cast<int>(random() % 400);
    FinishedPeriods periods = months(first, t);
    periods.alone = run % 2 == 0;
    const RunningSums series{sums.data(), first, t};
    const Outlook out = outlook({series}, t, t + ahead, periods);
    CHECK(n >= 28 || out.way < 0);
    CHECK(n < 28 || out.way >= 0);
    CHECK(out.way < 0 || std::isfinite(out.rest));
    for (const BackTest& row : out.rows) {
      CHECK(row.origin >= first);
      CHECK(row.origin + ahead <= t);
    }
  }
}
