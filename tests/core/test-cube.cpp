// The day cube against a slow and obvious sum over entries.
#include <algorithm>
#include <cmath>
#include <random>

#include "../../src/core/control.h"
#include "../../src/core/cube.h"
#include "check.h"

using namespace ledger;

namespace {

// A made-up ledger in order of day, with a second date basis and all kinds of columns.
struct Entries {
  std::size_t n;
  Day first = 100;
  std::vector<Day> day, other;
  std::vector<std::int32_t> offsets;
  std::vector<std::uint8_t> route;
  std::vector<std::int32_t> account, cents;
  std::vector<std::int64_t> large;
  std::vector<double> real;
  int accounts;

  Entries(std::size_t count, int day_count, int account_count, unsigned seed)
      : n(count), accounts(account_count) {
    std::mt19937_64 random(seed);
    for (std::size_t i = 0; i < n; ++i)
      day.push_back(first + static_cast<Day>(random() % static_cast<unsigned>(day_count)));
    std::sort(day.begin(), day.end());
    day.front() = first;
    day.back() = first + day_count - 1;
    offsets.assign(static_cast<std::size_t>(day_count) + 1, 0);
    for (Day d : day) ++offsets[static_cast<std::size_t>(d - first) + 1];
    for (std::size_t k = 1; k < offsets.size(); ++k) offsets[k] += offsets[k - 1];
    for (std::size_t i = 0; i < n; ++i) {
      other.push_back(random() % 15 == 0 ? kNoDay : day[i] - static_cast<Day>(random() % 9));
      route.push_back(static_cast<std::uint8_t>(random() % 6));
      account.push_back(static_cast<std::int32_t>(random() % static_cast<unsigned>(accounts)));
      cents.push_back(random() % 11 == 0 ? kNoAmount32
                                         : static_cast<std::int32_t>(random() % 200001) - 100000);
      large.push_back(static_cast<std::int64_t>(random() % 4000000000000ull) - 2000000000000ll);
      real.push_back(random() % 13 == 0 ? std::nan("")
                                        : static_cast<double>(random() % 1000) / 7.0 - 50.0);
    }
  }

  Column cents_column() const { return {Kind::exact32, cents.data(), 2, true}; }
  Column large_column() const { return {Kind::exact64, large.data(), 0, false}; }
  Column real_column() const { return {Kind::real, real.data(), 0, true}; }

  // Condition 0: routes 1, 3 and 4, member 5 unknown. Condition 1: fare above 100.
  CubeRequest request(bool by_other, int where) const {
    Step routes;
    routes.op = Op::table;
    routes.column = {Kind::code8, route.data(), 0, false};
    routes.table = {kFalse, kTrue, kFalse, kTrue, kTrue, kUnknown};
    Step above;
    above.op = Op::greater;
    above.column = cents_column();
    above.values = {100.0};
    CubeRequest r;
    r.entries = n;
    r.conditions = {Condition({routes}), Condition({above})};
    r.where = where;
    if (by_other) {
      r.days = other.data();
      r.first = kLastDay;
      r.last = kFirstDay;
      for (Day d : other) {
        if (d == kNoDay) continue;
        r.first = std::min(r.first, d);
        r.last = std::max(r.last, d);
      }
    } else {
      r.offsets = offsets.data();
      r.first = first;
      r.last = day.back();
    }
    r.slots = {{What::count, {}, -1},
               {What::sum, cents_column(), -1},
               {What::present, cents_column(), -1},
               {What::sum, large_column(), 1},
               {What::sum, real_column(), -1},
               {What::count, {}, 1}};
    return r;
  }

  bool holds(int condition, std::size_t i) const {
    if (condition < 0) return true;
    if (condition == 0) return route[i] == 1 || route[i] == 3 || route[i] == 4;
    return cents[i] != kNoAmount32 && cents[i] > 10000;
  }

