// A day cube of several parts of a ledger, each with groups of its own: what was there, and what
// was appended.
#pragma once
#include <algorithm>
#include <iterator>
#include <memory>
#include <vector>

#include "windows.h"

namespace ledger {

class JoinedCube : public Cube {
 public:
  struct Part {
    std::shared_ptr<const Cube> cube;
    std::vector<std::int32_t> group;  // the part's number of each group, -1 where it has none
  };
  explicit JoinedCube(std::vector<Part> parts) : parts_(std::move(parts)) {}

  // Sums of amounts can be put together only where all parts hold them alike.
  static bool alike(const std::vector<Part>& parts, std::size_t slots) {
    for (const Part& part : parts)
      for (std::size_t s = 0; s < slots; ++s) {
        const Cube& first = *parts.front().cube;
        if (part.cube->real(s) != first.real(s) || part.cube->power(s) != first.power(s))
          return false;
      }
    return true;
  }

  void evaluate(std::size_t slot, const Windows& windows, double* out,
                const Host& host) const override {
    std::vector<std::int64_t> whole(real(slot) ? 0 : windows.count, 0);
    std::vector<Pair> sums(real(slot) ? windows.count : 0);
    add_sums(slot, windows, whole.data(), sums.data());
    for (std::size_t w = 0; w < windows.count; ++w) {
      out[w] =
          real(slot) ? sums[w].high + sums[w].low : static_cast<double>(whole[w]) / power(slot);
    }
    host.poll();
  }
  void add_sums(std::size_t slot, const Windows& windows, std::int64_t* whole,
                Pair* sums) const override {
    std::vector<std::int32_t> group(windows.count);
    for (const Part& part : parts_) {
      for (std::size_t w = 0; w < windows.count; ++w)
        group[w] = windows.group[w] < 0 ? -1 : own(part, windows.group[w]);
      part.cube->add_sums(slot, {group.data(), windows.from, windows.to, windows.count}, whole,
                          sums);
    }
  }
  double power(std::size_t slot) const override { return parts_.front().cube->power(slot); }
  bool real(std::size_t slot) const override { return parts_.front().cube->real(slot); }
  void stretches_held(std::int32_t group, const Days& stretches,
                      std::vector<std::int32_t>& held) const override {
    std::vector<std::int32_t> all, some;
    for (const Part& part : parts_) {
      if (own(part, group) < 0) continue;
      part.cube->stretches_held(own(part, group), stretches, some);
      std::vector<std::int32_t> before;
      before.swap(all);
      std::set_union(before.begin(), before.end(), some.begin(), some.end(),
                     std::back_inserter(all));
    }
    held = std::move(all);
  }
  Day latest_day(std::int32_t group, Day day) const override {
    Day latest = kNoDay;
    for (const Part& part : parts_) {
      if (own(part, group) >= 0)
        latest = std::max(latest, part.cube->latest_day(own(part, group), day));
    }
    return latest;
  }
  bool dense() const override { return false; }
  double bytes() const override {
    double total = 0;
    for (const Part& part : parts_)
      total += part.cube->bytes() + 4.0 * static_cast<double>(part.group.size());
    return total;
  }

 private:
  std::vector<Part> parts_;

  static std::int32_t own(const Part& part, std::int32_t group) {
    return part.group[static_cast<std::size_t>(group)];
  }
};

}  // namespace ledger
