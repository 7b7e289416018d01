// Distinct members in windows of days. A cell (day, member) counts in the windows that hold its day
// and not the day before on which the member was seen in the group; those stand side by side in a
// chain, so a difference array counts them all in one pass, however much windows overlap.
#pragma once
#include <cstdint>
#include <vector>

#include "chains.h"
#include "lists.h"

namespace ledger {

class MemberLists {
 public:
  // `missing` is the member number that stands for no member, -1 where there is none.
  MemberLists(const CubeRequest& request, const Groups& groups, const Slot& slot,
              std::int32_t members, std::int32_t missing, const Host& host)
      : members_(static_cast<std::size_t>(members)) {
    const Column& column = slot.column;
    lists_ = gather<std::int32_t>(
        request, groups, slot, [&](std::size_t i) { return member_at(column, i) != missing; },
        [&](std::size_t i) { return member_at(column, i); }, host);
    if (repeats_are_many()) drop_repeats();
  }

  double bytes() const { return lists_.bytes(); }
  std::size_t members() const { return members_; }

  // Number of distinct members in each window.
  void distinct(const Windows& windows, double* out, const Host& host) const {
    run(windows, out, host,
        [](const Pass& p, std::int32_t, std::uint32_t lo, std::uint32_t seen, std::uint32_t hi) {
          p.range(std::max(lo, seen), hi);
        });
  }

  // Of those, the members whose first day (by member number, kNoDay for none) is in the window or
  // after its first.
  void newcomers(const Windows& windows, const Day* first, double* out, const Host& host) const {
    run(windows, out, host,
        [first](const Pass& p, std::int32_t member, std::uint32_t lo, std::uint32_t seen,
                std::uint32_t) {
          if (seen > p.base) return;  // the first time in the chain tells all
          const Day* after = std::upper_bound(p.from, p.from + p.count, first[member]);
          p.range(lo, p.base + static_cast<std::uint32_t>(after - p.from));
        });
  }

 private:
  Lists<std::int32_t> lists_;
  std::size_t members_;

  // Windows of a chain are numbered from `base`, above all numbers of chains before, so that what
  // was noted of members then is below it.
  struct Pass {
    std::uint32_t base;
    const Day* from;
    std::size_t count;
    std::int32_t* change;
    void range(std::uint32_t lo, std::uint32_t hi) const {
      if (lo >= hi) return;
      ++change[lo - base];
      --change[hi - base];
    }
  };

  template <class Count>
  void run(const Windows& windows, double* out, const Host& host, const Count& count) const {
    std::fill(out, out + windows.count, 0.0);
    const std::vector<Chain> chains = chains_of(windows, lists_.groups());
    const auto weight = [&](const Chain& chain) {
      const auto g = static_cast<std::size_t>(chain.group);
      return static_cast<double>(lists_.end(g) - lists_.begin(g) + chain.window.size());
    };
    share_chains(chains, weight, host, [&](std::size_t begin, std::size_t end, const Poll& poll) {
      std::vector<std::uint32_t> seen(begin == end ? 0 : members_, 0);
      std::vector<std::int32_t> change;
      std::vector<Day> from, to;
      std::uint32_t base = 1;
      for (std::size_t c = begin; c < end; ++c) {
        const Chain& chain = chains[c];
        const std::size_t k = chain.window.size();
        if (base > 0xFFFFFFF0u - k) {
          std::fill(seen.begin(), seen.end(), 0u);
          base = 1;
        }
        change.assign(k + 1, 0);
        from.clear();
        to.clear();
        for (std::size_t w : chain.window) {
          from.push_back(windows.from[w]);
          to.push_back(windows.to[w]);
        }
        along(chain, {base, from.data(), k, change.data()}, to, seen, count, poll);
        std::int32_t sum = 0;
        for (std::size_t w = 0; w < k; ++w) out[chain.window[w]] = sum += change[w];
        base += static_cast<std::uint32_t>(k) + 1;
      }
    });
  }

