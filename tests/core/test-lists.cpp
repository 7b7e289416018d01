// Figures that are no sums, against a slow and obvious look at every entry, on thousands of small
// random ledgers.
#include <algorithm>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "../../src/core/cube.h"
#include "../../src/core/distinct.h"
#include "../../src/core/extremes.h"
#include "check.h"

using namespace ledger;

namespace {

struct Small {
  std::mt19937 random;
  std::size_t n;
  Day first = 1000, last;
  int groups, members;
  bool by_other;
  std::vector<Day> day, other;
  std::vector<std::int32_t> offsets, cents;
  std::vector<std::uint8_t> group, member;
  std::vector<double> real;

  explicit Small(unsigned seed) : random(seed) {
    n = 1 + roll(seed % 50 == 0 ? 3000 : 50);
    const int days = 1 + roll(40);
    groups = 1 + roll(4);
    members = 1 + roll(7);
    by_other = roll(3) == 0;
    for (std::size_t i = 0; i < n; ++i) day.push_back(first + roll(days));
    std::sort(day.begin(), day.end());
    first = day.front();
    last = day.back();
    offsets.assign(static_cast<std::size_t>(last - first) + 2, 0);
    for (Day d : day) ++offsets[static_cast<std::size_t>(d - first) + 1];
    for (std::size_t k = 1; k < offsets.size(); ++k) offsets[k] += offsets[k - 1];
    for (std::size_t i = 0; i < n; ++i) {
      other.push_back(roll(10) == 0 ? kNoDay : day[i] - roll(6));
      group.push_back(static_cast<std::uint8_t>(roll(groups)));
      member.push_back(static_cast<std::uint8_t>(roll(members)));
      cents.push_back(roll(8) == 0 ? kNoAmount32 : roll(41) - 20);
      real.push_back(roll(8) == 0 ? std::nan("") : roll(41) / 7.0 - 2.0);
    }
  }
  int roll(int sides) { return static_cast<int>(random() % static_cast<unsigned>(sides)); }

  CubeRequest request() const {
    CubeRequest r;
    r.entries = n;
    r.first = first;
    r.last = last;
    if (by_other) {
      r.days = other.data();
      r.first = first - 6;
    } else {
      r.offsets = offsets.data();
    }
    r.slots = {{What::count, {}, -1}};
    return r;
  }
  Day day_of(std::size_t i) const { return by_other ? other[i] : day[i]; }
  bool holds(std::size_t i, int g, Day from, Day to) const {
    return day_of(i) != kNoDay && group[i] == g && day_of(i) >= from && day_of(i) <= to;
  }
};

struct SomeWindows {
  std::vector<std::int32_t> group;
  std::vector<Day> from, to;
  Windows view() const { return {group.data(), from.data(), to.data(), group.size()}; }

