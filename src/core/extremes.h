// The smallest and largest amount, the middle one, and the latest, in windows of days.
#pragma once
#include <algorithm>
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

#include "chains.h"
#include "lists.h"

namespace ledger {

constexpr double kNothing = std::numeric_limits<double>::quiet_NaN();

// Lists of amounts; missing ones are in none.
inline Lists<double> gather_amounts(const CubeRequest& request, const Groups& groups,
                                    const Slot& slot, const Host& host) {
  return gather<double>(
      request, groups, slot, [&](std::size_t i) { return !is_missing(amount_at(slot.column, i)); },
      [&](std::size_t i) { return amount_at(slot.column, i); }, host);
}

// Smallest and largest: a queue that keeps, of the days in the window, those that no later day
// outdoes.
class ExtremeLists {
 public:
  ExtremeLists(Lists<double> amounts, bool largest)
      : lists_(std::move(amounts)), largest_(largest) {
    compact(lists_, [=](double& to, double from) {
      to = largest ? std::max(to, from) : std::min(to, from);
      return true;
    });
  }

  void extreme(const Windows& windows, double* out, const Host& host) const {
    if (largest_) run(windows, out, host, [](double a, double b) { return a >= b; });
    else run(windows, out, host, [](double a, double b) { return a <= b; });
  }

  double bytes() const { return lists_.bytes(); }

 private:
  Lists<double> lists_;
  bool largest_;

  template <class Outdoes>
  void run(const Windows& windows, double* out, const Host& host, const Outdoes& outdoes) const {
    std::fill(out, out + windows.count, kNothing);
    const Lists<double>& lists = lists_;
    const std::vector<Chain> chains = chains_of(windows, lists.groups());
    const auto weight = [&](const Chain& chain) {
      const auto g = static_cast<std::size_t>(chain.group);
      return static_cast<double>(lists.end(g) - lists.begin(g) + chain.window.size());
    };
    share_chains(chains, weight, host, [&](std::size_t begin, std::size_t end, const Poll&) {
      std::vector<std::size_t> queue;
      for (std::size_t c = begin; c < end; ++c) {
        const auto g = static_cast<std::size_t>(chains[c].group);
        std::size_t next = lists.begin(g), front = 0;
        queue.clear();
        for (std::size_t w : chains[c].window) {
          for (; next < lists.end(g) && lists.day[next] <= windows.to[w]; ++next) {
            while (queue.size() > front && outdoes(lists.value[next], lists.value[queue.back()]))
              queue.pop_back();
            queue.push_back(next);
          }
          while (front < queue.size() && lists.day[queue[front]] < windows.from[w]) ++front;
          if (front < queue.size()) out[w] = lists.value[queue[front]];
        }
      }
    });
  }
};

// The middle amount (median): amounts of a group are put in order once; a window keeps which places
// of that order are in it, counted in blocks, so that the middle one is found without a look at the
// others.
class MiddleLists {
 public:
  explicit MiddleLists(Lists<double> amounts) : lists_(std::move(amounts)) {}

  void middle(const Windows& windows, double* out, const Host& host) const {
    std::fill(out, out + windows.count, kNothing);
    const std::vector<Chain> chains = chains_of(windows, lists_.groups());
    const auto weight = [&](const Chain& chain) {
      const auto g = static_cast<std::size_t>(chain.group);
      return 10.0 * static_cast<double>(lists_.end(g) - lists_.begin(g)) +
             static_cast<double>(chain.window.size());
    };
    share_chains(chains, weight, host, [&](std::size_t begin, std::size_t end, const Poll& poll) {
      for (std::size_t c = begin; c < end; ++c) along(chains[c], windows, out, poll);
    });
  }

  double bytes() const { return lists_.bytes(); }

 private:
  Lists<double> lists_;

