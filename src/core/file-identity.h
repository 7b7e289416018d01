// What tells a file from another of the same name, and from itself before it was changed.
#pragma once

#include <string>
#include <sys/stat.h>
#include <sys/types.h>

namespace ledger {

// `which` names the file itself, `state` what it holds, by its size and the times of its last
// changes; both are empty where there is no file.
struct FileIdentity {
  std::string which, state;
};

inline FileIdentity file_identity(const char* path) {
  struct stat of;
  if (stat(path, &of) != 0) return {};
  auto text = [](auto number) { return std::to_string(static_cast<long long>(number)); };
#if defined(_WIN32)
  const std::string times = text(of.st_mtime) + " " + text(of.st_ctime);
#elif defined(__APPLE__)
  const std::string times = text(of.st_mtimespec.tv_sec) + "." + text(of.st_mtimespec.tv_nsec) +
                            " " + text(of.st_ctimespec.tv_sec) + "." +
                            text(of.st_ctimespec.tv_nsec);
#else
  const std::string times = text(of.st_mtim.tv_sec) + "." + text(of.st_mtim.tv_nsec) + " " +
                            text(of.st_ctim.tv_sec) + "." + text(of.st_ctim.tv_nsec);
#endif
  return {text(of.st_dev) + ":" + text(of.st_ino), text(of.st_size) + " " + times};
}

}  // namespace ledger
