// Windows of days, and what every kind of day cube does with them.
#pragma once
#include <cstddef>
#include <cstdint>
#include <vector>

#include "dates.h"
#include "host.h"
#include "sums.h"

namespace ledger {

// One window: a group and its first and last day, both included.
struct Windows {
  const std::int32_t* group = nullptr;  // numbers from 0
  const Day* from = nullptr;
  const Day* to = nullptr;
  std::size_t count = 0;
};

// Stretches of days, in order.
struct Days {
  const Day* from = nullptr;
  const Day* to = nullptr;
  std::size_t count = 0;
};

class Cube {
 public:
  virtual ~Cube() = default;
  // Writes the slot's figure for each window; a window that ends before it starts gives 0.
  virtual void evaluate(std::size_t slot, const Windows& windows, double* out,
                        const Host& host) const = 0;
  // Adds the slot's sums in each window, not yet divided by the amounts' scale, to `whole` or, for
  // doubles, to `real`. A window whose group is negative has none.
  virtual void add_sums(std::size_t slot, const Windows& windows, std::int64_t* whole,
                        Pair* real) const = 0;
  virtual double power(std::size_t slot) const = 0;
  virtual bool real(std::size_t slot) const = 0;
  // Numbers of the stretches of days in which a group has entries. Stretches are in order of time
  // and do not overlap.
  virtual void stretches_held(std::int32_t group, const Days& stretches,
                              std::vector<std::int32_t>& held) const = 0;
  // The same with the figures of each slot in these stretches, one slot after the other.
  virtual void figures_held(std::int32_t group, const Days& stretches, std::size_t slots,
                            std::vector<std::int32_t>& held, std::vector<double>& figures) const {
    stretches_held(group, stretches, held);
    std::vector<Day> from, to;
    for (std::int32_t s : held) {
      from.push_back(stretches.from[s]);
      to.push_back(stretches.to[s]);
    }
    const std::vector<std::int32_t> same(held.size(), group);
    figures.resize(slots * held.size());
    for (std::size_t slot = 0; slot < slots; ++slot)
      evaluate(slot, {same.data(), from.data(), to.data(), held.size()},
               figures.data() + slot * held.size(), Host{});
  }
  // The last day up to `day` on which a group has entries; kNoDay where it has none.
  virtual Day latest_day(std::int32_t group, Day day) const = 0;
  virtual bool dense() const = 0;
  virtual double bytes() const = 0;
};

}  // namespace ledger