  // The figure of a slot, straight from the entries.
  long double figure(const CubeRequest& r, int slot, Day from, Day to, int a_route,
                     int an_account) const {
    long double sum = 0;
    for (std::size_t i = 0; i < n; ++i) {
      const Day d = r.days != nullptr ? other[i] : day[i];
      if (d == kNoDay || d < from || d > to) continue;
      if (a_route >= 0 && route[i] != a_route) continue;
      if (an_account >= 0 && account[i] != an_account) continue;
      if (!holds(r.where, i) || !holds(r.slots[static_cast<std::size_t>(slot)].condition, i))
        continue;
      if (slot == 0 || slot == 5) sum += 1;
      else if (slot == 1 && cents[i] != kNoAmount32) sum += cents[i];
      else if (slot == 2) sum += cents[i] != kNoAmount32;
      else if (slot == 3) sum += large[i];
      else if (slot == 4 && !std::isnan(real[i])) sum += real[i];
    }
    return slot == 1 ? sum / 100 : sum;
  }
};

void compare(const Entries& e, bool by_other, int where, bool with_route, bool with_account,
             bool dense, int threads) {
  Host host;
  host.threads = threads;
  host.small = 100;
  const CubeRequest request = e.request(by_other, where);
  std::vector<Column> keys;
  std::vector<std::int32_t> members;
  if (with_route) {
    keys.push_back({Kind::code8, e.route.data(), 0, false});
    members.push_back(6);
  }
  if (with_account) {
    keys.push_back({Kind::code32, e.account.data(), 0, false});
    members.push_back(e.accounts);
  }
  const Groups groups(keys, members, e.n, host);
  std::unique_ptr<Cube> cube;
  if (dense) cube = std::make_unique<DenseCube>(request, groups, host);
  else cube = std::make_unique<SparseCube>(request, groups, host);
  CHECK(cube->dense() == dense);

  std::mt19937 random(static_cast<unsigned>(e.n) + 5u);
  std::vector<std::int32_t> group;
  std::vector<Day> from, to;
  const int span = request.last - request.first + 21;
  for (int w = 0; w < 60; ++w) {
    group.push_back(static_cast<std::int32_t>(random() % static_cast<unsigned>(groups.count())));
    from.push_back(request.first - 10 + static_cast<Day>(random() % static_cast<unsigned>(span)));
    to.push_back(from.back() - 3 + static_cast<Day>(random() % 40));
  }
  const Windows windows{group.data(), from.data(), to.data(), group.size()};
  for (int slot = 0; slot < 6; ++slot) {
    std::vector<double> figures(group.size(), -1.0);
    cube->evaluate(static_cast<std::size_t>(slot), windows, figures.data(), host);
    bool right = true;
    for (std::size_t w = 0; w < group.size(); ++w) {
      const auto m = groups.members_of(group[w]);
      const int a_route = with_route ? m[0] : -1;
      const int an_account = with_account ? m.back() : -1;
      const long double expected = e.figure(request, slot, from[w], to[w], a_route, an_account);
      right = right && (slot == 4 ? std::fabs(static_cast<double>(figures[w] - expected)) < 1e-9
                                  : figures[w] == static_cast<double>(expected));
    }
    CHECK(right);
  }
}

}  // namespace

TEST("dense and sparse cubes equal the slow sum, on both date bases, with and without conditions") {
  for (const auto& e : {Entries(1, 1, 1, 1), Entries(500, 1, 3, 2), Entries(3000, 60, 40, 3),
                        Entries(3000, 900, 40, 4)}) {
    for (bool by_other : {false, true}) {
      if (by_other && e.n == 1) continue;
      for (int where : {-1, 0}) {
        for (bool dense : {true, false}) {
          compare(e, by_other, where, false, false, dense, 1);
          compare(e, by_other, where, true, false, dense, 1);
          compare(e, by_other, where, true, true, dense, 1);
        }
      }
    }
  }
}

TEST("entries outside the days of the cube are not counted") {
  const Entries e(3000, 60, 40, 17);
  CubeRequest r = e.request(true, -1);
  r.first += 10;
  r.last -= 20;
  const Groups routes({{Kind::code8, e.route.data(), 0, false}}, {6}, e.n, Host{});
  const std::int32_t group = 3;
  const Day from = r.first - 30, to = r.last + 30;
  for (bool dense : {true, false}) {
    std::unique_ptr<Cube> cube;
    if (dense) cube = std::make_unique<DenseCube>(r, routes, Host{});
    else cube = std::make_unique<SparseCube>(r, routes, Host{});
    double figure = 0;
    cube->evaluate(0, {&group, &from, &to, 1}, &figure, Host{});
    CHECK(figure == static_cast<double>(e.figure(r, 0, r.first, r.last, 3, -1)));
  }
}

