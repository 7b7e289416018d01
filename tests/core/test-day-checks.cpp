// What the entries of days come to: the same in any order, another with any change.
#include "../../src/core/day-checks.h"

#include <algorithm>
#include <random>
#include <vector>

#include "check.h"

namespace {

struct Row {
  int day;
  std::vector<std::uint64_t> values;
};

ledger::DayChecks::Days days_of(const std::vector<Row>& rows, std::size_t days) {
  ledger::DayChecks checks(rows.size());
  std::vector<std::int32_t> day;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    day.push_back(rows[i].day);
    for (const auto value : rows[i].values) checks.add(i, value);
  }
  return checks.by_day(day.data(), days);
}

}  // namespace

TEST("checks of days: the order of rows does not count, any other change does") {
  std::mt19937 random(11);
  for (int round = 0; round < 200; ++round) {
    std::vector<Row> rows;
    const int n = 2 + static_cast<int>(random() % 30);
    for (int i = 0; i < n; ++i) {
      rows.push_back({static_cast<int>(random() % 3),
                      {random() % 4, ledger::number_check(static_cast<double>(random() % 5)),
                       ledger::bytes_check("ab", random() % 3)}});
    }
    const auto first = days_of(rows, 3);
    auto shuffled = rows;
    std::shuffle(shuffled.begin(), shuffled.end(), random);
    const auto same = days_of(shuffled, 3);
    CHECK(same.count == first.count);
    CHECK(same.check == first.check);
    auto changed = rows;
    changed[random() % changed.size()].values[random() % 3] += 77;
    CHECK(days_of(changed, 3).check != first.check);
    // Two rows of a day that exchange a value in one column alone.
    auto exchanged = rows;
    exchanged.push_back({0, {1, 2, 3}});
    exchanged.push_back({0, {4, 5, 6}});
    const auto before = days_of(exchanged, 3);
    std::swap(exchanged[exchanged.size() - 1].values[1], exchanged[exchanged.size() - 2].values[1]);
    CHECK(days_of(exchanged, 3).check != before.check);
    CHECK(days_of(exchanged, 3).count == before.count);
  }
}

TEST("checks of days: zeros are one, a missing value is none") {
  CHECK(ledger::number_check(0.0) == ledger::number_check(-0.0));
  CHECK(ledger::number_check(0.0) != ledger::missing_check);
  CHECK(ledger::bytes_check("", 0) != ledger::missing_check);
  CHECK(ledger::number_check(1.0) != ledger::number_check(2.0));
}
