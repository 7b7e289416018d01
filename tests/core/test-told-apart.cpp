// Numbers of rows by what stands in their columns, against a map of whole rows.
#include "../../src/core/told-apart.h"

#include <map>
#include <random>

#include "check.h"

using namespace ledger;

TEST("rows are numbered in order of appearance, those alike by one number") {
  std::mt19937 random(4);
  for (int run = 0; run < 400; ++run) {
    const std::size_t n = random() % (run % 20 == 0 ? 3000 : 12);
    const std::size_t columns = random() % 4;
    const auto kinds = static_cast<std::int32_t>(1 + random() % (run % 3 == 0 ? 100000 : 3));
    std::vector<std::vector<std::int32_t>> values(columns, std::vector<std::int32_t>(n));
    ToldApart told(n);
    for (auto& column : values) {
      for (auto& value : column) {
        const auto any = static_cast<std::int32_t>(random() % static_cast<std::uint32_t>(kinds));
        value = any == 0 ? INT32_MIN : any;
      }
      told.by(column.data());
    }
    std::map<std::vector<std::int32_t>, std::int32_t> known;
    std::vector<std::size_t> first;
    bool same = true;
    for (std::size_t i = 0; i < n; ++i) {
      std::vector<std::int32_t> row;
      for (const auto& column : values) row.push_back(column[i]);
      const auto found = known.emplace(row, static_cast<std::int32_t>(known.size()));
      if (found.second) first.push_back(i);
      same = same && told.numbers()[i] == found.first->second;
    }
    CHECK(same);
    CHECK(told.first() == first);
  }
}