TEST("the latest day of a group up to any day, dense and sparse") {
  const Entries e(300, 200, 40, 29);
  const Groups accounts({{Kind::code32, e.account.data(), 0, false}}, {40}, e.n, Host{});
  for (bool by_other : {false, true}) {
    const CubeRequest r = e.request(by_other, 0);
    const DenseCube dense(r, accounts, Host{});
    const SparseCube sparse(r, accounts, Host{});
    for (std::int32_t g = 0; g < accounts.count(); ++g)
      for (Day up_to = r.first - 2; up_to <= r.last + 2; up_to += 7) {
        Day latest = kNoDay;
        for (std::size_t i = 0; i < e.n; ++i) {
          const Day d = by_other ? e.other[i] : e.day[i];
          if (e.account[i] == accounts.members_of(g)[0] && e.holds(0, i) && d <= up_to)
            latest = std::max(latest, d);
        }
        CHECK(dense.latest_day(g, up_to) == latest);
        CHECK(sparse.latest_day(g, up_to) == latest);
      }
  }
}

TEST("the stretches of days in which groups have entries, dense and sparse") {
  const Entries e(300, 200, 40, 23);
  const CubeRequest r = e.request(false, 0);
  const Groups accounts({{Kind::code32, e.account.data(), 0, false}}, {40}, e.n, Host{});
  const DenseCube dense(r, accounts, Host{});
  const SparseCube sparse(r, accounts, Host{});
  std::mt19937 random(1);
  for (int round = 0; round < 50; ++round) {
    std::vector<Day> from, to;
    Day at = r.first - 20 + static_cast<Day>(random() % 60);
    for (int s = 0; s < 8; ++s) {  // with gaps and touching ones
      from.push_back(at);
      to.push_back(at + static_cast<Day>(random() % 30));
      at = to.back() + 1 + static_cast<Day>(random() % 3) * 4;
    }
    const Days stretches{from.data(), to.data(), random() % 9};
    const std::vector<std::int32_t> groups{7, 3, 39, 0, 12};
    std::vector<std::int32_t> expected_stretches, expected_groups;
    for (std::size_t s = 0; s < stretches.count; ++s) {
      for (std::int32_t g : groups) {
        if (e.figure(r, 0, from[s], to[s], -1, g) == 0) continue;
        expected_stretches.push_back(static_cast<std::int32_t>(s));
        expected_groups.push_back(g);
      }
    }
    for (const Cube* cube : {static_cast<const Cube*>(&dense), static_cast<const Cube*>(&sparse)}) {
      Host host;
      host.threads = 1 + round % 4;
      host.small = 1;
      HeldPairs pairs(*cube, groups.data(), groups.size(), stretches, host);
      std::vector<std::int32_t> stretch(pairs.count()), group(pairs.count());
      std::vector<double> counts(pairs.count()), sums(pairs.count());
      pairs.fill(stretch.data(), 0, group.data(), {counts.data(), sums.data()});
      CHECK(stretch == expected_stretches);
      CHECK(group == expected_groups);
      for (std::size_t k = 0; k < group.size(); ++k) {
        const auto s = static_cast<std::size_t>(stretch[k]);
        CHECK(counts[k] == static_cast<double>(e.figure(r, 0, from[s], to[s], -1, group[k])));
        CHECK(sums[k] == static_cast<double>(e.figure(r, 1, from[s], to[s], -1, group[k])));
      }
    }
  }
}

TEST("several threads give what one gives") {
  const Entries e(6000, 400, 50, 9);
  for (bool dense : {true, false}) {
    for (int threads : {2, 3, 7}) {
      compare(e, false, 0, true, false, dense, threads);
      compare(e, true, -1, true, false, dense, threads);
      compare(e, false, -1, false, true, dense, threads);
      compare(e, true, 0, false, true, dense, threads);
    }
  }
}

TEST("many combinations are numbered only as they occur, and found again") {
  const Entries e(5000, 30, 100000, 12);
  const std::vector<Column> keys{{Kind::code8, e.route.data(), 0, false},
                                 {Kind::code32, e.account.data(), 0, false}};
  const Groups groups(keys, {6, e.accounts}, e.n, Host{});
  CHECK(groups.count() <= 5000 && groups.count() > 4000);
  std::vector<std::int32_t> ids(kBlock);
  groups.numbers(0, kBlock, ids.data());
  bool right = true;
  for (std::size_t i = 0; i < kBlock; ++i) {
    const auto m = groups.members_of(ids[i]);
    right = right && m[0] == e.route[i] && m[1] == e.account[i];
  }
  CHECK(right);
  std::vector<std::int32_t> routes(e.route.begin(), e.route.begin() + kBlock);
  CHECK(groups.numbers_of({routes.data(), e.account.data()}, kBlock) == ids);
  const std::int32_t no_route = 6, missing = kNoDay, account = e.account[0];
  CHECK(groups.numbers_of({&no_route, &account}, 1)[0] == -1);
  CHECK(groups.numbers_of({&missing, &account}, 1)[0] == -1);
  compare(e, false, -1, true, true, false, 1);
}

