// Entries in order of day: a counting sort over the days between the first and the last,
// stable, so entries of one day stay in the order of their source.
#pragma once
#include <cstdint>
#include <vector>

#include "dates.h"
#include "host.h"

namespace ledger {

// What there is to know of a column of days before it is used.
struct DaySurvey {
  Day oldest = kNoDay, newest = kNoDay;
  Day newest_by_limit = kNoDay;  // of the days not after the limit
  std::size_t missing = 0;
};

inline DaySurvey survey_days(const Day* days, std::size_t n, Day limit) {
  DaySurvey survey;
  Day oldest = kLastDay + 1, newest = kNoDay, by_limit = kNoDay;
  std::size_t missing = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const Day d = days[i];
    missing += d == kNoDay;
    oldest = d != kNoDay && d < oldest ? d : oldest;
    newest = d > newest ? d : newest;  // kNoDay is below every day
    by_limit = d <= limit && d > by_limit ? d : by_limit;
  }
  survey.missing = missing;
  survey.oldest = missing == n ? kNoDay : oldest;
  survey.newest = newest;
  survey.newest_by_limit = by_limit;
  return survey;
}

// Knows the place of every entry of the source in the ledger, and puts columns in order. A
// column is written day by day in as many streams as there are days, which stay in cache, while
// its source is read straight through; reading in order of the ledger would miss on every entry.
class DaySorter {
 public:
  // `days` must outlive the sorter. Entries whose day is kNoDay are left out.
  DaySorter(const Day* days, std::size_t n, const Host& host) : days_(days), n_(n) {
    const DaySurvey survey = survey_days(days, n, kLastDay);
    used_ = n - survey.missing;
    if (used_ == 0) return;
    first_ = survey.oldest;
    const auto day_count = static_cast<std::size_t>(survey.newest - survey.oldest) + 1;
    host.poll();

    // Where each stretch of the source puts its next entry of each day. Many days for few
    // entries would cost more than a second thread gains.
    const std::size_t stretches =
        day_count > n / 4 ? 1 : static_cast<std::size_t>(threads_for(n, host));
    next_.assign(stretches, std::vector<std::int32_t>(day_count, 0));
    std::vector<char> in_order(stretches, 1);
    in_stretches(n, static_cast<int>(stretches), [&](std::size_t from, std::size_t to) {
      const std::size_t part = from == 0 ? 0 : from / stretch();
      if (from == to) return;
      std::int32_t* counts = next_[part].data();
      Day before = kNoDay;
      bool sorted = true;
      for (std::size_t i = from; i < to; ++i) {
        if (days[i] == kNoDay) continue;
        ++counts[days[i] - first_];
        sorted = sorted && days[i] >= before;
        before = days[i];
      }
      in_order[part] = sorted;
    });
    host.poll();
    offsets_.assign(day_count + 1, 0);
    std::int32_t at = 0;
    bool sorted = true;
    Day last_of_stretch = kNoDay;
    for (std::size_t part = 0; part < stretches; ++part) {
      const std::size_t from = part * stretch(), to = std::min(n, from + stretch());
      for (std::size_t i = from; i < to; ++i) {
        if (days[i] == kNoDay) continue;
        sorted = sorted && days[i] >= last_of_stretch;
        break;
      }
      for (std::size_t i = to; i > from; --i) {
        if (days[i - 1] == kNoDay) continue;
        last_of_stretch = days[i - 1];
        break;
      }
      sorted = sorted && in_order[part] != 0;
    }
    as_it_stands_ = sorted && used_ == n;
    for (std::size_t day = 0; day < day_count; ++day) {
      offsets_[day] = at;
      for (auto& next : next_) {
        const std::int32_t count = next[day];
        next[day] = at;
        at += count;
      }
    }
    offsets_[day_count] = at;
  }

  std::size_t used() const { return used_; }
  Day first() const { return first_; }
  const std::vector<std::int32_t>& offsets() const { return offsets_; }  // of day first() + k
  bool as_it_stands() const { return as_it_stands_; }

  // Writes value(i), for each entry i of the source, to its place in the ledger.
  template <class To, class Value>
  void put(To* out, const Value& value, const Host& host) const {
    if (as_it_stands_) {
      in_stretches(n_, threads_for(n_, host), [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) out[i] = value(i);
      });
    } else if (used_ > 0) {
      in_stretches(n_, static_cast<int>(next_.size()), [&](std::size_t from, std::size_t to) {
        if (from == to) return;
        std::vector<std::int32_t> next = next_[from / stretch()];
        for (std::size_t i = from; i < to; ++i) {
          if (days_[i] != kNoDay)
            out[next[static_cast<std::size_t>(days_[i] - first_)]++] = value(i);
        }
      });
    }
    host.poll();
  }

 private:
  const Day* days_;
  std::size_t n_;
  std::size_t used_ = 0;
  Day first_ = 0;
  std::vector<std::int32_t> offsets_;
  std::vector<std::vector<std::int32_t>> next_;
  bool as_it_stands_ = true;

  // The same cut of the source as in_stretches() makes.
  std::size_t stretch() const { return (n_ + next_.size() - 1) / next_.size(); }
};

}  // namespace ledger
