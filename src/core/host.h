// What the core asks of the program around it: a way to stop long work, and a thread count.
#pragma once
#include <algorithm>
#include <cstddef>
#include <exception>
#include <functional>
#include <stdexcept>
#include <system_error>
#include <thread>
#include <vector>

namespace ledger {

// Called between chunks of work, only from the calling thread and never inside a parallel
// region; it throws to stop the work.
using Poll = std::function<void()>;

struct Host {
  int threads = 1;
  std::size_t small = 200000;  // jobs below this are done sooner by one thread
  Poll poll = [] {};
};

inline int threads_for(std::size_t entries, const Host& host) {
  return entries < host.small || host.threads < 1 ? 1 : host.threads;
}

// Calls f(0), ..., f(parts - 1), each on a thread of its own, and waits for all; what one throws
// is thrown here. Threads of the standard library, not of OpenMP, whose pool does not survive a
// fork of the host and is unknown to the thread sanitizer.
template <class F>
void in_parallel(int parts, const F& f) {
  if (parts == 1) return f(0);
  std::vector<std::exception_ptr> problems(static_cast<std::size_t>(parts));
  const auto run = [&](int part) {
    try {
      f(part);
    } catch (...) {
      problems[static_cast<std::size_t>(part)] = std::current_exception();
    }
  };
  std::vector<std::thread> threads;
  threads.reserve(problems.size());
  int here = 1;  // where the system gives no more threads, the rest is done on this one
  try {
    for (; here < parts; ++here) threads.emplace_back(run, here);
  } catch (const std::system_error&) {}
  run(0);
  for (int part = here; part < parts; ++part) run(part);
  for (std::thread& thread : threads) thread.join();
  for (const auto& problem : problems) {
    if (problem) std::rethrow_exception(problem);
  }
}

// Splits 0 ... n - 1 into one stretch per thread and calls f(from, to) for each.
template <class F>
void in_stretches(std::size_t n, int threads, const F& f) {
  const std::size_t stretch =
      (n + static_cast<std::size_t>(threads) - 1) / static_cast<std::size_t>(threads);
  in_parallel(threads, [&](int part) {
    const std::size_t from = std::min(n, static_cast<std::size_t>(part) * stretch);
    f(from, std::min(n, from + stretch));
  });
}

// A problem with the data or the question, told to the user as it stands.
struct Refusal : std::runtime_error {
  using std::runtime_error::runtime_error;
};

}  // namespace ledger