TEST("which cube pays follows the entries, not the groups times days") {
  const Entries few(3000, 60, 40, 3);
  const Groups small({{Kind::code8, few.route.data(), 0, false}}, {6}, few.n, Host{});
  CHECK(dense_pays(few.request(false, -1), small));
  CubeRequest ages = few.request(false, -1);
  ages.first = kFirstDay;
  ages.last = kLastDay;
  CHECK(!dense_pays(ages, small));
}

TEST("a running sum over days without entries is exactly zero, also for doubles") {
  const double amounts[] = {0.1, 0.7, 1e9, -0.3333333};
  const std::int32_t offsets[] = {0, 2, 2, 2, 4};
  CubeRequest r;
  r.entries = 4;
  r.first = 0;
  r.last = 3;
  r.offsets = offsets;
  r.slots = {{What::count, {}, -1}, {What::sum, {Kind::real, amounts, 0, false}, -1}};
  const Groups one({}, {}, 4, Host{});
  const std::int32_t group[] = {0, 0};
  const Day from[] = {1, 0}, to[] = {2, 3};
  double figures[2];
  DenseCube(r, one, Host{}).evaluate(1, {group, from, to, 2}, figures, Host{});
  CHECK(figures[0] == 0.0);
  CHECK(std::fabs(figures[1] - (1e9 + 0.8 - 0.3333333)) < 1e-7);
}

TEST("doubles keep what plain addition would lose") {
  std::vector<double> amounts(100000, 0.1);
  amounts[0] = 1e16;
  amounts.back() = -1e16;
  const std::int32_t offsets[] = {0, 100000};
  CubeRequest r;
  r.entries = amounts.size();
  r.first = r.last = 0;
  r.offsets = offsets;
  r.slots = {{What::count, {}, -1}, {What::sum, {Kind::real, amounts.data(), 0, false}, -1}};
  const Groups one({}, {}, amounts.size(), Host{});
  const std::int32_t group = 0;
  const Day day = 0;
  double figure = 0;
  DenseCube(r, one, Host{}).evaluate(1, {&group, &day, &day, 1}, &figure, Host{});
  CHECK(std::fabs(figure - 9999.8) < 1e-6);
  CHECK(control_figure(r, r.slots[1], 0, 0) == figure);
}

TEST("conditions: three answers, joined as in SQL") {
  const std::int32_t amounts[] = {100, 200, kNoAmount32};
  Step above;
  above.op = Op::greater;
  above.column = {Kind::exact32, amounts, 2, true};
  above.values = {1.5};
  Step absent = above;
  absent.op = Op::missing;
  Step yes, no, both, either, negate;
  yes.table = {kTrue};
  no.table = {kFalse};
  both.op = Op::both;
  either.op = Op::either;
  negate.op = Op::negate;
  const auto answers = [](std::vector<Step> steps) {
    std::vector<std::uint8_t> out(3), scratch;
    Condition(std::move(steps)).answer(0, 3, out.data(), scratch);
    return out;
  };
  using Answers = std::vector<std::uint8_t>;
  CHECK((answers({above}) == Answers{kFalse, kTrue, kUnknown}));
  CHECK((answers({above, negate}) == Answers{kTrue, kFalse, kUnknown}));
  CHECK((answers({above, absent, either}) == Answers{kFalse, kTrue, kTrue}));
  CHECK((answers({above, no, both}) == Answers{kFalse, kFalse, kFalse}));
  CHECK((answers({above, yes, both}) == Answers{kFalse, kTrue, kUnknown}));
  CHECK((answers({yes, above, no, both, either}) == Answers{kTrue, kTrue, kTrue}));
  Step among = above;
  among.op = Op::one_of;
  among.values = {0.5, 2.0};
  CHECK((answers({among}) == Answers{kFalse, kTrue, kUnknown}));
  CHECK_THROWS(std::invalid_argument, Condition({above, both}));
  CHECK_THROWS(std::invalid_argument, Condition({above, yes}));
}

TEST("the control figure takes its own way to the same sum") {
  const Entries e(3000, 60, 40, 21);
  for (bool by_other : {false, true}) {
    const CubeRequest r = e.request(by_other, 0);
    for (int slot = 0; slot < 6; ++slot) {
      const double figure = control_figure(r, r.slots[static_cast<std::size_t>(slot)], 110, 140);
      CHECK(std::fabs(figure - static_cast<double>(e.figure(r, slot, 110, 140, -1, -1))) < 1e-9);
    }
  }
}
