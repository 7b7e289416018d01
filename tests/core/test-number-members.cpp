// Numbers of the values of a column, and rows that may stand there twice, against maps.
#include "../../src/core/number-members.h"

#include <map>
#include <random>
#include <set>

#include "check.h"

using namespace ledger;

namespace {

template <class Value>
void check_members(const std::vector<Value>& data) {
  std::vector<std::int32_t> codes(data.size());
  const NumberMembers<Value> members(data.data(), data.size(), codes.data());
  std::set<Value> known;
  bool lacks = false;
  for (const Value v : data) {
    if (is_missing(v)) lacks = true;
    else known.insert(v);
  }
  CHECK(members.has_missing == lacks);
  CHECK(members.values == std::vector<Value>(known.begin(), known.end()));
  bool same = true;
  for (std::size_t i = 0; i < data.size(); ++i) {
    const auto k = static_cast<std::size_t>(codes[i]);
    same = same && (is_missing(data[i]) ? k == known.size() : members.values[k] == data[i]);
  }
  CHECK(same);
}

}  // namespace

TEST("values are numbered in their order, near each other or far apart") {
  std::mt19937_64 random(7);
  for (int run = 0; run < 300; ++run) {
    const std::size_t n = random() % (run % 10 == 0 ? 5000 : 20);
    const std::int64_t spread = run % 3 == 0 ? 10 : run % 3 == 1 ? 100000 : (1LL << 60);
    std::vector<std::int64_t> wide(n);
    std::vector<std::int32_t> narrow(n);
    std::vector<double> real(n);
    for (std::size_t i = 0; i < n; ++i) {
      const auto any = static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(spread));
      wide[i] = random() % 7 == 0 ? kNoAmount64 : any - spread / 2;
      narrow[i] = random() % 7 == 0 ? kNoAmount32 : static_cast<std::int32_t>(any % 2000000000);
      real[i] = random() % 7 == 0 ? std::nan("") : static_cast<double>(any - spread / 2) / 7;
      if (random() % 9 == 0) real[i] = random() % 2 == 0 ? 0.0 : -0.0;
    }
    check_members(wide);
    check_members(narrow);
    check_members(real);
  }
}

TEST("no row that stands there twice is missed, and few others are taken") {
  std::mt19937 random(8);
  for (int run = 0; run < 200; ++run) {
    const std::size_t n = run % 10 == 0 ? 20000 : random() % 30;
    std::vector<std::int32_t> a(n);
    std::vector<double> b(n);
    for (std::size_t i = 0; i < n; ++i) {
      a[i] = static_cast<std::int32_t>(random() % 50);
      b[i] = run % 2 == 0 ? static_cast<double>(random() % 4) : static_cast<double>(i);
      if (random() % 20 == 0) b[i] = random() % 2 == 0 ? 0.0 : -0.0;
    }
    std::map<std::pair<std::int32_t, double>, int> times;
    for (std::size_t i = 0; i < n; ++i) ++times[{a[i], b[i]}];
    RowsMaybeTwice rows(n);
    rows.by(a.data());
    rows.by(b.data());
    const auto found = rows.rows();
    const std::set<std::size_t> taken(found.begin(), found.end());
    std::size_t twice = 0;
    bool none_missed = true;
    for (std::size_t i = 0; i < n; ++i) {
      if (times[{a[i], b[i]}] < 2) continue;
      ++twice;
      none_missed = none_missed && taken.count(i) > 0;
    }
    CHECK(none_missed);
    CHECK(taken.size() <= twice + n / 8 + 2);
  }
}