  template <class Count>
  void along(const Chain& chain, const Pass& pass, const std::vector<Day>& to,
             std::vector<std::uint32_t>& seen, const Count& count, const Poll& poll) const {
    const auto g = static_cast<std::size_t>(chain.group);
    const Day* days = lists_.day.data();
    const std::int32_t* member = lists_.value.data();
    const std::size_t end = lists_.end(g);
    std::size_t i = static_cast<std::size_t>(
        std::lower_bound(days + lists_.begin(g), days + end, pass.from[0]) - days);
    std::size_t ending = 0,
                started = 0;  // first window that ends on the day or later; windows started by it
    for (; i < end && days[i] <= to.back(); ++i) {
      while (to[ending] < days[i]) ++ending;
      while (started < pass.count && pass.from[started] <= days[i]) ++started;
      std::uint32_t& last = seen[static_cast<std::size_t>(member[i])];
      const std::uint32_t hi = pass.base + static_cast<std::uint32_t>(started);
      if (i % (std::size_t{1} << 22) == 0) poll();
      count(pass, member[i], pass.base + static_cast<std::uint32_t>(ending), last, hi);
      last = hi;
    }
  }

  // A member counts once a day, whichever way; cells are fewer where many come more often. Some
  // tell.
  bool repeats_are_many() const {
    std::vector<Day> last(members_, kNoDay);
    const std::size_t some = std::min<std::size_t>(lists_.day.size(), 20000);
    std::size_t repeats = 0;
    for (std::size_t i = 0; i < some; ++i) {
      Day& day = last[static_cast<std::size_t>(lists_.value[i])];
      repeats += day == lists_.day[i];
      day = lists_.day[i];
    }
    return repeats * 4 > some;
  }

  void drop_repeats() {
    // The cell of each member's last day in the group, so that groups need no reset.
    std::vector<std::int64_t> place(members_, -1);
    std::size_t cells = 0;
    for (std::size_t g = 0; g < lists_.groups(); ++g) {
      const std::size_t from = lists_.begin(g), to = lists_.end(g);
      const auto first = static_cast<std::int64_t>(cells);
      lists_.offsets[g] = first;
      for (std::size_t i = from; i < to; ++i) {
        std::int64_t& at = place[static_cast<std::size_t>(lists_.value[i])];
        if (at >= first && lists_.day[static_cast<std::size_t>(at)] == lists_.day[i]) continue;
        at = static_cast<std::int64_t>(cells);
        lists_.day[cells] = lists_.day[i];
        lists_.value[cells] = lists_.value[i];
        ++cells;
      }
    }
    lists_.offsets.back() = static_cast<std::int64_t>(cells);
    lists_.day.resize(cells);
    lists_.value.resize(cells);
    lists_.day.shrink_to_fit();
    lists_.value.shrink_to_fit();
  }
};

// First day of each member in the whole ledger, kNoDay for one that is not seen.
inline std::vector<Day> first_days(const CubeRequest& request, const Column& column,
                                   std::size_t members) {
  std::vector<Day> first(members, kNoDay);
  if (request.offsets == nullptr) {
    for (std::size_t i = 0; i < request.entries; ++i) {
      const Day d = request.days[i];
      if (d < request.first || d > request.last) continue;
      Day& known = first[static_cast<std::size_t>(member_at(column, i))];
      if (known == kNoDay || d < known) known = d;
    }
    return first;
  }
  for (std::size_t day = request.day_count(); day-- > 0;) {  // the earliest day is written last
    const auto to = static_cast<std::size_t>(request.offsets[day + 1]);
    for (auto i = static_cast<std::size_t>(request.offsets[day]); i < to; ++i) {
      first[static_cast<std::size_t>(member_at(column, i))] = request.first + static_cast<Day>(day);
    }
  }
  return first;
}

}  // namespace ledger