  // Places 0 ... n - 1 that are in a window, in words of 64 and blocks of 64 words.
  struct Places {
    std::vector<std::uint64_t> word;
    std::vector<std::uint32_t> block;
    std::size_t count = 0;
    explicit Places(std::size_t n) : word(n / 64 + 1, 0), block(n / 4096 + 1, 0) {}
    void put(std::size_t p, bool in) {
      word[p / 64] ^= std::uint64_t{1} << (p % 64);
      block[p / 4096] += in ? 1u : ~0u;
      count += in ? 1 : std::size_t{0} - 1;
    }
    // The place that has k others below it.
    std::size_t at(std::size_t k) const {
      std::size_t b = 0;
      while (k >= block[b]) k -= block[b++];
      std::size_t w = b * 64;
      for (;; ++w) {
        const auto held = static_cast<std::size_t>(__builtin_popcountll(word[w]));
        if (k < held) break;
        k -= held;
      }
      std::uint64_t bits = word[w];
      while (k-- > 0) bits &= bits - 1;
      return w * 64 + static_cast<std::size_t>(__builtin_ctzll(bits));
    }
  };

  // A sort that asks the host now and then.
  template <class Less>
  static void sort_in_parts(std::vector<std::uint32_t>& order, const Less& less, const Poll& poll) {
    constexpr std::size_t kPart = std::size_t{1} << 20;
    const auto at = [&](std::size_t i) {
      return order.begin() + static_cast<std::ptrdiff_t>(std::min(i, order.size()));
    };
    for (std::size_t i = 0; i < order.size(); i += kPart) {
      std::sort(at(i), at(i + kPart), less);
      poll();
    }
    for (std::size_t width = kPart; width < order.size(); width *= 2) {
      for (std::size_t i = 0; i + width < order.size(); i += 2 * width) {
        std::inplace_merge(at(i), at(i + width), at(i + 2 * width), less);
        poll();
      }
    }
  }

  // The middle of amounts, which are put in another order.
  static double middle_of(std::vector<double>& amounts) {
    const std::size_t n = amounts.size();
    const auto high = amounts.begin() + static_cast<std::ptrdiff_t>(n / 2);
    std::nth_element(amounts.begin(), high, amounts.end());
    const double low = n % 2 == 1 ? *high : *std::max_element(amounts.begin(), high);
    return static_cast<double>((static_cast<long double>(low) + *high) / 2);
  }

  // Window by window, where these hold few amounts twice, as periods do; false where they do not.
  bool one_by_one(const Chain& chain, const Windows& windows, std::size_t group, double* out,
                  const Poll& poll) const {
    constexpr std::size_t kMost = std::size_t{1} << 21;
    const Day *begin = lists_.day.data() + lists_.begin(group),
              *end = lists_.day.data() + lists_.end(group);
    std::vector<std::pair<const Day*, const Day*>> held;
    std::size_t all = 0;
    for (std::size_t w : chain.window) {
      const Day* from = std::lower_bound(begin, end, windows.from[w]);
      const Day* to = std::upper_bound(from, end, windows.to[w]);
      const auto n = static_cast<std::size_t>(to - from);
      all += n;
      if (n > kMost || all > 2 * static_cast<std::size_t>(end - begin)) return false;
      held.emplace_back(from, to);
    }
    std::vector<double> amounts;
    std::size_t since = 0;
    for (std::size_t k = 0; k < held.size(); ++k) {
      const auto [from, to] = held[k];
      if (from == to) continue;
      const double* amount = lists_.value.data() + (from - lists_.day.data());
      amounts.assign(amount, amount + (to - from));
      out[chain.window[k]] = middle_of(amounts);
      since += amounts.size();
      if (since > kMost) {
        poll();
        since = 0;
      }
    }
    return true;
  }

