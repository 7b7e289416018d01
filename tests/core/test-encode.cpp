#include <algorithm>
#include <random>

#include "../../src/core/encode.h"
#include "../../src/core/order.h"
#include "check.h"

using namespace ledger;

TEST("pointers are numbered in order of first appearance, by any number of threads") {
  std::mt19937 random(7);
  for (int members : {1, 3, 700, 90000}) {
    std::vector<int> things(static_cast<std::size_t>(members));
    std::vector<const void*> items(100000);
    for (auto& item : items) item = &things[random() % things.size()];
    std::vector<std::int32_t> one(items.size()), two(items.size());
    Host host;
    const auto seen = encode_pointers(items.data(), items.size(), one.data(), host);
    host.threads = 3;
    host.small = 0;
    CHECK(encode_pointers(items.data(), items.size(), two.data(), host) == seen);
    CHECK(one == two);
    bool right = true;
    for (std::size_t i = 0; i < items.size(); ++i)
      right = right && seen[static_cast<std::size_t>(one[i])] == items[i];
    CHECK(right);
    CHECK(one[0] == 0);
  }
}

TEST("the scale of amounts is the least that gives every one back") {
  const auto scale = [](std::vector<double> v) { return amount_scale(v.data(), v.size()); };
  CHECK(scale({1, 2, -3}).decimals == 0);
  CHECK(scale({1, 2.5, 0.25}).decimals == 2);
  CHECK(scale({0.1, 0.2, 19.99}).decimals == 2);
  CHECK(scale({0.0001}).decimals == 4);
  CHECK(scale({0.0001}).exact);
  CHECK(!scale({0.00001}).exact);
  CHECK(!scale({0.1 + 0.2}).exact);
  CHECK(!scale({1e15, 0.01}).exact);  // would not be whole after scaling
  CHECK(!scale({0.01, 1e15}).exact);
  CHECK(scale({1e15}).exact);
  CHECK(scale({std::nan(""), 1}).has_missing);
  CHECK(!scale({1}).has_missing);
  CHECK(scale({21474836.46}).fits32);
  CHECK(!scale({21474836.48}).fits32);
  CHECK(scale({}).exact);
  const double ordinary[] = {1, -2, std::nan("")}, infinite[] = {1, -INFINITY};
  CHECK(!any_infinite(ordinary, 3) && any_infinite(infinite, 2));
}

TEST("scaled amounts come back as the very doubles that were read") {
  std::mt19937_64 random(11);
  for (int decimals = 0; decimals <= 4; ++decimals) {
    std::vector<double> values(20000);
    for (auto& v : values) {
      const auto whole = static_cast<std::int64_t>(random() % 2000000000000ull) - 1000000000000ll;
      v = static_cast<double>(whole) / power_of_ten(decimals);
    }
    values[5] = std::nan("");
    const AmountScale scale = amount_scale(values.data(), values.size());
    CHECK(scale.exact && scale.decimals <= decimals);
    std::vector<std::int64_t> kept(values.size());
    for (std::size_t i = 0; i < values.size(); ++i)
      kept[i] = scaled64(values[i], power_of_ten(scale.decimals));
    std::vector<double> back(values.size());
    amounts_back(Column{Kind::exact64, kept.data(), scale.decimals, true}, values.size(),
                 back.data());
    bool right = true;
    for (std::size_t i = 0; i < values.size(); ++i)
      right = right && (i == 5 ? std::isnan(back[i]) : back[i] == values[i]);
    CHECK(right);
  }
}

TEST("order of day is stable and leaves out what has no day, with any number of threads") {
  std::mt19937 random(3);
  std::vector<Day> days(5000);
  for (auto& d : days) d = random() % 20 == 0 ? kNoDay : static_cast<Day>(random() % 40) - 20;
  std::vector<std::int32_t> expected;
  for (std::size_t i = 0; i < days.size(); ++i)
    if (days[i] != kNoDay) expected.push_back(static_cast<std::int32_t>(i));
  std::stable_sort(expected.begin(), expected.end(), [&](int a, int b) {
    return days[static_cast<std::size_t>(a)] < days[static_cast<std::size_t>(b)];
  });
  for (int threads : {1, 2, 3, 8}) {
    Host host;
    host.threads = threads;
    host.small = 0;
    const DaySorter sorter(days.data(), days.size(), host);
    std::vector<std::int32_t> order(sorter.used());
    sorter.put(
        order.data(), [](std::size_t i) { return static_cast<std::int32_t>(i); }, host);
    CHECK(order == expected);
    CHECK(sorter.offsets().size() == 41 && sorter.first() == -20);
    bool right = true;
    for (std::size_t k = 0; k < 40; ++k) {
      for (auto i = sorter.offsets()[k]; i < sorter.offsets()[k + 1]; ++i) {
        right = right && days[static_cast<std::size_t>(order[static_cast<std::size_t>(i)])] ==
                             sorter.first() + static_cast<Day>(k);
      }
    }
    CHECK(right);
    CHECK(!sorter.as_it_stands());
    std::vector<Day> sorted(days);
    std::sort(sorted.begin(), sorted.end());
    sorted.erase(sorted.begin(), std::upper_bound(sorted.begin(), sorted.end(), kNoDay));
    CHECK(DaySorter(sorted.data(), sorted.size(), host).as_it_stands());
    std::swap(sorted.front(), sorted.back());
    CHECK(!DaySorter(sorted.data(), sorted.size(), host).as_it_stands());
    for (std::size_t cut = 1; cut < 9; ++cut) {  // out of order only where stretches meet
      std::vector<Day> halves{1, 2, 3, 4, 5, 6, 7, 8, 9, 10};
      std::rotate(halves.begin(), halves.begin() + static_cast<std::ptrdiff_t>(cut), halves.end());
      std::vector<Day> often;
      for (int k = 0; k < 20; ++k)
        for (Day d : halves) often.push_back(d);
      CHECK(!DaySorter(often.data(), often.size(), host).as_it_stands());
    }
  }
  const Day none[] = {kNoDay};
  CHECK(DaySorter(none, 1, Host{}).used() == 0);
}

TEST("the survey of days") {
  const Day days[] = {5, kNoDay, -3, 9, 9};
  const DaySurvey survey = survey_days(days, 5, 8);
  CHECK(survey.oldest == -3 && survey.newest == 9 && survey.newest_by_limit == 5 &&
        survey.missing == 1);
  const DaySurvey none = survey_days(days + 1, 1, 8);
  CHECK(none.oldest == kNoDay && none.newest == kNoDay && none.newest_by_limit == kNoDay &&
        none.missing == 1);
}

TEST("what one of several threads throws is thrown to the caller, once all are done") {
  int done[4] = {0, 0, 0, 0};
  const auto work = [&](int part) {
    if (part == 2) throw Refusal("stop");
    done[part] = 1;
  };
  CHECK_THROWS(Refusal, in_parallel(4, work));
  CHECK(done[0] + done[1] + done[3] == 3);
}

TEST("long work can be stopped") {
  struct Stop {};
  Host host;
  host.poll = [] { throw Stop{}; };
  std::vector<Day> days(10, 1);
  CHECK_THROWS(Stop, DaySorter(days.data(), days.size(), host));
}
