// The day cube: for every group, the running sums of each figure from day to day. Any figure
// over any window of days is then one difference.
#pragma once
#include <algorithm>
#include <memory>

#include "dense-cube.h"
#include "sparse-cube.h"

namespace ledger {

// Dense while the cells are not many more than the entries.
inline bool dense_pays(const CubeRequest& request, const Groups& groups) {
  const double cells = static_cast<double>(request.day_count() + 1) * groups.count();
  return cells <= std::max(1048576.0, static_cast<double>(request.entries)) && cells < 2147483647.0;
}

inline std::unique_ptr<Cube> build_cube(const CubeRequest& request, const Groups& groups, const Host& host) {
  if (dense_pays(request, groups)) return std::make_unique<DenseCube>(request, groups, host);
  return std::make_unique<SparseCube>(request, groups, host);
}

}  // namespace ledger
