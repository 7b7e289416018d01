// The day cube: for every group, the running sums of each figure from day to day. Any figure
// over any window of days is then one difference.
#pragma once
#include <algorithm>
#include <iterator>
#include <memory>

#include "dense-cube.h"
#include "joined-cube.h"
#include "sparse-cube.h"

namespace ledger {

// Dense while the cells are not many more than the entries.
inline bool dense_pays(const CubeRequest& request, const Groups& groups) {
  const double cells = static_cast<double>(request.day_count() + 1) * groups.count();
  return cells <= std::max(1048576.0, static_cast<double>(request.entries)) && cells < 2147483647.0;
}

inline std::unique_ptr<Cube> build_cube(const CubeRequest& request, const Groups& groups,
                                        const Host& host) {
  if (dense_pays(request, groups)) return std::make_unique<DenseCube>(request, groups, host);
  return std::make_unique<SparseCube>(request, groups, host);
}

// The pairs of stretch and group that have entries: in order of the stretches, within each in the
// order in which the groups are given.
struct Held {
  std::vector<std::int32_t> stretch;  // numbers from 0
  std::vector<std::int32_t> group;
  std::vector<std::vector<double>>
      figures;  // of each slot: group by group they cost less than row by row
};

inline Held stretches_with_entries(const Cube& cube, const std::int32_t* groups,
                                   std::size_t group_count, const Days& stretches,
                                   std::size_t slots, const Host& host) {
  std::vector<std::int32_t> held;
  std::vector<std::size_t> next(stretches.count + 1, 0);
  for (std::size_t i = 0; i < group_count; ++i) {
    cube.stretches_held(groups[i], stretches, held);
    for (std::int32_t s : held) ++next[static_cast<std::size_t>(s) + 1];
    if (i % 100000 == 0) host.poll();
  }
  for (std::size_t s = 1; s < next.size(); ++s) next[s] += next[s - 1];
  Held result;
  result.stretch.resize(next.back());
  result.group.resize(next.back());
  result.figures.assign(slots, std::vector<double>(next.back()));
  std::vector<Day> from, to;
  std::vector<std::int32_t> group;
  std::vector<double> figures;
  const Host plain;
  // Looked for twice rather than kept: a note per group and stretch could be far larger than the
  // result.
  for (std::size_t i = 0; i < group_count; ++i) {
    cube.stretches_held(groups[i], stretches, held);
    from.clear();
    to.clear();
    for (std::int32_t s : held) {
      from.push_back(stretches.from[s]);
      to.push_back(stretches.to[s]);
    }
    group.assign(held.size(), groups[i]);
    figures.resize(held.size());
    for (std::size_t slot = 0; slot < slots; ++slot) {
      cube.evaluate(slot, {group.data(), from.data(), to.data(), held.size()}, figures.data(),
                    plain);
      for (std::size_t k = 0; k < held.size(); ++k)
        result.figures[slot][next[static_cast<std::size_t>(held[k])]] = figures[k];
    }
    for (std::int32_t s : held) {
      const std::size_t at = next[static_cast<std::size_t>(s)]++;
      result.stretch[at] = s;
      result.group[at] = groups[i];
    }
    if (i % 100000 == 0) host.poll();
  }
  return result;
}

}  // namespace ledger
