// Windows put in chains: windows of one group in which both ends move forward. Figures that are no
// sums go along a chain once, whatever the windows overlap. Periods, running and rolling windows
// are one chain a group; spans of any kind need as many as lie inside each other.
#pragma once
#include <algorithm>
#include <cstdint>
#include <numeric>
#include <vector>

#include "host.h"
#include "windows.h"

namespace ledger {

struct Chain {
  std::int32_t group = 0;
  std::vector<std::size_t> window;  // numbers of the windows
};

// Windows that end before they start hold nothing and are in no chain.
inline std::vector<Chain> chains_of(const Windows& windows, std::size_t groups) {
  std::vector<std::size_t> starts(groups + 1, 0);
  const auto holds = [&](std::size_t w) { return windows.to[w] >= windows.from[w]; };
  for (std::size_t w = 0; w < windows.count; ++w)
    starts[static_cast<std::size_t>(windows.group[w]) + 1] += holds(w);
  for (std::size_t g = 0; g < groups; ++g) starts[g + 1] += starts[g];
  std::vector<std::size_t> order(starts.back()), next(starts.begin(), starts.end() - 1);
  for (std::size_t w = 0; w < windows.count; ++w) {
    if (holds(w)) order[next[static_cast<std::size_t>(windows.group[w])]++] = w;
  }
  std::vector<Chain> chains;
  for (std::size_t g = 0; g < groups; ++g) {
    const auto begin = order.begin() + static_cast<std::ptrdiff_t>(starts[g]);
    const auto end = order.begin() + static_cast<std::ptrdiff_t>(starts[g + 1]);
    if (begin == end) continue;
    const auto forward = [&](std::size_t a, std::size_t b) {
      return windows.from[a] <= windows.from[b] && windows.to[a] <= windows.to[b];
    };
    bool one = true;
    for (auto w = begin; one && w + 1 != end; ++w) one = forward(*w, *(w + 1));
    if (one) {
      chains.push_back({static_cast<std::int32_t>(g), {begin, end}});
      continue;
    }
    std::sort(begin, end, [&](std::size_t a, std::size_t b) {
      return windows.from[a] != windows.from[b] ? windows.from[a] < windows.from[b]
                                                : windows.to[a] < windows.to[b];
    });
    // Each window joins the chain that ends latest of those it can follow; ends stay in falling
    // order.
    const std::size_t first = chains.size();
    for (auto w = begin; w != end; ++w) {
      const auto at = std::partition_point(
          chains.begin() + static_cast<std::ptrdiff_t>(first), chains.end(),
          [&](const Chain& chain) { return windows.to[chain.window.back()] > windows.to[*w]; });
      if (at == chains.end()) chains.push_back({static_cast<std::int32_t>(g), {*w}});
      else at->window.push_back(*w);
    }
  }
  return chains;
}

// Calls f(first, last, poll) for stretches of chains, each on a thread of its own; `weight` is the
// work of a chain. Where one thread does all, a long chain may ask the host in between; else the
// host is asked between rounds.
template <class Weight, class F>
void share_chains(const std::vector<Chain>& chains, const Weight& weight, const Host& host,
                  const F& f) {
  double all = 0;
  for (const Chain& chain : chains) all += weight(chain);
  const int threads = chains.size() < 2 ? 1 : threads_for(static_cast<std::size_t>(all), host);
  constexpr double kRound = 2e7;
  std::size_t at = 0;
  while (at < chains.size()) {
    std::vector<std::size_t> ends{at};
    const double goal = std::min(kRound, all / threads);
    for (int t = 0; t < threads; ++t) {
      double taken = 0;
      while (at < chains.size() && taken < goal) taken += weight(chains[at++]);
      ends.push_back(at);
    }
    if (threads == 1 || ends[1] == at) {
      f(ends.front(), at, host.poll);
    } else {
      in_parallel(threads, [&](int t) {
        f(ends[static_cast<std::size_t>(t)], ends[static_cast<std::size_t>(t) + 1], Poll([] {}));
      });
    }
    host.poll();
  }
}

}  // namespace ledger
