// What the core asks of the program around it: a way to stop long work, and a thread count.
#pragma once
#include <cstddef>
#include <functional>
#include <stdexcept>
#include <string>

namespace ledger {

// Called between chunks of work, only from the calling thread and never inside a parallel
// region; it throws to stop the work.
using Poll = std::function<void()>;

struct Host {
  int threads = 1;
  Poll poll = [] {};
};

// Small jobs are done sooner by one thread than two threads can be started.
inline int threads_for(std::size_t entries, const Host& host) {
  return entries < 200000 ? 1 : (host.threads < 1 ? 1 : host.threads);
}

// A problem with the data or the question, told to the user as it stands.
struct Refusal : std::runtime_error {
  using std::runtime_error::runtime_error;
};

}  // namespace ledger