  void along(const Chain& chain, const Windows& windows, double* out, const Poll& poll) const {
    if (one_by_one(chain, windows, static_cast<std::size_t>(chain.group), out, poll)) return;
    const auto g = static_cast<std::size_t>(chain.group);
    const Day* days = lists_.day.data();
    const Day* begin = std::lower_bound(days + lists_.begin(g), days + lists_.end(g),
                                        windows.from[chain.window.front()]);
    const Day* end = std::upper_bound(begin, days + lists_.end(g), windows.to[chain.window.back()]);
    const auto first = static_cast<std::size_t>(begin - days);
    const auto n = static_cast<std::size_t>(end - begin);
    const double* amount = lists_.value.data() + first;
    std::vector<std::uint32_t> order(n), place(n);
    std::iota(order.begin(), order.end(), 0u);
    sort_in_parts(
        order, [&](std::uint32_t a, std::uint32_t b) { return amount[a] < amount[b]; }, poll);
    constexpr std::size_t kOften = std::size_t{1} << 20;
    for (std::size_t p = 0; p < n; ++p) {
      place[order[p]] = static_cast<std::uint32_t>(p);
      if (p % kOften == 0) poll();
    }
    Places held(n);
    std::size_t gone = 0, next = 0;
    for (std::size_t w : chain.window) {
      for (; next < n && begin[next] <= windows.to[w]; ++next) {
        held.put(place[next], true);
        if (next % kOften == 0) poll();
      }
      for (; gone < next && begin[gone] < windows.from[w]; ++gone) held.put(place[gone], false);
      if (held.count == 0) continue;
      const double low = amount[order[held.at((held.count - 1) / 2)]],
                   high = amount[order[held.at(held.count / 2)]];
      out[w] = static_cast<double>((static_cast<long double>(low) + high) / 2);
    }
  }
};

// The latest amount on or before a day, carried forward; with `each`, the sum over members of the
// latest of each.
class LatestLists {
 public:
  // `each` may be without data: then there is one member.
  LatestLists(const CubeRequest& request, const Groups& groups, const Slot& slot,
              const Column& each, std::size_t members, const Host& host) {
    const double power = power_of_ten(slot.column.decimals);
    if (each.data == nullptr) {
      lists_ = gather_amounts(request, groups, slot, host);
    } else if (slot.column.kind == Kind::real) {
      sum_latest<Pair, double>(
          request, groups, slot, each, members, host,
          [&](std::size_t i) { return amount_at(slot.column, i); },
          [](const Pair& sum) { return sum.high + sum.low; });
    } else {
      sum_latest<std::int64_t, std::int64_t>(
          request, groups, slot, each, members, host,
          [&](std::size_t i) { return whole_amount_at(slot.column, i); },
          [power](std::int64_t sum) { return static_cast<double>(sum) / power; });
    }
    compact(lists_, [](double& to, double from) {
      to = from;
      return true;
    });
  }

  // At the last day of each window; the first does not matter.
  void latest(const Windows& windows, double* out, const Host& host) const {
    in_stretches(
        windows.count, threads_for(windows.count, host), [&](std::size_t begin, std::size_t end) {
          for (std::size_t w = begin; w < end; ++w) {
            const auto g = static_cast<std::size_t>(windows.group[w]);
            const Day* days = lists_.day.data();
            const Day* after =
                std::upper_bound(days + lists_.begin(g), days + lists_.end(g), windows.to[w]);
            out[w] = after == days + lists_.begin(g)
                         ? kNothing
                         : lists_.value[static_cast<std::size_t>(after - days) - 1];
          }
        });
    host.poll();
  }

  double bytes() const { return lists_.bytes(); }

 private:
  Lists<double> lists_;

  template <class Amount>
  struct Reading {
    std::int32_t member;
    Amount amount;
  };

  template <class Sum, class Amount, class Read, class Figure>
  void sum_latest(const CubeRequest& request, const Groups& groups, const Slot& slot,
                  const Column& each, std::size_t members, const Host& host, const Read& read,
                  const Figure& figure) {
    const auto readings = gather<Reading<Amount>>(
        request, groups, slot, [&](std::size_t i) { return !is_missing(read(i)); },
        [&](std::size_t i) {
          return Reading<Amount>{member_at(each, i), read(i)};
        },
        host);
    lists_.offsets = readings.offsets;
    lists_.day = readings.day;
    lists_.value.resize(readings.value.size());
    std::vector<Amount> before(members, 0);
    for (std::size_t g = 0; g < readings.groups(); ++g) {
      Sum sum{};
      for (std::size_t i = readings.begin(g); i < readings.end(g); ++i) {
        const Reading<Amount>& reading = readings.value[i];
        Amount& last = before[static_cast<std::size_t>(reading.member)];
        accumulate(sum, reading.amount);
        accumulate(sum, -last);
        last = reading.amount;
        lists_.value[i] = figure(sum);
      }
      for (std::size_t i = readings.begin(g); i < readings.end(g); ++i)
        before[static_cast<std::size_t>(readings.value[i].member)] = 0;
    }
  }
};

}  // namespace ledger
