// Files that are put into their place whole or not at all, and what is left where a process is
// ended: the system's own calls, each with what it could not do. No rule of ours stands here.
#pragma once

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <string>

#ifndef _WIN32
#include <dlfcn.h>
#include <fcntl.h>
#include <poll.h>
#include <sys/stat.h>
#include <unistd.h>
#endif
#ifdef __linux__
#include <sys/syscall.h>
#endif

namespace ledger {

// "" where all bytes of a file (or the names of a folder) are on the disk, or what is wrong.
inline std::string sync_path(const char* path) {
#ifdef _WIN32
  (void)path;
  return "";
#else
  const int file = open(path, O_RDONLY | O_CLOEXEC);
  if (file < 0) return std::strerror(errno);
  // Some file systems have no such call for what they hold; that is no loss of bytes.
  const bool bad = fsync(file) != 0 && errno != EINVAL && errno != EROFS && errno != ENOTSUP;
  const std::string problem = bad ? std::strerror(errno) : "";
  if (close(file) != 0 && problem.empty()) return std::strerror(errno);
  return problem;
#endif
}

// Whether a process is there; one of another user is, though it may not be signalled.
inline bool process_runs(int process) {
#ifdef _WIN32
  (void)process;
  return true;
#else
  return process > 0 && (kill(process, 0) == 0 || errno == EPERM);
#endif
}

enum class Moved { done, taken, failed };

// Gives a file its new name only where nothing has that name: of two that try, one wins.
inline Moved move_to_free_name(const char* from, const char* to) {
#ifdef _WIN32
  if (FILE* there = std::fopen(to, "rb")) {
    std::fclose(there);
    return Moved::taken;
  }
  return std::rename(from, to) == 0 ? Moved::done : Moved::failed;
#else
#if defined(__linux__) && defined(SYS_renameat2)
  constexpr unsigned no_replace = 1;
  if (syscall(SYS_renameat2, AT_FDCWD, from, AT_FDCWD, to, no_replace) == 0) return Moved::done;
  if (errno == EEXIST) return Moved::taken;
#endif
  if (link(from, to) == 0) {
    unlink(from);
    return Moved::done;
  }
  if (errno == EEXIST) return Moved::taken;
  struct stat there;
  if (lstat(to, &there) == 0) return Moved::taken;
  return std::rename(from, to) == 0 ? Moved::done : Moved::failed;
#endif
}

// Two folders change places in one step; false where the system cannot.
inline bool exchange_paths(const char* a, const char* b) {
#if defined(__linux__) && defined(SYS_renameat2)
  constexpr unsigned exchange = 2;
  return syscall(SYS_renameat2, AT_FDCWD, a, AT_FDCWD, b, exchange) == 0;
#else
  (void)a;
  (void)b;
  return false;
#endif
}

// Paths that are removed when the process is ended by a signal. Only calls that a signal handler
// may make: no memory is taken, no lock.
class Leftovers {
 public:
  static constexpr int most = 64;
  static constexpr unsigned seconds_to_tidy = 5;
  static constexpr std::size_t longest = 1024;

  static bool add(const std::string& path) {
    if (path.size() >= longest) return false;
    for (int i = 0; i < most; ++i) {
      if (paths()[i][0] != '\0') continue;
      std::memcpy(paths()[i] + 1, path.c_str() + 1, path.size());
      paths()[i][0] = path[0];
      return true;
    }
    return false;
  }

  static void forget(const std::string& path) {
    for (int i = 0; i < most; ++i) {
      if (path == paths()[i]) paths()[i][0] = '\0';
    }
  }

#ifndef _WIN32
  // Files are removed, then folders, which the last ones added lie in.
  static void remove_all() {
    for (int i = most; i-- > 0;) {
      if (paths()[i][0] != '\0' && unlink(paths()[i]) != 0) rmdir(paths()[i]);
    }
    for (int i = most; i-- > 0;) {
      if (paths()[i][0] != '\0') rmdir(paths()[i]);
    }
  }

  // The first signal that asks for the end is an interrupt, upon which whoever is at work tidies
  // up; a second one, or none of it within some seconds, ends the process here.
  static void asked_to_end(int signal) {
    if (asked() != 0) end_by(signal);
    asked() = signal;
    alarm(seconds_to_tidy);
    raise(SIGINT);
  }

  static void too_late(int) { end_by(asked()); }

  static void end_by(int signal) {
    remove_all();
    std::signal(signal, SIG_DFL);
    raise(signal);
  }

  static void catch_signals() {
    for (const int signal : {SIGTERM, SIGHUP}) std::signal(signal, asked_to_end);
    std::signal(SIGALRM, too_late);
    std::signal(SIGPIPE, SIG_IGN);
  }
#else
  static void catch_signals() {}
#endif

  // The signal that asked for the end, or 0.
  static volatile std::sig_atomic_t& asked() {
    static volatile std::sig_atomic_t signal = 0;
    return signal;
  }

 private:
  static char (*paths())[longest] {
    static char held[most][longest];
    return held;
  }
};

enum class Output { whole, closed, broken };

// What became of standard output: whether all of it arrived, or nobody reads it any more.
inline Output flush_output() {
  bool whole = std::fflush(nullptr) == 0;
#ifndef _WIN32
  // Nothing is written to it here, it is only asked whether all went well; by its name, as code
  // that is loaded into another program should hold no stream of that program's.
  if (void* stream = dlsym(RTLD_DEFAULT, "stdout"))
    whole = whole && std::ferror(*static_cast<std::FILE**>(stream)) == 0;
#endif
  if (whole) return Output::whole;
#ifndef _WIN32
  struct pollfd ask = {1, POLLOUT, 0};
  if (poll(&ask, 1, 0) > 0 && (ask.revents & (POLLERR | POLLHUP)) != 0) return Output::closed;
#endif
  return Output::broken;
}

}  // namespace ledger
