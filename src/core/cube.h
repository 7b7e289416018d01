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
// order in which the groups are given. Looked for twice rather than kept: a note per group and
// stretch could be far larger than the result. Groups are taken in rounds, between which the host
// is asked whether to go on, and in each round by threads side by side.
class HeldPairs {
 public:
  HeldPairs(const Cube& cube, const std::int32_t* groups, std::size_t group_count,
            const Days& stretches, const Host& host)
      : cube_(cube), groups_(groups), group_count_(group_count), stretches_(stretches),
        host_(host), threads_(threads_for(group_count, host)) {
    const auto rounds = (group_count + kRound - 1) / kRound;
    places_.assign(rounds * static_cast<std::size_t>(threads_),
                   std::vector<std::size_t>(stretches.count, 0));
    in_rounds([&](std::size_t piece, std::size_t from, std::size_t to) {
      std::vector<std::int32_t> held;
      for (std::size_t i = from; i < to; ++i) {
        cube_.stretches_held(groups_[i], stretches_, held);
        for (std::int32_t s : held) ++places_[piece][static_cast<std::size_t>(s)];
      }
    });
    // From counts to where the pairs of each stretch begin, piece by piece.
    for (std::size_t s = 0; s < stretches.count; ++s) {
      for (auto& piece : places_) {
        const std::size_t own = piece[s];
        piece[s] = count_;
        count_ += own;
      }
    }
  }

  std::size_t count() const { return count_; }

  // Fills in, pair by pair, the number of the stretch, counted from `origin`, the group and the
  // figures of each slot: group by group these cost less than row by row.
  void fill(std::int32_t* stretch, std::int32_t origin, std::int32_t* group,
            const std::vector<double*>& figures) {
    in_rounds([&](std::size_t piece, std::size_t from, std::size_t to) {
      std::vector<std::int32_t> held;
      std::vector<double> own;
      std::vector<std::size_t>& next = places_[piece];
      for (std::size_t i = from; i < to; ++i) {
        cube_.figures_held(groups_[i], stretches_, figures.size(), held, own);
        for (std::size_t slot = 0; slot < figures.size(); ++slot) {
          for (std::size_t k = 0; k < held.size(); ++k)
            figures[slot][next[static_cast<std::size_t>(held[k])]] = own[slot * held.size() + k];
        }
        for (std::int32_t s : held) {
          const std::size_t at = next[static_cast<std::size_t>(s)]++;
          stretch[at] = s + origin;
          group[at] = groups_[i];
        }
      }
    });
  }

 private:
  static constexpr std::size_t kRound = 131072;
  const Cube& cube_;
  const std::int32_t* groups_;
  const std::size_t group_count_;
  const Days stretches_;
  const Host host_;
  const int threads_;
  std::size_t count_ = 0;
  std::vector<std::vector<std::size_t>> places_;  // of each piece, by stretch

  // Calls f(piece, from, to) for every piece: the share of a thread in a round.
  template <class F>
  void in_rounds(const F& f) const {
    for (std::size_t round = 0; round * kRound < group_count_; ++round) {
      const std::size_t begins = round * kRound, ends = std::min(group_count_, begins + kRound);
      const std::size_t share = (ends - begins + static_cast<std::size_t>(threads_) - 1) /
                                static_cast<std::size_t>(threads_);
      in_parallel(threads_, [&](int part) {
        const auto number = static_cast<std::size_t>(part);
        const std::size_t from = std::min(ends, begins + number * share);
        f(round * static_cast<std::size_t>(threads_) + number, from, std::min(ends, from + share));
      });
      host_.poll();
    }
  }
};

}  // namespace ledger