  // Of every kind: periods, running, rolling, and any days at all in any order.
  SomeWindows(Small& e, int kind) {
    for (int g = 0; g < e.groups; ++g) {
      const int length = 1 + e.roll(9);
      for (Day d = e.first - 3; d <= e.last + 3; d += kind == 0 ? length : 1) {
        group.push_back(g);
        from.push_back(kind == 0   ? d
                       : kind == 1 ? e.first
                       : kind == 2 ? d - length + 1
                                   : e.first - 8 + e.roll(50));
        to.push_back(kind == 0 ? d + length - 1 : kind == 3 ? from.back() - 2 + e.roll(30) : d);
      }
    }
    if (kind != 3) return;
    for (std::size_t w = group.size(); w-- > 1;) {
      const auto o = static_cast<std::size_t>(e.roll(static_cast<int>(w) + 1));
      std::swap(group[w], group[o]);
      std::swap(from[w], from[o]);
      std::swap(to[w], to[o]);
    }
  }
};

bool same(double a, double b) {
  return (std::isnan(a) && std::isnan(b)) || std::fabs(a - b) < 1e-12;
}

void compare(unsigned seed, int threads) {
  Small e(seed);
  Host host;
  host.threads = threads;
  host.small = 10;
  const CubeRequest r = e.request();
  const Groups groups({{Kind::code8, e.group.data(), 0, false}}, {e.groups}, e.n, host);
  const Column members{Kind::code8, e.member.data(), 0, false};
  const int missing = e.roll(2) == 0 ? 0 : -1;
  const MemberLists distinct(r, groups, {What::count, members, -1}, e.members, missing, host);
  const auto ever = first_days(r, members, static_cast<std::size_t>(e.members));
  const bool whole = e.roll(2) == 0;
  const Slot amount{What::sum,
                    whole ? Column{Kind::exact32, e.cents.data(), 2, true}
                          : Column{Kind::real, e.real.data(), 0, true},
                    -1};
  const auto value = [&](std::size_t i) {
    return whole ? (e.cents[i] == kNoAmount32 ? std::nan("") : e.cents[i] / 100.0) : e.real[i];
  };
  const ExtremeLists least(gather_amounts(r, groups, amount, host), false),
      most(gather_amounts(r, groups, amount, host), true);
  const MiddleLists middle(gather_amounts(r, groups, amount, host));
  const LatestLists latest(r, groups, amount, {}, 0, host),
      of_each(r, groups, amount, members, static_cast<std::size_t>(e.members), host);

  for (int kind = 0; kind < 4; ++kind) {
    const SomeWindows some(e, kind);
    const std::size_t count = some.group.size();
    std::vector<double> out[7];
    for (auto& figures : out) figures.assign(count, -1.0);
    distinct.distinct(some.view(), out[0].data(), host);
    distinct.newcomers(some.view(), ever.data(), out[1].data(), host);
    least.extreme(some.view(), out[2].data(), host);
    most.extreme(some.view(), out[3].data(), host);
    middle.middle(some.view(), out[4].data(), host);
    latest.latest(some.view(), out[5].data(), host);
    of_each.latest(some.view(), out[6].data(), host);
    bool right[7] = {true, true, true, true, true, true, true};
    for (std::size_t w = 0; w < count; ++w) {
      std::set<int> seen, first_time;
      std::vector<double> amounts;
      double last = std::nan("");
      Day last_day = kNoDay;
      std::map<int, std::pair<Day, double>> each;
      for (std::size_t i = 0; i < e.n; ++i) {
        const double v = value(i);
        if (e.holds(i, some.group[w], kFirstDay, some.to[w]) && !std::isnan(v)) {
          if (e.day_of(i) >= last_day) last = v, last_day = e.day_of(i);
          auto& held = each.try_emplace(e.member[i], kNoDay, 0.0).first->second;
          if (e.day_of(i) >= held.first) held = {e.day_of(i), v};
        }
        if (!e.holds(i, some.group[w], some.from[w], some.to[w])) continue;
        if (!std::isnan(v)) amounts.push_back(v);
        if (e.member[i] == missing) continue;
        seen.insert(e.member[i]);
        bool before = false;
        for (std::size_t j = 0; j < e.n; ++j)
          before = before || (e.member[j] == e.member[i] && e.day_of(j) != kNoDay &&
                              e.day_of(j) < some.from[w]);
        if (!before) first_time.insert(e.member[i]);
      }
      std::sort(amounts.begin(), amounts.end());
      const std::size_t m = amounts.size();
      double sum_of_each = each.empty() ? std::nan("") : 0;
      for (const auto& item : each) sum_of_each += item.second.second;
      const double expected[7] = {
          static_cast<double>(seen.size()),
          static_cast<double>(first_time.size()),
          m == 0 ? std::nan("") : amounts.front(),
          m == 0 ? std::nan("") : amounts.back(),
          m == 0 ? std::nan("") : (amounts[(m - 1) / 2] + amounts[m / 2]) / 2,
          last,
          sum_of_each};
      for (int f = 0; f < 7; ++f) right[f] = right[f] && same(out[f][w], expected[f]);
    }
    for (int f = 0; f < 7; ++f) CHECK(right[f]);
  }
}

}  // namespace

TEST("distinct, newcomers, smallest, largest, middle, latest: thousands of small ledgers") {
  for (unsigned seed = 1; seed <= 2000; ++seed) {
    if (seed % 50 != 0) compare(seed, 1);
  }
}

TEST("figures that are no sums with several threads") {
  for (unsigned seed = 50; seed <= 500; seed += 50)
    compare(seed, 1 + static_cast<int>(seed / 50) % 4);
}

TEST("chains hold every window once, and both ends move forward along each") {
  for (unsigned seed = 1; seed <= 200; ++seed) {
    Small e(seed);
    const SomeWindows some(e, 3);
    std::vector<int> held(some.group.size(), 0);
    for (const Chain& chain : chains_of(some.view(), static_cast<std::size_t>(e.groups))) {
      for (std::size_t k = 0; k < chain.window.size(); ++k) {
        const std::size_t w = chain.window[k];
        ++held[w];
        if (some.group[w] != chain.group) held[w] = 100;
        if (k > 0 && (some.from[w] < some.from[chain.window[k - 1]] ||
                      some.to[w] < some.to[chain.window[k - 1]]))
          held[w] = 100;
      }
    }
    bool right = true;
    for (std::size_t w = 0; w < held.size(); ++w)
      right = right && held[w] == (some.to[w] >= some.from[w] ? 1 : 0);
    CHECK(right);
  }
}

TEST("nested windows need as many chains as lie inside each other, disjoint ones need one") {
  const std::vector<std::int32_t> group(6, 0);
  const std::vector<Day> from{1, 5, 9, 1, 2, 3}, to{3, 7, 12, 12, 11, 10};
  CHECK(chains_of({group.data(), from.data(), to.data(), 3}, 1).size() == 1);
  CHECK(chains_of({group.data(), from.data() + 3, to.data() + 3, 3}, 1).size() == 3);
}

TEST("part of the days gives the same figures as all of them") {
  for (unsigned seed = 1; seed <= 200; ++seed) {
    Small e(seed);
    if (e.by_other) continue;
    CubeRequest r = e.request(), part = r;
    part.first = r.first + e.roll(r.last - r.first + 1);
    part.last = part.first + e.roll(r.last - part.first + 1);
    part.offsets = r.offsets + (part.first - r.first);
    const Groups groups({{Kind::code8, e.group.data(), 0, false}}, {e.groups}, e.n, Host{});
    const Column members{Kind::code8, e.member.data(), 0, false};
    const std::int32_t g = e.roll(e.groups);
    const Windows window{&g, &part.first, &part.last, 1};
    double all[4] = {0, 0, 0, 0};
    MemberLists(r, groups, {What::count, members, -1}, e.members, -1, Host{})
        .distinct(window, &all[0], Host{});
    MemberLists(part, groups, {What::count, members, -1}, e.members, -1, Host{})
        .distinct(window, &all[1], Host{});
    CHECK(all[0] == all[1]);
    SparseCube(r, groups, Host{}).evaluate(0, window, &all[2], Host{});
    SparseCube(part, groups, Host{}).evaluate(0, window, &all[3], Host{});
    CHECK(all[2] == all[3]);
    DenseCube(part, groups, Host{}).evaluate(0, window, &all[3], Host{});
    CHECK(all[2] == all[3]);
  }
}

TEST("a cube put together from a finer one is the one made from entries") {
  const std::size_t n = 2000;
  std::mt19937 random(3);
  std::vector<std::uint8_t> a, b;
  std::vector<double> real;
  std::vector<std::int32_t> offsets{0};
  for (std::size_t i = 0; i < n; ++i) {
    a.push_back(static_cast<std::uint8_t>(random() % 5));
    b.push_back(static_cast<std::uint8_t>(random() % 3));
    real.push_back(static_cast<double>(random() % 1000) / 8.0);
    if (i % 100 == 99) offsets.push_back(static_cast<std::int32_t>(i) + 1);
  }
  CubeRequest r;
  r.entries = n;
  r.first = 0;
  r.last = 19;
  r.offsets = offsets.data();
  r.slots = {{What::count, {}, -1}, {What::sum, {Kind::real, real.data(), 0, false}, -1}};
  const Column ca{Kind::code8, a.data(), 0, false}, cb{Kind::code8, b.data(), 0, false};
  const Groups fine({ca, cb}, {5, 3}, n, Host{}), coarse({cb}, {3}, n, Host{});
  std::vector<std::int32_t> to;
  for (std::int32_t g = 0; g < fine.count(); ++g) to.push_back(fine.members_of(g)[1]);
  const DenseCube together(DenseCube(r, fine, Host{}), to, 3), straight(r, coarse, Host{});
  for (std::int32_t g = 0; g < 3; ++g)
    for (Day from = 0; from < 20; from += 3) {
      const Day last = 17;
      const Windows window{&g, &from, &last, 1};
      for (std::size_t slot = 0; slot < 2; ++slot) {
        double x = 0, y = 1;
        together.evaluate(slot, window, &x, Host{});
        straight.evaluate(slot, window, &y, Host{});
        CHECK(x == y);
      }
    }
}

TEST("long work without threads can be stopped in the middle") {
  const std::size_t n = 3000000;
  std::vector<std::int32_t> offsets{0, static_cast<std::int32_t>(n / 2),
                                    static_cast<std::int32_t>(n)},
      cents(n);
  std::mt19937 random(8);
  for (auto& v : cents) v = static_cast<std::int32_t>(random() % 1000);
  CubeRequest r;
  r.entries = n;
  r.first = 0;
  r.last = 1;
  r.offsets = offsets.data();
  r.slots = {{What::count, {}, -1}};
  const Groups one({}, {}, n, Host{});
  const MiddleLists middle(
      gather_amounts(r, one, {What::sum, {Kind::exact32, cents.data(), 2, false}, -1}, Host{}));
  const std::int32_t group = 0;
  const Day from = 0, to = 1;
  double out = 0;
  Host host;
  int asked = 0;
  host.poll = [&] {
    if (++asked == 3) throw std::runtime_error("stopped");
  };
  CHECK_THROWS(std::runtime_error, middle.middle({&group, &from, &to, 1}, &out, host));
  CHECK(asked == 3);
}
